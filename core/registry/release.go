package registry

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/opencontainers/go-digest"
	"github.com/opencontainers/image-spec/specs-go"
	ocispec "github.com/opencontainers/image-spec/specs-go/v1"
	"oras.land/oras-go/v2/content"
	"oras.land/oras-go/v2/registry"

	"glassjar/core/guard"
	again "glassjar/core/internal/retry"
	"glassjar/core/limits"
)

// Annotations of a package file's layer in a release.
const (
	KeyRequiresPython = "glassjar.requires-python"
	KeyUploaded       = "glassjar.uploaded"
	KeyMetadata       = "glassjar.metadata"
)

// Base is a place in a registry under which each distribution has a name of its own, and each
// release a tag: "oci://HOST/NAME".
type Base struct{ reference registry.Reference }

// ParseBase reads such an address. The error is a [*RefError].
func ParseBase(text string) (Base, error) {
	rest, ok := strings.CutPrefix(text, Scheme)
	if !ok {
		return Base{}, &RefError{text, "it does not begin with " + Scheme}
	}
	r, err := registry.ParseReference(rest)
	if err != nil || r.Reference != "" || strings.Contains(rest, "@") {
		return Base{}, &RefError{text, "an index is " + Scheme + "HOST/NAME, without a tag: each distribution has a name below it"}
	}
	return Base{r}, nil
}

func (b Base) String() string { return Scheme + b.reference.Registry + "/" + b.reference.Repository }

// Host is the registry's, with its port.
func (b Base) Host() string { return b.reference.Registry }

// at is the place of a release, or with an empty tag of a distribution, by its normal name.
func (b Base) at(name, tag string) Ref {
	r := b.reference
	r.Repository, r.Reference = r.Repository+"/"+name, tag
	return Ref{r}
}

// Tag is the tag of a release: a tag has neither "!" nor "+", and a version (PEP 440) no "_".
func Tag(version string) string {
	return strings.NewReplacer("!", "_e_", "+", "_l_").Replace(version)
}

// VersionOf is the version that a tag is of.
func VersionOf(tag string) string {
	return strings.NewReplacer("_e_", "!", "_l_", "+").Replace(tag)
}

// ReleaseFile is a package file of a release.
type ReleaseFile struct {
	Blob
	RequiresPython string
	Uploaded       time.Time
	// Metadata is the core metadata of a wheel, to be pushed, and MetadataSum its SHA-256, in
	// hex; empty where there is none.
	Metadata     []byte
	MetadataSum  string
	MetadataSize int64
}

// Release is what the registry has of one.
type Release struct {
	Version string
	Files   []ReleaseFile
}

// OtherFileError says that a release has a file of that name with other bytes.
type OtherFileError struct{ Ref, File string }

func (e *OtherFileError) Error() string { return e.Ref + " has another " + e.File }

// layers are a release's files and their metadata, as a manifest has them.
func layers(files []ReleaseFile) (out []ocispec.Descriptor) {
	described := map[string]ocispec.Descriptor{}
	for _, f := range files {
		d := f.descriptor()
		if f.RequiresPython != "" {
			d.Annotations[KeyRequiresPython] = f.RequiresPython
		}
		if !f.Uploaded.IsZero() {
			d.Annotations[KeyUploaded] = f.Uploaded.UTC().Format(time.RFC3339Nano)
		}
		if f.MetadataSum != "" {
			d.Annotations[KeyMetadata] = "sha256:" + f.MetadataSum
			described[f.MetadataSum] = ocispec.Descriptor{MediaType: TypeMetadata, Digest: digest.NewDigestFromEncoded(digest.SHA256, f.MetadataSum), Size: f.MetadataSize}
		}
		out = append(out, d)
	}
	for _, d := range described {
		out = append(out, d)
	}
	return out
}

