// Package drive drives the built program by scripts that read like what one types in a
// terminal: testdata/script/*.txtar.
//
// Besides the usual commands of such scripts there are
//
//	exits N CMD...      runs a command, which must end with code N
//	index NAME [SOURCE] serves an index on loopback and puts its address into
//	                    $NAME; SOURCE is "sample" or a kind of fault
//	snapshot FILE DIR   writes what is in a tree, and the hash of each file
//	wheel DIR NAME [altered] writes the wheels of one distribution of the sample
//	nginx NAME DIR [tls] [password] serves a folder with the real web server; with tls
//	                    under an authority of its own, in ca.pem
//	proxy NAME          starts a real proxy that asks for a password
//	keys [PATH] KEY...  fails unless the JSON just printed has all these keys
//	waitfor FILE        waits until a file has a whole line
//	pack DIR OUT NAME VERSION [REQ...] makes a wheel of a folder
//	elf FILE LIBRARY    makes a shared object that needs a library
//	browse FILE OUT     loads a page in a real browser and writes what became of it
//	machine NAME        goes on as on another machine: with an empty home folder
//	settle              waits until nothing is compiled in the background any more
//
// and the conditions [python:3.12], which holds if that Python was found, [root],
// [browser] and [device-keys].
package drive

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/rogpeppe/go-internal/testscript"

	"glassjar/internal/wait"
	"glassjar/sample"
)

func exits(ts *testscript.TestScript, neg bool, args []string) {
	want, err := strconv.Atoi(args[0])
	ts.Check(err)
	err = ts.Exec(args[1], args[2:]...)
	have := 0
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		have = exit.ExitCode()
	} else {
		ts.Check(err)
	}
	if (have == want) == neg {
		ts.Fatalf("%s ended with %d", strings.Join(args[1:], " "), have)
	}
}

// snapshot writes one line for each file of a tree: its path, mode and hash. Of
// a link only that it is one, since where it leads depends on the machine, and of a jar's
// identity only that it has one.
func snapshot(ts *testscript.TestScript, _ bool, args []string) {
	var lines []string
	root := ts.MkAbs(args[1])
	ts.Check(filepath.WalkDir(root, func(p string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(root, p)
		if err != nil || e.IsDir() {
			return err
		}
		what := "link"
		if own := filepath.ToSlash(rel); own == "glassjar/base" || strings.HasPrefix(own, "glassjar/history/") || strings.Contains(own, "/__pycache__/") {
			return nil // what a jar has lived through is no part of what it holds, nor what is compiled in time
		} else if own == "glassjar/id" {
			what = "identity"
		} else if e.Type()&fs.ModeSymlink == 0 {
			data, err := os.ReadFile(p)
			if err != nil {
				return err
			}
			info, err := e.Info()
			if err != nil {
				return err
			}
			sum := sha256.Sum256(data)
			what = fmt.Sprintf("%v %s", info.Mode(), hex.EncodeToString(sum[:]))
		}
		lines = append(lines, filepath.ToSlash(rel)+" "+what)
		return nil
	}))
	slices.Sort(lines)
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(strings.Join(lines, "\n")+"\n"), 0o644))
}

// writeWheel puts the sample's wheels of one distribution into a folder; with
// "altered" a byte of each is changed.
func writeWheel(ts *testscript.TestScript, _ bool, args []string) {
	ts.Check(os.MkdirAll(ts.MkAbs(args[0]), 0o755))
	for _, f := range sample.Files(args[1]) {
		data := bytes.Clone(f.Data)
		if len(args) > 2 && args[2] == "altered" {
			data[len(data)/2] ^= 1
		}
		ts.Check(os.WriteFile(filepath.Join(ts.MkAbs(args[0]), f.Name), data, 0o644))
	}
}

// hasKeys looks at the JSON that the last command printed: the value at a path,
// or the whole where the first word is a key of it, has all the keys given.
func hasKeys(ts *testscript.TestScript, neg bool, args []string) {
	var value any
	ts.Check(json.Unmarshal([]byte(ts.ReadFile("stdout")), &value))
	at := func(v any, path string) (any, bool) {
		for _, step := range strings.Split(path, ".") {
			switch here := v.(type) {
			case map[string]any:
				next, ok := here[step]
				if !ok {
					return nil, false
				}
				v = next
			case []any:
				n, err := strconv.Atoi(step)
				if err != nil || n >= len(here) {
					return nil, false
				}
				v = here[n]
			default:
				return nil, false
			}
		}
		return v, true
	}
	if inner, ok := at(value, args[0]); ok && len(args) > 1 {
		if _, object := inner.(map[string]any); object {
			value, args = inner, args[1:]
		}
	}
	for _, key := range args {
		if _, ok := at(value, key); ok == neg {
			ts.Fatalf("key %s: %t", key, ok)
		}
	}
}

// waitFor waits until another process has written a line to a file.
func waitFor(ts *testscript.TestScript, _ bool, args []string) {
	if !wait.Until(func() bool {
		data, err := os.ReadFile(ts.MkAbs(args[0]))
		if err != nil || !bytes.HasSuffix(data, []byte("\n")) {
			return false
		}
		ts.Setenv("LINE", strings.TrimSpace(strings.SplitN(string(data), "\n", 2)[0]))
		return true
	}) {
		ts.Fatalf("nothing came to %s", args[0])
	}
}

func Exists(file string) bool { _, err := os.Stat(file); return err == nil }
