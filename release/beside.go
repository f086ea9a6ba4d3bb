package main

import (
	"bytes"
	"compress/gzip"
	"debug/buildinfo"
	"os"
	"path"
	"path/filepath"
	"sort"
	"strings"
	"time"

	"github.com/CycloneDX/cyclonedx-go"
	"github.com/package-url/packageurl-go"
	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"glassjar/cli"
)

// beside are the files that go with the program: what everyone reads, the pages of the
// manual, and the completions.
func beside(version string, at time.Time) ([]file, error) {
	var out []file
	for _, name := range []string{"LICENSE", "README.md", "CHANGELOG.md"} {
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		out = append(out, file{name, 0o644, data})
	}
	root := cli.Commands()
	pages, err := manual(root, version, at)
	if err != nil {
		return nil, err
	}
	out = append(out, pages...)
	for _, c := range []struct {
		name string
		make func(*bytes.Buffer) error
	}{
		{"glassjar.bash", func(b *bytes.Buffer) error { return root.GenBashCompletionV2(b, true) }},
		{"_glassjar", func(b *bytes.Buffer) error { return root.GenZshCompletion(b) }},
		{"glassjar.fish", func(b *bytes.Buffer) error { return root.GenFishCompletion(b, true) }},
		{"glassjar.ps1", func(b *bytes.Buffer) error { return root.GenPowerShellCompletionWithDesc(b) }},
	} {
		var b bytes.Buffer
		if err := c.make(&b); err != nil {
			return nil, err
		}
		out = append(out, file{"completions/" + c.name, 0o644, b.Bytes()})
	}
	return out, nil
}

// manual are the pages of the manual, one for each command, packed as systems have them.
func manual(root *cobra.Command, version string, at time.Time) ([]file, error) {
	dir, err := os.MkdirTemp("", "manual-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	root.DisableAutoGenTag = true
	if err := doc.GenManTree(root, &doc.GenManHeader{Section: "1", Source: "glassjar " + version, Manual: "Glass Jar", Date: &at}, dir); err != nil {
		return nil, err
	}
	names, err := filepath.Glob(filepath.Join(dir, "*.1"))
	if err != nil {
		return nil, err
	}
	sort.Strings(names)
	var out []file
	for _, name := range names {
		text, err := os.ReadFile(name)
		if err != nil {
			return nil, err
		}
		var b bytes.Buffer
		z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
		if err != nil {
			return nil, err
		}
		if _, err := z.Write(text); err != nil {
			return nil, err
		}
		if err := z.Close(); err != nil {
			return nil, err
		}
		out = append(out, file{"man/" + filepath.Base(name) + ".gz", 0o644, b.Bytes()})
	}
	return out, nil
}

// bill writes a bill of materials: the modules that a program was built of, as it says
// itself.
func (r *release) bill(program string) error {
	info, err := buildinfo.ReadFile(program)
	if err != nil {
		return err
	}
	bom := cyclonedx.NewBOM()
	const root = "glassjar"
	bom.Metadata = &cyclonedx.Metadata{Component: &cyclonedx.Component{BOMRef: root, Type: cyclonedx.ComponentTypeApplication, Name: root, Version: r.version}}
	var parts []cyclonedx.Component
	var refs []string
	for _, m := range info.Deps {
		if m.Replace != nil {
			m = m.Replace
		}
		ref := purl(m.Path, m.Version)
		refs = append(refs, ref)
		parts = append(parts, cyclonedx.Component{BOMRef: ref, Type: cyclonedx.ComponentTypeLibrary, Name: m.Path, Version: m.Version, PackageURL: ref,
			Properties: &[]cyclonedx.Property{{Name: "go:sum", Value: m.Sum}}})
	}
	parts = append(parts, cyclonedx.Component{BOMRef: purl("std", info.GoVersion), Type: cyclonedx.ComponentTypeLibrary, Name: "std", Version: info.GoVersion, PackageURL: purl("std", info.GoVersion)})
	bom.Components, bom.Dependencies = &parts, &[]cyclonedx.Dependency{{Ref: root, Dependencies: &refs}}
	return r.write("glassjar-"+r.version+".cdx.json", func() ([]byte, error) {
		var b bytes.Buffer
		err := cyclonedx.NewBOMEncoder(&b, cyclonedx.BOMFileFormatJSON).SetPretty(true).EncodeVersion(bom, cyclonedx.SpecVersion1_6)
		return b.Bytes(), err
	})
}

// purl is the package URL of a module.
func purl(module, version string) string {
	dir, name := path.Split(module)
	return packageurl.NewPackageURL(packageurl.TypeGolang, strings.TrimSuffix(dir, "/"), name, version, nil, "").ToString()
}
