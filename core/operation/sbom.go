package operation

import (
	"bytes"
	"cmp"
	"context"
	"slices"
	"strings"

	cyclonedx "github.com/CycloneDX/cyclonedx-go"
	"github.com/package-url/packageurl-go"

	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
)

// exportSBOM is a CycloneDX document: the project at the root of the graph, with what
// it asks for, and each entry of the record with its files and its licence.
func (m *Machine) exportSBOM(ctx context.Context, at place.Place, record *project.Record) ([]byte, error) {
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	bom := cyclonedx.NewBOM()
	bom.SerialNumber = ""
	const root = "project"
	bom.Metadata = &cyclonedx.Metadata{
		Component: &cyclonedx.Component{BOMRef: root, Type: cyclonedx.ComponentTypeApplication, Name: at.Prompt(), Version: spec.Version},
		Tools:     &cyclonedx.ToolsChoice{Components: &[]cyclonedx.Component{{Type: cyclonedx.ComponentTypeApplication, Name: "glassjar"}}},
	}
	refs := map[string][]project.Package{}
	listed := slices.DeleteFunc(slices.Clone(record.Packages), func(p project.Package) bool {
		return p.Directory != nil && p.Directory.Path == "." // it is the root
	})
	for _, p := range listed {
		refs[p.Name] = append(refs[p.Name], p)
	}
	asked := []string{}
	seen := map[string]bool{}
	for _, text := range record.Asked {
		_, want := project.ReadAsks(text)
		r, err := requirement.Parse(want)
		if err != nil || seen[r.Key()] {
			continue
		}
		seen[r.Key()] = true
		for _, p := range refs[r.Key()] {
			asked = append(asked, packageURL(p))
		}
	}
	components := []cyclonedx.Component{}
	dependencies := []cyclonedx.Dependency{{Ref: root, Dependencies: &asked}}
	indexes, _ := m.indexes(spec)
	c := m.newCatalog(indexes)
	for _, p := range listed {
		components = append(components, m.component(ctx, c, record, p))
		on := []string{}
		for _, d := range p.Dependencies {
			for _, other := range refs[d.Name] {
				if d.Version.IsZero() || d.Version.Equal(other.Version) {
					on = append(on, packageURL(other))
				}
			}
		}
		dependencies = append(dependencies, cyclonedx.Dependency{Ref: packageURL(p), Dependencies: &on})
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

var bomAlgorithms = map[string]cyclonedx.HashAlgorithm{
	"md5": cyclonedx.HashAlgoMD5, "sha1": cyclonedx.HashAlgoSHA1, digest.SHA256: cyclonedx.HashAlgoSHA256,
	"sha384": cyclonedx.HashAlgoSHA384, "sha512": cyclonedx.HashAlgoSHA512, "sha3_256": cyclonedx.HashAlgoSHA3_256, "sha3_512": cyclonedx.HashAlgoSHA3_512,
}

// component is one entry of a record as the document has it.
func (m *Machine) component(ctx context.Context, c *catalog.Catalog, record *project.Record, p project.Package) cyclonedx.Component {
	out := cyclonedx.Component{BOMRef: packageURL(p), Type: cyclonedx.ComponentTypeLibrary, Name: p.Name, Version: p.Version.String(), PackageURL: packageURL(p)}
	var references []cyclonedx.ExternalReference
	for _, f := range filesOf(p) {
		hashes := []cyclonedx.Hash{}
		for _, algorithm := range sortedNames(f.Hashes) {
			if known, ok := bomAlgorithms[algorithm]; ok {
				hashes = append(hashes, cyclonedx.Hash{Algorithm: known, Value: f.Hashes[algorithm]})
			}
		}
		address := f.URL
		if address == "" {
			address = f.Path
		}
		references = append(references, cyclonedx.ExternalReference{Type: cyclonedx.ERTypeDistribution, URL: address, Hashes: &hashes})
	}
	if v := p.VCS; v != nil {
		references = append(references, cyclonedx.ExternalReference{Type: cyclonedx.ERTypeVCS, URL: cmp.Or(v.URL, v.Path), Comment: "commit " + v.Commit})
	}
	if len(references) > 0 {
		out.ExternalReferences = &references
	}
	if !p.Marker.IsZero() {
		out.Properties = &[]cyclonedx.Property{{Name: "glassjar:marker", Value: p.Marker.String()}}
	}
	if meta, ok := m.describedBy(ctx, c, record, p); ok && meta.License != "" {
		choice := cyclonedx.LicenseChoice{License: &cyclonedx.License{Name: firstLine(meta.License)}}
		if meta.LicenseIsExpression {
			choice = cyclonedx.LicenseChoice{Expression: meta.License}
		}
		out.Licenses = &cyclonedx.Licenses{choice}
	}
	return out
}

func firstLine(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return strings.TrimSpace(line)
}

// describedBy is the metadata of an entry, from whichever of its files has it at hand,
// else asked for.
func (m *Machine) describedBy(ctx context.Context, c *catalog.Catalog, record *project.Record, p project.Package) (metadata.Metadata, bool) {
	list := p.Wheels
	if p.Archive != nil {
		list = append(list, *p.Archive)
	}
	for _, f := range list {
		if meta, err := c.Metadata(ctx, plan.RecordedFile(record, p, f)); err == nil {
			return meta, true
		}
	}
	return metadata.Metadata{}, false
}

// packageURL is the purl of an entry, as the SBOM's standard asks for. What no index has is
// of no index's type.
func packageURL(p project.Package) string {
	if p.VCS != nil || p.Directory != nil {
		var from packageurl.Qualifiers
		if p.VCS != nil && p.VCS.URL != "" {
			r := source.Repository{URL: p.VCS.URL, Requested: p.VCS.Commit}
			from = packageurl.QualifiersFromMap(map[string]string{"vcs_url": r.Address()})
		}
		return packageurl.NewPackageURL(packageurl.TypeGeneric, "", p.Name, p.Version.String(), from, "").ToString()
	}
	return packageurl.NewPackageURL(packageurl.TypePyPi, "", p.Name, p.Version.String(), nil, "").ToString()
}
