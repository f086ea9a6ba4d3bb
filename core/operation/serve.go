package operation

import (
	"context"
	"path/filepath"

	"glassjar/core/index"
)

// Served is the index of a folder, or of the sample for the name "sample:" or
// none.
func (m *Machine) Served(dir string) (index.Source, error) {
	if dir == "" || dir == index.SampleScheme {
		return index.Sample{}, nil
	}
	dir = m.absolute(dir)
	folder := index.NewFolder(filepath.Base(dir), dir).Within()
	_, err := folder.Names(context.Background())
	return folder, err
}
