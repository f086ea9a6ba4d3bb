package project

import (
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
	// Built are what was built from source, and with what: that a teammate builds with
	// the same. They stand there too, and only narrow what the standard leaves open.
	Built []Built
	// Pythons are the interpreters that the record pins, one for a platform. They stand there
	// too.
	Pythons []PinnedPython
}

// PinnedPython is the file of the interpreter that jars on a platform are made of.
type PinnedPython struct {
	// For is the platform, such as "linux-x86_64".
	For     string `toml:"for"`
	Version string `toml:"version"`
	// File is the file's name; it is to be had at URL or, relative to the record, at Path.
	File string `toml:"file"`
	URL  string `toml:"url"`
	Path string `toml:"path"`
	// Size is in bytes, SHA256 in hex.
	Size   int64  `toml:"size"`
	SHA256 string `toml:"sha256"`
}

// fault says what is wrong with an entry, or is empty.
func (p PinnedPython) fault() string {
	switch {
	case p.For == "" || p.File == "" || strings.ContainsAny(p.File, "/\\") || p.URL == "" && p.Path == "":
		return "it needs for, file, and url or path"
	case digest.Fault(map[string]string{digest.SHA256: p.SHA256}) != "":
		return "its sha256 is none"
	}
	return ""
}

// Built is a distribution that was built, and what it was built with.
type Built struct {
	Name    string      `toml:"name"`
	Version string      `toml:"version"`
	With    []BuiltWith `toml:"with"`
	// Wheel is the file's name where it is sealed along, and Libraries what it needs of a
	// machine.
	Wheel     string   `toml:"wheel"`
	Libraries []string `toml:"libraries"`
}

// BuiltWith is a package file that was there for a build.
type BuiltWith struct {
	Name    string `toml:"name"`
	Version string `toml:"version"`
	File    string `toml:"file"`
	URL     string `toml:"url"`
	Index   string `toml:"index"`
	SHA256  string `toml:"sha256"`
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
	// Directory is a folder of source, VCS a repository.
	Directory *Directory
	VCS       *VCS
	// NeedsOf is the wheel that the needs were read from, where the index does not say whether
	// others need the same and they were not read; [EveryWheel] where a person had them all
	// read. It stands in [packages.tool.glassjar].
	NeedsOf string
}

// EveryWheel says that the needs of every wheel of an entry were read.
const EveryWheel = "every wheel"

// Directory is a folder of source that a record names.
type Directory struct {
	// Path is relative to the record, with '/'.
	Path         string
	Editable     bool
	Subdirectory string
}

// VCS is a repository that a record names.
type VCS struct {
	// Type is "git"; URL its address, or Path that relative to the record.
	Type, URL, Path string
	// Requested is what was asked for, Commit what that was.
	Requested, Commit string
	Subdirectory      string
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
	// Subdirectory is where the project stands in an archive of source; empty for its
	// top.
	Subdirectory string
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
			Built     []Built   `toml:"built"`

			Pythons []PinnedPython `toml:"pythons"`
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
	VCS            *rawVCS          `toml:"vcs"`
	Directory      *rawDirectory    `toml:"directory"`
	Tool           struct {
		Glassjar struct {
			NeedsOf string `toml:"needs-of"`
		} `toml:"glassjar"`
	} `toml:"tool"`
}

type rawVCS struct {
	Type              string `toml:"type"`
	URL               string `toml:"url"`
	Path              string `toml:"path"`
	RequestedRevision string `toml:"requested-revision"`
	CommitID          string `toml:"commit-id"`
	Subdirectory      string `toml:"subdirectory"`
}

type rawDirectory struct {
	Path         string `toml:"path"`
	Editable     bool   `toml:"editable"`
	Subdirectory string `toml:"subdirectory"`
}

type rawFile struct {
	Name         string            `toml:"name"`
	URL          string            `toml:"url"`
	Path         string            `toml:"path"`
	Size         *int64            `toml:"size"`
	Hashes       map[string]string `toml:"hashes"`
	UploadTime   time.Time         `toml:"upload-time"`
	Subdirectory string            `toml:"subdirectory"`
}

