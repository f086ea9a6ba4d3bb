package operation

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"slices"
	"sort"
	"sync/atomic"

	"glassjar/core/digest"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/signature"
	"glassjar/core/store"
)

// CheckSealed verifies every byte of a sealed jar against its record; signedBy is as in
// [RecreateOptions].
func (m *Machine) CheckSealed(ctx context.Context, at, signedBy string) (*Sealed, error) {
	if !registry.IsRef(at) {
		at = m.absolute(at)
	}
	z, err := m.openSealed(ctx, at)
	if err != nil {
		return nil, err
	}
	defer z.Close()
	out := &Sealed{File: at, Packages: len(z.record.Packages), Targets: []string{}, Faults: []string{}}
	if z.remote != nil {
		out.Digest = z.remote.Digest
	}
	if out.Signed, err = m.checkSigned(signedBy, project.Shorten(m.Dir, at), z.text, func() ([][]byte, error) { return z.signatures(ctx) }); err != nil {
		return nil, err
	}
	known := map[string]bool{project.RecordFile: true, project.RecordFile + signature.Ending: true}
	for _, want := range recordedFiles(z.record) {
		known[want.Path] = true
		if !z.has(want.Path, want.Hashes["sha256"]) {
			out.Faults = append(out.Faults, want.Path+" is missing")
			continue
		}
		sum, size, err := z.sum(ctx, want.Path, want.Hashes["sha256"])
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		out.Files++
		out.Bytes += size
		if err != nil || sum != want.Hashes["sha256"] {
			out.Faults = append(out.Faults, want.Path+" is not what the record says")
		}
	}
	for _, name := range sortedNames(z.names) {
		if !known[name] {
			out.Faults = append(out.Faults, name+" is in no record")
		}
	}
	return out, nil
}

// sum is the hash and size of a file that it has.
func (s *sealedJar) sum(ctx context.Context, name, sum string) (string, int64, error) {
	r, err := s.open(ctx, name, sum)
	if err != nil {
		return "", 0, err
	}
	defer r.Close()
	h := sha256.New()
	n, err := io.Copy(h, digest.WithContext(ctx, r))
	return hex.EncodeToString(h.Sum(nil)), n, err
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

// unseal brings the files of a selection out of a sealed jar into the store,
// each verified on the way, so that no network is needed.
func (m *Machine) unseal(ctx context.Context, z *sealedJar, in interpreter.Interpreter, selected []plan.Choice) error {
	record := z.record
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
	var came atomic.Int64
	group, inner := guard.WithContext(ctx)
	group.SetLimit(unsealAtOnce)
	for _, f := range wanted {
		if !z.has(f.Name, f.SHA256()) {
			return errors.Join(group.Wait(), usage(SealedLacks, f.Name))
		}
		if m.Store.HasTree(f.SHA256()) {
			continue
		}
		group.Go(func() (err error) {
			if f.Path, err = m.unsealOne(inner, z, f.Name, f.SHA256()); err == nil && z.remote != nil {
				m.report(progress.Event{Stage: "fetching", Done: came.Add(1), Total: int64(len(wanted)), Unit: "files"})
			}
			return err
		})
	}
	return group.Wait()
}

// unsealAtOnce is how many files come out of a sealed jar at a time.
const unsealAtOnce = 8

// unsealOne brings a file into the store, unless it is there, and gives its path.
func (m *Machine) unsealOne(ctx context.Context, z *sealedJar, name, sum string) (string, error) {
	if have, here := m.Store.Verified(ctx, sum); here {
		return have, nil
	}
	r, err := z.open(ctx, name, sum)
	if err != nil && z.remote == nil {
		return "", &store.HashError{File: name, Want: sum, Have: "unreadable"}
	}
	if err != nil {
		return "", err
	}
	defer r.Close()
	_, where, err := m.Store.Add(ctx, name, sum, r)
	if err != nil {
		return "", fmt.Errorf("%s: %w", name, err)
	}
	return where, nil
}

// fromSealed makes a jar be what a sealed jar holds.
func (m *Machine) fromSealed(ctx context.Context, at place.Place, spec *project.Spec, file string, opt RecreateOptions, decide Decide) (*Outcome, error) {
	z, err := m.openSealed(ctx, file)
	if err != nil {
		return nil, err
	}
	defer z.Close()
	if opt.signed, err = m.checkSigned(opt.SignedBy, project.Shorten(m.Dir, file), z.text, func() ([][]byte, error) { return z.signatures(ctx) }); err != nil {
		return nil, err
	}
	record := z.record
	if !fileExists(at.SpecFile) && !fileExists(at.RecordFile) {
		text, ok := unsealedRecord(record)
		if opt.adopt = text; !ok {
			opt.adopt = nil
			m.note(NoRecordOfSealed)
		}
	}
	opt.unseal = func(in interpreter.Interpreter, selected []plan.Choice) error {
		return m.unseal(ctx, z, in, selected)
	}
	opt.bring = func(one project.PinnedPython) error { return m.unsealPython(ctx, z, one) }
	return m.fromRecord(ctx, at, spec, record, opt, decide)
}

// unsealPython brings the file of an interpreter out of a sealed jar into the store.
func (m *Machine) unsealPython(ctx context.Context, z *sealedJar, one project.PinnedPython) error {
	if m.pythonUnpacked(one.SHA256) {
		return nil
	}
	if !z.has(one.File, one.SHA256) {
		return usage(SealedLacks, one.File)
	}
	_, err := m.unsealOne(ctx, z, one.File, one.SHA256)
	return err
}

// pythonUnpacked reports whether what the file of an interpreter unpacks to is in the store.
func (m *Machine) pythonUnpacked(sum string) bool {
	_, ok := m.pythons().Tree(sum)
	return ok
}
