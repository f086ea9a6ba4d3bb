package bytecode_test

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/bytecode"
	"glassjar/core/interpreter"
	"glassjar/core/store"
	_ "glassjar/internal/long"
)

// modules of all kinds; those that no interpreter can make anything of are none.
var modules = map[string]string{
	"plain":   "def press(kilos):\n    assert kilos\n    return kilos * 0.6\n",
	"coded":   "# -*- coding: latin-1 -*-\nname = u'\xe4pfel'\n",
	"windows": "x = 1\r\nif x:\r\n    y = 2\r\n",
	"noend":   "x = 1",
	"empty":   "",
	"warns":   "x = '\\p'\nassert (x, 'always')\n",
	"syntax":  "def press(:\n",
	"nulls":   "x = '\x00'\n",
	"deep":    "x = " + strings.Repeat("(", 100_000) + strings.Repeat(")", 100_000) + "\n",
}

var bad = map[string]bool{"syntax": true, "nulls": true, "deep": true}

// unpacked is a store with the modules.
func unpacked(t *testing.T) (*store.Store, *store.Tree) {
	s := &store.Store{Dir: filepath.Join(t.TempDir(), "st\u00e4re with spaces")}
	var sources []store.Source
	for name, text := range modules {
		sum := sha256.Sum256([]byte(text))
		sources = append(sources, store.Source{Member: store.Member{Key: "purelib/" + name + ".py", Size: int64(len(text)), SHA256: hex.EncodeToString(sum[:]), Hash: "-"}, Copy: func(to io.Writer) error {
			_, err := io.WriteString(to, text)
			return err
		}})
	}
	tree, err := s.Unpack(context.Background(), fmt.Sprintf("%064x", 1), nil, sources)
	require.NoError(t, err)
	return s, tree
}

// Every interpreter of the machine takes the bytecode that it compiled into the
// store as its own, wherever the source stands; and a module of which nothing can
// be made, or which brings the interpreter down, stops none of the others.
func TestEveryInterpreter(t *testing.T) {
	found, _ := interpreter.NewFinder(interpreter.OpenCache(filepath.Join(t.TempDir(), "pythons.json"))).All(context.Background())
	if len(found) == 0 {
		t.Skip("no Python on this machine")
	}
	for _, in := range found {
		t.Run(in.Title(), func(t *testing.T) {
			kind := bytecode.Kind(in.Interpreter)
			if kind == "" {
				t.Skip("its bytecode is not kept")
			}
			s, tree := unpacked(t)
			all := func(store.Member) bool { return true }
			todo := s.ToCompile(kind, tree, all)
			require.Len(t, todo, len(modules))
			pool := &bytecode.Pool{Python: in.Path, Kind: kind, Store: s}
			var told atomic.Int64
			require.NoError(t, pool.Compile(context.Background(), todo, func() { told.Add(1) }))
			pool.Close()
			assert.EqualValues(t, len(modules), told.Load())
			assert.Empty(t, s.ToCompile(kind, tree, all), "nothing is tried twice")
			left, err := filepath.Glob(filepath.Join(s.Dir, "bytecode", ".coming-*"))
			require.NoError(t, err)
			assert.Empty(t, left)
			for name := range modules {
				if !bad[name] {
					taken(t, s, tree, in, kind, name)
				}
			}
			m, ok := tree.Find("purelib/syntax.py")
			require.True(t, ok)
			assert.NoFileExists(t, s.BytecodePath(kind, m.SHA256))
		})
	}
}

// taken puts a module and its bytecode somewhere and has them imported: what is
// imported is the bytecode, until the source is edited.
func taken(t *testing.T, s *store.Store, tree *store.Tree, in interpreter.Found, kind, name string) {
	dir := t.TempDir()
	m, ok := tree.Find("purelib/" + name + ".py")
	require.True(t, ok)
	source, compiled := filepath.Join(dir, name+".py"), filepath.Join(dir, name+".pyc")
	if in.Said.CacheTag != "" {
		compiled = filepath.Join(dir, "__pycache__", name+"."+in.Said.CacheTag+".pyc")
		require.NoError(t, os.Mkdir(filepath.Dir(compiled), 0o755))
	}
	p := &store.Placer{}
	require.NoError(t, p.Place(tree.Path(m), source))
	require.NoError(t, p.Place(s.BytecodePath(kind, m.SHA256), compiled), name)
	run := func() string {
		cmd := exec.Command(in.Path, "-E", "-s", "-S", "-v", "-c", "import sys; sys.path.insert(0, sys.argv[1]); import "+name, dir)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s: %s", name, out)
		return string(out)
	}
	if in.Said.Implementation != "pypy" { // which does not tell
		assert.Contains(t, run(), " matches "+source, name)
	}
	before, err := os.Stat(compiled)
	require.NoError(t, err)
	run()
	after, err := os.Stat(compiled)
	require.NoError(t, err)
	assert.True(t, os.SameFile(before, after), "%s was compiled again", name)
	if name != "plain" {
		return
	}
	require.NoError(t, os.Remove(source))
	require.NoError(t, os.WriteFile(source, []byte(strings.Replace(modules[name], "0.6", "0.7", 1)), 0o644))
	out, err := exec.Command(in.Path, "-E", "-s", "-S", "-c", "import sys; sys.path.insert(0, sys.argv[1]); import plain; print(plain.press(10))", dir).CombinedOutput()
	require.NoError(t, err)
	assert.Equal(t, "7.0", strings.TrimSpace(string(out)), "an edit is noticed")
}

