package project

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/digest"
	"glassjar/core/internal/lazy"
	"glassjar/core/limits"
	"glassjar/core/requirement"
	"glassjar/core/tomltext"
	"glassjar/core/version"
)

// Record is a pylock.toml (PEP 751).
type Record struct {
	// File is where it was read from or goes to.
	File string
	// CreatedBy is the program that wrote it.
	CreatedBy      string
	Environments   []requirement.Marker
	RequiresPython version.Specifiers
	// Extras, Groups and DefaultGroups are those of the standard, in normal form.
	Extras, Groups, DefaultGroups []string
	Packages                      []Package
	// Asked are the requirements of the spec that the record was made from, by
	// which a changed spec is noticed. They stand in [tool.glassjar].
	Asked []string
	// SeeSystem says that the base's packages counted as present.
	SeeSystem bool
	// Left are targets that the record was meant to serve and cannot; they stand in
	// [tool.glassjar] too.
	Left []LeftOut
}

// LeftOut is targets that a record does not serve, for one reason.
type LeftOut struct {
	Targets []string `toml:"targets"`
	Why     string   `toml:"why"`
}

// Package is one entry of a record.
type Package struct {
	// Name is in normal form; Version is zero where the record gives none.
	Name           string
	Version        version.Version
	Marker         requirement.Marker
	RequiresPython version.Specifiers
	// Dependencies are the entries that this one needs, sorted.
	Dependencies []Dependency
	// Index is the address of the index it came from.
	Index   string
	Wheels  []PackageFile
	Sdist   *PackageFile
	Archive *PackageFile
	// Publishers are who published its files, as the index says (PEP 740): "kind" and
	// what else it knows them by.
	Publishers []map[string]string
	// Unsupported names a kind of source that this program cannot install from,
	// "vcs" or "directory"; empty otherwise.
	Unsupported string
}

// Dependency names an entry: by its version too where several have that name.
type Dependency struct {
	Name    string
	Version version.Version
}

// PackageFile is a file that a record names.
type PackageFile struct {
	Name string
	// URL is absolute; Path is relative to the record, with '/'. One is set.
	URL, Path string
	// Size is in bytes, -1 where none is given.
	Size int64
	// Hashes are in hex, by algorithm.
	Hashes   map[string]string
	Uploaded time.Time
}

// FileName is the name, taken from the address where none is written.
func (f PackageFile) FileName() string {
	if f.Name != "" {
		return f.Name
	}
	if f.Path != "" {
		return path.Base(f.Path)
	}
	if u, err := url.Parse(f.URL); err == nil {
		if u.Opaque != "" {
			return path.Base(u.Opaque)
		}
		return path.Base(u.Path)
	}
	return path.Base(f.URL)
}

type rawRecord struct {
	LockVersion    string     `toml:"lock-version"`
	Environments   []string   `toml:"environments"`
	RequiresPython string     `toml:"requires-python"`
	Extras         []string   `toml:"extras"`
	Groups         []string   `toml:"dependency-groups"`
	DefaultGroups  []string   `toml:"default-groups"`
	CreatedBy      string     `toml:"created-by"`
	Packages       []rawEntry `toml:"packages"`
	Tool           struct {
		Glassjar struct {
			Asked     []string  `toml:"asked"`
			SeeSystem bool      `toml:"see-system"`
			Left      []LeftOut `toml:"left-out"`
		} `toml:"glassjar"`
	} `toml:"tool"`
}

type rawEntry struct {
	Name           string           `toml:"name"`
	Version        string           `toml:"version"`
	Marker         string           `toml:"marker"`
	RequiresPython string           `toml:"requires-python"`
	Dependencies   []map[string]any `toml:"dependencies"`
	Index          string           `toml:"index"`
	Wheels         []rawFile        `toml:"wheels"`
	Sdist          *rawFile         `toml:"sdist"`
	Archive        *rawFile         `toml:"archive"`
	Identities     []map[string]any `toml:"attestation-identities"`
	VCS            map[string]any   `toml:"vcs"`
	Directory      map[string]any   `toml:"directory"`
}

type rawFile struct {
	Name       string            `toml:"name"`
	URL        string            `toml:"url"`
	Path       string            `toml:"path"`
	Size       *int64            `toml:"size"`
	Hashes     map[string]string `toml:"hashes"`
	UploadTime time.Time         `toml:"upload-time"`
}

