package checked_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/checked"
	_ "glassjar/internal/long"
)

// What was kept comes back, and nothing else does: not a part of it, not what it never was.
func TestWholeOrNot(t *testing.T) {
	file := filepath.Join(t.TempDir(), "a", "b")
	for _, data := range []string{"", "\n", "press\nmust\n"} {
		require.NoError(t, checked.Write(file, []byte(data)))
		have, err := checked.Read(file, 100)
		require.NoError(t, err)
		assert.Equal(t, data, string(have))
		whole, err := os.ReadFile(file)
		require.NoError(t, err)
		for n := range whole {
			require.NoError(t, os.WriteFile(file, whole[:n], 0o644))
			_, err := checked.Read(file, 100)
			assert.ErrorIs(t, err, checked.ErrDamaged, "%q", whole[:n])
		}
		require.NoError(t, os.WriteFile(file, append(whole, 'x'), 0o644))
		_, err = checked.Read(file, 100)
		assert.ErrorIs(t, err, checked.ErrDamaged)
		_, err = checked.Read(file, 3)
		assert.Error(t, err)
	}
}
