package indexes

import (
	"crypto/x509"
	"encoding/base64"
	"encoding/pem"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
	"glassjar/internal/long"
	"glassjar/internal/wait"
)

// letsIn has one user, ida, with the password "cider" (bcrypt, as registries want it).
const letsIn = "ida:$2y$05$azqeHWSECNocJtyp.CFeO.slQSab6iCR22palS.4fDFw/DACIRo1G\n"

// engines are the programs of real registries: the one that the system has installed, and
// with -long version 3, which is built.
var engines = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	if program, err := exec.LookPath("docker-registry"); err == nil {
		out["the system's"] = program
	}
	if long.Asked() {
		program := filepath.Join(drive.Built, "registry3")
		cmd := exec.Command("go", "build", "-o", program, ".")
		cmd.Dir, cmd.Env = filepath.Join("..", "registry3"), append(os.Environ(), "CGO_ENABLED=0")
		if said, err := cmd.CombinedOutput(); err != nil {
			panic(fmt.Sprintf("version 3 could not be built: %v\n%s", err, said))
		}
		out["version 3"] = program
	}
	return out
})

// startRegistries starts each engine that there is, and gives their addresses.
func startRegistries(t *testing.T, guarded bool) map[string]string {
	if len(engines()) == 0 {
		t.Skip("no OCI registry is installed here")
	}
	out := map[string]string{}
	for name, program := range engines() {
		out[name] = startEngine(t, program, guarded)
	}
	return out
}

// startRegistry starts a real registry on a port of its own, and gives its address; with
// guarded it lets ida in alone.
func startRegistry(t *testing.T, guarded bool) string {
	for _, program := range engines() {
		return startEngine(t, program, guarded)
	}
	t.Skip("no OCI registry is installed here")
	return ""
}

func startEngine(t *testing.T, program string, guarded bool) string {
	at, _ := startEngineWith(t, program, guarded)
	return at
}

// startEngineWith gives the file of its configuration too.
func startEngineWith(t *testing.T, program string, guarded bool) (address, config string) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	at := listener.Addr().String()
	require.NoError(t, listener.Close())
	dir := t.TempDir()
	text := fmt.Sprintf("version: 0.1\nstorage: {filesystem: {rootdirectory: %s}, delete: {enabled: true}}\nhttp: {addr: %q}\nlog: {level: error}\n", filepath.Join(dir, "data"), at)
	if guarded {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "users"), []byte(letsIn), 0o600))
		text += fmt.Sprintf("auth: {htpasswd: {realm: orchard, path: %s}}\n", filepath.Join(dir, "users"))
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "config.yml"), []byte(text), 0o600))
	cmd := exec.Command(program, "serve", filepath.Join(dir, "config.yml"))
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	wait.For(t, func() bool {
		res, err := http.Get("http://" + at + "/v2/")
		if err == nil {
			res.Body.Close()
		}
		return err == nil
	}, "an answer of the registry")
	return at, filepath.Join(dir, "config.yml")
}

// sealedProject is a project with a record, from which a jar can be sealed.
func sealedProject(t *testing.T) *drive.Terminal {
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	s.Output("glassjar", "create")
	s.Output("glassjar", "install", "press-schedule")
	return s
}

// What is sealed into a registry is sent once, and comes back anywhere.
func TestRegistry(t *testing.T) {
	for name, at := range startRegistries(t, false) {
		t.Run(name, func(t *testing.T) { sealedIntoRegistry(t, at) })
	}
}

