package source

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/interpreter"
	"glassjar/core/limits"
)

func TestMain(m *testing.M) {
	Main()
	os.Exit(m.Run())
}

var ctx = context.Background()

// pack makes an archive of files, as "name=content"; a name that begins with '@' is a link.
func pack(t *testing.T, file string, members ...string) string {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	for _, m := range members {
		name, content, _ := strings.Cut(m, "=")
		h := &tar.Header{Name: name, Mode: 0o666, Size: int64(len(content)), Typeflag: tar.TypeReg, ModTime: time.Unix(1_700_000_000, 0)}
		switch name[0] {
		case '@':
			h.Name, h.Typeflag, h.Linkname, h.Size = name[1:], tar.TypeSymlink, content, 0
		case '+':
			h.Name, h.Typeflag, h.Linkname, h.Size = name[1:], tar.TypeLink, content, 0
		case '%':
			h.Name, h.Typeflag, h.Size = name[1:], tar.TypeFifo, 0
		}
		require.NoError(t, w.WriteHeader(h))
		if h.Size > 0 {
			_, err := w.Write([]byte(content))
			require.NoError(t, err)
		}
	}
	require.NoError(t, w.Close())
	require.NoError(t, z.Close())
	at := filepath.Join(t.TempDir(), file)
	require.NoError(t, os.WriteFile(at, b.Bytes(), 0o644))
	return at
}

// PEP 721, the "data" filter: what would lead out, and what is no file, is refused.
func TestHostileArchives(t *testing.T) {
	for _, c := range []struct {
		what    string
		members []string
		why     string
	}{
		{"a path upward", []string{"a/x=1", "a/../../b=2"}, "outside of its folder"},
		{"two tops", []string{"a/x=1", "b/y=2"}, "one folder"},
		{"a link out", []string{"a/x=1", "@a/l=../../etc/passwd"}, "outside of the archive"},
		{"an absolute link", []string{"@a/l=/etc/passwd"}, "not relative"},
		{"a hard link out", []string{"a/x=1", "+a/l=../b"}, "outside of the archive"},
		{"a hard link to nothing", []string{"+a/l=a/none"}, "no file before it"},
		{"a pipe", []string{"%a/p="}, "neither a file nor a folder"},
		{"through a link", []string{"@a/l=..", "a/l/b=1"}, "outside of the archive"},
		{"a drive", []string{"c:/a=1"}, "not relative"},
		{"a backslash", []string{`a\..\b=1`}, `'\'`},
		{"nothing", nil, "empty"},
	} {
		dir := t.TempDir()
		_, err := Unpack(ctx, pack(t, "press-1.0.tar.gz", c.members...), dir)
		var refused *ArchiveError
		if assert.ErrorAs(t, err, &refused, c.what) {
			assert.Contains(t, refused.Error(), c.why, c.what)
		}
	}
	dir := t.TempDir()
	top, err := Unpack(ctx, pack(t, "press-1.0.tar.gz", "/press-1.0/x=1", "@press-1.0/l=x", "+press-1.0/h=press-1.0/x", "press-1.0/x=2"), dir)
	require.NoError(t, err)
	for name, want := range map[string]string{"x": "2", "l": "2", "h": "1"} {
		data, err := os.ReadFile(filepath.Join(top, name))
		require.NoError(t, err)
		assert.Equal(t, want, string(data), name)
	}
	info, err := os.Stat(filepath.Join(top, "x"))
	require.NoError(t, err)
	if runtime.GOOS != "windows" {
		assert.Equal(t, os.FileMode(0o644), info.Mode().Perm())
	}
}

