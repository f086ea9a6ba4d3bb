package drive

import (
	"bytes"
	"encoding/binary"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"

	"github.com/rogpeppe/go-internal/testscript"

	"glassjar/core/version"
	"glassjar/core/wheel"
)

// pack makes a wheel of a folder: pack FOLDER OUT NAME VERSION [REQUIREMENT...].
// It is marked for every Python, whatever is in it. "1.0=1.0.0" as the version writes
// the first into the file's name and the second into METADATA.
func pack(ts *testscript.TestScript, _ bool, args []string) {
	root := ts.MkAbs(args[0])
	named, described, differ := strings.Cut(args[3], "=")
	if !differ {
		described = named
	}
	spec := wheel.Spec{Name: args[2], Version: version.MustParse(named), Tag: "py2.py3-none-any"}
	var meta strings.Builder
	meta.WriteString("Metadata-Version: 2.1\nName: " + args[2] + "\nVersion: " + described + "\n")
	for _, r := range args[4:] {
		meta.WriteString("Requires-Dist: " + r + "\n")
	}
	ts.Check(filepath.WalkDir(root, func(p string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		data, err := os.ReadFile(p)
		rel, relErr := filepath.Rel(root, p)
		if err == nil {
			err = relErr
		}
		spec.Files = append(spec.Files, wheel.File{Path: filepath.ToSlash(rel), Data: data})
		return err
	}))
	spec.Metadata = []byte(meta.String())
	var b bytes.Buffer
	ts.Check(wheel.Write(&b, spec))
	ts.Check(os.MkdirAll(ts.MkAbs(args[1]), 0o755))
	ts.Check(os.WriteFile(filepath.Join(ts.MkAbs(args[1]), spec.FileName()), b.Bytes(), 0o644))
}

// writeELF makes the smallest shared object that the system's loader takes and
// that needs a library: elf FILE LIBRARY.
func writeELF(ts *testscript.TestScript, _ bool, args []string) {
	machine := map[string]uint16{"amd64": 62, "arm64": 183}[runtime.GOARCH]
	if machine == 0 {
		ts.Fatalf("no ELF for %s", runtime.GOARCH)
	}
	const header, program, count = 64, 56, 2
	names := append([]byte{0}, args[1]...)
	names = append(names, 0)
	at := uint64(header + program*count)
	dynamic := []uint64{1, 1 /* DT_NEEDED */, 5, 0 /* DT_STRTAB */, 6, 0 /* DT_SYMTAB */, 10, uint64(len(names)), 11, 24, 4, 0 /* DT_HASH */, 0, 0}
	dynamicSize := uint64(8 * len(dynamic))
	symbols := at + dynamicSize
	hash := symbols + 24
	strtab := hash + 16
	dynamic[3], dynamic[5], dynamic[11] = strtab, symbols, hash
	size := strtab + uint64(len(names))
	var b bytes.Buffer
	put := func(values ...any) {
		for _, v := range values {
			ts.Check(binary.Write(&b, binary.LittleEndian, v))
		}
	}
	put([]byte{0x7f, 'E', 'L', 'F', 2, 1, 1, 0, 0, 0, 0, 0, 0, 0, 0, 0}, uint16(3), machine, uint32(1), uint64(0), uint64(header), uint64(0), uint32(0), uint16(header), uint16(program), uint16(count), uint16(64), uint16(0), uint16(0))
	put(uint32(1), uint32(6), uint64(0), uint64(0), uint64(0), size, size, uint64(0x1000)) // PT_LOAD
	put(uint32(2), uint32(6), at, at, at, dynamicSize, dynamicSize, uint64(8))             // PT_DYNAMIC
	put(dynamic, make([]byte, 24), uint32(1), uint32(1), uint32(0), uint32(0), names)      // symbols, hash, names
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), b.Bytes(), 0o755))
}

// browserPath is a browser without a window, empty if none is installed.
func browserPath() string {
	for _, name := range []string{"chromium", "chromium-browser", "google-chrome"} {
		if path, err := exec.LookPath(name); err == nil {
			return path
		}
	}
	return ""
}

// browse loads a page of a file in a real browser and writes what became of it:
// browse FILE OUT.
func browse(ts *testscript.TestScript, _ bool, args []string) {
	cmd := exec.Command(browserPath(), "--headless", "--no-sandbox", "--disable-gpu", "--window-size=390,800",
		"--user-data-dir="+ts.MkAbs("browser"), "--dump-dom", "file://"+ts.MkAbs(args[0]))
	cmd.Env = append(os.Environ(), "HOME="+ts.MkAbs("browser"))
	out, err := cmd.Output()
	ts.Check(err)
	ts.Check(os.WriteFile(ts.MkAbs(args[1]), out, 0o644))
}
