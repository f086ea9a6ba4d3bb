package operation

import (
	"crypto/sha256"
	"encoding/hex"
	"path/filepath"
	"sync"

	"glassjar/core/internal/keptmap"
	"glassjar/core/progress"
	"glassjar/core/registry"
)

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
