package interpreter

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"sync"
	"time"
)

// Cache keeps what interpreters said, by the identity of their files. A nil
// Cache keeps nothing. It is safe for several goroutines, and for several
// processes as far as each one's answers go: the last to write wins, and
// what is lost is asked again.
type Cache struct {
	file    string
	mu      sync.Mutex
	entries map[string]entry
	changed bool
}

type entry struct {
	In       *Interpreter `json:"in,omitempty"`
	Rejected string       `json:"rejected,omitempty"`
	// Until ends the life of a stand-in's answer, which may come to differ
	// without any change of the script; 0 for real interpreters.
	Until int64 `json:"until,omitempty"`
}

// standInLife is how long a stand-in's answer is believed.
const standInLife = 5 * time.Minute

// cacheFormat is part of every key: another probe, other answers.
var cacheFormat = func() string {
	sum := sha256.Sum256([]byte(probe))
	return hex.EncodeToString(sum[:6])
}()

// OpenCache is the cache in a file, which is read when it is first needed; one
// that is missing or damaged is empty.
func OpenCache(file string) *Cache { return &Cache{file: file} }

// load reads the file, once. The lock is held.
func (c *Cache) load() {
	if c.entries != nil {
		return
	}
	if data, err := os.ReadFile(c.file); err != nil || json.Unmarshal(data, &c.entries) != nil || c.entries == nil {
		c.entries = map[string]entry{}
	}
}

func key(path string, info fs.FileInfo) (string, bool) {
	k := fmt.Sprintf("%s|%s|%d|%d|%s", cacheFormat, path, info.Size(), info.ModTime().UnixNano(), identity(info))
	if !isScript(path) {
		return k, false
	}
	// A stand-in looks at the folder it is called in and at variables.
	var env []string
	for _, v := range os.Environ() {
		name, _, _ := strings.Cut(v, "=")
		if name == "PATH" || strings.Contains(name, "VERSION") || strings.Contains(name, "PYTHON") {
			env = append(env, v)
		}
	}
	sort.Strings(env)
	sum := sha256.Sum256([]byte(workingFolder() + "\x00" + strings.Join(env, "\x00")))
	return k + "|" + hex.EncodeToString(sum[:8]), true
}

func (c *Cache) get(path string, info fs.FileInfo) (Interpreter, error, bool) {
	if c == nil {
		return Interpreter{}, nil, false
	}
	k, _ := key(path, info)
	c.mu.Lock()
	defer c.mu.Unlock()
	c.load()
	e, ok := c.entries[k]
	switch {
	case !ok || e.Until != 0 && time.Now().Unix() > e.Until:
		return Interpreter{}, nil, false
	case e.In == nil:
		return Interpreter{}, Rejection{path, e.Rejected}, true
	}
	if _, err := os.Stat(e.In.Path); err != nil {
		return Interpreter{}, nil, false
	}
	return *e.In, nil, true
}

func (c *Cache) put(path string, info fs.FileInfo, in Interpreter, err error) {
	if c == nil {
		return
	}
	k, standIn := key(path, info)
	var e entry
	if standIn {
		e.Until = time.Now().Add(standInLife).Unix()
	}
	if r, ok := err.(Rejection); ok {
		e.Rejected = r.Why
		// A failure may be of the moment: it is not believed for long.
		e.Until = time.Now().Add(standInLife).Unix()
	} else {
		e.In = &in
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.load()
	c.entries[k] = e
	c.changed = true
}

// Save writes the cache where something was learned. That it cannot be written
// costs time, no more, so there is no error.
func (c *Cache) Save() {
	if c == nil {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if !c.changed {
		return
	}
	now := time.Now().Unix()
	for k, e := range c.entries {
		if e.Until != 0 && e.Until < now || !strings.HasPrefix(k, cacheFormat) {
			delete(c.entries, k)
		}
	}
	data, err := json.Marshal(c.entries)
	if err != nil || os.MkdirAll(filepath.Dir(c.file), 0o755) != nil {
		return
	}
	tmp, err := os.CreateTemp(filepath.Dir(c.file), ".pythons-")
	if err != nil {
		return
	}
	_, err = tmp.Write(data)
	if err2 := tmp.Close(); err != nil || err2 != nil || os.Rename(tmp.Name(), c.file) != nil {
		os.Remove(tmp.Name())
		return
	}
	c.changed = false
}
