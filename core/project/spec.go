// Package project reads and writes the files of a project: the spec
// (pyproject.toml: PEP 621, PEP 735 and this program's own table), the record
// (pylock.toml: PEP 751), and plain lists of requirements.
package project

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/limits"
	"glassjar/core/requirement"
	"glassjar/core/tomltext"
	"glassjar/core/version"
)

// SpecFile and RecordFile are the names of a project's files.
const (
	SpecFile   = "pyproject.toml"
	RecordFile = "pylock.toml"
)

// FileKind is a kind of file that a program writes.
type FileKind int

// Files that are made anew, not mended by hand.
const (
	ByHand FileKind = iota
	RecordKind
	SealedKind
)

// FileError points at what is wrong in a file.
type FileError struct {
	File string
	// Line and Column count from 1; 0 where they are not known.
	Line, Column int
	// Kind is what the file is to be, where that tells how it is mended.
	Kind FileKind
	// Where names the key, such as "project.dependencies"; Why says what is
	// wrong; Near is the nearest known key, if that may have been meant.
	Where, Why, Near string
	// Meant is what a value was probably meant to be, or empty.
	Meant string
	// Damaged tells that no person wrote it so: two things that a program wrote
	// contradict each other, or a hash is none.
	Damaged bool
}

func (e *FileError) Error() string {
	text := e.File
	if e.Line > 0 {
		text += fmt.Sprintf(", line %d", e.Line)
	}
	if e.Column > 0 {
		text += fmt.Sprintf(", column %d", e.Column)
	}
	if e.Where != "" {
		text += ": " + e.Where
	}
	return text + ": " + e.Why
}

// Asked is one requirement that a person wrote, and where.
type Asked struct {
	requirement.Requirement
	// Text is as written.
	Text string
	// Part is the piece of the spec that it belongs to.
	Part Part
	// File and Line are where it stands.
	File string
	Line int
	// Local is the path, relative to the spec, of the package file that it is to
	// come from, with "#algorithm=hash" where one was given; URL is then that file's address on this machine.
	Local string
	// Folder tells that it is to come from a folder, Editable that its modules are
	// imported from where they stand (PEP 660), and Own that it is the project itself.
	Folder, Editable, Own bool
}

// Written is the requirement as it means the same on every machine.
func (a Asked) Written() string {
	if a.Local == "" {
		return a.Requirement.String()
	}
	r := a.Requirement
	path, fragment, _ := strings.Cut(a.Local, "#")
	r.URL = (&url.URL{Path: path}).EscapedPath()
	if !strings.HasPrefix(path, "../") && path != ".." {
		r.URL = "./" + strings.TrimPrefix(r.URL, "./")
	}
	if a.Editable {
		fragment = "editable"
	}
	if fragment != "" {
		r.URL += "#" + fragment
	}
	return r.String()
}

// Spec is a pyproject.toml.
type Spec struct {
	// File is its path; it need not exist. Script is the script that it is of, if it is one's.
	File, Script string
	// Text is its content, empty if there is none.
	Text []byte
	// Name is [project] name, or empty, Version its version as written; Project tells
	// whether the table is there.
	Name, Version  string
	Project        bool
	RequiresPython version.Specifiers
	// Asked are the dependencies, then those of extras and groups, each in the
	// order written; groups that include others are expanded.
	Asked []Asked
	// Extras and Groups are the names that are defined, in normal form, sorted.
	Extras, Groups []string
	// Buildable tells that the project says how it is built, so that its jar holds it.
	Buildable bool
	// Until is what [Tool.AsOf] comes to: what was uploaded then or later is left out; zero for
	// no such bound.
	Until time.Time
	// Held are the ranges that distributions are kept within, by normal name.
	Held map[string]Hold
	// Accepted are known faults that are accepted, by identifier in upper case.
	Accepted map[string]Accepted
	Tool     Tool
	// SaysSeeSystem tells that [Tool.SeeSystem] is there.
	SaysSeeSystem bool

	dynamic []string // keys of [project] that its back end says
}

type rawSpec struct {
	Project *struct {
		Name           string
		Version        string
		RequiresPython string              `toml:"requires-python"`
		Dependencies   []string            `toml:"dependencies"`
		Optional       map[string][]string `toml:"optional-dependencies"`
		Dynamic        []string
	}
	System map[string]any   `toml:"build-system"`
	Groups map[string][]any `toml:"dependency-groups"`
	Tool   struct {
		Glassjar map[string]any
	}
}

