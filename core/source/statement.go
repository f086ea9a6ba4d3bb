package source

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/tomltext"
	"glassjar/core/version"
)

// BackEnd is [build-system] of a source (PEP 517, 518).
type BackEnd struct {
	// Requires are what it needs, as PEP 508 writes it; Name its module and object.
	Requires []string
	Name     string
	// Path are folders of the source that it is imported from, if it is its own.
	Path []string
	// Assumed tells that the source names none, so that it is the standard's.
	Assumed bool
}

// Statement is what a source says of itself without being run.
type Statement struct {
	BackEnd BackEnd
	// Name and Version are those stated; empty where only building tells.
	Name, Version string
	// Metadata is METADATA as far as it decides what is needed, or nil where the back end
	// must be asked.
	Metadata []byte
}

type rawProject struct {
	System  *rawSystem `toml:"build-system"`
	Project *rawTable  `toml:"project"`
}

type rawSystem struct {
	Requires []string `toml:"requires"`
	BackEnd  string   `toml:"build-backend"`
	Path     []string `toml:"backend-path"`
}

type rawTable struct {
	Name           string              `toml:"name"`
	Version        string              `toml:"version"`
	Description    string              `toml:"description"`
	RequiresPython string              `toml:"requires-python"`
	Dependencies   []string            `toml:"dependencies"`
	Optional       map[string][]string `toml:"optional-dependencies"`
	Dynamic        []string            `toml:"dynamic"`
}

// Read reads what a source states: an archive's PKG-INFO where its fields are not dynamic
// (PEP 643), else the [project] table (PEP 621).
func Read(s Source) (Statement, error) {
	names := []string{"PKG-INFO", "pyproject.toml", "setup.py"}
	var found map[string][]byte
	var err error
	if s.Archive != "" {
		found, err = texts(s.Archive, s.Subdirectory, names...)
	} else {
		found, err = folderTexts(filepath.Join(s.Folder, filepath.FromSlash(s.Subdirectory)), names...)
	}
	if err != nil {
		return Statement{}, err
	}
	if found["pyproject.toml"] == nil && found["setup.py"] == nil {
		return Statement{}, &ArchiveError{File: s.called(), Why: "it has neither pyproject.toml nor setup.py, so nothing says how it is built"}
	}
	if s.Archive == "" {
		delete(found, "PKG-INFO") // one that lies about in a folder is of some earlier build
	}
	return readTexts(s.called(), found["pyproject.toml"], found["PKG-INFO"])
}

func folderTexts(dir string, names ...string) (map[string][]byte, error) {
	out := map[string][]byte{}
	for _, name := range names {
		data, err := limits.ReadFile(filepath.Join(dir, name), limits.Spec)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, err
		}
		out[name] = data
	}
	if _, err := os.Stat(dir); err != nil {
		return nil, err
	}
	return out, nil
}

func readTexts(file string, project, info []byte) (Statement, error) {
	s := Statement{BackEnd: BackEnd{Requires: []string{"setuptools>=40.8.0"}, Name: "setuptools.build_meta:__legacy__", Assumed: true}}
	var raw rawProject
	fault := func(why string) (Statement, error) {
		return s, &ArchiveError{File: file, Member: "pyproject.toml", Why: why}
	}
	if project != nil {
		if err := limits.TOML(file, project); err != nil {
			return s, err
		}
		if err := toml.Unmarshal(tomltext.Plain(project), &raw); err != nil {
			return fault(tomltext.FaultOf(err).String())
		}
	}
	if why := s.BackEnd.take(raw.System); why != "" {
		return fault(why)
	}
	if s.fromInfo(info) {
		return s, nil
	}
	p := raw.Project
	if p == nil {
		return s, nil
	}
	dynamic := func(field string) bool { return slices.Contains(p.Dynamic, field) }
	s.Name = p.Name
	if dynamic("version") || p.Version == "" {
		return s, nil
	}
	if _, err := version.Parse(p.Version); err != nil {
		return fault("project.version: " + err.Error())
	}
	s.Version = p.Version
	if dynamic("dependencies") || dynamic("optional-dependencies") || dynamic("requires-python") {
		return s, nil
	}
	text, why := p.metadata()
	if why != "" {
		return fault(why)
	}
	s.Metadata = text
	return s, nil
}

