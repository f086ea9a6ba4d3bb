package registry

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"io"
	"maps"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/opencontainers/go-digest"
	"github.com/opencontainers/image-spec/specs-go"
	ocispec "github.com/opencontainers/image-spec/specs-go/v1"
	"oras.land/oras-go/v2/content"
	"oras.land/oras-go/v2/errdef"
	"oras.land/oras-go/v2/registry/remote"
	"oras.land/oras-go/v2/registry/remote/errcode"

	"glassjar/core/guard"
	again "glassjar/core/internal/retry"
)

// Blob is a file that is kept.
type Blob struct {
	// Name is the file's name, SHA256 in hex, Size in bytes.
	Name   string
	SHA256 string
	Size   int64
	// Path is where it is on this machine; Bring, if set, brings it here once it is to be sent.
	Path  string
	Bring func() (path string, err error)
}

// open opens its file.
func (b Blob) open() (io.ReadCloser, error) {
	path := b.Path
	if b.Bring != nil {
		var err error
		if path, err = b.Bring(); err != nil {
			return nil, err
		}
	}
	return os.Open(path)
}

func (b Blob) descriptor() ocispec.Descriptor {
	return ocispec.Descriptor{MediaType: TypePackage, Digest: digest.NewDigestFromEncoded(digest.SHA256, b.SHA256), Size: b.Size,
		Annotations: map[string]string{ocispec.AnnotationTitle: b.Name}}
}

// Sealed is a jar that is to be pushed: its record, and for each target the blobs that it needs.
type Sealed struct {
	Record  []byte
	Targets []Target
	// Signature is that of the record, or nil.
	Signature []byte
}

// Target is a system and a Python, such as "linux-x86_64 3.12", and what it needs.
type Target struct {
	Name, OS, Architecture string
	Blobs                  []Blob
}

// Pushed is what became of it.
type Pushed struct {
	// Digest is the artifact's. Blobs are how many were sent, Bytes their sizes.
	Digest string
	Blobs  int
	Bytes  int64
}

// manifests are those of a jar's targets, and the index of them, as texts.
func (s Sealed) manifests(record ocispec.Descriptor) (list [][]byte, index []byte, err error) {
	all := ocispec.Index{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: ocispec.MediaTypeImageIndex, ArtifactType: TypeJar}
	for _, t := range s.Targets {
		m := ocispec.Manifest{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: ocispec.MediaTypeImageManifest, ArtifactType: TypeJar, Config: record, Layers: []ocispec.Descriptor{}}
		for _, b := range t.Blobs {
			m.Layers = append(m.Layers, b.descriptor())
		}
		text, err := json.Marshal(m)
		if err != nil {
			return nil, nil, err
		}
		d := content.NewDescriptorFromBytes(ocispec.MediaTypeImageManifest, text)
		d.ArtifactType = TypeJar
		d.Platform = &ocispec.Platform{OS: t.OS, Architecture: t.Architecture}
		d.Annotations = map[string]string{KeyTarget: t.Name}
		all.Manifests = append(all.Manifests, d)
		list = append(list, text)
	}
	index, err = json.Marshal(all)
	return list, index, err
}

// blobs are the files of all targets, each once, by their SHA-256.
func (s Sealed) blobs() map[string]Blob {
	out := map[string]Blob{}
	for _, t := range s.Targets {
		for _, b := range t.Blobs {
			out[b.SHA256] = b
		}
	}
	return out
}

