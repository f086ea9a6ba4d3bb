package operation

import (
	"context"
	"slices"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/licence"
	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// Licences are the terms under which distributions are.
type Licences struct {
	Of []LicencesOf
	// Refused is how many are not allowed.
	Refused int
}

// LicencesOf are those of a jar, or of a record.
type LicencesOf struct {
	Subject
	// Allowed is what its spec allows, empty where it says nothing of that.
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
func (m *Machine) Licences(ctx context.Context, opt SubjectOptions) (*Licences, error) {
	out := &Licences{Of: []LicencesOf{}}
	err := m.eachSubject(ctx, opt, func(s Subject, spec *project.Spec) error {
		of, err := m.licencesOf(ctx, s, spec)
		if err == nil {
			out.add(of)
		}
		return err
	}, func(s Subject, err error) {
		out.Of = append(out.Of, LicencesOf{Subject: s, Allowed: []string{}, Packages: []LicensedPackage{}, Err: err})
	})
	return out, err
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
	out := LicencesOf{Subject: s, Allowed: []string{}, Packages: []LicensedPackage{}}
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
