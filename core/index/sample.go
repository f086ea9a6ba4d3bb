package index

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"strings"

	"glassjar/core/digest"
	"glassjar/sample"
)

// SampleScheme begins the addresses of the sample's files.
const SampleScheme = "sample:"

// Sample is the built-in sample as an index.
type Sample struct{}

// Name is "sample".
func (Sample) Name() string { return "sample" }

// Address is "sample:".
func (Sample) Address() string { return SampleScheme }

// Files lists a distribution's files.
func (s Sample) Files(_ context.Context, name string) ([]File, error) {
	list := sample.Files(name)
	if len(list) == 0 {
		return nil, fmt.Errorf("%s: %w", name, ErrUnknownName)
	}
	var out []File
	for _, f := range list {
		file := File{Name: f.Name, URL: SampleScheme + f.Name, Hashes: digest.Sums{SHA256: f.SHA256}, RequiresPython: f.RequiresPython,
			Yanked: f.Yanked != "", YankedReason: f.Yanked, Size: int64(len(f.Data)), Uploaded: f.Uploaded, HasMetadata: f.Metadata != nil, Index: s.Name()}
		if file.describe(name) {
			out = append(out, file)
		}
	}
	return out, nil
}

// Names are the sample's distributions.
func (Sample) Names(context.Context) ([]string, error) { return sample.Names(), nil }

func find(name string) (sample.File, error) {
	f := File{Name: strings.TrimPrefix(name, SampleScheme)}
	if f.describe("") {
		for _, s := range sample.Files(f.Distribution) {
			if s.Name == f.Name {
				return s, nil
			}
		}
	}
	return sample.File{}, fmt.Errorf("the sample has no file %s", f.Name)
}

// Metadata is a file's core metadata.
func (Sample) Metadata(_ context.Context, f File) ([]byte, error) {
	s, err := find(f.Name)
	return s.Metadata, err
}

// Open reads a file.
func (Sample) Open(_ context.Context, f File) (io.ReadCloser, error) {
	s, err := find(f.Name)
	return io.NopCloser(bytes.NewReader(s.Data)), err
}
