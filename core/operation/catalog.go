package operation

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"
	"sync/atomic"

	"glassjar/core/atomicfile"
	"glassjar/core/fetch"
	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/near"
	"glassjar/core/progress"
	"glassjar/core/store"
	"glassjar/core/version"
)

// catalog is what the indexes say, each thing asked for once in a run however
// many targets are solved for. Several goroutines may use it.
type catalog struct {
	m       *Machine
	indexes *index.Ordered
	// direct are files given by path or address, by distribution.
	direct map[string]index.File

	looked atomic.Int64 // releases whose description was asked for

	mu     sync.Mutex
	lists  map[string]*listing
	metas  map[string]*described
	passed map[string]PassedOver // by file name
}

// PassedOver is a package file that was not considered, since it cannot be read.
type PassedOver struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	File    string `json:"file"`
	Why     string `json:"why"`
}

// pass notes that a file is not considered.
func (c *catalog) pass(name string, f index.File, why string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	one := PassedOver{Name: name, File: f.Name, Why: why}
	if !f.Version.IsZero() {
		one.Version = f.Version.String()
	}
	c.passed[f.Name] = one
}

// passedOver are all files that were not considered, by name.
func (c *catalog) passedOver() []PassedOver {
	c.mu.Lock()
	defer c.mu.Unlock()
	out := []PassedOver{}
	for _, file := range slices.Sorted(maps.Keys(c.passed)) {
		out = append(out, c.passed[file])
	}
	return out
}

type listing struct {
	once     sync.Once
	releases []release
	source   index.Source
	err      error
}

// release is one version and its files.
type release struct {
	version version.Version
	files   []index.File
}

type described struct {
	once sync.Once
	meta metadata.Metadata
	err  error
}

func (m *Machine) newCatalog(indexes *index.Ordered) *catalog {
	c := &catalog{m: m, indexes: indexes, direct: map[string]index.File{}, lists: map[string]*listing{}, metas: map[string]*described{}, passed: map[string]PassedOver{}}
	if indexes != nil {
		indexes.PassedOver = func(name string, f index.File) { c.pass(name, f, f.Fault) }
	}
	return c
}

// releases are a distribution's, the newest first. The error wraps
// [index.ErrUnknownName] for a name that no index has.
func (c *catalog) releases(ctx context.Context, name string) ([]release, index.Source, error) {
	c.mu.Lock()
	l, ok := c.lists[name]
	if !ok {
		l = &listing{}
		c.lists[name] = l
	}
	c.mu.Unlock()
	l.once.Do(func() {
		if f, ok := c.direct[name]; ok {
			l.releases = []release{{f.Version, []index.File{f}}}
			return
		}
		var files []index.File
		files, l.source, l.err = c.indexes.Files(ctx, name)
		l.releases = byVersion(files)
	})
	return l.releases, l.source, l.err
}

func byVersion(files []index.File) []release {
	// Whatever order an index lists them in; of two ways to write a version the
	// first by name counts.
	files = slices.SortedFunc(slices.Values(files), func(a, b index.File) int { return strings.Compare(a.Name, b.Name) })
	at := map[string]int{}
	var out []release
	for _, f := range files {
		key := f.Version.Key()
		i, ok := at[key]
		if !ok {
			i = len(out)
			at[key] = i
			out = append(out, release{version: f.Version})
		}
		out[i].files = append(out[i].files, f)
	}
	sort.Slice(out, func(i, j int) bool { return out[j].version.Less(out[i].version) })
	return out
}

// expect asks for several names at once, so that the answers are there when
// they are needed one by one.
func (c *catalog) expect(ctx context.Context, names []string) {
	group := guard.New()
	group.SetLimit(16)
	for _, name := range names {
		group.Go(func() error {
			_, _, err := c.releases(ctx, name)
			return err
		})
	}
	_ = group.Wait() // whoever needs the name is told the error
}

// metadata is a wheel's core metadata: from this machine if it was seen before,
// else from the index, else out of the wheel itself.
func (c *catalog) metadata(ctx context.Context, f index.File) (metadata.Metadata, error) {
	key := f.URL
	if sum := f.SHA256(); sum != "" {
		key = sum
	}
	c.mu.Lock()
	d, ok := c.metas[key]
	if !ok {
		d = &described{}
		c.metas[key] = d
	}
	c.mu.Unlock()
	d.once.Do(func() {
		c.m.report(progress.Event{Stage: "finding versions", Done: c.looked.Add(1)})
		var data []byte
		if data, d.err = c.metadataBytes(ctx, f); d.err != nil {
			return
		}
		if !bytes.Contains(data, []byte("Metadata-Version:")) {
			d.err = &index.DamagedError{File: f.Name, Why: "its description is something else"}
			return
		}
		if d.meta, d.err = metadata.Parse(data); d.err == nil && (d.meta.Key() != f.Distribution || !d.meta.Version.Equal(f.Version)) {
			d.err = metadata.Invalid("%s describes %s %s", f.Name, d.meta.Name, d.meta.Version)
		}
		if errors.Is(d.err, metadata.ErrInvalid) {
			c.pass(f.Distribution, f, d.err.Error())
		}
	})
	return d.meta, d.err
}