// ErrNoRecord says that there is no record to read.
var ErrNoRecord = errors.New("there is no record")

// ReadRecord reads a record. The error is a [*FileError] for a file that is
// not as PEP 751 says, and wraps [ErrNoRecord] for one that is not there.
func ReadRecord(file string) (*Record, error) {
	text, err := limits.ReadFile(file, limits.Record)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("%s: %w", file, ErrNoRecord)
	}
	if err != nil {
		return nil, err
	}
	return ParseRecord(file, text)
}

// ParseRecord is [ReadRecord] for a text at hand.
func ParseRecord(file string, text []byte) (*Record, error) {
	var raw rawRecord
	if err := limits.TOML(file, text); err != nil {
		return nil, err
	}
	if err := toml.Unmarshal(tomltext.Plain(text), &raw); err != nil {
		return nil, tomlFault(file, err)
	}
	fail := func(where, why string) (*Record, error) {
		return nil, &FileError{File: file, Where: where, Why: why, Kind: RecordKind}
	}
	switch major, _, _ := strings.Cut(raw.LockVersion, "."); {
	case raw.LockVersion == "":
		return fail("", "it has no lock-version, so it is no record as PEP 751 says")
	case major != "1":
		return fail("lock-version", raw.LockVersion+" is newer than this program knows (1)")
	case raw.CreatedBy == "":
		return fail("", "it has no created-by, so it is no record as PEP 751 says")
	}
	r := &Record{File: file, CreatedBy: raw.CreatedBy, Extras: normalAll(raw.Extras), Groups: normalAll(raw.Groups), DefaultGroups: normalAll(raw.DefaultGroups),
		Asked: raw.Tool.Glassjar.Asked, SeeSystem: raw.Tool.Glassjar.SeeSystem, Left: raw.Tool.Glassjar.Left}
	var err error
	if r.RequiresPython, err = version.ParseSpecifiers(raw.RequiresPython); err != nil {
		return fail("requires-python", err.Error())
	}
	for _, text := range raw.Environments {
		m, err := requirement.ParseMarker(text)
		if err != nil {
			return fail("environments", err.Error())
		}
		r.Environments = append(r.Environments, m)
	}
	if raw.Packages == nil {
		return fail("", "it has no packages, so it is no record as PEP 751 says")
	}
	lines := entryLines(text)
	for i, e := range raw.Packages {
		p, why := e.read()
		damaged := strings.HasSuffix(why, noHash)
		if why == "" {
			why = p.mismatch(func(of string) string { return lines.at(i, of) })
			damaged = true
		}
		if why != "" {
			return nil, &FileError{File: file, Line: lines.line(i), Damaged: damaged, Where: fmt.Sprintf("packages, entry %d (%s)", i+1, e.Name), Why: why, Kind: RecordKind}
		}
		r.Packages = append(r.Packages, p)
	}
	return r, nil
}

func normalAll(names []string) []string {
	var out []string
	for _, n := range names {
		out = append(out, requirement.Normalize(n))
	}
	return out
}

// read turns an entry into a Package, or says what is wrong with it.
func (e rawEntry) read() (p Package, why string) {
	if !requirement.ValidName(e.Name) {
		return p, "its name is not a distribution's name"
	}
	p = Package{Name: requirement.Normalize(e.Name), Index: e.Index}
	var err error
	if e.Version != "" {
		if p.Version, err = version.Parse(e.Version); err != nil {
			return p, err.Error()
		}
	}
	if p.Marker, err = requirement.ParseMarker(e.Marker); err != nil {
		return p, "marker: " + err.Error()
	}
	if p.RequiresPython, err = version.ParseSpecifiers(e.RequiresPython); err != nil {
		return p, "requires-python: " + err.Error()
	}
	if why := e.readNeeds(&p); why != "" {
		return p, why
	}
	return p, e.readSources(&p)
}

