// Package sample is the orchard: a small index of made-up distributions and two
// projects that use them, kept as source text and built into packages in
// memory, byte for byte the same every time and on every system.
//
// Each file of packages/ is one distribution in the txtar format. Its head is
// TOML: what the distribution is and its releases. Its files go into every
// release, those below "@SPECIFIER/" into the releases that the specifier
// admits, those below "data/" where a wheel's data files go. {{version}} and
// {{tag}} stand for the release's version and the wheel's tag.
package sample

import (
	"bytes"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"fmt"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/pelletier/go-toml/v2"
	"github.com/rogpeppe/go-internal/txtar"

	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/version"
	"glassjar/core/wheel"
)

//go:embed packages/*.txtar
var packages embed.FS

//go:embed projects
var projects embed.FS

//go:embed advisories/*.json
var advisories embed.FS

// Advisories are made-up known faults in the OSV format, by file name.
func Advisories() map[string][]byte {
	out := map[string][]byte{}
	entries, err := advisories.ReadDir("advisories")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	for _, e := range entries {
		data, err := advisories.ReadFile("advisories/" + e.Name())
		if err != nil {
			panic(err)
		}
		out[e.Name()] = data
	}
	return out
}

// Projects are the sample projects, one folder each.
func Projects() fs.FS {
	sub, err := fs.Sub(projects, "projects")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return sub
}

type distribution struct {
	name    string
	Summary string
	License string

	Classifiers []string
	Links       map[string]string
	Scripts     map[string]string
	Extras      map[string][]string
	SourceOnly  bool      `toml:"source-only"`
	Releases    []release `toml:"release"`

	files []txtar.File
}

type release struct {
	Version        string
	Uploaded       time.Time
	Requires       []string
	RequiresPython string `toml:"requires-python"`
	Yanked         string
	Tags           []string
	Bulk           int
}

// File is one package file of the sample.
type File struct {
	// Distribution is the distribution's normal name.
	Distribution string
	Name         string
	Data         []byte
	// SHA256 is Data's hash in lower-case hex.
	SHA256 string
	// Metadata is the core metadata, which a server gives separately; it is nil
	// for a source distribution.
	Metadata       []byte
	RequiresPython string
	// Yanked is the reason for which the release was withdrawn, or empty.
	Yanked   string
	Uploaded time.Time
}

var load = sync.OnceValue(func() map[string][]*lazyFile {
	all := map[string][]*lazyFile{}
	names, err := fs.Glob(packages, "packages/*.txtar")
	if err != nil {
		panic(err)
	}
	for _, name := range names {
		d, err := parse(name)
		if err != nil {
			// The sources are part of the program, and a test reads them all.
			panic(fmt.Sprintf("sample: %s: %v", name, err))
		}
		all[d.name] = d.plan()
	}
	return all
})

// lazyFile is built when it is first asked for: the demo needs few of them.
type lazyFile struct {
	make func() File
}

// Names are the distributions' normal names, sorted.
func Names() []string { return slices.Sorted(maps.Keys(load())) }

// Files are the package files of a distribution, the oldest release first;
// none for a name that the sample does not have.
func Files(name string) []File {
	var out []File
	for _, f := range load()[name] {
		out = append(out, f.make())
	}
	return out
}

func parse(file string) (distribution, error) {
	var d distribution
	data, err := packages.ReadFile(file)
	if err != nil {
		return d, err
	}
	archive := txtar.Parse(bytes.ReplaceAll(data, []byte("\r\n"), []byte("\n")))
	decoder := toml.NewDecoder(bytes.NewReader(archive.Comment)).DisallowUnknownFields()
	if err := decoder.Decode(&d); err != nil {
		return d, err
	}
	d.name = requirement.Normalize(strings.TrimSuffix(path.Base(file), ".txtar"))
	d.files = archive.Files
	return d, nil
}

func (d distribution) plan() []*lazyFile {
	var out []*lazyFile
	for _, r := range d.Releases {
		v := version.MustParse(r.Version)
		if d.SourceOnly {
			out = append(out, &lazyFile{make: sync.OnceValue(func() File { return d.sdist(r, v) })})
			continue
		}
		tags := r.Tags
		if len(tags) == 0 {
			tags = []string{"py2.py3-none-any"}
		}
		for _, tag := range tags {
			out = append(out, &lazyFile{make: sync.OnceValue(func() File { return d.wheel(r, v, tag) })})
		}
	}
	return out
}

