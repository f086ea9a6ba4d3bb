package registry

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/opencontainers/go-digest"
	"github.com/opencontainers/image-spec/specs-go"
	ocispec "github.com/opencontainers/image-spec/specs-go/v1"
	"oras.land/oras-go/v2/content"
	"oras.land/oras-go/v2/errdef"
	"oras.land/oras-go/v2/registry/remote"
	"oras.land/oras-go/v2/registry/remote/auth"
	"oras.land/oras-go/v2/registry/remote/credentials"
	"oras.land/oras-go/v2/registry/remote/errcode"
	"oras.land/oras-go/v2/registry/remote/retry"

	"glassjar/core/fetch"
	"glassjar/core/guard"
	again "glassjar/core/internal/retry"
	"glassjar/core/limits"
)

// Media types of what is kept.
const (
	TypeJar     = "application/vnd.glassjar.jar.v1"
	TypeRecord  = "application/vnd.glassjar.record.v1+toml"
	TypePackage = "application/vnd.glassjar.package.v1"
	// KeyTarget is the annotation of a manifest with its target.
	KeyTarget = "glassjar.target"
)

// atOnce is how many blobs are on their way at a time.
const atOnce = 8

// Client speaks with registries.
type Client struct {
	Fetch *fetch.Client
	// Told is told of bytes that came or went, as they do.
	Told func(done int64)
	// Seen are names of the registry under which blobs were pushed before, by their SHA-256:
	// from there they are mounted, and not sent again. Pushed, if set, is told of those that
	// are under a name now.
	Seen   map[string]string
	Pushed func(name string, sums []string)
}

// Blob is a file that is kept.
type Blob struct {
	// Name is the file's name, SHA256 in hex, Size in bytes.
	Name   string
	SHA256 string
	Size   int64
	// Path is where it is on this machine.
	Path string
}

func (b Blob) descriptor() ocispec.Descriptor {
	return ocispec.Descriptor{MediaType: TypePackage, Digest: digest.NewDigestFromEncoded(digest.SHA256, b.SHA256), Size: b.Size,
		Annotations: map[string]string{ocispec.AnnotationTitle: b.Name}}
}

// Sealed is a jar that is to be pushed: its record, and for each target the blobs that it needs.
type Sealed struct {
	Record  []byte
	Targets []Target
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

// NotJarError says that what is in a registry is no jar.
type NotJarError struct{ Ref, Why string }

func (e *NotJarError) Error() string { return e.Ref + " is no sealed jar: " + e.Why }

// NotThereError says that a registry has no such name or tag, or does not show it.
type NotThereError struct{ Ref string }

func (e *NotThereError) Error() string { return e.Ref + " is not there" }

// DeniedError says that a registry lets nobody in without other credentials.
type DeniedError struct {
	Ref, Host string
	Code      int
}

func (e *DeniedError) Error() string {
	return fmt.Sprintf("%s answered %d for %s", e.Host, e.Code, e.Ref)
}

// repository is a name in a registry, asked with the credentials of the container world.
func (c *Client) repository(ctx context.Context, ref Ref) (*remote.Repository, error) {
	transport, err := c.Fetch.Unsigned()
	if err != nil {
		return nil, err
	}
	repo := &remote.Repository{Reference: ref.reference, PlainHTTP: ref.loopback() && plain(ctx, transport, ref.Host())}
	repo.SkipReferrersGC = true
	repo.Client = &auth.Client{Client: &http.Client{Transport: retry.NewTransport(transport)}, Cache: auth.NewCache(), Credential: known(), Header: http.Header{"User-Agent": {"glassjar"}}}
	return repo, nil
}

// plain reports whether a registry of this machine speaks http without a certificate.
func plain(ctx context.Context, transport http.RoundTripper, host string) bool {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, "https://"+host+"/v2/", nil)
	if err != nil {
		return false
	}
	res, err := (&http.Client{Transport: transport}).Do(r)
	if err != nil {
		return errors.Is(err, http.ErrSchemeMismatch)
	}
	res.Body.Close()
	return false
}

