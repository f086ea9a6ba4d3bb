package start_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/start"
)

// An answer stands for its command, folder, variables and files, and no others.
func TestAnswers(t *testing.T) {
	dir := t.TempDir()
	used, spec := filepath.Join(dir, "used"), filepath.Join(dir, "spec")
	past := time.Now().Add(-time.Hour)
	for _, file := range []string{used, spec} {
		require.NoError(t, os.WriteFile(file, []byte("a\n"), 0o644))
		require.NoError(t, os.Chtimes(file, past, past))
	}
	time.Sleep(100 * time.Millisecond) // a change of just now may not show
	command, environ := []string{"install", "must \"core\""}, []string{"A=1", "_=x", "OLDPWD=/"}
	a := &start.Answer{Command: command, Dir: dir, Seen: start.Seen{Used: used}, Out: "keep\n\x1b[0m"}
	a.Add(start.Target, spec)
	require.True(t, a.Look(environ))
	file := start.AnswerFile(dir, dir)
	require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
	keep := func(text string) { require.NoError(t, os.WriteFile(file, []byte(text), 0o600)) }
	text := a.Text()
	keep(text)
	assert.NotContains(t, text, "A=1", "variables may hold secrets")
	again, err := start.ReadAnswer(dir, dir, command)
	require.NoError(t, err)
	assert.Equal(t, a.Out, again.Out)
	assert.True(t, again.Stands([]string{"A=1", "_=y"}))
	for _, environ := range [][]string{nil, {"A=2"}, {"A=1", "B="}} {
		assert.False(t, again.Stands(environ), environ)
	}
	_, err = start.ReadAnswer(dir, dir, command[:1])
	assert.Error(t, err)
	_, err = start.ReadAnswer(dir, dir, append(command, "--json"))
	assert.Error(t, err)
	for n := range text {
		keep(text[:n])
		_, err := start.ReadAnswer(dir, dir, command)
		require.Error(t, err, "the first %d bytes", n)
	}
	require.NoError(t, os.WriteFile(spec, []byte("b\n"), 0o644))
	require.NoError(t, os.Chtimes(spec, past, past))
	assert.False(t, again.Stands(environ), "the same length and time, and another text")
}
