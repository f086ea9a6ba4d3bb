package operation

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/atomicfile"
	"glassjar/core/index"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/sealed"
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
func (m *Machine) selectSealed(ctx context.Context, opt SealOptions) (*selection, error) {
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
	targets, all, err := sealed.Targets(record, spec, opt.Targets)
	if err != nil {
		return nil, err
	}
	if own, ok := m.ownTarget(ctx, at, record); ok && len(opt.Targets) == 0 && !slices.Contains(targets, own) {
		targets = append(targets, own) // the record serves this machine, whatever else the spec wants
	}
	if len(targets) == 0 {
		return nil, usage(NoSuchTargets, strings.Join(opt.Targets, ", "), strings.Join(targetNames(all), ", "))
	}
	var built []index.File
	if opt.Built {
		if record, built, err = m.withBuilt(at, record); err != nil {
			return nil, err
		}
		if len(opt.Targets) == 0 {
			targets = sealed.ServedByBuilt(record, targets)
		}
	}
	if err := sealed.CheckFolders(record); err != nil {
		return nil, err
	}
	files, err := sealed.Files(record, targets)
	if err != nil {
		return nil, err
	}
	files = sealed.Join(files, built)
	return &selection{spec, record, targets, append(files, sealed.ToolFiles(record, files)...), sealed.Pythons(record, targets)}, nil
}

// ownTarget is the target of the jar at a place, where its record serves that.
func (m *Machine) ownTarget(ctx context.Context, at place.Place, record *project.Record) (target.Target, bool) {
	if !at.Exists() || !m.Places().MayBeUsed(at.Root) {
		return target.Target{}, false
	}
	j, err := m.open(at)
	if err != nil {
		return target.Target{}, false
	}
	in, err := m.interpreterOf(ctx, j)
	if err != nil {
		return target.Target{}, false
	}
	return target.Of(in), plan.Served(record, target.EnvironmentOf(in)) == nil
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
	case !registry.IsRef(opt.File):
		if err := mayReplace(m.absolute(opt.File), "a sealed jar", sealed.Begins); err != nil {
			return nil, err
		}
	}
	chosen, err := m.selectSealed(ctx, opt)
	if err != nil {
		return nil, err
	}
	record := sealed.Record(chosen.record, chosen.targets, chosen.files, chosen.pythons)
	text := record.Format()
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
	out := &Sealed{File: opt.File, Signed: signed, Packages: len(record.Packages), Targets: targetNames(chosen.targets), Faults: []string{}}
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

// writeSealed writes a file. What a power cut left damaged in the store that forgets.
func (m *Machine) writeSealed(ctx context.Context, file string, text, sig []byte, members map[string]sealing) error {
	files := map[string]sealed.Member{}
	for name, s := range members {
		files[name] = sealed.Member{Path: s.path, SHA256: s.sum}
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o777); err != nil {
		return err
	}
	err := atomicfile.Stream(file, atomicfile.Options{Within: repositoryOf(filepath.Dir(file)), Temporary: m.Making.Begin}, func(to io.Writer) error {
		return sealed.Write(ctx, to, text, sig, files)
	})
	var damaged *store.HashError
	if errors.As(err, &damaged) {
		m.Store.Drop(damaged.Want)
	}
	return err
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

func targetNames(list []target.Target) []string {
	out := []string{}
	for _, t := range list {
		out = append(out, t.String())
	}
	return out
}
