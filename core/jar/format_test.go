package jar_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/jar"
	"glassjar/core/project"
)

// What stands in a jar is read by other versions of the program: it does not change by
// accident.
func TestFormats(t *testing.T) {
	j := create(t)
	have, err := os.ReadFile(j.StateFile())
	require.NoError(t, err)
	assert.Equal(t, golden(t, "jar.json"), string(have))
	spec := "[project]\n"
	moment := jar.Moment{Number: 3, At: time.Date(2026, 9, 1, 8, 0, 0, 0, time.UTC), Command: "install press", Did: []string{"+press 1.0"}, Python: "3.12.1", Parts: project.Parts{Groups: []string{"tests"}},
		Packages: []jar.MomentPackage{{Name: "press", Version: "1.0", File: "press-1.0-py3-none-any.whl", SHA256: "ab", Size: 12, URL: "sample:press", Index: "sample", Requested: true}}, Spec: &spec}
	text, err := moment.Bytes()
	require.NoError(t, err)
	assert.Equal(t, golden(t, "state.json"), string(text))
	assert.Equal(t, "glassjar/history/000003.json", jar.MomentPath(3))
}

func golden(t *testing.T, name string) string {
	data, err := os.ReadFile(filepath.Join("testdata", "format", name))
	require.NoError(t, err)
	return string(data)
}
