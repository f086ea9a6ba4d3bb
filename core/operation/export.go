package operation

import (
	"bytes"
	"context"
	"fmt"
	"sort"
	"strings"

	cyclonedx "github.com/CycloneDX/cyclonedx-go"

	"glassjar/core/jar"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// Forms in which a jar's contents are written for others.
const (
	AsLock = "lock"
	AsSpec = "spec"
	AsList = "list"
	AsSBOM = "sbom"
)

// Export writes what is recorded, or for a spec what is in the jar, in another
// form. Equal contents give equal bytes: no date, no path.
func (m *Machine) Export(ctx context.Context, ref, form string) ([]byte, error) {
	place, err := m.Locate(ref, false)
	if err != nil {
		return nil, err
	}
	if form == AsSpec {
		return steady(ctx, m, ref, func() ([]byte, error) { return m.exportSpec(ctx, place) })
	}
	record, err := project.ReadRecord(place.RecordFile)
	if err != nil {
		return nil, err
	}
	switch form {
	case AsList:
		return exportList(record), nil
	case AsSBOM:
		return exportSBOM(place, record)
	}
	return nil, usage("%q is not a form of a record", "the forms are lock, spec, list and sbom", form)
}

// exportList pins every entry, with its marker, one a line.
func exportList(record *project.Record) []byte {
	var b bytes.Buffer
	for _, p := range record.Packages {
		r := requirement.Requirement{Name: p.Name, Marker: p.Marker}
		line := r.String()
		switch {
		case p.Archive != nil && p.Archive.URL != "":
			r.URL = p.Archive.URL
			line = r.String()
		case !p.Version.IsZero():
			line = strings.Replace(line, p.Name, p.Name+"=="+p.Version.String(), 1)
		}
		b.WriteString(line + "\n")
	}
	return b.Bytes()
}

// exportSpec makes a spec of a jar that was filled by hand: what was asked
// for, or what nothing else needs, each from the version that is there up to
// the next that may break.
func (m *Machine) exportSpec(ctx context.Context, place Place) ([]byte, error) {
	j, err := m.open(place)
	if err != nil {
		return nil, err
	}
	installed, err := j.Installed()
	if err != nil {
		return nil, err
	}
	needed := m.graph(ctx, j, installed).by
	var wants []string
	for _, d := range installed {
		if !d.Requested && len(needed[d.Key()]) > 0 {
			continue
		}
		wants = append(wants, rangeFor(d))
	}
	sort.Strings(wants)
	text, err := (&project.Spec{File: project.SpecFile}).Edit(project.Place{}, wants, nil, requirement.Normalize(projectName(place.Project+"/"+place.Prompt())))
	if err != nil {
		return nil, err
	}
	python := fmt.Sprintf("requires-python = \">=%d.%d\"\n", j.Layout().Major, j.Layout().Minor)
	return bytes.Replace(text, []byte("dependencies = ["), []byte(python+"dependencies = ["), 1), nil
}

// rangeFor admits the version that is there and later ones of the same first
// number; of versions that begin with 0 those of the same second.
func rangeFor(d jar.Installed) string {
	if d.Direct != nil {
		return d.Metadata.Name + " @ " + d.Direct.URL
	}
	v := d.Version()
	release := append(v.Release(), "0")
	from := strings.Join(release[:2], ".")
	if v.Epoch() != "0" {
		from = v.Epoch() + "!" + from
	}
	if v.IsPrerelease() {
		return fmt.Sprintf("%s>=%s", d.Key(), v.Public())
	}
	return fmt.Sprintf("%s~=%s", d.Key(), from)
}

// exportSBOM is a CycloneDX document.
func exportSBOM(place Place, record *project.Record) ([]byte, error) {
	bom := cyclonedx.NewBOM()
	bom.SerialNumber = ""
	bom.Metadata = &cyclonedx.Metadata{
		Component: &cyclonedx.Component{BOMRef: "project", Type: cyclonedx.ComponentTypeApplication, Name: place.Prompt()},
		Tools:     &cyclonedx.ToolsChoice{Components: &[]cyclonedx.Component{{Type: cyclonedx.ComponentTypeApplication, Name: "glassjar"}}},
	}
	refs := map[string][]string{}
	for _, p := range record.Packages {
		refs[p.Name] = append(refs[p.Name], packageURL(p))
	}
	components := []cyclonedx.Component{}
	dependencies := []cyclonedx.Dependency{}
	for _, p := range record.Packages {
		c := cyclonedx.Component{BOMRef: packageURL(p), Type: cyclonedx.ComponentTypeLibrary, Name: p.Name, Version: p.Version.String(), PackageURL: packageURL(p)}
		var references []cyclonedx.ExternalReference
		for _, f := range filesOf(p) {
			var hashes []cyclonedx.Hash
			if sum := f.Hashes["sha256"]; sum != "" {
				hashes = append(hashes, cyclonedx.Hash{Algorithm: cyclonedx.HashAlgoSHA256, Value: sum})
			}
			address := f.URL
			if address == "" {
				address = f.Path
			}
			references = append(references, cyclonedx.ExternalReference{Type: cyclonedx.ERTypeDistribution, URL: address, Hashes: &hashes})
		}
		c.ExternalReferences = &references
		if !p.Marker.IsZero() {
			c.Properties = &[]cyclonedx.Property{{Name: "glassjar:marker", Value: p.Marker.String()}}
		}
		components = append(components, c)
		on := []string{}
		for _, d := range p.Dependencies {
			on = append(on, refs[d]...)
		}
		dependencies = append(dependencies, cyclonedx.Dependency{Ref: c.BOMRef, Dependencies: &on})
	}
	bom.Components, bom.Dependencies = &components, &dependencies
	var b bytes.Buffer
	e := cyclonedx.NewBOMEncoder(&b, cyclonedx.BOMFileFormatJSON)
	e.SetPretty(true)
	if err := e.EncodeVersion(bom, cyclonedx.SpecVersion1_6); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// packageURL is the purl of an entry, as the SBOM's standard asks for.
func packageURL(p project.Package) string {
	return "pkg:pypi/" + p.Name + "@" + strings.NewReplacer("+", "%2B", "!", "%21").Replace(p.Version.String())
}

func filesOf(p project.Package) []project.PackageFile {
	list := append([]project.PackageFile(nil), p.Wheels...)
	for _, f := range []*project.PackageFile{p.Sdist, p.Archive} {
		if f != nil {
			list = append(list, *f)
		}
	}
	return list
}

func parseMinor(text string) (major, minor int, err error) {
	if n, _ := fmt.Sscanf(text, "%d.%d", &major, &minor); n != 2 {
		return 0, 0, usage("%q is not a version of Python such as 3.12", "with --target, --python takes the first two numbers", text)
	}
	return major, minor, nil
}
