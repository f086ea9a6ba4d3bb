package operation

import (
	"context"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/near"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/requirement"
	"glassjar/core/settings"
)

// IndexInfo is one index that is set up, in the order of asking.
type IndexInfo struct {
	Name string
	At   string
	// Holds is "pythons" for one that has interpreters, empty for packages.
	Holds string
	// File is where it is set up; empty for the built-in sample.
	File string
	// Probe is what it answered, if it was asked.
	Probe *index.Probe
}

// IndexEdit changes the indexes of a project or of the user.
type IndexEdit struct {
	// Project changes the project's, else the user's own.
	Project bool
	// Add names an index at At, which Holds "pythons" or, where that is empty, packages;
	// Drop forgets one; Order puts names first.
	Add, At, Holds string
	Drop           string
	Order          []string
}

// Indexes lists the indexes in effect where the user stands.
func (m *Machine) Indexes() ([]IndexInfo, error) {
	spec, err := m.nearestSpec()
	if err != nil {
		return nil, err
	}
	out := []IndexInfo{}
	seen := map[string]bool{}
	add := func(list []project.IndexEntry, file string) {
		for _, e := range list {
			if !seen[e.Name] {
				seen[e.Name] = true
				out = append(out, IndexInfo{Name: e.Name, At: fetch.Redact(e.At), Holds: e.Holds, File: file})
			}
		}
	}
	add(spec.Tool.Indexes, spec.File)
	add(m.Settings.Indexes, m.Folders.Settings)
	if !slices.ContainsFunc(out, func(i IndexInfo) bool { return i.Holds == "" }) {
		out = append(out, IndexInfo{Name: "sample", At: index.SampleScheme})
	}
	return out, nil
}

// ProbeIndexes asks each index about one name, all at once: something that the
// project asks for, since an index is expected to have that.
func (m *Machine) ProbeIndexes(ctx context.Context) ([]IndexInfo, error) {
	list, err := m.Indexes()
	if err != nil {
		return nil, err
	}
	spec, err := m.nearestSpec()
	if err != nil {
		return nil, err
	}
	indexes, _ := m.indexes(spec)
	var group sync.WaitGroup
	for i := range list {
		group.Go(func() {
			var p index.Probe
			if list[i].Holds == "" {
				p = m.probeIndex(ctx, indexes.Source(list[i].Name), spec)
			} else {
				p = m.probePythons(ctx, spec, list[i].Name)
			}
			list[i].Probe = &p
		})
	}
	group.Wait()
	return list, nil
}

func (m *Machine) probeIndex(ctx context.Context, source index.Source, spec *project.Spec) index.Probe {
	name := "glassjar-probe"
	if len(spec.Asked) > 0 {
		name = spec.Asked[0].Key()
	}
	if far, ok := source.(interface {
		Probe(context.Context, string) index.Probe
	}); ok {
		return far.Probe(ctx, name)
	}
	begun := time.Now()
	names, err := source.Names(ctx)
	p := index.Probe{Local: true, Answers: err == nil, Took: time.Since(begun), Name: name, Known: slices.Contains(names, name), Metadata: true}
	if err != nil {
		p.Why = err.Error()
	}
	return p
}

func (m *Machine) nearestSpec() (*project.Spec, error) {
	return project.ReadSpec(m.nearestSpecFile())
}

func (m *Machine) nearestSpecFile() string {
	if root, _ := m.Places().Nearest(); root != "" {
		return filepath.Join(filepath.Dir(root), project.SpecFile)
	}
	return filepath.Join(m.Dir, project.SpecFile)
}

// EditIndexes makes one change and gives the file that was written.
func (m *Machine) EditIndexes(ctx context.Context, e IndexEdit) (string, error) {
	if e.Holds != "" && !slices.Contains(project.HoldsKinds, e.Holds) {
		return "", usage(HoldsWhat, e.Holds)
	}
	if e.Add != "" {
		var err error
		if e.At, err = m.indexAt(e.At); err != nil {
			return "", err
		}
		if e.Holds == "" && filepath.IsAbs(e.At) {
			m.noteEmpty(ctx, e.At)
		}
	}
	if e.Project {
		release, err := m.holdProject(ctx, filepath.Dir(m.nearestSpecFile()))
		if err != nil {
			return "", err
		}
		defer release()
		spec, err := m.nearestSpec()
		if err != nil {
			return "", err
		}
		list, err := e.apply(spec.Tool.Indexes, spec.Dir())
		if err != nil {
			return "", err
		}
		text, err := spec.EditIndexes(list)
		if err != nil {
			return "", err
		}
		_, err = m.writeIfNew(spec.File, text)
		return spec.File, err
	}
	changed, err := m.settingsFile().Edit(ctx, func(have settings.Settings, text []byte) ([]byte, error) {
		list, err := e.apply(have.Indexes, "")
		if err != nil {
			return nil, err
		}
		return project.SetIndexes(text, []string{"indexes"}, list), nil
	})
	if err == nil {
		m.Settings = changed
	}
	return m.Folders.Settings, err
}

