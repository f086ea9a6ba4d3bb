package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"glassjar/core/digest"
)

// bed is where the built program runs: a temporary folder with a home of its
// own.
type bed struct {
	dir, program string
	// python is the folder of the interpreter that a jar here gets. It comes first on PATH: what
	// does may be a script that stands in for one, and takes longer than all the rest to say which.
	python string
	// nothing is a program that does nothing.
	nothing string
	// home is the program's, in the folder unless set.
	home string
	// count numbers what must be new each time; memory is the most that a run of
	// the program took, in bytes.
	count  int
	memory int64
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
	b := &bed{dir: dir, program: filepath.Join(dir, "glassjar"), nothing: filepath.Join(dir, "nothing")}
	if err := installed(b.program, "./cmd/glassjar"); err != nil {
		return nil, err
	}
	if err := os.WriteFile(b.nothing+".go", []byte("package main\n\nfunc main() {}\n"), 0o644); err != nil {
		return nil, err
	}
	if err := installed(b.nothing, b.nothing+".go"); err != nil {
		return nil, err
	}
	if err := b.run("python", "create"); err != nil {
		return nil, err
	}
	python, err := os.Readlink(filepath.Join(dir, "python", ".jar", "bin", "python"))
	b.python = filepath.Dir(python)
	return b, err
})

// installed builds a program and copies it, as an installation does: what the linker has just
// written lies in the page cache in smaller pieces, and takes longer to start.
func installed(program, from string) error {
	linked := program + "-linked"
	build := exec.Command("go", "build", "-o", linked, from)
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	data, err := os.ReadFile(linked)
	if err != nil {
		return err
	}
	if err := os.Remove(linked); err != nil {
		return err
	}
	return os.WriteFile(program, data, 0o755)
}

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
	home := b.home
	if home == "" {
		home = filepath.Join(b.dir, "home")
	}
	cmd.Env = append(os.Environ(), "GLASSJAR_HOME="+home, "PYTHONDONTWRITEBYTECODE=")
	if b.python != "" {
		cmd.Env = append(cmd.Env, "PATH="+b.python+string(os.PathListSeparator)+os.Getenv("PATH"))
	}
	// A pipe would be held open by what goes on in the background.
	said, err := os.CreateTemp(b.dir, "said-")
	if err != nil {
		return err
	}
	defer said.Close()
	defer os.Remove(said.Name())
	cmd.Stdout, cmd.Stderr = said, said
	if err := cmd.Start(); err != nil {
		return err
	}
	ended := make(chan bool)
	go b.watch(cmd.Process.Pid, program == b.program, ended) // both sides: it takes time from either
	err = cmd.Wait()
	close(ended)
	out, _ := os.ReadFile(said.Name())
	if err != nil {
		return fmt.Errorf("%s %s: %w: %s", filepath.Base(program), strings.Join(args, " "), err, bytes.TrimSpace(out[max(0, len(out)-1000):]))
	}
	return nil
}

// watch looks at the most memory that a process has had, and notes it of ours. What the system
// says once it has ended would be at least what this program has. It is not looked at in the first
// moments: a look would be a good part of what a short run takes.
func (b *bed) watch(pid int, ours bool, ended chan bool) {
	tick := time.NewTicker(40 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-ended:
			return
		case <-tick.C:
		}
		text, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid)) // none on other systems
		if _, rest, ok := strings.Cut(string(text), "VmHWM:"); ok {
			var kB int64
			if _, err := fmt.Sscan(rest, &kB); err == nil && ours {
				b.memory = max(b.memory, kB<<10)
			}
		}
	}
}

// timed is what counts of a run that has more to do.
func (b *bed) timed(f func() error) error {
	start := time.Now()
	err := f()
	counted += time.Since(start)
	return err
}

// somebody is a user with an empty home, in a fresh folder.
func (b *bed) somebody(name string) (own *bed, in string) {
	in = filepath.Base(b.fresh(name))
	return b.withHome(filepath.Join(b.dir, in, "home")), in
}

// withHome is the bed of another user.
func (b *bed) withHome(home string) *bed {
	return &bed{dir: b.dir, program: b.program, python: b.python, home: home}
}

// with runs the program for another user, and notes here what memory it took.
func (b *bed) with(own *bed, in string, args ...string) error {
	err := own.run(in, args...)
	b.memory = max(b.memory, own.memory)
	return err
}

var sums sync.Map

// sum is a file's SHA-256, worked out once.
func (b *bed) sum(file string) string {
	if have, ok := sums.Load(file); ok {
		return have.(string)
	}
	sum, _ := digest.OfFile(context.Background(), file) // the file is the bench's own
	sums.Store(file, sum)
	return sum
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
	slow := &slowly{next: time.Now()}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/vnd.pypi.simple.v1+json")
		switch r.URL.Path {
		case "/simple/":
			_, _ = w.Write(page)
		case "/slow/":
			slow.send(w, bytes.NewReader(page))
		default:
			http.NotFound(w, r)
		}
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
	wide, err := largePage()
	return []work{{
		name: "search 600,000 names, cached", words: "grep; ours under 200 ms",
		ours:  func() error { return b.run("search", "search", "quince-press") },
		limit: func() error { return b.command("search", "grep", "-c", "quince-press", kept[0]) },
	}, {
		name: "search 600,000 names, first seen, at 20 MB/s", promise: 1.3, words: "one transfer of the list",
		ours:  b.firstSearch(server.URL + "/slow/"),
		limit: transfer(server.URL + "/slow/"),
	}, wide}, err
}

// firstSearch looks for a name in an index that was never asked before.
func (b *bed) firstSearch(index string) func() error {
	return func() error {
		own, in := b.somebody("names")
		if err := own.run(in, "index", "add", "many", index, "--project"); err != nil {
			return err
		}
		return b.timed(func() error { return b.with(own, in, "search", "quince-press") })
	}
}
