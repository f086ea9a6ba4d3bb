package metadata

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/url"
	"path/filepath"
	"runtime"
	"sort"
	"strings"

	"glassjar/core/internal/lazy"
	"glassjar/core/tags"
	"glassjar/core/version"
)

// WheelFile is the WHEEL file of a wheel.
type WheelFile struct {
	// Version is the format's version, such as "1.0".
	Version   version.Version
	Generator string
	// Purelib says which site folder the root of the archive goes to.
	Purelib bool
	Tags    []tags.Tag
	Build   string
}

// ParseWheelFile reads a WHEEL file. The error wraps [ErrInvalid].
func ParseWheelFile(data []byte) (WheelFile, error) {
	fields, err := Fields(data)
	if err != nil {
		return WheelFile{}, err
	}
	w := WheelFile{}
	for _, f := range fields {
		switch f.Name {
		case "wheel-version":
			if w.Version, err = version.Parse(f.Value); err != nil {
				return w, Invalid("Wheel-Version: %v", err)
			}
		case "generator":
			w.Generator = f.Value
		case "root-is-purelib":
			w.Purelib = strings.EqualFold(f.Value, "true")
		case "tag":
			list, err := tags.Parse(f.Value)
			if err != nil {
				return w, Invalid("Tag: %v", err)
			}
			w.Tags = append(w.Tags, list...)
		case "build":
			w.Build = f.Value
		}
	}
	if w.Version.IsZero() {
		return w, Invalid("WHEEL has no Wheel-Version")
	}
	return w, nil
}

// EntryPoint is one line of entry_points.txt (the entry points specification).
type EntryPoint struct {
	Group, Name string
	// Module is dotted; Attr is dotted or empty.
	Module, Attr string
	Extras       []string
}

// The groups for which scripts are made.
const (
	ConsoleScripts = "console_scripts"
	GUIScripts     = "gui_scripts"
)

var (
	objectForm = lazy.Pattern(`^([\w.]+)\s*(?::\s*([\w.]+)\s*)?(?:\[(.*)\]\s*)?$`)
	scriptName = lazy.Pattern(`^[\w.-]+$`)
	identifier = lazy.Pattern(`^[\pL_][\pL\pN_]*$`)
)

// ParseEntryPoints reads entry_points.txt, sorted by group and name. Lines that are
// not as they should be are passed over, and faults say which and why.
func ParseEntryPoints(data []byte) (out []EntryPoint, faults []string) {
	seen := map[[2]string]bool{}
	group := ""
	for n, line := range strings.Split(string(data), "\n") {
		line = strings.TrimSpace(line)
		if line == "" || line[0] == '#' || line[0] == ';' {
			continue
		}
		fail := func(why string) { faults = append(faults, fmt.Sprintf("entry_points.txt, line %d: %s", n+1, why)) }
		if line[0] == '[' {
			name, ok := strings.CutSuffix(line[1:], "]")
			if group = strings.TrimSpace(name); !ok || group == "" {
				group = ""
				fail(fmt.Sprintf("%q is not a group", line))
			}
			continue
		}
		name, object, ok := strings.Cut(line, "=")
		name = strings.TrimSpace(name)
		m := objectForm().FindStringSubmatch(strings.TrimSpace(object))
		if !ok || group == "" || name == "" || m == nil {
			fail(fmt.Sprintf("%q is not name = module:object below a group", line))
			continue
		}
		e := EntryPoint{Group: group, Name: name, Module: m[1], Attr: m[2]}
		for _, extra := range strings.Split(m[3], ",") {
			if extra = strings.TrimSpace(extra); extra != "" {
				e.Extras = append(e.Extras, extra)
			}
		}
		if seen[[2]string{group, name}] {
			fail(fmt.Sprintf("%s is there twice", name))
			continue
		}
		seen[[2]string{group, name}] = true
		out = append(out, e)
	}
	sort.Slice(out, func(i, j int) bool {
		if out[i].Group != out[j].Group {
			return out[i].Group < out[j].Group
		}
		return out[i].Name < out[j].Name
	})
	return out, faults
}

// Script reports whether a script is to be made for the entry point. An entry
// point of a script group that no script can be made for is an error: its name
// would leave the scripts folder, or it names nothing to call.
func (e EntryPoint) Script() (bool, error) {
	if e.Group != ConsoleScripts && e.Group != GUIScripts {
		return false, nil
	}
	if !scriptName().MatchString(e.Name) || strings.Trim(e.Name, ".") == "" {
		return false, Invalid("the script name %q is not a plain file name", e.Name)
	}
	if e.Attr == "" {
		return false, Invalid("the script %s names no function to call", e.Name)
	}
	for _, part := range append(strings.Split(e.Module, "."), strings.Split(e.Attr, ".")...) {
		if !identifier().MatchString(part) {
			return false, Invalid("the script %s calls %s:%s, which is not Python", e.Name, e.Module, e.Attr)
		}
	}
	return true, nil
}

// DirectURL is direct_url.json (PEP 610): where a distribution came from that
// no index gave.
type DirectURL struct {
	URL         string       `json:"url"`
	Subdir      string       `json:"subdirectory,omitempty"`
	ArchiveInfo *ArchiveInfo `json:"archive_info,omitempty"`
	DirInfo     *DirInfo     `json:"dir_info,omitempty"`
	VCSInfo     *VCSInfo     `json:"vcs_info,omitempty"`
}

// ArchiveInfo holds an archive's hashes, by algorithm, in hex.
type ArchiveInfo struct {
	Hash   string            `json:"hash,omitempty"`
	Hashes map[string]string `json:"hashes,omitempty"`
}

// DirInfo tells of a local folder.
type DirInfo struct {
	Editable bool `json:"editable,omitempty"`
}

// VCSInfo tells of a version control system's state.
type VCSInfo struct {
	VCS               string `json:"vcs"`
	RequestedRevision string `json:"requested_revision,omitempty"`
	CommitID          string `json:"commit_id"`
}

// ParseDirectURL reads direct_url.json. The error wraps [ErrInvalid].
func ParseDirectURL(data []byte) (DirectURL, error) {
	var d DirectURL
	if err := json.Unmarshal(data, &d); err != nil {
		return d, Invalid("direct_url.json: %v", err)
	}
	kinds := 0
	for _, there := range []bool{d.ArchiveInfo != nil, d.DirInfo != nil, d.VCSInfo != nil} {
		if there {
			kinds++
		}
	}
	if d.URL == "" || kinds != 1 {
		return d, Invalid("direct_url.json needs url and one of archive_info, dir_info and vcs_info")
	}
	return d, nil
}

// Format writes the file with a line's end.
func (d DirectURL) Format() []byte {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	_ = e.Encode(d) // strings and maps of strings always encode
	return b.Bytes()
}

// FileURL is the file: address of an absolute path.
func FileURL(path string) string {
	path = filepath.ToSlash(path)
	if !strings.HasPrefix(path, "/") {
		path = "/" + path // a drive letter on Windows
	}
	return (&url.URL{Scheme: "file", Path: path}).String()
}

// PathOf is the path that a file: address names. On Windows that of another machine names
// what that machine shares.
func PathOf(address string) (string, bool) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "file" || u.Path == "" {
		return "", false
	}
	if u.Host != "" && u.Host != "localhost" {
		return filepath.FromSlash("//" + u.Host + u.Path), runtime.GOOS == "windows"
	}
	path := u.Path
	if len(path) > 2 && path[0] == '/' && path[2] == ':' {
		path = path[1:] // a drive
	}
	return filepath.FromSlash(path), true
}