// known looks for credentials where those who work with containers keep them: the file that
// DOCKER_CONFIG or the home folder has, helpers that it names, and containers-auth.json(5).
func known() auth.CredentialFunc {
	var stores []credentials.Store
	if s, err := credentials.NewStoreFromDocker(credentials.StoreOptions{}); err == nil {
		stores = append(stores, s)
	}
	home, _ := os.UserHomeDir()
	for _, file := range []string{os.Getenv("REGISTRY_AUTH_FILE"), filepath.Join(os.Getenv("XDG_RUNTIME_DIR"), "containers", "auth.json"), filepath.Join(home, ".config", "containers", "auth.json")} {
		if _, err := os.Stat(file); err != nil || !filepath.IsAbs(file) {
			continue
		}
		if s, err := credentials.NewStore(file, credentials.StoreOptions{}); err == nil {
			stores = append(stores, s)
		}
	}
	if len(stores) == 0 {
		return nil
	}
	return credentials.Credential(credentials.NewStoreWithFallbacks(stores[0], stores[1:]...))
}

// told is the error of a request in the words of this program.
func told(ref Ref, err error) error {
	var answer *errcode.ErrorResponse
	var offline *fetch.OfflineError
	var insecure *fetch.InsecureError
	switch {
	case err == nil:
		return nil
	case errors.As(err, &offline):
		return &fetch.OfflineError{URL: ref.String()}
	case errors.As(err, &insecure):
		return insecure
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return err
	case errors.As(err, &answer) && (answer.StatusCode == http.StatusUnauthorized || answer.StatusCode == http.StatusForbidden), errors.Is(err, auth.ErrBasicCredentialNotFound):
		code := http.StatusUnauthorized
		if answer != nil {
			code = answer.StatusCode
		}
		return &DeniedError{ref.String(), ref.Host(), code}
	case errors.Is(err, errdef.ErrNotFound), answer != nil && answer.StatusCode == http.StatusNotFound:
		return &NotThereError{ref.String()}
	case answer != nil:
		return &fetch.StatusError{URL: ref.String(), Code: answer.StatusCode}
	case errors.Is(err, content.ErrMismatchedDigest), errors.Is(err, content.ErrTrailingData):
		return &NotJarError{ref.String(), "what came is not what its digest says"}
	case errors.Is(err, errdef.ErrInvalidReference), errors.Is(err, errdef.ErrUnsupported), errors.Is(err, errdef.ErrInvalidDigest):
		return &NotJarError{ref.String(), err.Error()}
	}
	return fetch.Named(ref.String(), err)
}

