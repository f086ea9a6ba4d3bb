// Package e2e drives the built program by scripts that read like what one types in a
// terminal: testdata/script/*.txtar.
//
// Besides the usual commands of such scripts there are
//
//	exits N CMD...      runs a command, which must end with code N
//	index NAME [SOURCE] serves an index on loopback and puts its address into
//	                    $NAME; SOURCE is "sample" or a kind of fault
//	snapshot FILE DIR   writes what is in a tree, and the hash of each file
//	wheel DIR NAME [altered] writes the wheels of one distribution of the sample
//	nginx NAME DIR [tls] [password] serves a folder with the real web server; with tls
//	                    under an authority of its own, in ca.pem
//	proxy NAME          starts a real proxy that asks for a password
//	keys [PATH] KEY...  fails unless the JSON just printed has all these keys
//	waitfor FILE        waits until a file has a whole line
//	pack DIR OUT NAME VERSION [REQ...] makes a wheel of a folder
//	elf FILE LIBRARY    makes a shared object that needs a library
//	browse FILE OUT     loads a page in a real browser and writes what became of it
//	machine NAME        goes on as on another machine: with an empty home folder
//	settle              waits until nothing is compiled in the background any more
//
// and the conditions [python:3.12], which holds if that Python was found, [root],
// [browser] and [device-keys].
package e2e

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"

	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/sample"
)

// found are the interpreters of this machine, by minor version; def is the one
// that scripts call python3.
var (
	found = map[string]interpreter.Found{}
	def   interpreter.Found
	built string
)

func TestMain(m *testing.M) { os.Exit(run(m)) }

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "glassjar-e2e-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	built = filepath.Join(dir, "bin")
	program := filepath.Join(built, "glassjar")
	if runtime.GOOS == "windows" {
		program += ".exe"
	}
	build := exec.Command("go", "build", "-o", program, "../cmd/glassjar")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "%v\n%s", err, out)
		return 1
	}
	if err := findPythons(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	moreAtOnce()
	return m.Run()
}

// moreAtOnce has twice as many tests run at once as there are processors, unless the command says
// how many: they wait for disks and servers, too.
func moreAtOnce() {
	flag.Parse()
	said := false
	flag.Visit(func(f *flag.Flag) { said = said || f.Name == "test.parallel" })
	if !said {
		_ = flag.Set("test.parallel", strconv.Itoa(2*runtime.GOMAXPROCS(0))) // it is there and takes numbers
	}
}

// findPythons looks as the program itself does. The newest CPython 3 is the
// one that scripts have on PATH.
func findPythons() error {
	all, _ := interpreter.NewFinder(nil).All(context.Background())
	for _, f := range all {
		name := f.Minor()
		if f.IsPyPy() {
			name = "pypy" + name
		}
		if _, ok := found[name]; !ok {
			found[name] = f
		}
		if major := f.Version().Release()[0]; !f.IsPyPy() && major == "3" && (def.Path == "" || def.Version().Less(f.Version())) {
			def = f
		}
	}
	if def.Path == "" {
		return errors.New("the scripts need a Python 3 on PATH or in a folder named by GLASSJAR_PYTHONS")
	}
	return os.Symlink(def.Path, filepath.Join(built, "python3"))
}

func exits(ts *testscript.TestScript, neg bool, args []string) {
	want, err := strconv.Atoi(args[0])
	ts.Check(err)
	err = ts.Exec(args[1], args[2:]...)
	have := 0
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		have = exit.ExitCode()
	} else {
		ts.Check(err)
	}
	if (have == want) == neg {
		ts.Fatalf("%s ended with %d", strings.Join(args[1:], " "), have)
	}
}

