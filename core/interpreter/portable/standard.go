package portable

import (
	"bytes"
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"strings"

	"glassjar/core/limits"
	"glassjar/core/metadata"
)

// Folder is that of a file's own metadata (PEP 711).
const Folder = "pybi-info"

// Standard is what a file of PEP 711 says of the Python in it.
type Standard struct {
	// Tags are its platform tags, WheelTags the tags of packages that it takes, "PLATFORM"
	// where the machine's stands, the most preferred first.
	Tags, WheelTags []string
	// Variables are marker variables (PEP 508) that are the same wherever it is unpacked.
	Variables map[string]string
	// Paths are those of sysconfig, relative.
	Paths map[string]string
	// External are shared libraries that it looks for in the system (core metadata,
	// Requires-External).
	External []string
	// Warnings are remarks that hinder nobody.
	Warnings []string
}

// readStandard reads the metadata of PEP 711, and compares it with the file's name.
func (a *Archive) readStandard() error {
	format, err := a.text("PYBI")
	if err != nil {
		return err
	}
	s := &Standard{}
	major := ""
	for _, f := range fields(format) {
		switch f[0] {
		case "Pybi-Version":
			var minor string
			major, minor, _ = strings.Cut(f[1], ".")
			if major == "1" && minor != "0" {
				s.Warnings = append(s.Warnings, "its format is "+f[1]+", newer than 1.0")
			}
		case "Tag":
			s.Tags = append(s.Tags, f[1])
		}
	}
	if major != "1" {
		return a.refuse(Folder+"/PYBI", "its format is none that this program knows (1.0)")
	}
	text, err := a.text("METADATA")
	if err != nil {
		return err
	}
	for _, f := range fields(text) {
		if err := a.takeField(s, f[0], f[1]); err != nil {
			return err
		}
	}
	if s.Paths["scripts"] == "" {
		return a.refuse(Folder+"/METADATA", "it does not say where programs are (Pybi-Paths)")
	}
	if wrong := slices.DeleteFunc(slices.Clone(a.Name.Platforms), func(tag string) bool { return slices.Contains(s.Tags, tag) }); len(wrong) > 0 {
		return a.refuse(Folder+"/PYBI", "it is not for "+strings.Join(wrong, ", ")+", as the file's name says")
	}
	a.Standard = s
	a.Program = path.Join(s.Paths["scripts"], "python")
	if slices.ContainsFunc(a.Files, func(f File) bool { return f.Path == a.Program+".exe" }) {
		a.Program += ".exe"
	}
	return a.readRecord()
}

func (a *Archive) takeField(s *Standard, key, value string) error {
	refuse := func(why string) error { return a.refuse(Folder+"/METADATA", why) }
	switch key {
	case "Name":
		if !strings.EqualFold(value, a.Name.Implementation) {
			return refuse("it is of " + value)
		}
	case "Version":
		if value != a.Name.Version.String() {
			return refuse("it is of version " + value)
		}
	case "Requires-Dist", "Provides-Extra", "Requires-Python":
		return refuse("the field " + key + " has no place there")
	case "Requires-External":
		s.External = append(s.External, value)
	case "Pybi-Wheel-Tag":
		s.WheelTags = append(s.WheelTags, value)
	case "Pybi-Environment-Marker-Variables":
		if json.Unmarshal([]byte(value), &s.Variables) != nil {
			return refuse(key + " is no JSON object of texts")
		}
	case "Pybi-Paths":
		if json.Unmarshal([]byte(value), &s.Paths) != nil {
			return refuse(key + " is no JSON object of texts")
		}
		for _, p := range s.Paths {
			if why := linkFault("x", p); why != "" {
				return refuse("a path of " + key + ": " + why)
			}
		}
	}
	return nil
}

// readRecord takes the hashes of RECORD, which lists each file and link, and nothing else.
func (a *Archive) readRecord() error {
	text, err := a.text("RECORD")
	if err != nil {
		return err
	}
	listed, err := metadata.ParseRecord(text)
	if err != nil {
		return a.refuse(Folder+"/RECORD", err.Error())
	}
	record := map[string]metadata.RecordEntry{}
	for _, e := range listed {
		record[e.Path] = e
	}
	for i := range a.Files {
		f := &a.Files[i]
		e, ok := record[f.Path]
		if f.Path == Folder+"/RECORD" || f.Path == Folder+"/RECORD.jws" || f.Path == Folder+"/RECORD.p7s" {
			continue
		}
		sum, known := metadata.HexOfRecordHash(e.Hash)
		switch {
		case !ok:
			return a.refuse(f.Path, "RECORD does not list it")
		case !known:
			return a.refuse(f.Path, "RECORD gives no SHA-256 for it")
		case e.Size >= 0 && e.Size != f.Size:
			return a.refuse(f.Path, fmt.Sprintf("it has %d bytes, and RECORD says %d", f.Size, e.Size))
		}
		f.SHA256, f.Hash = sum, e.Hash
		delete(record, f.Path)
	}
	for _, l := range a.Links {
		if e := record[l.Path]; e.Hash != "symlink="+l.Target {
			return a.refuse(l.Path, "RECORD does not list it as a link to "+l.Target)
		}
		delete(record, l.Path)
	}
	for name := range record {
		if name != Folder+"/RECORD" {
			return a.refuse(name, "RECORD lists it, and it is not there")
		}
	}
	return nil
}

// text is a file of the metadata.
func (a *Archive) text(name string) ([]byte, error) {
	name = Folder + "/" + name
	i := slices.IndexFunc(a.Files, func(f File) bool { return f.Path == name })
	if i < 0 {
		return nil, a.refuse(name, "it is not there")
	}
	if a.Files[i].Size > limits.Metadata {
		return nil, &limits.Error{What: name, Limit: limits.Metadata, Unit: "bytes"}
	}
	var b bytes.Buffer
	err := a.Files[i].Copy(&b)
	return b.Bytes(), err
}

// fields are the "Key: value" lines of a text, up to an empty line.
func fields(text []byte) (out [][2]string) {
	for line := range strings.Lines(string(text)) {
		line = strings.TrimRight(line, "\r\n")
		if line == "" {
			break
		}
		if key, value, ok := strings.Cut(line, ":"); ok && key != "" && key[0] != ' ' && key[0] != '\t' {
			out = append(out, [2]string{key, strings.TrimSpace(value)})
		}
	}
	return out
}
