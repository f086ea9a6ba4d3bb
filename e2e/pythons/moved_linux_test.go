package pythons

import (
	"encoding/json"
	"encoding/pem"
	"fmt"
	"io"
	"log"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/interpreter"
	"glassjar/internal/long"

	"glassjar/e2e/drive"
)

// elsewhere is run by a Python that was fetched, and says what works there.
const elsewhere = `
import json, os, subprocess, sys, sysconfig
for name in ["bz2", "ctypes", "hashlib", "json", "socket", "sqlite3", "ssl", "zlib", "multiprocessing", "unittest"]:
    __import__(name)
import ssl
base = getattr(sys, "base_prefix", sys.prefix)
include = os.path.join(base, "include", os.path.basename(sysconfig.get_path("include")))
folder = os.path.abspath("extension")
os.mkdir(folder)
with open(os.path.join(folder, "must.c"), "w") as f:
    f.write("""#include <Python.h>
static PyObject *weigh(PyObject *self, PyObject *args) { return PyLong_FromLong(42); }
static PyMethodDef methods[] = {{"weigh", weigh, METH_NOARGS, ""}, {0}};
#if PY_MAJOR_VERSION >= 3
static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "must", 0, -1, methods};
PyMODINIT_FUNC PyInit_must(void) { return PyModule_Create(&module); }
#else
PyMODINIT_FUNC initmust(void) { Py_InitModule("must", methods); }
#endif
""")
built = os.path.join(folder, "must" + (sysconfig.get_config_var("EXT_SUFFIX") or ".so"))
headers = os.path.exists(os.path.join(include, "Python.h"))
if headers:
    subprocess.check_call(["gcc", "-shared", "-fPIC", "-I", include, os.path.join(folder, "must.c"), "-o", built])
    sys.path.insert(0, folder)
    import must
try:
    from urllib.request import urlopen
except ImportError:
    from urllib2 import urlopen
def fetched():
    try:
        context = ssl.create_default_context()
        context.check_hostname = sys.version_info[0] > 2 # before, it knows no addresses by number
        return urlopen(sys.argv[2], context=context).read().decode()
    except Exception as e:
        return str(e)
stranger = fetched()
os.environ["SSL_CERT_FILE"] = sys.argv[3]
said = [str(v) for v in sysconfig.get_config_vars().values()]
print(json.dumps({"stranger": stranger, "known": fetched(), "version": "%d.%d.%d" % sys.version_info[:3], "base": os.path.realpath(base), "weighs": must.weigh() if headers else 42, "headers": headers,
    "left": [v for v in said if sys.argv[1] in v][:3], "library": os.path.realpath(os.__file__)}))
`

// faulty serves a folder from far away; the first transfer of each file breaks off.
func faulty(dir string) *httptest.Server {
	files := http.FileServer(http.Dir(dir))
	var broken atomic.Int64
	return httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		time.Sleep(20 * time.Millisecond)
		if strings.HasSuffix(r.URL.Path, ".pybi") && broken.Add(1) == 1 {
			w = &breaking{ResponseWriter: w}
		}
		files.ServeHTTP(w, r)
	}))
}

// breaking ends a transfer after a part of it.
type breaking struct {
	http.ResponseWriter
	sent int
}

func (b *breaking) Write(p []byte) (int, error) {
	if b.sent += len(p); b.sent > 1<<20 {
		panic(http.ErrAbortHandler)
	}
	return b.ResponseWriter.Write(p)
}

// hidden runs a shell script where a folder of this machine is empty.
func hidden(s *drive.Terminal, folder, script string) (string, error) {
	return s.Try("unshare", "--user", "--map-root-user", "--mount", "sh", "-ec", "mount -t tmpfs none '"+folder+"'\n"+script)
}

// Each Python of the machine is packed, and runs from where it is fetched to while its own
// installation cannot be reached: packages, compiled modules, headers, and what it says of
// itself.
func TestMovedPythons(t *testing.T) {
	long.Only(t)
	if out, err := exec.Command("unshare", "--user", "--map-root-user", "--mount", "true").CombinedOutput(); err != nil {
		t.Skipf("folders cannot be hidden here: %s", out)
	}
	if _, err := exec.LookPath("gcc"); err != nil {
		t.Skip("there is no compiler here")
	}
	for name, f := range drive.Pythons {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			moved(t, f)
		})
	}
}

