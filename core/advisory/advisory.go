// Package advisory reads known faults of distributions from databases in the OSV format (the Open
// Source Vulnerability format, schema 1.x), and tells which versions they are about.
//
// A database is a folder or a zip of JSON files, one for each advisory. Only those about
// distributions of Python's ecosystem are read. Versions are compared as PEP 440 orders them.
package advisory

import (
	"archive/zip"
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"glassjar/core/limits"
	"glassjar/core/requirement"
	"glassjar/core/version"
)

// ecosystem is what the format calls that of Python's distributions (OSV schema, "affected[].package
// field").
const ecosystem = "PyPI"

// Advisory is one known fault.
type Advisory struct {
	ID      string   `json:"id"`
	Aliases []string `json:"aliases,omitempty"`
	Summary string   `json:"summary,omitempty"`
	// Severity is a vector, such as CVSS has them, or a word; empty where nothing is said.
	Severity  string    `json:"severity,omitempty"`
	Published time.Time `json:"published"`
	// Link is the first address that tells more.
	Link string `json:"link,omitempty"`
	// Affected are what of each distribution it is about, by normal name.
	Affected map[string][]Range `json:"affected"`
}

// Range is one entry about a distribution.
type Range struct {
	// Versions are named one by one, Events bound stretches.
	Versions []string `json:"versions,omitempty"`
	Events   []Event  `json:"events,omitempty"`
}

// Event is where a stretch of affected versions begins or ends (OSV schema, "affected[].ranges[].events
// fields"): one of its fields is set.
type Event struct {
	Introduced   string `json:"introduced,omitempty"`
	Fixed        string `json:"fixed,omitempty"`
	LastAffected string `json:"last_affected,omitempty"`
	Limit        string `json:"limit,omitempty"`
}

// Database are advisories by the distributions that they are about.
type Database struct {
	byName map[string][]*Advisory
	// Count is how many there are, Unread those that could not be read, with the reason.
	Count  int
	Unread []string
}

// file is an advisory as its file has it.
type file struct {
	ID        string    `json:"id"`
	Published time.Time `json:"published"`
	Withdrawn time.Time `json:"withdrawn"`
	Aliases   []string  `json:"aliases"`
	Summary   string    `json:"summary"`
	Details   string    `json:"details"`
	Severity  []struct {
		Score string `json:"score"`
	} `json:"severity"`
	Affected []struct {
		Package struct {
			Ecosystem string `json:"ecosystem"`
			Name      string `json:"name"`
		} `json:"package"`
		Ranges []struct {
			Type   string  `json:"type"`
			Events []Event `json:"events"`
		} `json:"ranges"`
		Versions []string `json:"versions"`
	} `json:"affected"`
	References []struct {
		URL string `json:"url"`
	} `json:"references"`
	Specific struct {
		Severity any `json:"severity"`
	} `json:"database_specific"`
}

// Parse reads one advisory. ok is false for one that was withdrawn, or is about other things.
func Parse(data []byte, now time.Time) (a Advisory, ok bool, err error) {
	var f file
	if err := json.Unmarshal(data, &f); err != nil {
		return a, false, err
	}
	if f.ID == "" {
		return a, false, fmt.Errorf("it has no id")
	}
	if !f.Withdrawn.IsZero() && !f.Withdrawn.After(now) {
		return a, false, nil
	}
	a = Advisory{ID: f.ID, Aliases: f.Aliases, Summary: oneLine(cmp.Or(f.Summary, f.Details)), Published: f.Published, Affected: map[string][]Range{}}
	for _, s := range f.Severity {
		a.Severity = cmp.Or(a.Severity, s.Score)
	}
	if word, is := f.Specific.Severity.(string); is && word != "" {
		a.Severity = word
	}
	for _, r := range f.References {
		a.Link = cmp.Or(a.Link, r.URL)
	}
	for _, of := range f.Affected {
		if base, _, _ := strings.Cut(of.Package.Ecosystem, ":"); base != ecosystem {
			continue
		}
		name := requirement.Normalize(of.Package.Name)
		if len(of.Versions) > 0 {
			a.Affected[name] = append(a.Affected[name], Range{Versions: of.Versions})
		}
		for _, r := range of.Ranges {
			if r.Type != "GIT" && len(r.Events) > 0 { // commits are not versions
				a.Affected[name] = append(a.Affected[name], Range{Events: r.Events})
			}
		}
	}
	return a, len(a.Affected) > 0, nil
}

// oneLine is the first line of a text that says something.
func oneLine(text string) string {
	for _, line := range strings.Split(text, "\n") {
		if line = strings.Trim(strings.TrimSpace(line), "# "); line != "" {
			return line
		}
	}
	return ""
}

// Affects reports whether it is about a version of a distribution (OSV schema, "Evaluation"). What
// cannot be compared, since it is no version, bounds nothing.
func (a *Advisory) Affects(name string, v version.Version) bool {
	return slices.ContainsFunc(a.Affected[name], func(r Range) bool { return r.holds(v) })
}

func (r Range) holds(v version.Version) bool {
	for _, text := range r.Versions {
		if one, err := version.Parse(text); err == nil && one.Equal(v) {
			return true
		}
	}
	return beforeLimits(r.Events, v) && within(r.Events, v)
}

// beforeLimits reports whether a version is before a limit, if there is any.
func beforeLimits(events []Event, v version.Version) bool {
	limited := false
	for _, e := range events {
		if e.Limit == "" {
			continue
		}
		limited = true
		if at, err := version.Parse(e.Limit); e.Limit == "*" || err == nil && v.Less(at) {
			return true
		}
	}
	return !limited
}