// PushRelease puts files of a release into a registry, beside those that it has of it. The error
// is an [*OtherFileError] where it has another file of that name.
func (c *Client) PushRelease(ctx context.Context, base Base, name, version string, files []ReleaseFile) (Pushed, error) {
	ref := base.at(name, Tag(version))
	repo, err := c.repository(ctx, ref)
	if err != nil {
		return Pushed{}, err
	}
	have, err := c.release(ctx, ref)
	var absent *NotThereError
	if err != nil && !errors.As(err, &absent) {
		return Pushed{}, err
	}
	p := &pushing{client: c, ref: ref, repo: repo}
	blobs := map[string]Blob{}
	all := layers(files)
	for _, f := range files {
		blobs[f.SHA256] = f.Blob
	}
	for _, old := range have {
		title := old.Annotations[ocispec.AnnotationTitle]
		same := slices.IndexFunc(all, func(d ocispec.Descriptor) bool {
			return d.Digest == old.Digest || title != "" && d.Annotations[ocispec.AnnotationTitle] == title
		})
		switch {
		case same < 0:
			all = append(all, old)
		case all[same].Digest != old.Digest:
			return Pushed{}, &OtherFileError{ref.String(), title}
		default:
			all[same] = old
		}
	}
	slices.SortFunc(all, func(a, b ocispec.Descriptor) int { // packages first, then what describes them
		return cmp.Or(strings.Compare(b.MediaType, a.MediaType), strings.Compare(a.Annotations[ocispec.AnnotationTitle], b.Annotations[ocispec.AnnotationTitle]), strings.Compare(a.Digest.String(), b.Digest.String()))
	})
	if err := p.files(ctx, blobs); err != nil {
		return p.done(ocispec.Descriptor{}), err
	}
	text, err := json.Marshal(ocispec.Manifest{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: ocispec.MediaTypeImageManifest, ArtifactType: TypeRelease, Config: ocispec.DescriptorEmptyJSON, Layers: all})
	if err != nil {
		return p.done(ocispec.Descriptor{}), err
	}
	small := []pushedText{{ocispec.DescriptorEmptyJSON, ocispec.DescriptorEmptyJSON.Data}}
	for _, f := range files {
		if f.MetadataSum != "" {
			small = append(small, pushedText{content.NewDescriptorFromBytes(TypeMetadata, f.Metadata), f.Metadata})
		}
	}
	for _, t := range small {
		if err := p.one(ctx, t.descriptor, func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(t.text)), nil }); err != nil {
			return p.done(t.descriptor), err
		}
	}
	top := content.NewDescriptorFromBytes(ocispec.MediaTypeImageManifest, text)
	if now, err := repo.Resolve(ctx, ref.reference.Reference); err == nil && now.Digest == top.Digest {
		return p.done(top), nil
	}
	return p.done(top), told(ref, repo.PushReference(ctx, top, bytes.NewReader(text), ref.reference.Reference))
}

// release are the layers of a release that is there.
func (c *Client) release(ctx context.Context, ref Ref) ([]ocispec.Descriptor, error) {
	repo, err := c.repository(ctx, ref)
	if err != nil {
		return nil, err
	}
	var text []byte
	err = again.Do(ctx, resumes, 100*time.Millisecond, broken, func() error {
		d, body, err := repo.FetchReference(ctx, ref.reference.Reference)
		if err != nil {
			return err
		}
		defer body.Close()
		if d.Size > limits.Own {
			return &limits.Error{What: ref.String(), Limit: limits.Own, Unit: "bytes"}
		}
		text, err = content.ReadAll(body, d)
		return err
	})
	if err != nil {
		return nil, told(ref, err)
	}
	var m ocispec.Manifest
	if json.Unmarshal(text, &m) != nil || m.ArtifactType != TypeRelease {
		return nil, &NotJarError{ref.String(), "it is no release of a distribution"}
	}
	return m.Layers, nil
}

