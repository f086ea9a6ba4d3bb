package wheel_test

import (
	"bytes"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/version"
	"glassjar/core/wheel"
)

// unpacked takes a wheel apart and puts it together from its outline and files.
func unpacked(t *testing.T, w *wheel.Wheel, change func(key string, data []byte) []byte) (*wheel.Wheel, error) {
	files := map[string][]byte{}
	var list []wheel.Entry
	for _, e := range w.Entries {
		var b bytes.Buffer
		require.NoError(t, w.Copy(&b, e))
		if data := change(e.Key(), b.Bytes()); data != nil {
			files[e.Key()] = data
		}
		list = append(list, wheel.EntryOf(e.Key(), e.Hash, e.Size, e.Executable))
	}
	return wheel.Unpacked(w.Outline(), list, func(e wheel.Entry) (io.ReadCloser, error) {
		data, ok := files[e.Key()]
		if !ok {
			return nil, os.ErrNotExist
		}
		return io.NopCloser(bytes.NewReader(data)), nil
	})
}

func same(_ string, data []byte) []byte { return data }

// A wheel that was unpacked before is the wheel that it was, without its archive.
func TestUnpacked(t *testing.T) {
	spec := wheel.Spec{Name: "Press.House", Version: version.MustParse("1.0"), Tag: "py3-none-any", Packed: true,
		Metadata: []byte("Metadata-Version: 2.1\nName: Press.House\nVersion: 1.0\n"), EntryPoints: []byte("[console_scripts]\npress = press:main\n"),
		Files: []wheel.File{{Path: "press/__init__.py", Data: []byte("x = 1\n")}, {Path: "press_house-1.0.data/scripts/weigh", Data: []byte("#!python\n"), Executable: true}}}
	var b bytes.Buffer
	require.NoError(t, wheel.Write(&b, spec))
	w, err := wheel.Open(bytes.NewReader(b.Bytes()), int64(b.Len()), spec.FileName(), wheel.DefaultLimits)
	require.NoError(t, err)
	again, err := unpacked(t, w, same)
	require.NoError(t, err)
	assert.Equal(t, entries(w), entries(again))
	assert.Equal(t, w.EntryPoints, again.EntryPoints)
	assert.Equal(t, w.Name, again.Name)
	assert.Equal(t, w.Metadata.Name, again.Metadata.Name)
	assert.Equal(t, w.Metadata.Key(), again.Metadata.Key())
	assert.Equal(t, w.Format.Purelib, again.Format.Purelib)
	assert.Equal(t, w.Outline(), again.Outline())
	for i, e := range w.Entries {
		assert.Len(t, e.SHA256(), 64)
		assert.Equal(t, e.SHA256(), again.Entries[i].SHA256())
		var x, y bytes.Buffer
		require.NoError(t, w.Copy(&x, e))
		require.NoError(t, again.Copy(&y, again.Entries[i]))
		assert.Equal(t, x.String(), y.String())
	}

	// What is not what it was is told when it is read.
	for name, c := range map[string]struct {
		change func(key string, data []byte) []byte
		says   string
	}{
		"another content": {func(key string, data []byte) []byte { return bytes.ReplaceAll(data, []byte("x = 1"), []byte("x = 2")) }, "hash"},
		"a longer one":    {func(key string, data []byte) []byte { return append(data, '\n') }, "size"},
		"none": {func(key string, data []byte) []byte {
			return map[bool][]byte{false: data}[strings.HasSuffix(key, "__init__.py")]
		}, "not exist"},
	} {
		bad, err := unpacked(t, w, func(key string, data []byte) []byte {
			if strings.Contains(key, "entry_points") {
				return data
			}
			return c.change(key, data)
		})
		require.NoError(t, err, name)
		for _, e := range bad.Entries {
			if strings.HasSuffix(e.Path, "__init__.py") {
				assert.ErrorContains(t, bad.Copy(io.Discard, e), c.says, name)
			}
		}
	}
	odd, err := unpacked(t, w, func(key string, data []byte) []byte {
		if strings.Contains(key, "entry_points") {
			return []byte("[console_scripts\n")
		}
		return data
	})
	require.NoError(t, err)
	assert.Empty(t, odd.EntryPoints, "told when it was opened first")
	_, err = wheel.Unpacked(wheel.Outline{File: "press"}, nil, nil)
	assert.Error(t, err)
}
