package interpreter

import (
	"encoding/binary"
	"strings"
	"unicode/utf16"
)

// appExecLink is the tag of a link to a program of the Store ([MS-FSCC] 2.1.2.1).
const appExecLink = 0x8000001b

// redirector is the program that opens the Store in place of a Python that is not installed.
const redirector = "pythonredirector.exe"

// opensStore reports whether what stands at a reparse point is a link to the program that opens
// the Store. The data are REPARSE_DATA_BUFFER: a tag, a length, a version, then texts that end
// with a zero: the package, the entry, and the program.
func opensStore(data []byte) bool {
	if len(data) < 12 || binary.LittleEndian.Uint32(data) != appExecLink {
		return false
	}
	words := make([]uint16, 0, len(data)/2)
	for i := 12; i+1 < len(data); i += 2 {
		words = append(words, binary.LittleEndian.Uint16(data[i:]))
	}
	for _, text := range strings.Split(string(utf16.Decode(words)), "\x00") {
		if strings.HasSuffix(strings.ToLower(text), redirector) {
			return true
		}
	}
	return false
}

// toolsStub reports whether a program of macOS is the stand-in for one of the developer tools,
// which are not installed: to start it would open a window (xcode-select(1), "DESCRIPTION").
func toolsStub(path string, installed func() bool) bool {
	return strings.HasPrefix(path, "/usr/bin/") && !installed()
}