// bound is an event with its version.
type bound struct {
	at   version.Version
	zero bool // before all versions
	Event
}

func within(events []Event, v version.Version) bool {
	var bounds []bound
	for _, e := range events {
		text := cmp.Or(e.Introduced, e.Fixed, e.LastAffected)
		at, err := version.Parse(text)
		if err == nil || text == "0" {
			bounds = append(bounds, bound{at: at, zero: e.Introduced == "0", Event: e})
		}
	}
	slices.SortStableFunc(bounds, func(a, b bound) int {
		switch {
		case a.zero || b.zero:
			return boolOrder(b.zero, a.zero)
		}
		return a.at.Compare(b.at)
	})
	in := false
	for _, b := range bounds {
		switch {
		case b.Introduced != "" && (b.zero || !v.Less(b.at)):
			in = true
		case b.Fixed != "" && !v.Less(b.at):
			in = false
		case b.LastAffected != "" && b.at.Less(v):
			in = false
		}
	}
	return in
}

// boolOrder puts what is true after what is not.
func boolOrder(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}

// Add adds the advisory in a file's bytes; what cannot be read is noted.
func (d *Database) Add(name string, data []byte, now time.Time) {
	a, ok, err := Parse(data, now)
	if err != nil {
		d.Unread = append(d.Unread, name+": "+err.Error())
	}
	if ok {
		d.put(&a)
	}
}

func (d *Database) put(a *Advisory) {
	if d.byName == nil {
		d.byName = map[string][]*Advisory{}
	}
	d.Count++
	for name := range a.Affected {
		d.byName[name] = append(d.byName[name], a)
	}
}

// Join adds what another database has.
func (d *Database) Join(other *Database) {
	for _, a := range other.all() {
		d.put(a)
	}
	d.Unread = append(d.Unread, other.Unread...)
}

// all are the advisories, each once, by their identifiers.
func (d *Database) all() []*Advisory {
	seen := map[*Advisory]bool{}
	var out []*Advisory
	for _, list := range d.byName {
		for _, a := range list {
			if !seen[a] {
				seen[a] = true
				out = append(out, a)
			}
		}
	}
	slices.SortFunc(out, func(a, b *Advisory) int { return strings.Compare(a.ID, b.ID) })
	return out
}

// Folder reads the JSON files of a folder, and of those in it.
func Folder(dir string, now time.Time) (*Database, error) {
	d := &Database{}
	err := filepath.WalkDir(dir, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".json") {
			return err
		}
		data, err := limits.ReadFile(path, limits.Advisory)
		if err != nil {
			return err
		}
		d.Add(path, data, now)
		return nil
	})
	return d, err
}

// Zip reads the JSON files of a zip, whose bytes are given; file names it in errors.
func Zip(file string, data []byte, now time.Time) (*Database, error) {
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, &fs.PathError{Op: "read", Path: file, Err: err}
	}
	d := &Database{}
	left := int64(limits.Advisories)
	for _, f := range z.File {
		if !strings.HasSuffix(f.Name, ".json") {
			continue
		}
		text, err := member(f)
		if left -= int64(len(text)); err != nil || left < 0 {
			return nil, &fs.PathError{Op: "read", Path: file + ": " + f.Name, Err: cmp.Or(err, errTooLarge)}
		}
		d.Add(f.Name, text, now)
	}
	return d, nil
}

var errTooLarge = fmt.Errorf("the advisories unpack to more than %d bytes", limits.Advisories)

func member(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, limits.Advisory+1))
	if err == nil && len(data) > limits.Advisory {
		err = errTooLarge
	}
	return data, err
}

// Save writes a database so that [Load] reads it fast.
func (d *Database) Save(w io.Writer) error {
	return json.NewEncoder(w).Encode(d.all())
}

// Load reads what [Database.Save] wrote.
func Load(file string) (*Database, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	var list []*Advisory
	if err := json.Unmarshal(data, &list); err != nil {
		return nil, err
	}
	d := &Database{}
	for _, a := range list {
		d.put(a)
	}
	return d, nil
}

// About are those about a version of a distribution, by their identifiers. Several that are
// aliases of one another are one: the first, with the others' identifiers.
func (d *Database) About(name string, v version.Version) []Advisory {
	var out []Advisory
	list := slices.Clone(d.byName[name])
	slices.SortFunc(list, func(a, b *Advisory) int { return strings.Compare(a.ID, b.ID) })
	for _, a := range list {
		if !a.Affects(name, v) {
			continue
		}
		same := slices.IndexFunc(out, func(o Advisory) bool { return o.same(a) })
		if same < 0 {
			one := *a
			one.Aliases = slices.Clone(a.Aliases)
			out = append(out, one)
			continue
		}
		o := &out[same]
		o.Summary, o.Severity, o.Link = cmp.Or(o.Summary, a.Summary), cmp.Or(o.Severity, a.Severity), cmp.Or(o.Link, a.Link)
		for _, id := range append([]string{a.ID}, a.Aliases...) {
			if id != o.ID && !slices.Contains(o.Aliases, id) {
				o.Aliases = append(o.Aliases, id)
			}
		}
	}
	return out
}

// same reports whether two tell of one fault.
func (a Advisory) same(b *Advisory) bool {
	ids := append([]string{a.ID}, a.Aliases...)
	return slices.ContainsFunc(append([]string{b.ID}, b.Aliases...), func(id string) bool { return slices.Contains(ids, id) })
}

// IDs are all identifiers of it, its own first.
func (a Advisory) IDs() []string { return append([]string{a.ID}, a.Aliases...) }
