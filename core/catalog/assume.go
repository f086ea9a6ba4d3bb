package catalog

import (
	"sync"

	"glassjar/core/index"
	"glassjar/core/version"
)

// An index that gives no hashes of metadata does not say whether the wheels of a release need the
// same. They nearly always do. Where reading all that other targets would take means more than one
// burst of questions, one is read, and the others are assumed to say the same; the record tells
// which, and whoever installs another of them has that looked at.

// assuming is what is assumed of wheels that were not read.
type assuming struct {
	mu sync.Mutex
	// on tells that wheels are assumed to need what the first of their release does.
	on bool
	// read are the first wheels whose metadata was read, of those that one would have to ask
	// for; of tells for which releases others are assumed to say the same.
	read map[release]index.File
	of   map[release]bool
}

// release is one version of a distribution in one index.
type release struct{ distribution, version, index string }

func releaseOf(f index.File) release { return release{f.Distribution, f.Version.Key(), f.Index} }

// alone reports whether nothing but its own metadata says what a wheel needs.
func (c *Catalog) alone(f index.File) bool {
	return f.Wheel != nil && f.Index != "" && f.Path == "" && f.MetadataHashes.SHA256 == "" && !c.ReadAll[f.Distribution]
}

// standsFor is the wheel that a file's needs are read from: mostly itself.
func (c *Catalog) standsFor(f index.File) index.File {
	if !c.alone(f) {
		return f
	}
	c.assumed.mu.Lock()
	defer c.assumed.mu.Unlock()
	first, ok := c.assumed.read[releaseOf(f)]
	if !ok || !c.assumed.on || first.Name == f.Name {
		return f
	}
	if c.hasMetadata(f) {
		return f
	}
	c.assumed.of[releaseOf(f)] = true
	return first
}

// wasRead notes the first wheel of its release whose metadata was read.
func (c *Catalog) wasRead(f index.File) {
	if !c.alone(f) {
		return
	}
	c.assumed.mu.Lock()
	defer c.assumed.mu.Unlock()
	if c.assumed.read == nil {
		c.assumed.read, c.assumed.of = map[release]index.File{}, map[release]bool{}
	}
	if _, ok := c.assumed.read[releaseOf(f)]; !ok {
		c.assumed.read[releaseOf(f)] = f
	}
}

// assume decides whether wheels that were not read are assumed to say what the first of their
// release does: where asking for them would take more than one burst.
func (c *Catalog) assume(others []index.File) {
	questions := 0
	for _, f := range others {
		if c.alone(f) && !c.hasMetadata(f) {
			if questions++; !f.HasMetadata {
				questions++ // its end, and what stands there
			}
		}
	}
	c.assumed.mu.Lock()
	defer c.assumed.mu.Unlock()
	c.assumed.on = questions > askAtOnce
}

// AssumedFrom is the wheel whose needs stand for those of all wheels of a release that were not
// read; empty where nothing was assumed.
func (c *Catalog) AssumedFrom(indexName, name string, v version.Version) string {
	c.assumed.mu.Lock()
	defer c.assumed.mu.Unlock()
	key := release{name, v.Key(), indexName}
	if !c.assumed.of[key] {
		return ""
	}
	return c.assumed.read[key].Name
}
