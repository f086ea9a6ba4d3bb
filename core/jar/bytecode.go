package jar

import (
	"os"
	"path"
	"path/filepath"
	"strings"
)

// compiledName is where Python looks for the bytecode of a module (PEP 3147; PEP
// 304 for Python 2): tag is the interpreter's cache tag, empty for Python 2.
func compiledName(file, tag string) string {
	stem := strings.TrimSuffix(file, ".py")
	if tag == "" {
		return file + "c"
	}
	return path.Join(path.Dir(file), "__pycache__", path.Base(stem)+"."+tag+".pyc")
}

// placeCompiled puts an entry's bytecode beside it. RECORD does not list it: it
// is the interpreter's, not the distribution's.
func (a *application) placeCompiled(add Addition, entry int, file string) error {
	if add.Compiled == nil {
		return nil
	}
	from := add.Compiled(entry)
	if from == "" {
		return nil
	}
	return a.place(add.Wheel.Metadata.Name, from, compiledName(file, a.change.CacheTag))
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