// Push seals a jar into a registry: what it has is not sent again. Equal jars are one artifact.
func (c *Client) Push(ctx context.Context, ref Ref, s Sealed) (Pushed, error) {
	repo, err := c.repository(ctx, ref)
	if err != nil {
		return Pushed{}, err
	}
	record := content.NewDescriptorFromBytes(TypeRecord, s.Record)
	manifests, index, err := s.manifests(record)
	if err != nil {
		return Pushed{}, err
	}
	top := content.NewDescriptorFromBytes(ocispec.MediaTypeImageIndex, index)
	fixed := ref.reference.ValidateReferenceAsDigest() == nil
	if fixed && ref.reference.Reference != top.Digest.String() {
		return Pushed{}, &RefError{ref.String(), "this jar is " + top.Digest.String() + "; push it to a tag"}
	}
	p := &pushing{client: c, ref: ref, repo: repo}
	if err := p.files(ctx, s.blobs()); err != nil {
		return p.done(top), err
	}
	// What names blobs comes after them.
	texts := []pushedText{{record, s.Record}}
	for _, text := range manifests {
		texts = append(texts, pushedText{content.NewDescriptorFromBytes(ocispec.MediaTypeImageManifest, text), text})
	}
	if fixed {
		texts = append(texts, pushedText{top, index})
	}
	for _, t := range texts {
		if err := p.one(ctx, t.descriptor, func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(t.text)), nil }); err != nil {
			return p.done(top), err
		}
	}
	if have, err := repo.Resolve(ctx, ref.reference.Reference); !fixed && (err != nil || have.Digest != top.Digest) {
		if err := repo.PushReference(ctx, top, bytes.NewReader(index), ref.reference.Reference); err != nil {
			return p.done(top), told(ref, err)
		}
	}
	return p.done(top), p.sign(ctx, top, s.Signature)
}

type pushedText struct {
	descriptor ocispec.Descriptor
	text       []byte
}

// pushing is a jar on its way into a registry.
type pushing struct {
	client      *Client
	ref         Ref
	repo        *remote.Repository
	sent, bytes atomic.Int64
}

func (p *pushing) done(top ocispec.Descriptor) Pushed {
	return Pushed{Digest: top.Digest.String(), Blobs: int(p.sent.Load()), Bytes: p.bytes.Load()}
}

// files pushes package files, several at a time.
func (p *pushing) files(ctx context.Context, blobs map[string]Blob) error {
	group, inner := guard.WithContext(ctx)
	group.SetLimit(atOnce)
	// What is likely to be sent comes before what was seen there, and the largest first: what is
	// left at the end is small.
	list := slices.SortedFunc(maps.Values(blobs), func(a, b Blob) int {
		seen := func(b Blob) int { return min(len(p.client.Seen[b.SHA256]), 1) }
		return cmp.Or(cmp.Compare(seen(a), seen(b)), cmp.Compare(b.Size, a.Size), strings.Compare(a.SHA256, b.SHA256))
	})
	for _, b := range list {
		group.Go(func() error {
			return p.one(inner, b.descriptor(), b.open)
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	if p.client.Pushed != nil {
		p.client.Pushed(p.ref.reference.Repository, slices.Sorted(maps.Keys(blobs)))
	}
	return nil
}

// errThere says that a blob need not be sent.
var errThere = errors.New("it is there already")

// sendAgain reports whether a push may succeed the next time: the connection broke, or the registry
// failed with what was sent to it. All other requests are repeated below, where that can be done
// without reading the file anew.
func sendAgain(err error) bool {
	var answer *errcode.ErrorResponse
	return broken(err) || errors.As(err, &answer) && answer.Method == http.MethodPut && (answer.StatusCode >= 500 || answer.StatusCode == http.StatusTooManyRequests)
}

// one pushes a blob or a manifest, unless it is there; a blob that is there under another name is
// mounted, which is asked for at once: it costs as much as to ask whether it is there under this one.
func (p *pushing) one(ctx context.Context, d ocispec.Descriptor, open func() (io.ReadCloser, error)) error {
	unlessThere := func() (io.ReadCloser, error) {
		switch there, err := p.repo.Exists(ctx, d); {
		case err != nil:
			return nil, err
		case there:
			return nil, errThere
		}
		return open()
	}
	var err error
	if from := p.client.Seen[d.Digest.Encoded()]; from != "" && from != p.ref.reference.Repository {
		mounted := true
		err = p.repo.Mount(ctx, d, from, func() (io.ReadCloser, error) {
			mounted = false // the registry wants it sent all the same
			return unlessThere()
		})
		if err == nil && mounted {
			return nil
		}
	} else {
		err = again.Do(ctx, resumes, 100*time.Millisecond, sendAgain, func() error {
			body, err := unlessThere()
			if err != nil {
				return err
			}
			defer body.Close()
			return p.repo.Push(ctx, d, body)
		})
	}
	if errors.Is(err, errThere) {
		return nil
	}
	if err != nil && !errors.Is(err, errdef.ErrAlreadyExists) {
		return told(p.ref, err)
	}
	p.sent.Add(1)
	if done := p.bytes.Add(d.Size); p.client.Told != nil {
		p.client.Told(done)
	}
	return nil
}
