package operation

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"time"

	"glassjar/core/digest"
	"glassjar/core/durable"
	"glassjar/core/index"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
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
}

// SealOptions say what to seal.
type SealOptions struct {
	Jar  string
	File string
	// Targets restrict it to these platforms, such as "linux-x86_64", or targets
	// with a Python, such as "linux-x86_64 3.12"; empty for all of the record.
	Targets []string
}

// sealedDate is that of all members: the first day of the format.
var sealedDate = time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)

// Seal writes a sealed jar. Equal records and files give equal bytes.
func (m *Machine) Seal(ctx context.Context, opt SealOptions) (*Sealed, error) {
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
	files, err := sealFiles(record, targets)
	if err != nil {
		return nil, err
	}
	release, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return nil, err
	}
	defer release()
	indexes, _ := m.indexes(spec)
	paths, err := m.newCatalog(indexes).FetchAll(ctx, files)
	if err != nil {
		m.note(SealNeedsPackages)
		return nil, err
	}
	defer m.dropUnpacked(files)
	out := &Sealed{File: opt.File, Packages: len(record.Packages), Files: len(files), Targets: targetNames(targets), Faults: []string{}}
	text, err := sealedRecord(record, files)
	if err != nil {
		return nil, err
	}
	members := map[string]sealing{}
	for _, f := range files {
		members[f.Name] = sealing{paths[f.URL], f.SHA256()}
		if info, err := os.Stat(paths[f.URL]); err == nil {
			out.Bytes += info.Size()
		}
	}
	file := opt.File
	if !filepath.IsAbs(file) {
		file = filepath.Join(m.Dir, file)
	}
	return out, m.writeSealed(ctx, file, text, members)
}

// dropUnpacked removes package files that were only wanted for a while from the
// store: what they unpack to is there.
func (m *Machine) dropUnpacked(files []index.File) {
	for _, f := range files {
		if !m.Store.KeepPackages && m.Store.HasTree(f.SHA256()) {
			m.Store.Drop(f.SHA256())
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
		}
	}
	var out []index.File
	for _, name := range sortedNames(byName) {
		out = append(out, byName[name])
	}
	return out, nil
}

// holdsForSome reports whether an entry applies in an environment with whatever
// groups and extras.
func holdsForSome(record *project.Record, e project.Package, env target.Environment) bool {
	return e.Marker.HoldsIn(env.Markers, record.Extras, record.Groups) || e.Marker.HoldsIn(env.Markers, nil, nil)
}

