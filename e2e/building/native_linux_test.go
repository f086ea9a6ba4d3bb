package building

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/version"
	"glassjar/core/wheel"

	"glassjar/e2e/drive"
)

// A wheel that carries a compiled program with its library, data and header works in its jar, from
// anywhere when it is lent, and after the jar moved.
func TestNativeTool(t *testing.T) {
	dir := drive.RealPath(t, t.TempDir())
	write := func(name, text string) string {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		return file
	}
	compile := func(args ...string) {
		cmd := exec.Command("gcc", args...)
		cmd.Dir = dir
		if out, err := cmd.CombinedOutput(); err != nil {
			t.Skipf("there is no C compiler that works: %s", out)
		}
	}
	write("scale.h", "int of_apples(void);\n")
	write("scale.c", "int of_apples(void) { return 250; }\n")
	write("tool.c", "#include <stdio.h>\n#include \"scale.h\"\nint main(void) { printf(\"%d kg\\n\", of_apples()); return 0; }\n")
	compile("-shared", "-fPIC", "-o", "libscale.so", "scale.c")
	compile("-o", "scale", "tool.c", "-L.", "-lscale", "-Wl,-rpath,$ORIGIN/../lib/scale")
	read := func(name string) []byte {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return data
	}
	var b bytes.Buffer
	spec := wheel.Spec{Name: "scale", Version: version.MustParse("1.0"), Tag: "py3-none-linux_x86_64", Platlib: true, Metadata: []byte("Metadata-Version: 2.1\nName: scale\nVersion: 1.0\n"), Files: []wheel.File{
		{Path: "scale-1.0.data/scripts/scale", Data: read("scale"), Executable: true}, {Path: "scale-1.0.data/data/lib/scale/libscale.so", Data: read("libscale.so")},
		{Path: "scale-1.0.data/headers/scale.h", Data: read("scale.h")}, {Path: "scale-1.0.data/data/share/scale/fruit.txt", Data: []byte("apples\n")}}}
	require.NoError(t, wheel.Write(&b, spec))
	tools := drive.NewTerminal(t, drive.RealPath(t, t.TempDir()))
	require.NoError(t, os.Mkdir(filepath.Join(tools.Dir, "wheels"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(tools.Dir, "wheels", spec.FileName()), b.Bytes(), 0o644))
	tools.Output("glassjar", "index", "add", "here", "wheels")
	tools.Output("glassjar", "lend", "scale", "--new")
	assert.Equal(t, "250 kg\n", tools.Output("glassjar", "--jar", "scale", "run", "scale"))
	lent := filepath.Join(tools.Home(), ".local/bin/scale")
	assert.Equal(t, "250 kg\n", tools.Output(lent))
	root := filepath.Join(tools.Home(), ".local/share/glassjar/shelf/scale")
	headers, err := filepath.Glob(filepath.Join(root, "include/*/*/scale/scale.h"))
	require.NoError(t, err)
	assert.Len(t, headers, 1)
	assert.FileExists(t, filepath.Join(root, "share/scale/fruit.txt"))
	tools.Output("glassjar", "--jar", "scale", "check")
	tools.Output("glassjar", "shelf", "rename", "scale", "weighing")
	assert.Equal(t, "250 kg\n", tools.Output(lent))
	tools.Output("glassjar", "--jar", "weighing", "uninstall", "scale", "--yes")
	assert.NoFileExists(t, filepath.Join(tools.Home(), ".local/share/glassjar/shelf/weighing/lib/scale/libscale.so"))
}