// readNeeds takes in what an entry needs, and who published it.
func (e rawEntry) readNeeds(p *Package) (why string) {
	for _, d := range e.Dependencies {
		if name, ok := d["name"].(string); ok {
			one := Dependency{Name: requirement.Normalize(name)}
			if text, ok := d["version"].(string); ok {
				one.Version, _ = version.Parse(text) // it is there to tell entries apart
			}
			p.Dependencies = append(p.Dependencies, one)
		}
	}
	for _, identity := range e.Identities {
		one := map[string]string{}
		for key, value := range identity {
			if text, ok := value.(string); ok {
				one[key] = text
			}
		}
		if one["kind"] == "" {
			return "an attestation-identity has no kind"
		}
		p.Publishers = append(p.Publishers, one)
	}
	return ""
}

// readSources takes in the files of an entry, or where else it comes from.
func (e rawEntry) readSources(p *Package) (why string) {
	for _, w := range e.Wheels {
		f, why := w.read()
		if why != "" {
			return "wheels: " + why
		}
		p.Wheels = append(p.Wheels, f)
	}
	for _, one := range []struct {
		raw *rawFile
		to  **PackageFile
	}{{e.Sdist, &p.Sdist}, {e.Archive, &p.Archive}} {
		if one.raw == nil {
			continue
		}
		f, why := one.raw.read()
		if why != "" {
			return why
		}
		*one.to = &f
	}
	kinds := 0
	for name, there := range map[string]bool{"vcs": e.VCS != nil, "directory": e.Directory != nil} {
		if there {
			kinds++
			p.Unsupported = name
		}
	}
	if e.Archive != nil {
		kinds++
	}
	if len(e.Wheels) > 0 || e.Sdist != nil {
		kinds++
	}
	if kinds != 1 {
		return "it must have one source: wheels and sdist, or archive, or directory, or vcs"
	}
	return ""
}

// noHash ends what is said of a hash that is none.
const noHash = " is no such hash"

func (raw rawFile) read() (PackageFile, string) {
	f := PackageFile{Name: raw.Name, URL: raw.URL, Path: raw.Path, Size: -1, Hashes: digest.Normal(raw.Hashes), Uploaded: raw.UploadTime.UTC()}
	if raw.UploadTime.IsZero() {
		f.Uploaded = time.Time{}
	}
	if raw.Size != nil {
		f.Size = *raw.Size
	}
	switch {
	case f.URL == "" && f.Path == "":
		return f, "a file has neither url nor path"
	case len(f.Hashes) == 0:
		return f, f.FileName() + " has no hash"
	case raw.Size != nil && f.Size < 0:
		return f, f.FileName() + " has a size below nothing"
	case digest.Fault(f.Hashes) != "":
		return f, f.FileName() + ": its " + digest.Fault(f.Hashes) + noHash
	case !digest.Strong(f.Hashes):
		return f, f.FileName() + " has no hash that can be relied on, such as sha256 (it has " + strings.Join(sortedKeys(f.Hashes), ", ") + ")"
	}
	return f, ""
}

// LocalPath is where a file that is given by path stands, or empty.
func (r *Record) LocalPath(f PackageFile) string {
	if f.Path == "" {
		return ""
	}
	p := filepath.FromSlash(f.Path)
	if !filepath.IsAbs(p) {
		p = filepath.Join(filepath.Dir(r.File), p)
	}
	return p
}

// Format writes the record. Equal records give equal bytes: no date, no path
// of a machine, every key in a fixed order and every file on its own line.
func (r *Record) Format() []byte {
	var b bytes.Buffer
	b.WriteString("# The record: the exact contents, from which the same jar is made anywhere.\n")
	b.WriteString("# It is written by a program; the spec is where wishes go.\n")
	b.WriteString("lock-version = \"1.0\"\n")
	if len(r.Environments) > 0 {
		b.WriteString("environments = [\n")
		for _, m := range r.Environments {
			fmt.Fprintf(&b, "    %s,\n", tomltext.String(m.String()))
		}
		b.WriteString("]\n")
	}
	if len(r.RequiresPython) > 0 {
		fmt.Fprintf(&b, "requires-python = %s\n", tomltext.String(r.RequiresPython.String()))
	}
	for _, l := range []struct {
		key  string
		list []string
	}{{"extras", r.Extras}, {"dependency-groups", r.Groups}, {"default-groups", r.DefaultGroups}} {
		if len(l.list) > 0 {
			fmt.Fprintf(&b, "%s = %s\n", l.key, tomltext.Strings(l.list))
		}
	}
	fmt.Fprintf(&b, "created-by = %s\n", tomltext.String(r.CreatedBy))
	if len(r.Packages) == 0 {
		b.WriteString("packages = []\n")
	}
	for _, p := range r.Packages {
		p.format(&b)
	}
	b.WriteString("\n[tool.glassjar]\nasked = [\n")
	for _, a := range r.Asked {
		fmt.Fprintf(&b, "    %s,\n", tomltext.String(a))
	}
	b.WriteString("]\n")
	if r.SeeSystem {
		b.WriteString("see-system = true\n")
	}
	if len(r.Left) > 0 {
		b.WriteString("left-out = [\n")
		for _, l := range r.Left {
			fmt.Fprintf(&b, "    { targets = %s, why = %s },\n", tomltext.Strings(l.Targets), tomltext.String(l.Why))
		}
		b.WriteString("]\n")
	}
	return b.Bytes()
}

