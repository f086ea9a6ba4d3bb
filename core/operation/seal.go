package operation

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"glassjar/core/digest"
	"glassjar/core/durable"
	"glassjar/core/index"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/signature"
	"glassjar/core/store"
	"glassjar/core/target"
)

// Sealed is a sealed jar: a zip of a record and of every file that it names.
type Sealed struct {
	File string
	// Packages are how many distributions, Files how many package files, Bytes
	// their sizes together.
	Packages int
	Files    int
	Bytes    int64
	// Targets are those that it serves.
	Targets []string
	// Faults are what a check found: files that are missing, altered, or too many.
	Faults []string
	// Signed tells that it was signed or, where a check asked for it, by whom.
	Signed *signature.Signed
	// Digest is that of the artifact in a registry, empty for a file; Sent is how many of the
	// files the registry did not have, SentBytes their sizes.
	Digest    string
	Sent      int
	SentBytes int64
	// Releases is how many an index in a registry has got.
	Releases int
}

// SealOptions say what to seal.
type SealOptions struct {
	Jar  string
	File string
	// Targets restrict it to these platforms, such as "linux-x86_64", or targets
	// with a Python, such as "linux-x86_64 3.12"; empty for all of the record.
	Targets []string
	// Built takes along the wheels that were built of source on this machine, beside their
	// sources.
	Built bool
	// Sign is the file of the key with which the sealed record is signed, or empty.
	Sign string
	// AsIndex puts the package files into a registry as an index has them: a tag for each
	// release.
	AsIndex bool
}

// sealedDate is that of all members: the first day of the format.
var sealedDate = time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)

// selection is what goes into a sealed jar.
type selection struct {
	spec    *project.Spec
	record  *project.Record
	targets []target.Target
	// files are package files, also those that others are built with; pythons are the pinned
	// interpreters.
	files   []index.File
	pythons []project.PinnedPython
}

// selectSealed reads the record, and chooses what its targets need.
func (m *Machine) selectSealed(opt SealOptions) (*selection, error) {
	at, err := m.Places().Locate(opt.Jar, false)
	if err != nil {
		return nil, err
	}
	record, err := project.ReadRecord(at.RecordFile)
	if err != nil {
		return nil, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	targets, err := sealTargets(record, spec, opt.Targets)
	if err != nil {
		return nil, err
	}
	var built []index.File
	if opt.Built {
		if record, built, err = m.withBuilt(at, record); err != nil {
			return nil, err
		}
		if len(opt.Targets) == 0 {
			targets = servedByBuilt(record, targets)
		}
	}
	if err := fromFolders(record); err != nil {
		return nil, err
	}
	files, err := sealFiles(record, targets)
	if err != nil {
		return nil, err
	}
	files = joinFiles(files, built)
	return &selection{spec, record, targets, append(files, toolFiles(record, files)...), pinnedFiles(record, targets)}, nil
}

// Seal writes a sealed jar. Equal records and files give equal bytes.
func (m *Machine) Seal(ctx context.Context, opt SealOptions) (*Sealed, error) {
	var base registry.Base
	switch _, err := registry.Parse(opt.File); {
	case opt.AsIndex:
		if base, err = registry.ParseBase(opt.File); err != nil {
			return nil, err
		}
	case registry.IsRef(opt.File) && err != nil:
		return nil, err
	}
	chosen, err := m.selectSealed(opt)
	if err != nil {
		return nil, err
	}
	text, err := sealedRecord(chosen.record, chosen.files, chosen.pythons)
	if err != nil {
		return nil, err
	}
	var sig []byte
	var signed *signature.Signed
	if opt.Sign != "" {
		if sig, signed, err = m.signText(ctx, opt.Sign, text); err != nil {
			return nil, err
		}
	}
	release, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return nil, err
	}
	defer release()
	defer m.dropUnpacked(chosen)
	out := &Sealed{File: opt.File, Signed: signed, Packages: len(chosen.record.Packages), Targets: targetNames(chosen.targets), Faults: []string{}}
	gather := m.gather
	if registry.IsRef(opt.File) && !opt.AsIndex {
		gather = m.gatherLate
	}
	members, err := gather(ctx, chosen, out)
	if err != nil {
		return nil, err
	}
	if opt.AsIndex {
		return out, m.pushReleases(ctx, base, chosen, members, out)
	}
	if registry.IsRef(opt.File) {
		return out, m.pushSealed(ctx, opt.File, chosen, text, sig, members, out)
	}
	return out, m.writeSealed(ctx, m.absolute(opt.File), text, sig, members)
}

