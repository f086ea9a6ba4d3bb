package index

import (
	"context"
	"errors"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/guard"
	"glassjar/core/limits"
)

// listed is the list of names of an index that comes before others, as it said within this
// command. No command waits for it.
type listed struct {
	wanted atomic.Bool // others come behind the index
	begin  sync.Once
	asking sync.WaitGroup
	names  atomic.Pointer[map[string]bool]
}

// largeFor is how long it is taken as known that an index's list is too long to be asked for.
const largeFor = 24 * time.Hour

// beginNames begins to ask for the list of names while a distribution's page is asked for: both
// come in one round trip. A list that is long, as that of a large index, is not read.
func (s *Server) beginNames(ctx context.Context) {
	if !s.listed.wanted.Load() {
		return
	}
	s.listed.begin.Do(func() {
		if s.client.Offline || s.knownLarge() {
			return
		}
		s.listed.asking.Go(func() {
			_ = guard.Do(func() error { return s.readListed(ctx) }) // without it names are asked for one by one
		})
	})
}

func (s *Server) largeFile() string { return strings.TrimSuffix(s.namesFile(), ".txt") + ".large" }

// knownLarge reports whether the list was too long a while ago, or as it is kept.
func (s *Server) knownLarge() bool {
	if s.namesFile() == "" {
		return false
	}
	if info, err := os.Stat(s.namesFile()); err == nil && info.Size() > limits.ShortNames {
		return true
	}
	info, err := os.Stat(s.largeFile())
	return err == nil && time.Since(info.ModTime()) < largeFor
}

func (s *Server) readListed(ctx context.Context) error {
	names, err := s.renewNames(ctx, limits.ShortNames)
	var large *limits.Error
	if errors.As(err, &large) && s.namesFile() != "" {
		return errors.Join(err, atomicfile.Cache(s.largeFile(), nil))
	}
	if err != nil || len(names) == 0 { // a page with no name at all is a greeting rather than a list
		return err
	}
	known := make(map[string]bool, len(names))
	for _, name := range names {
		known[name] = true
	}
	s.listed.names.Store(&known)
	return nil
}

// lacks reports whether the index said within this command that it has nothing of that name.
func (s *Server) lacks(name string) bool {
	names := s.listed.names.Load()
	return names != nil && !(*names)[name]
}

// askAhead asks the indexes behind the first for a name, as far as each before them has said by
// its list of names that it does not know it. What they answer counts only once those before
// have said so on the name's own page too, so that a list that is wrong changes nothing.
func askAhead(ctx context.Context, sources []Source, name string) {
	for i, s := range sources[:max(len(sources)-1, 0)] {
		server, far := s.(*Server)
		if !far {
			return
		}
		server.listed.wanted.Store(true)
		if !server.lacks(name) {
			return
		}
		go func() {
			_ = guard.Do(func() error {
				_, err := sources[i+1].Files(ctx, name)
				return err // it is kept for who asks when it is this index's turn
			})
		}()
	}
}

// unlisted is told that an index has files of a name: a list without it is not complete, and
// not believed any more.
func unlisted(s Source, name string) {
	if server, far := s.(*Server); far && server.lacks(name) {
		server.listed.names.Store(nil)
	}
}