var bareKey = lazy.Pattern(`^[A-Za-z0-9_-]+$`)

func tomlKey(key string) string {
	if bareKey().MatchString(key) {
		return key
	}
	return tomltext.String(key)
}

func (p Package) format(b *bytes.Buffer) {
	fmt.Fprintf(b, "\n[[packages]]\nname = %s\n", tomltext.String(p.Name))
	if !p.Version.IsZero() {
		fmt.Fprintf(b, "version = %s\n", tomltext.String(p.Version.String()))
	}
	if !p.Marker.IsZero() {
		fmt.Fprintf(b, "marker = %s\n", tomltext.String(p.Marker.String()))
	}
	if len(p.RequiresPython) > 0 {
		fmt.Fprintf(b, "requires-python = %s\n", tomltext.String(p.RequiresPython.String()))
	}
	if len(p.Dependencies) > 0 {
		parts := make([]string, len(p.Dependencies))
		for i, d := range p.Dependencies {
			parts[i] = "{ name = " + tomltext.String(d.Name) + " }"
			if !d.Version.IsZero() {
				parts[i] = "{ name = " + tomltext.String(d.Name) + ", version = " + tomltext.String(d.Version.String()) + " }"
			}
		}
		fmt.Fprintf(b, "dependencies = [%s]\n", strings.Join(parts, ", "))
	}
	if p.Index != "" {
		fmt.Fprintf(b, "index = %s\n", tomltext.String(p.Index))
	}
	if len(p.Wheels) > 0 {
		b.WriteString("wheels = [\n")
		for _, w := range p.Wheels {
			fmt.Fprintf(b, "    %s,\n", w.format())
		}
		b.WriteString("]\n")
	}
	if p.Sdist != nil {
		fmt.Fprintf(b, "sdist = %s\n", p.Sdist.format())
	}
	if p.Archive != nil {
		fmt.Fprintf(b, "archive = %s\n", p.Archive.format())
	}
	if len(p.Publishers) > 0 {
		b.WriteString("attestation-identities = [\n")
		for _, one := range p.Publishers {
			parts := []string{"kind = " + tomltext.String(one["kind"])}
			for _, key := range sortedKeys(one) {
				if key != "kind" {
					parts = append(parts, tomlKey(key)+" = "+tomltext.String(one[key]))
				}
			}
			fmt.Fprintf(b, "    { %s },\n", strings.Join(parts, ", "))
		}
		b.WriteString("]\n")
	}
}

func (f PackageFile) format() string {
	var parts []string
	add := func(key, value string) { parts = append(parts, key+" = "+value) }
	if f.Name != "" {
		add("name", tomltext.String(f.Name))
	}
	if !f.Uploaded.IsZero() {
		add("upload-time", f.Uploaded.UTC().Format(time.RFC3339Nano))
	}
	if f.URL != "" {
		add("url", tomltext.String(f.URL))
	}
	if f.Path != "" {
		add("path", tomltext.String(f.Path))
	}
	if f.Size >= 0 {
		add("size", fmt.Sprint(f.Size))
	}
	var sums []string
	for _, algorithm := range sortedKeys(f.Hashes) {
		sums = append(sums, algorithm+" = "+tomltext.String(f.Hashes[algorithm]))
	}
	add("hashes", "{ "+strings.Join(sums, ", ")+" }")
	return "{ " + strings.Join(parts, ", ") + " }"
}