// dropUnpacked removes files that were only wanted for a while from the store: what they
// unpack to is there.
func (m *Machine) dropUnpacked(chosen *selection) {
	var sums []string
	for _, f := range chosen.files {
		sums = append(sums, f.SHA256())
	}
	for _, one := range chosen.pythons {
		sums = append(sums, one.SHA256)
	}
	for _, sum := range sums {
		if !m.Store.KeepPackages && m.Store.HasTree(sum) {
			m.Store.Drop(sum)
		}
	}
}

// sealTargets are those that the record serves, or the ones asked for.
func sealTargets(record *project.Record, spec *project.Spec, asked []string) ([]target.Target, error) {
	all, err := target.All(spec.Tool.Targets, spec.RequiresPython)
	if err != nil {
		return nil, err
	}
	var out []target.Target
	for _, t := range all {
		env := t.Environment()
		if plan.Served(record, env) != nil || !record.RequiresPython.Holds(env.Python) {
			continue
		}
		if len(asked) == 0 || slices.Contains(asked, t.Platform()) || slices.Contains(asked, t.String()) {
			out = append(out, t)
		}
	}
	if len(out) == 0 {
		return nil, usage(NoSuchTargets, strings.Join(asked, ", "), strings.Join(targetNames(all), ", "))
	}
	return out, nil
}

func targetNames(list []target.Target) []string {
	out := []string{}
	for _, t := range list {
		out = append(out, t.String())
	}
	return out
}

// sealFiles are the package files that the targets need, each once, by name.
func sealFiles(record *project.Record, targets []target.Target) ([]index.File, error) {
	byName := map[string]index.File{}
	for _, t := range targets {
		env := t.Environment()
		for _, e := range record.Packages {
			if !holdsForSome(record, e, env) {
				continue
			}
			f, err := plan.PickFile(record, e, env)
			if err != nil {
				return nil, err
			}
			byName[f.Name] = f
			if e.Sdist != nil && builtHere(record, f.Name) {
				f = plan.RecordedFile(record, e, *e.Sdist) // its source goes along
				byName[f.Name] = f
			}
		}
	}
	var out []index.File
	for _, name := range sortedNames(byName) {
		out = append(out, byName[name])
	}
	return out, nil
}

// builtHere reports whether a wheel is one that was built.
func builtHere(record *project.Record, file string) bool {
	return slices.ContainsFunc(record.Built, func(b project.Built) bool { return b.Wheel == file })
}

// joinFiles adds files, in place of those of the same name.
func joinFiles(files, more []index.File) []index.File {
	return append(slices.DeleteFunc(files, func(f index.File) bool {
		return slices.ContainsFunc(more, func(o index.File) bool { return o.Name == f.Name })
	}), more...)
}

// holdsForSome reports whether an entry applies in an environment with whatever
// groups and extras.
func holdsForSome(record *project.Record, e project.Package, env target.Environment) bool {
	return e.Marker.HoldsIn(env.Markers, record.Extras, record.Groups) || e.Marker.HoldsIn(env.Markers, nil, nil)
}

// sealedRecord is the record with the files that are sealed, by paths beside it,
// and no others.
func sealedRecord(record *project.Record, files []index.File, pythons []project.PinnedPython) ([]byte, error) {
	in := map[string]index.File{}
	for _, f := range files {
		in[f.Name] = f
	}
	sealed := *record
	sealed.Packages, sealed.Built = nil, slices.Clone(record.Built)
	sealed.Pythons = slices.Clone(pythons)
	for i := range sealed.Pythons {
		sealed.Pythons[i].Path = sealed.Pythons[i].File
		if strings.HasPrefix(sealed.Pythons[i].URL, "file:") {
			sealed.Pythons[i].URL = "" // it means nothing elsewhere
		}
	}
	for i, one := range sealed.Built {
		if !sourceAlong(files, one) {
			sealed.Built[i].With = nil
		}
	}
	for _, e := range record.Packages {
		var wheels []project.PackageFile
		for _, w := range e.Wheels {
			if _, ok := in[w.FileName()]; ok {
				wheels = append(wheels, besides(w))
			}
		}
		e.Wheels = wheels
		if e.Sdist != nil {
			source := besides(*e.Sdist)
			e.Sdist = nil
			if _, ok := in[source.Name]; ok {
				e.Sdist = &source
			}
		}
		if e.Archive != nil {
			a := besides(*e.Archive)
			e.Archive = &a
		}
		if len(wheels) == 0 && e.Archive == nil && e.Sdist == nil {
			continue // for targets that were not asked for
		}
		e.Index = ""
		sealed.Packages = append(sealed.Packages, e)
	}
	return sealed.Format(), nil
}

