package operation

import (
	"context"

	"glassjar/core/catalog"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/sbom"
)

// exportSBOM is a bill of materials of a record.
func (m *Machine) exportSBOM(ctx context.Context, at place.Place, record *project.Record) ([]byte, error) {
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	indexes, _ := m.indexes(spec)
	c := m.newCatalog(indexes)
	return sbom.Write(sbom.Project{Name: at.Prompt(), Version: spec.Version}, record, func(p project.Package) (metadata.Metadata, bool) {
		return m.describedBy(ctx, c, record, p)
	})
}

// describedBy is the metadata of an entry, from whichever of its files has it at hand,
// else asked for.
func (m *Machine) describedBy(ctx context.Context, c *catalog.Catalog, record *project.Record, p project.Package) (metadata.Metadata, bool) {
	list := p.Wheels
	if p.Archive != nil {
		list = append(list, *p.Archive)
	}
	for _, f := range list {
		if meta, err := c.Metadata(ctx, plan.RecordedFile(record, p, f)); err == nil {
			return meta, true
		}
	}
	return metadata.Metadata{}, false
}