// ErrNoRecord says that there is no record to read.
var ErrNoRecord = errors.New("there is no record")

// ReadRecord reads a record. The error is a [*FileError] for a file that is
// not as PEP 751 says, and wraps [ErrNoRecord] for one that is not there.
func ReadRecord(file string) (*Record, error) {
	_, r, err := ReadRecordText(file)
	return r, err
}

// ReadRecordText is [ReadRecord], and gives the text as well that was read.
func ReadRecordText(file string) ([]byte, *Record, error) {
	text, err := limits.ReadFile(file, limits.Record)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil, fmt.Errorf("%s: %w", file, ErrNoRecord)
	}
	if err != nil {
		return nil, nil, err
	}
	r, err := ParseRecord(file, text)
	return text, r, err
}

// ParseRecord is [ReadRecord] for a text at hand.
func ParseRecord(file string, text []byte) (*Record, error) {
	var raw rawRecord
	if err := limits.TOML(file, text); err != nil {
		return nil, err
	}
	if err := toml.Unmarshal(tomltext.Plain(text), &raw); err != nil {
		return nil, tomlFault(file, text, err)
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
		Asked: raw.Tool.Glassjar.Asked, SeeSystem: raw.Tool.Glassjar.SeeSystem, Left: raw.Tool.Glassjar.Left, Built: raw.Tool.Glassjar.Built, Pythons: raw.Tool.Glassjar.Pythons}
	for i, one := range r.Pythons {
		if why := one.fault(); why != "" {
			return fail(fmt.Sprintf("tool.glassjar.pythons, entry %d", i+1), why)
		}
	}
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
	p = Package{Name: requirement.Normalize(e.Name), Index: e.Index, NeedsOf: e.Tool.Glassjar.NeedsOf}
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
	for _, there := range []bool{e.VCS != nil, e.Directory != nil, e.Archive != nil, len(e.Wheels) > 0 || e.Sdist != nil} {
		if there {
			kinds++
		}
	}
	if kinds != 1 {
		return "it must have one source: wheels and sdist, or archive, or directory, or vcs"
	}
	if e.VCS != nil {
		if why := e.VCS.read(p); why != "" {
			return "vcs: " + why
		}
	}
	if e.Directory != nil {
		if e.Directory.Path == "" || !inFolder(e.Directory.Subdirectory) {
			return "directory: it has no path, or a subdirectory that leads out of it"
		}
		p.Directory = &Directory{e.Directory.Path, e.Directory.Editable, e.Directory.Subdirectory}
	}
	return ""
}

// inFolder reports whether a subdirectory is none, or leads into the folder.
func inFolder(subdirectory string) bool {
	return subdirectory == "" || filepath.IsLocal(filepath.FromSlash(subdirectory))
}

// commit is the name of a commit: hex digits, of SHA-1 or SHA-256.
var commit = lazy.Pattern(`^(?:[0-9a-f]{40}|[0-9a-f]{64})$`)

func (raw rawVCS) read(p *Package) (why string) {
	switch {
	case raw.URL == "" && raw.Path == "":
		return "it has neither url nor path"
	case !commit().MatchString(raw.CommitID):
		return "its commit-id is no commit"
	case !inFolder(raw.Subdirectory):
		return "its subdirectory leads out of it"
	}
	p.VCS = &VCS{raw.Type, raw.URL, raw.Path, raw.RequestedRevision, raw.CommitID, raw.Subdirectory}
	return ""
}

// noHash ends what is said of a hash that is none.
const noHash = " is no such hash"

func (raw rawFile) read() (PackageFile, string) {
	f := PackageFile{Name: raw.Name, URL: raw.URL, Path: raw.Path, Size: -1, Hashes: digest.Normal(raw.Hashes), Uploaded: raw.UploadTime.UTC(), Subdirectory: raw.Subdirectory}
	if raw.UploadTime.IsZero() {
		f.Uploaded = time.Time{}
	}
	if raw.Size != nil {
		f.Size = *raw.Size
	}
	switch {
	case f.URL == "" && f.Path == "":
		return f, "a file has neither url nor path"
	case !inFolder(f.Subdirectory):
		return f, f.FileName() + " has a subdirectory that leads out of it"
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