func (c *catalog) metadataBytes(ctx context.Context, f index.File) ([]byte, error) {
	kept := ""
	if sum := f.SHA256(); store.ValidSum(sum) {
		kept = filepath.Join(c.m.Folders.Cache, "metadata", sum[:2], sum)
		if data, err := os.ReadFile(kept); err == nil {
			return data, nil
		}
	}
	data, err := c.metadataFrom(ctx, f)
	if err == nil && kept != "" {
		keepFile(kept, data)
	}
	return data, err
}

func (c *catalog) metadataFrom(ctx context.Context, f index.File) ([]byte, error) {
	_, here := c.m.Store.Package(f.SHA256())
	if data, ok := c.unpackedMetadata(f); ok {
		return data, nil
	}
	if source := c.indexes.Source(f.Index); source != nil && !here && (f.HasMetadata || f.Path == "") {
		data, err := source.Metadata(ctx, f)
		var whole *fetch.WholeError
		if errors.As(err, &whole) { // it is here now, so it is kept
			_, path, err := c.m.Store.Add(ctx, f.Name, f.SHA256(), whole.Body)
			whole.Body.Close()
			if err == nil {
				return c.metadataIn(path, f)
			}
		}
		if !errors.Is(err, fetch.ErrNoRanges) {
			return data, err
		}
	}
	path, _, err := c.fetch(ctx, f, nil)
	if err != nil {
		return nil, err
	}
	data, err := c.metadataIn(path, f)
	if err != nil {
		// Another process may have unpacked it meanwhile, and not kept the file.
		if data, ok := c.unpackedMetadata(f); ok {
			return data, nil
		}
	}
	return data, err
}

// metadataIn reads the metadata of a wheel that is here. One that was fetched and is
// no archive at all was damaged on its way, or is not what the index says.
func (c *catalog) metadataIn(path string, f index.File) ([]byte, error) {
	data, err := index.WheelMetadata(path)
	if errors.Is(err, zip.ErrFormat) && f.Path == "" {
		return nil, &index.DamagedError{File: f.Name, Why: "what came is not a wheel"}
	}
	return data, err
}

// unpackedMetadata is METADATA of a wheel that is in the store.
func (c *catalog) unpackedMetadata(f index.File) ([]byte, bool) {
	tree, ok := c.m.Store.Tree(f.SHA256())
	if !ok {
		return nil, false
	}
	data, err := tree.Metadata()
	return data, err == nil
}

// keepFile writes a file of the cache. Where that fails it is asked for again,
// so there is no error.
func keepFile(path string, data []byte) {
	_ = atomicfile.Cache(path, data)
}

// unknown are those of the names that no index has.
func (c *catalog) unknown(ctx context.Context, names []string) ([]string, error) {
	c.expect(ctx, names)
	var out []string
	for _, name := range names {
		_, _, err := c.releases(ctx, name)
		if errors.Is(err, index.ErrUnknownName) {
			out = append(out, name)
		} else if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// UnknownNamesError says which names no index has.
type UnknownNamesError struct {
	// Names are as asked for; Near are known names that come close, by name;
	// Indexes are the names of those asked.
	Names   []string
	Near    map[string][]string
	Indexes []string
	// Brings are distributions that one imports under a name that was asked for.
	Brings map[string][]string
	// Pinned are those of the names that are pinned to one index, with its name;
	// Elsewhere are the indexes that have such a name but are not asked for it.
	Pinned    map[string]string
	Elsewhere map[string][]string
	// SampleOnly tells that no index is set up, so that only the sample was
	// asked.
	SampleOnly bool
}

func (e *UnknownNamesError) Error() string {
	return fmt.Sprintf("no index has %v", e.Names)
}

// near are the known names closest to one.
func (c *catalog) near(ctx context.Context, name string) []string {
	all, err := c.indexes.Names(ctx)
	if err != nil {
		return nil // a hint more or less
	}
	return near.Names(name, all)
}
