// Package catalog is what the indexes have: the releases of a distribution, what is
// stated about each, and their files. It answers the solver ([Provider]), fetches
// package files into the store, and finds what has a module or a command.
//
// A [Catalog] asks for each thing once, however many targets are solved for.
package catalog

import (
	"context"
	"maps"
	"slices"
	"sync"
	"sync/atomic"

	"glassjar/core/fetch"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/internal/once"
	"glassjar/core/metadata"
	"glassjar/core/progress"
	"glassjar/core/registry"
	"glassjar/core/store"
	"glassjar/core/version"
)

// Catalog asks the indexes. Several goroutines may use it; its fields are set before.
type Catalog struct {
	Indexes *index.Ordered
	// Direct are files given by path or address, by distribution.
	Direct map[string]index.File
	// Store is where package files are kept, Cache the folder of what need not be asked
	// for again, Client what fetches a file that is of no index.
	Store  *store.Store
	Cache  string
	Client *fetch.Client
	// Registry speaks with OCI registries, of files that a record names there.
	Registry func() *registry.Client
	// Report is told how far the work has come.
	Report progress.Sink
	// Sources answers for what has to be built; nil where nothing may be.
	Sources Sources
	// Oldest are distributions of which the oldest version is preferred, not the newest.
	Oldest map[string]bool
	// ReadAll are distributions of which every wheel's metadata is read, though the index does
	// not say whether they differ.
	ReadAll map[string]bool

	looked atomic.Int64 // releases whose metadata was asked for
	lists  once.Map[string, listing]
	metas  once.Map[string, metadata.Metadata] // by SHA-256, or address
	stated once.Map[string, []byte]            // by the SHA-256 of the metadata itself

	coming sync.Map // of package files that are being fetched, by SHA-256: a channel
	came   sync.Map // those that were fetched and verified

	assumed assuming

	mu     sync.Mutex
	passed map[string]index.PassedOver // by file name
}

// Sources knows what may be built from source, and what it then needs. Several
// goroutines may call it.
type Sources interface {
	// MayBuild reports whether a distribution may be built from source, and is asked only
	// where no wheel serves. An error ends the solving: somebody is to be asked first.
	MayBuild(ctx context.Context, name string) (bool, error)
	// Metadata is METADATA of the wheel that source would make, as much of it as decides
	// what is needed.
	Metadata(ctx context.Context, f index.File) ([]byte, error)
}

// listing is what the indexes have of one distribution.
type listing struct {
	releases []Release
	source   index.Source
}

// Release is one version and its files, in the order of their names.
type Release struct {
	Version version.Version
	Files   []index.File

	alike int // see [alike]
}

// Use sets the indexes that are asked, and what they pass over is noted, here only where several
// catalogues ask them; nil asks none.
func (c *Catalog) Use(indexes *index.Ordered) *Catalog {
	if c.Indexes = nil; indexes != nil {
		own := *indexes
		own.PassedOver = func(name string, f index.File) { c.pass(name, f, f.Fault) }
		c.Indexes = &own
	}
	return c
}

// pass notes that a file is not considered.
func (c *Catalog) pass(name string, f index.File, why string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	one := index.PassedOver{Name: name, File: f.Name, Why: why}
	if !f.Version.IsZero() {
		one.Version = f.Version.String()
	}
	if c.passed == nil {
		c.passed = map[string]index.PassedOver{}
	}
	c.passed[f.Name] = one
}

// PassedOver are all files that were not considered, by name.
func (c *Catalog) PassedOver() []index.PassedOver {
	c.mu.Lock()
	defer c.mu.Unlock()
	out := []index.PassedOver{}
	for _, file := range slices.Sorted(maps.Keys(c.passed)) {
		out = append(out, c.passed[file])
	}
	return out
}

// Releases are a distribution's, the newest first, and the index that they are of; it is
// nil for a file that was given directly. The error wraps [index.ErrUnknownName] for a
// name that no index has.
func (c *Catalog) Releases(ctx context.Context, name string) ([]Release, index.Source, error) {
	l, err := c.lists.Do(name, func() (listing, error) {
		if f, ok := c.Direct[name]; ok {
			return listing{releases: []Release{{Version: f.Version, Files: []index.File{f}}}}, nil
		}
		files, source, err := c.Indexes.Files(ctx, name)
		return listing{ByVersion(files), source}, err
	})
	return l.releases, l.source, err
}

// HeldBack is [index.Ordered.HeldBack].
func (c *Catalog) HeldBack(name string, v version.Version) (index.Hold, bool) {
	if c.Indexes == nil {
		return index.Hold{}, false
	}
	return c.Indexes.HeldBack(name, v)
}

// ByVersion sorts files into releases, the newest first. Files that have that order already are
// kept where they are.
func ByVersion(files []index.File) []Release {
	// Whatever order an index lists them in; of two ways to write a version the
	// first by name counts.
	sorted := index.NewestFirst(files)
	var out []Release
	for from, to := 0, 0; from < len(sorted); from = to {
		for to = from + 1; to < len(sorted) && sorted[to].Version.Equal(sorted[from].Version); to++ {
		}
		out = append(out, Release{Version: sorted[from].Version, Files: sorted[from:to:to]})
	}
	alike(out)
	return out
}

// expect asks for several names at once, so that the answers are there when
// they are needed one by one.
func (c *Catalog) expect(ctx context.Context, names []string) {
	group := guard.New()
	group.SetLimit(askAtOnce)
	for _, name := range names {
		group.Go(func() error {
			_, _, err := c.Releases(ctx, name)
			return err
		})
	}
	_ = group.Wait() // whoever needs the name is told the error
}