// dataKinds are the folders that stand in a wheel's folder of data (the binary distribution format,
// "The .data directory").
var dataKinds = []string{"data", "headers", "scripts"}

func (d distribution) wheel(r release, v version.Version, tag string) File {
	spec := wheel.Spec{Name: d.name, Version: v, Tag: tag, Platlib: !strings.HasSuffix(tag, "-any"), Metadata: d.metadata(r, v), EntryPoints: d.entryPoints()}
	dataFolder := strings.TrimSuffix(spec.InfoFolder(), ".dist-info") + ".data/"
	for _, f := range d.sources(v, tag) {
		program := strings.HasPrefix(f.Name, "scripts/")
		if kind, _, _ := strings.Cut(f.Name, "/"); slices.Contains(dataKinds, kind) {
			f.Name = dataFolder + f.Name
		}
		spec.Files = append(spec.Files, wheel.File{Path: f.Name, Data: f.Data, Executable: program})
	}
	if r.Bulk > 0 {
		top := strings.ReplaceAll(d.name, "-", "_")
		spec.Files = append(spec.Files, wheel.File{Path: top + "/windfalls.csv", Data: table(r.Bulk)})
	}
	var b bytes.Buffer
	if err := wheel.Write(&b, spec); err != nil {
		panic(err) // a bytes.Buffer takes all
	}
	return d.file(r, spec.FileName(), b.Bytes(), spec.Metadata)
}

func (d distribution) file(r release, name string, data, meta []byte) File {
	sum := sha256.Sum256(data)
	return File{Distribution: d.name, Name: name, Data: data, SHA256: hex.EncodeToString(sum[:]), Metadata: meta,
		RequiresPython: r.RequiresPython, Yanked: r.Yanked, Uploaded: r.Uploaded.UTC()}
}

// sources are the files of a release, with their variables filled in.
func (d distribution) sources(v version.Version, tag string) []txtar.File {
	fill := strings.NewReplacer("{{version}}", v.String(), "{{tag}}", tag)
	var out []txtar.File
	for _, f := range d.files {
		if rest, ok := strings.CutPrefix(f.Name, "@"); ok {
			spec, name, _ := strings.Cut(rest, "/")
			if !version.MustParseSpecifiers(spec).Holds(v) {
				continue
			}
			f.Name = name
		}
		out = append(out, txtar.File{Name: f.Name, Data: []byte(fill.Replace(string(f.Data)))})
	}
	return out
}

func (d distribution) metadata(r release, v version.Version) []byte {
	var b bytes.Buffer
	line := func(name, value string) {
		if value != "" {
			fmt.Fprintf(&b, "%s: %s\n", name, value)
		}
	}
	line("Metadata-Version", "2.4")
	line("Name", d.name)
	line("Version", v.String())
	line("Summary", d.Summary)
	line("Author-email", "The orchard co-operative <press@orchard.example>")
	line("License-Expression", d.License)
	for _, label := range slices.Sorted(maps.Keys(d.Links)) {
		line("Project-URL", label+", "+d.Links[label])
	}
	for _, c := range d.Classifiers {
		line("Classifier", c)
	}
	line("Requires-Python", r.RequiresPython)
	for _, need := range r.Requires {
		line("Requires-Dist", need)
	}
	for _, extra := range slices.Sorted(maps.Keys(d.Extras)) {
		line("Provides-Extra", extra)
		for _, need := range d.Extras[extra] {
			line("Requires-Dist", need+"; extra == '"+extra+"'")
		}
	}
	return b.Bytes()
}

func (d distribution) entryPoints() []byte {
	if len(d.Scripts) == 0 {
		return nil
	}
	var b bytes.Buffer
	b.WriteString("[" + metadata.ConsoleScripts + "]\n")
	for _, name := range slices.Sorted(maps.Keys(d.Scripts)) {
		fmt.Fprintf(&b, "%s = %s\n", name, d.Scripts[name])
	}
	return b.Bytes()
}

// table is a CSV file of about n bytes that packs badly enough to take time.
func table(n int) []byte {
	b := bytes.NewBuffer(make([]byte, 0, n+64))
	b.WriteString("year,row,tree,windfalls\n")
	for x := uint32(1901); b.Len() < n; {
		x = x*1664525 + 1013904223
		fmt.Fprintf(b, "%d,%d,%d,%d\n", 1901+x>>8%124, x>>16%40, x>>10%12, x>>20%97)
	}
	return b.Bytes()
}
