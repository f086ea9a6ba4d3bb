package operation

import (
	"context"
	"os"
	"sync"
)

// sealing is a package file that goes into a sealed jar.
type sealing struct {
	path, sum string
	size      int64
	// bring brings a file here that is not yet; nil for one that is.
	bring func() (path string, err error)
}

// bringError says that a file could not be brought here.
type bringError struct {
	file string
	err  error
}

func (e *bringError) Error() string { return e.file + ": " + e.err.Error() }

func (e *bringError) Unwrap() error { return e.err }

// gather has the files of a sealed jar here, whole, by their names.
func (m *Machine) gather(ctx context.Context, chosen *selection, out *Sealed) (map[string]sealing, error) {
	indexes, _ := m.indexes(chosen.spec)
	paths, err := m.newCatalog(indexes).FetchAll(ctx, chosen.files)
	if err != nil {
		m.note(SealNeedsPackages)
		return nil, err
	}
	members := map[string]sealing{}
	for _, f := range chosen.files {
		members[f.Name] = sealing{path: paths[f.URL], sum: f.SHA256()}
	}
	return members, m.gathered(ctx, chosen, members, out)
}

// gatherLate is [Machine.gather] for a registry, which may have most of the files: each is brought
// here once it is to be sent. Those of which the record does not say everything come at once.
func (m *Machine) gatherLate(ctx context.Context, chosen *selection, out *Sealed) (map[string]sealing, error) {
	indexes, _ := m.indexes(chosen.spec)
	c := m.newCatalog(indexes)
	members := map[string]sealing{}
	for _, f := range chosen.files {
		one := sealing{sum: f.SHA256(), size: f.Size}
		one.bring = sync.OnceValues(func() (string, error) {
			path, _, err := c.Fetch(ctx, f, nil)
			if err != nil {
				return "", &bringError{f.Name, err}
			}
			return path, nil
		})
		if one.sum == "" || one.size <= 0 {
			var err error
			if one.path, err = one.bring(); err != nil {
				m.note(SealNeedsPackages)
				return nil, err
			}
			one.bring = nil
		}
		members[f.Name] = one
	}
	return members, m.gathered(ctx, chosen, members, out)
}

// gathered adds what the record pins besides packages, and how much all of it is.
func (m *Machine) gathered(ctx context.Context, chosen *selection, members map[string]sealing, out *Sealed) error {
	for _, one := range chosen.pythons {
		file, err := m.bringPinned(ctx, chosen.record, one)
		if err != nil {
			return err
		}
		members[one.File] = sealing{path: file, sum: one.SHA256}
	}
	out.Files = len(members)
	for name, one := range members {
		if one.bring == nil {
			info, err := os.Stat(one.path)
			if err != nil {
				return err
			}
			one.size = info.Size()
			members[name] = one
		}
		out.Bytes += one.size
	}
	return nil
}
