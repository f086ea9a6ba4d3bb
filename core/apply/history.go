package apply

import (
	"maps"
	"slices"
	"sort"

	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/version"
)

// nextMoments are the states that a plan leads to: one, behind that which somebody made by hand
// where that is to be kept.
func (a *Applier) nextMoments(w Work, origins map[string]string) ([]jar.Moment, error) {
	last, _, err := w.Jar.LastMoment()
	if err != nil {
		return nil, err
	}
	number, err := w.Jar.NextNumber()
	if err != nil {
		return nil, err
	}
	var out []jar.Moment
	if w.ByHand {
		byHand := last
		byHand.Number, byHand.At, byHand.Command, byHand.Did = number, a.Now(), jar.ByHand, nil
		byHand.Spec, byHand.Record = TextOf(nil, w.Place.SpecFile), TextOf(nil, w.Place.RecordFile)
		out, number = append(out, byHand), number+1
	}
	next := jar.Moment{Number: number, At: a.Now(), Command: a.Command, Python: w.Jar.State.Python, Parts: w.Parts, Did: did(w.Plan)}
	have := map[string]jar.MomentPackage{}
	for _, e := range last.Packages {
		have[e.Name] = e
	}
	for _, d := range w.Removed {
		delete(have, d.Key())
	}
	for _, c := range w.Steps.Install {
		have[c.Name] = jar.MomentPackage{Name: c.Name, Version: c.Version.String(), File: c.File.Name, SHA256: origins[c.Name], Size: max(c.File.Size, 0),
			URL: c.File.URL, Index: c.File.Index, Direct: c.File.Index == "", Requested: c.Asked, Built: c.Built, LibraryPath: c.LibraryPath, Subdirectory: c.File.Subdirectory, Tree: treeOf(c.File.Tree)}
	}
	for name, asked := range w.Steps.Asked {
		if e, ok := have[name]; ok {
			e.Requested = asked
			have[name] = e
		}
	}
	for _, name := range slices.Sorted(maps.Keys(have)) {
		next.Packages = append(next.Packages, have[name])
	}
	next.Spec, next.Record = TextOf(w.Write, w.Place.SpecFile), TextOf(w.Write, w.Place.RecordFile)
	return append(out, next), nil
}

// treeOf is a folder or a repository as a state keeps it.
func treeOf(t *index.Tree) *jar.MomentTree {
	if t == nil {
		return nil
	}
	return &jar.MomentTree{Folder: t.Folder, Editable: t.Editable, Own: t.Own, Repository: t.Repository, Requested: t.Requested, Commit: t.Commit}
}

// TextOf is what a file holds once what is to be written is; nil if it is not there.
func TextOf(write map[string][]byte, file string) *string {
	data, written := write[file]
	if !written {
		var err error
		if data, err = limits.ReadFile(file, limits.Own); err != nil {
			return nil
		}
	}
	if data == nil {
		return nil
	}
	text := string(data)
	return &text
}

// did says what a plan does, a word each.
func did(p *plan.Plan) []string {
	var out []string
	for _, i := range p.Add {
		out = append(out, "+"+i.Name+" "+i.Version)
	}
	for _, i := range p.Change {
		out = append(out, i.Name+" "+i.From+" -> "+i.Version)
	}
	for _, i := range p.Mend {
		out = append(out, "mended "+i.Name)
	}
	for _, i := range p.Remove {
		out = append(out, "-"+i.Name+" "+i.From)
	}
	return out
}

// Choices are the distributions of a state as files to be had: from the
// store, or from where they came.
func Choices(to jar.Moment) ([]plan.Choice, error) {
	var out []plan.Choice
	for _, e := range to.Packages {
		v, err := version.Parse(e.Version)
		if err != nil {
			return nil, &project.FileError{File: "the history", Where: e.Name, Why: err.Error()}
		}
		f := index.File{Name: e.File, Distribution: e.Name, Version: v, URL: e.URL, Size: e.Size, Index: e.Index, Hashes: digest.Sums{SHA256: e.SHA256}}
		if path, ok := metadata.PathOf(e.URL); ok {
			f.Path = path
		}
		if name, err := metadata.ParseWheelName(e.File); err == nil {
			f.Wheel = &name
		}
		if e.Direct {
			f.Index = ""
		}
		f.Subdirectory = e.Subdirectory
		if t := e.Tree; t != nil {
			f.Tree = &index.Tree{Folder: t.Folder, Editable: t.Editable, Own: t.Own, Repository: t.Repository, Requested: t.Requested, Commit: t.Commit}
		}
		out = append(out, plan.Choice{Name: e.Name, Version: v, File: f, Asked: e.Requested, Built: e.Built, LibraryPath: e.LibraryPath})
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out, nil
}

// directOf is direct_url.json (PEP 610) for what no index gave; sum is the SHA-256 of its
// package file.
func directOf(f index.File, sum string) *metadata.DirectURL {
	if f.Index != "" {
		return nil
	}
	d := &metadata.DirectURL{URL: f.URL, Subdir: f.Subdirectory}
	switch t := f.Tree; {
	case t == nil && f.IsSource():
		d.ArchiveInfo = &metadata.ArchiveInfo{Hashes: map[string]string{"sha256": f.SHA256()}}
	case t == nil:
		d.ArchiveInfo = &metadata.ArchiveInfo{Hashes: map[string]string{"sha256": sum}}
	case t.Repository != "":
		d.URL, d.VCSInfo = t.Repository, &metadata.VCSInfo{VCS: "git", RequestedRevision: t.Requested, CommitID: t.Commit}
	default:
		d.DirInfo = &metadata.DirInfo{Editable: t.Editable}
	}
	return d
}
