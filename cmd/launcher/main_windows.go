// Command launcher is what stands in a jar's Scripts folder on Windows under the names of its
// scripts and of its Python: it starts what its name stands for, and ends as that does.
//
// Under the name of a script it starts the jar's Python on the text of that script, which is
// in the folder "launch" beside it. Under the name python.exe or pythonw.exe it starts the
// interpreter that pyvenv.cfg names, and tells it whose it is, as CPython has it since 3.7
// (__PYVENV_LAUNCHER__): so nothing of an interpreter is copied into a jar.
//
// Elsewhere, with a text NAME.lent beside it, it starts what that names: so commands are lent.
//
// It uses nothing but syscall, since a jar has many of it. It is built by
// "go generate ./core/jar" and kept in the program.
package main

import (
	"syscall"
	"unicode/utf16"
	"unsafe"
)

// windowed tells that this one opens no console, nor what it starts: one field of its header
// tells it from the other.
var windowed bool

func main() {
	self, err := ownPath()
	if err != nil {
		fail("this program", err.Error())
	}
	windowed = ofWindows(self)
	dir, name := split(self)
	program, line, err := command(self, dir, trimExe(name))
	if err != nil {
		fail(name, err.Error())
	}
	code, err := run(program, line)
	if err != nil {
		fail(name, program+" cannot be started: "+err.Error())
	}
	syscall.ExitProcess(code)
}

// text is an error.
type text string

func (t text) Error() string { return string(t) }

