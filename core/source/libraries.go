package source

import (
	"bytes"
	"context"
	"debug/elf"
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/wheel"
)

// libraries are the shared libraries that a wheel's programs need and it does not bring: a
// wheel that was built here promises nothing by its tag. The version of the C library that
// they need is among them, as GLIBC_2.34. found are folders without which the system does
// not find them: a variable of the build led there.
func (o *session) libraries(ctx context.Context, w *wheel.Wheel) (names, found []string, err error) {
	needs, brought := map[string]bool{}, map[string]bool{}
	look := func(name string, data []byte) {
		brought[name] = true
		list, own := elfNeeds(data)
		for _, n := range list {
			if !inFolders(own, n) {
				needs[n] = true
			}
		}
	}
	for _, e := range w.Entries {
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		base := path.Base(e.Path)
		if !strings.Contains(base, ".so") {
			continue
		}
		var text bytes.Buffer
		if err := w.Copy(&text, e); err != nil {
			return nil, nil, err
		}
		look(base, text.Bytes())
	}
	if o.source.Editable {
		if err := o.builtInPlace(ctx, look); err != nil {
			return nil, nil, err
		}
	}
	for _, name := range sorted(needs) {
		if brought[name] {
			continue
		}
		names = append(names, name)
		if strings.HasPrefix(name, "GLIBC_") || inFolders(systemFolders(), name) {
			continue
		}
		for _, dir := range o.named() {
			if inFolders([]string{dir}, name) && !slices.Contains(found, dir) {
				found = append(found, dir)
			}
		}
	}
	return names, found, nil
}

// builtInPlace visits the programs in a source that is built where it stands.
func (o *session) builtInPlace(ctx context.Context, look func(name string, data []byte)) error {
	return filepath.WalkDir(o.project, func(file string, e fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case ctx.Err() != nil:
			return ctx.Err()
		case e.IsDir() && file != o.project && (passed(e.Name()) || strings.HasPrefix(e.Name(), ".") || isJar(file)):
			return filepath.SkipDir
		case !strings.HasSuffix(e.Name(), ".so") || !e.Type().IsRegular():
			return nil
		}
		data, err := os.ReadFile(file)
		look(e.Name(), data)
		return err
	})
}

// named are the folders that variables of the build lead to, those for libraries below them
// too.
func (o *session) named() []string {
	var out []string
	for _, set := range []map[string]string{o.source.Options.Variables, o.source.Options.Shell} {
		for _, name := range sorted(set) {
			if name == "PATH" {
				continue
			}
			for _, p := range pathsIn(set[name]) {
				out = append(out, p, filepath.Join(p, "lib"), filepath.Join(p, "lib64"))
			}
		}
	}
	return out
}

// HasLibrary reports whether the system's loader finds a shared library.
func HasLibrary(name string) bool { return FindLibrary(name) != "" }

// FindLibrary is where the system's loader finds a shared library, or empty.
func FindLibrary(name string) string {
	for _, dir := range systemFolders() {
		if file := filepath.Join(dir, name); inFolders([]string{dir}, name) {
			return file
		}
	}
	return ""
}

func inFolders(dirs []string, name string) bool {
	return slices.ContainsFunc(dirs, func(dir string) bool {
		_, err := os.Stat(filepath.Join(dir, name))
		return err == nil
	})
}

// systemFolders are where the system's loader looks.
func systemFolders() []string {
	out := []string{"/lib", "/lib64", "/usr/lib", "/usr/lib64", "/usr/local/lib", "/usr/local/lib64"}
	for _, pattern := range []string{"/lib/*-linux-*", "/usr/lib/*-linux-*", "/usr/local/lib/*-linux-*"} {
		more, _ := filepath.Glob(pattern) // the patterns are valid
		out = append(out, more...)
	}
	files, _ := filepath.Glob("/etc/ld.so.conf.d/*.conf") // so is this one
	for _, file := range append(files, "/etc/ld.so.conf") {
		text, _ := os.ReadFile(file) // one that cannot be read leads nowhere
		for _, line := range strings.Split(string(text), "\n") {
			if line = strings.TrimSpace(line); strings.HasPrefix(line, "/") {
				out = append(out, line)
			}
		}
	}
	return out
}

// elfNeeds are the libraries that an ELF file names, with the highest version of the C
// library that it asks for, and the absolute folders in which it says that they are.
func elfNeeds(data []byte) (names, folders []string) {
	f, err := elf.NewFile(bytes.NewReader(data))
	if err != nil {
		return nil, nil // not of this system
	}
	defer f.Close()
	if names, err = f.ImportedLibraries(); err != nil {
		return nil, nil
	}
	for _, tag := range []elf.DynTag{elf.DT_RPATH, elf.DT_RUNPATH} {
		list, _ := f.DynString(tag) // most have none
		for _, text := range list {
			folders = append(folders, strings.Split(text, ":")...)
		}
	}
	symbols, err := f.ImportedSymbols()
	if err != nil && !errors.Is(err, elf.ErrNoSymbols) {
		return names, folders
	}
	highest := ""
	for _, s := range symbols {
		if strings.HasPrefix(s.Version, "GLIBC_2.") && (len(s.Version) > len(highest) || len(s.Version) == len(highest) && s.Version > highest) {
			highest = s.Version
		}
	}
	if highest != "" {
		names = append(names, highest)
	}
	return names, folders
}