func sealedIntoRegistry(t *testing.T, at string) {
	s := sealedProject(t)
	press := "oci://" + at + "/orchard/press"
	first := s.Output("glassjar", "seal", press+":1.0")
	assert.Contains(t, first, "4 packages in 4 files")
	assert.Regexp(t, `sent    \d+ blobs`, first)
	digest := first[strings.Index(first, "sha256:"):]
	digest = digest[:strings.IndexByte(digest, '\n')]
	again := s.Output("glassjar", "seal", press+":1.0")
	assert.Contains(t, again, "sent    0 blobs")
	assert.Contains(t, again, digest, "equal jars are one artifact")
	assert.Regexp(t, `sent    [1-3] blobs?,`, s.Output("glassjar", "seal", "oci://"+at+"/orchard/other:1.0"), "packages are mounted")
	assert.Contains(t, s.Output("glassjar", "seal", "--check", press+":1.0"), "nothing wrong")
	s.Output("glassjar", "seal", "orchard.sealed")
	assert.Contains(t, s.Output("glassjar", "diff", press+":1.0", "orchard.sealed"), "no difference")
	assert.Equal(t, s.Output("glassjar", "label", "orchard.sealed"), s.Output("glassjar", "label", press+":1.0"))

	for _, ref := range []string{press + ":1.0", press + "@" + digest} {
		other := s.Elsewhere()
		assert.Contains(t, other.Output("glassjar", "recreate", "--from", ref), "4 added")
		assert.Contains(t, other.Output("glassjar", "run", "press-schedule"), "Perry pear")
		assert.Contains(t, other.Output("glassjar", "clone", ref, "kept"), "4 added")
	}

	// Another jar that shares most sends the rest; a tag moves, and the digest does not.
	s.Output("glassjar", "install", "graft-notes")
	assert.Regexp(t, `sent    [345] blobs`, s.Output("glassjar", "seal", press+":1.0"))
	other := s.Elsewhere()
	assert.Contains(t, other.Output("glassjar", "recreate", "--from", press+"@"+digest), "4 added")
	assert.Contains(t, s.Elsewhere().Output("glassjar", "recreate", "--from", press+":1.0"), "5 added")

	for _, c := range []struct {
		exit, says string
		args       []string
	}{
		{"4", "is not there", []string{"recreate", "--from", press + ":2.0"}},
		{"2", "it has no tag", []string{"recreate", "--from", press}},
		{"2", "not in an address", []string{"seal", "oci://ida:cider@" + at + "/press:1"}},
		{"4", "cannot be reached", []string{"recreate", "--from", "oci://127.0.0.1:1/press:1"}},
		{"4", "--offline is set", []string{"recreate", "--from", press + ":1.0", "--offline"}},
	} {
		out, err := s.Elsewhere().Try("glassjar", c.args...)
		require.Error(t, err, c.args)
		assert.Equal(t, "exit status "+c.exit, err.Error(), "%v\n%s", c.args, out)
		assert.Contains(t, out, c.says)
	}
}

// A signature stands beside a sealed jar in the registry, which lists what refers to it or not,
// and comes with it; others can add theirs.
func TestRegistrySignatures(t *testing.T) {
	if _, err := exec.LookPath("ssh-keygen"); err != nil {
		t.Skip("there is no ssh-keygen")
	}
	for name, at := range startRegistries(t, false) {
		t.Run(name, func(t *testing.T) {
			s := sealedProject(t)
			ref := "oci://" + at + "/orchard/signed:1.0"
			for _, who := range []string{"perry", "quince"} {
				s.Output("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", who)
				s.Output("sh", "-c", "echo \"$0@orchard.example $(cat $0.pub)\" >$0.signers", who)
			}
			s.Output("glassjar", "seal", ref)
			recreate := func(signers string) (string, error) {
				return s.Elsewhere().Try("glassjar", "recreate", "--from", ref, "--signed-by", filepath.Join(s.Dir, signers))
			}
			out, err := recreate("perry.signers")
			require.Error(t, err)
			assert.Contains(t, out, "it has no signature")
			assert.Contains(t, s.Output("glassjar", "seal", ref, "--sign", "perry"), "signed  with the key")
			assert.Contains(t, s.Output("glassjar", "seal", ref, "--sign", "perry"), "sent    0 blobs")
			out, err = recreate("perry.signers")
			require.NoError(t, err, out)
			assert.Contains(t, out, "signed  by perry@orchard.example")
			out, err = recreate("quince.signers")
			require.Error(t, err)
			assert.Contains(t, out, "its key is not listed")
			s.Output("glassjar", "seal", ref, "--sign", "quince")
			for _, who := range []string{"perry", "quince"} {
				out, err = recreate(who + ".signers")
				require.NoError(t, err, out)
				assert.Contains(t, out, "signed  by "+who)
			}
			assert.Contains(t, s.Output("glassjar", "seal", ref, "--check", "--signed-by", "quince.signers"), "signed  by quince")
		})
	}
}

