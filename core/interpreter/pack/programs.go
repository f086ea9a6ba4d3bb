package pack

import (
	"bytes"
	"debug/elf"
	"encoding/binary"
	"fmt"
	"slices"
	"sort"
	"strings"
)

// program is what an ELF file says that matters where it is moved.
type program struct {
	needs []string
	// glibc is the N of the newest GLIBC_2.N that it needs.
	glibc int
	// path is where it looks for libraries; in the file, the text is at offset, and the tag
	// that has it at tag.
	path        string
	offset, tag int64
}

// readProgram reads an ELF file; false for a file that is none.
func readProgram(data []byte) (p program, ok bool, err error) {
	f, err := elf.NewFile(bytes.NewReader(data))
	if err != nil {
		return p, false, nil
	}
	if p.needs, err = f.ImportedLibraries(); err != nil {
		return p, true, err
	}
	var versions []elf.DynamicVersionNeed
	if f.SectionByType(elf.SHT_GNU_VERNEED) != nil {
		if versions, err = f.DynamicVersionNeeds(); err != nil {
			return p, true, err
		}
	}
	for _, library := range versions {
		for _, v := range library.Needs {
			n := 0
			if _, err := fmt.Sscanf(v.Dep, "GLIBC_2.%d", &n); err == nil {
				p.glibc = max(p.glibc, n)
			}
		}
	}
	return p, true, p.findPath(f, data)
}

// findPath finds DT_RUNPATH, or DT_RPATH.
func (p *program) findPath(f *elf.File, data []byte) error {
	section := f.SectionByType(elf.SHT_DYNAMIC)
	if section == nil || f.Class != elf.ELFCLASS64 || f.Data != elf.ELFDATA2LSB {
		return nil // a program that is linked to nothing, or one of another kind of processor
	}
	if int(section.Link) >= len(f.Sections) {
		return fmt.Errorf("its dynamic section has no texts")
	}
	texts := f.Sections[section.Link]
	for at := int64(section.Offset); at+16 <= int64(section.Offset+section.FileSize) && at+16 <= int64(len(data)); at += 16 {
		tag, value := elf.DynTag(binary.LittleEndian.Uint64(data[at:])), binary.LittleEndian.Uint64(data[at+8:])
		if tag == elf.DT_NULL {
			break
		}
		if tag != elf.DT_RUNPATH && tag != elf.DT_RPATH {
			continue
		}
		start := int64(texts.Offset + value)
		if value >= texts.FileSize || start >= int64(len(data)) {
			return fmt.Errorf("its library path is not among its texts")
		}
		end := bytes.IndexByte(data[start:], 0)
		if end < 0 {
			return fmt.Errorf("its library path does not end")
		}
		p.path, p.offset, p.tag = string(data[start:start+int64(end)]), start, at
	}
	return nil
}

// lookIn has a program look for libraries in other folders; with inherited, what the program
// loads looks there too (DT_RPATH). Where the old text is long enough it is replaced in place.
func (p program) lookIn(data []byte, path string, inherited bool) ([]byte, error) {
	if kind := elf.DT_RUNPATH; len(path) > len(p.path) {
		if inherited {
			kind = elf.DT_RPATH
		}
		return lengthen(data, path, p.tag, kind)
	}
	before, err := texts(data)
	if err != nil {
		return nil, err
	}
	out := slices.Clone(data)
	copy(out[p.offset:], path)
	clear(out[p.offset+int64(len(path)) : p.offset+int64(len(p.path))])
	if inherited {
		binary.LittleEndian.PutUint64(out[p.tag:], uint64(elf.DT_RPATH))
	}
	after, err := texts(out)
	if err != nil {
		return nil, err
	}
	if !slices.Equal(before, after) {
		return nil, fmt.Errorf("the text of its library path serves for something else too")
	}
	return out, nil
}

// texts are all names of a program that share a table with its library path.
func texts(data []byte) ([]string, error) {
	f, err := elf.NewFile(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	out, err := f.ImportedLibraries()
	if err != nil {
		return nil, err
	}
	symbols, err := f.DynamicSymbols()
	if err != nil && err != elf.ErrNoSymbols {
		return nil, err
	}
	for _, s := range symbols {
		out = append(out, s.Name+"@"+s.Library+"@"+s.Version)
	}
	sort.Strings(out)
	return out, nil
}

// standard reports whether a shared library is part of what every system with glibc has.
func standard(name string) bool {
	for _, known := range []string{"libc.so.6", "libm.so.6", "libdl.so.2", "libpthread.so.0", "librt.so.1", "libutil.so.1", "libresolv.so.2", "libgcc_s.so.1"} {
		if name == known {
			return true
		}
	}
	return strings.HasPrefix(name, "ld-linux") || strings.HasPrefix(name, "linux-vdso")
}
