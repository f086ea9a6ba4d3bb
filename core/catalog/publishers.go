package catalog

import (
	"context"

	"glassjar/core/index"
	"glassjar/core/version"
)

// publishing is an index that may know who published a file.
type publishing interface {
	Publishers(ctx context.Context, f index.File) ([]index.Publisher, error)
}

// Publishers are those of a version, as its index says of the first of its files of which
// it says anything; none where it cannot be asked.
func (c *Catalog) Publishers(ctx context.Context, name string, v version.Version) []index.Publisher {
	releases, source, err := c.Releases(ctx, name)
	asked, ok := source.(publishing)
	if err != nil || !ok {
		return nil
	}
	for _, r := range releases {
		if !r.Version.Equal(v) {
			continue
		}
		for _, f := range r.Files {
			if f.Provenance != "" {
				out, _ := asked.Publishers(ctx, f) // it is a remark, and no reason to stop
				return out
			}
		}
	}
	return nil
}