// ReadSpec reads a pyproject.toml. A missing file is an empty spec. The error
// is a [*FileError] for a file that is not as it should be.
func ReadSpec(file string) (*Spec, error) {
	text, err := limits.ReadFile(file, limits.Spec)
	if errors.Is(err, fs.ErrNotExist) {
		return &Spec{File: file}, nil
	}
	if err != nil {
		return nil, err
	}
	return ParseSpec(file, text)
}

// ParseSpec is [ReadSpec] for a text at hand.
func ParseSpec(file string, text []byte) (*Spec, error) {
	s := &Spec{File: file, Text: text}
	var raw rawSpec
	if err := limits.TOML(file, text); err != nil {
		return nil, err
	}
	if err := decodeTOML(file, text, &raw); err != nil {
		return nil, err
	}
	if p := raw.Project; p != nil {
		s.Project, s.Name, s.Version, s.dynamic = true, p.Name, p.Version, p.Dynamic
		if p.Name != "" && !requirement.ValidName(p.Name) {
			return nil, s.fault("project.name", fmt.Sprintf("%q is not a distribution's name", p.Name), p.Name)
		}
		var err error
		if s.RequiresPython, err = version.ParseSpecifiers(p.RequiresPython); err != nil {
			return nil, s.fault("project.requires-python", err.Error(), p.RequiresPython)
		}
		if err := s.take("project.dependencies", p.Dependencies, Part{}); err != nil {
			return nil, err
		}
		for _, extra := range sortedKeys(p.Optional) {
			s.Extras = append(s.Extras, requirement.Normalize(extra))
			if err := s.take("project.optional-dependencies."+extra, p.Optional[extra], Part{Extra: requirement.Normalize(extra)}); err != nil {
				return nil, err
			}
		}
	}
	if err := s.takeGroups(raw.Groups); err != nil {
		return nil, err
	}
	if err := s.expandOwn(); err != nil {
		return nil, err
	}
	if err := s.takeTool(raw.Tool.Glassjar); err != nil {
		return s, err
	}
	if s.Tool.AsOf != nil {
		var err error
		if s.Until, err = ParseAsOf(fmt.Sprint(s.Tool.AsOf)); err != nil {
			return s, &FileError{File: s.File, Line: s.lineOfKey("as-of"), Where: "tool.glassjar.as-of", Why: err.Error()}
		}
	}
	s.Buildable = raw.System != nil && s.Project && s.Name != ""
	if err := s.placeFiles(); err != nil {
		return s, err
	}
	if err := s.placeFolders(); err != nil {
		return s, err
	}
	return s, s.addOwn()
}

