package interpreter

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"sort"
	"strings"
	"sync"
	"time"

	"glassjar/core/internal/keptmap"
)

// Cache keeps what interpreters said, by the identity of their files. A nil
// Cache keeps nothing. It is safe for several goroutines and several processes. An
// interpreter that could not be asked for a reason that may pass is not in it.
type Cache struct {
	file    string
	mu      sync.Mutex
	entries map[string]entry
	// learned are those that this process asked for itself.
	learned map[string]entry
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
	if c.entries == nil {
		c.entries, c.learned = keptmap.Read[entry](c.file), map[string]entry{}
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
		return Interpreter{}, Rejection{Path: path, Why: e.Rejected}, true
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
		if r.Passing {
			return
		}
		e.Rejected = r.Why
		// A failure may be of the moment: it is not believed for long.
		e.Until = time.Now().Add(standInLife).Unix()
	} else {
		e.In = &in
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.load()
	c.entries[k], c.learned[k] = e, e
}

// Save writes the cache where something was learned. That it cannot be written
// costs time, no more, so there is no error.
func (c *Cache) Save() {
	if c == nil {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.learned) == 0 {
		return
	}
	now := time.Now().Unix()
	if keptmap.Add(c.file, c.learned, func(k string, e entry) bool {
		return e.Until != 0 && e.Until < now || !strings.HasPrefix(k, cacheFormat)
	}) {
		c.learned = map[string]entry{}
	}
}
