package project

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/internal/lazy"
	"glassjar/core/limits"
	"glassjar/core/requirement"
	"glassjar/core/tomltext"
	"glassjar/core/version"
)

// ErrNoBlock says that a file has no inline script metadata.
var ErrNoBlock = errors.New("it has no block of script metadata")

// Script is a Python file with inline metadata (the specification "Inline script metadata", PEP
// 723): what it needs stands in a block of comments.
type Script struct {
	// File is its path, Text all that stands in it.
	File string
	Text []byte
	// Asked are its dependencies, each with the file and the line on which it stands.
	Asked          []Asked
	RequiresPython version.Specifiers
	// Spec is the same as the text of a pyproject.toml, with the block's tool tables. Indexes in
	// folders are named by absolute paths.
	Spec []byte

	toml        []byte // of the block, without the comment signs
	first, last int    // its lines, from 0; the first is the opening one, the last the closing one
}

// scriptKeys are the keys of a block, notInScripts those of [tool.glassjar] that have no meaning in it.
var (
	scriptKeys   = []string{"dependencies", "requires-python", "tool"}
	notInScripts = []string{"from-file", "from-folder", "project"}
)

const (
	blockOpens  = "# /// script"
	blockCloses = "# ///"
)

var opening = lazy.Pattern(`^# /// [a-zA-Z0-9-]+$`)

// ReadScript reads a file. The error is [ErrNoBlock] for one that has no block, or a [*FileError],
// which points at the line and the column, for a block that is not as it should be.
func ReadScript(file string) (*Script, error) {
	text, err := limits.ReadFile(file, limits.Script)
	if err != nil {
		return nil, err
	}
	return ParseScript(file, text)
}

// HasBlock reports whether a file that a person names is one with a block, as it should be or not. A
// file that is too large for a script, or cannot be read, has none.
func HasBlock(file string) bool {
	info, err := os.Stat(file)
	if err != nil || !info.Mode().IsRegular() {
		return false
	}
	text, err := limits.ReadFile(file, limits.Script)
	if err != nil || !bytes.Contains(text, []byte(blockOpens)) {
		return false
	}
	return !errors.Is((&Script{}).find(scriptLines(text)), ErrNoBlock)
}

// ParseScript is [ReadScript] for a text at hand.
func ParseScript(file string, text []byte) (*Script, error) {
	s := &Script{File: file, Text: text}
	lines := scriptLines(text)
	if err := s.find(lines); err != nil {
		return nil, err
	}
	inner := make([]string, 0, s.last-s.first)
	for _, l := range lines[s.first+1 : s.last] {
		inner = append(inner, strings.TrimPrefix(strings.TrimPrefix(plainLine(l), "#"), " "))
	}
	s.toml = []byte(strings.Join(inner, "\n") + "\n")
	return s, s.read()
}

// scriptLines are those of a script; a byte order mark is none of its text, as Python reads it.
func scriptLines(text []byte) []string {
	return strings.Split(strings.TrimPrefix(string(text), string(tomltext.Mark)), "\n")
}

// find looks for the block, and that there is one only.
func (s *Script) find(lines []string) error {
	found := false
	for i := 0; i < len(lines); i++ {
		if !opening().MatchString(plainLine(lines[i])) {
			continue
		}
		last := closing(lines, i)
		if last < 0 {
			continue // one that is not closed is none, as the specification says
		}
		if ours := plainLine(lines[i]) == blockOpens; ours && found {
			return &FileError{File: s.File, Line: i + 1, Column: 1, Why: fmt.Sprintf("there is a second block of script metadata; the first begins on line %d", s.first+1)}
		} else if ours {
			found, s.first, s.last = true, i, last
		}
		i = last
	}
	if !found {
		return ErrNoBlock
	}
	return nil
}

// plainLine is a line without the sign of a carriage return.
func plainLine(l string) string { return strings.TrimSuffix(l, "\r") }

// closing is the last line that closes a block among the comments that follow its opening one, or -1.
func closing(lines []string, first int) int {
	last := -1
	for i := first + 1; i < len(lines); i++ {
		l := plainLine(lines[i])
		if l != "#" && !strings.HasPrefix(l, "# ") {
			break
		}
		if l == blockCloses && i > first+1 {
			last = i
		}
	}
	return last
}

