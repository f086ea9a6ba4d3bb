package operation

import (
	"context"
	"os"
	"slices"

	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/target"
)

// pushSealed seals a jar into a registry: for each target a manifest, with the files that it
// needs; members are all of them, by name.
func (m *Machine) pushSealed(ctx context.Context, at string, chosen *selection, text, sig []byte, members map[string]sealing, out *Sealed) error {
	ref, err := registry.Parse(at)
	if err != nil {
		return err
	}
	sealed := registry.Sealed{Record: text, Signature: sig}
	for _, t := range chosen.targets {
		names, err := m.neededBy(chosen.record, members, t)
		if err != nil {
			return err
		}
		one := registry.Target{Name: t.String(), OS: registry.System(t.OS), Architecture: registry.Architecture(t.Arch)}
		for _, name := range names {
			info, err := os.Stat(members[name].path)
			if err != nil {
				return err
			}
			one.Blobs = append(one.Blobs, registry.Blob{Name: name, SHA256: members[name].sum, Size: info.Size(), Path: members[name].path})
		}
		sealed.Targets = append(sealed.Targets, one)
	}
	pushed, err := m.pushing(ref.Host()).Push(ctx, ref, sealed)
	out.Digest, out.Sent, out.SentBytes = pushed.Digest, pushed.Blobs, pushed.Bytes
	return err
}

// neededBy are the names of the files that a target needs: its packages, what they are built
// with, and its interpreter.
func (m *Machine) neededBy(record *project.Record, members map[string]sealing, t target.Target) ([]string, error) {
	files, err := sealFiles(record, []target.Target{t})
	if err != nil {
		return nil, err
	}
	files = append(files, toolFiles(record, files)...)
	set := map[string]bool{}
	for _, f := range files {
		set[f.Name] = true
	}
	for _, one := range pinnedFiles(record, []target.Target{t}) {
		set[one.File] = true
	}
	for _, one := range record.Built {
		if _, ok := members[one.Wheel]; ok && one.Wheel != "" {
			set[one.Wheel] = true
		}
	}
	names := sortedNames(set)
	return slices.DeleteFunc(names, func(name string) bool { _, ok := members[name]; return !ok }), nil
}