// A registry is an index: a tag for each release, from which others install and recreate, and
// which does not lose anything when the registry collects what nothing names.
func TestRegistryAsIndex(t *testing.T) {
	t.Parallel()
	for name, program := range engines() {
		t.Run(name, func(t *testing.T) {
			at, config := startEngineWith(t, program, false)
			base := "oci://" + at + "/orchard/index"
			s := sealedProject(t)
			out := s.Output("glassjar", "seal", base, "--as-index")
			assert.Contains(t, out, "index   4 releases")
			assert.Contains(t, s.Output("glassjar", "seal", base, "--as-index"), "sent    0 blobs")
			s.Output("glassjar", "install", "graft-notes") // another release of what is there
			s.Output("glassjar", "seal", base, "--as-index")
			s.Output("glassjar", "seal", "oci://"+at+"/orchard/press:1.0")
			if name == "the system's" {
				s.Output(program, "garbage-collect", config)
			}
			other := s.Elsewhere()
			other.Output("glassjar", "index", "add", "team", base)
			assert.Contains(t, other.Output("glassjar", "index", "list", "--probe"), "answers")
			other.Output("glassjar", "create")
			assert.Contains(t, other.Output("glassjar", "install", "press-schedule", "orchard-core<2"), "team: 4 files to fetch")
			assert.Contains(t, other.Output("glassjar", "run", "press-schedule"), "Perry pear")
			out, _ = other.Try("glassjar", "outdated")
			assert.Contains(t, out, "newest 2.0")
			out, err := other.Try("glassjar", "install", "no-such-thing")
			require.Error(t, err)
			assert.Contains(t, out, "the index team has no no-such-thing")
			// The record is enough, without the index being set up.
			record, err := os.ReadFile(filepath.Join(other.Dir, "pylock.toml"))
			require.NoError(t, err)
			assert.Contains(t, string(record), base+"/brixmeter@sha256:")
			bare := s.Elsewhere()
			require.NoError(t, os.WriteFile(filepath.Join(bare.Dir, "pylock.toml"), record, 0o644))
			assert.Contains(t, bare.Output("glassjar", "recreate"), "4 added")
			assert.Contains(t, s.Elsewhere().Output("glassjar", "recreate", "--from", "oci://"+at+"/orchard/press:1.0"), "5 added")
		})
	}
}

// Credentials are those of the container world; without them nobody is let in.
func TestRegistryWithCredentials(t *testing.T) {
	at := startRegistry(t, true)
	s := sealedProject(t)
	ref := "oci://" + at + "/orchard/press:1.0"
	out, err := s.Try("glassjar", "seal", ref)
	require.Error(t, err)
	assert.Contains(t, out, "does not let you in")
	login := fmt.Sprintf(`{"auths": {%q: {"auth": %q}}}`, at, base64.StdEncoding.EncodeToString([]byte("ida:cider")))
	for _, file := range []string{".docker/config.json", ".config/containers/auth.json"} {
		other := s.Elsewhere()
		file = filepath.Join(other.Home(), file)
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o700))
		require.NoError(t, os.WriteFile(file, []byte(login), 0o600))
		other.Dir = s.Dir
		other.Output("glassjar", "trust")
		assert.Contains(t, other.Output("glassjar", "seal", ref), "4 packages", file)
		fresh := s.Elsewhere()
		fresh.Env[0] = other.Env[0]
		assert.Contains(t, fresh.Output("glassjar", "recreate", "--from", ref), "4 added")
	}
}

// As registries are run: behind a real web server, which has the certificate of a made-up
// authority and asks for the password.
func TestRegistryBehindNginx(t *testing.T) {
	program := drive.ServerPath("nginx")
	if program == "" {
		t.Skip("nginx is not installed")
	}
	at := startRegistry(t, true)
	dir := t.TempDir()
	vouched := httptest.NewTLSServer(http.NotFoundHandler()) // for its certificate
	vouched.Close()
	key, err := x509.MarshalPKCS8PrivateKey(vouched.TLS.Certificates[0].PrivateKey)
	require.NoError(t, err)
	for name, block := range map[string]*pem.Block{"server.pem": {Type: "CERTIFICATE", Bytes: vouched.Certificate().Raw}, "server.key": {Type: "PRIVATE KEY", Bytes: key}} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), pem.EncodeToMemory(block), 0o600))
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	front := l.Addr().String()
	require.NoError(t, l.Close())
	user := ""
	if os.Getuid() == 0 {
		user = "user root; "
	}
	conf := user + fmt.Sprintf(`daemon off; pid %[1]s/pid; error_log %[1]s/error.log; events {}
http { access_log off; client_body_temp_path %[1]s/a; proxy_temp_path %[1]s/b; fastcgi_temp_path %[1]s/c; uwsgi_temp_path %[1]s/d; scgi_temp_path %[1]s/e; client_max_body_size 0;
server { listen %[2]s ssl http2; ssl_certificate %[1]s/server.pem; ssl_certificate_key %[1]s/server.key;
location /v2/ { proxy_pass http://%[3]s; proxy_set_header Host $http_host; proxy_set_header X-Forwarded-Proto https; proxy_request_buffering off; } } }
`, dir, front, at)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "conf"), []byte(conf), 0o600))
	cmd := exec.Command(program, "-c", filepath.Join(dir, "conf"), "-e", filepath.Join(dir, "error.log"))
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	require.True(t, drive.Answers(front))
	ref := "oci://" + front + "/orchard/press:1.0"
	let := func(s *drive.Terminal) *drive.Terminal {
		s.Output("glassjar", "settings", "certificates", filepath.Join(dir, "server.pem"))
		require.NoError(t, os.MkdirAll(filepath.Join(s.Home(), ".docker"), 0o700))
		require.NoError(t, os.WriteFile(filepath.Join(s.Home(), ".docker/config.json"), []byte(fmt.Sprintf(`{"auths": {%q: {"auth": %q}}}`, front, base64.StdEncoding.EncodeToString([]byte("ida:cider")))), 0o600))
		return s
	}
	s := let(sealedProject(t))
	assert.Contains(t, s.Output("glassjar", "seal", ref), "4 packages")
	assert.Contains(t, s.Output("glassjar", "seal", ref), "sent    0 blobs")
	assert.Contains(t, let(s.Elsewhere()).Output("glassjar", "recreate", "--from", ref), "4 added")
}

