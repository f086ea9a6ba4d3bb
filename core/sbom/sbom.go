// Package sbom writes bills of materials in the CycloneDX format, out of records.
package sbom

import (
	"bytes"
	"cmp"
	"encoding/json"
	"maps"
	"net/url"
	"slices"
	"strings"

	"glassjar/core/digest"
	"glassjar/core/licence"
	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
)

// Project is what the document is of, the root of its graph.
type Project struct{ Name, Version string }

// Described is the metadata of an entry of a record, if it is to be had.
type Described func(project.Package) (metadata.Metadata, bool)

// Write is a CycloneDX document (JSON): the project at the root of the graph, with what it asks for,
// and each entry of the record with its files and its licence.
func Write(of Project, record *project.Record, described Described) ([]byte, error) {
	const root = "project"
	doc := document{Schema: "http://cyclonedx.org/schema/bom-1.6.schema.json", Format: "CycloneDX", SpecVersion: "1.6", Version: 1}
	doc.Metadata.Component = component{Ref: root, Type: "application", Name: of.Name, Version: of.Version}
	doc.Metadata.Tools.Components = []component{{Type: "application", Name: "glassjar"}}
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
	doc.Components = []component{}
	doc.Dependencies = []dependency{{root, asked}}
	for _, p := range listed {
		doc.Components = append(doc.Components, entry(p, described))
		on := []string{}
		for _, d := range p.Dependencies {
			for _, other := range refs[d.Name] {
				if d.Version.IsZero() || d.Version.Equal(other.Version) {
					on = append(on, packageURL(other))
				}
			}
		}
		doc.Dependencies = append(doc.Dependencies, dependency{packageURL(p), on})
	}
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	if err := e.Encode(doc); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// The parts of a CycloneDX document (specification 1.6, JSON) that this program writes. The
// standard's library is not linked for them: it takes a quarter of the time in which the program
// starts, whatever the command. The tests read the document with it.
type document struct {
	Schema      string `json:"$schema"`
	Format      string `json:"bomFormat"`
	SpecVersion string `json:"specVersion"`
	Version     int    `json:"version"`
	Metadata    struct {
		Tools struct {
			Components []component `json:"components"`
		} `json:"tools"`
		Component component `json:"component"`
	} `json:"metadata"`
	Components   []component  `json:"components"`
	Dependencies []dependency `json:"dependencies"`
}

type component struct {
	Ref        string      `json:"bom-ref,omitempty"`
	Type       string      `json:"type"`
	Name       string      `json:"name"`
	Version    string      `json:"version,omitempty"`
	Licenses   []any       `json:"licenses,omitempty"`
	PackageURL string      `json:"purl,omitempty"`
	References []reference `json:"externalReferences,omitempty"`
	Properties []property  `json:"properties,omitempty"`
}

type reference struct {
	URL     string `json:"url"`
	Comment string `json:"comment,omitempty"`
	Hashes  []hash `json:"hashes,omitempty"`
	Type    string `json:"type"`
}

type hash struct {
	Algorithm string `json:"alg"`
	Value     string `json:"content"`
}

type property struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

type dependency struct {
	Ref string   `json:"ref"`
	On  []string `json:"dependsOn,omitempty"`
}

// A licence is an expression, or a name.
type (
	expression struct {
		Expression string `json:"expression"`
	}
	license struct {
		License struct {
			Name string `json:"name"`
		} `json:"license"`
	}
)

var algorithms = map[string]string{
	"md5": "MD5", "sha1": "SHA-1", digest.SHA256: "SHA-256", "sha384": "SHA-384", "sha512": "SHA-512", "sha3_256": "SHA3-256", "sha3_512": "SHA3-512",
}

// entry is one of a record as the document has it.
func entry(p project.Package, described Described) component {
	out := component{Ref: packageURL(p), Type: "library", Name: p.Name, Version: p.Version.String(), PackageURL: packageURL(p)}
	for _, f := range p.Files() {
		hashes := []hash{}
		for _, algorithm := range slices.Sorted(maps.Keys(f.Hashes)) {
			if known, ok := algorithms[algorithm]; ok {
				hashes = append(hashes, hash{known, f.Hashes[algorithm]})
			}
		}
		out.References = append(out.References, reference{Type: "distribution", URL: cmp.Or(f.URL, f.Path), Hashes: hashes})
	}
	if v := p.VCS; v != nil {
		out.References = append(out.References, reference{Type: "vcs", URL: cmp.Or(v.URL, v.Path), Comment: "commit " + v.Commit})
	}
	if !p.Marker.IsZero() {
		out.Properties = []property{{"glassjar:marker", p.Marker.String()}}
	}
	if meta, ok := described(p); ok {
		switch l := licence.Of(meta); {
		case l.Clear():
			out.Licenses = []any{expression{l.Expression}}
		case l.Name() != "":
			var named license
			named.License.Name = l.Name()
			out.Licenses = []any{named}
		}
	}
	return out
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
