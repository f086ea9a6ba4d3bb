package long

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The flag is one of every package that has tests: a package without it would end
// go test ./... -long with an error.
func TestEveryPackageHasTheFlag(t *testing.T) {
	root := filepath.Join("..", "..")
	has := map[string]bool{}
	require.NoError(t, filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if e.IsDir() {
			if _, err := os.Stat(filepath.Join(path, "go.mod")); path != root && (err == nil || e.Name() == "testdata" || strings.HasPrefix(e.Name(), ".")) {
				return filepath.SkipDir
			}
			return nil
		}
		if !strings.HasSuffix(path, "_test.go") {
			return nil
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		dir := filepath.Dir(path)
		has[dir] = has[dir] || f.Name.Name == "long"
		for _, i := range f.Imports {
			// What e2e's packages drive the program with has the flag too.
			has[dir] = has[dir] || i.Path.Value == `"glassjar/internal/long"` || i.Path.Value == `"glassjar/e2e/drive"`
		}
		return nil
	}))
	assert.Greater(t, len(has), 50)
	for dir, ok := range has {
		assert.True(t, ok, `%s: import _ "glassjar/internal/long" in its tests`, dir)
	}
}
