package operation

import (
	"context"
	"errors"
	"maps"

	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/project"
	"glassjar/core/version"
)

// publishing is an index that may know who published a file.
type publishing interface {
	Publishers(ctx context.Context, f index.File) ([]index.Publisher, error)
}

// publishers are those of a version, as its index says of the first of its files of which
// it says anything; none where it cannot be asked.
func (c *catalog) publishers(ctx context.Context, name string, v version.Version) []index.Publisher {
	releases, source, err := c.releases(ctx, name)
	asked, ok := source.(publishing)
	if err != nil || !ok {
		return nil
	}
	for _, r := range releases {
		if !r.version.Equal(v) {
			continue
		}
		for _, f := range r.files {
			if f.Provenance != "" {
				out, _ := asked.Publishers(ctx, f) // it is a remark, and no reason to stop
				return out
			}
		}
	}
	return nil
}

// addPublishers adds to the packages of a record who published them; where the index
// cannot be asked now, what the record said of the same version before.
func (m *Machine) addPublishers(ctx context.Context, p *Plan, r *project.Record) error {
	before, err := project.ReadRecord(p.place.RecordFile)
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		before = nil // it is damaged, and written anew
	}
	group, ctx := guard.WithContext(ctx)
	group.SetLimit(16)
	for i := range r.Packages {
		e := &r.Packages[i]
		group.Go(func() error {
			for _, one := range p.catalog.publishers(ctx, e.Name, e.Version) {
				identity := map[string]string{"kind": one.Kind}
				maps.Copy(identity, one.Claims)
				e.Publishers = append(e.Publishers, identity)
			}
			return ctx.Err()
		})
	}
	err = group.Wait()
	for i := range r.Packages {
		if e := &r.Packages[i]; before != nil && e.Publishers == nil {
			for _, old := range before.Packages {
				if old.Name == e.Name && old.Version.Equal(e.Version) {
					e.Publishers = old.Publishers
				}
			}
		}
	}
	return err
}
