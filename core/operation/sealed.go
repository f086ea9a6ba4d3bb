package operation

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io/fs"
	"path/filepath"
	"sync"

	"glassjar/core/internal/keptmap"
	"glassjar/core/progress"
	"glassjar/core/registry"
	"glassjar/core/sealed"
)

// openSealed opens the sealed jar at a path, or at an address in a registry, and reads its
// record.
func (m *Machine) openSealed(ctx context.Context, at string) (*sealed.Jar, error) {
	if !registry.IsRef(at) {
		z, err := sealed.OpenFile(at)
		if errors.Is(err, fs.ErrNotExist) {
			return nil, usage(NoSealedJar, filepath.Base(at))
		}
		return z, err
	}
	ref, err := registry.Parse(at)
	if err != nil {
		return nil, err
	}
	a, err := m.registry().Open(ctx, ref)
	if err != nil {
		return nil, err
	}
	return sealed.InRegistry(a, m.Dir)
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
