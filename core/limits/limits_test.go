package limits_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/limits"
	_ "glassjar/internal/long"
)

func TestReading(t *testing.T) {
	data, err := limits.ReadAll(strings.NewReader("1234"), "it", 4)
	require.NoError(t, err)
	assert.Equal(t, "1234", string(data))
	var large *limits.Error
	_, err = limits.ReadAll(strings.NewReader("12345"), "it", 4)
	require.ErrorAs(t, err, &large)
	assert.Equal(t, "it has more than 4 bytes, which is more than is read", err.Error())
	n, err := (&limits.Reader{R: strings.NewReader("12345"), What: "it", Limit: 4}).Read(make([]byte, 8))
	assert.ErrorAs(t, err, &large)
	assert.Zero(t, n, "a reader of parts may not look at the error of one that has bytes")
	file := filepath.Join(t.TempDir(), "f")
	require.NoError(t, os.WriteFile(file, []byte("12345"), 0o600))
	_, err = limits.ReadFile(file, 4)
	assert.ErrorAs(t, err, &large)
	_, err = limits.ReadFile(filepath.Dir(file), 4)
	assert.ErrorContains(t, err, "it is a folder")
	_, err = limits.ReadFile(file+"x", 4)
	assert.ErrorIs(t, err, os.ErrNotExist)
}

// A text of TOML that would take an afternoon is refused at once; none that people write.
func TestTOML(t *testing.T) {
	many := strings.Repeat
	for name, text := range map[string]string{
		"deep": "x = " + many("[", 100), "dots": "a" + many(".a", 100) + " = 1", "keys": many("k = 1\n", limits.Siblings+1), "inline": "x = {" + many("k = 1, ", limits.Siblings+1),
		"headings": many("[a]\n", limits.Siblings+1), "tables": many("[[a]]\n", limits.Tables+1), "values": "x = [" + many("1,", limits.Values+1), "list": "x = [" + many("{},", limits.Tables+1),
		"quoted": "x = ['''" + "'" + "''', " + many("[", 100),
	} {
		var large *limits.Error
		assert.ErrorAs(t, limits.TOML("x", []byte(text)), &large, name)
	}
	for _, text := range []string{
		"", "x", "\"", "'''", "\"\"\"\\", many("[[a]]\nk = 1\nv = [1, 2]\n", 20_000), many("# [[[[\n", 1000) + "x = '" + many("[.", 1000) + "'", "x = \"" + many("\\\"[", 1000) + "\"",
		"x = \"\"\"" + many("\n[.=,", 1000) + "\"\"\"\ny = 1", many("[a]\n"+many("k = 1\n", 100), 100), "x = [\n" + many("  { name = \"a\", url = \"https://a.b.c/d.e.f\" },\n", 1000) + "]\n",
	} {
		assert.NoError(t, limits.TOML("x", []byte(text)))
	}
}