func moved(t *testing.T, f interpreter.Found) {
	top := drive.RealPath(t, t.TempDir())
	s := drive.NewTerminal(t, top)
	if f.Path != drive.Default.Path {
		s.Env = append(s.Env, "PYTHONDONTWRITEBYTECODE=1") // compiling the library takes the longest
	}
	hide, pack := f.Said.Prefix, []string{"pythons", "pack", f.Path, "--to", "packed"}
	if hide == "/usr" || hide == "/usr/local" {
		hide = f.Said.Stdlib
		pack = append(pack, "--with-libraries")
	}
	s.Output("glassjar", pack...)
	server := faulty(filepath.Join(top, "packed"))
	defer server.Close()
	require.NoError(t, os.WriteFile(filepath.Join(top, "elsewhere.py"), []byte(elsewhere), 0o644))
	s.Output("glassjar", "index", "add", "far", server.URL, "--holds", "pythons")
	secure := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "perry") }))
	defer secure.Close()
	secure.Config.ErrorLog = log.New(io.Discard, "", 0)
	require.NoError(t, os.WriteFile(filepath.Join(top, "authority.pem"), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: secure.Certificate().Raw}), 0o644))
	out, err := hidden(s, hide, `
glassjar pythons fetch `+f.Said.Version+`
glassjar create --python "$(glassjar pythons fetch `+f.Said.Version+` --json | sed -n 's/^ *"path": "\(.*\)",$/\1/p')"
glassjar install 'press-schedule<2' --yes
glassjar run press-schedule
glassjar check
glassjar pythons verify
glassjar run python elsewhere.py '`+f.Said.Prefix+`/lib' `+secure.URL+` authority.pem`)
	require.NoError(t, err, out)
	assert.Contains(t, out, "Perry pear")
	assert.Contains(t, out, "fine")
	var said struct {
		Version, Base, Library, Stranger, Known string

		Weighs  int
		Headers bool
		Left    []string
	}
	require.NoError(t, json.Unmarshal([]byte(out[strings.LastIndex(strings.TrimSpace(out), "\n")+1:]), &said), out)
	assert.Equal(t, f.Said.Version, said.Version)

	// And from another place, where nobody expects it.
	out, err = hidden(s, hide, `cp -a "$(dirname "$(dirname "$(glassjar pythons fetch `+f.Said.Version+` --json | sed -n 's/^ *"path": "\(.*\)",$/\1/p')")")" 'else where'
'else where/bin/python' -c "import ctypes, json, ssl, sys; print(sys.prefix)"`)
	require.NoError(t, err, out)
	assert.Contains(t, out, filepath.Join(top, "else where"))
	assert.Equal(t, 42, said.Weighs)
	assert.True(t, said.Headers || hide == f.Said.Stdlib, "the headers of a distribution's Python are a package of their own")
	assert.Contains(t, strings.ToLower(said.Stranger), "certificate", "an authority that nobody knows")
	assert.Equal(t, "perry", said.Known)
	if f.Version().Release()[0] == "3" { // before PEP 405 a jar is all that a Python knows of itself
		assert.True(t, strings.HasPrefix(said.Base, s.Home()), said.Base)
	}
	assert.True(t, strings.HasPrefix(said.Library, s.Home()), said.Library)
	if hide == f.Said.Prefix {
		assert.Empty(t, said.Left, "it still names folders of the old installation")
	}
}

// packedOnce is a folder with the scripts' Python, packed.
var packedOnce = sync.OnceValues(func() (string, error) {
	dir := filepath.Join(filepath.Dir(drive.Built), "packed")
	cmd := exec.Command(filepath.Join(drive.Built, "glassjar"), "pythons", "pack", drive.Default.Path, "--to", dir)
	cmd.Env = []string{"HOME=" + dir, "PATH=/usr/bin:/bin"}
	out, err := cmd.CombinedOutput()
	if err != nil {
		err = fmt.Errorf("%w: %s", err, out)
	}
	return dir, err
})

// packedFolder has the user's settings name that folder as an index of Pythons.
func packedFolder(t *testing.T, s *drive.Terminal) {
	dir, err := packedOnce()
	require.NoError(t, err)
	s.Env = append(s.Env, "PYTHONDONTWRITEBYTECODE=1")
	s.Output("glassjar", "index", "add", "packed", dir, "--holds", "pythons")
}

