package drive

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"github.com/rogpeppe/go-internal/testscript"

	"glassjar/core/index"
)

// serveIndex starts a server that lives as long as the script.
func serveIndex(ts *testscript.TestScript, _ bool, args []string) {
	source := "sample"
	if len(args) > 1 {
		source = args[1]
	}
	good := index.Handler{Source: index.Sample{}}
	var handler http.Handler = good
	with := indexes[source]
	if with == nil {
		with = hostile[source]
	}
	if with != nil {
		handler = with(ts, good)
	} else if source != "sample" {
		code, err := strconv.Atoi(source)
		ts.Check(err)
		handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { http.Error(w, "no", code) })
	}
	s := httptest.NewServer(handler)
	ts.Defer(s.Close)
	ts.Setenv(args[0], s.URL+"/simple/")
}

// kind makes an index of one that serves the sample as it should.
type kind func(ts *testscript.TestScript, good index.Handler) http.Handler

// indexes are what a script can have an index be, besides those that are [hostile]. A number is one
// that answers all with that code.
var indexes = map[string]kind{
	"html": answering(func(w http.ResponseWriter, _ *http.Request, _ http.Handler) {
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<html><body><h1>Welcome to the orchard</h1><a href=\"/login\">log in</a></body></html>")
	}),
	"nothing":   answering(func(w http.ResponseWriter, _ *http.Request, _ http.Handler) { hangUp(w) }),
	"html-only": func(_ *testscript.TestScript, good index.Handler) http.Handler { return plain(good, true, "") },
	"no-hashes": func(_ *testscript.TestScript, good index.Handler) http.Handler { return plain(good, false, "") },
	"whole-files": func(ts *testscript.TestScript, good index.Handler) http.Handler {
		return plain(good, true, filepath.Join(ts.Getenv("WORK"), "whole-log"))
	},
	// It gives its pages and half of the second file, and is gone.
	"dying": func(_ *testscript.TestScript, good index.Handler) http.Handler {
		var files atomic.Int64
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if files.Load() < 2 && !strings.HasSuffix(r.URL.Path, ".whl") || strings.HasSuffix(r.URL.Path, ".whl") && files.Add(1) == 1 {
				good.ServeHTTP(w, r)
				return
			}
			hangUp(w)
		})
	},
	// Files and descriptions are other bytes than they should be.
	"garbage": func(_ *testscript.TestScript, good index.Handler) http.Handler {
		pages := plain(good, false, "")
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if strings.Contains(r.URL.Path, ".whl") {
				_, _ = w.Write(bytes.Repeat([]byte("cider "), 1000))
				return
			}
			pages.ServeHTTP(w, r)
		})
	},
	// It announces descriptions that are not there, and gives hashes in capitals.
	"metadata-gone": answering(func(w http.ResponseWriter, r *http.Request, good http.Handler) {
		if strings.HasSuffix(r.URL.Path, ".metadata") {
			http.NotFound(w, r)
			return
		}
		rec, body := recorded(good, r)
		if isJSON(rec) {
			body = regexp.MustCompile(`"[0-9a-f]{64}"`).ReplaceAllFunc(body, bytes.ToUpper)
		}
		replay(w, rec, body)
	}),
	// It does not give one name out.
	"forbidding": answering(func(w http.ResponseWriter, r *http.Request, good http.Handler) {
		if strings.Contains(r.URL.Path, "/thermo-win/") {
			http.Error(w, "not for you", http.StatusForbidden)
			return
		}
		good.ServeHTTP(w, r)
	}),
	// It says of some names what their standing is, and gives links that let one in.
	"standings":      func(_ *testscript.TestScript, good index.Handler) http.Handler { return standings(good, false) },
	"standings-html": func(_ *testscript.TestScript, good index.Handler) http.Handler { return standings(good, true) },
	// Answers come in another order each time.
	"uneven": answering(func(w http.ResponseWriter, r *http.Request, good http.Handler) {
		time.Sleep(time.Duration(rand.IntN(30)) * time.Millisecond)
		good.ServeHTTP(w, r)
	}),
	// It asks to be left alone for an hour.
	"resting": answering(func(w http.ResponseWriter, _ *http.Request, _ http.Handler) {
		w.Header().Set("Retry-After", "3600")
		w.WriteHeader(http.StatusTooManyRequests)
	}),
	"flaky": func(_ *testscript.TestScript, good index.Handler) http.Handler { return flaky(good) },
	// Every body that is sent leaves a line in a file.
	"counted": func(ts *testscript.TestScript, good index.Handler) http.Handler {
		log := filepath.Join(ts.Getenv("WORK"), "bodies")
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			rec, body := recorded(good, r)
			if len(body) > 0 && rec.Code == http.StatusOK {
				addLine(log, r.URL.Path)
			}
			replay(w, rec, body)
		})
	},
	// Every file comes with its last byte changed.
	"altered": changing(func(r *http.Request, _ *httptest.ResponseRecorder, body []byte) []byte {
		if strings.HasSuffix(r.URL.Path, ".whl") && len(body) > 0 {
			body[len(body)-1] ^= 1
		}
		return body
	}),
}

