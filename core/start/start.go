// Package start keeps what a plain "run" in a folder, or of a script that has a jar of its own,
// came to: which jar it found, and every file and variable that had a say in that. While all of
// them are as they were, the next one there starts its command before the rest of the program is
// made ready, which takes longer than all that "run" does. An install that had nothing to do is
// answered in the same way ([Answer]).
//
// It imports nothing but what os imports, and strconv, so that a package that calls [Start.Launch]
// in its init function comes before all that takes long.
package start

import (
	"errors"
	"os"
	"strconv"
)

// format is the first line of a file; another program's is passed over.
const format = "glassjar start 2"

// Start is what a run in the folder Dir came to.
type Start struct {
	// Dir is where the user stood, or the path of the script; absolute.
	Dir string
	// Script tells that it is a script's.
	Script bool
	// Inside is what the command finds around it.
	Inside Inside
	// Python is the jar's interpreter, for a command that is a Python file.
	Python string
	Seen

	variables string // those that have a say
}

// Launch is the program for a command line, or empty where all is not as it was or the
// command is neither one of the jar's own nor on PATH.
func (s *Start) Launch(command []string, environ []string) (program string, args, env []string) {
	if variables, ok := variables(environ); !ok || variables != s.variables {
		return "", nil, nil
	}
	if !s.stands() {
		return "", nil, nil
	}
	name := command[0]
	if s.Script {
		return s.Python, append([]string{"python"}, command...), s.Inside.Environment(environ)
	}
	switch regular, executable := byPath(name); {
	case !regular:
		if program = Find(s.Inside.Bin, name); program == "" {
			program = onPath(environ, name)
		}
	case mayHaveBlockInside(name):
	case IsScript(name):
		program, command = s.Python, append([]string{"python"}, command...)
	case executable:
		program = s.plainPath(name)
	}
	if program == "" {
		return "", nil, nil
	}
	return program, command, s.Inside.Environment(environ)
}

// byPath tells of a command that may be named by a path whether a regular file is there, and
// whether it may be started.
func byPath(name string) (regular, executable bool) {
	if !MayHaveBlock(name) {
		return false, false
	}
	info, err := os.Stat(name)
	if err != nil || !info.Mode().IsRegular() {
		return false, false
	}
	return true, info.Mode()&0o111 != 0
}

// IsScript reports whether a command is a file that the jar's interpreter runs.
func IsScript(name string) bool { return len(name) >= 3 && name[len(name)-3:] == ".py" }

// MayHaveBlock reports whether a command may be a file with a block of script metadata, for which
// it has a jar of its own: a Python file, or one that is named by a path.
func MayHaveBlock(name string) bool {
	return IsScript(name) || contains(name, "/") || contains(name, string(os.PathSeparator))
}

// mayHaveBlockInside reports whether a file has a block, by which it has a jar of its own, or is too
// long to tell here.
func mayHaveBlockInside(file string) bool {
	if isBinary(file) {
		return false
	}
	text, err := contents(file)
	return err != nil || contains(text, blockOpens)
}

// blockOpens begins a block of script metadata (PEP 723).
const blockOpens = "# /// script"

func contains(text, part string) bool {
	for i := 0; i+len(part) <= len(text); i++ {
		if text[i:i+len(part)] == part {
			return true
		}
	}
	return false
}

// plainPath is where a program is that was named by a path, or empty where that has parts that
// lead up or nowhere: how it is called then the whole program decides.
func (s *Start) plainPath(name string) string {
	if len(name) > 2 && name[:2] == "./" {
		name = name[2:]
	}
	for from, i := 0, 0; i <= len(name); i++ {
		if i < len(name) && name[i] != '/' {
			continue
		}
		if part := name[from:i]; i > 0 && (part == "" || part == "." || part == "..") {
			return ""
		}
		from = i + 1
	}
	return ScriptPath(s.Dir, name)
}

// ScriptPath is what a script that was named in a folder is kept by.
func ScriptPath(dir, name string) string {
	if name[0] == '/' || name[0] == os.PathSeparator {
		return name
	}
	return dir + string(os.PathSeparator) + name
}

// deciding are the variables that say where settings, notes and jars are.
var deciding = [...]string{"GLASSJAR_HOME", "HOME", "XDG_CACHE_HOME", "XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME"}

// variables are those that have a say, as one text. ok is false where there is one that
// changes more than places.
func variables(environ []string) (text string, ok bool) {
	values := [len(deciding)]string{}
	for _, v := range environ {
		name, _ := cut(v)
		known := false
		for i, d := range deciding {
			if name == d {
				values[i], known = v, true
			}
		}
		if name == "VIRTUAL_ENV" || len(name) > 9 && name[:9] == "GLASSJAR_" && !known {
			return "", false
		}
	}
	for _, v := range values {
		text += v + "\x00"
	}
	return text, true
}

func cut(v string) (name, value string) {
	for i := range len(v) {
		if v[i] == '=' {
			return v[:i], v[i+1:]
		}
	}
	return v, ""
}

// Read reads what was kept for a folder. cache is the program's folder for what can be
// made anew; a file in it that others may write to is none of ours.
func Read(cache, dir string) (*Start, error) {
	text, err := ours(File(cache, dir))
	if err != nil {
		return nil, err
	}
	s := &Start{}
	if !s.parse(text) || s.Dir != dir {
		return nil, errNotOurs
	}
	return s, nil
}

// Text is what [Read] understands, to be kept at [File]; empty where it would be of no
// use: a variable that changes more than places is set, or a file has changed so lately
// that another change might not show in its times.
func (s *Start) Text(environ []string) string {
	var ok bool
	if s.variables, ok = variables(environ); !ok {
		return ""
	}
	if !s.look() {
		return ""
	}
	return s.text()
}

// ours is what stands in a file that is this user's and that nobody else may write to.
func ours(file string) (string, error) {
	if !own(file) {
		return "", errNotOurs
	}
	return contents(file)
}

var errNotOurs = errors.New("not a file of this program's, or of another folder")

// File is where that of a folder is kept: named by a hash, since the folder stands in it too.
func File(cache, dir string) string { return cache + "/" + Cached + "/" + hash(dir) }

// hash is that of texts by FNV-1a, 64 bits, in base 16: enough to name a file by and to see a
// change that nobody made to deceive.
func hash(texts ...string) string {
	sum := uint64(14695981039346656037)
	for i, text := range texts {
		if i > 0 {
			sum *= 1099511628211 // a zero byte between
		}
		for j := range len(text) {
			sum = (sum ^ uint64(text[j])) * 1099511628211
		}
	}
	return strconv.FormatUint(sum, 16)
}

// Cached is the folder of these files within the cache.
const Cached = "starts"

// Plain is the command of "run CMD [ARG...]" without an option; args are what follows the
// program's name.
func Plain(args []string) (command []string, ok bool) {
	if len(args) < 2 || args[0] != "run" || args[1] == "" || args[1][0] == '-' {
		return nil, false
	}
	return args[1:], true
}