// What unpacks to far more than it is, or has far too many members, is given up.
func TestBombs(t *testing.T) {
	var limit *limits.Error
	_, err := Unpack(ctx, pack(t, "press-1.0.tar.gz", "press-1.0/a="+strings.Repeat("\x00", 70<<20)), t.TempDir())
	assert.ErrorAs(t, err, &limit)
	at := filepath.Join(t.TempDir(), "press-1.0.zip")
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	w, err := z.Create("press-1.0/a")
	require.NoError(t, err)
	_, err = w.Write(make([]byte, 70<<20))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	require.NoError(t, os.WriteFile(at, b.Bytes(), 0o644))
	_, err = Unpack(ctx, at, t.TempDir())
	assert.ErrorAs(t, err, &limit)
	_, err = Read(Source{Archive: at})
	assert.Error(t, err)
	require.NoError(t, os.WriteFile(at, []byte("no archive"), 0o644))
	for _, name := range []string{at, strings.TrimSuffix(at, ".zip") + ".tar.gz"} {
		if name != at {
			require.NoError(t, os.Rename(at, name))
		}
		var refused *ArchiveError
		_, err = Unpack(ctx, name, t.TempDir())
		assert.ErrorAs(t, err, &refused)
	}
}

const project = "[build-system]\nrequires = ['mill']\nbuild-backend = 'mill:api'\n[project]\nname = 'press'\nversion = '1.0'\n"

// What decides the needs is read, and is not believed where it may change.
func TestStatements(t *testing.T) {
	for _, c := range []struct {
		what, project, info string
		backend, version    string
		says, lacks         string
	}{
		{"a static project", project + "dependencies = ['must>1']\n[project.optional-dependencies]\ncider = [\"still; os_name == 'nt'\"]\n", "", "mill:api", "1.0", "Requires-Dist: still; (os_name == \"nt\") and extra == \"cider\"", ""},
		{"dynamic needs", strings.Replace(project, "version = '1.0'", "version = '1.0'\ndynamic = ['dependencies']", 1), "", "mill:api", "1.0", "", "all"},
		{"a dynamic version", strings.Replace(project, "version = '1.0'", "dynamic = ['version']", 1), "", "mill:api", "", "", "all"},
		{"PKG-INFO that promises", project, "Metadata-Version: 2.2\nName: press\nVersion: 1.0\nRequires-Dist: vat\n\n", "mill:api", "1.0", "Requires-Dist: vat", ""},
		{"PKG-INFO that may change", "", "Metadata-Version: 2.2\nName: press\nVersion: 1.0\nDynamic: Requires-Dist\n\n", "setuptools.build_meta:__legacy__", "1.0", "", "all"},
		{"PKG-INFO of old", "", "Metadata-Version: 1.1\nName: press\nVersion: 1.0\n\n", "setuptools.build_meta:__legacy__", "1.0", "", "all"},
	} {
		members := []string{"press-1.0/setup.py=x"}
		if c.project != "" {
			members = append(members, "press-1.0/pyproject.toml="+c.project)
		}
		if c.info != "" {
			members = append(members, "press-1.0/PKG-INFO="+c.info)
		}
		s, err := Read(Source{Archive: pack(t, "press-1.0.tar.gz", members...)})
		require.NoError(t, err, c.what)
		assert.Equal(t, c.backend, s.BackEnd.Name, c.what)
		assert.Equal(t, c.version, s.Version, c.what)
		assert.Contains(t, string(s.Metadata), c.says, c.what)
		assert.Equal(t, c.lacks == "all", s.Metadata == nil, c.what)
	}
	for _, bad := range []string{"[build-system]\nrequires = ['=']", "[build-system]\nrequires = []\nbackend-path = ['..']", "x", "[project]\nname = 'a'\nversion = 'x.y'"} {
		_, err := Read(Source{Archive: pack(t, "press-1.0.tar.gz", "press-1.0/pyproject.toml="+bad)})
		assert.Error(t, err, bad)
	}
	_, err := Read(Source{Archive: pack(t, "press-1.0.tar.gz", "press-1.0/README=")})
	assert.ErrorContains(t, err, "neither pyproject.toml nor setup.py")
}

