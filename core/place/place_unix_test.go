//go:build unix

package place_test

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/place"
)

// asOther does something as another user who has root's rights still.
func asOther(t *testing.T, do func()) {
	require.NoError(t, syscall.Setreuid(12345, 0))
	defer func() { require.NoError(t, syscall.Setreuid(0, 0)) }()
	do()
}

// What belongs to the administrator alone is trusted by everybody else.
func TestAdministratorsJars(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("only root can make what is root's")
	}
	f := finder(t)
	j := makeJar(t, filepath.Join(f.Dir, ".jar"))
	assert.False(t, f.MayBeUsed(j.Root), "root trusts no jar for being root's: copied trees are")
	asOther(t, func() {
		assert.True(t, f.MayBeUsed(j.Root))
		assert.True(t, place.OwnFolder(f.Dir))
	})
	require.NoError(t, os.Chmod(filepath.Join(j.Root, "bin"), 0o777))
	asOther(t, func() { assert.False(t, f.MayBeUsed(j.Root), "others can write to it") })
	require.NoError(t, os.Chmod(filepath.Join(j.Root, "bin"), 0o755))
	require.NoError(t, os.Lchown(j.Root, 12345, 12345))
	asOther(t, func() { assert.False(t, f.MayBeUsed(j.Root)) })
}
