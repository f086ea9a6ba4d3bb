package operation

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"net/url"
	"slices"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/licence"
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
	const root = "project"
	bom := bom{Schema: "http://cyclonedx.org/schema/bom-1.6.schema.json", Format: "CycloneDX", SpecVersion: "1.6", Version: 1}
	bom.Metadata.Component = bomComponent{Ref: root, Type: "application", Name: at.Prompt(), Version: spec.Version}
	bom.Metadata.Tools.Components = []bomComponent{{Type: "application", Name: "glassjar"}}
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
	bom.Components = []bomComponent{}
	bom.Dependencies = []bomDependency{{root, asked}}
	indexes, _ := m.indexes(spec)
	c := m.newCatalog(indexes)
	for _, p := range listed {
		bom.Components = append(bom.Components, m.component(ctx, c, record, p))
		on := []string{}
		for _, d := range p.Dependencies {
			for _, other := range refs[d.Name] {
				if d.Version.IsZero() || d.Version.Equal(other.Version) {
					on = append(on, packageURL(other))
				}
			}
		}
		bom.Dependencies = append(bom.Dependencies, bomDependency{packageURL(p), on})
	}
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	if err := e.Encode(bom); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// The parts of a CycloneDX document (specification 1.6, JSON) that this program writes. The
// standard's library is not linked for them: it takes a quarter of the time in which the program
// starts, whatever the command. The tests read the document with it.
type bom struct {
	Schema      string `json:"$schema"`
	Format      string `json:"bomFormat"`
	SpecVersion string `json:"specVersion"`
	Version     int    `json:"version"`
	Metadata    struct {
		Tools struct {
			Components []bomComponent `json:"components"`
		} `json:"tools"`
		Component bomComponent `json:"component"`
	} `json:"metadata"`
	Components   []bomComponent  `json:"components"`
	Dependencies []bomDependency `json:"dependencies"`
}

type bomComponent struct {
	Ref        string         `json:"bom-ref,omitempty"`
	Type       string         `json:"type"`
	Name       string         `json:"name"`
	Version    string         `json:"version,omitempty"`
	Licenses   []any          `json:"licenses,omitempty"`
	PackageURL string         `json:"purl,omitempty"`
	References []bomReference `json:"externalReferences,omitempty"`
	Properties []bomProperty  `json:"properties,omitempty"`
}

type bomReference struct {
	URL     string    `json:"url"`
	Comment string    `json:"comment,omitempty"`
	Hashes  []bomHash `json:"hashes,omitempty"`
	Type    string    `json:"type"`
}

type bomHash struct {
	Algorithm string `json:"alg"`
	Value     string `json:"content"`
}

type bomProperty struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

type bomDependency struct {
	Ref string   `json:"ref"`
	On  []string `json:"dependsOn,omitempty"`
}

// A licence is an expression, or a name.
type (
	bomExpression struct {
		Expression string `json:"expression"`
	}
	bomLicense struct {
		License struct {
			Name string `json:"name"`
		} `json:"license"`
	}
)

var bomAlgorithms = map[string]string{
	"md5": "MD5", "sha1": "SHA-1", digest.SHA256: "SHA-256", "sha384": "SHA-384", "sha512": "SHA-512", "sha3_256": "SHA3-256", "sha3_512": "SHA3-512",
}

// component is one entry of a record as the document has it.
func (m *Machine) component(ctx context.Context, c *catalog.Catalog, record *project.Record, p project.Package) bomComponent {
	out := bomComponent{Ref: packageURL(p), Type: "library", Name: p.Name, Version: p.Version.String(), PackageURL: packageURL(p)}
	for _, f := range p.Files() {
		hashes := []bomHash{}
		for _, algorithm := range sortedNames(f.Hashes) {
			if known, ok := bomAlgorithms[algorithm]; ok {
				hashes = append(hashes, bomHash{known, f.Hashes[algorithm]})
			}
		}
		out.References = append(out.References, bomReference{Type: "distribution", URL: cmp.Or(f.URL, f.Path), Hashes: hashes})
	}
	if v := p.VCS; v != nil {
		out.References = append(out.References, bomReference{Type: "vcs", URL: cmp.Or(v.URL, v.Path), Comment: "commit " + v.Commit})
	}
	if !p.Marker.IsZero() {
		out.Properties = []bomProperty{{"glassjar:marker", p.Marker.String()}}
	}
	if meta, ok := m.describedBy(ctx, c, record, p); ok {
		switch l := licence.Of(meta); {
		case l.Clear():
			out.Licenses = []any{bomExpression{l.Expression}}
		case l.Name() != "":
			var named bomLicense
			named.License.Name = l.Name()
			out.Licenses = []any{named}
		}
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

// packageURL is the purl of an entry, as the SBOM's standard asks for (the purl specification,
// "How to build"). What no index has is of no index's type.
func packageURL(p project.Package) string {
	kind, from := "pypi", ""
	if p.VCS != nil || p.Directory != nil {
		kind = "generic"
		if p.VCS != nil && p.VCS.URL != "" {
			r := source.Repository{URL: p.VCS.URL, Requested: p.VCS.Commit}
			from = "?vcs_url=" + purlEscape(r.Address())
		}
	}
	text := "pkg:" + kind + "/" + purlEscape(p.Name)
	if v := p.Version.String(); v != "" {
		text += "@" + purlEscape(v)
	}
	return text + from
}

// purlEscape percent-encodes all but what the purl specification leaves as it is.
func purlEscape(text string) string {
	return strings.ReplaceAll(strings.ReplaceAll(url.QueryEscape(text), "+", "%20"), "%3A", ":")
}