// read takes what the block says, by way of the spec that says the same.
func (s *Script) read() error {
	var raw struct {
		Dependencies   []string       `toml:"dependencies"`
		RequiresPython string         `toml:"requires-python"`
		Tool           map[string]any `toml:"tool"`
	}
	var all map[string]any
	if err := limits.TOML(s.File, s.toml); err != nil {
		return s.there(err, "")
	}
	if err := decodeTOML(s.File, s.toml, &all); err != nil {
		return s.there(err, "")
	}
	for _, key := range sortedKeys(all) {
		if !slices.Contains(scriptKeys, key) {
			return s.there(&FileError{File: s.File, Why: fmt.Sprintf("%q is not a key that is known there", key), Near: Nearest(key, scriptKeys)}, key)
		}
	}
	if err := decodeTOML(s.File, s.toml, &raw); err != nil {
		return s.there(err, "")
	}
	for _, text := range raw.Dependencies {
		r, err := readAsked(text)
		if err != nil {
			return s.there(&FileError{File: s.File, Where: "dependencies", Why: err.Error(), Meant: requirement.Meant(text)}, text)
		}
		if r.URL != "" && strings.HasPrefix(r.URL, ".") {
			return s.there(&FileError{File: s.File, Where: "dependencies", Why: "a path means another file in another folder: name it as file:///..."}, text)
		}
		line, _ := s.position(text)
		s.Asked = append(s.Asked, Asked{Requirement: r, Text: text, File: s.File, Line: line})
	}
	var err error
	if s.RequiresPython, err = version.ParseSpecifiers(raw.RequiresPython); err != nil {
		return s.there(&FileError{File: s.File, Where: "requires-python", Why: err.Error()}, raw.RequiresPython)
	}
	return s.writeSpec(raw.Dependencies, raw.RequiresPython)
}

// writeSpec makes the spec that says what the block says.
func (s *Script) writeSpec(dependencies []string, python string) error {
	rest := tomltext.Drop(tomltext.Drop(s.toml, []string{"dependencies"}), []string{"requires-python"})
	head := "[project]\nname = " + tomltext.String(ScriptName(s.File)) + "\nversion = \"0\"\n"
	if python != "" {
		head += "requires-python = " + tomltext.String(python) + "\n"
	}
	s.Spec = []byte(head + "dependencies = " + tomltext.Strings(dependencies) + "\n\n" + strings.TrimLeft(string(rest), "\n"))
	spec, err := ParseSpec(s.File, s.Spec)
	if err != nil {
		return s.there(err, s.said(err))
	}
	for _, key := range notInScripts {
		if _, there := tomltext.Get(s.toml, []string{"tool", "glassjar", key}); there || tomltext.HasTable(s.toml, []string{"tool", "glassjar", key}) {
			return s.there(&FileError{File: s.File, Where: "tool.glassjar." + key, Why: "it is for a project's spec, and means nothing in a script"}, key)
		}
	}
	list, moved := slices.Clone(spec.Tool.Indexes), false
	for i, e := range list {
		if !strings.Contains(e.At, ":") && !filepath.IsAbs(e.At) {
			dir, err := filepath.Abs(filepath.Dir(s.File))
			if err != nil {
				return err
			}
			list[i].At, moved = filepath.Join(dir, filepath.FromSlash(e.At)), true
		}
	}
	if moved {
		s.Spec, err = spec.EditIndexes(list)
	}
	return err
}

// said is the line of the block that an error about the spec is about, or else the key.
func (s *Script) said(err error) string {
	var fault *FileError
	if !errors.As(err, &fault) {
		return ""
	}
	if lines := strings.Split(string(s.Spec), "\n"); fault.Line > 0 && fault.Line <= len(lines) {
		if text := strings.TrimSpace(lines[fault.Line-1]); text != "" && bytes.Contains(s.toml, []byte(text)) {
			return text
		}
	}
	return fault.Where[strings.LastIndex(fault.Where, ".")+1:]
}

// there has an error point to where a text, or else what it says of itself, stands in the file.
func (s *Script) there(err error, text string) error {
	var fault *FileError
	if !errors.As(err, &fault) {
		return err
	}
	if text != "" {
		fault.Line, fault.Column = s.position(text)
	} else if fault.Line > 0 {
		fault.Line += s.first + 1
		if fault.Column > 0 {
			fault.Column += s.lead(fault.Line - 1)
		}
	}
	return fault
}

// lead is how many columns of a line of the block come before what it says.
func (s *Script) lead(line int) int {
	lines := strings.Split(string(s.Text), "\n")
	if line < len(lines) && strings.HasPrefix(lines[line], "# ") {
		return 2
	}
	return 1
}

