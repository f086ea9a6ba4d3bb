package operation

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"os"
	"slices"
	"strings"
	"sync"

	"glassjar/core/guard"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/sealed"
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
			f := members[name]
			one.Blobs = append(one.Blobs, registry.Blob{Name: name, SHA256: f.sum, Size: f.size, Path: f.path, Bring: f.bring})
		}
		sealed.Targets = append(sealed.Targets, one)
	}
	client, done := m.pushing(ref.Host())
	defer done()
	pushed, err := client.Push(ctx, ref, sealed)
	var lacking *bringError
	if errors.As(err, &lacking) {
		m.note(SealNeedsPackages)
	}
	out.Digest, out.Sent, out.SentBytes = pushed.Digest, pushed.Blobs, pushed.Bytes
	return err
}

// neededBy are the names of the files that a target needs: its packages, what they are built
// with, and its interpreter.
func (m *Machine) neededBy(record *project.Record, members map[string]sealing, t target.Target) ([]string, error) {
	files, err := sealed.Files(record, []target.Target{t})
	if err != nil {
		return nil, err
	}
	files = append(files, sealed.ToolFiles(record, files)...)
	set := map[string]bool{}
	for _, f := range files {
		set[f.Name] = true
	}
	for _, one := range sealed.Pythons(record, []target.Target{t}) {
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

// pushReleases puts the files of a record into a registry as an index has them, several releases
// at a time. What the record pins besides packages has no place there.
func (m *Machine) pushReleases(ctx context.Context, base registry.Base, chosen *selection, members map[string]sealing, out *Sealed) error {
	indexes, _ := m.indexes(chosen.spec)
	catalog := m.newCatalog(indexes)
	requires := map[string]string{}
	for _, p := range chosen.record.Packages {
		requires[p.Name+" "+p.Version.String()] = p.RequiresPython.Written()
	}
	releases := map[string][]registry.ReleaseFile{}
	for _, f := range chosen.files {
		one, ok := members[f.Name]
		if !ok || f.Distribution == "" {
			continue
		}
		info, err := os.Stat(one.path)
		if err != nil {
			return err
		}
		key := f.Distribution + " " + f.Version.String()
		r := registry.ReleaseFile{Blob: registry.Blob{Name: f.Name, SHA256: one.sum, Size: info.Size(), Path: one.path}, RequiresPython: requires[key], Uploaded: f.Uploaded}
		if !f.IsSource() {
			if r.Metadata, err = catalog.MetadataText(ctx, f); err != nil {
				return err
			}
			sum := sha256.Sum256(r.Metadata)
			r.MetadataSum, r.MetadataSize = hex.EncodeToString(sum[:]), int64(len(r.Metadata))
		}
		releases[key] = append(releases[key], r)
	}
	client, done := m.pushing(base.Host())
	defer done()
	group, inner := guard.WithContext(ctx)
	group.SetLimit(4)
	var mu sync.Mutex
	for key, files := range releases {
		group.Go(func() error {
			name, version, _ := strings.Cut(key, " ")
			pushed, err := client.PushRelease(inner, base, name, version, files)
			mu.Lock()
			defer mu.Unlock()
			out.Sent, out.SentBytes = out.Sent+pushed.Blobs, out.SentBytes+pushed.Bytes
			return err
		})
	}
	err := group.Wait()
	out.Releases = len(releases)
	return err
}
