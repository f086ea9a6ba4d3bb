package drive

import (
	"bytes"
	"context"
	"debug/elf"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"

	"glassjar/cmd/glassjar/program"
	"glassjar/core/interpreter"
	"glassjar/core/source"
)

var (
	// Built is a folder for PATH that has the program, as glassjar, and Default, as python3.
	Built string
	// Pythons are the interpreters of this machine, by minor version ("3.12", "pypy3.9").
	Pythons = map[string]interpreter.Found{}
	// Default is the newest CPython 3 among them.
	Default interpreter.Found
)

// Main runs the tests of a package and returns the exit code. The binary of the tests is the
// program as well, under the name glassjar: what is tried is what was compiled with the tests, and
// Go's cache of results knows it.
func Main(m *testing.M) int {
	source.Main()
	switch strings.TrimSuffix(filepath.Base(os.Args[0]), ".exe") {
	case "glassjar":
		program.Main()
	case settler:
		if !SettleCompilers(os.Getenv("HOME")) {
			return 1
		}
		return 0
	}
	dir, err := os.MkdirTemp("", "glassjar-e2e-")
	if err == nil {
		defer os.RemoveAll(dir)
		err = makePrograms(filepath.Join(dir, "bin"))
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	moreAtOnce()
	return m.Run()
}

// Static reports whether the program needs no libraries of the system, as it is built for others:
// where there is a C compiler, go test lets it need some unless CGO_ENABLED=0 is set.
func Static() bool {
	if runtime.GOOS != "linux" {
		return true
	}
	f, err := elf.Open(filepath.Join(Built, "glassjar"))
	if err != nil {
		return false
	}
	defer f.Close()
	return !slices.ContainsFunc(f.Progs, func(p *elf.Prog) bool { return p.Type == elf.PT_INTERP })
}

// settler is the name under which the binary waits for compilers in the background.
const settler = "settle"

func makePrograms(dir string) error {
	Built = dir
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	for _, name := range []string{"glassjar", settler} {
		if runtime.GOOS == "windows" {
			name += ".exe"
		}
		if err := linkOrCopy(self, filepath.Join(dir, name)); err != nil {
			return err
		}
	}
	return findPythons()
}

func linkOrCopy(from, to string) error {
	if os.Link(from, to) == nil {
		return nil
	}
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY, 0o755)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Close())
}

// moreAtOnce has twice as many tests run at once as there are processors, unless the command says
// how many: they wait for disks and servers, too.
func moreAtOnce() {
	flag.Parse()
	said := false
	flag.Visit(func(f *flag.Flag) { said = said || f.Name == "test.parallel" })
	if !said {
		_ = flag.Set("test.parallel", strconv.Itoa(2*runtime.GOMAXPROCS(0))) // it is there and takes numbers
	}
}

// findPythons looks as the program itself does, but for scripts on PATH that stand in for
// interpreters: they are slow to ask, and lead to others that are found in their own places.
func findPythons() error {
	finder := interpreter.NewFinder(nil)
	finder.Path = slices.DeleteFunc(finder.Path, func(dir string) bool {
		text, err := os.ReadFile(filepath.Join(dir, "python3"))
		return err == nil && bytes.HasPrefix(text, []byte("#!"))
	})
	all, _ := finder.All(context.Background())
	for _, f := range all {
		name := f.Minor()
		if f.IsPyPy() {
			name = "pypy" + name
		}
		if _, ok := Pythons[name]; !ok {
			Pythons[name] = f
		}
		if major := f.Version().Release()[0]; !f.IsPyPy() && major == "3" && (Default.Path == "" || Default.Version().Less(f.Version())) {
			Default = f
		}
	}
	if Default.Path == "" {
		return errors.New("the scripts need a Python 3 on PATH or in a folder named by GLASSJAR_PYTHONS")
	}
	return os.Symlink(Default.Path, filepath.Join(Built, "python3"))
}

// Another is an interpreter of another minor version than Default; ok is false where there is none.
func Another() (f interpreter.Found, ok bool) {
	for _, minor := range []string{"3.12", "3.11", "3.10", "3.9", "3.13"} {
		if f, ok = Pythons[minor]; ok && minor != Default.Minor() {
			return f, true
		}
	}
	return f, false
}
