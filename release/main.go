// Command release makes the files of a release in a folder: an archive and a Debian
// package for each platform, each with the program, its pages of the manual and its
// completions; a bill of the modules that are built in; and their sums. The same source
// and compiler give the same bytes.
package main

import (
	"crypto/sha256"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"time"

	"glassjar/cli"
)

// platform is a system and a processor, as the compiler names them.
type platform struct{ os, arch string }

var platforms = []platform{{"linux", "amd64"}, {"linux", "arm64"}, {"darwin", "amd64"}, {"darwin", "arm64"}, {"windows", "amd64"}, {"windows", "arm64"}}

// release is what all files of one have in common.
type release struct {
	version string
	// at is the time that all files get.
	at  time.Time
	dir string
	// beside are the files that go with the program.
	beside []file
	sums   []string
}

func main() {
	dir := flag.String("to", "dist", "the folder for the files; what it has is removed")
	version := flag.String("version", cli.Version, "the version of the release")
	only := flag.String("only", "", "these platforms alone, such as linux/amd64,darwin/arm64")
	flag.Parse()
	if err := choose(*only); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(2)
	}
	r := &release{version: *version, dir: *dir, at: builtAt()}
	if err := r.make(); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

// choose leaves the platforms that are named; all where none is.
func choose(only string) error {
	if only == "" {
		return nil
	}
	var chosen []platform
	for _, name := range strings.Split(only, ",") {
		at := slices.IndexFunc(platforms, func(p platform) bool { return p.os+"/"+p.arch == name })
		if at < 0 {
			return fmt.Errorf("%q is none of the platforms: %v", name, platforms)
		}
		chosen = append(chosen, platforms[at])
	}
	platforms = chosen
	return nil
}

// builtAt is the time of the last commit, or of SOURCE_DATE_EPOCH, in seconds.
func builtAt() time.Time {
	text := os.Getenv("SOURCE_DATE_EPOCH")
	if text == "" {
		out, err := exec.Command("git", "log", "-1", "--format=%ct").Output()
		if err == nil {
			text = strings.TrimSpace(string(out))
		}
	}
	var seconds int64
	if _, err := fmt.Sscan(text, &seconds); err != nil {
		seconds = 315532800 // 1980, the first year that all archives know
	}
	return time.Unix(seconds, 0).UTC()
}

func (r *release) make() error {
	if err := os.RemoveAll(r.dir); err != nil {
		return err
	}
	if err := os.MkdirAll(r.dir, 0o755); err != nil {
		return err
	}
	var err error
	if r.beside, err = beside(r.version, r.at); err != nil {
		return err
	}
	work, err := os.MkdirTemp("", "release-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	for _, p := range platforms {
		program := filepath.Join(work, p.os+"-"+p.arch)
		if err := r.build(p, program); err != nil {
			return err
		}
		if err := r.pack(p, program); err != nil {
			return fmt.Errorf("%s/%s: %w", p.os, p.arch, err)
		}
		if p == platforms[0] {
			if err := r.bill(program); err != nil {
				return err
			}
		}
	}
	sort.Strings(r.sums)
	return os.WriteFile(filepath.Join(r.dir, "SHA256SUMS"), []byte(strings.Join(r.sums, "")), 0o644)
}

// build makes the program for a platform: static, and the same wherever it is built.
func (r *release) build(p platform, to string) error {
	cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags", "-s -w -buildid= -X glassjar/cli.Version="+r.version, "-o", to, "./cmd/glassjar")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+p.os, "GOARCH="+p.arch)
	cmd.Stderr = os.Stderr
	return cmd.Run()
}

// pack puts the program and what goes with it into the files of a platform.
func (r *release) pack(p platform, program string) error {
	data, err := os.ReadFile(program)
	if err != nil {
		return err
	}
	if len(data) > largest {
		return fmt.Errorf("the program has %d bytes, and may have %d", len(data), largest)
	}
	name := fmt.Sprintf("glassjar-%s-%s-%s", r.version, p.os, p.arch)
	if p.os == "windows" {
		return r.write(name+".zip", func() ([]byte, error) {
			return zipped(r.at, name, append([]file{{"glassjar.exe", 0o755, data}}, r.beside...))
		})
	}
	if err := r.write(name+".tar.gz", func() ([]byte, error) {
		return tarred(r.at, name+"/", append([]file{{"glassjar", 0o755, data}}, r.beside...))
	}); err != nil || p.os != "linux" {
		return err
	}
	return r.write(fmt.Sprintf("glassjar_%s_%s.deb", r.version, p.arch), func() ([]byte, error) { return r.debian(p.arch, data) })
}

// largest is how many bytes the program may have.
const largest = 18 << 20

// write writes a file of the release, and notes its sum.
func (r *release) write(name string, make func() ([]byte, error)) error {
	data, err := make()
	if err != nil {
		return err
	}
	r.sums = append(r.sums, fmt.Sprintf("%x  %s\n", sha256.Sum256(data), name))
	fmt.Printf("%8.1f MB  %s\n", float64(len(data))/1e6, name)
	return os.WriteFile(filepath.Join(r.dir, name), data, 0o644)
}
