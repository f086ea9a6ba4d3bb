package metadata

import (
	"path"
	"slices"
	"strings"

	"glassjar/core/internal/lazy"
)

var (
	moduleName = lazy.Pattern(`^[\p{L}_][\p{L}\p{N}_]*$`)
	// extension is the end of a compiled module's name, with the interpreter it
	// is for (PEP 3149): ".cpython-312-x86_64-linux-gnu.so", ".abi3.so", ".pyd".
	extension = lazy.Pattern(`(\.[A-Za-z0-9_-]+)?\.(so|pyd|dylib)$`)
)

// ModuleOf is the name of the module that a file is, and the name of the
// interpreter that a compiled one is for ("cpython-312-x86_64-linux-gnu",
// "abi3", or empty for any). It reports false for a file that is no module.
func ModuleOf(file string) (name, built string, ok bool) {
	base := path.Base(file)
	if stem, is := strings.CutSuffix(base, ".py"); is {
		return stem, "", moduleName().MatchString(stem)
	}
	end := extension().FindString(base)
	if end == "" {
		return "", "", false
	}
	stem := strings.TrimSuffix(base, end)
	built = strings.Trim(end[:strings.LastIndex(end, ".")], ".")
	return stem, built, moduleName().MatchString(stem)
}

// ImportNames are the names under which the modules of a distribution are
// imported, from its files as paths below the site folder: those of top-level
// modules and packages, and for packages without a file of their own (PEP 420,
// namespaces that several distributions share) the names below them, as in
// "orchard_tools.hives".
func ImportNames(files []string) []string {
	regular := map[string]bool{} // folders that are packages by a file of their own
	modules := map[string][]string{}
	folders := map[string]map[string]bool{}
	for _, f := range files {
		dir, _ := path.Split(f)
		dir = strings.TrimSuffix(dir, "/")
		name, _, ok := ModuleOf(f)
		if !ok || !importable(dir) {
			continue
		}
		if name == "__init__" {
			regular[dir] = true
		} else {
			modules[dir] = append(modules[dir], name)
		}
		for d := dir; d != ""; d = parent(d) {
			up := parent(d)
			if folders[up] == nil {
				folders[up] = map[string]bool{}
			}
			folders[up][d] = true
		}
	}
	var out []string
	var visit func(dir string)
	visit = func(dir string) {
		if dir != "" && regular[dir] {
			out = append(out, strings.ReplaceAll(dir, "/", "."))
			return
		}
		for _, m := range modules[dir] {
			out = append(out, strings.ReplaceAll(path.Join(dir, m), "/", "."))
		}
		for d := range folders[dir] {
			visit(d)
		}
	}
	visit("")
	slices.Sort(out)
	return slices.Compact(out)
}

// importable reports whether a folder can be a package: neither metadata nor
// data, and every part is a name of Python.
func importable(dir string) bool {
	if dir == "" {
		return true
	}
	for _, part := range strings.Split(dir, "/") {
		if !moduleName().MatchString(part) {
			return false
		}
	}
	return true
}

func parent(dir string) string {
	up := path.Dir(dir)
	if up == "." || up == "/" {
		return ""
	}
	return up
}
