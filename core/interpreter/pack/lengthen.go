package pack

import (
	"bytes"
	"debug/elf"
	"encoding/binary"
	"errors"
	"slices"
)

// Offsets in 64-bit ELF headers (System V ABI, "ELF Header", "Program Header", "Sections").
const (
	programHeaders = 32 // e_phoff
	sectionHeaders = 40 // e_shoff
	programSize    = 56
	sectionSize    = 64
	pageSize       = 0x1000
)

var order = binary.LittleEndian

// lengthen gives a program a library path for which there is no room in its table of texts: a
// copy of the table with the path is put at the file's end, and mapped in place of a note. tag is
// where its dynamic section has a library path, 0 where it has none and gets one.
func lengthen(data []byte, path string, tag int64, kind elf.DynTag) ([]byte, error) {
	f, err := elf.NewFile(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	dynamic := f.SectionByType(elf.SHT_DYNAMIC)
	if dynamic == nil || f.Class != elf.ELFCLASS64 || f.Data != elf.ELFDATA2LSB || int(dynamic.Link) >= len(f.Sections) {
		return nil, errors.New("it is no program that can be given a library path")
	}
	note, end := -1, uint64(0)
	for i, p := range f.Progs {
		switch p.Type {
		case elf.PT_LOAD:
			end = max(end, p.Vaddr+p.Memsz)
			note = -1 // segments are in the order of their addresses: the note has to stand after them
		case elf.PT_NOTE:
			note = i
		}
	}
	if note < 0 {
		return nil, errors.New("it has no note that could make way for a library path")
	}
	table := f.Sections[dynamic.Link]
	texts, err := table.Data()
	if err != nil {
		return nil, err
	}
	texts = append(append(slices.Clone(texts), path...), 0)
	out := slices.Clone(data)
	for len(out)%pageSize != 0 {
		out = append(out, 0)
	}
	offset, address := uint64(len(out)), (end+pageSize-1)/pageSize*pageSize
	out = append(out, texts...)

	// The segment.
	p := out[int(order.Uint64(out[programHeaders:]))+note*programSize:]
	order.PutUint32(p, uint32(elf.PT_LOAD))
	order.PutUint32(p[4:], uint32(elf.PF_R))
	for i, v := range []uint64{offset, address, address, uint64(len(texts)), uint64(len(texts)), pageSize} {
		order.PutUint64(p[8+8*i:], v)
	}
	// The section, for those who look at these.
	s := out[int(order.Uint64(out[sectionHeaders:]))+int(dynamic.Link)*sectionSize:]
	for i, v := range []uint64{address, offset, uint64(len(texts))} {
		order.PutUint64(s[16+8*i:], v)
	}
	return out, repoint(out[dynamic.Offset:dynamic.Offset+dynamic.FileSize], address, uint64(len(texts)), uint64(len(texts)-len(path)-1), tag-int64(dynamic.Offset), kind)
}

// repoint has a dynamic section use another table of texts, and the library path at a place in
// it.
func repoint(dynamic []byte, table, size, path uint64, tag int64, kind elf.DynTag) error {
	for at := 0; at+16 <= len(dynamic); at += 16 {
		entry := dynamic[at:]
		switch elf.DynTag(order.Uint64(entry)) {
		case elf.DT_STRTAB:
			order.PutUint64(entry[8:], table)
		case elf.DT_STRSZ:
			order.PutUint64(entry[8:], size)
		case elf.DT_NULL:
			if tag >= 0 {
				return nil
			}
			if at+32 > len(dynamic) {
				return errors.New("its dynamic section has no room for a library path")
			}
			order.PutUint64(entry, uint64(kind))
			order.PutUint64(entry[8:], path)
			return nil
		}
		if int64(at) == tag {
			order.PutUint64(entry, uint64(kind))
			order.PutUint64(entry[8:], path)
		}
	}
	return nil
}
