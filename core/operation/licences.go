package operation

import (
	"context"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/licence"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// LicencesOptions say of what.
type LicencesOptions struct {
	Jar string
	// Record looks at the record in place of the jar, Shelf at all jars and records known here.
	Record, Shelf bool
}

// Licences are the terms under which distributions are.
type Licences struct {
	Of []LicencesOf
	// Refused is how many are not allowed.
	Refused int
}

// LicencesOf are those of a jar, or of a record.
type LicencesOf struct {
	Subject
	// InRecord tells that the record was looked at; Allowed is what its spec allows, empty where
	// it says nothing of that.
	InRecord bool
	Allowed  []string
	Packages []LicensedPackage
	// Err is why it could not be read.
	Err error
}

// LicensedPackage is one distribution.
type LicensedPackage struct {
	Name, Version string
	licence.Licence
	// Allowed tells that it is, or that the spec says nothing of that.
	Allowed bool
}

// Licences tells under which terms the distributions of a jar, of a record, or of all that are known
// here are. What is not allowed by the spec is counted.
func (m *Machine) Licences(ctx context.Context, opt LicencesOptions) (*Licences, error) {
	out := &Licences{Of: []LicencesOf{}}
	if !opt.Shelf {
		at, err := m.Places().Locate(opt.Jar, false)
		if err != nil {
			return nil, err
		}
		one := m.subjectAt(at)
		if _, err := m.open(at); err != nil && one.Record == "" {
			return nil, err
		}
		if opt.Record || one.Jar == "" {
			one.Jar, one.Record = "", at.RecordFile
		} else {
			one.Record = ""
		}
		spec, err := readSpec(at)
		if err != nil {
			return nil, err
		}
		of, err := m.licencesOf(ctx, one, spec)
		if err != nil {
			return nil, err
		}
		out.add(of)
		return out, nil
	}
	subjects, err := m.subjects()
	if err != nil {
		return nil, err
	}
	for _, s := range subjects {
		spec, err := m.specOf(s)
		of := LicencesOf{Subject: s}
		if err == nil {
			of, err = m.licencesOf(ctx, s, spec)
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil {
			of = LicencesOf{Subject: s, Allowed: []string{}, Packages: []LicensedPackage{}, Err: err}
		}
		out.add(of)
	}
	return out, nil
}

// subjectAt is the jar at a place with its record, as far as they are there.
func (m *Machine) subjectAt(at place.Place) Subject {
	s := Subject{Name: at.Prompt()}
	if at.Exists() {
		s.Jar = at.Root
	}
	if fileExists(at.RecordFile) {
		s.Record = at.RecordFile
	}
	return s
}

// specOf is the spec of a subject: of its jar, or that which its record is of.
func (m *Machine) specOf(s Subject) (*project.Spec, error) {
	if s.Jar != "" {
		return readSpec(m.Places().At(s.Jar, place.Named))
	}
	file := project.RecordedScript(s.Record)
	if file == "" {
		return project.ReadSpec(filepath.Join(filepath.Dir(s.Record), project.SpecFile))
	}
	script, err := project.ReadScript(file)
	if err != nil {
		return nil, m.ofScript(file, err)
	}
	return project.ParseSpec(file, script.Spec)
}

func (l *Licences) add(of LicencesOf) {
	for _, p := range of.Packages {
		if !p.Allowed {
			l.Refused++
		}
	}
	l.Of = append(l.Of, of)
}

// licencesOf are those of the jar of a subject, or else of its record.
func (m *Machine) licencesOf(ctx context.Context, s Subject, spec *project.Spec) (LicencesOf, error) {
	out := LicencesOf{Subject: s, InRecord: s.Jar == "", Allowed: []string{}, Packages: []LicensedPackage{}}
	rule, err := ruleOf(spec)
	if err != nil {
		return out, err
	}
	out.Allowed = append(out.Allowed, rule.allowed...)
	if s.Jar != "" {
		j, err := jar.Open(s.Jar)
		if err != nil {
			return out, err
		}
		installed, err := j.Installed()
		if err != nil {
			return out, err
		}
		for _, d := range installed {
			p := rule.judge(d.Key(), d.Version().String(), d.Metadata)
			p.Files = textsIn(j, d)
			out.Packages = append(out.Packages, p)
		}
		return out, nil
	}
	record, err := project.ReadRecord(s.Record)
	if err != nil {
		return out, err
	}
	indexes, _ := m.indexes(spec)
	c := m.newCatalog(indexes)
	for _, e := range record.Packages {
		meta, _ := m.describedBy(ctx, c, record, e) // of what cannot be had nothing is said
		out.Packages = append(out.Packages, rule.judge(e.Name, e.Version.String(), meta))
	}
	return out, ctx.Err()
}

// licenceRule is what a spec says of licences.
type licenceRule struct {
	allowed []string
	of      map[string]string
}

// ruleOf reads tool.glassjar.licences. The error is a [*project.FileError].
func ruleOf(spec *project.Spec) (licenceRule, error) {
	rule := licenceRule{of: map[string]string{}}
	t := spec.Tool.Licences
	for _, id := range t.Allow {
		e := licence.Expression(id)
		if e == "" {
			return rule, &project.FileError{File: spec.File, Where: "tool.glassjar.licences.allow", Why: `"` + id + `" is not an identifier of SPDX, such as MIT or Apache-2.0`}
		}
		rule.allowed = append(rule.allowed, e)
	}
	for name, text := range t.Of {
		e := licence.Expression(text)
		if e == "" {
			return rule, &project.FileError{File: spec.File, Where: "tool.glassjar.licences.of." + name, Why: `"` + text + `" is not an expression of SPDX, such as "MIT OR Apache-2.0"`}
		}
		rule.of[requirement.Normalize(name)] = e
	}
	return rule, nil
}

// judge tells the licence of a distribution, and whether it is allowed.
func (r licenceRule) judge(name, version string, meta metadata.Metadata) LicensedPackage {
	p := LicensedPackage{Name: name, Version: version, Licence: licence.Of(meta), Allowed: true}
	if e, said := r.of[name]; said {
		p.Expression, p.From = e, licence.FromSpec
	}
	if len(r.allowed) > 0 {
		ok, err := licence.Allowed(p.Expression, r.allowed)
		p.Allowed = p.Clear() && err == nil && ok
	}
	if p.Files == nil {
		p.Files = []string{}
	}
	return p
}

// textsIn are the files of a distribution that have the text of its licence, as paths in the jar.
func textsIn(j *jar.Jar, d jar.Installed) []string {
	out := []string{}
	files, _ := j.Files(d) // a RECORD that is gone names none
	for _, f := range files {
		in, ok := strings.CutPrefix(f.Path, d.Info+"/")
		if ok && (licence.IsText(in) || strings.HasPrefix(in, "licenses/") || slices.Contains(d.Metadata.LicenseFiles, in)) {
			out = append(out, f.Path)
		}
	}
	return out
}
