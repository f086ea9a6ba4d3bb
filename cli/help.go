package cli

import (
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"glassjar/cli/view"
	"glassjar/cli/wire"
)

// help draws a command's help on the program's own sheet.
func (a *app) help(cmd *cobra.Command, _ []string) {
	screen := a.newScreen()
	h := described(cmd)
	if screen.JSON {
		screen.Data(h)
		return
	}
	screen.Quiet = false
	screen.Text(h.Text)
	screen.Say("")
	t := screen.Sheet()
	t.Line("usage", screen.Bold(h.Usage))
	for _, line := range h.Examples {
		t.Line("as in", screen.Plain(line))
	}
	t.Print()
	helpCommands(screen, h.Subcommands)
	helpOptions(screen, "with", h.Options)
	if cmd.HasParent() {
		screen.Say("")
		screen.Text("With every command: --jar --json --yes --quiet --offline --no-wait --verbose --color")
		return
	}
	helpOptions(screen, "always", h.Always)
	screen.Say("\nMore on one of them: glassjar help COMMAND")
}

// described is what there is to say of a command.
func described(cmd *cobra.Command) wire.HelpResult {
	h := wire.HelpResult{Command: cmd.CommandPath(), Text: cmd.Long, Usage: usageLine(cmd), Examples: []string{}, Subcommands: []wire.HelpCommand{},
		Options: options(cmd.LocalNonPersistentFlags()), Always: options(cmd.Root().PersistentFlags())}
	if h.Text == "" {
		h.Text = cmd.Short
	}
	for _, l := range strings.Split(cmd.Example, "\n") {
		if l = strings.TrimSpace(l); l != "" {
			h.Examples = append(h.Examples, l)
		}
	}
	groups := cmd.Groups()
	if len(groups) == 0 {
		groups = []*cobra.Group{{}}
	}
	for _, g := range groups {
		for _, c := range cmd.Commands() {
			if c.GroupID == g.ID && c.IsAvailableCommand() {
				h.Subcommands = append(h.Subcommands, wire.HelpCommand{Name: c.Name(), Group: g.Title, Summary: c.Short})
			}
		}
	}
	return h
}

func options(set *pflag.FlagSet) []wire.HelpOption {
	out := []wire.HelpOption{}
	set.VisitAll(func(f *pflag.Flag) {
		if f.Hidden || f.Name == "help" {
			return
		}
		o := wire.HelpOption{Name: "--" + f.Name, Summary: f.Usage}
		if word, plain := pflag.UnquoteUsage(f); plain != f.Usage {
			o.Value, o.Summary = word, plain
		} else if kind := f.Value.Type(); kind != "bool" {
			o.Value = map[string]string{"string": "TEXT", "stringArray": "TEXT", "int": "N"}[kind]
		}
		if f.Shorthand != "" {
			o.Letter = "-" + f.Shorthand
		}
		out = append(out, o)
	})
	return out
}

func usageLine(cmd *cobra.Command) string {
	if !cmd.HasParent() {
		return "glassjar COMMAND"
	}
	line := strings.TrimSuffix(cmd.CommandPath(), cmd.Name()) + cmd.Use
	if cmd.HasAvailableSubCommands() {
		var subs []string
		for _, c := range cmd.Commands() {
			subs = append(subs, c.Name())
		}
		line += " [" + strings.Join(subs, "|") + "]"
	}
	return line
}

func helpCommands(screen *view.Screen, list []wire.HelpCommand) {
	t := screen.Sheet()
	for i, c := range list {
		if i == 0 || c.Group != list[i-1].Group {
			t.Gap()
		}
		t.Row(c.Group, screen.Bold(c.Name), screen.Plain(c.Summary))
	}
	t.Print()
}

func helpOptions(screen *view.Screen, label string, list []wire.HelpOption) {
	if len(list) == 0 {
		return
	}
	t := screen.Sheet()
	for _, o := range list {
		name := o.Name
		if o.Value != "" {
			name += " " + o.Value
		}
		if o.Letter != "" {
			name += ", " + o.Letter
		}
		t.Row(label, screen.Bold(name), screen.Plain(o.Summary))
	}
	screen.Say("")
	t.Print()
}
