package wheel

import (
	"fmt"
	"sort"
	"strings"
	"unicode/utf8"
)

// reserved are names that Windows keeps for devices, whatever follows a dot.
var reserved = map[string]bool{"con": true, "prn": true, "aux": true, "nul": true, "conin$": true, "conout$": true,
	"com0": true, "com1": true, "com2": true, "com3": true, "com4": true, "com5": true, "com6": true, "com7": true, "com8": true, "com9": true,
	"lpt0": true, "lpt1": true, "lpt2": true, "lpt3": true, "lpt4": true, "lpt5": true, "lpt6": true, "lpt7": true, "lpt8": true, "lpt9": true}

// PathFault says why a member's path is refused; empty if it is a plain
// relative path that stays below where it is put.
func PathFault(path string, limits Limits) string {
	switch {
	case path == "":
		return "its name is empty"
	case !utf8.ValidString(path):
		return "its name is not UTF-8"
	case strings.HasPrefix(path, "/"):
		return "its path is absolute"
	case strings.Contains(path, `\`):
		return "its path has a backslash"
	case len(path) > 1 && path[1] == ':':
		return "its path begins with a drive letter"
	case len(path) > 4096:
		return "its path is too long"
	}
	for i := 0; i < len(path); i++ {
		if path[i] < ' ' || path[i] == 0x7f {
			return "its name has a control character"
		}
	}
	for _, part := range strings.Split(path, "/") {
		switch {
		case part == "" || part == ".":
			return "its path has an empty part"
		case part == "..":
			return "its path leads out of the jar"
		case len(part) > 255:
			return "a part of its path is longer than 255 bytes"
		}
		if limits.WindowsNames {
			if why := windowsFault(part); why != "" {
				return why
			}
		}
	}
	return ""
}

// WindowsFault says why Windows cannot have a file of that name, or is empty.
func WindowsFault(name string) string { return windowsFault(name) }

func windowsFault(part string) string {
	stem, _, _ := strings.Cut(strings.ToLower(part), ".")
	switch {
	case reserved[strings.TrimRight(stem, " ")]:
		return fmt.Sprintf("%q is a device's name on Windows", part)
	case strings.ContainsAny(part, `<>:"|?*`):
		return fmt.Sprintf("%q has a character that Windows does not store", part)
	case strings.HasSuffix(part, ".") || strings.HasSuffix(part, " "):
		return fmt.Sprintf("%q ends in a dot or a space, which Windows drops", part)
	}
	return ""
}

// sorted puts the entries in an order that does not depend on the archive, and
// refuses two that would be the same file once installed.
func (w *Wheel) sorted() error {
	sort.Slice(w.Entries, func(i, j int) bool {
		a, b := w.Entries[i], w.Entries[j]
		if a.Scheme != b.Scheme {
			return a.Scheme < b.Scheme
		}
		return a.Path < b.Path
	})
	for i := 1; i < len(w.Entries); i++ {
		if a, b := w.Entries[i-1], w.Entries[i]; a.Scheme == b.Scheme && a.Path == b.Path {
			return w.refuse(b.member.Name, "it goes to the same place as "+a.member.Name)
		}
	}
	return nil
}
