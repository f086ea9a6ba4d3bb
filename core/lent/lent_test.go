//go:build !windows

package lent_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/internal/jartest"
	"glassjar/core/jar"
	"glassjar/core/lent"
	_ "glassjar/internal/long"
)

// holding makes a jar that has a distribution with commands, asked for or not.
func holding(t *testing.T, asked bool, commands ...string) *jar.Jar {
	j := jartest.Create(t, filepath.Join(t.TempDir(), "tools"))
	entry := "[console_scripts]\n"
	for _, c := range commands {
		entry += c + " = press:main\n"
	}
	jartest.Apply(t, j.Root, jar.Change{Add: []jar.Addition{{Wheel: jartest.Wheel(t, "press", "1.0", entry), Requested: asked}}})
	return j
}

func lending(t *testing.T) *lent.Lending {
	dir := t.TempDir()
	return &lent.Lending{Commands: filepath.Join(dir, "bin"), Links: filepath.Join(dir, "links"), Notes: filepath.Join(dir, "lent.json"),
		Temporary: func(beside string) (string, func()) { return beside + ".new", func() {} }}
}

func states(list []lent.Command) map[string]string {
	out := map[string]string{}
	for _, c := range list {
		out[c.Name] = c.State
	}
	return out
}

func TestChoose(t *testing.T) {
	j := holding(t, true, "press", "crush")
	all, err := lent.Choose(j, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"crush", "press"}, all)
	one, err := lent.Choose(j, []string{"press", "press"})
	require.NoError(t, err)
	assert.Equal(t, []string{"press"}, one)
	var none *lent.NoCommandError
	_, err = lent.Choose(j, []string{"prees"})
	require.ErrorAs(t, err, &none)
	assert.Equal(t, []string{"press"}, none.Near)
	var nothing *lent.NothingError
	_, err = lent.Choose(holding(t, false, "press"), nil)
	require.ErrorAs(t, err, &nothing)
	assert.Equal(t, []string{"press"}, nothing.Others)
}

// What is lent follows its jar, and what others put there stays theirs.
func TestLend(t *testing.T) {
	l, j := lending(t), holding(t, true, "press", "crush")
	assert.True(t, l.None())
	out, err := l.Lend(j, "tools", []string{"crush", "press"})
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"crush": lent.Fine, "press": lent.Fine}, states(out))
	press := filepath.Join(l.Commands, "press")

	moved := j.Root + "-moved"
	require.NoError(t, os.Rename(j.Root, moved))
	assert.Equal(t, lent.NoJar, states(l.List())["press"])
	j, err = jar.Open(moved)
	require.NoError(t, err)
	l.See(j)
	assert.Equal(t, lent.Fine, states(l.List())["press"])
	require.NoError(t, os.Remove(j.Path("bin/press")))
	assert.Equal(t, map[string]string{"crush": lent.Fine, "press": lent.Nothing}, states(l.List()))

	var clash *lent.ClashError
	_, err = l.Lend(holding(t, true, "crush"), "others", []string{"crush"})
	require.ErrorAs(t, err, &clash)
	assert.Equal(t, map[string]string{"crush": "tools"}, clash.By)
	l.Rename(j.ID(), "press-house")
	require.NoError(t, os.Remove(press))
	require.NoError(t, os.WriteFile(press, []byte("mine"), 0o755))
	_, err = l.Lend(j, "press-house", []string{"press"})
	require.ErrorAs(t, err, &clash)
	assert.Equal(t, map[string]string{"press": ""}, clash.By)

	var nothing *lent.NothingError
	_, err = l.TakeBack("tools", nil)
	require.ErrorAs(t, err, &nothing)
	assert.Equal(t, []string{"press-house"}, nothing.Others)
	back, err := l.TakeBack("press-house", nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"crush": lent.Fine, "press": lent.Changed}, states(back))
	assert.True(t, l.None())
	assert.NoFileExists(t, filepath.Join(l.Commands, "crush"))
	mine, err := os.ReadFile(press)
	require.NoError(t, err)
	assert.Equal(t, "mine", string(mine))
	left, err := os.ReadDir(l.Links)
	require.NoError(t, err)
	assert.Empty(t, left)
}

// A kill between a link and its note leaves what the same command takes over.
func TestLendAfterKill(t *testing.T) {
	l, j := lending(t), holding(t, true, "press")
	_, err := l.Lend(j, "tools", []string{"press"})
	require.NoError(t, err)
	require.NoError(t, os.Remove(l.Notes))
	out, err := l.Lend(j, "tools", []string{"press"})
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"press": lent.Fine}, states(out))
}

// Where it cannot be noted nothing is lent.
func TestLendUnnoted(t *testing.T) {
	l, j := lending(t), holding(t, true, "press")
	require.NoError(t, os.MkdirAll(l.Notes, 0o755))
	_, err := l.Lend(j, "tools", []string{"press"})
	require.Error(t, err)
	assert.NoFileExists(t, filepath.Join(l.Commands, "press"))
}
