package place

import (
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	_ "glassjar/internal/long"
)

func TestSpelling(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("Windows tells names itself")
	}
	folders := map[string][]string{"/": {"Users"}, "/Users": {"ida"}, "/Users/ida": {"Größe", "closed"}, "/Users/ida/Größe": {".jar", "Both", "both"}}
	for _, c := range []struct{ path, want string }{
		{"/users/IDA/größe/.JAR", "/Users/ida/Größe/.jar"},
		{"/Users/ida/größe/new/Deep", "/Users/ida/Größe/new/Deep"},
		{"/users/ida/größe/both", "/Users/ida/Größe/both"}, // a disk that tells case apart
		{"/users/ida/closed/Jar", "/Users/ida/closed/Jar"},
		{"/", "/"},
	} {
		alike := func(path string) bool { return !strings.HasSuffix(path, "new") }
		assert.Equal(t, c.want, spelling(c.path, func(dir string) []string { return folders[dir] }, alike), c.path)
	}
	// A disk that tells case apart: what is not there is new, and nothing else.
	apart := func(string) bool { return false }
	assert.Equal(t, "/users/ida", spelling("/users/ida", func(dir string) []string { return folders[dir] }, apart))
}

func TestAbsolute(t *testing.T) {
	dir := t.TempDir()
	assert.Equal(t, filepath.Join(dir, "wheels"), Absolute(dir, filepath.FromSlash("./x/../wheels")))
	assert.Equal(t, dir, Absolute(filepath.Join(dir, "x"), dir))
	if runtime.GOOS != "windows" {
		return
	}
	drive := filepath.VolumeName(dir)
	assert.Equal(t, drive+`\wheels`, Absolute(dir, `\wheels`), "from the drive's top")
	assert.Equal(t, filepath.Join(dir, "wheels"), Absolute(dir, drive+"wheels"), "from where one stands on the drive")
	assert.Equal(t, dir, Absolute(dir, strings.ToUpper(dir)), "in another case")
}