// sealedRecord is the record with the files that are sealed, by paths beside it,
// and no others.
func sealedRecord(record *project.Record, files []index.File) ([]byte, error) {
	in := map[string]index.File{}
	for _, f := range files {
		in[f.Name] = f
	}
	sealed := *record
	sealed.Packages = nil
	for _, e := range record.Packages {
		var wheels []project.PackageFile
		for _, w := range e.Wheels {
			if _, ok := in[w.FileName()]; ok {
				wheels = append(wheels, besides(w))
			}
		}
		e.Wheels, e.Sdist = wheels, nil
		if e.Archive != nil {
			a := besides(*e.Archive)
			e.Archive = &a
		}
		if len(wheels) == 0 && e.Archive == nil {
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
	out.Packages = nil
	for _, e := range sealed.Packages {
		wheels := e.Wheels
		e.Wheels = nil
		for _, w := range wheels {
			e.Wheels = append(e.Wheels, elsewhere(w))
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
func (m *Machine) writeSealed(ctx context.Context, file string, record []byte, members map[string]sealing) error {
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
	err = put(project.RecordFile, strings.NewReader(string(record)), zip.Store)
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

// sealing is a package file that goes into a sealed jar.
type sealing struct{ path, sum string }

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

// CheckSealed verifies every byte of a sealed jar against its record.
func (m *Machine) CheckSealed(ctx context.Context, file string) (*Sealed, error) {
	if !filepath.IsAbs(file) {
		file = filepath.Join(m.Dir, file)
	}
	z, record, err := openSealed(file)
	if err != nil {
		return nil, err
	}
	defer z.Close()
	out := &Sealed{File: file, Packages: len(record.Packages), Targets: []string{}, Faults: []string{}}
	members := map[string]*zip.File{}
	for _, f := range z.File {
		members[f.Name] = f
	}
	for _, want := range recordedFiles(record) {
		f, ok := members[want.Path]
		if !ok {
			out.Faults = append(out.Faults, want.Path+" is missing")
			continue
		}
		delete(members, want.Path)
		sum, size, err := sumMember(ctx, f)
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		out.Files++
		out.Bytes += size
		if err != nil || sum != want.Hashes["sha256"] {
			out.Faults = append(out.Faults, want.Path+" is not what the record says")
		}
	}
	delete(members, project.RecordFile)
	for _, name := range sortedNames(members) {
		out.Faults = append(out.Faults, name+" is in no record")
	}
	return out, nil
}

func recordedFiles(record *project.Record) []project.PackageFile {
	var out []project.PackageFile
	for _, e := range record.Packages {
		out = append(out, filesOf(e)...)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Path < out[j].Path })
	return out
}

// openMember opens a member, of which no more is unpacked than its zip announces.
func openMember(f *zip.File) (io.Reader, io.Closer, error) {
	r, err := f.Open()
	if err != nil {
		return nil, nil, err
	}
	most := min(f.UncompressedSize64, limits.Package)
	return io.LimitReader(r, int64(most)+1), r, nil
}

func sumMember(ctx context.Context, f *zip.File) (string, int64, error) {
	r, c, err := openMember(f)
	if err != nil {
		return "", 0, err
	}
	defer c.Close()
	h := sha256.New()
	n, err := io.Copy(h, digest.WithContext(ctx, r))
	return hex.EncodeToString(h.Sum(nil)), n, err
}

// openSealed opens a sealed jar and reads its record.
func openSealed(file string) (*zip.ReadCloser, *project.Record, error) {
	not := func(why string) error {
		return &project.FileError{File: file, Why: "it is no sealed jar: " + why, Kind: project.SealedKind}
	}
	z, err := zip.OpenReader(file)
	if err != nil {
		if os.IsNotExist(err) {
			return nil, nil, usage(NoSealedJar, filepath.Base(file))
		}
		return nil, nil, not("it is no zip, or cut off")
	}
	for _, f := range z.File {
		if f.Name != project.RecordFile {
			continue
		}
		r, err := f.Open()
		if err != nil {
			break
		}
		text, err := limits.ReadAll(r, "the record of a sealed jar", limits.Record)
		r.Close()
		if err != nil {
			break
		}
		record, err := project.ParseRecord(filepath.Join(filepath.Dir(file), project.RecordFile), text)
		if err != nil {
			z.Close()
			return nil, nil, err
		}
		return z, record, nil
	}
	z.Close()
	return nil, nil, not("it has no " + project.RecordFile)
}

// unseal brings the files of a selection out of a sealed jar into the store,
// each verified on the way, so that no network is needed.
func (m *Machine) unseal(ctx context.Context, z *zip.ReadCloser, selected []plan.Choice) error {
	members := map[string]*zip.File{}
	for _, f := range z.File {
		members[f.Name] = f
	}
	for i := range selected {
		f := &selected[i].File
		member, ok := members[f.Name]
		if !ok {
			return usage(SealedLacks, f.Name)
		}
		if m.Store.HasTree(f.SHA256()) {
			continue
		}
		if have, here := m.Store.Verified(ctx, f.SHA256()); here {
			f.Path = have
			continue
		}
		r, c, err := openMember(member)
		if err != nil {
			return &store.HashError{File: f.Name, Want: f.SHA256(), Have: "unreadable"}
		}
		_, where, err := m.Store.Add(ctx, f.Name, f.SHA256(), r)
		c.Close()
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		f.Path = where
	}
	return nil
}

// fromSealed makes a jar be what a sealed jar holds.
func (m *Machine) fromSealed(ctx context.Context, at place.Place, spec *project.Spec, file string, opt RecreateOptions, decide Decide) (*Outcome, error) {
	z, record, err := openSealed(file)
	if err != nil {
		return nil, err
	}
	defer z.Close()
	if !fileExists(at.SpecFile) && !fileExists(at.RecordFile) {
		text, ok := unsealedRecord(record)
		if opt.adopt = text; !ok {
			opt.adopt = nil
			m.note(NoRecordOfSealed)
		}
	}
	opt.unseal = func(selected []plan.Choice) error { return m.unseal(ctx, z, selected) }
	return m.fromRecord(ctx, at, spec, record, opt, decide)
}