// apply gives the changed list. Folders are written relative to relativeTo, or
// whole where that is empty.
func (e IndexEdit) apply(list []project.IndexEntry, relativeTo string) ([]project.IndexEntry, error) {
	at := map[string]int{}
	var names []string
	for i, x := range list {
		at[x.Name] = i
		names = append(names, x.Name)
	}
	known := func(name string) error {
		if _, ok := at[name]; ok {
			return nil
		}
		return &UsageError{Case: NoIndex, Of: []string{name}, Near: near.First(name, names)}
	}
	switch {
	case e.Add != "":
		return e.add(list, at, relativeTo)
	case e.Drop != "":
		if err := known(e.Drop); err != nil {
			return nil, err
		}
		var out []project.IndexEntry
		for _, x := range list {
			if x.Name != e.Drop {
				out = append(out, x)
			}
		}
		return out, nil
	}
	var out []project.IndexEntry
	first := map[string]bool{}
	for _, name := range e.Order {
		if err := known(name); err != nil {
			return nil, err
		}
		if !first[name] {
			first[name] = true
			out = append(out, list[at[name]])
		}
	}
	for _, x := range list {
		if !first[x.Name] {
			out = append(out, x)
		}
	}
	return out, nil
}

// add sets one up, or changes the address of one that is there, which at tells by name.
func (e IndexEdit) add(list []project.IndexEntry, at map[string]int, relativeTo string) ([]project.IndexEntry, error) {
	if !requirement.ValidName(e.Add) {
		return nil, usage(BadIndexName, e.Add)
	}
	if fetch.Redact(e.At) != e.At {
		return nil, usage(SecretInAddress)
	}
	if !utf8.ValidString(e.At) {
		return nil, usage(AddressNotText)
	}
	entry := project.IndexEntry{Name: e.Add, At: e.At, Holds: e.Holds}
	if rel, err := filepath.Rel(relativeTo, e.At); err == nil && relativeTo != "" && filepath.IsAbs(e.At) {
		entry.At = filepath.ToSlash(rel)
	}
	if i, ok := at[e.Add]; ok {
		out := append([]project.IndexEntry(nil), list...)
		out[i] = entry
		return out, nil
	}
	return append(append([]project.IndexEntry(nil), list...), entry), nil
}

// noteEmpty tells where a folder that becomes an index has no package files.
func (m *Machine) noteEmpty(ctx context.Context, dir string) {
	names, err := index.NewFolder("", dir).Names(ctx)
	if err != nil || len(names) > 0 {
		return // that it is not there is told already
	}
	pages, err := fs.Glob(os.DirFS(dir), "*/index.html")
	if err == nil && len(pages) > 0 {
		m.note(PagesInFolder, project.Shorten(m.Dir, dir))
		return
	}
	m.note(NoFilesNow, project.Shorten(m.Dir, dir))
}

// indexAt is an address of an index as a user gave it, or the absolute path of a folder.
func (m *Machine) indexAt(at string) (string, error) {
	switch u, err := url.Parse(at); {
	case registry.IsRef(at):
		_, err := registry.ParseBase(at)
		return at, err
	case at == index.SampleScheme:
		return at, nil
	case index.IsAddress(at) && err == nil && u.Host != "" && u.RawQuery+u.Fragment == "" && !u.ForceQuery:
		return u.Scheme + at[len(u.Scheme):], nil
	case index.IsAddress(at), strings.Contains(at, "://") && (err != nil || u.Scheme != "file"):
		return "", usage(BadIndexAddress, at)
	case err == nil && u.Scheme == "file":
		dir, ok := metadata.PathOf(at)
		if !ok {
			return "", usage(AddressElsewhere, at)
		}
		at = dir
	}
	dir := m.absolute(at)
	if info, err := os.Stat(dir); err != nil || !info.IsDir() {
		m.note(NoFolderNow, at)
	}
	return dir, nil
}
