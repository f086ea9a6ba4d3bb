package jar

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"strings"

	"glassjar/core/durable"
	"glassjar/core/interpreter"
	"glassjar/core/metadata"
	"glassjar/core/store"
)

// source is a module of a wheel, with the number of its entry.
type source struct {
	entry int
	file  string
}

// placeCompiled puts the bytecode of modules beside them, as far as it is there.
// RECORD does not list it: it is the interpreter's, not the distribution's.
func (a *application) placeCompiled(add Addition, sources []source) error {
	for _, s := range sources {
		from, file := add.Compiled(s.entry), interpreter.CompiledName(s.file, a.change.CacheTag)
		if from == "" || a.owner[a.fold(file)] != "" {
			continue // the wheel may have it itself
		}
		if err := a.place(add.Wheel.Metadata.Name, store.Pair{From: from, Optional: true}, file); err != nil {
			return err
		}
	}
	return nil
}

// AddBytecode puts the bytecode of modules beside them where there is none, and
// gives how many it put. find gives where the bytecode of a source stands, by its
// hash; it may not be there. The caller has the jar's lock. A module that was
// changed since it was installed gets none.
func (j *Jar) AddBytecode(installed []Installed, cacheTag string, placer *store.Placer, find func(sum string) string) (int, error) {
	defer placer.Close()
	added, real := 0, j.realFolders()
	for _, d := range installed {
		files, err := j.Files(d)
		if err != nil {
			continue // a damaged one has no bytecode
		}
		folders := map[string][]store.Pair{}
		for _, f := range files {
			sum, ok := metadata.HexOfRecordHash(f.Hash)
			if !ok || !strings.HasSuffix(f.Path, ".py") {
				continue
			}
			info, err := os.Lstat(j.Path(f.Path))
			if err != nil || !info.ModTime().Equal(store.Stamp(sum)) {
				continue
			}
			file := interpreter.CompiledName(f.Path, cacheTag)
			if _, err := os.Lstat(j.Path(file)); err == nil {
				continue
			}
			from := find(sum)
			if _, err := os.Lstat(from); err != nil {
				continue
			}
			folders[path.Dir(file)] = append(folders[path.Dir(file)], store.Pair{From: from, Name: path.Base(file), Optional: true})
		}
		for dir, list := range folders {
			if !real.free(dir) {
				continue // it is somebody else's
			}
			if err := makeFolder(j.Path(dir)); err != nil {
				return added, err
			}
			if err := placer.PlaceIn(j.Path(dir), list); err != nil && !errors.Is(err, fs.ErrExist) {
				return added, err // else the interpreter was faster
			}
			added += len(list)
		}
	}
	var batch durable.Batch
	for _, file := range placer.Written() {
		batch.File(file)
	}
	return added, j.flushBatch(&batch)
}

// Beside is bytecode that stands beside a module of a distribution.
type Beside struct {
	// Path is the bytecode's, Source the module's, in the jar; Owner the distribution's
	// name, and Sum what the module's RECORD says.
	Path, Source, Owner, Sum string
	// Level is how far it was optimised: 0, 1 or 2.
	Level int
}

// Bytecode is what an interpreter with a cache tag would take of the bytecode in the
// jar, but for what a distribution has itself. A module that a survey found to be not
// as it was installed is left out.
func (j *Jar) Bytecode(installed []Installed, survey Survey, cacheTag string) []Beside {
	changed := map[string]bool{}
	for _, f := range survey.Faults {
		changed[f.Path] = true
	}
	var out []Beside
	for _, d := range installed {
		files, err := j.Files(d)
		if err != nil {
			continue // a damaged one is told as that
		}
		own := map[string]bool{}
		for _, f := range files {
			own[f.Path] = true
		}
		for _, f := range files {
			sum, ok := metadata.HexOfRecordHash(f.Hash)
			if !ok || !strings.HasSuffix(f.Path, ".py") || changed[f.Path] {
				continue
			}
			plain := interpreter.CompiledName(f.Path, cacheTag)
			for level, name := range []string{plain, strings.TrimSuffix(plain, ".pyc") + ".opt-1.pyc", strings.TrimSuffix(plain, ".pyc") + ".opt-2.pyc"} {
				if own[name] || cacheTag == "" && level > 0 {
					continue
				}
				if info, err := os.Lstat(j.Path(name)); err == nil && info.Mode().IsRegular() {
					out = append(out, Beside{name, f.Path, d.Key(), sum, level})
				}
			}
		}
	}
	return out
}

// bytecodeOf are the files of bytecode that stand beside modules of the jar.
func (j *Jar) bytecodeOf(files []string) []string {
	stems := map[string]map[string]bool{} // by folder
	for _, f := range files {
		if stem, ok := strings.CutSuffix(path.Base(f), ".py"); ok {
			dir := path.Dir(f)
			if stems[dir] == nil {
				stems[dir] = map[string]bool{}
			}
			stems[dir][stem] = true
		}
	}
	var out []string
	for dir, mine := range stems {
		entries, _ := os.ReadDir(j.Path(dir, "__pycache__")) // where there is none, there is nothing to find
		for _, e := range entries {
			stem, rest, _ := strings.Cut(e.Name(), ".")
			if mine[stem] && strings.HasSuffix(rest, ".pyc") {
				out = append(out, path.Join(dir, "__pycache__", e.Name()))
			}
		}
		for stem := range mine {
			if file := path.Join(dir, stem+".pyc"); j.Layout().Major == 2 {
				if _, err := os.Lstat(filepath.Join(j.Root, filepath.FromSlash(file))); err == nil {
					out = append(out, file)
				}
			}
		}
	}
	return out
}
