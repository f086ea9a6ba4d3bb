package fetched_test

import (
	"archive/tar"
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"testing"

	"github.com/klauspost/compress/gzip"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/digest"
	"glassjar/core/interpreter/fetched"
	"glassjar/core/interpreter/portable"
	"glassjar/core/store"
	_ "glassjar/internal/long"
)

// ground is a collection, and a made-up Python that need not be started.
type ground struct {
	fetched.Collection
	t   *testing.T
	dir string
}

func newGround(t *testing.T) *ground {
	dir := t.TempDir()
	if runtime.GOOS == "windows" {
		t.Skip("the made-up Python has links")
	}
	return &ground{t: t, dir: dir, Collection: fetched.Collection{Dir: filepath.Join(dir, "store", "pythons"), Way: store.Link,
		Store: &store.Store{Dir: filepath.Join(dir, "store")}, Started: map[string]fetched.Started{}}}
}

// unpack makes an archive of a version, and unpacks it into the store.
func (g *ground) unpack(version string) (*store.Tree, fetched.Python) {
	file := filepath.Join(g.dir, "cpython-"+version+"-x86_64-unknown-linux-gnu.tar.gz")
	out, err := os.Create(file)
	require.NoError(g.t, err)
	packed := gzip.NewWriter(out)
	w := tar.NewWriter(packed)
	for _, m := range []struct{ name, text, link string }{
		{"python/bin/python3.99", "#!/bin/sh\nexit 3 # " + version + "\n", ""}, {"python/bin/python3", "", "python3.99"},
		{"python/lib/a.py", "shared = True\n", ""}, {"python/lib/version.py", "v = '" + version + "'\n", ""},
	} {
		h := &tar.Header{Name: m.name, Mode: 0o755, Typeflag: tar.TypeReg, Size: int64(len(m.text)), Linkname: m.link}
		if m.link != "" {
			h.Typeflag = tar.TypeSymlink
		}
		require.NoError(g.t, w.WriteHeader(h))
		_, err := w.Write([]byte(m.text))
		require.NoError(g.t, err)
	}
	require.NoError(g.t, errors.Join(w.Close(), packed.Close(), out.Close()))
	sum, err := digest.OfFile(context.Background(), file)
	require.NoError(g.t, err)
	name, ok := portable.Parse(filepath.Base(file))
	require.True(g.t, ok)
	a, err := portable.Open(context.Background(), file, name, filepath.Join(g.dir, "plain"))
	require.NoError(g.t, err)
	defer a.Close()
	tree, err := g.Unpack(context.Background(), a, sum)
	require.NoError(g.t, err)
	return tree, fetched.Python{File: name.File, From: file, SHA256: sum}
}

// started notes that a Python was started here before, so that it is not.
func (g *ground) started(p fetched.Python) {
	name, _ := portable.Parse(p.File)
	g.Started[p.SHA256] = fetched.Started{Says: name.Title()}
}

func (g *ground) names(dir string) (names []string) {
	entries, err := os.ReadDir(dir)
	if !errors.Is(err, fs.ErrNotExist) {
		require.NoError(g.t, err)
	}
	for _, e := range entries {
		if e.Name()[0] != '.' {
			names = append(names, e.Name())
		}
	}
	return names
}

// One that is added stands whole in its place, shares its files with the store, and is found
// by its file's hash and by its program; dropped, nothing of it is left.
func TestAddedAndDropped(t *testing.T) {
	g := newGround(t)
	ctx := context.Background()
	var all []fetched.Python
	for _, version := range []string{"3.99.1", "3.99.10", "3.99.2"} {
		tree, p := g.unpack(version)
		g.started(p)
		have, err := g.Add(ctx, tree, p, nil)
		require.NoError(t, err)
		all = append(all, have)
	}
	list, err := g.All()
	require.NoError(t, err)
	require.Len(t, list, 3)
	assert.Equal(t, []string{"3.99.10", "3.99.2", "3.99.1"}, []string{list[0].Version, list[1].Version, list[2].Version}, "the newest first")
	p := all[1]
	assert.Equal(t, "cpython-3.99.10-"+p.SHA256[:8], p.Name)
	root := filepath.Join(g.Dir, p.Name)
	target, err := os.Readlink(filepath.Join(root, "bin", "python3"))
	require.NoError(t, err)
	assert.Equal(t, "python3.99", target)
	one, err := os.Stat(filepath.Join(root, "lib", "a.py"))
	require.NoError(t, err)
	other, err := os.Stat(filepath.Join(g.Dir, all[0].Name, "lib", "a.py"))
	require.NoError(t, err)
	assert.True(t, os.SameFile(one, other), "equal files are one in the store")
	assert.Zero(t, one.Mode()&0o222)

	found, ok := g.Of(p.SHA256)
	assert.True(t, ok)
	assert.Equal(t, p, found)
	held, ok := g.Holder(g.Path(p))
	assert.True(t, ok)
	assert.Equal(t, p.Name, held.Name)
	_, ok = g.Holder(filepath.Join(g.dir, "bin", "python3"))
	assert.False(t, ok)

	tree, _ := g.Tree(p.SHA256)
	again, err := g.Add(ctx, tree, fetched.Python{File: p.File, From: "elsewhere", SHA256: p.SHA256}, nil)
	require.NoError(t, err)
	assert.Equal(t, p.From, again.From, "one that is there already is given back")
	require.NoError(t, g.Drop(ctx, p))
	require.NoError(t, g.Drop(ctx, p), "dropping twice is dropping")
	_, ok = g.Of(p.SHA256)
	assert.False(t, ok)
	assert.Len(t, g.names(g.Dir), 4)
	assert.Empty(t, g.names(g.Dir+"-coming"))
}

