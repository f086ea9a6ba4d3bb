package digest_test

import (
	"context"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/digest"
	_ "glassjar/internal/long"
)

func TestChecks(t *testing.T) {
	md5, sha1 := "900150983cd24fb0d6963f7d28e17f72", "a9993e364706816aba3e25717850c26c9cd0d89d"
	sha3 := "3a985da74fe225b2045c172d6bd390bd855f086e3e9d525b46bfe24511431532"
	want := digest.Normal(map[string]string{"MD5": strings.ToUpper(md5), "sha1": sha1, "sha3_256": sha3, "whirl": "1"})
	assert.Empty(t, digest.Fault(want))
	for hashes, strong := range map[string]bool{"md5": false, "sha1": false, "whirl": false, "sha3_256": true} {
		assert.Equal(t, strong, digest.Strong(map[string]string{hashes: want[hashes]}), hashes)
	}
	c := digest.NewCheck(want, "sha1")
	_, err := io.ReadAll(c.Reader(strings.NewReader("abc")))
	assert.NoError(t, err)
	_, _, _, ok := c.Wrong()
	assert.True(t, ok)
	assert.Equal(t, int64(3), c.Size)
	c = digest.NewCheck(map[string]string{"md5": md5, "sha3_256": sha3})
	_, _ = c.Write([]byte("abd"))
	algorithm, wanted, have, ok := c.Wrong()
	assert.False(t, ok)
	assert.Equal(t, "md5", algorithm)
	assert.Equal(t, md5, wanted)
	assert.Equal(t, "4911e516e5aa21d327512e0c8b197616", have)
	assert.True(t, digest.NewCheck(map[string]string{"whirl": "1", "md5": md5}, "md5").Empty())
	assert.Equal(t, "md5", digest.Fault(map[string]string{"md5": "ab", "whirl": "1"}))
}

// A file is read once as long as it stays as it is.
func TestFiles(t *testing.T) {
	var sums digest.Files
	file := filepath.Join(t.TempDir(), "press.whl")
	sum := func() string {
		got, err := sums.Sum(context.Background(), file)
		require.NoError(t, err)
		return got
	}
	require.NoError(t, os.WriteFile(file, []byte("apples"), 0o644))
	first := sum()
	info, err := os.Stat(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, []byte("quince"), 0o644))
	require.NoError(t, os.Chtimes(file, info.ModTime(), info.ModTime()))
	assert.Equal(t, first, sum(), "it has the same size and time")
	require.NoError(t, os.Chtimes(file, info.ModTime().Add(time.Second), info.ModTime().Add(time.Second)))
	second := sum()
	assert.NotEqual(t, first, second)
	require.NoError(t, os.WriteFile(file, []byte("medlars"), 0o644))
	assert.NotEqual(t, second, sum())
	_, err = sums.Sum(context.Background(), file+"x")
	assert.ErrorIs(t, err, os.ErrNotExist)
}
