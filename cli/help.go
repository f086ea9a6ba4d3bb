package cli

import (
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"glassjar/cli/view"
)

// help draws a command's help on the program's own sheet.
func (a *app) help(cmd *cobra.Command, _ []string) {
	screen := a.newScreen()
	screen.JSON, screen.Quiet = false, false
	t := screen.Sheet()
	text := cmd.Long
	if text == "" {
		text = cmd.Short
	}
	screen.Text(text)
	screen.Say("")
	t.Line("usage", screen.Bold(usageLine(cmd)))
	for _, l := range strings.Split(strings.TrimSpace(cmd.Example), "\n") {
		if l = strings.TrimSpace(l); l != "" {
			t.Line("as in", screen.Plain(l))
		}
	}
	t.Print()
	all := screen.Sheet()
	for _, g := range cmd.Groups() {
		helpGroup(screen, all, cmd, g.ID, g.Title)
	}
	if len(cmd.Groups()) == 0 {
		helpGroup(screen, all, cmd, "", "")
	}
	all.Print()
	flags(screen, "with", cmd.LocalNonPersistentFlags())
	if cmd.HasParent() {
		screen.Say("")
		screen.Text("With every command: --jar --json --yes --quiet --offline --no-wait --verbose --color")
		return
	}
	flags(screen, "always", cmd.PersistentFlags())
	screen.Say("\nMore on one of them: glassjar help COMMAND")
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

func helpGroup(screen *view.Screen, t *view.Sheet, cmd *cobra.Command, id, label string) {
	first := true
	for _, c := range cmd.Commands() {
		if c.GroupID != id || !c.IsAvailableCommand() {
			continue
		}
		if first {
			t.Gap()
			first = false
		}
		t.Row(label, screen.Bold(c.Name()), screen.Plain(c.Short))
	}
}

func flags(screen *view.Screen, label string, set *pflag.FlagSet) {
	t := screen.Sheet()
	some := false
	set.VisitAll(func(f *pflag.Flag) {
		if f.Hidden || f.Name == "help" {
			return
		}
		name, usage := "--"+f.Name, f.Usage
		if word, plain := pflag.UnquoteUsage(f); plain != usage {
			name, usage = name+" "+word, plain
		} else if kind := f.Value.Type(); kind != "bool" {
			name += " " + map[string]string{"string": "TEXT", "stringArray": "TEXT", "int": "N"}[kind]
		}
		if f.Shorthand != "" {
			name += ", -" + f.Shorthand
		}
		t.Row(label, screen.Bold(name), screen.Plain(usage))
		some = true
	})
	if some {
		screen.Say("")
		t.Print()
	}
}
