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

	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/store"
)

// CheckSealed verifies every byte of a sealed jar against its record.
func (m *Machine) CheckSealed(ctx context.Context, file string) (*Sealed, error) {
	file = m.absolute(file)
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
	for _, one := range record.Pythons {
		out = append(out, project.PackageFile{Name: one.File, Path: one.Path, Hashes: map[string]string{"sha256": one.SHA256}})
	}
	for _, one := range record.Built {
		for _, w := range one.With {
			out = append(out, project.PackageFile{Name: w.File, Path: w.File, Hashes: map[string]string{"sha256": w.SHA256}})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Path < out[j].Path })
	return slices.CompactFunc(out, func(a, b project.PackageFile) bool { return a.Path == b.Path })
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
func (m *Machine) unseal(ctx context.Context, z *zip.ReadCloser, record *project.Record, in interpreter.Interpreter, selected []plan.Choice) error {
	members := map[string]*zip.File{}
	for _, f := range z.File {
		members[f.Name] = f
	}
	wanted := make([]*index.File, 0, len(selected))
	var sources []index.File
	for i := range selected {
		f := &selected[i].File
		if err := checkBuilt(ctx, record, *f, in); err != nil {
			return err
		}
		wanted, sources = append(wanted, f), append(sources, *f)
	}
	for _, f := range toolFiles(record, sources) {
		wanted = append(wanted, &f)
	}
	for _, f := range wanted {
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
	opt.unseal = func(in interpreter.Interpreter, selected []plan.Choice) error {
		return m.unseal(ctx, z, record, in, selected)
	}
	opt.bring = func(one project.PinnedPython) error { return m.unsealPython(ctx, z, one) }
	return m.fromRecord(ctx, at, spec, record, opt, decide)
}

// unsealPython brings the file of an interpreter out of a sealed jar into the store.
func (m *Machine) unsealPython(ctx context.Context, z *zip.ReadCloser, one project.PinnedPython) error {
	if _, here := m.Store.Verified(ctx, one.SHA256); here || m.pythonUnpacked(one.SHA256) {
		return nil
	}
	for _, f := range z.File {
		if f.Name != one.File {
			continue
		}
		r, c, err := openMember(f)
		if err != nil {
			return &store.HashError{File: f.Name, Want: one.SHA256, Have: "unreadable"}
		}
		defer c.Close()
		_, _, err = m.Store.Add(ctx, f.Name, one.SHA256, r)
		return err
	}
	return usage(SealedLacks, one.File)
}

// pythonUnpacked reports whether what the file of an interpreter unpacks to is in the store.
func (m *Machine) pythonUnpacked(sum string) bool {
	_, ok := m.pythons().Tree(sum)
	return ok
}