// mill is a back end that stands in the source: it makes a wheel of press.py.
const mill = `
import os, sys, zipfile
def wheel(out, name, extra=()):
    with zipfile.ZipFile(os.path.join(out, name), "w") as z:
        z.writestr("press.py", "made = %r" % sys.version_info[0])
        z.writestr("press-1.0.dist-info/METADATA", "Metadata-Version: 2.1\nName: press\nVersion: 1.0\n\n")
        z.writestr("press-1.0.dist-info/WHEEL", "Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: py3-none-any\n")
        z.writestr("press-1.0.dist-info/RECORD", "")
        for k, v in extra: z.writestr(k, v)
    return name
NAME = "press-1.0-py3-none-any.whl"
def build_wheel(out, settings=None, metadata=None):
    BODY
    return wheel(out, NAME)
`

const inTree = "[build-system]\nrequires = []\nbuild-backend = 'mill'\nbackend-path = ['.']\n"

// builder makes wheels with any Python 3 that is here, in an environment of nothing.
func builder(t *testing.T) *Builder {
	found, _, ok := interpreter.NewFinder(nil).First(ctx, func(in interpreter.Interpreter) bool { return strings.HasPrefix(in.Said.Version, "3.") })
	if !ok {
		t.Skip("no Python 3 here")
	}
	in := found.Interpreter
	return &Builder{Python: in, Work: t.TempDir(), Logs: t.TempDir(), Home: t.TempDir(), Limit: time.Minute, Environment: func(context.Context, []string) (Environment, error) {
		return Environment{Root: in.Said.Prefix, Python: in.Path, Scripts: filepath.Dir(in.Path), Pins: []Pin{{Name: "mill", Version: "1"}}}, nil
	}}
}

func millSource(t *testing.T, body string, more ...string) Source {
	return Source{Name: "press", Archive: pack(t, "press-1.0.tar.gz", "press-1.0/pyproject.toml="+inTree, "press-1.0/mill.py="+strings.Replace(mill, "BODY", body, 1)+strings.Join(more, ""))}
}

// The same source gives the same bytes, its wheel is checked, and nothing is left.
func TestWheel(t *testing.T) {
	b := builder(t)
	var sums [2][]byte
	for i := range sums {
		w, err := b.Wheel(ctx, millSource(t, "pass"))
		require.NoError(t, err)
		assert.Equal(t, "press-1.0-py3-none-any.whl", w.Name)
		assert.Equal(t, "press", w.Distribution)
		assert.True(t, w.Pure)
		assert.Equal(t, []Pin{{Name: "mill", Version: "1"}}, w.Pins)
		assert.Equal(t, bestMeans().level(), w.Room)
		sums[i], err = os.ReadFile(w.File)
		require.NoError(t, err)
		w.Close()
	}
	assert.Equal(t, sums[0], sums[1])
	meta, err := b.Metadata(ctx, millSource(t, "pass"))
	require.NoError(t, err)
	assert.Contains(t, string(meta), "Name: press")
	left, err := os.ReadDir(b.Work)
	require.NoError(t, err)
	assert.Empty(t, left)
}