// command is the program to start, and its command line.
func command(self, dir, name string) (program, line string, err error) {
	if lent, err := readFile(dir + `\` + name + ".lent"); err == nil { // a command of a jar, from elsewhere
		program = lineOf(lent)
		given := syscall.UTF16ToString((*[1 << 20]uint16)(unsafe.Pointer(syscall.GetCommandLine()))[:])
		if !exists(program) {
			return "", "", text(program + " is not there: glassjar lend --list tells what became of its jar")
		}
		return program, quoted(program) + afterFirst(given), nil
	}
	config, err := readFile(parent(dir) + `\pyvenv.cfg`)
	if err != nil {
		return "", "", text("the jar has no pyvenv.cfg that can be read (glassjar recreate makes it anew): " + err.Error())
	}
	base := setting(config, "base-executable")
	if base == "" {
		return "", "", text("the jar's pyvenv.cfg names no Python: glassjar recreate makes it anew")
	}
	given := syscall.UTF16ToString((*[1 << 20]uint16)(unsafe.Pointer(syscall.GetCommandLine()))[:])
	if lowered(name) == "python" || lowered(name) == "pythonw" {
		return theirs(base, lowered(name) == "pythonw"), given, syscall.Setenv("__PYVENV_LAUNCHER__", self)
	}
	script := dir + `\launch\` + name
	if !exists(script) {
		return "", "", text(script + " is not there: glassjar check --mend puts it back")
	}
	python := dir + `\python.exe`
	if windowed {
		python = dir + `\pythonw.exe`
	}
	line = quoted(python) + " " + quoted(script) + afterFirst(given)
	if setting(config, "base-launcher") == "true" { // the jar's own python.exe would do just that
		return theirs(base, windowed), line, syscall.Setenv("__PYVENV_LAUNCHER__", python)
	}
	return python, line, nil
}

// ofWindows reports whether a program is one of the graphical subsystem (PE format, "Optional
// Header Windows-Specific Fields": 2 at offset 68, after the signature and the file header).
func ofWindows(program string) bool {
	name, err := wide(program)
	if err != nil {
		return false
	}
	h, err := syscall.CreateFile(name, syscall.GENERIC_READ, syscall.FILE_SHARE_READ|syscall.FILE_SHARE_DELETE, nil, syscall.OPEN_EXISTING, 0, 0)
	if err != nil {
		return false
	}
	defer syscall.CloseHandle(h)
	var head [4096]byte
	n, err := syscall.Read(h, head[:])
	if err != nil || n < len(head) {
		return false
	}
	at := int(head[0x3c]) | int(head[0x3d])<<8
	return at+4+20+69 < len(head) && head[at+4+20+68] == 2
}

// theirs is an interpreter, or the one beside it that opens no console.
func theirs(base string, windowed bool) string {
	dir, name := split(base)
	if !windowed {
		return base
	}
	if len(name) >= 6 && lowered(name[:6]) == "python" {
		if without := dir + `\` + name[:6] + "w" + name[6:]; exists(without) {
			return without
		}
	}
	return base
}

// lineOf is the first line of a text.
func lineOf(s string) string {
	for i := range s {
		if s[i] == '\n' || s[i] == '\r' {
			return s[:i]
		}
	}
	return s
}

// setting is a line "name = value" of a text.
func setting(config, name string) string {
	for len(config) > 0 {
		line := config
		config = ""
		for i := range line {
			if line[i] == '\n' {
				line, config = line[:i], line[i+1:]
				break
			}
		}
		key, value := line, ""
		for i := range line {
			if line[i] == '=' {
				key, value = line[:i], line[i+1:]
				break
			}
		}
		if trim(key) == name {
			return trim(value)
		}
	}
	return ""
}

func trim(s string) string {
	for len(s) > 0 && (s[0] == ' ' || s[0] == '\t' || s[0] == '\r') {
		s = s[1:]
	}
	for len(s) > 0 && (s[len(s)-1] == ' ' || s[len(s)-1] == '\t' || s[len(s)-1] == '\r') {
		s = s[:len(s)-1]
	}
	return s
}

func lowered(s string) string {
	b := []byte(s)
	for i, c := range b {
		if c >= 'A' && c <= 'Z' {
			b[i] = c + 'a' - 'A'
		}
	}
	return string(b)
}

// trimExe takes the ending off a name, in any case of its letters.
func trimExe(name string) string {
	if n := len(name) - 4; n > 0 && lowered(name[n:]) == ".exe" {
		return name[:n]
	}
	return name
}

func split(path string) (dir, name string) {
	for i := len(path) - 1; i >= 0; i-- {
		if path[i] == '\\' || path[i] == '/' {
			return path[:i], path[i+1:]
		}
	}
	return ".", path
}

func parent(dir string) string {
	up, _ := split(dir)
	return up
}

// quoted is one argument for a command line. Paths have no quotes in them.
func quoted(path string) string { return `"` + path + `"` }

// afterFirst is a command line without its first word, and the space before what is left. The
// rest is passed on as it is, whatever its quotes mean.
func afterFirst(line string) string {
	inside := false
	for i := range line {
		switch {
		case line[i] == '"':
			inside = !inside
		case (line[i] == ' ' || line[i] == '\t') && !inside:
			return line[i:]
		}
	}
	return ""
}

// fail says what is wrong and ends.
func fail(name, why string) {
	message := "glassjar: " + name + ": " + why + "\n"
	if h, err := syscall.GetStdHandle(syscall.STD_ERROR_HANDLE); err == nil && h != 0 && !windowed {
		var n uint32
		_ = syscall.WriteFile(h, []byte(message), &n, nil) // nobody else is to be told
	} else {
		say, _ := syscall.UTF16PtrFromString(message)
		title, _ := syscall.UTF16PtrFromString("glassjar")
		box := syscall.NewLazyDLL("user32.dll").NewProc("MessageBoxW")
		_, _, _ = box.Call(0, uintptr(unsafe.Pointer(say)), uintptr(unsafe.Pointer(title)), 0x10)
	}
	syscall.ExitProcess(103)
}

func readFile(path string) (string, error) {
	name, err := wide(path)
	if err != nil {
		return "", err
	}
	h, err := syscall.CreateFile(name, syscall.GENERIC_READ, syscall.FILE_SHARE_READ|syscall.FILE_SHARE_WRITE|4, nil, syscall.OPEN_EXISTING, syscall.FILE_ATTRIBUTE_NORMAL, 0)
	if err != nil {
		return "", err
	}
	defer syscall.CloseHandle(h)
	data := make([]byte, 64<<10)
	var n uint32
	if err := syscall.ReadFile(h, data, &n, nil); err != nil {
		return "", err
	}
	return string(data[:n]), nil
}

func exists(path string) bool {
	name, err := wide(path)
	if err != nil {
		return false
	}
	attributes, err := syscall.GetFileAttributes(name)
	return err == nil && attributes&syscall.FILE_ATTRIBUTE_DIRECTORY == 0
}

// wide is a path as the system takes it; a long one needs a prefix.
func wide(path string) (*uint16, error) {
	if len(path) > 240 && len(path) > 2 && path[1] == ':' {
		path = `\\?\` + path
	}
	return syscall.UTF16PtrFromString(path)
}

func ownPath() (string, error) {
	buffer := make([]uint16, 32768)
	n, _, err := modules.NewProc("GetModuleFileNameW").Call(0, uintptr(unsafe.Pointer(&buffer[0])), uintptr(len(buffer)))
	if n == 0 {
		return "", err
	}
	return string(utf16.Decode(buffer[:n])), nil
}
