package source

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
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

// AddWheel is [Kept.Add] of something with the wheel itself, which is copied.
func (k Kept) AddWheel(key string, m Made, wheel string) error {
	to := k.wheel(key)
	if err := os.MkdirAll(filepath.Dir(to), 0o777); err != nil {
		return err
	}
	data, err := os.Open(wheel)
	if err != nil {
		return err
	}
	defer data.Close()
	temp, err := os.CreateTemp(filepath.Dir(to), ".new-")
	if err != nil {
		return err
	}
	defer os.Remove(temp.Name())
	_, err = io.Copy(temp, data)
	if err = errors.Join(err, temp.Close()); err != nil {
		return err
	}
	if err := os.Rename(temp.Name(), to); err != nil {
		return err
	}
	return k.Add(key, m)
}

func (k Kept) wheel(key string) string { return strings.TrimSuffix(k.file(key), ".json") + ".whl" }

// OfWheel is what is known of a wheel that was built here, by its SHA-256, and where it is.
func (k Kept) OfWheel(sum string) (m Made, wheel string, ok bool) {
	k.each(func(key string, one Made, known bool) {
		if _, err := os.Stat(k.wheel(key)); known && one.SHA256 == sum && sum != "" && err == nil {
			m, wheel, ok = one, k.wheel(key), true
		}
	})
	return m, wheel, ok
}

// each visits all that are noted; known is false for a file that cannot be read.
func (k Kept) each(visit func(key string, m Made, known bool)) {
	_ = filepath.WalkDir(k.Dir, func(file string, e fs.DirEntry, err error) error {
		if key, ok := strings.CutSuffix(filepath.Base(file), ".json"); ok && err == nil && len(key) > 2 {
			m, known := k.Find(key)
			visit(key, m, known)
		}
		return nil
	})
}

// All are all that are noted.
func (k Kept) All() []Made {
	var out []Made
	k.each(func(_ string, m Made, known bool) {
		if known {
			out = append(out, m)
		}
	})
	return out
}

// Drop forgets what was built of which the wheel is gone.
func (k Kept) Drop(gone func(sum string) bool) {
	k.each(func(key string, m Made, known bool) {
		if !known || m.SHA256 == "" || gone(m.SHA256) {
			os.Remove(k.file(key)) // what is left is found out anew
			os.Remove(k.wheel(key))
		}
	})
}
