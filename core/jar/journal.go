package jar

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"glassjar/core/atomicfile"
	"glassjar/core/durable"
	"glassjar/core/limits"
)

// A journal is a change that is being made, written down before its first step.
// It names what is in the jar by its path there, as bytes, and knows two files
// outside, as "spec" and "record": where these are is told by whoever has the
// jar's lock. Nothing else can be named in it.
//
//	glassjar journal 2 back            or "forward", of a jar that just got its place
//	take "lib/python3.12/site-packages/press.py"     into staging/old
//	put "lib/python3.12/site-packages/press.py"      out of staging/new
//	tree "lib/python3.12/site-packages/press"        the same for a folder that is new
//	own "glassjar/jar.json" OLD NEW     replaced; its copy is in staging/old
//	spec OLD NEW                        the same, outside of the jar
//	end 5 SHA256                        of the lines before
//
// OLD and NEW tell what a file is ([stateOf]).
type journal struct {
	// forward tells that the steps are to be completed, not undone, where they
	// were cut off.
	forward bool
	steps   []step
}

type step struct {
	kind string
	// path is in the jar; empty for spec and record.
	path     string
	old, new string
}

// The kinds of steps.
const (
	stepTake   = "take"
	stepPut    = "put"
	stepTree   = "tree"
	stepOwn    = "own"
	stepSpec   = "spec"
	stepRecord = "record"
)

const (
	journalFile = ownFolder + "/journal.txt"
	// doneFile is the journal of a change that has happened and is only to be
	// tidied up after.
	doneFile = ownFolder + "/journal-done.txt"
	lockFile = ownFolder + "/lock"

	journalHeading = "glassjar journal 2 "
	// maxJournal bounds a journal in bytes: of a jar with a million files.
	maxJournal = 256 << 20
)

// absent is the state of a file that is not there.
const absent = "-"

// stateOf tells what a file is: "-" if it is not there, else "f" or, for a
// symbolic link, "l" and the SHA-256 of its bytes or of where it leads.
func stateOf(file string) (string, error) {
	info, err := os.Lstat(file)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return absent, nil
	case err != nil:
		return "", err
	case info.Mode()&fs.ModeSymlink != 0:
		target, err := os.Readlink(file)
		return "l" + sumOf([]byte(target)), err
	case !info.Mode().IsRegular():
		return "other", nil
	}
	data, err := limits.ReadFile(file, limits.Record)
	return "f" + sumOf(data), err
}

