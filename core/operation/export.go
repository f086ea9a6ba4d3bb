package operation

import (
	"bytes"
	"context"
	"fmt"
	"path/filepath"
	"sort"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
)

// Forms in which a jar's contents are written for others.
const (
	AsLock = "lock"
	AsSpec = "spec"
	AsList = "list"
	AsSBOM = "sbom"
)

// Export writes what is recorded, or for a spec what is in the jar, in another
// form. Equal contents give equal bytes: no date, no path. to is the file that it goes
// into, if there is one.
func (m *Machine) Export(ctx context.Context, ref, form, to string) ([]byte, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return nil, err
	}
	if form == AsSpec {
		return steady(ctx, m, ref, func() ([]byte, error) { return m.exportSpec(ctx, at) })
	}
	record, err := project.ReadRecord(at.RecordFile)
	if err != nil {
		return nil, err
	}
	switch form {
	case AsList:
		return exportList(record, m.partsAt(at)), nil
	case AsLock:
		return m.exportRecord(record, to)
	case AsSBOM:
		return m.exportSBOM(ctx, at, record)
	}
	return nil, usage(NoForm, form)
}

// exportRecord is the record for another place: what it names by paths is named from
// there.
func (m *Machine) exportRecord(record *project.Record, to string) ([]byte, error) {
	if to == "" {
		return record.Format(), nil
	}
	to = m.absolute(to)
	var fault error
	move := func(path *string) {
		if *path == "" {
			return
		}
		rel, err := filepath.Rel(filepath.Dir(to), record.LocalPath(project.PackageFile{Path: *path}))
		if err != nil {
			fault = err
			return
		}
		*path = filepath.ToSlash(rel)
	}
	for i := range record.Packages {
		p := &record.Packages[i]
		for w := range p.Wheels {
			move(&p.Wheels[w].Path)
		}
		for _, f := range []*project.PackageFile{p.Sdist, p.Archive} {
			if f != nil {
				move(&f.Path)
			}
		}
		if p.Directory != nil {
			move(&p.Directory.Path)
		}
		if p.VCS != nil {
			move(&p.VCS.Path)
		}
	}
	return record.Format(), fault
}

// partsAt are the parts of the spec that a jar holds: the dependencies where there is none.
func (m *Machine) partsAt(at place.Place) project.Parts {
	j, err := jar.Open(at.Root)
	if err != nil {
		return project.Parts{}
	}
	return j.State.Parts
}

// exportList pins every entry that some parts of the spec lead to, with its marker, one a line: a
// list has no groups and extras. A folder has no address that holds elsewhere, and its name must not
// be asked of an index: a comment tells of it.
func exportList(record *project.Record, parts project.Parts) []byte {
	var b bytes.Buffer
	led := plan.LedTo(record, parts)
	for _, p := range record.Packages {
		marker, ever := p.Marker.Given(parts.Extras, parts.Groups)
		if !ever || !led[p.Name] {
			continue
		}
		r := requirement.Requirement{Name: p.Name, Marker: marker}
		line := r.String()
		switch {
		case p.Archive != nil && p.Archive.URL != "":
			r.URL = p.Archive.URL
			line = r.String()
		case p.VCS != nil && p.VCS.URL != "":
			r.URL = source.Repository{URL: p.VCS.URL, Requested: p.VCS.Commit, Subdirectory: p.VCS.Subdirectory}.Address()
			line = r.String()
		case p.Directory != nil && p.Directory.Path == ".":
			line = "# " + line + " is the project itself"
		case p.Directory != nil:
			line = "# " + line + " is the folder " + p.Directory.Path
		case p.VCS != nil:
			line = "# " + line + " is the repository " + p.VCS.Path
		case !p.Version.IsZero():
			line = strings.Replace(line, p.Name, p.Name+"=="+p.Version.String(), 1)
		}
		b.WriteString(line + "\n")
	}
	return b.Bytes()
}

// exportSpec makes a spec of a jar that was filled by hand: what was asked
// for, or what nothing else needs, each from the version that is there up to
// the next that may break.
func (m *Machine) exportSpec(ctx context.Context, at place.Place) ([]byte, error) {
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	g := m.graph(ctx, j, installed)
	var wants []string
	for _, d := range installed {
		if ownFolder(at, d) {
			continue // it is what the spec describes
		}
		if !d.Requested && len(g.NeededBy(d.Key())) > 0 {
			continue
		}
		wants = append(wants, rangeFor(d))
	}
	sort.Strings(wants)
	text, err := (&project.Spec{File: project.SpecFile}).Edit(project.Part{}, wants, nil, requirement.Normalize(place.ProjectName(at.Project+"/"+at.Prompt())))
	if err != nil {
		return nil, err
	}
	python := fmt.Sprintf("requires-python = \">=%d.%d\"\n", j.Layout().Major, j.Layout().Minor)
	return bytes.Replace(text, []byte("dependencies = ["), []byte(python+"dependencies = ["), 1), nil
}

// ownFolder reports whether a distribution is the project in whose folder its jar stands.
func ownFolder(at place.Place, d jar.Installed) bool {
	if d.Direct == nil || d.Direct.DirInfo == nil || d.Direct.Subdir != "" {
		return false
	}
	path, ok := metadata.PathOf(d.Direct.URL)
	return ok && at.Project != "" && place.Real(path) == place.Real(at.Project)
}

// rangeFor admits the version that is there and later ones of the same first
// number; of versions that begin with 0 those of the same second.
func rangeFor(d jar.Installed) string {
	if d.Direct != nil {
		url := d.Direct.URL
		switch v := d.Direct.VCSInfo; {
		case v != nil:
			url = source.Repository{URL: url, Requested: v.RequestedRevision, Subdirectory: d.Direct.Subdir}.Address()
		case d.Direct.Subdir != "":
			url += "#subdirectory=" + d.Direct.Subdir
		}
		return d.Metadata.Name + " @ " + url
	}
	v := d.Version()
	release := append(v.Release(), "0")
	from := strings.Join(release[:2], ".")
	if v.Epoch() != "0" {
		from = v.Epoch() + "!" + from
	}
	if v.IsPrerelease() {
		return fmt.Sprintf("%s>=%s", d.Key(), v.Public())
	}
	return fmt.Sprintf("%s~=%s", d.Key(), from)
}

func parseMinor(text string) (major, minor int, err error) {
	if n, _ := fmt.Sscanf(text, "%d.%d", &major, &minor); n != 2 {
		return 0, 0, usage(BadPythonVersion, text)
	}
	return major, minor, nil
}