// take takes over what a project says of its back end; why is what is wrong with that, else empty.
func (e *BackEnd) take(b *rawSystem) (why string) {
	if b == nil {
		return ""
	}
	for _, text := range b.Requires {
		if _, err := requirement.Parse(text); err != nil {
			return "build-system.requires: " + err.Error()
		}
	}
	e.Requires = b.Requires
	if b.BackEnd != "" {
		e.Name, e.Assumed = b.BackEnd, false
	} else if !slices.ContainsFunc(b.Requires, func(r string) bool { return strings.HasPrefix(requirement.Normalize(r), "setuptools") }) {
		e.Requires = append(slices.Clone(b.Requires), "setuptools>=40.8.0")
	}
	for _, p := range b.Path {
		if !filepath.IsLocal(filepath.FromSlash(p)) {
			return "backend-path leads out of the source: " + p
		}
	}
	e.Path = b.Path
	return ""
}

// metadata is what a project says of itself as core metadata; why is what is wrong with that, else
// empty.
func (p *rawTable) metadata() (text []byte, why string) {
	var b bytes.Buffer
	fmt.Fprintf(&b, "Metadata-Version: 2.1\nName: %s\nVersion: %s\n", p.Name, p.Version)
	if line := strings.Join(strings.Fields(p.Description), " "); line != "" {
		fmt.Fprintf(&b, "Summary: %s\n", line)
	}
	if p.RequiresPython != "" {
		fmt.Fprintf(&b, "Requires-Python: %s\n", p.RequiresPython)
	}
	for _, text := range p.Dependencies {
		fmt.Fprintf(&b, "Requires-Dist: %s\n", text)
	}
	for _, extra := range sorted(p.Optional) {
		fmt.Fprintf(&b, "Provides-Extra: %s\n", extra)
		for _, text := range p.Optional[extra] {
			r, err := requirement.Parse(text)
			if err != nil {
				return nil, "project.optional-dependencies: " + err.Error()
			}
			fmt.Fprintf(&b, "Requires-Dist: %s\n", withExtra(r, extra))
		}
	}
	if _, err := metadata.Parse(b.Bytes()); err != nil {
		return nil, "project: " + err.Error()
	}
	return b.Bytes(), ""
}

// withExtra is a requirement that holds for an extra only.
func withExtra(r requirement.Requirement, extra string) string {
	condition := fmt.Sprintf("extra == %q", extra)
	if !r.Marker.IsZero() {
		condition = "(" + r.Marker.String() + ") and " + condition
	}
	r.Marker = requirement.Marker{}
	sep := "; "
	if r.URL != "" {
		sep = " ; "
	}
	return r.String() + sep + condition
}

// deciding are the fields that say what is needed.
var deciding = []string{"requires-dist", "provides-extra", "requires-python", "version", "name"}

// Promised reports whether a description of source is that of every wheel built of it, as
// far as it decides what is needed (PEP 643).
func Promised(info []byte) bool { return (&Statement{}).fromInfo(info) }

// fromInfo takes PKG-INFO for what the wheel will say, where it promises that (PEP 643:
// version 2.2 or later, and the fields not dynamic).
func (s *Statement) fromInfo(info []byte) bool {
	if info == nil {
		return false
	}
	meta, err := metadata.Parse(info)
	if err != nil {
		return false
	}
	s.Name, s.Version = meta.Name, meta.Version.String()
	if said, err := version.Parse(meta.MetadataVersion); err != nil || said.Less(version.MustParse("2.2")) {
		return false
	}
	for _, field := range meta.Dynamic {
		if slices.Contains(deciding, field) {
			return false
		}
	}
	s.Metadata = info
	return true
}

func sorted[V any](m map[string]V) []string {
	var out []string
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}
