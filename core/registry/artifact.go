package registry

import (
	"context"
	"encoding/json"
	"errors"
	"io"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/opencontainers/go-digest"
	ocispec "github.com/opencontainers/image-spec/specs-go/v1"
	"oras.land/oras-go/v2/content"
	"oras.land/oras-go/v2/registry/remote"

	"glassjar/core/guard"
	again "glassjar/core/internal/retry"
	"glassjar/core/limits"
)

// Artifact is a jar in a registry, opened: its record was read.
type Artifact struct {
	// Digest is the artifact's, which stays what it is whatever a tag does.
	Digest string
	Record []byte

	ref  Ref
	repo *remote.Repository
	top  ocispec.Descriptor
	// sizes are those of all blobs that manifests name, by SHA-256 in hex.
	sizes map[string]int64
}

// Open reads which jar is at a place, and its record.
func (c *Client) Open(ctx context.Context, ref Ref) (*Artifact, error) {
	repo, err := c.repository(ctx, ref)
	if err != nil {
		return nil, err
	}
	d, err := repo.Resolve(ctx, ref.reference.Reference)
	if err != nil {
		return nil, told(ref, err)
	}
	a := &Artifact{Digest: d.Digest.String(), ref: ref, repo: repo, top: d, sizes: map[string]int64{}}
	if d.MediaType != ocispec.MediaTypeImageIndex {
		return nil, &NotJarError{ref.String(), "it is of the kind " + d.MediaType}
	}
	var index ocispec.Index
	if err := a.read(ctx, d, &index); err != nil {
		return nil, err
	}
	if index.ArtifactType != TypeJar || len(index.Manifests) == 0 || len(index.Manifests) > limits.SourceFiles {
		return nil, &NotJarError{ref.String(), "it is an artifact of another kind"}
	}
	return a, a.readManifests(ctx, index.Manifests)
}

// readManifests reads what the targets of an artifact need, and the record that all of them have
// as their config. Targets that need the same have one manifest.
func (a *Artifact) readManifests(ctx context.Context, list []ocispec.Descriptor) error {
	different := map[digest.Digest]ocispec.Descriptor{}
	for _, d := range list {
		different[d.Digest] = d
	}
	var mu sync.Mutex
	var record ocispec.Descriptor
	group, inner := guard.WithContext(ctx)
	group.SetLimit(atOnce)
	for _, d := range different {
		group.Go(func() error {
			var one ocispec.Manifest
			if err := a.read(inner, d, &one); err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			if record.Digest != "" && one.Config.Digest != record.Digest {
				return &NotJarError{a.ref.String(), "its targets have different records"}
			}
			record = one.Config
			for _, l := range one.Layers {
				if l.Digest.Validate() != nil || l.Digest.Algorithm() != digest.SHA256 {
					return &NotJarError{a.ref.String(), "a blob of it has no SHA-256"}
				}
				a.sizes[l.Digest.Encoded()] = l.Size
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	if record.MediaType != TypeRecord || record.Size > limits.Record {
		return &NotJarError{a.ref.String(), "it has no record"}
	}
	var err error
	a.Record, err = a.whole(ctx, a.repo.Blobs(), record)
	return told(a.ref, err)
}

// whole is a small blob or a manifest, asked for again where the connection breaks.
func (a *Artifact) whole(ctx context.Context, from content.Fetcher, d ocispec.Descriptor) (data []byte, err error) {
	err = again.Do(ctx, resumes, 100*time.Millisecond, broken, func() error {
		data, err = content.FetchAll(ctx, from, d)
		return err
	})
	return data, err
}

// broken reports whether a connection broke, so that the same may succeed on another one.
func broken(err error) bool {
	return errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, content.ErrInvalidDescriptorSize) ||
		errors.Is(err, io.EOF) || errors.Is(err, syscall.ECONNRESET) || errors.Is(err, syscall.EPIPE)
}

// read reads a manifest, which is what its digest says.
func (a *Artifact) read(ctx context.Context, d ocispec.Descriptor, into any) error {
	if d.Size > limits.Own || d.Digest.Validate() != nil {
		return &NotJarError{a.ref.String(), "a manifest of it is too large, or has no digest"}
	}
	data, err := a.whole(ctx, a.repo, d)
	if err != nil {
		return told(a.ref, err)
	}
	if err := json.Unmarshal(data, into); err != nil {
		return &NotJarError{a.ref.String(), "a manifest of it cannot be read"}
	}
	return nil
}

// Has reports whether the artifact names a blob, and how large it is.
func (a *Artifact) Has(sum string) (size int64, ok bool) {
	size, ok = a.sizes[sum]
	return size, ok
}

// Blob reads a blob, whose content is to be compared with its hash by the reader; where the
// connection breaks and the registry serves ranges, it goes on from there.
func (a *Artifact) Blob(ctx context.Context, sum string) (io.ReadCloser, error) {
	size, ok := a.sizes[sum]
	if !ok {
		return nil, &NotThereError{a.ref.String() + ": sha256:" + sum}
	}
	d := ocispec.Descriptor{MediaType: TypePackage, Digest: digest.NewDigestFromEncoded(digest.SHA256, sum), Size: size}
	body, err := a.repo.Blobs().Fetch(ctx, d)
	if err != nil {
		return nil, told(a.ref, err)
	}
	return &resuming{ctx: ctx, ref: a.ref, repo: a.repo, blob: d, body: body, left: resumes}, nil
}

// resumes is how often a transfer is taken up again.
const resumes = 5

// resuming is a blob on its way.
type resuming struct {
	ctx  context.Context
	ref  Ref
	repo *remote.Repository
	blob ocispec.Descriptor
	body io.ReadCloser
	at   int64
	left int
}

func (r *resuming) Read(p []byte) (int, error) {
	n, err := r.body.Read(p)
	r.at += int64(n)
	if err == nil || err == io.EOF && r.at >= r.blob.Size {
		return n, err
	}
	if r.at > r.blob.Size || r.ctx.Err() != nil || r.left == 0 || errors.Is(err, content.ErrTrailingData) {
		return n, told(r.ref, err)
	}
	r.left--
	if err := again.Wait(r.ctx, 100*time.Millisecond); err != nil {
		return n, err
	}
	body, failed := r.repo.Blobs().Fetch(r.ctx, r.blob)
	if failed != nil {
		return n, told(r.ref, err)
	}
	if s, ok := body.(io.Seeker); ok {
		_, failed = s.Seek(r.at, io.SeekStart)
	} else {
		_, failed = io.CopyN(io.Discard, body, r.at)
	}
	if failed != nil {
		body.Close()
		return n, told(r.ref, err)
	}
	r.body.Close()
	r.body = body
	return n, nil
}

func (r *resuming) Close() error { return r.body.Close() }

// Architecture is a processor as registries name it.
func Architecture(arch string) string {
	switch strings.ToLower(arch) {
	case "x86_64", "amd64":
		return "amd64"
	case "aarch64", "arm64":
		return "arm64"
	}
	return arch
}

// System is an operating system as registries name it.
func System(os string) string {
	if os == "macos" {
		return "darwin"
	}
	return os
}
