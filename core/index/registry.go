package index

import (
	"context"
	"errors"
	"fmt"
	"io"
	"sync"
	"time"

	"glassjar/core/digest"
	"glassjar/core/fetch"
	"glassjar/core/registry"
)

// Registry is an index in an OCI registry: each distribution is a name below its own, each
// release a tag; docs/formats.md has the form.
type Registry struct {
	name   string
	base   registry.Base
	client *registry.Client
	err    error
	sizes  sync.Map // SHA-256 of metadata -> int64
}

// NewRegistry makes an index of an address, "oci://HOST/NAME". What is wrong with that is told
// by whatever asks.
func NewRegistry(name, at string, client *registry.Client) *Registry {
	r := &Registry{name: name, client: client}
	r.base, r.err = registry.ParseBase(at)
	return r
}

// Name is what the user calls the index.
func (r *Registry) Name() string { return r.name }

// Address is where it is.
func (r *Registry) Address() string { return r.base.String() }

// Files asks for the releases of a distribution, and what is in each.
func (r *Registry) Files(ctx context.Context, name string) ([]File, error) {
	if r.err != nil {
		return nil, r.err
	}
	releases, err := r.client.Releases(ctx, r.base, name)
	if err != nil {
		return nil, err
	}
	var out []File
	for _, release := range releases {
		for _, one := range release.Files {
			f := File{Name: one.Name, URL: registry.FileURL(r.base, name, one.Blob), Hashes: digest.Sums{SHA256: one.SHA256},
				RequiresPython: one.RequiresPython, Size: one.Size, Uploaded: one.Uploaded, Index: r.name}
			if one.MetadataSum != "" {
				f.HasMetadata, f.MetadataHashes = true, digest.Sums{SHA256: one.MetadataSum}
				r.sizes.Store(one.MetadataSum, one.MetadataSize)
			}
			if f.describe(name) {
				out = append(out, f)
			}
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("%s: %w", name, ErrUnknownName)
	}
	return out, nil
}

// Names are none: the specification of registries has no list of names.
func (r *Registry) Names(context.Context) ([]string, error) { return nil, r.err }

// Metadata is a wheel's core metadata, a blob of its own.
func (r *Registry) Metadata(ctx context.Context, f File) ([]byte, error) {
	sum := f.MetadataHashes.SHA256
	size, ok := r.sizes.Load(sum)
	if !ok {
		return nil, fetch.ErrNoRanges // the whole wheel says it
	}
	return r.client.Metadata(ctx, f.URL, sum, size.(int64))
}

// Inside is in the whole wheel alone.
func (r *Registry) Inside(context.Context, File) (Inside, error) {
	return Inside{}, fetch.ErrNoRanges
}

// Open reads a file.
func (r *Registry) Open(ctx context.Context, f File) (io.ReadCloser, error) {
	return r.client.OpenFile(ctx, f.URL, f.Size)
}

// Probe asks the registry for a name.
func (r *Registry) Probe(ctx context.Context, name string) Probe {
	p := Probe{Name: name, JSON: true, Metadata: true}
	begun := time.Now()
	_, err := r.Files(ctx, name)
	p.Took = time.Since(begun)
	p.Known = err == nil
	if p.Answers = err == nil || errors.Is(err, ErrUnknownName); !p.Answers {
		p.Why = err.Error()
	}
	return p
}
