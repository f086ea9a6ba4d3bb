package drive

import (
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"strings"

	"github.com/rogpeppe/go-internal/testscript"

	"glassjar/core/index"
)

// hostile are indexes that do harm, or try to.
var hostile = map[string]kind{
	// Its files are longer than it says.
	"longer": changing(func(r *http.Request, _ *httptest.ResponseRecorder, body []byte) []byte {
		if strings.HasSuffix(r.URL.Path, ".whl") {
			body = append(body, bytes.Repeat([]byte("cider "), 1000)...)
		}
		return body
	}),
	// It gives each file a wrong hash besides the right one.
	"other-sum": changing(func(_ *http.Request, rec *httptest.ResponseRecorder, body []byte) []byte {
		if isJSON(rec) {
			body = regexp.MustCompile(`"hashes": ?\{`).ReplaceAll(body, []byte(`"hashes":{"sha512":"`+strings.Repeat("ab", 64)+`",`))
		}
		return body
	}),
	// Its errors are for a terminal.
	"loud": answering(func(w http.ResponseWriter, _ *http.Request, _ http.Handler) {
		w.WriteHeader(http.StatusTeapot)
		fmt.Fprint(w, strings.Repeat("\x1b]52;c;QQ==\x07\x1b[2J\u009b2J\u202eno\n", 500))
	}),
	// Its pages do not end.
	"endless": answering(func(w http.ResponseWriter, r *http.Request, _ http.Handler) {
		w.Header().Set("Content-Type", index.TypeJSON)
		fmt.Fprint(w, `{"meta":{"api-version":"1.0"},"files":[`)
		for r.Context().Err() == nil {
			if _, err := w.Write(bytes.Repeat([]byte(" "), 1<<16)); err != nil {
				return
			}
		}
	}),
	// It sends on to another port, and both write down what they are told.
	"listening": func(ts *testscript.TestScript, good index.Handler) http.Handler {
		log := filepath.Join(ts.Getenv("WORK"), "heard")
		hear := func(who string, r *http.Request) {
			addLine(log, fmt.Sprintf("%s %q %s", who, r.Header.Get("Authorization"), r.Header.Get("Cookie")))
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
	},
}