// What one hook leaves in the build's folder leads the next, and whoever reads the answer,
// nowhere, and does not change what time it is.
func TestNothingLeadsOut(t *testing.T) {
	b := builder(t)
	if bestMeans().level() != Closed {
		t.Skip("no room can be closed here")
	}
	outside := t.TempDir()
	for _, name := range []string{"hooks.py", "request.json", "METADATA"} {
		require.NoError(t, os.WriteFile(filepath.Join(outside, name), []byte("Metadata-Version: 2.1\nName: press\nVersion: 1.0\n"), 0o644))
	}
	require.NoError(t, os.Mkdir(filepath.Join(outside, "tmp"), 0o755))
	s := millSource(t, "open('/tmp/left', 'w').close(); assert open('late').read() == os.environ['SOURCE_DATE_EPOCH']", `
OUTSIDE = "`+outside+`"
def get_requires_for_build_wheel(settings=None):
    import shutil
    own = os.path.dirname(os.environ["HOME"])
    shutil.rmtree(own + "/tmp")
    for name in "tmp", "hooks.py", "request.json":
        if name != "tmp": os.remove(own + "/" + name)
        os.symlink(OUTSIDE + "/" + name, own + "/" + name)
    with open("late", "w") as f: f.write(os.environ["SOURCE_DATE_EPOCH"])
    return ["mill"]
def prepare_metadata_for_build_wheel(out, settings=None):
    os.mkdir(out + "/x.dist-info")
    os.symlink(OUTSIDE + "/METADATA", out + "/x.dist-info/METADATA")
    return "x.dist-info"
`)
	w, err := b.Wheel(ctx, s)
	require.NoError(t, err)
	w.Close()
	_, err = b.Metadata(ctx, s)
	var failed *BuildError
	if assert.ErrorAs(t, err, &failed) {
		assert.Equal(t, NoWheel, failed.Cause)
	}
	for _, name := range []string{"hooks.py", "request.json"} {
		text, err := os.ReadFile(filepath.Join(outside, name))
		require.NoError(t, err)
		assert.Contains(t, string(text), "Name: press", name)
	}
	left, err := os.ReadDir(filepath.Join(outside, "tmp"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

// Each way in which a back end fails has its cause, and a log.
func TestFailures(t *testing.T) {
	b := builder(t)
	for _, c := range []struct{ body, cause, of string }{
		{"print('x.c:1: fatal error: sapflow.h: No such file or directory'); raise SystemExit(1)", NoHeader, "sapflow.h"},
		{"print('fatal error: Python.h: No such file or directory'); raise RuntimeError('x')", NoPythonHeader, "Python.h"},
		{"print('/usr/bin/ld: cannot find -lsapflow: No such file'); raise RuntimeError('x')", NoLibrary, "sapflow"},
		{`print("error: command 'x86_64-linux-gnu-gcc' failed: No such file or directory"); raise RuntimeError('x')`, NoCompiler, "x86_64-linux-gnu-gcc"},
		{"print('core.c:1:2: error: ‘PyLongObject’ {aka ‘struct _longobject’} has no member named ‘ob_digit’'); raise RuntimeError('x')", TooNew, "ob_digit"},
		{"import sapling", NoModule, "sapling"},
		{"pass\nraise RuntimeError('at once')\ndef none():\n    pass", Other, ""},
		{"return 'press-1.0-py3-none-any.whl'", NoWheel, "press-1.0-py3-none-any.whl"},
		{"return '../../evil-1.0-py3-none-any.whl'", NoWheel, "../../evil-1.0-py3-none-any.whl"},
		{"return 7", NoBackEnd, "mill"},
		{"os.kill(os.getpid(), 9)", NoMemory, "the back end"},
		{"os.kill(os.getpid(), 11)", Other, ""},
		{"print('x86_64-linux-gnu-g++: fatal error: Killed signal terminated program cc1plus'); raise RuntimeError('x')", NoMemory, "cc1plus"},
		{"return real\ndef get_requires_for_build_wheel(settings=None):\n    os.kill(os.getpid(), 9)", NoMemory, "the back end"},
		{"return real\ndef get_requires_for_build_wheel(settings=None):\n    return ['!']", NoBackEnd, "mill"},
		{"sys.stdout.write('x' * (40 << 20)); raise RuntimeError('flood')", Other, ""},
		{"import time; time.sleep(60)", TookLong, "1s"},
		{"return wheel(out, NAME, [('../evil.py', '')])", NoWheel, "press-1.0-py3-none-any.whl"},
	} {
		b.Limit = time.Minute
		if c.cause == TookLong {
			b.Limit = time.Second
		}
		_, err := b.Wheel(ctx, millSource(t, c.body))
		var failed *BuildError
		if !assert.ErrorAs(t, err, &failed, c.body) {
			continue
		}
		assert.Equal(t, c.cause, failed.Cause, "%s: %v", c.body, err)
		assert.Equal(t, c.of, failed.Of, c.body)
		assert.FileExists(t, failed.Log, c.body)
		assert.LessOrEqual(t, len(failed.Tail), tailLines)
	}
	b.Limit = time.Minute
	other := millSource(t, "pass")
	other.Name = "vat"
	_, err := b.Wheel(ctx, other)
	assert.ErrorContains(t, err, "it is press, not vat")
}
