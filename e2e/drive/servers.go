package drive

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"time"

	"github.com/rogpeppe/go-internal/testscript"

	"glassjar/internal/wait"
)

// ServerPath is an installed server, which may stand where only root looks; empty if
// there is none.
func ServerPath(name string) string {
	if path, err := exec.LookPath(name); err == nil {
		return path
	}
	if path := "/usr/sbin/" + name; Exists(path) {
		return path
	}
	return ""
}

// ownAddress is an address of this machine that is not the loopback: of a proxy, programs
// ask for no other.
func ownAddress() string {
	list, _ := net.InterfaceAddrs()
	for _, a := range list {
		if n, ok := a.(*net.IPNet); ok && !n.IP.IsLoopback() && n.IP.To4() != nil {
			return n.IP.String()
		}
	}
	return "127.0.0.1"
}

func freePort(ts *testscript.TestScript, host string) string {
	l, err := net.Listen("tcp", net.JoinHostPort(host, "0"))
	ts.Check(err)
	defer l.Close()
	_, port, err := net.SplitHostPort(l.Addr().String())
	ts.Check(err)
	return port
}

// startNginx serves a folder with the real web server, if it is installed.
func startNginx(ts *testscript.TestScript, _ bool, args []string) {
	program := ServerPath("nginx")
	if program == "" {
		ts.Fatalf("nginx is not installed")
	}
	dir := ts.MkAbs("nginx-" + args[0])
	ts.Check(os.MkdirAll(dir, 0o755))
	host, scheme, extra := "127.0.0.1", "http", ""
	client := http.DefaultClient
	if slices.Contains(args[2:], "tls") {
		host, scheme = ownAddress(), "https"
		client = &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{InsecureSkipVerify: true}}} // it only waits until it answers
		certify(ts, dir, host)
		extra += fmt.Sprintf("ssl_certificate %[1]s/server.pem; ssl_certificate_key %[1]s/server.key; ", dir)
	}
	if slices.Contains(args[2:], "password") {
		ts.Check(os.WriteFile(filepath.Join(dir, "people"), []byte("keeper:{PLAIN}quince\n"), 0o644))
		extra += fmt.Sprintf("auth_basic orchard; auth_basic_user_file %s/people; ", dir)
	}
	address := net.JoinHostPort(host, freePort(ts, host))
	listen := address
	if scheme == "https" {
		listen += " ssl http2"
	}
	user := ""
	if os.Getuid() == 0 {
		user = "user root; " // its workers would else not be let into the folder
	}
	conf := user + fmt.Sprintf("daemon off; pid %[1]s/pid; error_log %[1]s/error.log; events {}\nhttp { log_format how '$server_protocol $status $remote_user'; access_log %[1]s/access.log how; client_body_temp_path %[1]s/a; proxy_temp_path %[1]s/b; fastcgi_temp_path %[1]s/c; uwsgi_temp_path %[1]s/d; scgi_temp_path %[1]s/e;\nserver { listen %[2]s; root %[3]s; %[4]s location / { index index.html; } } types { text/html html; } }\n",
		dir, listen, ts.MkAbs(args[1]), extra)
	ts.Check(os.WriteFile(filepath.Join(dir, "conf"), []byte(conf), 0o644))
	cmd := exec.Command(program, "-c", filepath.Join(dir, "conf"), "-e", filepath.Join(dir, "error.log"))
	ts.Check(cmd.Start())
	ts.Defer(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	if !wait.Until(func() bool {
		res, err := client.Get(scheme + "://" + address + "/simple/")
		if err == nil {
			res.Body.Close()
		}
		return err == nil
	}) {
		ts.Fatalf("nginx does not answer")
	}
	ts.Setenv(args[0], scheme+"://"+address+"/simple/")
	ts.Setenv(args[0]+"_HOST", host)
}

// certify makes a certificate for a host and the authority that vouches for it.
func certify(ts *testscript.TestScript, dir, host string) {
	write := func(file, kind string, der []byte) {
		ts.Check(os.WriteFile(filepath.Join(dir, file), pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: der}), 0o600))
	}
	make := func(number int64, name string, parent *x509.Certificate, signer *ecdsa.PrivateKey) (*x509.Certificate, *ecdsa.PrivateKey, []byte) {
		key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		ts.Check(err)
		c := &x509.Certificate{SerialNumber: big.NewInt(number), Subject: pkix.Name{CommonName: name}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(24 * time.Hour),
			BasicConstraintsValid: true, IsCA: parent == nil, KeyUsage: x509.KeyUsageDigitalSignature | x509.KeyUsageCertSign, IPAddresses: []net.IP{net.ParseIP(host)}}
		if parent == nil {
			parent, signer, c.IPAddresses = c, key, nil
		}
		der, err := x509.CreateCertificate(rand.Reader, c, parent, &key.PublicKey, signer)
		ts.Check(err)
		return c, key, der
	}
	ca, caKey, caDER := make(1, "the orchard's own", nil, nil)
	_, key, der := make(2, host, ca, caKey)
	raw, err := x509.MarshalECPrivateKey(key)
	ts.Check(err)
	write("ca.pem", "CERTIFICATE", caDER)
	write("server.pem", "CERTIFICATE", der)
	write("server.key", "EC PRIVATE KEY", raw)
}

// startProxy starts a real proxy, if it is installed; it lets "keeper" through, with the
// password "medlar".
func startProxy(ts *testscript.TestScript, _ bool, args []string) {
	program := ServerPath("tinyproxy")
	if program == "" {
		ts.Fatalf("tinyproxy is not installed")
	}
	dir := ts.MkAbs("proxy")
	ts.Check(os.MkdirAll(dir, 0o755))
	port := freePort(ts, "127.0.0.1")
	conf := fmt.Sprintf("Port %s\nListen 127.0.0.1\nTimeout 60\nMaxClients 50\nLogLevel Connect\nBasicAuth keeper medlar\n", port)
	ts.Check(os.WriteFile(filepath.Join(dir, "conf"), []byte(conf), 0o644))
	cmd := exec.Command(program, "-d", "-c", filepath.Join(dir, "conf"))
	log, err := os.Create(filepath.Join(dir, "log"))
	ts.Check(err)
	defer log.Close()
	cmd.Stdout, cmd.Stderr = log, log
	ts.Check(cmd.Start())
	ts.Defer(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
	if !Answers("127.0.0.1:" + port) {
		ts.Fatalf("tinyproxy does not answer")
	}
	ts.Setenv(args[0], "127.0.0.1:"+port)
}

// Answers waits until somebody takes connections at an address, and reports whether that came.
func Answers(address string) bool {
	return wait.Until(func() bool {
		c, err := net.Dial("tcp", address)
		if err == nil {
			c.Close()
		}
		return err == nil
	})
}