// serveIndex starts a server that lives as long as the script.
func serveIndex(ts *testscript.TestScript, _ bool, args []string) {
	source := "sample"
	if len(args) > 1 {
		source = args[1]
	}
	good := index.Handler{Source: index.Sample{}}
	var handler http.Handler = good
	switch source {
	case "sample":
	case "html":
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, "<html><body><h1>Welcome to the orchard</h1><a href=\"/login\">log in</a></body></html>")
		})
	case "nothing":
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			conn, _, err := w.(http.Hijacker).Hijack()
			ts.Check(err)
			conn.Close()
		})
	case "html-only", "whole-files", "no-hashes":
		handler = plain(good, source, filepath.Join(ts.Getenv("WORK"), "whole-log"))
	case "dying": // it gives its pages and half of the second file, and is gone
		var files atomic.Int64
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if files.Load() < 2 && !strings.HasSuffix(r.URL.Path, ".whl") || strings.HasSuffix(r.URL.Path, ".whl") && files.Add(1) == 1 {
				good.ServeHTTP(w, r)
				return
			}
			if conn, _, err := w.(http.Hijacker).Hijack(); err == nil {
				conn.Close()
			}
		})
	case "garbage": // files and descriptions are other bytes than they should be
		handler = plain(good, "no-hashes", "")
		pages := handler
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if strings.Contains(r.URL.Path, ".whl") {
				_, _ = w.Write(bytes.Repeat([]byte("cider "), 1000))
				return
			}
			pages.ServeHTTP(w, r)
		})
	case "metadata-gone": // it announces descriptions that are not there, and gives hashes in capitals
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if strings.HasSuffix(r.URL.Path, ".metadata") {
				http.NotFound(w, r)
				return
			}
			rec := httptest.NewRecorder()
			good.ServeHTTP(rec, r)
			body := rec.Body.Bytes()
			if strings.Contains(rec.Header().Get("Content-Type"), "json") {
				body = regexp.MustCompile(`"[0-9a-f]{64}"`).ReplaceAllFunc(body, bytes.ToUpper)
			}
			replay(w, rec, body)
		})
	case "forbidding": // it does not give one name out
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if strings.Contains(r.URL.Path, "/thermo-win/") {
				http.Error(w, "not for you", http.StatusForbidden)
				return
			}
			good.ServeHTTP(w, r)
		})
	case "standings", "standings-html": // it says of some names what their standing is, and gives links that let one in
		handler = standings(good, source == "standings-html")
	case "uneven": // answers come in another order each time
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			time.Sleep(time.Duration(rand.IntN(30)) * time.Millisecond)
			good.ServeHTTP(w, r)
		})
	case "resting": // it asks to be left alone for an hour
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Retry-After", "3600")
			w.WriteHeader(http.StatusTooManyRequests)
		})
	case "flaky":
		handler = flaky(good)
	case "counted": // every body that is sent leaves a line in a file
		log := filepath.Join(ts.Getenv("WORK"), "bodies")
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			rec := httptest.NewRecorder()
			good.ServeHTTP(rec, r)
			if rec.Body.Len() > 0 && rec.Code == http.StatusOK {
				f, err := os.OpenFile(log, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
				ts.Check(err)
				fmt.Fprintln(f, r.URL.Path)
				f.Close()
			}
			replay(w, rec, rec.Body.Bytes())
		})
	case "altered": // every file comes with its last byte changed
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			rec := httptest.NewRecorder()
			good.ServeHTTP(rec, r)
			body := rec.Body.Bytes()
			if strings.HasSuffix(r.URL.Path, ".whl") && len(body) > 0 {
				body[len(body)-1] ^= 1
			}
			replay(w, rec, body)
		})
	case "longer", "other-sum", "loud", "endless", "listening":
		handler = hostile(ts, good, source)
	default:
		code, err := strconv.Atoi(source)
		ts.Check(err)
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { http.Error(w, "no", code) })
	}
	s := httptest.NewServer(handler)
	ts.Defer(s.Close)
	ts.Setenv(args[0], s.URL+"/simple/")
}

func replay(w http.ResponseWriter, rec *httptest.ResponseRecorder, body []byte) {
	for k, v := range rec.Header() {
		w.Header()[k] = v
	}
	w.WriteHeader(rec.Code)
	_, _ = w.Write(body)
}

