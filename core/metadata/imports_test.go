package metadata

import (
	"testing"

	"github.com/stretchr/testify/assert"

	_ "glassjar/internal/long"
)

func TestImportNames(t *testing.T) {
	for _, c := range []struct {
		what  string
		files []string
		want  []string
	}{
		{"a package and a module", []string{"brix/__init__.py", "brix/deep/__init__.py", "press.py"}, []string{"brix", "press"}},
		{"a shared namespace", []string{"orchard_tools/hives/__init__.py", "orchard_tools/hives/queen.py"}, []string{"orchard_tools.hives"}},
		{"a module in a namespace", []string{"orchard_tools/pruning.py"}, []string{"orchard_tools.pruning"}},
		{"compiled modules", []string{"_press.cpython-312-x86_64-linux-gnu.so", "vat.abi3.so", "still.pyd", "plain.so"}, []string{"_press", "plain", "still", "vat"}},
		{"what is no module", []string{"brix-1.0.dist-info/METADATA", "brix/data.csv", "not-a-name/x.py", "a b.py", "libpress-4.so"}, nil},
		{"a package that is compiled", []string{"vat/__init__.cpython-311-darwin.so"}, []string{"vat"}},
	} {
		assert.Equal(t, c.want, ImportNames(c.files), c.what)
	}
	name, built, ok := ModuleOf("a/_press.cpython-39-x86_64-linux-gnu.so")
	assert.Equal(t, []any{"_press", "cpython-39-x86_64-linux-gnu", true}, []any{name, built, ok})
}