func besides(f project.PackageFile) project.PackageFile {
	name := f.FileName()
	f.Name, f.Path = name, name
	if strings.HasPrefix(f.URL, "file:") {
		f.URL = "" // it means nothing elsewhere
	}
	return f
}

// unsealedRecord is the record of a sealed jar as that of a jar made from it: by the
// addresses that the files came from. Where a file has none, there is no such record.
func unsealedRecord(sealed *project.Record) ([]byte, bool) {
	out := *sealed
	out.Packages, out.Built = nil, slices.Clone(sealed.Built)
	out.Pythons = slices.Clone(sealed.Pythons)
	for i := range out.Pythons {
		if out.Pythons[i].URL != "" {
			out.Pythons[i].Path = ""
		}
	}
	for i := range out.Built {
		out.Built[i].Wheel, out.Built[i].Libraries = "", nil
	}
	for _, e := range sealed.Packages {
		wheels := e.Wheels
		e.Wheels = nil
		for _, w := range wheels {
			if e.Sdist == nil || !builtHere(sealed, w.FileName()) {
				e.Wheels = append(e.Wheels, elsewhere(w))
			}
		}
		if e.Sdist != nil {
			s := elsewhere(*e.Sdist)
			e.Sdist = &s
		}
		if e.Archive != nil {
			a := elsewhere(*e.Archive)
			e.Archive = &a
		}
		out.Packages = append(out.Packages, e)
	}
	return out.Format(), !namesPaths(&out)
}

func elsewhere(f project.PackageFile) project.PackageFile {
	if f.URL != "" {
		f.Path = ""
	}
	return f
}

// writeSealed writes the zip: the record first, the files by name, stored as they
// are, since they are packed already.
func (m *Machine) writeSealed(ctx context.Context, file string, record, sig []byte, members map[string]sealing) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o777); err != nil {
		return err
	}
	name, done := m.Making.Begin(filepath.Join(filepath.Dir(file), "."+filepath.Base(file)))
	defer done()
	temp, err := os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o666)
	if err != nil {
		return err
	}
	defer os.Remove(temp.Name())
	z := zip.NewWriter(temp)
	put := func(name string, from io.Reader, method uint16) error {
		h := &zip.FileHeader{Name: name, Method: method, Modified: sealedDate}
		h.SetMode(0o644)
		w, err := z.CreateHeader(h)
		if err == nil {
			_, err = io.Copy(w, from)
		}
		return err
	}
	err = put(project.RecordFile, bytes.NewReader(record), zip.Store)
	if err == nil && sig != nil {
		err = put(project.RecordFile+signature.Ending, bytes.NewReader(sig), zip.Store)
	}
	for _, name := range sortedNames(members) {
		if err != nil {
			break
		}
		err = m.sealOne(ctx, name, members[name], func(from io.Reader) error { return put(name, from, zip.Store) })
	}
	if err == nil {
		err = z.Close()
	}
	if err2 := temp.Close(); err == nil {
		err = err2
	}
	if err == nil {
		err = durable.File(temp.Name())
	}
	if err == nil {
		err = os.Rename(temp.Name(), file)
	}
	if err != nil {
		return err
	}
	return durable.Parent(file)
}

// sealOne puts a package file into a sealed jar, and compares it with its hash on the
// way: a power cut may have left it damaged in the store, which then forgets it.
func (m *Machine) sealOne(ctx context.Context, name string, s sealing, put func(io.Reader) error) error {
	f, err := os.Open(s.path)
	if err != nil {
		return err
	}
	defer f.Close()
	h := sha256.New()
	if err := put(io.TeeReader(digest.WithContext(ctx, f), h)); err != nil {
		return err
	}
	if have := hex.EncodeToString(h.Sum(nil)); have != s.sum {
		m.Store.Drop(s.sum)
		return &store.HashError{File: name, Want: s.sum, Have: have}
	}
	return nil
}
