package source

import (
	"maps"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// room is where the back end's programs run.
func (o *session) room() *room {
	r := &room{Own: o.dir, Means: o.means, Hide: []string{o.Home}}
	r.Read = append([]string{o.env.Root, o.Python.Said.Prefix, filepath.Dir(o.Python.Path)}, o.Readable...)
	if base := o.Python.Said.BaseExecutable; base != "" {
		r.Read = append(r.Read, filepath.Dir(base))
	}
	for _, set := range []map[string]string{o.source.Options.Shell, o.source.Options.Variables} {
		for _, name := range sorted(set) {
			if name != "PATH" {
				r.Read = append(r.Read, pathsIn(set[name])...)
			}
		}
	}
	if o.source.Editable {
		r.InPlace = o.source.Folder
		if real, err := filepath.EvalSymlinks(o.source.Folder); err == nil {
			r.InPlace = real
		}
	}
	r.Folder = r.path(o.project)
	r.Environment = o.environment(r)
	return r
}

// environment is what the back end's programs see of variables: the same on every machine
// but for what a person, or the shell's list, says.
func (o *session) environment(r *room) []string {
	vars := map[string]string{
		"HOME": r.path(filepath.Join(o.dir, "home")), "TMPDIR": r.path(filepath.Join(o.dir, "tmp")),
		"LANG": "C.UTF-8", "LC_ALL": "C.UTF-8", "TZ": "UTC", "TERM": "dumb",
		"PYTHONHASHSEED": "0", "PYTHONNOUSERSITE": "1", "PYTHONDONTWRITEBYTECODE": "1", "PYTHONIOENCODING": "utf-8",
		"SOURCE_DATE_EPOCH": strconv.FormatInt(o.epoch, 10),
		"VIRTUAL_ENV":       o.env.Root,
	}
	for _, name := range systemVariables {
		if v, ok := os.LookupEnv(name); ok {
			vars[name] = v
		}
	}
	maps.Copy(vars, o.source.Options.Shell)
	path := vars["PATH"]
	if path == "" {
		path = os.Getenv("PATH")
	}
	maps.Copy(vars, o.source.Options.Variables)
	if own, ok := o.source.Options.Variables["PATH"]; ok {
		path = own
	}
	vars["PATH"] = o.env.Scripts + string(os.PathListSeparator) + path
	var out []string
	for _, name := range sorted(vars) {
		out = append(out, name+"="+vars[name])
	}
	return out
}

// systemVariables are those without which programs of a system do not start.
var systemVariables = []string{"SYSTEMROOT", "SystemDrive", "COMSPEC", "PATHEXT", "WINDIR", "ProgramFiles", "ProgramFiles(x86)", "ProgramData", "NUMBER_OF_PROCESSORS", "PROCESSOR_ARCHITECTURE", "SDKROOT", "DEVELOPER_DIR"}

// ShellVariables are those of the shell that come into a build: where its tools are and
// what they are told.
var ShellVariables = []string{"PATH", "CC", "CXX", "FC", "LD", "AR", "CFLAGS", "CXXFLAGS", "CPPFLAGS", "FFLAGS", "LDFLAGS", "RUSTFLAGS", "PKG_CONFIG", "PKG_CONFIG_PATH", "LD_LIBRARY_PATH", "LIBRARY_PATH", "CPATH", "C_INCLUDE_PATH", "CPLUS_INCLUDE_PATH", "CMAKE_PREFIX_PATH", "MACOSX_DEPLOYMENT_TARGET", "INCLUDE", "LIB"}

// pathsIn are the absolute paths in a variable's value, as far as they are there: what
// stands in -I/opt/x and a:b too. Of a program it is the folder above its own.
func pathsIn(value string) []string {
	var out []string
	for _, word := range strings.FieldsFunc(value, func(r rune) bool { return r == ' ' || r == '\t' || r == os.PathListSeparator || r == '=' || r == ',' }) {
		i := strings.IndexByte(word, '/')
		if i < 0 || i > 2 || i > 0 && word[0] != '-' {
			continue
		}
		path := filepath.Clean(word[i:])
		info, err := os.Stat(path)
		switch {
		case err != nil || path == "/":
			continue
		case !info.IsDir() && info.Mode()&0o111 != 0 && filepath.Base(filepath.Dir(path)) == "bin":
			out = append(out, filepath.Dir(filepath.Dir(path)))
		default:
			out = append(out, path)
		}
	}
	return out
}
