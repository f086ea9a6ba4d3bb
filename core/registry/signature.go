package registry

import (
	"bytes"
	"context"
	"encoding/json"
	"io"

	"github.com/opencontainers/image-spec/specs-go"
	ocispec "github.com/opencontainers/image-spec/specs-go/v1"
	"oras.land/oras-go/v2/content"

	"glassjar/core/limits"
)

// maxSignatures bounds how many signatures of a jar are read.
const maxSignatures = 100

// sign pushes a signature of a jar as an artifact that refers to it, unless the registry has the
// same. Where a registry does not list what refers to an artifact, the library keeps the list
// under the tag that the Distribution Specification gives for that.
func (p *pushing) sign(ctx context.Context, jar ocispec.Descriptor, sig []byte) error {
	if sig == nil {
		return nil
	}
	blob := content.NewDescriptorFromBytes(TypeSignature, sig)
	text, err := json.Marshal(ocispec.Manifest{Versioned: specs.Versioned{SchemaVersion: 2}, MediaType: ocispec.MediaTypeImageManifest, ArtifactType: TypeSignature,
		Config: ocispec.DescriptorEmptyJSON, Layers: []ocispec.Descriptor{blob}, Subject: &jar})
	if err != nil {
		return err
	}
	for _, t := range []pushedText{{ocispec.DescriptorEmptyJSON, ocispec.DescriptorEmptyJSON.Data}, {blob, sig}, {content.NewDescriptorFromBytes(ocispec.MediaTypeImageManifest, text), text}} {
		if err := p.one(ctx, t.descriptor, func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(t.text)), nil }); err != nil {
			return err
		}
	}
	return nil
}

// Signatures are the texts of all signatures that refer to the artifact.
func (a *Artifact) Signatures(ctx context.Context) ([][]byte, error) {
	var list []ocispec.Descriptor
	err := a.repo.Referrers(ctx, a.top, TypeSignature, func(some []ocispec.Descriptor) error {
		list = append(list, some...)
		return nil
	})
	if err != nil {
		return nil, told(a.ref, err)
	}
	if len(list) > maxSignatures {
		return nil, &limits.Error{What: a.ref.String(), Limit: maxSignatures, Unit: "signatures"}
	}
	var out [][]byte
	for _, d := range list {
		var m ocispec.Manifest
		if err := a.read(ctx, d, &m); err != nil {
			return nil, err
		}
		if len(m.Layers) != 1 || m.Layers[0].MediaType != TypeSignature || m.Layers[0].Size > limits.Own {
			continue // of another kind
		}
		sig, err := a.whole(ctx, a.repo.Blobs(), m.Layers[0])
		if err != nil {
			return nil, told(a.ref, err)
		}
		out = append(out, sig)
	}
	return out, nil
}
