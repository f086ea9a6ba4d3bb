package source

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/interpreter"
	"glassjar/core/limits"
)

// Kept is the list of what was built on this machine: a file for each thing that was built
// of something, in one way, with one interpreter.
type Kept struct{ Dir string }

// Made is one wheel that was built.
type Made struct {
	Distribution string   `json:"distribution"`
	Version      string   `json:"version"`
	File         string   `json:"file"`
	SHA256       string   `json:"sha256"`
	Room         string   `json:"room"`
	Pins         []Pin    `json:"pins"`
	Libraries    []string `json:"libraries,omitempty"`
	LibraryPath  []string `json:"library_path,omitempty"`
	// Metadata is METADATA of the wheel; there may be nothing else, where only that was
	// asked for.
	Metadata string    `json:"metadata"`
	At       time.Time `json:"at"`
}

// Key is what a wheel is known by: what it is made of, how, and with what. sum is a hash of
// the source.
func Key(sum string, s Source, in interpreter.Interpreter) string {
	h := sha256.New()
	fmt.Fprintf(h, "glassjar build 1\n%s\n%q %t\n", sum, s.Subdirectory, s.Editable)
	if s.Editable {
		fmt.Fprintf(h, "at %q\n", s.Folder)
	}
	fmt.Fprintf(h, "%s %s %s %s %s %s %d.%d\n", in.Path, in.Said.Version, in.ABI(), in.OS(), in.Arch(), in.Libc, in.LibcMajor, in.LibcMinor)
	o := s.Options
	for _, set := range []map[string]string{o.Variables, o.Shell} {
		for _, name := range sorted(set) {
			if name == "PATH" {
				continue
			}
			fmt.Fprintf(h, "%s=%q\n", name, set[name])
		}
		h.Write([]byte{0})
	}
	// Of PATH what it leads to counts: it differs with every shell.
	for _, program := range []string{"cc", "gcc", "c++", "g++", "clang", "gfortran", "rustc", "cmake", "ninja", "make", "pkg-config"} {
		if at, err := exec.LookPath(program); err == nil {
			fmt.Fprintf(h, "%s at %q\n", program, at)
		}
	}
	settings, _ := json.Marshal(o.Settings) // texts and lists of them
	fmt.Fprintf(h, "%s\n%q\n%t\n", settings, o.Also, o.Open)
	return hex.EncodeToString(h.Sum(nil))
}

func (k Kept) file(key string) string { return filepath.Join(k.Dir, key[:2], key+".json") }

// Find is what was built with a key.
func (k Kept) Find(key string) (Made, bool) {
	var m Made
	data, err := limits.ReadFile(k.file(key), limits.Own)
	if err != nil || json.Unmarshal(data, &m) != nil || m.Metadata == "" {
		return Made{}, false
	}
	return m, true
}

// Add notes what was built.
func (k Kept) Add(key string, m Made) error {
	data, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	return atomicfile.Cache(k.file(key), append(data, '\n'))
}

// All are all that are noted.
func (k Kept) All() []Made {
	var out []Made
	_ = filepath.WalkDir(k.Dir, func(file string, e fs.DirEntry, err error) error {
		if err == nil && strings.HasSuffix(file, ".json") {
			if m, ok := k.Find(strings.TrimSuffix(filepath.Base(file), ".json")); ok {
				out = append(out, m)
			}
		}
		return nil
	})
	return out
}

// Drop forgets what was built of which the wheel is gone.
func (k Kept) Drop(gone func(sum string) bool) {
	_ = filepath.WalkDir(k.Dir, func(file string, e fs.DirEntry, err error) error {
		if err == nil && strings.HasSuffix(file, ".json") {
			if m, ok := k.Find(strings.TrimSuffix(filepath.Base(file), ".json")); !ok || m.SHA256 == "" || gone(m.SHA256) {
				os.Remove(file) // what is left is found out anew
			}
		}
		return nil
	})
}
