package operation

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"glassjar/core/atomicfile"
	"glassjar/core/digest"
	"glassjar/core/git"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/resolve"
	"glassjar/core/signature"
	"glassjar/core/tomltext"
)

// NotMergedError says why two changes of a record cannot be made one here: it stays a conflict.
type NotMergedError struct {
	File string
	Err  error
}

func (e *NotMergedError) Error() string { return e.File + " stays a conflict: " + e.Err.Error() }

func (e *NotMergedError) Unwrap() error { return e.Err }

// MergedRecord tells what became of a record that two sides changed.
type MergedRecord struct {
	File string
	// Added and Dropped are what it asks for, and does not, other than our side; Moved are
	// distributions of which both had another version.
	Added, Dropped []string
	Moved          []project.MovedTwice
	Packages       int
}

// MergeRecordFiles merges two changes of a record, as git asks for it: base, ours and theirs are
// files with the three texts, and ours gets the result; path is where the record belongs, whose
// spec says where packages come from. Nothing is fetched, built or run, and no jar is touched. The
// error is a [*NotMergedError] where the sides, or the cache, do not have an answer.
func (m *Machine) MergeRecordFiles(ctx context.Context, base, ours, theirs, path string) (*MergedRecord, error) {
	file := m.absolute(path)
	at := m.Places().At(filepath.Join(filepath.Dir(file), place.JarFolder), place.Named)
	at.RecordFile = file
	not := func(err error) error { return &NotMergedError{project.Shorten(m.Dir, file), err} }
	var records [3]*project.Record
	for i, name := range []string{base, ours, theirs} {
		text, err := limits.ReadFile(m.absolute(name), limits.Record)
		if err != nil {
			return nil, err
		}
		if i == 0 && len(text) == 0 {
			continue // both sides made one
		}
		if records[i], err = project.ParseRecord(file, text); err != nil {
			return nil, not(err)
		}
		if !records[i].Ours() {
			return nil, not(errors.New("another program made it, and so it does not say what was asked for"))
		}
	}
	merge := project.MergeRecords(records[0], records[1], records[2])
	text, err := m.solveMerge(ctx, at, merge)
	if err != nil {
		return nil, not(err)
	}
	written, err := project.ParseRecord(file, text)
	if err != nil {
		return nil, err
	}
	out := &MergedRecord{file, merge.Added, merge.Dropped, merge.Moved, len(written.Packages)}
	return out, atomicfile.Write(m.absolute(ours), text, atomicfile.Options{Within: filepath.Dir(m.absolute(ours)), LineEnds: true})
}

// MergeSignatures says in the file ours, as git asks for it, that two signed records were merged:
// the signature of neither side is of what they became.
func (m *Machine) MergeSignatures(ours string) error {
	file := m.absolute(ours)
	return atomicfile.Write(file, []byte(signature.Merged), atomicfile.Options{Within: filepath.Dir(file)})
}

// MergeLines merges three texts line by line, as git does it, into that of ours; clean is false
// where marks stand in it.
func (m *Machine) MergeLines(ctx context.Context, base, ours, theirs, size string) (clean bool, err error) {
	_, err = git.Run(ctx, m.Dir, "merge-file", "--marker-size="+size, "-L", "ours", "-L", "before", "-L", "theirs", m.absolute(ours), m.absolute(base), m.absolute(theirs))
	text, failed := limits.ReadFile(m.absolute(ours), limits.Record)
	if failed != nil {
		return false, failed
	}
	if _, _, _, marked := project.Sides(text); marked {
		return false, nil
	}
	return true, err
}

// solveMerge is the text of the record for what both sides ask for, out of what is known here.
func (m *Machine) solveMerge(ctx context.Context, at place.Place, merge project.Merge) ([]byte, error) {
	m.Client.Offline, m.NoHints = true, true
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	if !spec.Exists() {
		return nil, &NoSpecError{at.SpecFile}
	}
	text, ok, err := spec.Asking(merge.Record.Asked)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, errors.New("what comes from files or folders differs")
	}
	if want := merge.Record.RequiresPython.Written(); want != spec.RequiresPython.Written() {
		text = tomltext.Set(text, []string{"project", "requires-python"}, tomltext.String(want))
	}
	if spec, err = spec.With(text); err != nil {
		return nil, err
	}
	var p *job
	var installed []jar.Installed
	if at.Exists() && m.Places().MayBeUsed(at.Root) {
		p, installed, err = m.newPlan(ctx, at)
	} else { // a stranger's jar is not asked for its Python
		p, err = m.planWithoutJar(ctx, at, spec)
	}
	if err != nil {
		return nil, err
	}
	p.before = merge.Record
	indexes, sampleOnly := m.indexes(spec)
	p.catalog, p.SampleOnly = m.newCatalog(indexes), sampleOnly
	if err := plan.CheckPython(spec.RequiresPython, p.environment()); err != nil {
		return nil, err
	}
	roots := rootsOf(spec, resolveOptions{})
	u, err := m.solveAll(ctx, p, spec, roots, resolve.Problem{Keep: keepOf(merge.Record, installed, resolveOptions{})})
	if err != nil {
		return nil, err
	}
	return m.recordText(ctx, p, spec, roots, u)
}

