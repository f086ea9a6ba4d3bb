// Package farindex is an index that is far away, for tests and the bench: each answer takes a
// round trip, and it counts what is asked and how many questions waited for one another.
package farindex

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"glassjar/core/version"
	"glassjar/core/wheel"
)

// Index answers over HTTP, as the simple repository API says.
type Index struct {
	// RoundTrip is how long each answer takes; Delay, if set, decides for each.
	RoundTrip time.Duration
	Delay     func() time.Duration
	// Plain gives metadata without its hash.
	Plain bool
	// Private, if set, says which names are in an index of their own, at /private/ instead of
	// /simple/. Each of both gives the list of its names.
	Private func(name string) bool
	// Watch, if set, is told of each question, by its path.
	Watch func(path string)

	mu      sync.Mutex
	answers map[string][]byte
	files   map[string][]map[string]any // by name
	asked   []question
}

// question is one that was asked, with when it came and was answered.
type question struct {
	path       string
	came, gone time.Time
}

// New makes an index that has nothing yet.
func New() *Index { return &Index{answers: map[string][]byte{}, files: map[string][]map[string]any{}} }

// Add offers a wheel of a distribution with one module. Lines are of its metadata.
func (x *Index) Add(name, v, tag string, lines ...string) error {
	about := fmt.Appendf(nil, "Metadata-Version: 2.1\nName: %s\nVersion: %s\n", name, v)
	for _, line := range lines {
		about = fmt.Appendf(about, "%s\n", line)
	}
	var b bytes.Buffer
	if err := wheel.Write(&b, wheel.Spec{Name: name, Version: version.MustParse(v), Tag: tag, Metadata: about, Files: []wheel.File{{Path: name + ".py", Data: []byte("X = 1\n")}}}); err != nil {
		return err
	}
	file := fmt.Sprintf("%s-%s-%s.whl", name, v, tag)
	x.mu.Lock()
	defer x.mu.Unlock()
	x.answers["/files/"+file], x.answers["/files/"+file+".metadata"] = b.Bytes(), about
	one := map[string]any{"filename": file, "url": "/files/" + file, "size": b.Len(), "hashes": sum(b.Bytes()), "core-metadata": sum(about)}
	if x.Plain {
		one["core-metadata"] = true
	}
	x.files[name] = append(x.files[name], one)
	var err error
	x.answers["/simple/"+name+"/"], err = json.Marshal(map[string]any{"meta": map[string]string{"api-version": "1.0"}, "name": name, "files": x.files[name]})
	return err
}

func sum(data []byte) map[string]string {
	s := sha256.Sum256(data)
	return map[string]string{"sha256": hex.EncodeToString(s[:])}
}

// Shape of what [Index.Grow] adds.
const (
	Depth         = 6
	Distributions = 60
)

// Grow adds far0 to far59, six deep, of which each fourth has a wheel for each of four platforms
// and seven Pythons, and the others one for all. far0 to far3 need all others.
func (x *Index) Grow() error {
	levels := [Depth][]int{{0, 1, 2, 3}}
	for n := 4; n < Distributions; n++ {
		l := min(1+(n-4)/11, Depth-1)
		levels[l] = append(levels[l], n)
	}
	var marks []string
	for minor := 8; minor < 15; minor++ {
		for _, platform := range []string{"manylinux_2_17_x86_64", "manylinux_2_17_aarch64", "macosx_11_0_arm64", "win_amd64"} {
			marks = append(marks, fmt.Sprintf("cp3%d-cp3%d-%s", minor, minor, platform))
		}
	}
	for l, level := range levels {
		for k, one := range level {
			var needs []string
			for i := k; l+1 < Depth && i < len(levels[l+1]); i += len(level) {
				needs = append(needs, fmt.Sprintf("Requires-Dist: far%d", levels[l+1][i]))
			}
			tags := marks
			if one%4 != 0 {
				tags = []string{"py3-none-any"}
			}
			for _, tag := range tags {
				if err := x.Add(fmt.Sprintf("far%d", one), "1.0", tag, needs...); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func (x *Index) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	came := time.Now()
	if x.Watch != nil {
		x.Watch(r.URL.Path)
	}
	wait := x.RoundTrip
	if x.Delay != nil {
		wait = x.Delay()
	}
	time.Sleep(wait)
	x.mu.Lock()
	data, ok := x.answer(r.URL.Path)
	x.asked = append(x.asked, question{r.URL.Path, came, time.Now()})
	x.mu.Unlock()
	if !ok {
		http.NotFound(w, r)
		return
	}
	if isPage(r.URL.Path) {
		w.Header().Set("Content-Type", "application/vnd.pypi.simple.v1+json")
	}
	_, _ = w.Write(data) // who asks may be gone
}

func isPage(path string) bool {
	return strings.HasPrefix(path, "/simple/") || strings.HasPrefix(path, "/private/")
}

// answer is what stands at a path.
func (x *Index) answer(path string) ([]byte, bool) {
	name, private := strings.CutPrefix(path, "/private/")
	name, public := strings.CutPrefix(name, "/simple/")
	if x.Private == nil || !private && !public {
		data, ok := x.answers[path]
		return data, ok
	}
	if name != "" {
		name = strings.TrimSuffix(name, "/")
		data, ok := x.answers["/simple/"+name+"/"]
		return data, ok && x.Private(name) == private
	}
	var names []map[string]string
	for name := range x.files {
		if x.Private(name) == private {
			names = append(names, map[string]string{"name": name})
		}
	}
	data, err := json.Marshal(map[string]any{"meta": map[string]string{"api-version": "1.0"}, "projects": names})
	return data, err == nil
}

// Asked is what was asked since the last call: pages, metadata and files, the longest
// sequence of questions that waited for one another, and how many files were asked for before
// the last page or metadata was.
type Asked struct{ Pages, Metadata, Files, Longest, Early int }

// All is how many questions there were.
func (a Asked) All() int { return a.Pages + a.Metadata + a.Files }

// Asked tells, and counts from nothing again.
func (x *Index) Asked() (out Asked) {
	x.mu.Lock()
	defer x.mu.Unlock()
	chains := make([]int, len(x.asked)) // they are in the order in which they were answered
	for i, q := range x.asked {
		switch {
		case isPage(q.path):
			out.Pages++
			out.Early = out.Files
		case strings.HasSuffix(q.path, ".metadata"):
			out.Metadata++
			out.Early = out.Files
		default:
			out.Files++
		}
		chains[i] = 1
		for j := range i {
			if !x.asked[j].gone.After(q.came) {
				chains[i] = max(chains[i], chains[j]+1)
			}
		}
		out.Longest = max(out.Longest, chains[i])
	}
	x.asked = nil
	return out
}
