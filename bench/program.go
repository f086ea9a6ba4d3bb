package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
)

// bed is where the built program runs: a temporary folder with a home of its
// own.
type bed struct {
	dir, program string
}

// made is the folder of the bed, empty until there is one.
var made string

// newBed builds the program as it ships.
var newBed = sync.OnceValues(func() (*bed, error) {
	dir, err := os.MkdirTemp("", "glassjar-bench-")
	if err != nil {
		return nil, err
	}
	made = dir
	b := &bed{dir: dir, program: filepath.Join(dir, "glassjar")}
	build := exec.Command("go", "build", "-o", b.program, "./cmd/glassjar")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("%w: %s", err, out)
	}
	return b, nil
})

// run runs the program in a folder of the bed, which is made if need be.
func (b *bed) run(in string, args ...string) error {
	return b.command(in, b.program, args...)
}

func (b *bed) command(in, program string, args ...string) error {
	dir := filepath.Join(b.dir, in)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	cmd.Env = append(os.Environ(), "GLASSJAR_HOME="+filepath.Join(b.dir, "home"))
	out, err := cmd.CombinedOutput()
	if err != nil {
		return fmt.Errorf("%s %s: %w: %s", filepath.Base(program), strings.Join(args, " "), err, bytes.TrimSpace(out))
	}
	return nil
}

// manyNames is how many names the largest public index has, about.
const manyNames = 600_000

// searching measures a search on an index of many names, these being cached; the
// limit is another program's look through the same names.
func searching() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	type project struct {
		Name string `json:"name"`
	}
	words := []string{"press", "cider", "orchard", "must", "barrel", "graft", "scion", "perry", "quince", "medlar", "ledger", "season"}
	list := make([]project, manyNames)
	for i := range list {
		list[i].Name = fmt.Sprintf("%s-%s-%s%d", words[i%12], words[i/12%12], words[i/144%12], i/1728)
	}
	page, err := json.Marshal(map[string]any{"meta": map[string]string{"api-version": "1.1"}, "projects": list})
	if err != nil {
		return nil, err
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/simple/" {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "application/vnd.pypi.simple.v1+json")
		_, _ = w.Write(page)
	}))
	for _, args := range [][]string{{"index", "add", "many", server.URL + "/simple/", "--project"}, {"search", "quince"}} {
		if err := b.run("search", args...); err != nil {
			return nil, err
		}
	}
	kept, err := filepath.Glob(filepath.Join(b.dir, "home", "cache", "http", "names", "*.txt"))
	if err != nil || len(kept) != 1 {
		return nil, fmt.Errorf("the names were not kept: %v %w", kept, err)
	}
	return []work{{
		name: "search 600,000 names, cached", promise: "under 200 ms; the limit is grep",
		ours:  func() error { return b.run("search", "search", "quince-press") },
		limit: func() error { return b.command("search", "grep", "-c", "quince-press", kept[0]) },
	}}, nil
}