// A registry behind a certificate of a made-up authority, which breaks off, and lies.
func TestRegistryInBadHands(t *testing.T) {
	at := startRegistry(t, false)
	target, err := url.Parse("http://" + at)
	require.NoError(t, err)
	forward := &httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) {
		r.SetURL(target)
		r.Out.Host = r.In.Host
		r.Out.Header.Set("X-Forwarded-Proto", "https")
	}}
	var lies, full atomic.Bool
	var broken, uploads, shaky atomic.Int64
	uploads.Store(1 << 20)
	server := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		blob := r.Method == http.MethodGet && strings.Contains(r.URL.Path, "/blobs/")
		upload := r.Method == http.MethodPut && strings.Contains(r.URL.Path, "/blobs/uploads/")
		switch {
		case upload && full.Load():
			w.Header().Set("Content-Type", "application/json")
			w.WriteHeader(http.StatusRequestEntityTooLarge)
			_, _ = io.WriteString(w, `{"errors": [{"code": "DENIED", "message": "the orchard has used all of its 2 GB"}]}`)
			return
		case upload && shaky.Add(-1) == 2:
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		case upload && shaky.Load() >= 0:
			panic(http.ErrAbortHandler)
		case upload && uploads.Add(-1) < 0:
			panic(http.ErrAbortHandler) // it has died
		case blob && lies.Load():
			w = &lying{ResponseWriter: w}
		case blob && r.Header.Get("Range") == "" && broken.Add(1) <= 3:
			w = &cutting{ResponseWriter: w}
		}
		forward.ServeHTTP(w, r)
	}))
	defer server.Close()
	ref := "oci://" + strings.TrimPrefix(server.URL, "https://") + "/orchard/press:1.0"
	s := sealedProject(t)
	out, err := s.Try("glassjar", "seal", ref)
	require.Error(t, err)
	assert.Contains(t, out, "certificate")
	authority := filepath.Join(t.TempDir(), "authority.pem")
	require.NoError(t, os.WriteFile(authority, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw}), 0o644))
	trusting := func(s *drive.Terminal) *drive.Terminal {
		s.Output("glassjar", "settings", "certificates", authority)
		return s
	}
	trusting(s)
	full.Store(true)
	out, err = s.Try("glassjar", "seal", ref)
	require.Error(t, err)
	assert.Equal(t, "exit status 4", err.Error())
	assert.Contains(t, out, "it says denied: the orchard has used all of its 2 GB")
	full.Store(false)
	uploads.Store(3)
	out, err = s.Try("glassjar", "seal", ref)
	require.Error(t, err)
	assert.Equal(t, "exit status 4", err.Error(), out)
	uploads.Store(1 << 20)
	shaky.Store(3)
	out = s.Output("glassjar", "seal", ref)
	assert.Contains(t, out, "4 packages")
	assert.Contains(t, trusting(s.Elsewhere()).Output("glassjar", "recreate", "--from", ref), "4 added")
	assert.Greater(t, broken.Load(), int64(3), "transfers broke off, and went on")

	lies.Store(true)
	fresh := trusting(s.Elsewhere())
	out, err = fresh.Try("glassjar", "recreate", "--from", ref)
	require.Error(t, err)
	assert.Equal(t, "exit status 5", err.Error(), out)
	assert.NoDirExists(t, filepath.Join(fresh.Dir, ".jar"))
	out, err = s.Try("glassjar", "seal", "--check", ref)
	require.Error(t, err, out)
	lies.Store(false)
	assert.Contains(t, fresh.Output("glassjar", "recreate", "--from", ref), "4 added")
}

type lying struct{ http.ResponseWriter }

func (l *lying) Write(p []byte) (int, error) {
	q := append([]byte{}, p...)
	for i := range q {
		q[i] ^= 1
	}
	return l.ResponseWriter.Write(q)
}

type cutting struct {
	http.ResponseWriter
	sent int
}

func (c *cutting) Write(p []byte) (int, error) {
	if c.sent > 0 || len(p) < 2 {
		panic(http.ErrAbortHandler)
	}
	c.sent = len(p) / 2
	n, err := c.ResponseWriter.Write(p[:c.sent])
	if f, ok := c.ResponseWriter.(http.Flusher); ok {
		f.Flush()
	}
	if err == nil {
		panic(http.ErrAbortHandler)
	}
	return n, err
}