// What a killed command left is in nobody's way, and two commands at once make one.
func TestLeftoversAndTwoAtOnce(t *testing.T) {
	g := newGround(t)
	tree, p := g.unpack("3.99.1")
	g.started(p)
	name := "cpython-3.99.1-" + p.SHA256[:8]
	for _, left := range []string{filepath.Join(g.Dir, name, "bin"), filepath.Join(g.Dir+"-coming", name, "lib")} {
		require.NoError(t, os.MkdirAll(left, 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(left, "half"), []byte("half"), 0o444))
	}
	require.NoError(t, os.WriteFile(filepath.Join(g.Dir, "strange.json"), []byte(`{"name": "strange", "program": "../../bin/sh"}`), 0o644))
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			_, err := g.Add(context.Background(), tree, p, nil)
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.Equal(t, []string{name, name + ".json", "strange.json"}, g.names(g.Dir))
	assert.NoFileExists(t, filepath.Join(g.Dir, name, "bin", "half"))
	list, err := g.All()
	require.NoError(t, err)
	assert.Len(t, list, 1, "one whose program is outside of its folder is none")
}

// Whatever fails, nothing of the Python stays, and the error says what it was.
func TestNotAdded(t *testing.T) {
	for name, c := range map[string]struct {
		spoil func(g *ground, tree *store.Tree, p *fetched.Python)
		is    func(err error) bool
	}{
		"it does not start": {func(*ground, *store.Tree, *fetched.Python) {}, func(err error) bool {
			var e *fetched.StartError
			return errors.As(err, &e)
		}},
		"it was another when it was started": {func(g *ground, _ *store.Tree, p *fetched.Python) {
			g.Started[p.SHA256] = fetched.Started{Says: "CPython 3.98.0"}
		}, func(err error) bool {
			var e *fetched.StartError
			return errors.As(err, &e)
		}},
		"a file is not in the store any more": {func(g *ground, tree *store.Tree, p *fetched.Python) {
			g.started(*p)
			require.NoError(g.t, os.Remove(tree.Path(tree.Members[0])))
		}, func(err error) bool { return errors.Is(err, fs.ErrNotExist) }},
		"its name tells nothing": {func(_ *ground, _ *store.Tree, p *fetched.Python) { p.File = "python.tar.gz" }, func(err error) bool {
			var e *portable.Refusal
			return errors.As(err, &e)
		}},
	} {
		t.Run(name, func(t *testing.T) {
			g := newGround(t)
			tree, p := g.unpack("3.99.1")
			c.spoil(g, tree, &p)
			_, err := g.Add(context.Background(), tree, p, nil)
			require.Error(t, err)
			assert.True(t, c.is(err), err)
			assert.Empty(t, g.names(g.Dir))
			assert.Empty(t, g.names(g.Dir+"-coming"))
		})
	}
}

// What was changed, is missing or leads elsewhere is named.
func TestVerify(t *testing.T) {
	g := newGround(t)
	tree, p := g.unpack("3.99.1")
	g.started(p)
	p, err := g.Add(context.Background(), tree, p, nil)
	require.NoError(t, err)
	files, faults, known, err := g.Verify(context.Background(), p)
	require.NoError(t, err)
	assert.True(t, known)
	assert.Empty(t, faults)
	assert.Equal(t, 3, files)
	root := filepath.Join(g.Dir, p.Name)
	require.NoError(t, errors.Join(os.Remove(filepath.Join(root, "lib/a.py")), os.Remove(filepath.Join(root, "bin/python3")), os.Symlink("/bin/sh", filepath.Join(root, "bin/python3")),
		os.Remove(filepath.Join(root, "lib/version.py")), os.WriteFile(filepath.Join(root, "lib/version.py"), []byte("v = '3.99.2'\n"), 0o444)))
	_, faults, _, err = g.Verify(context.Background(), p)
	require.NoError(t, err)
	assert.Equal(t, []fetched.Fault{{Path: "bin/python3", Why: "it is no link to python3.99"}, {Path: "lib/a.py", Why: "it is missing"}, {Path: "lib/version.py", Why: "it was changed"}}, faults)
	p.SHA256 = "00" + p.SHA256[2:]
	_, _, known, err = g.Verify(context.Background(), p)
	require.NoError(t, err)
	assert.False(t, known)
}
