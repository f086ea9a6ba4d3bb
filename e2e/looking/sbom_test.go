package looking

import (
	"strings"
	"testing"

	cyclonedx "github.com/CycloneDX/cyclonedx-go"
	"github.com/package-url/packageurl-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/e2e/drive"
)

// The bill of materials is what the standard's own library reads.
func TestBillOfMaterials(t *testing.T) {
	s := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	s.Output("glassjar", "create", "--python", drive.Default.Path)
	s.Output("glassjar", "install", "press-schedule", "orchard-map")
	var bom cyclonedx.BOM
	require.NoError(t, cyclonedx.NewBOMDecoder(strings.NewReader(s.Output("glassjar", "record", "--as", "sbom")), cyclonedx.BOMFileFormatJSON).Decode(&bom))
	assert.Equal(t, cyclonedx.SpecVersion1_6, bom.SpecVersion)
	assert.Equal(t, "glassjar", (*bom.Metadata.Tools.Components)[0].Name)
	on := map[string][]string{}
	for _, d := range *bom.Dependencies {
		if d.Dependencies != nil {
			on[d.Ref] = *d.Dependencies
		}
	}
	names := []string{}
	for _, c := range *bom.Components {
		names = append(names, c.Name)
		purl, err := packageurl.FromString(c.PackageURL)
		require.NoError(t, err)
		assert.Equal(t, []string{packageurl.TypePyPi, c.Name, c.Version}, []string{purl.Type, purl.Name, purl.Version})
		assert.Equal(t, c.PackageURL, purl.ToString(), "in the form that the library writes")
		require.NotEmpty(t, *c.ExternalReferences)
		for _, r := range *c.ExternalReferences {
			assert.Equal(t, cyclonedx.ERTypeDistribution, r.Type)
			assert.Equal(t, cyclonedx.HashAlgoSHA256, (*r.Hashes)[0].Algorithm)
		}
	}
	assert.Subset(t, names, []string{"press-schedule", "orchard-map", "brixmeter"})
	assert.Len(t, on["project"], 2)
}
