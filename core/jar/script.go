package jar

import (
	"bytes"
	"fmt"
	"strings"

	"glassjar/core/internal/lazy"
	"glassjar/core/metadata"
)

// launcher is a script's head. The shell runs it and starts the Python that
// stands beside the script, links to the script being followed; Python reads
// it as a string. So a script holds no path, has no limit on the length of
// one, and goes on working when the jar is moved.
const launcher = `''':'
# Starts the Python that stands beside this file.
at=$0
case $at in */*) ;; *) at=./$at ;; esac
while [ -L "$at" ]; do
    to=$(readlink -- "$at")
    case $to in /*) at=$to ;; *) at=${at%/*}/$to ;; esac
done
exec "${at%/*}/python" "$0" "$@"
'''
`

var codingLine = lazy.Pattern(`^[ \t\f]*#.*?coding[:=][ \t]*[-\w.]+`)

// entryScript is the text of an entry point's script.
func entryScript(e metadata.EntryPoint) []byte {
	top, rest, dotted := strings.Cut(e.Attr, ".")
	call := "entry"
	if dotted {
		call += "." + rest
	}
	body := fmt.Sprintf("import sys\n\nfrom %s import %s as entry\n\nif __name__ == \"__main__\":\n    sys.exit(%s())\n", e.Module, top, call)
	return []byte("#!/bin/sh\n# -*- coding: utf-8 -*-\n" + launcher + body)
}

// rewriteScript replaces the first line of a wheel's script, "#!python" with
// whatever follows, by the launcher. Other files come back as they are. A
// coding line keeps its place, since Python looks for it in the first two.
func rewriteScript(data []byte) []byte {
	if !bytes.HasPrefix(data, []byte("#!python")) {
		return data
	}
	_, rest, _ := bytes.Cut(data, []byte("\n"))
	var b bytes.Buffer
	b.WriteString("#!/bin/sh\n")
	if second, after, _ := bytes.Cut(rest, []byte("\n")); codingLine().Match(second) {
		b.Write(append(second, '\n'))
		rest = after
	} else {
		b.WriteString("# -*- coding: utf-8 -*-\n")
	}
	b.WriteString(launcher)
	b.Write(rest)
	return b.Bytes()
}