// Push seals a jar into a registry: what it has is not sent again. Equal jars are one artifact.
func (c *Client) Push(ctx context.Context, ref Ref, s Sealed) (Pushed, error) {
	repo, err := c.repository(ctx, ref)
	if err != nil {
		return Pushed{}, err
	}
	out := Pushed{}
	record := content.NewDescriptorFromBytes(TypeRecord, s.Record)
	blobs := map[digest.Digest]Blob{}
	index := ocispec.Index{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: ocispec.MediaTypeImageIndex, ArtifactType: TypeJar}
	manifests := [][]byte{}
	for _, t := range s.Targets {
		m := ocispec.Manifest{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: ocispec.MediaTypeImageManifest, ArtifactType: TypeJar, Config: record, Layers: []ocispec.Descriptor{}}
		for _, b := range t.Blobs {
			blobs[b.descriptor().Digest] = b
			m.Layers = append(m.Layers, b.descriptor())
		}
		text, err := json.Marshal(m)
		if err != nil {
			return out, err
		}
		manifests = append(manifests, text)
		d := content.NewDescriptorFromBytes(ocispec.MediaTypeImageManifest, text)
		d.ArtifactType = TypeJar
		d.Platform = &ocispec.Platform{OS: t.OS, Architecture: t.Architecture}
		d.Annotations = map[string]string{KeyTarget: t.Name}
		index.Manifests = append(index.Manifests, d)
	}
	var sent, bytesSent atomic.Int64
	push := func(ctx context.Context, d ocispec.Descriptor, open func() (io.ReadCloser, error)) error {
		there, err := repo.Exists(ctx, d)
		if err != nil || there {
			return told(ref, err)
		}
		body, err := open()
		if err != nil {
			return err
		}
		defer body.Close()
		if from := c.Seen[d.Digest.Encoded()]; from != "" && from != ref.reference.Repository {
			uploaded := false
			err = repo.Mount(ctx, d, from, func() (io.ReadCloser, error) { uploaded = true; return body, nil })
			if err == nil && !uploaded {
				return nil
			}
		} else {
			err = repo.Push(ctx, d, body)
		}
		if err != nil && !errors.Is(err, errdef.ErrAlreadyExists) {
			return told(ref, err)
		}
		sent.Add(1)
		bytesSent.Add(d.Size)
		if c.Told != nil {
			c.Told(bytesSent.Load())
		}
		return nil
	}
	group, inner := guard.WithContext(ctx)
	group.SetLimit(atOnce)
	for _, b := range blobs {
		group.Go(func() error {
			return push(inner, b.descriptor(), func() (io.ReadCloser, error) { return os.Open(b.Path) })
		})
	}
	if err := group.Wait(); err != nil {
		return out, err
	}
	if c.Pushed != nil {
		var sums []string
		for _, b := range blobs {
			sums = append(sums, b.SHA256)
		}
		c.Pushed(ref.reference.Repository, sums)
	}
	text := func(data []byte) func() (io.ReadCloser, error) {
		return func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil }
	}
	if err := push(ctx, record, text(s.Record)); err != nil {
		return out, err
	}
	for i, data := range manifests {
		if err := push(ctx, content.NewDescriptorFromBytes(index.Manifests[i].MediaType, data), text(data)); err != nil {
			return out, err
		}
	}
	data, err := json.Marshal(index)
	if err != nil {
		return out, err
	}
	d := content.NewDescriptorFromBytes(index.MediaType, data)
	out.Digest, out.Blobs, out.Bytes = d.Digest.String(), int(sent.Load()), bytesSent.Load()
	if ref.reference.ValidateReferenceAsDigest() == nil {
		if ref.reference.Reference != out.Digest {
			return out, &RefError{ref.String(), "this jar is " + out.Digest + "; push it to a tag"}
		}
		return out, push(ctx, d, text(data))
	}
	if have, err := repo.Resolve(ctx, ref.reference.Reference); err == nil && have.Digest == d.Digest {
		return out, nil
	}
	return out, told(ref, repo.PushReference(ctx, d, bytes.NewReader(data), ref.reference.Reference))
}

// Artifact is a jar in a registry, opened: its record was read.
type Artifact struct {
	// Digest is the artifact's, which stays what it is whatever a tag does.
	Digest string
	Record []byte

	ref  Ref
	repo *remote.Repository
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
	a := &Artifact{Digest: d.Digest.String(), ref: ref, repo: repo, sizes: map[string]int64{}}
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
	broken := func(err error) bool {
		return errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, content.ErrInvalidDescriptorSize)
	}
	err = again.Do(ctx, resumes, 100*time.Millisecond, broken, func() error {
		data, err = content.FetchAll(ctx, from, d)
		return err
	})
	return data, err
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
	return &resuming{ctx: ctx, artifact: a, blob: d, body: body, left: resumes}, nil
}

// resumes is how often a transfer is taken up again.
const resumes = 5

// resuming is a blob on its way.
type resuming struct {
	ctx      context.Context
	artifact *Artifact
	blob     ocispec.Descriptor
	body     io.ReadCloser
	at       int64
	left     int
}

func (r *resuming) Read(p []byte) (int, error) {
	n, err := r.body.Read(p)
	r.at += int64(n)
	if err == nil || err == io.EOF && r.at >= r.blob.Size {
		return n, err
	}
	if r.at > r.blob.Size || r.ctx.Err() != nil || r.left == 0 || errors.Is(err, content.ErrTrailingData) {
		return n, told(r.artifact.ref, err)
	}
	r.left--
	if err := again.Wait(r.ctx, 100*time.Millisecond); err != nil {
		return n, err
	}
	body, failed := r.artifact.repo.Blobs().Fetch(r.ctx, r.blob)
	if failed != nil {
		return n, told(r.artifact.ref, err)
	}
	if s, ok := body.(io.Seeker); ok {
		_, failed = s.Seek(r.at, io.SeekStart)
	} else {
		_, failed = io.CopyN(io.Discard, body, r.at)
	}
	if failed != nil {
		body.Close()
		return n, told(r.artifact.ref, err)
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
