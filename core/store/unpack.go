package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"sort"

	"golang.org/x/sync/semaphore"

	"glassjar/core/digest"
	"glassjar/core/guard"
)

// Source is one member to be unpacked; its SHA256 is empty if RECORD says another hash.
type Source struct {
	Member
	// Copy writes the content, and fails if that is not what the package file says.
	Copy func(io.Writer) error
}

// unpackers bounds how many members are unpacked at a time, for all package files
// together.
func (s *Store) unpackers() *semaphore.Weighted {
	s.askWorkers.Do(func() { s.workers = semaphore.NewWeighted(int64(max(2, runtime.NumCPU()))) })
	return s.workers
}

// batch is how many members one worker takes at a time.
const batch = 64

// Unpack brings the members of a package file into the store, several at a time,
// and has the tree once all are there; [Store.Save] writes it down. A content that
// is there already is compared with its hash, and not written again.
func (s *Store) Unpack(ctx context.Context, sum string, head []Fact, sources []Source) (*Tree, error) {
	t := &Tree{SHA256: sum, Head: head, Members: make([]Member, len(sources)), store: s}
	note, done, err := begin(filepath.Join(s.Dir, "files"))
	if err != nil {
		return nil, err
	}
	defer done()
	if err := s.announce(note, sources); err != nil {
		return nil, err
	}
	workers := s.unpackers()
	group, inner := guard.WithContext(ctx)
	for from := 0; from < len(sources); from += batch {
		to := min(from+batch, len(sources))
		if workers.Acquire(inner, 1) != nil {
			break // the group or the context has the reason
		}
		group.Go(func() error {
			defer workers.Release(1)
			for i := from; i < to; i++ {
				if err := inner.Err(); err != nil {
					return err
				}
				var err error
				if t.Members[i], err = s.takeIn(inner, sources[i]); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	sort.Slice(t.Members, func(i, j int) bool { return t.Members[i].Key < t.Members[j].Key })
	s.unsaved.add(t)
	return t, nil
}

// announce writes down which contents are about to be filled, for [Store.Sweep].
func (s *Store) announce(note string, sources []Source) error {
	text := make([]byte, 0, (sumLength+3)*len(sources))
	for _, source := range sources {
		if source.SHA256 != "" {
			text = append(append(text, filepath.Base(s.filePath(source.SHA256, source.Executable))...), '\n')
		}
	}
	return os.WriteFile(note, text, 0o644)
}

// takeIn writes one content, or compares it where it is there: its size and time say
// nothing after a power cut.
func (s *Store) takeIn(ctx context.Context, source Source) (Member, error) {
	m := source.Member
	if m.SHA256 == "" {
		// Its name is not known before it is read once.
		h := sha256.New()
		if err := source.Copy(h); err != nil {
			return m, err
		}
		m.SHA256 = hex.EncodeToString(h.Sum(nil))
	}
	path, stamp := s.filePath(m.SHA256, m.Executable), Stamp(m.SHA256)
	for {
		written, err := writeContent(ctx, path, modeOf(m.Executable), stamp, source.Copy)
		if err != nil {
			return m, err
		}
		if written {
			s.unsaved.note(path)
			return m, nil
		}
		info, err := os.Lstat(path)
		if err == nil && info.Size() == m.Size && info.ModTime().Equal(stamp) {
			if have, err := digest.OfFile(context.Background(), path); err == nil && have == m.SHA256 {
				s.unsaved.note(path) // whoever wrote it may not have flushed it yet
				return m, source.Copy(io.Discard)
			}
		}
		// Somebody changed it in place, or a power cut did.
		if err := os.Remove(path); err != nil && !errors.Is(err, os.ErrNotExist) {
			return m, err
		}
	}
}
