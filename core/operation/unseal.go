package operation

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"sync/atomic"

	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/sealed"
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
	out := &Sealed{File: at, Packages: len(z.Record.Packages), Targets: []string{}}
	if z.Remote != nil {
		out.Digest = z.Remote.Digest
	}
	if out.Signed, err = m.checkSigned(signedBy, project.Shorten(m.Dir, at), z.Text, func() ([][]byte, error) { return z.Signatures(ctx) }); err != nil {
		return nil, err
	}
	if out.Files, out.Bytes, out.Faults, err = z.Check(ctx); err != nil {
		return nil, err
	}
	return out, nil
}

// openSealed opens the sealed jar at a path, or at an address in a registry, and reads its
// record.
func (m *Machine) openSealed(ctx context.Context, at string) (*sealed.Jar, error) {
	if !registry.IsRef(at) {
		z, err := sealed.OpenFile(at)
		if errors.Is(err, fs.ErrNotExist) {
			return nil, usage(NoSealedJar, filepath.Base(at))
		}
		return z, err
	}
	ref, err := registry.Parse(at)
	if err != nil {
		return nil, err
	}
	a, err := m.registry().Open(ctx, ref)
	if err != nil {
		return nil, err
	}
	return sealed.InRegistry(a, m.Dir)
}

// unseal brings the files of a selection out of a sealed jar into the store,
// each verified on the way, so that no network is needed.
func (m *Machine) unseal(ctx context.Context, z *sealed.Jar, in interpreter.Interpreter, selected []plan.Choice) error {
	record := z.Record
	wanted := make([]*index.File, 0, len(selected))
	var sources []index.File
	for i := range selected {
		f := &selected[i].File
		if err := sealed.CheckNeeds(ctx, record, *f, in); err != nil {
			return err
		}
		wanted, sources = append(wanted, f), append(sources, *f)
	}
	for _, f := range sealed.ToolFiles(record, sources) {
		wanted = append(wanted, &f)
	}
	var came atomic.Int64
	group, inner := guard.WithContext(ctx)
	group.SetLimit(unsealAtOnce)
	for _, f := range wanted {
		if !z.Has(f.Name, f.SHA256()) {
			return errors.Join(group.Wait(), usage(SealedLacks, f.Name))
		}
		if m.Store.HasTree(f.SHA256()) {
			continue
		}
		group.Go(func() (err error) {
			if f.Path, err = m.unsealOne(inner, z, f.Name, f.SHA256()); err == nil && z.Remote != nil {
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
func (m *Machine) unsealOne(ctx context.Context, z *sealed.Jar, name, sum string) (string, error) {
	if have, here := m.Store.Verified(ctx, sum); here {
		return have, nil
	}
	r, err := z.Open(ctx, name, sum)
	if err != nil && z.Remote == nil {
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
	if opt.signed, err = m.checkSigned(opt.SignedBy, project.Shorten(m.Dir, file), z.Text, func() ([][]byte, error) { return z.Signatures(ctx) }); err != nil {
		return nil, err
	}
	record := z.Record
	if !fileExists(at.SpecFile) && !fileExists(at.RecordFile) {
		text, ok := sealed.Unsealed(record)
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
func (m *Machine) unsealPython(ctx context.Context, z *sealed.Jar, one project.PinnedPython) error {
	if m.pythonUnpacked(one.SHA256) {
		return nil
	}
	if !z.Has(one.File, one.SHA256) {
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
