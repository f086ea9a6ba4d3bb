package store

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	_ "glassjar/internal/long"
)

// What is read as a tree is written as it was read, and names nothing outside of
// the store.
func FuzzTree(f *testing.F) {
	sum := strings.Repeat("0123456789abcdef", 4)
	f.Add(treeHeading + "file press-1.0-py3-none-any.whl\nname press\n\n" + sum + " - 12 - purelib/press.py\n" + sum + " x 0 sha512=ab scripts/a b\n")
	f.Add(treeHeading + "\n\n")
	f.Add(treeHeading + "name\n\n" + sum + " - -1 - k\n")
	f.Fuzz(func(t *testing.T, text string) {
		tree, ok := parseTree(text)
		if !ok {
			return
		}
		for _, m := range tree.Members {
			assert.True(t, ValidSum(m.SHA256))
			at := (&Store{Dir: "/store"}).filePath(m.SHA256, m.Executable)
			assert.True(t, strings.HasPrefix(at, "/store/files/") && !strings.Contains(at, ".."), at)
		}
		again, ok := parseTree(string(tree.text()))
		if assert.True(t, ok) {
			assert.Equal(t, tree.Members, again.Members)
		}
	})
}

// The stamp is in whole seconds between 2001 and 2009, and tells hashes apart.
func TestStamp(t *testing.T) {
	low, high := Stamp(strings.Repeat("0", 64)), Stamp(strings.Repeat("f", 64))
	assert.Equal(t, "2001-01-01T00:00:00Z", low.UTC().Format("2006-01-02T15:04:05Z07:00"))
	assert.Equal(t, 2009, high.UTC().Year())
	assert.NotEqual(t, Stamp("0000001"+strings.Repeat("0", 57)), low)
	assert.Zero(t, high.Nanosecond())
}
