//go:build unix

package store

import (
	"strings"
	"sync"

	"golang.org/x/sys/unix"
)

// rootFolder is the store's folder, opened once: the system need not walk the
// same long path for each file.
type rootFolder struct {
	once sync.Once
	fd   int
	open bool
}

func (r *rootFolder) get(dir string) (int, bool) {
	r.once.Do(func() {
		fd, err := unix.Open(dir, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
		r.fd, r.open = fd, err == nil
	})
	return r.fd, r.open
}

func (r *rootFolder) close() {
	if r.open {
		unix.Close(r.fd)
		r.open = false
	}
}

// linkIn links files into a folder and gives how many it could: the next one is to
// be placed in another way.
func (p *Placer) linkIn(dir string, list []Pair) (int, error) {
	to, err := unix.Open(dir, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	if err != nil {
		return 0, nil // whatever it is, placing one by one tells
	}
	defer unix.Close(to)
	root, prefix := unix.AT_FDCWD, ""
	if p.Store != nil {
		if fd, ok := p.root.get(p.Store.Dir); ok {
			root, prefix = fd, p.Store.Dir+"/"
		}
	}
	for i, e := range list {
		from, at := e.From, unix.AT_FDCWD
		if rest, ok := strings.CutPrefix(from, prefix); ok {
			from, at = rest, root
		}
		switch err := unix.Linkat(at, from, to, e.Name, 0); {
		case err == unix.ENOENT && e.Optional:
			p.left.Add(1)
		case err != nil:
			return i, nil
		}
	}
	return len(list), nil
}
