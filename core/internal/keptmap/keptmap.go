// Package keptmap keeps a map in a file that several processes add to at once, of the cache or of what
// the program knows: none loses what another has learned.
package keptmap

import (
	"context"
	"encoding/json"
	"os"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/lock"
)

// How long is waited for another process that is adding: what is not written down is only worked
// out again, what is kept is not.
const (
	patience     = time.Second
	longPatience = time.Minute
)

// Read is the map in a file; empty for one that is missing or damaged.
func Read[V any](file string) map[string]V {
	var kept map[string]V
	if data, err := os.ReadFile(file); err != nil || json.Unmarshal(data, &kept) != nil || kept == nil {
		return map[string]V{}
	}
	return kept
}

// Add adds what was learned, and takes out what is stale, if that is given. It reports whether that
// is written down.
func Add[V any](file string, learned map[string]V, stale func(key string, value V) bool) bool {
	return change(patience, file, learned, stale, func(path string, data []byte) error { return atomicfile.Cache(path, data) }) == nil
}

// Keep is [Add] for what cannot be learned again: it outlives a power cut. The error is a
// [*lock.BusyError] where another process did not let go in time.
func Keep[V any](file string, learned map[string]V, stale func(key string, value V) bool) error {
	return change(longPatience, file, learned, stale, func(file string, data []byte) error {
		return atomicfile.Write(file, data, atomicfile.Options{Mode: 0o600})
	})
}

func change[V any](patience time.Duration, file string, learned map[string]V, stale func(key string, value V) bool, write func(string, []byte) error) error {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	held, err := lock.Take(ctx, file+".lock", lock.Mode{})
	switch {
	case ctx.Err() != nil:
		return &lock.BusyError{Path: file}
	case err != nil:
		return err
	}
	defer held.Release()
	kept := Read[V](file)
	for key, value := range learned {
		kept[key] = value
	}
	for key, value := range kept {
		if stale != nil && stale(key, value) {
			delete(kept, key)
		}
	}
	data, err := json.Marshal(kept)
	if err != nil {
		return err
	}
	return write(file, data)
}
