package catalog

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"

	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/internal/checked"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/progress"
	"glassjar/core/source"
	"glassjar/core/store"
)

// Metadata is a wheel's core metadata: from this machine if it was seen before, else
// from the index, else out of the wheel itself. The error wraps [metadata.ErrInvalid]
// for what cannot be understood; its file is then one of those passed over. Where wheels are
// assumed to say the same it is that of another of the release.
func (c *Catalog) Metadata(ctx context.Context, f index.File) (metadata.Metadata, error) {
	f = c.standsFor(f)
	key := f.URL
	if sum := f.SHA256(); sum != "" {
		key = sum
	}
	return c.metas.Do(key, func() (metadata.Metadata, error) {
		c.Report.Tell(progress.Event{Stage: "finding versions", Done: c.looked.Add(1)})
		data, err := c.metadataBytes(ctx, f)
		if err != nil {
			return metadata.Metadata{}, err
		}
		if !bytes.Contains(data, []byte("Metadata-Version:")) {
			return metadata.Metadata{}, &index.DamagedError{File: f.Name, Why: "its description is something else"}
		}
		meta, err := metadata.Parse(data)
		if err == nil && (meta.Key() != f.Distribution || !meta.Version.Equal(f.Version)) {
			err = metadata.Invalid("%s describes %s %s", f.Name, meta.Name, meta.Version)
		}
		if errors.Is(err, metadata.ErrInvalid) {
			c.pass(f.Distribution, f, err.Error())
		}
		if err == nil {
			c.wasRead(f)
		}
		return meta, err
	})
}

// MetadataText is the text of that, for a wheel.
func (c *Catalog) MetadataText(ctx context.Context, f index.File) ([]byte, error) {
	return c.metadataBytes(ctx, f)
}

func (c *Catalog) metadataBytes(ctx context.Context, f index.File) ([]byte, error) {
	if f.IsSource() {
		return c.sourceMetadata(ctx, f)
	}
	if sum := f.MetadataHashes.SHA256; f.HasMetadata && store.ValidSum(sum) {
		// Most wheels of a release say the same: it is asked for once.
		data, err := c.stated.Do(sum, func() ([]byte, error) { return c.keptMetadata(ctx, f, sum) })
		if err != nil {
			c.stated.Forget(sum) // another file may be had
		}
		return data, err
	}
	return c.keptMetadata(ctx, f, f.SHA256())
}

// keptMetadata is what was kept under a hash, of the metadata or else of the wheel, or what
// is asked for now.
func (c *Catalog) keptMetadata(ctx context.Context, f index.File, sum string) ([]byte, error) {
	if !store.ValidSum(sum) {
		return c.metadataFrom(ctx, f)
	}
	kept := c.keptAt(sum)
	if data, err := checked.Read(kept, limits.Metadata); err == nil {
		return data, nil
	}
	data, err := c.metadataFrom(ctx, f)
	if have := sha256.Sum256(data); err == nil && (sum == f.SHA256() || sum == hex.EncodeToString(have[:])) {
		_ = checked.Write(kept, data) // else it is asked for again
	}
	return data, err
}

// hasMetadata reports whether a wheel's metadata is on this machine.
func (c *Catalog) hasMetadata(f index.File) bool {
	for _, sum := range []string{f.MetadataHashes.SHA256, f.SHA256()} {
		if !store.ValidSum(sum) {
			continue
		}
		if _, err := os.Stat(c.keptAt(sum)); err == nil {
			return true
		}
	}
	_, unpacked := c.Store.Tree(f.SHA256())
	return unpacked
}

// keptAt is where metadata is kept under a hash.
func (c *Catalog) keptAt(sum string) string { return filepath.Join(c.Cache, "metadata", sum[:2], sum) }

func (c *Catalog) metadataFrom(ctx context.Context, f index.File) ([]byte, error) {
	_, here := c.Store.Package(f.SHA256())
	if data, ok := c.unpackedMetadata(f); ok {
		return data, nil
	}
	if source := c.Indexes.Source(f.Index); source != nil && !here && (f.HasMetadata || f.Path == "") {
		data, err := source.Metadata(ctx, f)
		var whole *fetch.WholeError
		if errors.As(err, &whole) { // it is here now, so it is kept
			_, path, err := c.Store.Add(ctx, f.Name, f.SHA256(), whole.Body)
			whole.Body.Close()
			if err == nil {
				return c.metadataIn(path, f)
			}
		}
		if !errors.Is(err, fetch.ErrNoRanges) {
			return data, err
		}
	}
	path, _, err := c.fetchOnce(ctx, f, nil)
	if err != nil {
		return nil, err
	}
	data, err := c.metadataIn(path, f)
	if err != nil {
		// Another process may have unpacked it meanwhile, and not kept the file.
		if data, ok := c.unpackedMetadata(f); ok {
			return data, nil
		}
	}
	return data, err
}

// sourceMetadata is what a wheel built of source would say: what the index promises, else
// what the source states, else what its back end tells.
func (c *Catalog) sourceMetadata(ctx context.Context, f index.File) ([]byte, error) {
	if from := c.Indexes.Source(f.Index); from != nil && f.HasMetadata {
		if data, err := from.Metadata(ctx, f); err == nil && source.Promised(data) {
			return data, nil
		}
	}
	if c.Sources == nil {
		return nil, metadata.Invalid("%s is source, and what it needs is not stated", f.Name)
	}
	return c.Sources.Metadata(ctx, f)
}

// metadataIn reads the metadata of a wheel that is here. One that was fetched and is
// no archive at all was damaged on its way, or is not what the index says.
func (c *Catalog) metadataIn(path string, f index.File) ([]byte, error) {
	data, err := index.WheelMetadata(path)
	if errors.Is(err, zip.ErrFormat) && f.Path == "" {
		return nil, &index.DamagedError{File: f.Name, Why: "what came is not a wheel"}
	}
	return data, err
}

// unpackedMetadata is METADATA of a wheel that is in the store.
func (c *Catalog) unpackedMetadata(f index.File) ([]byte, bool) {
	tree, ok := c.Store.Tree(f.SHA256())
	if !ok {
		return nil, false
	}
	data, err := tree.Metadata()
	return data, err == nil
}
