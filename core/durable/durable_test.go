package durable_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/durable"
	_ "glassjar/internal/long"
)

// A batch is flushed however large it is, what is gone meanwhile is passed over, and
// it is empty afterwards. That what was flushed is there after a power cut is shown by
// the tests of the built program.
func TestBatch(t *testing.T) {
	dir := t.TempDir()
	disk, err := durable.Open(dir)
	require.NoError(t, err)
	defer disk.Close()
	for _, n := range []int{0, 3, durable.Few + 1} {
		var one, all durable.Batch
		for i := range n {
			file := filepath.Join(dir, fmt.Sprint(i))
			require.NoError(t, os.WriteFile(file, []byte("x"), 0o644))
			one.File(file)
		}
		one.File(filepath.Join(dir, "gone"))
		one.Folder(filepath.Join(dir, "gone", "folder"))
		one.Folder(dir)
		all.Count(1)
		all.Join(&one)
		require.NoError(t, all.Flush(disk), n)
		require.NoError(t, all.Flush(disk))
		require.NoError(t, one.Flush(disk))
	}
	assert.NoError(t, durable.Parent(filepath.Join(dir, "0")))
	assert.Error(t, durable.File(filepath.Join(dir, "gone")))
	_, err = durable.Open(filepath.Join(dir, "gone"))
	assert.Error(t, err)
	(*durable.Disk)(nil).Close()
	assert.False(t, durable.SameDisk(dir, filepath.Join(dir, "gone")))
}