// position is the line and the column, from 1, of a text within the block; its opening line where
// it cannot be found.
func (s *Script) position(text string) (line, column int) {
	lines := strings.Split(string(s.Text), "\n")
	for i := s.first + 1; i < s.last; i++ {
		for _, form := range []string{`"` + text + `"`, "'" + text + "'", tomltext.String(text), text} {
			if at := strings.Index(lines[i], form); at >= 0 && text != "" {
				return i + 1, at + 1
			}
		}
	}
	return s.first + 1, 1
}

// ScriptName is what a script is called: its file's name without ".py", as a distribution's.
func ScriptName(file string) string {
	return PlainName(strings.TrimSuffix(filepath.Base(file), ".py"))
}

// ScriptRecord is the path of a script's record, beside it. PEP 751 allows no further dot in its
// name, and "pylock.NAME.toml" is that of a jar ".jar-NAME", whose name has no "+": dots are
// written so, and "=" comes before what would be read as one.
func ScriptRecord(file string) string {
	name := strings.NewReplacer("=", "==", "+", "=+", ".", "+").Replace(filepath.Base(file))
	return filepath.Join(filepath.Dir(file), "pylock."+name+".toml")
}

// RecordedScript is the script whose record a file is, by its name; empty for a record that is none's.
func RecordedScript(record string) string {
	name, of := strings.CutPrefix(strings.TrimSuffix(filepath.Base(record), ".toml"), "pylock.")
	if !of || !strings.ContainsAny(name, "+=") {
		return ""
	}
	return filepath.Join(filepath.Dir(record), strings.NewReplacer("==", "=", "=+", "+", "+", ".").Replace(name))
}

// Edit is the script's text with dependencies added and removed, as [Spec.Edit] does it. A block
// is begun where there is none; see [NewBlock].
func (s *Script) Edit(add, remove []string) ([]byte, error) {
	path, gone, inner := []string{"dependencies"}, map[string]bool{}, slices.Clone(s.toml)
	for _, name := range remove {
		gone[requirement.Normalize(name)] = true
	}
	if at, ok := findArray(inner, path); ok {
		inner = at.without(inner, gone)
	}
	if len(add) > 0 {
		var err error
		if inner, err = insertInto(s.File, inner, path, add, func() []byte { return tomltext.AddLine(inner, nil, "dependencies = []") }); err != nil {
			return nil, err
		}
	}
	lines := strings.SplitAfter(string(s.Text), "\n")
	end := "\n"
	if strings.HasSuffix(lines[s.first], "\r\n") {
		end = "\r\n"
	}
	var b strings.Builder
	b.WriteString(strings.Join(lines[:s.first+1], ""))
	for _, l := range strings.Split(strings.TrimSuffix(string(inner), "\n"), "\n") {
		b.WriteString(strings.TrimRight("# "+l, " ") + end)
	}
	b.WriteString(strings.Join(lines[s.last:], ""))
	text := []byte(b.String())
	if _, err := ParseScript(s.File, text); err != nil {
		return nil, fmt.Errorf("the script could not be edited: %w", err)
	}
	return text, nil
}

// UnclosedBlock is the line, from 1, on which a block begins that is none, since no line closes it or
// nothing stands in it; 0 where there is none.
func UnclosedBlock(text []byte) int {
	lines := scriptLines(text)
	for i, l := range lines {
		if plainLine(l) == blockOpens && closing(lines, i) < 0 {
			return i + 1
		}
	}
	return 0
}

// NewBlock is a script's text with an empty block, after a byte order mark, and after its first
// lines where they name its interpreter and its encoding.
func NewBlock(text []byte) []byte {
	plain, marked := bytes.CutPrefix(text, tomltext.Mark)
	if marked {
		return slices.Concat(tomltext.Mark, NewBlock(plain))
	}
	lines, at := strings.SplitAfter(string(text), "\n"), 0
	end := "\n"
	if strings.HasSuffix(lines[0], "\r\n") {
		end = "\r\n"
	}
	for at < len(lines) && at < 2 && (strings.HasPrefix(lines[at], "#!") || strings.HasPrefix(lines[at], "#") && strings.Contains(lines[at], "coding")) {
		at++
	}
	head := strings.Join(lines[:at], "")
	if head != "" && !strings.HasSuffix(head, "\n") {
		head += end
	}
	rest := strings.Join(lines[at:], "")
	if strings.TrimSpace(rest) != "" && !strings.HasPrefix(strings.TrimLeft(rest, "\r"), "\n") {
		rest = end + rest
	}
	return []byte(head + blockOpens + end + "# dependencies = []" + end + blockCloses + end + rest)
}
