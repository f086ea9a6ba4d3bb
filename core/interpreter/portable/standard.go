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
	// Tags are its platform tags. Which packages it takes, and the values of markers, it is
	// asked itself.
	Tags []string
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
	format, err := a.fields("PYBI")
	if err != nil {
		return err
	}
	s := &Standard{}
	major := ""
	for _, f := range format {
		switch f.Name {
		case "pybi-version":
			var minor string
			major, minor, _ = strings.Cut(f.Value, ".")
			if major == "1" && minor != "0" {
				s.Warnings = append(s.Warnings, "its format is "+f.Value+", newer than 1.0")
			}
		case "tag":
			s.Tags = append(s.Tags, f.Value)
		}
	}
	if major != "1" {
		return a.refuse(Folder+"/PYBI", "its format is none that this program knows (1.0)")
	}
	text, err := a.fields("METADATA")
	if err != nil {
		return err
	}
	for _, f := range text {
		if err := a.takeField(s, f.Name, f.Value); err != nil {
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
	case "name":
		if !strings.EqualFold(value, a.Name.Implementation) {
			return refuse("it is of " + value)
		}
	case "version":
		if value != a.Name.Version.String() {
			return refuse("it is of version " + value)
		}
	case "requires-dist", "provides-extra", "requires-python":
		return refuse("the field " + key + " has no place there")
	case "requires-external":
		s.External = append(s.External, value)
	case "pybi-environment-marker-variables":
		var variables map[string]string
		if json.Unmarshal([]byte(value), &variables) != nil {
			return refuse(key + " is no JSON object of texts")
		}
		if full := variables["python_full_version"]; a.Name.Implementation == "cpython" && full != "" && full != a.Name.Version.String() {
			return refuse("python_full_version is " + full)
		}
	case "pybi-paths":
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

// fields are those of a file of the metadata.
func (a *Archive) fields(name string) ([]metadata.Field, error) {
	text, err := a.text(name)
	if err != nil {
		return nil, err
	}
	list, err := metadata.Fields(text)
	if err != nil {
		return nil, a.refuse(Folder+"/"+name, err.Error())
	}
	return list, nil
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
