package index_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/internal/wait"
)

// named is an index that knows some names, or fails.
type named struct {
	name string
	has  map[string]bool
	err  error
}

func (n named) Name() string    { return n.name }
func (n named) Address() string { return n.name }
func (n named) Files(_ context.Context, name string) ([]index.File, error) {
	if n.err != nil {
		return nil, n.err
	}
	if !n.has[name] {
		return nil, index.ErrUnknownName
	}
	return []index.File{{Name: n.name}}, nil
}
func (n named) Names(context.Context) ([]string, error)              { return nil, nil }
func (n named) Metadata(context.Context, index.File) ([]byte, error) { return nil, nil }
func (n named) Inside(context.Context, index.File) (index.Inside, error) {
	return index.Inside{}, nil
}
func (n named) Open(context.Context, index.File) (io.ReadCloser, error) { return nil, nil }

// The first index that knows a name is the only one asked for it, and one that
// fails ends the search.
func TestOrderIsStrict(t *testing.T) {
	private := named{name: "private", has: map[string]bool{"press": true}}
	public := named{name: "public", has: map[string]bool{"press": true, "cider": true}}
	broken := named{name: "broken", err: errors.New("no answer")}
	for _, c := range []struct {
		name    string
		sources []index.Source
		pins    map[string]string
		ask     string
		want    string
	}{
		{"first", []index.Source{private, public}, nil, "press", "private"},
		{"second", []index.Source{private, public}, nil, "cider", "public"},
		{"none", []index.Source{private, public}, nil, "perry", "error"},
		{"pinned to the second", []index.Source{private, public}, map[string]string{"press": "public"}, "press", "public"},
		{"pinned to one that lacks it", []index.Source{private, public}, map[string]string{"cider": "private"}, "cider", "error"},
		{"pinned to one that is not there", []index.Source{public}, map[string]string{"press": "private"}, "press", "error"},
		{"an outage is no answer", []index.Source{broken, public}, nil, "press", "error"},
	} {
		files, _, err := (&index.Ordered{Sources: c.sources, Pins: c.pins}).Files(ctx, c.ask)
		got := "error"
		if err == nil {
			got = files[0].Name
		}
		assert.Equal(t, c.want, got, c.name)
	}
}

// An index is asked ahead for what the list of the one before it lacks. What it says counts only
// where that one does not know the name, whatever its list says.
func TestListsTellWhatToAskAhead(t *testing.T) {
	var behind sync.Map // by name: closed when the index behind is asked for it
	asked := func(name string) chan struct{} {
		ch, _ := behind.LoadOrStore(name, make(chan struct{}))
		return ch.(chan struct{})
	}
	page := func(w http.ResponseWriter, name string) {
		w.Header().Set("Content-Type", index.TypeJSON)
		fmt.Fprintf(w, `{"meta": {"api-version": "1.0"}, "files": [{"filename": "%[1]s-1.0-py3-none-any.whl", "url": "%[1]s-1.0-py3-none-any.whl", "hashes": {}}]}`, strings.ReplaceAll(name, "-", "_"))
	}
	for _, c := range []struct {
		name, list string
		ahead      bool
	}{
		{"a list", `{"meta": {"api-version": "1.0"}, "projects": [{"name": "cider"}]}`, true},
		{"no name in it", `{"meta": {"api-version": "1.0"}, "projects": []}`, false},
		{"no list", `welcome`, false},
		{"a long list", `{"meta": {"api-version": "1.0"}, "projects": [` + strings.Repeat(`{"name": "cider"},`, 100_000) + `{"name": "cider"}]}`, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			var early, lists atomic.Int32
			patience := 50 * time.Millisecond
			if c.ahead {
				patience = 500 * time.Millisecond // beside other work
			}
			private := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				name := strings.Trim(r.URL.Path, "/")
				switch {
				case name == "":
					lists.Add(1)
					w.Header().Set("Content-Type", index.TypeJSON)
					_, _ = w.Write([]byte(c.list))
				case name == "cider" || strings.HasPrefix(name, "unlisted"):
					page(w, name)
				default:
					select {
					case <-asked(c.name + name):
						early.Add(1)
					case <-time.After(patience):
					}
					http.NotFound(w, r)
				}
			}))
			defer private.Close()
			public := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				name := strings.Trim(r.URL.Path, "/")
				close(asked(c.name + name))
				page(w, name)
			}))
			defer public.Close()
			var o index.Ordered
			cache := t.TempDir()
			for again := range 2 {
				first := index.NewServer("private", private.URL, &fetch.Client{Cache: cache})
				t.Cleanup(first.Settle) // before the folder of the cache goes
				o = index.Ordered{Sources: []index.Source{first, index.NewServer("public", public.URL, &fetch.Client{})}}
				_, from, err := o.Files(ctx, "cider")
				require.NoError(t, err)
				assert.Equal(t, "private", from.Name())
				n := 0
				ask := func() bool {
					name := fmt.Sprintf("perry%d-%d", again, n)
					_, from, err := o.Files(ctx, name)
					require.NoError(t, err)
					assert.Equal(t, "public", from.Name())
					n++
					return early.Load() > 0
				}
				if c.ahead {
					wait.For(t, ask, "a question ahead")
				}
				for !c.ahead && n < 6 && !ask() {
				}
				if c.name == "a long list" {
					known := func() bool {
						files, _ := filepath.Glob(filepath.Join(cache, "names", "*.large"))
						return len(files) == 1
					}
					wait.For(t, known, "what is known of the list")
				}
			}
			assert.Equal(t, c.ahead, early.Load() > 0)
			if c.name == "a long list" {
				assert.EqualValues(t, 1, lists.Load(), "that it is long is known for a day")
			}
			_, from, err := o.Files(ctx, "unlisted1")
			require.NoError(t, err)
			assert.Equal(t, "private", from.Name())
		})
	}
}
