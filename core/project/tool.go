package project

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/requirement"
	"glassjar/core/version"
)

// What [tool.glassjar] of a spec says.

// IndexEntry is one of the indexes that a project or a user sets up.
type IndexEntry struct {
	Name string `toml:"name"`
	At   string `toml:"at"`
	// Holds is one of [HoldsKinds] for one that has no packages, else empty.
	Holds string `toml:"holds,omitempty"`
}

// HoldsPythons is what an index entry says that has interpreters, HoldsAdvisories one that is a
// database of known faults.
const (
	HoldsPythons    = "pythons"
	HoldsAdvisories = "advisories"
)

// HoldsKinds are all of them; packages have none.
var HoldsKinds = []string{HoldsPythons, HoldsAdvisories}

// Tool is [tool.glassjar].
type Tool struct {
	Python    string            `toml:"python"`
	Targets   []string          `toml:"targets"`
	Indexes   []IndexEntry      `toml:"indexes"`
	FromIndex map[string]string `toml:"from-index"`
	// FromFile are package files within the project, by distribution: paths
	// relative to the spec, with '/', each with "#algorithm=hash" if that is known.
	FromFile map[string]string `toml:"from-file"`
	// FromFolder are folders of source, by distribution: siblings of the project.
	FromFolder map[string]FolderEntry `toml:"from-folder"`
	// Project says how the jar holds the project itself: "editable", "installed" or
	// "left-out"; empty for editable.
	Project   string `toml:"project"`
	SeeSystem bool   `toml:"see-system"`
	// AsOf leaves out what was uploaded later than a day, or a time; see [ParseAsOf].
	AsOf any `toml:"as-of"`
	// Held keeps distributions, by name, within a range, for a reason.
	Held map[string]HeldEntry `toml:"held"`
	// Licences says under which terms packages may be.
	Licences LicencesEntry `toml:"licences"`
	// Advisories are known faults that are accepted, by their identifiers.
	Advisories map[string]AcceptedEntry `toml:"advisories"`
	// PinPython has the record hold the interpreter too.
	PinPython bool `toml:"pin-python"`
	// BuildConsent are names that may be built from source, BuildOpen those that may
	// leave the closed room. By name, BuildVariables are set for a build, BuildSettings
	// given to its back end (PEP 517), and BuildAlso requirements that it does not state.
	BuildConsent   []string                     `toml:"build-consent"`
	BuildVariables map[string]map[string]string `toml:"build-variables"`
	BuildSettings  map[string]map[string]any    `toml:"build-settings"`
	BuildAlso      map[string][]string          `toml:"build-also"`
	BuildOpen      []string                     `toml:"build-open"`
}

