package sbom_test

import (
	"bytes"
	"testing"

	cyclonedx "github.com/CycloneDX/cyclonedx-go"
	"github.com/package-url/packageurl-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/sbom"
	_ "glassjar/internal/long"
)

const record = `lock-version = "1.0"
created-by = "x"
[[packages]]
name = "cider"
version = "1!2.0+local"
marker = "sys_platform == 'linux'"
dependencies = [{ name = "mill" }]
wheels = [{ name = "cider-1!2.0+local-py3-none-any.whl", path = "cider-1!2.0+local-py3-none-any.whl", hashes = { sha256 = "842fcb5e60989a03d08ee07f9bea0a0a4a824d991fe8cc055f3a89e05c5c392e" } }]
[[packages]]
name = "mill"
vcs = { type = "git", url = "https://orchard.invalid/mill.git", commit-id = "0123456789012345678901234567890123456789" }
[[packages]]
name = "orchard"
directory = { path = "." }
[tool.glassjar]
asked = ["cider>=1", "a name that is none"]
`

// The standard's own libraries read what is written.
func TestWrite(t *testing.T) {
	r, err := project.ParseRecord("/orchard/pylock.toml", []byte(record))
	require.NoError(t, err)
	text, err := sbom.Write(sbom.Project{Name: "orchard", Version: "3"}, r, func(p project.Package) (metadata.Metadata, bool) {
		return metadata.Metadata{LicenseExpression: "MIT"}, p.Name == "cider"
	})
	require.NoError(t, err)
	var bom cyclonedx.BOM
	require.NoError(t, cyclonedx.NewBOMDecoder(bytes.NewReader(text), cyclonedx.BOMFileFormatJSON).Decode(&bom))
	assert.Equal(t, "orchard 3", bom.Metadata.Component.Name+" "+bom.Metadata.Component.Version)
	require.Len(t, *bom.Components, 2, "the project itself is the root")
	cider, mill := (*bom.Components)[0], (*bom.Components)[1]
	assert.Equal(t, cyclonedx.Licenses{{Expression: "MIT"}}, *cider.Licenses)
	assert.Equal(t, []cyclonedx.Property{{Name: "glassjar:marker", Value: `sys_platform == "linux"`}}, *cider.Properties)
	assert.Equal(t, []cyclonedx.ExternalReference{{Type: cyclonedx.ERTypeDistribution, URL: "cider-1!2.0+local-py3-none-any.whl", Hashes: &[]cyclonedx.Hash{{Algorithm: cyclonedx.HashAlgoSHA256, Value: "842fcb5e60989a03d08ee07f9bea0a0a4a824d991fe8cc055f3a89e05c5c392e"}}}}, *cider.ExternalReferences)
	assert.Nil(t, mill.Licenses)
	assert.Equal(t, "commit 0123456789012345678901234567890123456789", (*mill.ExternalReferences)[0].Comment)
	for _, c := range *bom.Components {
		purl, err := packageurl.FromString(c.PackageURL)
		require.NoError(t, err)
		assert.Equal(t, c.Name+" "+c.Version, purl.Name+" "+purl.Version)
	}
	from, err := packageurl.FromString(mill.PackageURL)
	require.NoError(t, err)
	assert.Equal(t, "generic git+https://orchard.invalid/mill.git@0123456789012345678901234567890123456789", from.Type+" "+from.Qualifiers.Map()["vcs_url"])
	assert.Equal(t, []cyclonedx.Dependency{
		{Ref: "project", Dependencies: &[]string{cider.BOMRef}}, {Ref: cider.BOMRef, Dependencies: &[]string{mill.BOMRef}}, {Ref: mill.BOMRef},
	}, *bom.Dependencies)
}
