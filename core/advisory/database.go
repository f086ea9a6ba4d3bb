package advisory

import (
	"archive/zip"
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"glassjar/core/limits"
	"glassjar/core/version"
)

// Database are advisories by the distributions that they are about.
type Database struct {
	byName map[string][]*Advisory
	// Count is how many there are, Unread those that could not be read, with the reason.
	Count  int
	Unread []string
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
	data, err := limits.ReadFile(file, limits.Advisories)
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