func sumOf(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// bytes is the journal as its file has it.
func (g *journal) bytes() []byte {
	way := "back"
	if g.forward {
		way = "forward"
	}
	b := append([]byte(journalHeading), way+"\n"...)
	for _, s := range g.steps {
		b = append(b, s.kind...)
		if s.path != "" {
			b = strconv.AppendQuoteToASCII(append(b, ' '), s.path)
		}
		if s.old != "" {
			b = append(b, " "+s.old+" "+s.new...)
		}
		b = append(b, '\n')
	}
	return append(b, fmt.Sprintf("end %d %s\n", len(g.steps), sumOf(b))...)
}

// DamagedJournalError says that a journal is not what this program wrote.
type DamagedJournalError struct{ Path, Why string }

func (e *DamagedJournalError) Error() string { return e.Path + " is damaged: " + e.Why }

// parseJournal reads a journal; the error says what is wrong with it.
func parseJournal(data []byte) (*journal, error) {
	text, ok := strings.CutPrefix(string(data), journalHeading)
	way, text, ok2 := strings.Cut(text, "\n")
	if !ok || !ok2 || way != "back" && way != "forward" {
		return nil, errors.New("its first line is of another format")
	}
	at := strings.LastIndex(strings.TrimSuffix(text, "\n"), "\n") + 1
	end := fmt.Sprintf("end %d %s\n", strings.Count(text[:at], "\n"), sumOf(data[:len(data)-len(text)+at]))
	if text[at:] != end {
		return nil, errors.New("it was cut off or changed")
	}
	g := &journal{forward: way == "forward"}
	for n, line := range strings.Split(strings.TrimSuffix(text[:at], "\n"), "\n") {
		if line == "" {
			continue
		}
		s, err := parseStep(line)
		if err != nil {
			return nil, fmt.Errorf("line %d: %w", n+2, err)
		}
		g.steps = append(g.steps, s)
	}
	return g, nil
}

func parseStep(line string) (s step, err error) {
	rest := ""
	s.kind, rest, _ = strings.Cut(line, " ")
	if s.kind != stepSpec && s.kind != stepRecord {
		quoted, err := strconv.QuotedPrefix(rest)
		if err != nil {
			return s, errors.New("it has no path")
		}
		if s.path, err = strconv.Unquote(quoted); err != nil || s.path == "" {
			return s, errors.New("it has no path")
		}
		rest = strings.TrimPrefix(rest[len(quoted):], " ")
	}
	s.old, s.new, _ = strings.Cut(rest, " ")
	replaces := s.kind == stepOwn || s.kind == stepSpec || s.kind == stepRecord
	switch {
	case s.kind != stepTake && s.kind != stepPut && s.kind != stepTree && !replaces:
		return s, fmt.Errorf("%q is no step", s.kind)
	case replaces != (s.old != "" && s.new != ""):
		return s, errors.New("it does not say what the file is")
	case !replaces && s.old != "":
		return s, errors.New("it says more than it may")
	case s.path != "" && !mayStep(s):
		return s, fmt.Errorf("%q is not for a change", s.path)
	}
	return s, nil
}

// mayStep reports whether a path may be a step's: one inside the jar, and of this
// program's own files those alone that a change replaces.
func mayStep(s step) bool {
	if filepath.ToSlash(filepath.Clean(filepath.FromSlash(s.path))) != s.path || !filepath.IsLocal(filepath.FromSlash(s.path)) || s.path == "." {
		return false
	}
	own := s.path == ownFolder || strings.HasPrefix(s.path, ownFolder+"/")
	if s.kind != stepOwn {
		return !own
	}
	return !own || replaceable(s.path)
}

// replaceable are the files in the jar's own folder that a change replaces.
func replaceable(path string) bool {
	switch strings.TrimPrefix(path, ownFolder+"/") {
	case "jar.json", "base", "origins.json" /* written until 2026 */, "libraries", "pyproject.toml", "pylock.toml", "lock":
		return true
	}
	return strings.HasPrefix(path, historyFolder+"/") && strings.Count(path, "/") == 2
}

// write puts the journal beside its place; it begins to count when it is renamed.
func (g *journal) write(j *Jar) (staged string, err error) {
	staged = j.Path(stagingFolder, "journal")
	if err := makeFolder(filepath.Dir(staged)); err != nil {
		return "", err
	}
	return staged, os.WriteFile(staged, g.bytes(), 0o666)
}

// begin makes the journal count. From here on the change is undone, or completed,
// by whoever has the lock next.
func (j *Jar) begin(staged string) error {
	if err := os.Rename(staged, j.Path(journalFile)); err != nil {
		return err
	}
	return durable.Folder(j.Path(ownFolder))
}

// readJournal reads a journal; nil if there is none.
func (j *Jar) readJournal(name string) (*journal, error) {
	info, err := os.Lstat(j.Path(name))
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, nil
	case err != nil:
		return nil, err
	case !info.Mode().IsRegular() || info.Size() > maxJournal:
		return nil, &DamagedJournalError{j.Path(name), "it is no file of this program"}
	}
	data, err := limits.ReadFile(j.Path(name), limits.Own)
	if err != nil {
		return nil, err
	}
	g, err := parseJournal(data)
	if err != nil {
		return nil, &DamagedJournalError{j.Path(name), err.Error()}
	}
	return g, nil
}

// Outside are the files of a project that change together with its jar. The zero
// value is for a jar that keeps its own.
type Outside struct {
	// Spec and Record are their paths; a symbolic link is followed inside of Within.
	Spec, Record, Within string
	// Temporary notes temporaries; see [atomicfile.Options].
	Temporary func(prefix string) (path string, done func())
}

func (o Outside) path(kind string) string {
	if kind == stepSpec {
		return o.Spec
	}
	return o.Record
}

func (o Outside) options() atomicfile.Options {
	return atomicfile.Options{Within: o.Within, LineEnds: true, Temporary: o.Temporary}
}