// Killed at any moment, a fetch has happened or has not; the next one goes on, and nothing is
// left over.
func TestFetchKilled(t *testing.T) {
	long.Only(t)
	t.Parallel()
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	packedFolder(t, s)
	fetch := []string{"pythons", "fetch", drive.Default.Said.Version}
	begun := time.Now()
	s.Output("glassjar", fetch...)
	whole := time.Since(begun)
	kept := filepath.Join(s.Home(), ".local", "share", "glassjar", "store")
	r := rand.New(rand.NewPCG(5, 9))
	for n := range 4 {
		s.Output("glassjar", "pythons", "drop", drive.Default.Said.Version)
		if n%2 > 0 { // else what it unpacks to is here
			s.Output("glassjar", "store", "tidy")
		}
		cmd := exec.Command(filepath.Join(drive.Built, "glassjar"), fetch...)
		cmd.Dir, cmd.Env = s.Dir, s.Env
		require.NoError(t, cmd.Start())
		timer := time.AfterFunc(time.Duration(r.Int64N(int64(whole)*5/4)), func() { _ = cmd.Process.Kill() })
		_ = cmd.Wait() // killed or done
		timer.Stop()
		s.Output("glassjar", fetch...)
		assert.Contains(t, s.Output("glassjar", "pythons", "verify"), "fine")
		assert.Contains(t, s.Output("glassjar", "store", "verify"), "nothing wrong")
		assert.Empty(t, names(t, filepath.Join(kept, "pythons-coming")), "run %d", n)
	}
	assert.Len(t, names(t, filepath.Join(kept, "pythons")), 3, "the Python, what is known of it, and its lock")
}

func names(t *testing.T, dir string) (out []string) {
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	for _, e := range entries {
		out = append(out, e.Name())
	}
	return out
}

// On a terminal somebody is asked; no is no.
func TestFetchIsAsked(t *testing.T) {
	long.Only(t)
	if strings.HasPrefix(drive.Default.Path, "/usr/") {
		t.Skip("the only Python here is the system's own, and not missing")
	}
	t.Parallel()
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	packedFolder(t, s)
	for _, answer := range []string{"n", "y"} {
		x := drive.OpenTTY(t, s.Home(), s.Dir, []string{"PATH=/usr/bin:/bin", "PYTHONDONTWRITEBYTECODE=1"}, "glassjar", "create", "--python", drive.Default.Said.Version)
		x.Waits("offer   cpython-" + drive.Default.Said.Version)
		x.Waits("fetch it? [y/N] ")
		x.Types(answer)
		if answer == "n" {
			assert.Equal(t, 6, x.Ends())
			assert.NoDirExists(t, filepath.Join(s.Dir, ".jar"))
			continue
		}
		assert.Equal(t, 0, x.Ends())
		assert.Contains(t, x.Text(), "it was fetched")
	}
	assert.Contains(t, s.Output("glassjar", "run", "python", "-c", "import sys; print(sys.base_prefix)"), s.Home())
}

// Two at once fetch one Python; a disk that is full is told, and nothing stays of the attempt.
func TestFetchBesideAndOnFullDisk(t *testing.T) {
	long.Only(t)
	t.Parallel()
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	packedFolder(t, s)
	out, err := s.Try("sh", "-ec", "glassjar pythons fetch "+drive.Default.Said.Version+" & glassjar pythons fetch "+drive.Default.Said.Version+"; wait $!; glassjar pythons verify")
	require.NoError(t, err, out)
	assert.Contains(t, out, "fine")

	if out, err := exec.Command("unshare", "--user", "--map-root-user", "--mount", "true").CombinedOutput(); err != nil {
		t.Skipf("no small disk can be made here: %s", out)
	}
	s.Output("glassjar", "pythons", "drop", drive.Default.Said.Version)
	data := filepath.Join(s.Home(), ".local", "share")
	out, err = s.Try("unshare", "--user", "--map-root-user", "--mount", "sh", "-c", "mount -t tmpfs -o size=12m none '"+data+"'\n"+`
glassjar pythons fetch `+drive.Default.Said.Version+`; echo "exit $?"
ls -A '`+data+`'/glassjar/store/pythons '`+data+`'/glassjar/store/pythons-coming 2>/dev/null | grep '^cpython'; echo listed
mount -o remount,size=400m '`+data+`'
glassjar pythons fetch `+drive.Default.Said.Version+` && glassjar pythons verify`)
	require.NoError(t, err, out)
	assert.Contains(t, out, "exit 8")
	assert.Contains(t, out, "no space left on device")
	assert.Contains(t, out, "exit 8\nlisted\n")
	assert.Contains(t, out, "fine")
}