// Releases are those that a registry has of a distribution, by its normal name; none where it does
// not know it. What stands there under another kind is passed over.
func (c *Client) Releases(ctx context.Context, base Base, name string) ([]Release, error) {
	repo, err := c.repository(ctx, base.at(name, ""))
	if err != nil {
		return nil, err
	}
	var tags []string
	err = repo.Tags(ctx, "", func(some []string) error {
		if tags = append(tags, some...); len(tags) > limits.Files {
			return &limits.Error{What: base.String() + "/" + name, Limit: limits.Files, Unit: "releases"}
		}
		return nil
	})
	var absent *NotThereError
	if err = told(base.at(name, "latest"), err); errors.As(err, &absent) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var mu sync.Mutex
	var out []Release
	group, inner := guard.WithContext(ctx)
	group.SetLimit(2 * atOnce)
	for _, tag := range tags {
		group.Go(func() error {
			list, err := c.release(inner, base.at(name, tag))
			var other *NotJarError
			if errors.As(err, &other) || errors.As(err, new(*NotThereError)) {
				return nil
			}
			if err != nil {
				return err
			}
			mu.Lock()
			defer mu.Unlock()
			out = append(out, Release{VersionOf(tag), filesOf(list)})
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	slices.SortFunc(out, func(a, b Release) int { return strings.Compare(a.Version, b.Version) })
	return out, nil
}

func filesOf(list []ocispec.Descriptor) (out []ReleaseFile) {
	sizes := map[string]int64{}
	for _, d := range list {
		if d.MediaType == TypeMetadata {
			sizes[d.Digest.String()] = d.Size
		}
	}
	for _, d := range list {
		title := d.Annotations[ocispec.AnnotationTitle]
		if d.MediaType != TypePackage || title == "" || strings.ContainsAny(title, "/\\") || d.Digest.Validate() != nil || d.Digest.Algorithm() != digest.SHA256 {
			continue
		}
		f := ReleaseFile{Blob: Blob{Name: title, SHA256: d.Digest.Encoded(), Size: d.Size}, RequiresPython: d.Annotations[KeyRequiresPython]}
		f.Uploaded, _ = time.Parse(time.RFC3339Nano, d.Annotations[KeyUploaded]) // else it is not known
		if sum := digest.Digest(d.Annotations[KeyMetadata]); sum.Validate() == nil && sum.Algorithm() == digest.SHA256 {
			f.MetadataSum, f.MetadataSize = sum.Encoded(), sizes[sum.String()]
		}
		out = append(out, f)
	}
	return out
}

// FileURL is how a record names a package file in a registry: "oci://HOST/NAME@sha256:HASH/FILE".
func FileURL(base Base, name string, b Blob) string {
	return fmt.Sprintf("%s/%s@sha256:%s/%s", base, name, b.SHA256, b.Name)
}

// OpenFile reads what [FileURL] names, size bytes, or -1 where that is not known; content is to be
// compared with its hash by the reader.
func (c *Client) OpenFile(ctx context.Context, url string, size int64) (io.ReadCloser, error) {
	place, _, ok := cutLast(url)
	ref, err := Parse(place)
	if err != nil || !ok {
		return nil, &RefError{url, "a file there is oci://HOST/NAME@sha256:HASH/FILE"}
	}
	return c.blob(ctx, ref, TypePackage, size)
}

// Metadata reads the core metadata of a wheel that [FileURL] names, by the metadata's SHA-256 and
// its size.
func (c *Client) Metadata(ctx context.Context, url, sum string, size int64) ([]byte, error) {
	place, _, ok := cutLast(url)
	ref, err := Parse(place)
	if err != nil || !ok {
		return nil, &RefError{url, "a file there is oci://HOST/NAME@sha256:HASH/FILE"}
	}
	ref.reference.Reference = "sha256:" + sum
	body, err := c.blob(ctx, ref, TypeMetadata, size)
	if err != nil {
		return nil, err
	}
	defer body.Close()
	return limits.ReadAll(body, url, limits.Metadata)
}

func cutLast(url string) (place, file string, ok bool) {
	i := strings.LastIndexByte(url, '/')
	if i < 0 {
		return "", "", false
	}
	return url[:i], url[i+1:], true
}

// blob opens a blob by the digest in its address.
func (c *Client) blob(ctx context.Context, ref Ref, kind string, size int64) (io.ReadCloser, error) {
	repo, err := c.repository(ctx, ref)
	if err != nil {
		return nil, err
	}
	d := ocispec.Descriptor{MediaType: kind, Digest: digest.Digest(ref.reference.Reference), Size: size}
	if size < 0 {
		if d, err = repo.Blobs().Resolve(ctx, ref.reference.Reference); err != nil {
			return nil, told(ref, err)
		}
		d.MediaType = kind
	}
	body, err := repo.Blobs().Fetch(ctx, d)
	if err != nil {
		return nil, told(ref, err)
	}
	return &resuming{ctx: ctx, ref: ref, repo: repo, blob: d, body: body, left: resumes}, nil
}
