package main

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"glassjar/core/version"
	"glassjar/core/wheel"
)

// set is a number of made-up distributions, shaped like those of real projects.
type set struct {
	name          string
	distributions int
	files         int
	bytes         int64
	// compiled is the share of the bytes that are in compiled modules.
	compiled float64
}

var (
	large = set{"large", 60, 21_000, 250 << 20, 0.6}
	web   = set{"web", 40, 3_500, 30 << 20, 0.2}
	toy   = set{"toy", 3, 12, 40 << 10, 0}
)

// names of a set's distributions; the first needs all others.
func (s set) dist(i int) string { return fmt.Sprintf("bench-%s-%02d", s.name, i) }

// share is how many files and bytes one distribution has: a few have most, as in
// life.
func (s set) share(i int) (files int, size int64) {
	r := rand.New(rand.NewPCG(uint64(s.files), 1))
	weights, sum := make([]float64, s.distributions), 0.0
	for i := range weights {
		weights[i] = math.Exp(r.NormFloat64() * 1.2)
		sum += weights[i]
	}
	share := weights[i] / sum
	return max(2, int(share*float64(s.files))), int64(share * float64(s.bytes))
}

// write makes the wheels of a set in a folder, unless they are there.
func (s set) write(dir string) error {
	if _, err := os.Stat(dir); err == nil {
		return nil
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for i := range s.distributions {
		spec, err := s.spec(i, "1.0")
		if err != nil {
			return err
		}
		var b bytes.Buffer
		if err := wheel.Write(&b, spec); err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, spec.FileName()), b.Bytes(), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// metadata is the METADATA of one of the set's wheels, by its file name.
func (s set) metadata(file string) []byte {
	stem, _, _ := strings.Cut(file, "-")
	name := strings.ReplaceAll(stem, "_", "-")
	text := "Metadata-Version: 2.1\nName: " + name + "\nVersion: 1.0\n"
	for other := 1; name == s.dist(0) && other < s.distributions; other++ {
		text += "Requires-Dist: " + s.dist(other) + "\n"
	}
	return []byte(text)
}

const (
	// folders is how many a distribution has, and imported how many of its modules
	// importing it imports.
	folders  = 23
	imported = 40
)

func folderOf(n int) string { return fmt.Sprintf("part%02d", n%folders) }

// spec is one of the set's wheels; each is made of numbers of its own, so that
// another version of it differs in nothing but the version.
func (s set) spec(i int, v string) (wheel.Spec, error) {
	files, size := s.share(i)
	r := rand.New(rand.NewPCG(uint64(s.files), uint64(i)+2))
	name := s.dist(i)
	module := strings.ReplaceAll(name, "-", "_")
	spec := wheel.Spec{Name: name, Version: version.MustParse(v), Tag: "py3-none-any", Packed: true,
		Metadata: []byte(strings.Replace(string(s.metadata(module+"-")), "Version: 1.0", "Version: "+v, 1))}
	inits := min(folders, files/4)
	files -= inits
	init := fmt.Sprintf("name = %q\n", name)
	for n := 1; n < min(files, imported+1); n++ {
		init += fmt.Sprintf("from .%s import mod%04d\n", folderOf(n), n)
	}
	spec.Files = append(spec.Files, wheel.File{Path: module + "/__init__.py", Data: []byte(init)})
	for n := range inits {
		spec.Files = append(spec.Files, wheel.File{Path: fmt.Sprintf("%s/%s/__init__.py", module, folderOf(n))})
	}
	compiled := int64(s.compiled * float64(size))
	for n := range int(min(4, compiled>>16)) {
		data, err := machineCode(r, int(compiled/min(4, compiled>>16)))
		if err != nil {
			return spec, err
		}
		spec.Files = append(spec.Files, wheel.File{Path: fmt.Sprintf("%s/_part%d.so", module, n), Data: data})
	}
	left := size - compiled
	for n := 1; n < files; n++ {
		length := min(int64(float64(left)/float64(files-n)*math.Exp(r.NormFloat64()*0.8-0.3)), left)
		spec.Files = append(spec.Files, wheel.File{Path: fmt.Sprintf("%s/%s/mod%04d.py", module, folderOf(n), n), Data: moduleText(r, int(max(40, length)))})
		left -= length
	}
	return spec, nil
}

// program is this very program: real machine code, which packs as such does.
var program = sync.OnceValues(func() ([]byte, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	return os.ReadFile(self)
})

// machineCode is a part of this program, from anywhere on.
func machineCode(r *rand.Rand, length int) ([]byte, error) {
	code, err := program()
	if err != nil {
		return nil, err
	}
	data := make([]byte, 0, length)
	for from := r.IntN(len(code)); len(data) < length; from = 0 {
		data = append(data, code[from:min(len(code), from+length-len(data))]...)
	}
	return data, nil
}

// moduleText is a module of about a length, as Python reads it.
func moduleText(r *rand.Rand, length int) []byte {
	var b bytes.Buffer
	for b.Len() < length {
		fmt.Fprintf(&b, "def tree_%d(row, season=%d):\n    \"\"\"How the tree of a row bears in a season.\"\"\"\n    return row * %d + season %% %d\n\n", r.IntN(1e6), r.IntN(99), r.IntN(999), r.IntN(97)+1)
	}
	return b.Bytes()
}