// mergeMarks takes the marks of a merge that failed out of the spec, or what a merge left in it
// twice: what both sides ask for counts. checking changes nothing, and refuses such a spec.
func (m *Machine) mergeMarks(ctx context.Context, at place.Place, checking bool) error {
	text, err := limits.ReadFile(at.SpecFile, limits.Settings)
	if err != nil {
		return nil // whoever reads it says so
	}
	found, done := MergeMarks, SpecMerged
	ours, base, theirs, ok := project.Sides(text)
	if !ok {
		found, done = MergedTwice, SpecJoined
		ours, theirs, ok = project.Doubled(text)
	}
	if !ok {
		return nil
	}
	if checking {
		return usage(found, m.relative(at.SpecFile))
	}
	if base == nil {
		base = m.began(ctx, at.SpecFile)
	}
	merged, err := project.MergeSpecs(at.SpecFile, base, ours, theirs)
	if err != nil {
		return err
	}
	m.note(done, m.relative(at.SpecFile))
	_, err = m.writeIfNew(at.SpecFile, merged)
	return err
}

// began is the text that both sides of a merge that is under way began with, or nil.
func (m *Machine) began(ctx context.Context, file string) []byte {
	text, err := git.File(ctx, filepath.Dir(file), ":1", filepath.Base(file))
	if err != nil {
		return nil
	}
	return text
}

// recordOf reads the record whose versions are to be kept: of one that git could not merge, or
// merged line by line into what is no record, what both sides say.
func (m *Machine) recordOf(ctx context.Context, at place.Place) (record *project.Record, merged bool, err error) {
	text, record, err := project.ReadRecordText(at.RecordFile)
	var damaged *project.FileError
	if !errors.As(err, &damaged) {
		return record, false, err
	}
	side := func(text []byte) *project.Record {
		if text == nil {
			return nil
		}
		r, err := project.ParseRecord(at.RecordFile, text)
		if err != nil {
			r = project.Salvage(text)
		}
		return r
	}
	ours, base, theirs, ok := project.Sides(text)
	if !ok {
		m.note(RecordAnew, damaged.Error())
		return project.Salvage(text), true, nil
	}
	if base == nil {
		base = m.began(ctx, at.RecordFile)
	}
	merge := project.MergeRecords(side(base), side(ours), side(theirs))
	m.note(RecordMerged, movedWords(merge.Moved))
	return merge.Record, true, nil
}

// movedWords names what both sides moved, after a colon; empty where they moved nothing.
func movedWords(list []project.MovedTwice) string {
	var words []string
	for _, one := range list {
		words = append(words, fmt.Sprintf("%s %s, of %s and %s", one.Name, one.Taken, one.Ours, one.Theirs))
	}
	if len(words) == 0 {
		return ""
	}
	return ": " + strings.Join(words, "; ")
}

// RecordLines are a record for people to read, and for git to compare line by line: what it asks
// for and serves, and an entry a line, with a hash of its files.
func (m *Machine) RecordLines(file string) ([]string, error) {
	text, err := limits.ReadFile(m.absolute(file), limits.Record)
	if err != nil {
		return nil, err
	}
	r, err := project.ParseRecord(file, text)
	if err != nil {
		return strings.Split(strings.TrimRight(string(text), "\n"), "\n"), nil // it is shown as it is
	}
	var lines []string
	if r.RequiresPython.Written() != "" {
		lines = append(lines, "python  "+r.RequiresPython.Written())
	}
	for _, e := range r.Environments {
		lines = append(lines, "serves  "+e.String())
	}
	for _, a := range r.Asked {
		lines = append(lines, "asked   "+a)
	}
	for _, p := range r.Pythons {
		lines = append(lines, "pinned  "+p.File+"  "+p.SHA256[:12])
	}
	for _, p := range r.Packages {
		line := "package " + p.Name + " " + p.Version.String()
		if !p.Marker.IsZero() {
			line += "; " + p.Marker.String()
		}
		if p.VCS != nil {
			line += "  " + p.VCS.Commit
		}
		h := sha256.New()
		for _, f := range p.Files() {
			fmt.Fprintln(h, f.FileName(), f.Hashes[digest.SHA256])
		}
		lines = append(lines, fmt.Sprintf("%s  files %x", line, h.Sum(nil)[:6]))
	}
	return lines, nil
}
