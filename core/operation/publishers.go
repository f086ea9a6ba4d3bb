package operation

import (
	"context"
	"errors"
	"maps"

	"glassjar/core/guard"
	"glassjar/core/project"
)

// addPublishers adds to the packages of a record who published them; where the index
// cannot be asked now, what the record said of the same version before.
func (m *Machine) addPublishers(ctx context.Context, p *job, r *project.Record) error {
	before, err := p.recorded()
	if err != nil && !errors.Is(err, project.ErrNoRecord) {
		before = nil // it is damaged, and written anew
	}
	group, ctx := guard.WithContext(ctx)
	group.SetLimit(16)
	for i := range r.Packages {
		e := &r.Packages[i]
		group.Go(func() error {
			for _, one := range p.catalog.Publishers(ctx, e.Name, e.Version) {
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