// standings is an index that says of brixmeter that it is archived, of must-core that it is
// deprecated, and of frost-watch that it is quarantined; its links carry a token, without
// which it gives no file.
func standings(good http.Handler, html bool) http.Handler {
	says := map[string][2]string{"brixmeter": {"archived", "the press was sold"}, "must-core": {"deprecated", ""}, "frost-watch": {"quarantined", "it reads keys"}}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.Contains(r.URL.Path, "/files/") && r.URL.Query().Get("token") != "quince" {
			http.Error(w, "no", http.StatusForbidden)
			return
		}
		if html {
			r.Header.Set("Accept", "text/html")
		}
		rec := httptest.NewRecorder()
		good.ServeHTTP(rec, r)
		body := rec.Body.Bytes()
		kind := rec.Header().Get("Content-Type")
		if status, ok := says[path.Base(r.URL.Path)]; ok && strings.Contains(kind, "json") {
			body = bytes.Replace(body, []byte("{"), []byte(fmt.Sprintf(`{"project-status": {"status": %q, "reason": %q}, "alternate-locations": ["https://other.example/simple/"],`, status[0], status[1])), 1)
		} else if ok && strings.Contains(kind, "html") {
			body = bytes.Replace(body, []byte("<head>"), []byte(fmt.Sprintf(`<head><meta name="x:project-status" content=%q><meta name="x:project-status-reason" content=%q><meta name="x:tracks" content="https://other.example/simple/">`, status[0], status[1])), 1)
		}
		if strings.HasPrefix(r.URL.Path, "/publisher/") {
			rec = httptest.NewRecorder()
			body = []byte(`{"version": 1, "attestation_bundles": [{"publisher": {"kind": "Forge", "claims": null, "repository": "orchard/brixmeter", "workflow": "release.yml"}, "attestations": []}]}`)
		} else if strings.Contains(kind, "json") && path.Base(r.URL.Path) == "brixmeter" {
			body = regexp.MustCompile(`"filename": ?"`).ReplaceAll(body, []byte(`"provenance": "/publisher/brixmeter", $0`))
		} else if path.Base(r.URL.Path) == "brixmeter" {
			body = bytes.ReplaceAll(body, []byte("<a href="), []byte(`<a data-provenance="/publisher/brixmeter" href=`))
		}
		if strings.Contains(kind, "json") {
			body = regexp.MustCompile(`("url": ?"[^"#]*)`).ReplaceAll(body, []byte("${1}?token=quince"))
		} else if strings.Contains(kind, "html") {
			body = regexp.MustCompile(`(href="[^"#]*/files/[^"#]*)`).ReplaceAll(body, []byte("${1}?token=quince"))
		}
		rec.Header().Del("Content-Length")
		replay(w, rec, body)
	})
}

// plain is an index that speaks HTML alone and gives no separate metadata; one
// of "whole-files" gives no parts of files and keeps a log, one of "no-hashes"
// no hashes.
func plain(good http.Handler, kind, log string) http.Handler {
	attribute := regexp.MustCompile(` data-core-metadata="[^"]*"`)
	fragment := regexp.MustCompile(`#sha256=[0-9a-f]+`)
	var mu sync.Mutex
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, ".metadata") {
			http.NotFound(w, r)
			return
		}
		r.Header.Set("Accept", "text/html")
		if kind == "whole-files" {
			r.Header.Del("Range")
			mu.Lock()
			defer mu.Unlock()
			if f, err := os.OpenFile(log, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644); err == nil {
				fmt.Fprintln(f, r.URL.Path)
				f.Close()
			}
		}
		rec := httptest.NewRecorder()
		good.ServeHTTP(rec, r)
		body := rec.Body.Bytes()
		if strings.HasPrefix(rec.Header().Get("Content-Type"), "text/html") {
			body = attribute.ReplaceAll(body, nil)
			if kind == "no-hashes" {
				body = fragment.ReplaceAll(body, nil)
			}
			rec.Header().Del("Content-Length")
		}
		replay(w, rec, body)
	})
}

