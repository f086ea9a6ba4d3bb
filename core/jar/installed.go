package jar

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"sort"
	"strings"

	"glassjar/core/digest"
	"glassjar/core/guard"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/version"
)

// Installed is a distribution in a jar.
type Installed struct {
	// Info is the path of its .dist-info folder in the jar.
	Info string
	// Metadata is its METADATA. A damaged one has only the name and version
	// that the folder's name gives; Damage then says what is wrong.
	Metadata metadata.Metadata
	Damage   string
	// Installer is the program that installed it, from INSTALLER.
	Installer string
	// Requested tells that it was asked for, not only needed.
	Requested bool
	// Direct says where it came from if no index gave it.
	Direct *metadata.DirectURL
}

// Key is the distribution's normal name.
func (d Installed) Key() string { return d.Metadata.Key() }

// Version is the distribution's version.
func (d Installed) Version() version.Version { return d.Metadata.Version }

func (d Installed) site() string { return path.Dir(d.Info) }

// Sites are the jar's site folders, each once.
func (j *Jar) Sites() []string {
	l := j.Layout()
	if l.Site() == l.PlatformSite() {
		return []string{l.Site()}
	}
	return []string{l.Site(), l.PlatformSite()}
}

// Installed lists the jar's distributions by name.
func (j *Jar) Installed() ([]Installed, error) {
	var out []Installed
	for _, site := range j.Sites() {
		list, err := readSite(j.Path(site), site)
		if err != nil {
			return nil, err
		}
		out = append(out, list...)
	}
	sort.Slice(out, func(i, k int) bool { return out[i].Key() < out[k].Key() })
	return out, nil
}

// ReadSite lists the distributions of any site folder, such as the base's: also those
// that were installed in the older way, as .egg-info.
func ReadSite(dir string) ([]Installed, error) {
	out, err := readSite(dir, dir)
	if err != nil {
		return nil, err
	}
	seen := map[string]bool{}
	for _, d := range out {
		seen[d.Key()] = true
	}
	entries, _ := os.ReadDir(dir) // it was read a moment ago
	for _, e := range entries {
		if !strings.HasSuffix(e.Name(), ".egg-info") {
			continue
		}
		if d, ok := readLegacy(filepath.Join(dir, e.Name())); ok && !seen[d.Key()] {
			out, seen[d.Key()] = append(out, d), true
		}
	}
	return out, nil
}

func readSite(dir, label string) ([]Installed, error) {
	entries, err := os.ReadDir(dir)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var out []Installed
	for _, e := range entries {
		stem, ok := strings.CutSuffix(e.Name(), ".dist-info")
		if !ok || !e.IsDir() {
			continue
		}
		if left, err := os.ReadDir(path.Join(dir, e.Name())); err == nil && len(left) == 0 {
			continue // what is left of one
		}
		d := Installed{Info: path.Join(label, e.Name())}
		read := func(name string) ([]byte, error) {
			return limits.ReadFile(path.Join(dir, e.Name(), name), limits.Record)
		}
		data, err := read("METADATA")
		if err == nil {
			d.Metadata, err = metadata.Parse(data)
		}
		if err != nil {
			d.Damage = err.Error()
			name, text, _ := strings.Cut(stem, "-")
			d.Metadata.Name = name
			if d.Metadata.Version, err = version.Parse(text); err != nil {
				continue // not a distribution's folder, whatever its ending
			}
		}
		if text, err := read("INSTALLER"); err == nil {
			d.Installer = strings.TrimSpace(string(text))
		}
		if _, err := read("REQUESTED"); err == nil {
			d.Requested = true
		}
		if text, err := read("direct_url.json"); err == nil {
			if direct, err := metadata.ParseDirectURL(text); err == nil {
				d.Direct = &direct
			}
		}
		out = append(out, d)
	}
	return out, nil
}

// File is one file of an installed distribution.
type File struct {
	// Path is relative to the jar.
	Path string
	// Hash is as in RECORD, empty where none is given.
	Hash string
	// Size is in bytes, -1 where none is given.
	Size int64
}

// eachRecord reads the RECORDs of distributions, several at a time, and has what each says
// dealt with; the error is the first of deal.
func (j *Jar) eachRecord(installed []Installed, deal func(i int, files []File, err error) error) error {
	group := guard.New()
	group.SetLimit(digest.Abreast)
	for i, d := range installed {
		group.Go(func() error {
			files, err := j.Files(d)
			return deal(i, files, err)
		})
	}
	return group.Wait()
}

// RecordError says that a distribution's RECORD, at an absolute path, is damaged.
type RecordError struct {
	Path string
	Err  error
}

func (e *RecordError) Error() string { return e.Path + " is damaged: " + e.Err.Error() }
func (e *RecordError) Unwrap() error { return e.Err }

// Files lists a distribution's files from its RECORD. Lines that lead out of
// the jar are left out: nothing there is this program's. The error is a [*RecordError] where it is
// damaged.
func (j *Jar) Files(d Installed) ([]File, error) {
	data, err := limits.ReadFile(j.Path(d.Info, "RECORD"), limits.Record)
	if err != nil {
		return nil, err
	}
	lines, err := metadata.ParseRecord(data)
	if err != nil {
		return nil, &RecordError{j.Path(d.Info, "RECORD"), err}
	}
	var out []File
	for _, line := range lines {
		if file, ok := ToJar(d.site(), line.Path); ok {
			out = append(out, File{file, line.Hash, line.Size})
		}
	}
	return out, nil
}

// Named is a distribution as its folder's name tells it.
type Named struct {
	// Name is in normal form; Info is the path of its .dist-info folder in the jar.
	Name, Info string
	Version    version.Version
}

// Names lists the jar's distributions without reading what is in their folders (the installed
// distributions' standard, "The .dist-info directory").
func (j *Jar) Names() ([]Named, error) {
	var out []Named
	for _, site := range j.Sites() {
		entries, err := os.ReadDir(j.Path(site))
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
		for _, e := range entries {
			stem, ok := strings.CutSuffix(e.Name(), ".dist-info")
			at := strings.LastIndexByte(stem, '-')
			if !ok || at < 0 {
				continue
			}
			if v, err := version.Parse(strings.ReplaceAll(stem[at+1:], "_", "-")); err == nil {
				out = append(out, Named{requirement.Normalize(stem[:at]), path.Join(site, e.Name()), v})
			}
		}
	}
	return out, nil
}