func sortedKeys[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

// decodeTOML reads a text; the error is a [*FileError].
func decodeTOML(file string, text []byte, into any) error {
	if err := toml.Unmarshal(tomltext.Plain(text), into); err != nil {
		return tomlFault(file, text, err)
	}
	return nil
}

// PlainName makes a distribution's name of any text; empty where nothing of it can stand in one.
func PlainName(text string) string {
	var b strings.Builder
	for _, r := range text {
		if r < 128 && (r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune("-_.", r)) {
			b.WriteRune(r)
		} else {
			b.WriteByte('-')
		}
	}
	return strings.Trim(requirement.Normalize(b.String()), "-")
}

// TOMLFault is an error of the library's decoder as a [*FileError].
func TOMLFault(file string, err error) *FileError {
	f := tomltext.FaultOf(err)
	return &FileError{File: file, Line: f.Line, Column: f.Column, Where: f.Key, Why: f.Why}
}

func tomlFault(file string, text []byte, err error) error {
	if _, _, _, marked := Sides(text); marked {
		return &FileError{File: file, Why: "it has the marks of a merge that failed: glassjar record takes both sides' wishes"}
	}
	if _, _, twice := Doubled(text); twice {
		return &FileError{File: file, Why: "it has a table or a key twice, as a merge can leave it: glassjar record takes both sides' wishes"}
	}
	return TOMLFault(file, err)
}

// fault makes an error that points at the line on which a text stands.
func (s *Spec) fault(where, why, text string) error {
	return &FileError{File: s.File, Line: s.lineOf(text), Where: where, Why: why}
}

// lineOf is the first line that has the text as a quoted string.
func (s *Spec) lineOf(text string) int {
	for n, line := range bytes.Split(s.Text, []byte("\n")) {
		l := string(line)
		if strings.Contains(l, `"`+text+`"`) || strings.Contains(l, "'"+text+"'") || strings.Contains(l, tomltext.String(text)) {
			return n + 1
		}
	}
	return 0
}

// readAsked reads a requirement that a person wrote.
func readAsked(text string) (requirement.Requirement, error) {
	r, err := requirement.Parse(text)
	if err == nil && r.Marker.UsesParts() {
		return r, fmt.Errorf("%q has a marker as only records have: which extras and groups are asked for is told by where a requirement stands", text)
	}
	return r, err
}

func (s *Spec) take(where string, list []string, part Part) error {
	for _, text := range list {
		r, err := readAsked(text)
		if err != nil {
			return &FileError{File: s.File, Line: s.lineOf(text), Where: where, Why: err.Error(), Meant: requirement.Meant(text)}
		}
		s.Asked = append(s.Asked, Asked{Requirement: r, Text: text, Part: part, File: s.File, Line: s.lineOf(text)})
	}
	return nil
}

// takeGroups reads dependency groups (PEP 735), includes expanded.
func (s *Spec) takeGroups(groups map[string][]any) error {
	byKey := map[string]string{}
	for _, name := range sortedKeys(groups) {
		key := requirement.Normalize(name)
		if other, ok := byKey[key]; ok {
			return s.fault("dependency-groups", fmt.Sprintf("%s and %s are the same group", other, name), name)
		}
		byKey[key] = name
		s.Groups = append(s.Groups, key)
	}
	sort.Strings(s.Groups)
	for _, key := range s.Groups {
		if err := s.takeGroup(groups, byKey, key, key, nil); err != nil {
			return err
		}
	}
	return nil
}

func (s *Spec) takeGroup(groups map[string][]any, byKey map[string]string, into, key string, path []string) error {
	where := "dependency-groups." + byKey[key]
	for _, p := range path {
		if p == key {
			return s.fault(where, "it includes itself: "+strings.Join(append(path, key), ", "), key)
		}
	}
	for _, item := range groups[byKey[key]] {
		switch item := item.(type) {
		case string:
			if err := s.take(where, []string{item}, Part{Group: into}); err != nil {
				return err
			}
		case map[string]any:
			other, ok := item["include-group"].(string)
			if !ok || len(item) != 1 {
				return s.fault(where, "a table in a group can only be { include-group = \"NAME\" }", "include-group")
			}
			if _, ok := byKey[requirement.Normalize(other)]; !ok {
				return s.fault(where, fmt.Sprintf("it includes the group %q, which is not there", other), other)
			}
			if err := s.takeGroup(groups, byKey, into, requirement.Normalize(other), append(path, key)); err != nil {
				return err
			}
		default:
			return s.fault(where, fmt.Sprintf("%v is not a requirement", item), fmt.Sprint(item))
		}
	}
	return nil
}

func (s *Spec) lineOfKey(key string) int {
	for n, line := range strings.Split(string(s.Text), "\n") {
		l := strings.TrimSpace(line)
		if strings.HasPrefix(l, key) || strings.HasPrefix(l, "["+key) || strings.HasPrefix(l, `"`+key) || strings.HasPrefix(l, "[[tool.glassjar."+key) || strings.HasPrefix(l, "[tool.glassjar."+key) {
			return n + 1
		}
	}
	return 0
}

// Dir is the project's folder.
func (s *Spec) Dir() string { return filepath.Dir(s.File) }

// SeeSystem is whether a jar is to see the packages of its base: as the spec says, else as it was
// until now.
func (s *Spec) SeeSystem(now bool) bool {
	if s.SaysSeeSystem {
		return s.Tool.SeeSystem
	}
	return now
}

// Says reports whether it says anything of what is asked for: it has a project or
// groups, whatever is in them.
func (s *Spec) Says() bool { return s.Project || len(s.Groups) > 0 }

// Exists reports whether the file is there.
func (s *Spec) Exists() bool { return s.Text != nil }

// FromHome is a path that may begin with "~", for the user's home folder.
func FromHome(path string) string {
	if rest, ok := strings.CutPrefix(path, "~"); ok && (rest == "" || os.IsPathSeparator(rest[0])) {
		if home, err := os.UserHomeDir(); err == nil {
			return filepath.Join(home, rest)
		}
	}
	return path
}

// Shorten is a path relative to a folder if it lies in it, else as it is.
func Shorten(dir, path string) string {
	if path == dir {
		return "."
	}
	prefix := strings.TrimSuffix(dir, string(os.PathSeparator)) + string(os.PathSeparator)
	if rest, ok := strings.CutPrefix(path, prefix); ok {
		return rest
	}
	return path
}
