package operation

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"sync"

	"glassjar/core/internal/keptmap"
	"glassjar/core/limits"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/signature"
)

// sealedJar is one that was opened: a file, or in a registry.
type sealedJar struct {
	// text is that of the record.
	text   []byte
	record *project.Record
	// zip has the members of a file, by name; remote is what is in a registry.
	zip    *zip.ReadCloser
	names  map[string]*zip.File
	remote *registry.Artifact
}

// Close ends the use of it.
func (s *sealedJar) Close() {
	if s.zip != nil {
		s.zip.Close()
	}
}

// openSealed opens the sealed jar at a path, or at an address in a registry, and reads its
// record.
func (m *Machine) openSealed(ctx context.Context, at string) (*sealedJar, error) {
	if !registry.IsRef(at) {
		return openSealedFile(at)
	}
	ref, err := registry.Parse(at)
	if err != nil {
		return nil, err
	}
	a, err := m.registry().Open(ctx, ref)
	if err != nil {
		return nil, err
	}
	record, err := project.ParseRecord(filepath.Join(m.Dir, project.RecordFile), a.Record)
	if err != nil {
		return nil, err
	}
	return &sealedJar{text: a.Record, record: record, remote: a}, nil
}

// registry speaks with registries for this user.
func (m *Machine) registry() *registry.Client {
	if m.registries == nil {
		m.registries = &registry.Client{Fetch: m.Client, Told: func(done int64) {
			m.report(progress.Event{Stage: "sending", Done: done, Bytes: true})
		}}
	}
	return m.registries
}

// maxSeen bounds the list of blobs of a registry.
const maxSeen = 20_000

// pushing has [Machine.registry] know what is under other names of a registry; done keeps what was
// learned of that.
func (m *Machine) pushing(host string) (c *registry.Client, done func()) {
	c = m.registry()
	sum := sha256.Sum256([]byte(host))
	file := filepath.Join(m.Folders.Cache, "registries", hex.EncodeToString(sum[:12])+".json")
	c.Seen = keptmap.Read[string](file)
	learned := map[string]string{}
	var mu sync.Mutex
	c.Pushed = func(name string, sums []string) {
		mu.Lock()
		defer mu.Unlock()
		for _, s := range sums {
			learned[s] = name
		}
	}
	return c, func() {
		all := len(c.Seen) > maxSeen
		keptmap.Add(file, learned, func(key, _ string) bool { return all && learned[key] == "" })
	}
}

// openSealedFile opens a file.
func openSealedFile(file string) (*sealedJar, error) {
	not := func(why string) error {
		return &project.FileError{File: file, Why: "it is no sealed jar: " + why, Kind: project.SealedKind}
	}
	z, err := zip.OpenReader(file)
	if err != nil {
		if os.IsNotExist(err) {
			return nil, usage(NoSealedJar, filepath.Base(file))
		}
		return nil, not("it is no zip, or cut off")
	}
	s := &sealedJar{zip: z, names: map[string]*zip.File{}}
	for _, f := range z.File {
		s.names[f.Name] = f
	}
	text, err := s.member(project.RecordFile)
	if err != nil {
		z.Close()
		return nil, not("it has no " + project.RecordFile)
	}
	s.text = text
	if s.record, err = project.ParseRecord(filepath.Join(filepath.Dir(file), project.RecordFile), text); err != nil {
		z.Close()
		return nil, err
	}
	return s, nil
}

// signatures are those of its record.
func (s *sealedJar) signatures(ctx context.Context) ([][]byte, error) {
	if s.remote != nil {
		return s.remote.Signatures(ctx)
	}
	sig, err := s.member(project.RecordFile + signature.Ending)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	return [][]byte{sig}, err
}

// member is the text of a file of a zip.
func (s *sealedJar) member(name string) ([]byte, error) {
	f, ok := s.names[name]
	if !ok {
		return nil, os.ErrNotExist
	}
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return limits.ReadAll(r, "the record of a sealed jar", limits.Record)
}

// has reports whether it has a file, by its name and SHA-256.
func (s *sealedJar) has(name, sum string) bool {
	if s.remote != nil {
		_, ok := s.remote.Has(sum)
		return ok
	}
	_, ok := s.names[name]
	return ok
}

// open reads a file, of which no more comes than was announced.
func (s *sealedJar) open(ctx context.Context, name, sum string) (io.ReadCloser, error) {
	if s.remote != nil {
		return s.remote.Blob(ctx, sum)
	}
	r, c, err := openMember(s.names[name])
	if err != nil {
		return nil, err
	}
	return struct {
		io.Reader
		io.Closer
	}{r, c}, nil
}