// ParseAsOf reads a date ("2025-06-30"), of which the whole day counts, in UTC, or a time as RFC 3339
// has it, and gives the first moment that does not count.
func ParseAsOf(text string) (time.Time, error) {
	if day, err := time.Parse(time.DateOnly, text); err == nil {
		return day.AddDate(0, 0, 1), nil
	}
	for _, form := range []string{time.RFC3339Nano, "2006-01-02 15:04:05.999999999 -0700 MST"} { // the second is how a time of TOML is printed
		if at, err := time.Parse(form, text); err == nil {
			return at.Add(1), nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is neither a date, such as 2025-06-30, nor a time, such as 2025-06-30T12:00:00Z", text)
}

// HeldEntry keeps a distribution within a range: At is a specifier set (PEP 440), Why the reason.
type HeldEntry struct {
	At  string `toml:"at"`
	Why string `toml:"why"`
}

// Hold is what a [HeldEntry] comes to.
type Hold struct {
	At  version.Specifiers
	Why string
}

// LicencesEntry says under which terms packages may be: Allow are SPDX identifiers, Of expressions by
// distribution, for those that do not say it clearly.
type LicencesEntry struct {
	Allow []string          `toml:"allow"`
	Of    map[string]string `toml:"of"`
}

// AcceptedEntry accepts a known fault: Why is the reason, Until the last day (TOML's date, or its text).
type AcceptedEntry struct {
	Why   string `toml:"why"`
	Until any    `toml:"until"`
}

// Accepted is what an [AcceptedEntry] comes to; Until is the first moment that it does not count.
type Accepted struct {
	Why   string
	Until time.Time
}

// FolderEntry is a folder of source that a distribution is taken from.
type FolderEntry struct {
	// Path is relative to the spec, with '/'.
	Path     string `toml:"path"`
	Editable bool   `toml:"editable"`
}

// How a jar holds the project that it is of.
const (
	ProjectEditable  = "editable"
	ProjectInstalled = "installed"
	ProjectLeftOut   = "left-out"
)

// ToolKey is a key of [tool.glassjar].
type ToolKey struct{ Key, Kind, Words string }

// ToolKeys are all that there are.
var ToolKeys = []ToolKey{
	{"python", "text", "the Python of the jar where there is no [project]: 3.12, \">=3.9\", pypy"},
	{"targets", "list of texts", "the systems that the record is to serve, such as linux-x86_64"},
	{"indexes", "list of { name, at }", "where packages come from; the first that knows a name is the only one asked for it; one with `holds = \"pythons\"` has interpreters"},
	{"from-index", "name to index", "the one index that a package is taken from"},
	{"from-file", "name to path", "the package file within the project that a package is taken from"},
	{"from-folder", "name to { path, editable }", "the folder of source, beside the project, that a package is built from"},
	{"project", "text", "how the jar holds the project itself, if it has [build-system]: editable, installed or left-out"},
	{"as-of", "date, or time", "only what was uploaded by then is taken; a date is the end of that day, UTC"},
	{"held", "name to { at, why }", "the versions that a package is kept to, and the reason, which is told wherever it counts"},
	{"licences", "{ allow, of }", "the licences that packages may have, as SPDX identifiers, and what those are under that do not say it clearly: `allow = [\"MIT\"]`, `of = { brixmeter = \"MIT\" }`"},
	{"advisories", "identifier to { why, until }", "known faults that are accepted, each for a reason and until a day"},
	{"pin-python", "true or false", "whether the record holds the interpreter too, so that every jar is made of the very same"},
	{"see-system", "true or false", "whether the jar sees the packages of the Python that it is made from"},
	{"build-consent", "list of names", "what may be built from source"},
	{"build-variables", "name to { variable = text }", "variables of the environment for the build of a package"},
	{"build-settings", "name to { key = text or list }", "settings for the back end that builds a package"},
	{"build-also", "name to list of requirements", "what a package is built with besides what it states"},
	{"build-open", "list of names", "what is built outside of the closed room, with network and home folder"},
}

var toolKeys = func() []string {
	var out []string
	for _, k := range ToolKeys {
		out = append(out, k.Key)
	}
	return out
}()

func (s *Spec) takeTool(raw map[string]any) error {
	for _, key := range sortedKeys(raw) {
		known := false
		for _, k := range toolKeys {
			known = known || k == key
		}
		if !known {
			return &FileError{File: s.File, Line: s.lineOfKey(key), Where: "tool.glassjar", Why: fmt.Sprintf("%q is not a key that is known here", key),
				Near: Nearest(key, toolKeys)}
		}
	}
	if len(raw) == 0 {
		return nil
	}
	_, s.SaysSeeSystem = raw["see-system"]
	text, err := toml.Marshal(raw)
	if err != nil {
		return err
	}
	if err := toml.NewDecoder(bytes.NewReader(text)).DisallowUnknownFields().Decode(&s.Tool); err != nil {
		var unknown *toml.StrictMissingError
		if errors.As(err, &unknown) && len(unknown.Errors) > 0 {
			key := unknown.Errors[0].Key()
			last := key[len(key)-1]
			return &FileError{File: s.File, Line: s.lineOfKey(last), Where: "tool.glassjar." + strings.Join(key[:len(key)-1], "."), Why: fmt.Sprintf("%q is not a key that is known there", last), Near: Nearest(last, toolKeys)}
		}
		var fault *FileError
		if errors.As(tomlFault(s.File, nil, err), &fault) {
			fault.Where, fault.Line = "tool.glassjar."+fault.Where, s.lineOfKey("tool.glassjar")
			return fault
		}
		return err
	}
	seen := map[string]bool{}
	for _, i := range s.Tool.Indexes {
		if i.Name == "" || i.At == "" {
			return s.fault("tool.glassjar.indexes", "an index needs name and at", i.Name+i.At)
		}
		if i.Holds != "" && !slices.Contains(HoldsKinds, i.Holds) {
			return s.fault("tool.glassjar.indexes", fmt.Sprintf("%q is nothing that an index holds: leave holds out, or let it be %s", i.Holds, strings.Join(HoldsKinds, " or ")), i.Holds)
		}
		if seen[i.Name] {
			return s.fault("tool.glassjar.indexes", fmt.Sprintf("the name %q is there twice", i.Name), i.Name)
		}
		seen[i.Name] = true
	}
	if err := errors.Join(s.takeHeld(), s.takeAccepted()); err != nil {
		return err
	}
	pins := map[string]string{}
	for name, index := range s.Tool.FromIndex {
		pins[requirement.Normalize(name)] = index
	}
	s.Tool.FromIndex = pins
	return nil
}

// takeHeld reads tool.glassjar.held.
func (s *Spec) takeHeld() error {
	s.Held = map[string]Hold{}
	for _, name := range sortedKeys(s.Tool.Held) {
		e := s.Tool.Held[name]
		at, err := version.ParseSpecifiers(e.At)
		why := ""
		switch {
		case !requirement.ValidName(name):
			why = "that is not a distribution's name"
		case err != nil:
			why = err.Error()
		case len(at) == 0 || strings.TrimSpace(e.Why) == "":
			why = `it needs both at and why, as in { at = "<2", why = "the press reads the old scale" }`
		}
		if why != "" {
			return &FileError{File: s.File, Line: s.lineIn("held", name), Where: "tool.glassjar.held." + name, Why: why}
		}
		s.Held[requirement.Normalize(name)] = Hold{at, strings.Join(strings.Fields(e.Why), " ")}
	}
	return nil
}

// takeAccepted reads tool.glassjar.advisories.
func (s *Spec) takeAccepted() error {
	s.Accepted = map[string]Accepted{}
	for _, id := range sortedKeys(s.Tool.Advisories) {
		e := s.Tool.Advisories[id]
		until, err := ParseAsOf(fmt.Sprint(e.Until))
		if e.Until == nil || strings.TrimSpace(e.Why) == "" || err != nil {
			return &FileError{File: s.File, Line: s.lineIn("advisories", id), Where: "tool.glassjar.advisories." + id, Why: `it needs both why and until, as in { why = "nothing here is read from a file", until = 2026-06-30 }`}
		}
		s.Accepted[strings.ToUpper(id)] = Accepted{strings.Join(strings.Fields(e.Why), " "), until}
	}
	return nil
}

// lineIn is the line of a name in a table of tool.glassjar, or of that table.
func (s *Spec) lineIn(of, name string) int {
	table := s.lineOfKey(of)
	for n, line := range strings.Split(string(s.Text), "\n") {
		if n+1 >= table && strings.Contains(line, name) {
			return n + 1
		}
	}
	return table
}
