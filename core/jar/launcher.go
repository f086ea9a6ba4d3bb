package jar

import (
	"encoding/binary"
	"slices"
)

// The subsystems of a program (PE format, "Windows Subsystem").
const graphical = 2

// withoutConsole is a program for Windows as one that opens no console: that is told by one
// field of its header.
func withoutConsole(program []byte) []byte {
	out := slices.Clone(program)
	header := int(binary.LittleEndian.Uint32(out[0x3c:]))
	// After the signature and the file header: "Optional Header Windows-Specific Fields".
	binary.LittleEndian.PutUint16(out[header+4+20+68:], graphical)
	return out
}
