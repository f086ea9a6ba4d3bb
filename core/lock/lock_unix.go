//go:build unix

package lock

import (
	"errors"
	"os"
	"syscall"

	"github.com/gofrs/flock"
)

// Unsupported tells the errors of file systems that have no locks: of mounts
// without the lock service, of those that do not implement the call.
func Unsupported(err error) bool {
	for _, e := range []error{syscall.ENOLCK, syscall.ENOTSUP, syscall.EOPNOTSUPP, syscall.ENOSYS} {
		if errors.Is(err, e) {
			return true
		}
	}
	return false
}

func readOnly(err error) bool { return errors.Is(err, syscall.EROFS) }

// removing has none: a file that is removed is another at once.
func removing(error) bool { return false }

func removeHeld(l *flock.Flock) {
	os.Remove(l.Path()) // first, so that nobody locks it in between
	_ = l.Unlock()
}