// flaky spoils every third answer of an index: by an error, by a body that is
// cut off, by a flipped byte, in turn.
func flaky(good http.Handler) http.Handler {
	var count atomic.Int64
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n := count.Add(1)
		rec := httptest.NewRecorder()
		good.ServeHTTP(rec, r)
		body := rec.Body.Bytes()
		switch {
		case n%3 != 0 || len(body) < 2:
		case n%9 == 3:
			http.Error(w, "not now", http.StatusServiceUnavailable)
			return
		case n%9 == 6:
			for k, v := range rec.Header() {
				w.Header()[k] = v
			}
			w.Header().Set("Content-Length", strconv.Itoa(len(body)))
			w.WriteHeader(rec.Code)
			_, _ = w.Write(body[:len(body)/2])
			if conn, _, err := w.(http.Hijacker).Hijack(); err == nil {
				conn.Close()
			}
			return
		default:
			body[int(n)*7919%len(body)] ^= 0x10
		}
		replay(w, rec, body)
	})
}

// snapshot writes one line for each file of a tree: its path, mode and hash. Of
// a link only that it is one, since where it leads depends on the machine, and of a jar's
// identity only that it has one.
func snapshot(ts *testscript.TestScript, _ bool, args []string) {
	var lines []string
	root := ts.MkAbs(args[1])
	ts.Check(filepath.WalkDir(root, func(p string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(root, p)
		if err != nil || e.IsDir() {
			return err
		}
		what := "link"
		if own := filepath.ToSlash(rel); own == "glassjar/base" || strings.HasPrefix(own, "glassjar/history/") || strings.Contains(own, "/__pycache__/") {
			return nil // what a jar has lived through is no part of what it holds, nor what is compiled in time
		} else if own == "glassjar/id" {
			what = "identity"
		} else if e.Type()&fs.ModeSymlink == 0 {
			data, err := os.ReadFile(p)
			if err != nil {
				return err
			}
			info, err := e.Info()
			if err != nil {
				return err
			}
			sum := sha256.Sum256(data)
			what = fmt.Sprintf("%v %s", info.Mode(), hex.EncodeToString(sum[:]))
		}
		lines = append(lines, filepath.ToSlash(rel)+" "+what)
		return nil
	}))
	slices.Sort(lines)
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(strings.Join(lines, "\n")+"\n"), 0o644))
}

// writeWheel puts the sample's wheels of one distribution into a folder; with
// "altered" a byte of each is changed.
func writeWheel(ts *testscript.TestScript, _ bool, args []string) {
	ts.Check(os.MkdirAll(ts.MkAbs(args[0]), 0o755))
	for _, f := range sample.Files(args[1]) {
		data := bytes.Clone(f.Data)
		if len(args) > 2 && args[2] == "altered" {
			data[len(data)/2] ^= 1
		}
		ts.Check(os.WriteFile(filepath.Join(ts.MkAbs(args[0]), f.Name), data, 0o644))
	}
}

// hasKeys looks at the JSON that the last command printed: the value at a path,
// or the whole where the first word is a key of it, has all the keys given.
func hasKeys(ts *testscript.TestScript, neg bool, args []string) {
	var value any
	ts.Check(json.Unmarshal([]byte(ts.ReadFile("stdout")), &value))
	at := func(v any, path string) (any, bool) {
		for _, step := range strings.Split(path, ".") {
			switch here := v.(type) {
			case map[string]any:
				next, ok := here[step]
				if !ok {
					return nil, false
				}
				v = next
			case []any:
				n, err := strconv.Atoi(step)
				if err != nil || n >= len(here) {
					return nil, false
				}
				v = here[n]
			default:
				return nil, false
			}
		}
		return v, true
	}
	if inner, ok := at(value, args[0]); ok && len(args) > 1 {
		if _, object := inner.(map[string]any); object {
			value, args = inner, args[1:]
		}
	}
	for _, key := range args {
		if _, ok := at(value, key); ok == neg {
			ts.Fatalf("key %s: %t", key, ok)
		}
	}
}

// waitFor waits until another process has written a line to a file.
func waitFor(ts *testscript.TestScript, _ bool, args []string) {
	for range 1000 {
		if data, err := os.ReadFile(ts.MkAbs(args[0])); err == nil && bytes.HasSuffix(data, []byte("\n")) {
			ts.Setenv("LINE", strings.TrimSpace(strings.SplitN(string(data), "\n", 2)[0]))
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	ts.Fatalf("nothing came to %s", args[0])
}

func exists(file string) bool { _, err := os.Stat(file); return err == nil }
