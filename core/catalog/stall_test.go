package catalog_test

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/store"
	"glassjar/core/target"
	"glassjar/core/wheel"
)

var ctx = context.Background()

// stall is an index of a test. It counts what it is asked for.
type stall struct {
	t     *testing.T
	name  string
	dir   string // has the wheels
	files map[string][]index.File
	bytes map[string][]byte // by file name
	meta  map[string]string // METADATA by file name; those without give none separately
	// spoil, if set, is given the bytes of a file each time it is opened.
	spoil func(name string, data []byte, opened int) []byte

	whole bool // it gives files only whole

	mu     sync.Mutex
	asked  map[string]int // pages, by name
	metas  int
	looks  int
	opened map[string]int
}

func newStall(t *testing.T, name string) *stall {
	return &stall{t: t, name: name, dir: t.TempDir(), files: map[string][]index.File{}, bytes: map[string][]byte{}, meta: map[string]string{}, asked: map[string]int{}, opened: map[string]int{}}
}

func (s *stall) Name() string    { return s.name }
func (s *stall) Address() string { return "https://" + s.name + ".example/" }

func (s *stall) Files(_ context.Context, name string) ([]index.File, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked[name]++
	if files, ok := s.files[name]; ok {
		return files, nil
	}
	return nil, fmt.Errorf("%s: %w", name, index.ErrUnknownName)
}

func (s *stall) Names(context.Context) ([]string, error) {
	var out []string
	for name := range s.files {
		out = append(out, name)
	}
	slices.Sort(out)
	return out, nil
}

func (s *stall) Metadata(_ context.Context, f index.File) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.metas++
	if s.whole {
		return nil, fetch.ErrNoRanges
	}
	return []byte(s.meta[f.Name]), nil
}

func (s *stall) Inside(_ context.Context, f index.File) (index.Inside, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.looks++
	return index.WheelInside(filepath.Join(s.dir, f.Name))
}

func (s *stall) Open(_ context.Context, f index.File) (io.ReadCloser, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.opened[f.Name]++
	data := s.bytes[f.Name]
	if s.spoil != nil {
		data = s.spoil(f.Name, data, s.opened[f.Name])
	}
	return io.NopCloser(bytes.NewReader(data)), nil
}

// sell offers a wheel with some lines of metadata. Lines that begin with "." are the
// paths of further members.
func (s *stall) sell(file string, lines ...string) *index.File {
	name, err := metadata.ParseWheelName(file)
	require.NoError(s.t, err)
	text := fmt.Sprintf("Metadata-Version: 2.1\nName: %s\nVersion: %s\n", name.Name, name.Version)
	spec := wheel.Spec{Name: name.Name, Version: name.Version, Tag: "py3-none-any"}
	for _, line := range lines {
		if path, ok := strings.CutPrefix(line, "."); ok {
			spec.Files = append(spec.Files, wheel.File{Path: path})
		} else {
			text += line + "\n"
		}
	}
	spec.Metadata = []byte(text)
	var buffer bytes.Buffer
	require.NoError(s.t, wheel.Write(&buffer, spec))
	data := buffer.Bytes()
	sum := sha256.Sum256(data)
	s.bytes[file], s.meta[file] = data, text
	require.NoError(s.t, os.WriteFile(filepath.Join(s.dir, file), data, 0o644))
	s.files[name.Name] = append(s.files[name.Name], index.File{Name: file, Distribution: name.Name, Version: name.Version, Wheel: &name, URL: s.Address() + file,
		Index: s.name, Size: int64(len(data)), Hashes: digest.Sums{SHA256: hex.EncodeToString(sum[:])}, HasMetadata: true})
	return &s.files[name.Name][len(s.files[name.Name])-1]
}

func open(t *testing.T, sources ...index.Source) *catalog.Catalog {
	c := &catalog.Catalog{Direct: map[string]index.File{}, Store: &store.Store{Dir: t.TempDir()}, Cache: t.TempDir()}
	return c.Use(&index.Ordered{Sources: sources, Pins: map[string]string{}})
}

func linux() target.Environment {
	return target.Target{OS: "linux", Arch: "x86_64", Implementation: "cpython", Major: 3, Minor: 12}.Environment()
}
