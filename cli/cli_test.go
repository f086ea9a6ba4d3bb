package cli

import (
	"io"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "glassjar/internal/long"
)

// Every command has a short word and an example, and each example is a command
// line that there is: its command is found and its options are known.
func TestExamplesAreTrue(t *testing.T) {
	root := newApp(nil, nil, io.Discard, io.Discard).root()
	seen := 0
	var visit func(cmd *cobra.Command)
	visit = func(cmd *cobra.Command) {
		for _, sub := range cmd.Commands() {
			visit(sub)
		}
		if !cmd.HasParent() || !cmd.IsAvailableCommand() || cmd.Name() == "completion" || cmd.HasParent() && cmd.Parent().Name() == "completion" {
			return
		}
		seen++
		assert.NotEmpty(t, cmd.Short, cmd.CommandPath())
		require.NotEmpty(t, cmd.Example, cmd.CommandPath())
		for _, line := range strings.Split(cmd.Example, "\n") {
			words := strings.Fields(strings.ReplaceAll(line, "'", ""))
			if len(words) > 0 && words[0] == "cd" || strings.HasPrefix(strings.TrimSpace(line), "#") {
				continue
			}
			require.Equal(t, "glassjar", words[0], line)
			found, rest, err := root.Find(words[1:])
			require.NoError(t, err, line)
			assert.True(t, found == cmd || found.Parent() == cmd, "%q shows %s, not %s", line, found.CommandPath(), cmd.CommandPath())
			if !found.DisableFlagParsing {
				assert.NoError(t, found.ParseFlags(rest), line)
			}
		}
	}
	visit(root)
	assert.Greater(t, seen, 20)
}

// What is said of commands in errors is said of commands that there are.
func TestDoing(t *testing.T) {
	root := newApp(nil, nil, io.Discard, io.Discard).root()
	for _, p := range plainly {
		name := p.name
		found, rest, err := root.Find(strings.Fields(name))
		require.NoError(t, err, name)
		assert.Empty(t, rest, name)
		assert.Equal(t, name, called(found))
	}
	for line, want := range map[string]string{"shelf": "list the jars", "pythons": "list the Pythons", "about press": "tell about press", "install a b": "install a b", "lend": "lend"} {
		found, rest, err := root.Find(strings.Fields(line))
		require.NoError(t, err, line)
		assert.Equal(t, want, doing(found, rest))
	}
}

// A command is made alone where its name is typed first, and is the one that has it.
func TestOnlyWhatIsTypedIsMade(t *testing.T) {
	all := newApp(nil, nil, io.Discard, io.Discard)
	for _, c := range all.commands() {
		assert.Equal(t, c.name, c.make().Name())
		alone := newApp([]string{c.name, "--help"}, nil, io.Discard, io.Discard).root()
		require.Len(t, alone.Commands(), 1, c.name)
		assert.Equal(t, c.name, alone.Commands()[0].Name())
	}
	assert.Greater(t, len(newApp([]string{"--json", "here"}, nil, io.Discard, io.Discard).root().Commands()), len(all.commands()))
}
