package sealed_test

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"glassjar/core/sealed"
	_ "glassjar/internal/long"
)

// A stranger's sealed jar is read or refused, whatever it is.
func FuzzSealed(f *testing.F) {
	record := []byte("lock-version = \"1.0\"\ncreated-by = \"x\"\n\n[[packages]]\nname = \"press\"\nversion = \"1.0\"\nwheels = [{ path = \"press-1.0-py3-none-any.whl\", hashes = { sha256 = \"e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855\" } }]\n")
	f.Add(record, "press-1.0-py3-none-any.whl", []byte(""), []byte(nil))
	f.Add(record, "../press", []byte("x"), []byte("PK"))
	f.Add([]byte("lock-version = \"9\"\n"), "", []byte(""), []byte(nil))
	f.Add(record, "press/", []byte(""), []byte(nil))
	f.Fuzz(func(t *testing.T, record []byte, name string, member, raw []byte) {
		data := raw
		if len(raw) == 0 {
			var b bytes.Buffer
			z := zip.NewWriter(&b)
			for _, m := range []struct {
				name string
				data []byte
			}{{"pylock.toml", record}, {name, member}} {
				w, err := z.Create(m.name)
				require.NoError(t, err)
				if _, err = w.Write(m.data); err != nil {
					return // a folder holds nothing
				}
			}
			require.NoError(t, z.Close())
			data = b.Bytes()
		}
		file := filepath.Join(t.TempDir(), "press.jar.zip")
		require.NoError(t, os.WriteFile(file, data, 0o644))
		z, err := sealed.OpenFile(file)
		require.True(t, (z == nil) == (err != nil))
		if err != nil {
			return
		}
		defer z.Close()
		_, _, _, err = z.Check(t.Context())
		require.NoError(t, err)
	})
}