// answering is an index that needs to know nothing but what is asked for.
func answering(answer func(w http.ResponseWriter, r *http.Request, good http.Handler)) kind {
	return func(_ *testscript.TestScript, good index.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { answer(w, r, good) })
	}
}

// changing is an index whose answers are changed.
func changing(change func(r *http.Request, rec *httptest.ResponseRecorder, body []byte) []byte) kind {
	return answering(func(w http.ResponseWriter, r *http.Request, good http.Handler) {
		rec, body := recorded(good, r)
		body = change(r, rec, body)
		rec.Header().Del("Content-Length")
		replay(w, rec, body)
	})
}

// isJSON reports whether an answer is a page of JSON.
func isJSON(rec *httptest.ResponseRecorder) bool {
	return strings.Contains(rec.Header().Get("Content-Type"), "json")
}

// hangUp ends a connection without an answer.
func hangUp(w http.ResponseWriter) {
	if conn, _, err := w.(http.Hijacker).Hijack(); err == nil {
		conn.Close()
	}
}

// addLine adds a line to a log; one that cannot be written is missed by who reads it.
func addLine(log, line string) {
	if f, err := os.OpenFile(log, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644); err == nil {
		fmt.Fprintln(f, line)
		f.Close()
	}
}

// recorded is what a handler answers.
func recorded(h http.Handler, r *http.Request) (*httptest.ResponseRecorder, []byte) {
	rec := httptest.NewRecorder()
	h.ServeHTTP(rec, r)
	return rec, rec.Body.Bytes()
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
func standings(good http.Handler, plain bool) http.Handler {
	says := map[string][2]string{"brixmeter": {"archived", "the press was sold"}, "must-core": {"deprecated", ""}, "frost-watch": {"quarantined", "it reads keys"}}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.Contains(r.URL.Path, "/files/") && r.URL.Query().Get("token") != "quince" {
			http.Error(w, "no", http.StatusForbidden)
			return
		}
		if plain {
			r.Header.Set("Accept", "text/html")
		}
		rec, body := recorded(good, r)
		html, json := strings.Contains(rec.Header().Get("Content-Type"), "html"), isJSON(rec)
		if status, ok := says[path.Base(r.URL.Path)]; ok && json {
			body = bytes.Replace(body, []byte("{"), []byte(fmt.Sprintf(`{"project-status": {"status": %q, "reason": %q}, "alternate-locations": ["https://other.example/simple/"],`, status[0], status[1])), 1)
		} else if ok && html {
			body = bytes.Replace(body, []byte("<head>"), []byte(fmt.Sprintf(`<head><meta name="x:project-status" content=%q><meta name="x:project-status-reason" content=%q><meta name="x:tracks" content="https://other.example/simple/">`, status[0], status[1])), 1)
		}
		if strings.HasPrefix(r.URL.Path, "/publisher/") {
			rec = httptest.NewRecorder()
			body = []byte(`{"version": 1, "attestation_bundles": [{"publisher": {"kind": "Forge", "claims": null, "repository": "orchard/brixmeter", "workflow": "release.yml"}, "attestations": []}]}`)
		} else if json && path.Base(r.URL.Path) == "brixmeter" {
			body = regexp.MustCompile(`"filename": ?"`).ReplaceAll(body, []byte(`"provenance": "/publisher/brixmeter", $0`))
		} else if path.Base(r.URL.Path) == "brixmeter" {
			body = bytes.ReplaceAll(body, []byte("<a href="), []byte(`<a data-provenance="/publisher/brixmeter" href=`))
		}
		if json {
			body = regexp.MustCompile(`("url": ?"[^"#]*)`).ReplaceAll(body, []byte("${1}?token=quince"))
		} else if html {
			body = regexp.MustCompile(`(href="[^"#]*/files/[^"#]*)`).ReplaceAll(body, []byte("${1}?token=quince"))
		}
		rec.Header().Del("Content-Length")
		replay(w, rec, body)
	})
}

// plain is an index that speaks HTML alone and gives no separate metadata, and hashes only if it is
// said. With a log it gives no parts of files, and notes what it is asked for.
func plain(good http.Handler, hashes bool, log string) http.Handler {
	attribute := regexp.MustCompile(` data-core-metadata="[^"]*"`)
	fragment := regexp.MustCompile(`#sha256=[0-9a-f]+`)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasSuffix(r.URL.Path, ".metadata") {
			http.NotFound(w, r)
			return
		}
		r.Header.Set("Accept", "text/html")
		if log != "" {
			r.Header.Del("Range")
			addLine(log, r.URL.Path)
		}
		rec, body := recorded(good, r)
		if strings.HasPrefix(rec.Header().Get("Content-Type"), "text/html") {
			body = attribute.ReplaceAll(body, nil)
			if !hashes {
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
		rec, body := recorded(good, r)
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
			hangUp(w)
			return
		default:
			body[int(n)*7919%len(body)] ^= 0x10
		}
		replay(w, rec, body)
	})
}
