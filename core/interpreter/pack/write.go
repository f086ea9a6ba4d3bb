package pack

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/klauspost/compress/flate"

	"glassjar/core/atomicfile"
	"glassjar/core/interpreter/portable"
	"glassjar/core/limits"
	"glassjar/core/metadata"
)

// write makes the file: equal contents give equal bytes.
func (p *packer) write(ctx context.Context, dir string) (*Packed, error) {
	out := &Packed{Tag: p.tag(), External: p.out, Along: p.along}
	out.File = fmt.Sprintf("%s-%s-%s.pybi", p.in.Said.Implementation, p.in.Version(), out.Tag)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	temp, err := os.CreateTemp(dir, ".packing-")
	if err != nil {
		return nil, err
	}
	defer os.Remove(temp.Name())
	h := sha256.New()
	err = p.writeZip(ctx, io.MultiWriter(temp, h), out)
	if info, err2 := temp.Stat(); err == nil && err2 == nil {
		out.Size = info.Size()
	}
	if err == nil {
		err = temp.Chmod(0o644)
	}
	if err == nil {
		err = temp.Sync()
	}
	if err2 := temp.Close(); err == nil {
		err = err2
	}
	if err != nil {
		return nil, err
	}
	out.SHA256 = hex.EncodeToString(h.Sum(nil))
	if err := os.Rename(temp.Name(), filepath.Join(dir, out.File)); err != nil {
		return nil, err
	}
	return out, list(dir, out)
}

// list notes the file in the folder's list of hashes, so that it can be fetched from there.
func list(dir string, out *Packed) error {
	file := filepath.Join(dir, portable.Sums)
	have, err := limits.ReadFile(file, limits.List)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	var text strings.Builder
	for line := range strings.Lines(string(have)) {
		if _, name, _ := strings.Cut(strings.TrimSpace(line), " "); strings.TrimLeft(name, " *") != out.File {
			text.WriteString(strings.TrimRight(line, "\n") + "\n")
		}
	}
	text.WriteString(out.SHA256 + "  " + out.File + "\n")
	return atomicfile.Write(file, []byte(text.String()), atomicfile.Options{Mode: 0o644})
}

// quick is the level of packing: a third faster than the usual one, for 4 % more bytes.
const quick = 3

func (p *packer) writeZip(ctx context.Context, to io.Writer, out *Packed) error {
	for name, text := range map[string][]byte{"PYBI": p.format(out), "METADATA": p.metadata()} {
		p.data[portable.Folder+"/"+name] = text
	}
	names := slices.Concat(sortedKeys(p.files), sortedKeys(p.links))
	slices.Sort(names)
	// As with wheels, what says what is in it stands last.
	names = append(slices.Compact(names), portable.Folder+"/METADATA", portable.Folder+"/PYBI")
	z := zip.NewWriter(to)
	z.RegisterCompressor(zip.Deflate, func(to io.Writer) (io.WriteCloser, error) { return flate.NewWriter(to, quick) })
	record := []metadata.RecordEntry{{Path: portable.Folder + "/RECORD", Size: -1}}
	for _, name := range names {
		if err := ctx.Err(); err != nil {
			return err
		}
		if target, ok := p.links[name]; ok && p.files[name] == "" {
			record = append(record, metadata.RecordEntry{Path: name, Hash: "symlink=" + target, Size: -1})
			if err := add(z, name, []byte(target), fs.ModeSymlink|0o777); err != nil {
				return err
			}
			continue
		}
		data, mode, err := p.content(name)
		if err != nil {
			return err
		}
		out.Bytes += int64(len(data))
		record = append(record, metadata.RecordEntry{Path: name, Hash: metadata.RecordHash(sha256.Sum256(data)), Size: int64(len(data))})
		if err := add(z, name, data, mode); err != nil {
			return err
		}
	}
	out.Files = len(record)
	if err := add(z, portable.Folder+"/RECORD", metadata.FormatRecord(record), 0o644); err != nil {
		return err
	}
	return z.Close()
}

func (p *packer) content(name string) ([]byte, fs.FileMode, error) {
	mode := fs.FileMode(0o644)
	if source := p.files[name]; source != "" {
		info, err := os.Stat(source)
		if err != nil {
			return nil, 0, err
		}
		if info.Mode().Perm()&0o100 != 0 || name == p.program {
			mode = 0o755
		}
		if data, ok := p.data[name]; ok {
			return data, mode, nil
		}
		data, err := os.ReadFile(source)
		return data, mode, err
	}
	return p.data[name], mode, nil
}

func add(z *zip.Writer, name string, data []byte, mode fs.FileMode) error {
	//lint:ignore SA1019 Modified would add a field with the time to each header
	h := &zip.FileHeader{Name: name, Method: zip.Deflate, ModifiedDate: 1<<5 | 1}
	h.SetMode(mode)
	w, err := z.CreateHeader(h)
	if err == nil {
		_, err = w.Write(data)
	}
	return err
}

// format is the file PYBI.
func (p *packer) format(out *Packed) []byte {
	return fmt.Appendf(nil, "Pybi-Version: 1.0\nGenerator: glassjar\nTag: %s\n", out.Tag)
}

// metadata is the file METADATA.
func (p *packer) metadata() []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "Metadata-Version: 2.2\nName: %s\nVersion: %s\n", p.in.Said.Implementation, p.in.Version())
	for _, name := range p.out {
		fmt.Fprintf(&b, "Requires-External: %s\n", name)
	}
	environment := p.in.Environment()
	variables := map[string]string{}
	for _, name := range []string{"implementation_name", "implementation_version", "os_name", "platform_machine", "platform_python_implementation", "platform_system", "python_full_version", "python_version", "sys_platform"} {
		variables[name] = environment[name]
	}
	library := "lib/" + p.versioned()
	paths := map[string]string{"stdlib": library, "platstdlib": library, "purelib": library + "/site-packages", "platlib": library + "/site-packages",
		"include": "include/" + filepath.Base(p.said.Paths["include"]), "platinclude": "include/" + filepath.Base(p.said.Paths["include"]), "scripts": "bin", "data": "."}
	asJSON := func(value map[string]string) []byte {
		text, _ := json.Marshal(value) // a map of texts always encodes
		return text
	}
	fmt.Fprintf(&b, "Pybi-Environment-Marker-Variables: %s\nPybi-Paths: %s\n", asJSON(variables), asJSON(paths))
	for _, tag := range p.wheelTags() {
		fmt.Fprintf(&b, "Pybi-Wheel-Tag: %s\n", tag)
	}
	return b.Bytes()
}

// wheelTags are the tags of packages that the interpreter takes, with "PLATFORM" where the
// machine's stands.
func (p *packer) wheelTags() (out []string) {
	seen := map[string]bool{}
	for _, t := range p.in.Tags() {
		if t.Platform != "any" {
			t.Platform = "PLATFORM"
		}
		if text := t.String(); !seen[text] {
			seen[text] = true
			out = append(out, text)
		}
	}
	return out
}
