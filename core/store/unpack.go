package store

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sort"
	"sync"

	"golang.org/x/sync/semaphore"

	"glassjar/core/digest"
	"glassjar/core/guard"
	"glassjar/core/internal/manysums"
)

// Source is one member to be unpacked; its SHA256 is empty if RECORD says another hash.
type Source struct {
	Member
	// Copy writes the content, and fails if that is not what the package file says.
	Copy func(io.Writer) error
	// Append adds the content to what is in memory, and does not compare it with its SHA256. It
	// may be nil.
	Append func([]byte) ([]byte, error)
}

// inMemory reports whether a member is unpacked in memory, where it is hashed beside others.
func (s Source) inMemory() bool {
	return s.Append != nil && s.SHA256 != "" && s.Size <= memberInMemory
}

// A worker takes so many members at a time, and no more in memory than those of a batch: they
// are hashed together. A member that is larger than memberInMemory is not unpacked in memory.
const batchMembers, batchBytes, memberInMemory = 64, 6 << 20, 8 << 20

// early is from how many bytes on a content begins its way to the disk at once, while others are
// unpacked. To begin it for each of the many small ones takes longer than it saves, unless package
// files come more slowly than they are unpacked.
func (s *Store) early() int64 {
	if s.unpacks.Load() > 1 {
		return 64 << 10
	}
	return 0
}

// memories are those of workers, for their next batch.
var memories = sync.Pool{New: func() any { return new([]byte) }}

// batches cuts members into batches. Those of about the same size come together, the largest first.
func batches(sources []Source) (all [][]Source) {
	sources = slices.Clone(sources)
	slices.SortStableFunc(sources, func(a, b Source) int { return cmp.Compare(b.Size, a.Size) })
	from, size := 0, int64(0)
	for i, s := range sources {
		if i > from && (i-from == batchMembers || size+s.Size > batchBytes) {
			all, from, size = append(all, sources[from:i]), i, 0
		}
		size += s.Size
	}
	return append(all, sources[from:])
}

// unpackers bounds how many members are unpacked at a time, for all package files
// together.
func (s *Store) unpackers() *semaphore.Weighted {
	s.askWorkers.Do(func() { s.workers = semaphore.NewWeighted(int64(max(2, runtime.NumCPU()))) })
	return s.workers
}

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
	s.unpacks.Add(1)
	defer s.unpacks.Add(-1)
	workers := s.unpackers()
	group, inner := guard.WithContext(ctx)
	rest := t.Members
	for _, batch := range batches(sources) {
		if workers.Acquire(inner, 1) != nil {
			break // the group or the context has the reason
		}
		members := rest[:len(batch)]
		rest = rest[len(batch):]
		group.Go(func() error {
			defer workers.Release(1)
			return s.takeInBatch(inner, batch, members)
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

// takeInBatch takes in some members. Those that are unpacked in memory are hashed together.
func (s *Store) takeInBatch(ctx context.Context, sources []Source, members []Member) error {
	memory := memories.Get().(*[]byte)
	defer memories.Put(memory)
	contents, err := unpackInMemory(ctx, memory, sources)
	if err != nil {
		return err
	}
	for i, source := range sources {
		if err := ctx.Err(); err != nil {
			return err
		}
		if source.inMemory() {
			source.Copy = func(to io.Writer) error { _, err := to.Write(contents[i]); return err }
		}
		if members[i], err = s.takeIn(ctx, source); err != nil {
			return err
		}
	}
	return nil
}

// unpackInMemory gives the contents of a batch, and compares them with their hashes. One that is
// not unpacked in memory has none.
func unpackInMemory(ctx context.Context, memory *[]byte, sources []Source) (contents [][]byte, err error) {
	room := int64(0)
	for _, source := range sources {
		if source.inMemory() {
			room += source.Size
		}
	}
	all, ends := slices.Grow((*memory)[:0], int(room)), make([]int, len(sources))
	for i, source := range sources {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if source.inMemory() {
			if all, err = source.Append(all); err != nil {
				return nil, err
			}
		}
		ends[i] = len(all)
	}
	*memory = all
	from := 0
	for _, end := range ends {
		contents = append(contents, all[from:end])
		from = end
	}
	for i, sum := range manysums.Of(contents) {
		if have := hex.EncodeToString(sum[:]); sources[i].inMemory() && have != sources[i].SHA256 {
			return nil, cmp.Or(sources[i].Copy(io.Discard), error(&HashError{sources[i].Key, sources[i].SHA256, have}))
		}
	}
	return contents, nil
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
		written, err := writeContent(ctx, path, modeOf(m.Executable), stamp, s.early(), source.Copy)
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
