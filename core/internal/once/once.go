// Package once remembers what was worked out: each thing is asked for one time, however
// many want it at once.
package once

import (
	"maps"
	"slices"
	"sync"
)

// Map remembers a value or an error for each key. The zero map is empty. Several
// goroutines may use it; those that want what another is working out wait for it.
type Map[K comparable, V any] struct {
	mu   sync.Mutex
	kept map[K]*entry[V]
}

type entry[V any] struct {
	once  sync.Once
	value V
	err   error
}

// Do gives what work gave for the key the first time.
func (m *Map[K, V]) Do(key K, work func() (V, error)) (V, error) {
	m.mu.Lock()
	e, ok := m.kept[key]
	if !ok {
		if m.kept == nil {
			m.kept = map[K]*entry[V]{}
		}
		e = &entry[V]{}
		m.kept[key] = e
	}
	m.mu.Unlock()
	e.once.Do(func() { e.value, e.err = work() })
	return e.value, e.err
}

// Forget has the key worked out anew the next time.
func (m *Map[K, V]) Forget(key K) {
	m.mu.Lock()
	defer m.mu.Unlock()
	delete(m.kept, key)
}

// Keys are those that were asked for, in no order.
func (m *Map[K, V]) Keys() []K {
	m.mu.Lock()
	defer m.mu.Unlock()
	return slices.Collect(maps.Keys(m.kept))
}
