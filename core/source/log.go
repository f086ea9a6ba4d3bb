package source

import (
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"glassjar/core/internal/lazy"
	"glassjar/core/limits"
)

// log is what a build says: in a file, of bounded length, and its last lines.
type log struct {
	mu   sync.Mutex
	file *os.File
	left int64
	line []byte
	last []string
	tell func(string)
}

// tailLines is how many of the last lines are shown.
const tailLines = 15

func newLog(file string, tell func(string)) (*log, error) {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_TRUNC|os.O_RDWR, 0o600)
	return &log{file: f, left: limits.Log, tell: tell}, err
}

// Write takes what the build says. What is over the bound is let go but for the last lines.
func (l *log) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if keep := min(int64(len(p)), l.left); keep > 0 {
		n, err := l.file.Write(p[:keep])
		l.left -= int64(n)
		if err != nil {
			l.left = 0 // a full disk ends the log, not the build
		}
	}
	rest := p
	for {
		i := bytes.IndexAny(rest, "\n\r")
		if i < 0 {
			break
		}
		l.line = append(l.line, rest[:i]...)
		l.endLine()
		rest = rest[i+1:]
	}
	if len(l.line) < 4096 {
		l.line = append(l.line, rest...)
	}
	return len(p), nil
}

func (l *log) endLine() {
	text := strings.ToValidUTF8(strings.TrimRight(string(l.line), " \t"), "?")
	l.line = l.line[:0]
	if text == "" {
		return
	}
	if l.last = append(l.last, text); len(l.last) > tailLines {
		l.last = l.last[1:]
	}
	l.tell(text)
}

// end ends the last line.
func (l *log) end() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.endLine()
}

func (l *log) tail() []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return append([]string{}, l.last...)
}

func (l *log) close() { l.file.Close() }

// keep copies the log to where logs of failed builds are kept, and gives its path; empty
// where that cannot be done.
func (l *log) keep(dir, name, version string) string {
	data, err := os.ReadFile(l.file.Name())
	if err != nil || dir == "" || os.MkdirAll(dir, 0o700) != nil {
		return ""
	}
	if version != "" {
		name += "-" + version
	}
	file := filepath.Join(dir, strings.Map(func(r rune) rune {
		if strings.ContainsRune(`/\:*?"<>|`, r) || r < ' ' {
			return '_'
		}
		return r
	}, name)+".log")
	if os.WriteFile(file, data, 0o600) != nil {
		return ""
	}
	return file
}

// causes are what compilers, linkers and Python say, the surest first. Each names its group
// what it is about.
var causes = []struct {
	kind    string
	pattern lazy.Regexp
}{
	{NoPythonHeader, lazy.Pattern(`fatal error: (Python\.h): No such file|(Python\.h): No such file|'(Python\.h)' file not found`)},
	{NoHeader, lazy.Pattern(`fatal error: '?([\w./+-]+\.h(?:pp|xx|h)?)'?(?:: No such file| file not found)`)},
	{NoLibrary, lazy.Pattern(`cannot find -l([\w.+-]+)|library not found for -l([\w.+-]+)|unable to find library -l([\w.+-]+)`)},
	{NoMemory, lazy.Pattern(`Killed signal terminated program ([\w+-]+)|([\w+-]+): (?:fatal error: )?(?:virtual memory exhausted|out of memory allocating)|(rustc)\b.*\(signal: 9, SIGKILL|(?:^|\n)(MemoryError)`)},
	{NoCompiler, lazy.Pattern(`(?:command|error: command) '([\w./+-]*(?:gcc|g\+\+|cc|c\+\+|clang|cl\.exe|gfortran)[\w.-]*)' failed: No such file|unable to execute '([\w./+-]+)': No such file|([\w+-]*(?:gcc|g\+\+|cc|clang|gfortran)): (?:command )?not found|error: (Microsoft Visual C\+\+ [\d.]+ or greater) is required|Unknown compiler\(s\): \[\['?([\w+-]+)|No ([\w+]+) compiler (?:found|could be found)`)},
	{NoCompiler, lazy.Pattern(`(?:No such file or directory: '|Did not find (?:program )?|program ')(rustc|cargo|ninja|cmake|meson|pkg-config|swig|bison|flex|make)\b`)},
	{NoNetwork, lazy.Pattern(`(Temporary failure in name resolution|Name or service not known|Network is unreachable|getaddrinfo failed)`)},
	{NoModule, lazy.Pattern(`(?:ModuleNotFoundError|ImportError): No module named '?([\w.]+)'?`)},
	{TooNew, lazy.Pattern(`(?:AttributeError: module '(?:inspect|collections|asyncio|configparser|pkgutil|imp|ast)' has no attribute '(\w+)'|implicit declaration of function ['‘](_?Py\w+)['’]|['‘](_?Py\w+)['’] undeclared|unknown type name ['‘](_?Py\w+)['’]|['‘]_?Py\w+['’](?: \{aka [^}]*\})? has no member named ['‘](\w+)['’])`)},
	{NoHeader, lazy.Pattern(`([\w./+-]+\.h): [Nn]o such file`)},
}

// cause is why a build failed, as far as its log tells, and what that is about.
func (l *log) cause(m means) (kind, of string) {
	// What went wrong stands near the end.
	data := make([]byte, 1<<20)
	size, err := l.file.Seek(0, io.SeekEnd)
	if err != nil {
		return Other, ""
	}
	n, err := l.file.ReadAt(data, max(0, size-int64(len(data))))
	if err != nil && err != io.EOF {
		return Other, ""
	}
	data = data[:n]
	for _, c := range causes {
		if c.kind == NoNetwork && m == byNothing {
			continue
		}
		found := c.pattern().FindSubmatch(data)
		for i := 1; i < len(found); i++ {
			if len(found[i]) > 0 {
				return c.kind, string(found[i])
			}
		}
	}
	return Other, ""
}
