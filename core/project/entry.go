package project

import (
	"bytes"
	"fmt"
	"strings"

	"glassjar/core/metadata"
	"glassjar/core/version"
)

// mismatch says where an entry's files are not of the name or version that it gives:
// then one of both is damaged, as by a merge of two branches. at tells the line on
// which a file's name stands.
func (p Package) mismatch(at func(of string) string) string {
	var list []PackageFile
	list = append(list, p.Wheels...)
	if p.Sdist != nil {
		list = append(list, *p.Sdist)
	}
	if p.Archive != nil && strings.HasSuffix(p.Archive.FileName(), ".whl") { // others have any name
		list = append(list, *p.Archive)
	}
	for _, f := range list {
		var name string
		var v version.Version
		if w, err := metadata.ParseWheelName(f.FileName()); err == nil {
			name, v = w.Name, w.Version
		} else if s, err := metadata.ParseSdistName(f.FileName()); err == nil {
			name, v = s.Name, s.Version
		} else {
			continue // it says nothing that could differ
		}
		switch {
		case name != p.Name:
			return fmt.Sprintf("its file %s%s is of %s", f.FileName(), at(f.FileName()), name)
		case !p.Version.IsZero() && !v.Equal(p.Version):
			return fmt.Sprintf("version %s%s is not that of its file %s%s", p.Version, at(`version = `), f.FileName(), at(f.FileName()))
		}
	}
	return ""
}

// entries knows the lines of a record's entries.
type entries struct {
	lines [][]byte
	heads []int
}

func entryLines(text []byte) entries {
	e := entries{lines: bytes.Split(text, []byte("\n"))}
	for n, line := range e.lines {
		if strings.ReplaceAll(strings.TrimSpace(string(line)), " ", "") == "[[packages]]" {
			e.heads = append(e.heads, n)
		}
	}
	return e
}

// line is that of an entry's head, counted from 1; 0 where entries have none.
func (e entries) line(entry int) int {
	if entry >= len(e.heads) {
		return 0
	}
	return e.heads[entry] + 1
}

// at is " (line N)" for the first line of an entry that has a text, or empty.
func (e entries) at(entry int, text string) string {
	if entry >= len(e.heads) {
		return ""
	}
	end := len(e.lines)
	if entry+1 < len(e.heads) {
		end = e.heads[entry+1]
	}
	for n := e.heads[entry]; n < end; n++ {
		if bytes.Contains(e.lines[n], []byte(text)) {
			return fmt.Sprintf(" (line %d)", n+1)
		}
	}
	return ""
}
