// Package jar is a jar on disk: one isolated environment, laid out as PEP 405
// and the installed-distributions standard say.
//
//	JAR/pyvenv.cfg        where the interpreter is, and the prompt's name
//	JAR/bin/              the interpreter, scripts, activation
//	JAR/lib/pythonX.Y/site-packages/
//	JAR/glassjar/jar.json what this program knows of the jar
//	JAR/.gitignore        keeps all of it out of version control
//
// No file but pyvenv.cfg and the interpreter's link holds an absolute path, so
// that a jar can be moved and copied. A change is staged inside the jar and
// then moved into place, each step written down before the first is made; what
// a kill left half done is put right by whoever takes the jar's lock next
// ([Hold]). Those who look take no lock and put nothing right.
package jar

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/durable"
	"glassjar/core/limits"
	"glassjar/core/project"
)

// Format is the version of the jar's own files that this program writes. It
// refuses to touch jars of a later format.
const Format = 1

const (
	ownFolder = "glassjar"
	stateFile = ownFolder + "/jar.json"
)

// State is jar.json.
type State struct {
	Format int `json:"format"`
	// Program is always "glassjar": the mark of a jar made by this program.
	Program        string `json:"program"`
	Python         string `json:"python"`
	Implementation string `json:"implementation"`
	ABI            string `json:"abi"`
	OS             string `json:"os"`
	Arch           string `json:"arch"`
	Library        string `json:"library"`
	FreeThreaded   bool   `json:"free_threaded,omitempty"`
	SeeSystem      bool   `json:"see_system"`
	// Prompt is the name that activation shows.
	Prompt string `json:"prompt"`
	// Parts are the pieces of the spec that the jar holds.
	Parts project.Parts `json:"parts"`
}

// WithParts is the state with other parts, as jar.json writes it.
func (s State) WithParts(p project.Parts) ([]byte, error) {
	s.Parts = p
	data, err := json.MarshalIndent(s, "", "  ")
	return append(data, '\n'), err
}

// StatePath is the path of jar.json in a jar.
const StatePath = stateFile

// StateFile is the path of jar.json.
func (j *Jar) StateFile() string { return j.Path(stateFile) }

// Jar is an opened jar.
type Jar struct {
	// Root is the jar's folder, absolute.
	Root  string
	State State
	// Recovered is what was done about a change that was cut off when the jar's lock
	// was taken.
	Recovered Recovery

	held bool // this process has the lock
	// prepared tells that the jar has not its place yet; texts, outside and flush
	// are then what [Jar.Commit] writes besides, where to, and how it is flushed, and
	// staged is what was put into it.
	prepared bool
	staged   durable.Batch
	texts    map[string]*Text
	outside  Outside
	flush    func(*durable.Batch) error
}

// NotAJarError says why a folder is not taken for a jar.
type NotAJarError struct{ Path, Why string }

func (e *NotAJarError) Error() string { return e.Path + " is not a jar: " + e.Why }

// NewerFormatError reports a jar of a later version of this program.
type NewerFormatError struct {
	Path   string
	Format int
}

func (e *NewerFormatError) Error() string {
	return fmt.Sprintf("%s has format %d; this program knows up to %d", e.Path, e.Format, Format)
}

// Exists reports whether a folder bears the mark of a jar, whole or damaged.
func Exists(root string) bool {
	_, err := os.Lstat(filepath.Join(root, filepath.FromSlash(stateFile)))
	return err == nil
}

// Open reads a jar as it is, for those who only look. The error is a
// [*NotAJarError], a [*NewerFormatError], or the system's.
func Open(root string) (*Jar, error) { return read(root) }

func read(root string) (*Jar, error) {
	root, err := filepath.Abs(root)
	if err != nil {
		return nil, err
	}
	data, err := limits.ReadFile(filepath.Join(root, filepath.FromSlash(stateFile)), limits.Own)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		if _, err := os.Stat(root); err != nil {
			return nil, &NotAJarError{root, "there is no such folder"}
		}
		return nil, &NotAJarError{root, "it was not made by this program"}
	case err != nil:
		return nil, err
	}
	j := &Jar{Root: root}
	if json.Unmarshal(data, &j.State) != nil || j.State.Program != "glassjar" || j.State.Format < 1 {
		return nil, &NotAJarError{root, stateFile + " is damaged"}
	}
	if j.State.Format > Format {
		return nil, &NewerFormatError{root, j.State.Format}
	}
	l := j.Layout()
	for _, part := range []string{l.Scripts(), l.Python(), l.Site(), l.PlatformSite()} {
		if !filepath.IsLocal(filepath.FromSlash(part)) {
			return nil, &NotAJarError{root, stateFile + " is damaged: it leads out of the jar"}
		}
	}
	return j, nil
}

// Prepared reports whether the jar has not its place yet.
func (j *Jar) Prepared() bool { return j.prepared }

// Layout tells where things stand in the jar.
func (j *Jar) Layout() Layout {
	l := Layout{OS: j.State.OS, Implementation: j.State.Implementation, Library: j.State.Library, FreeThreaded: j.State.FreeThreaded}
	_, _ = fmt.Sscanf(j.State.Python, "%d.%d", &l.Major, &l.Minor)
	return l
}

// Path joins a path of the jar, with '/' between its parts, to the root.
func (j *Jar) Path(parts ...string) string {
	return filepath.Join(append([]string{j.Root}, toNative(parts)...)...)
}

func toNative(parts []string) []string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = filepath.FromSlash(p)
	}
	return out
}

// Python is the path of the jar's interpreter.
func (j *Jar) Python() string { return j.Path(j.Layout().Python()) }

// InterpreterGoneError says that the base that a jar links to is not there.
type InterpreterGoneError struct {
	Jar, Target, Version string
}

func (e *InterpreterGoneError) Error() string {
	return fmt.Sprintf("the interpreter of %s is gone: %s (Python %s)", e.Jar, e.Target, e.Version)
}

// Base is the program that the jar's interpreter is, outside the jar. The
// error is an [*InterpreterGoneError].
func (j *Jar) Base() (string, error) {
	cfg, err := j.config()
	if err != nil {
		return "", err
	}
	target := cfg["base-executable"]
	if link, err := os.Readlink(j.Python()); err == nil {
		target = link
	}
	if _, err := os.Stat(target); target == "" || err != nil {
		return "", &InterpreterGoneError{j.Root, target, j.State.Python}
	}
	if _, err := os.Stat(j.Python()); err != nil {
		return "", &InterpreterGoneError{j.Root, j.Python(), j.State.Python}
	}
	return target, nil
}

// config reads pyvenv.cfg (PEP 405).
func (j *Jar) config() (map[string]string, error) {
	data, err := limits.ReadFile(j.Path(configFile), limits.Own)
	if err != nil {
		return nil, &NotAJarError{j.Root, configFile + " cannot be read"}
	}
	out := map[string]string{}
	for _, line := range strings.Split(string(data), "\n") {
		if key, value, ok := strings.Cut(line, "="); ok {
			out[strings.ToLower(strings.TrimSpace(key))] = strings.TrimSpace(value)
		}
	}
	return out, nil
}