// What an interpreter wrote itself, however optimised, is what its source compiles to;
// what somebody put in its place is not, in whatever way it would be taken.
func TestOthers(t *testing.T) {
	found, _ := interpreter.NewFinder(interpreter.OpenCache(filepath.Join(t.TempDir(), "pythons.json"))).All(context.Background())
	for _, in := range found {
		t.Run(in.Title(), func(t *testing.T) {
			dir := t.TempDir()
			var pairs []bytecode.Pair
			// written has the interpreter write the bytecode of a module of some age.
			written := func(name, text string, level int) string {
				source := filepath.Join(dir, name+".py")
				require.NoError(t, os.WriteFile(source, []byte(text), 0o644))
				require.NoError(t, os.Chtimes(source, time.Unix(1e9, 0), time.Unix(1e9, 0)))
				flags, compiled := []string{"-E", "-s", "-S"}, source+"c"
				if tag := in.Said.CacheTag; tag != "" {
					compiled = filepath.Join(dir, "__pycache__", name+"."+tag+strings.Repeat(".opt-", min(level, 1))+strings.Trim(fmt.Sprint(level), "0")+".pyc")
				}
				for range level {
					flags = append(flags, "-O")
				}
				out, err := exec.Command(in.Path, append(flags, "-c", "import sys; sys.path.insert(0, sys.argv[1]); import "+name, dir)...).CombinedOutput()
				require.NoError(t, err, string(out))
				pairs = append(pairs, bytecode.Pair{Source: source, Compiled: compiled, Level: level})
				return compiled
			}
			written("plain", modules["plain"], 0)
			written("doc", "'what it does'\nx = set(['a', 'b', 'c'])\nassert x, 0.1\n", 0)
			if in.Said.CacheTag != "" {
				written("first", "'what it does'\nassert 1, 2\n", 1)
				written("second", "'what it does'\nassert 1, 2\n", 2)
			}
			if _, err := os.Stat(pairs[0].Compiled); err != nil {
				t.Skip("it writes no bytecode here")
			}
			good, evil := written("good", "x = 'press'\n", 0), written("evil", "x = 'steal'\n", 0)
			broken, unused := written("broken", "y = 1\n", 0), written("unused", "z = 1\n", 0)
			others, err := bytecode.Others(context.Background(), in.Path, pairs)
			require.NoError(t, err)
			assert.Empty(t, others)

			stolen, err := os.ReadFile(evil)
			require.NoError(t, err)
			whole, err := os.ReadFile(broken)
			require.NoError(t, err)
			for file, data := range map[string][]byte{good: stolen, broken: whole[:len(whole)-3], unused: []byte("not bytecode")} {
				require.NoError(t, os.Remove(file))
				require.NoError(t, os.WriteFile(file, data, 0o644))
			}
			others, err = bytecode.Others(context.Background(), in.Path, pairs)
			require.NoError(t, err)
			var names []string
			for _, p := range others {
				names = append(names, strings.TrimSuffix(filepath.Base(p.Source), ".py"))
			}
			assert.Equal(t, []string{"good", "broken"}, names)
		})
	}
}

// A pool ends with its context, and says when the store cannot be written to.
func TestCompileFails(t *testing.T) {
	s, tree := unpacked(t)
	found, _, ok := interpreter.NewFinder(interpreter.OpenCache(filepath.Join(t.TempDir(), "pythons.json"))).First(context.Background(), func(in interpreter.Interpreter) bool { return bytecode.Kind(in) != "" })
	if !ok {
		t.Skip("no Python on this machine")
	}
	todo := s.ToCompile("kind", tree, func(m store.Member) bool { return m.Key == "purelib/plain.py" })
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	pool := &bytecode.Pool{Python: found.Path, Kind: "kind", Store: s}
	assert.ErrorIs(t, pool.Compile(ctx, todo, nil), context.Canceled)
	require.NoError(t, os.MkdirAll(filepath.Join(s.Dir, "bytecode", "kind"), 0o755))
	for sum := range todo {
		require.NoError(t, os.WriteFile(filepath.Join(s.Dir, "bytecode", "kind", sum[:2]), nil, 0o644)) // where a folder should be
	}
	assert.ErrorContains(t, pool.Compile(context.Background(), todo, nil), "cannot be written")
	pool.Close()
	gone := &bytecode.Pool{Python: filepath.Join(s.Dir, "nowhere"), Kind: "kind", Store: s}
	assert.ErrorIs(t, gone.Compile(context.Background(), todo, nil), os.ErrNotExist)
	gone.Close()
}

// Only interpreters whose bytecode is theirs alone share it.
func TestKind(t *testing.T) {
	for want, said := range map[string]interpreter.Answer{
		"cpython-312-cb0d0d0a": {Version: "3.12.1", Implementation: "cpython", CacheTag: "cpython-312", Magic: "cb0d0d0a"},
		"pypy39-f00d0d0a":      {Version: "3.9.16", Implementation: "pypy", CacheTag: "pypy39", Magic: "f00d0d0a"},
		"cpython-27-03f30d0a":  {Version: "2.7.18", Implementation: "cpython", Magic: "03f30d0a"},
	} {
		assert.Equal(t, want, bytecode.Kind(interpreter.Interpreter{Said: said}))
	}
	for _, said := range []interpreter.Answer{
		{Version: "2.7.18", Implementation: "pypy", Magic: "03f30d0a"},
		{Version: "3.12.1", Implementation: "cpython", CacheTag: "cpython-312"},
		{Version: "3.12.1", Implementation: "cpython", Magic: "cb0d0d0a"},
	} {
		assert.Empty(t, bytecode.Kind(interpreter.Interpreter{Said: said}), "%v", said)
	}
}
