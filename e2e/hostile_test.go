package e2e

import (
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"github.com/rogpeppe/go-internal/testscript"

	"glassjar/core/index"
)

// hostile is an index that does harm, or tries to.
func hostile(ts *testscript.TestScript, good index.Handler, how string) http.Handler {
	changed := func(change func(r *http.Request, rec *httptest.ResponseRecorder, body []byte) []byte) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			rec := httptest.NewRecorder()
			good.ServeHTTP(rec, r)
			body := change(r, rec, rec.Body.Bytes())
			rec.Header().Del("Content-Length")
			replay(w, rec, body)
		})
	}
	page := func(rec *httptest.ResponseRecorder) bool {
		return strings.Contains(rec.Header().Get("Content-Type"), "json")
	}
	switch how {
	case "longer": // its files are longer than it says
		return changed(func(r *http.Request, _ *httptest.ResponseRecorder, body []byte) []byte {
			if strings.HasSuffix(r.URL.Path, ".whl") {
				body = append(body, bytes.Repeat([]byte("cider "), 1000)...)
			}
			return body
		})
	case "other-sum": // it gives each file a wrong hash besides the right one
		return changed(func(_ *http.Request, rec *httptest.ResponseRecorder, body []byte) []byte {
			if page(rec) {
				body = regexp.MustCompile(`"hashes": ?\{`).ReplaceAll(body, []byte(`"hashes":{"sha512":"`+strings.Repeat("ab", 64)+`",`))
			}
			return body
		})
	case "loud": // its errors are for a terminal
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.WriteHeader(http.StatusTeapot)
			fmt.Fprint(w, strings.Repeat("\x1b]52;c;QQ==\x07\x1b[2J\u009b2J\u202eno\n", 500))
		})
	case "endless": // its pages do not end
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Type", index.TypeJSON)
			fmt.Fprint(w, `{"meta":{"api-version":"1.0"},"files":[`)
			for r.Context().Err() == nil {
				if _, err := w.Write(bytes.Repeat([]byte(" "), 1<<16)); err != nil {
					return
				}
			}
		})
	case "listening": // it sends on to another port, and both write down what they are told
		log := filepath.Join(ts.Getenv("WORK"), "heard")
		hear := func(who string, r *http.Request) {
			f, err := os.OpenFile(log, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
			ts.Check(err)
			fmt.Fprintf(f, "%s %q %s\n", who, r.Header.Get("Authorization"), r.Header.Get("Cookie"))
			f.Close()
		}
		other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			hear("other", r)
			good.ServeHTTP(w, r)
		}))
		ts.Defer(other.Close)
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			hear("first", r)
			if _, _, ok := r.BasicAuth(); !ok {
				http.Error(w, "who?", http.StatusUnauthorized)
				return
			}
			http.Redirect(w, r, other.URL+r.URL.Path, http.StatusFound)
		})
	}
	return nil
}
