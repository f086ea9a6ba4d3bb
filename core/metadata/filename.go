package metadata

import (
	"fmt"
	"strings"
	"sync"

	"glassjar/core/internal/lazy"
	"glassjar/core/requirement"
	"glassjar/core/tags"
	"glassjar/core/version"
)

// WheelName is what the name of a wheel file says (the binary distribution
// format, "File name convention").
type WheelName struct {
	// Name is the distribution's name in normal form.
	Name    string
	Version version.Version
	// Build is empty where there is no build tag.
	Build Build
	Tags  []tags.Tag
}

// Build is a wheel's build tag: a number and what follows it. It breaks ties
// between wheels that are otherwise alike. The zero value is "none".
type Build struct{ Number, Suffix string }

// Less orders build tags; none comes first.
func (b Build) Less(c Build) bool {
	if len(b.Number) != len(c.Number) {
		return len(b.Number) < len(c.Number)
	}
	if b.Number != c.Number {
		return b.Number < c.Number
	}
	return b.Suffix < c.Suffix
}

var (
	buildForm    = lazy.Pattern(`^([0-9]+)(.*)$`)
	fileNameForm = lazy.Pattern(`^[A-Za-z0-9](?:[A-Za-z0-9._]*[A-Za-z0-9])?$`)
)

// Names reads the names of many files, of which most have parts in common; each set of tags is there
// once. The zero value is ready.
type Names struct {
	names    map[string]string
	versions map[string]version.Version
	tags     map[string][]tags.Tag
	common   *tagSets // of all that share them
}

// tagSets are sets of tags by their texts.
type tagSets struct {
	mu   sync.Mutex
	sets map[string][]tags.Tag
}

// Beside gives Names for another goroutine, with the same sets of tags.
func (n *Names) Beside() *Names {
	if n.common == nil {
		n.common = &tagSets{sets: map[string][]tags.Tag{}}
	}
	return &Names{common: n.common}
}

// ParseWheelName reads a wheel's file name. The error wraps [ErrInvalid].
func ParseWheelName(file string) (WheelName, error) { return new(Names).Wheel(file) }

// Wheel is [ParseWheelName].
func (n *Names) Wheel(file string) (WheelName, error) {
	fail := func(why string) (WheelName, error) {
		return WheelName{}, Invalid("%q is not the name of a wheel: %s", file, why)
	}
	stem, ok := strings.CutSuffix(file, ".whl")
	if !ok {
		return fail("it does not end in .whl")
	}
	dashes := strings.Count(stem, "-")
	if dashes != 4 && dashes != 5 {
		return fail("it needs five or six parts with '-' between")
	}
	var parts [3]string // before those of the tags; the last may be missing
	for i := range dashes - 2 {
		parts[i], stem, _ = strings.Cut(stem, "-")
	}
	name, ok := n.name(parts[0])
	if !ok {
		return fail("the distribution's name is not escaped as it should be")
	}
	w := WheelName{Name: name}
	var err error
	if w.Version, err = n.version(parts[1]); err != nil || strings.TrimSpace(parts[1]) != parts[1] {
		return fail(parts[1] + " is not a version")
	}
	if dashes == 5 {
		m := buildForm().FindStringSubmatch(parts[2])
		if m == nil {
			return fail("a build tag begins with a digit")
		}
		w.Build = Build{strings.TrimLeft(m[1], "0"), m[2]}
		if w.Build.Number == "" {
			w.Build.Number = "0"
		}
	}
	if w.Tags, err = n.tagSet(stem); err != nil {
		return fail(err.Error())
	}
	return w, nil
}

// name is the normal form of a name as a file has it.
func (n *Names) name(text string) (string, bool) {
	if have, ok := n.names[text]; ok {
		return have, true
	}
	// Doubled underscores cannot come from the escaping that the format asks for.
	if !fileNameForm().MatchString(text) || strings.Contains(text, "__") {
		return "", false
	}
	if n.names == nil {
		n.names = map[string]string{}
	}
	n.names[text] = requirement.Normalize(text)
	return n.names[text], true
}

func (n *Names) version(text string) (version.Version, error) {
	if have, ok := n.versions[text]; ok {
		return have, nil
	}
	v, err := version.Parse(text)
	if err == nil {
		if n.versions == nil {
			n.versions = map[string]version.Version{}
		}
		n.versions[text] = v
	}
	return v, err
}

func (n *Names) tagSet(text string) ([]tags.Tag, error) {
	if have, ok := n.tags[text]; ok {
		return have, nil
	}
	for _, r := range text {
		if notOfTag(r) {
			return nil, fmt.Errorf("a tag has no %q", r) // as in the name of a copy, "press (1).whl"
		}
	}
	set, err := n.common.parse(text)
	if err == nil {
		if n.tags == nil {
			n.tags = map[string][]tags.Tag{}
		}
		n.tags[text] = set
	}
	return set, err
}

// parse is a set of tags, the one that others got of that text.
func (t *tagSets) parse(text string) ([]tags.Tag, error) {
	if t == nil {
		return tags.Parse(text)
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if set, ok := t.sets[text]; ok {
		return set, nil
	}
	set, err := tags.Parse(text)
	if err == nil {
		t.sets[text] = set
	}
	return set, err
}

// notOfTag reports whether a character cannot stand in a set of tags (PEP 425).
func notOfTag(r rune) bool {
	return r != '_' && r != '.' && r != '-' && (r < '0' || r > '9') && (r|0x20 < 'a' || r|0x20 > 'z')
}

// SdistName is what the name of a source distribution says (PEP 625).
type SdistName struct {
	// Name is the distribution's name in normal form.
	Name    string
	Version version.Version
}

// ParseSdistName reads a source distribution's file name, ".tar.gz" or ".zip".
// The error wraps [ErrInvalid].
func ParseSdistName(file string) (SdistName, error) { return new(Names).Sdist(file) }

// Sdist is [ParseSdistName].
func (n *Names) Sdist(file string) (SdistName, error) {
	stem, ok := strings.CutSuffix(file, ".tar.gz")
	if !ok {
		stem, ok = strings.CutSuffix(file, ".zip")
	}
	i := strings.LastIndexByte(stem, '-')
	if !ok || i < 0 || !requirement.ValidName(stem[:i]) {
		return SdistName{}, Invalid("%q is not the name of a source distribution", file)
	}
	v, err := n.version(stem[i+1:])
	if err != nil {
		return SdistName{}, Invalid("%q is not the name of a source distribution: %v", file, err)
	}
	return SdistName{requirement.Normalize(stem[:i]), v}, nil
}

// EscapeName writes a name as file names want it: normal form, with '_'.
func EscapeName(name string) string {
	return strings.ReplaceAll(requirement.Normalize(name), "-", "_")
}
