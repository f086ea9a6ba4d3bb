package cli

import (
	"bytes"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"glassjar/cli/wire"
	"glassjar/core/operation"
	"glassjar/core/settings"
	"glassjar/core/target"
)

// addCompletion adds the library's command that prints a script for each shell, as JSON where that
// is asked for.
func (a *app) addCompletion(root *cobra.Command) {
	var script bytes.Buffer // where the library's commands write
	root.SetOut(&script)
	root.InitDefaultCompletionCmd()
	root.SetOut(a.out)
	c, _, err := root.Find([]string{"completion"})
	if err != nil {
		return
	}
	c.Short, c.GroupID = "a script that completes commands in your shell", "more"
	for _, of := range c.Commands() {
		write := of.RunE
		of.RunE = func(cmd *cobra.Command, args []string) error {
			err := write(cmd, args)
			switch {
			case err != nil:
			case a.json:
				a.screen.Data(wire.ShellResult{Shell: of.Name(), Text: script.String()})
			default:
				_, err = a.out.Write(script.Bytes())
			}
			return err
		}
	}
}

// offer says what a shell can complete; args are the words before, word is what stands
// there so far.
type offer func(m *operation.Machine, cmd *cobra.Command, args []string, word string) []string

// filesToo are offers beside which any file can stand, noFiles those beside which none can.
const (
	filesToo = cobra.ShellCompDirectiveDefault
	noFiles  = cobra.ShellCompDirectiveNoFileComp
)

// completes makes a command's arguments, or a flag's value, completable. What begins
// as a path is completed as one where files can stand.
func (a *app) completes(from offer, directive cobra.ShellCompDirective) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
		if directive == filesToo && (strings.HasPrefix(word, ".") || strings.Contains(word, "/") || strings.HasPrefix(word, "~")) {
			return nil, cobra.ShellCompDirectiveDefault
		}
		dir, err := os.Getwd()
		if err != nil {
			return nil, directive
		}
		m, err := operation.NewMachine(dir)
		if err != nil {
			return nil, directive
		}
		return from(m, cmd, args, word), directive | cobra.ShellCompDirectiveKeepOrder
	}
}

func fixed(list ...string) offer {
	return func(*operation.Machine, *cobra.Command, []string, string) []string { return list }
}

// first keeps an offer to the first argument.
func first(from offer) offer {
	return func(m *operation.Machine, cmd *cobra.Command, args []string, word string) []string {
		if len(args) > 0 {
			return nil
		}
		return from(m, cmd, args, word)
	}
}

// knownJars and knownNames are offered for arguments and for options.
func knownJars(m *operation.Machine, _ *cobra.Command, _ []string, _ string) []string {
	return m.OfferJars()
}

func knownNames(m *operation.Machine, cmd *cobra.Command, _ []string, word string) []string {
	return m.OfferNames(cmd.Context(), word)
}

// offers says what is offered for the arguments of each command.
func (a *app) offers(root *cobra.Command) {
	installed := func(m *operation.Machine, _ *cobra.Command, _ []string, _ string) []string {
		return m.OfferInstalled(a.jar)
	}
	both := func(m *operation.Machine, cmd *cobra.Command, args []string, word string) []string {
		return append(installed(m, cmd, args, word), knownNames(m, cmd, args, word)...)
	}
	indexes := func(m *operation.Machine, _ *cobra.Command, _ []string, _ string) []string { return m.OfferIndexes() }
	states := func(m *operation.Machine, cmd *cobra.Command, _ []string, _ string) []string {
		return m.OfferStates(cmd.Context(), a.jar)
	}
	scripts := func(m *operation.Machine, _ *cobra.Command, _ []string, _ string) []string {
		return m.OfferScripts(a.jar)
	}
	lent := func(m *operation.Machine, _ *cobra.Command, args []string, _ string) []string {
		if len(args) == 0 {
			return m.OfferShelf()
		}
		return m.OfferScripts(args[0])
	}
	values := func(_ *operation.Machine, _ *cobra.Command, args []string, _ string) []string {
		if len(args) == 0 {
			return settings.Keys()
		}
		known, _ := settings.Known(args[0])
		switch known.Kind {
		case settings.Choice:
			return known.Choices
		case settings.YesNo:
			return []string{"true", "false"}
		}
		return nil
	}
	for _, o := range []struct {
		path      string
		from      offer
		directive cobra.ShellCompDirective
	}{
		{"discard", knownJars, filesToo}, {"enter", first(knownJars), filesToo}, {"clone", knownJars, filesToo}, {"diff", knownJars, filesToo}, {"shelf rename", knownJars, noFiles}, {"lend", lent, noFiles}, {"connect notebook", first(knownJars), filesToo},
		{"install", knownNames, filesToo}, {"search", knownNames, noFiles}, {"about", both, noFiles}, {"uninstall", installed, noFiles}, {"upgrade", installed, noFiles}, {"why", installed, noFiles},
		{"index drop", indexes, noFiles}, {"index order", indexes, noFiles}, {"index add", fixed(), filesToo}, {"rewind", first(states), noFiles}, {"run", first(scripts), filesToo},
		{"seal", fixed(), filesToo}, {"serve", fixed(), filesToo}, {"settings", values, filesToo},
	} {
		if cmd, _, err := root.Find(strings.Fields(o.path)); err == nil {
			cmd.ValidArgs, cmd.ValidArgsFunction = nil, a.completes(o.from, o.directive)
		}
	}
}

// optionOffers says what is offered for the values of options, on whichever command they are.
func (a *app) optionOffers(root *cobra.Command) {
	groups := func(m *operation.Machine, _ *cobra.Command, _ []string, _ string) []string { return m.OfferParts(true) }
	extras := func(m *operation.Machine, _ *cobra.Command, _ []string, _ string) []string {
		return m.OfferParts(false)
	}
	pythons := func(m *operation.Machine, cmd *cobra.Command, _ []string, _ string) []string {
		return m.OfferPythons(cmd.Context())
	}
	options := map[string]struct {
		from      offer
		directive cobra.ShellCompDirective
	}{
		"jar": {knownJars, filesToo}, "color": {fixed("auto", "always", "never"), noFiles}, "as": {fixed(operation.AsLock, operation.AsSpec, operation.AsList, operation.AsSBOM), noFiles},
		"group": {groups, noFiles}, "extra": {extras, noFiles}, "python": {pythons, filesToo}, "target": {fixed(target.Known()...), noFiles}, "put": {knownNames, noFiles},
		"maturity": {fixed(operation.Maturities...), noFiles}, "to": {fixed(), filesToo}, "from": {fixed(), filesToo}, "write": {fixed(), filesToo}, "into": {fixed(), filesToo}, "of": {fixed(), filesToo}, "under": {pythons, noFiles}, "plus": {knownNames, noFiles}, "holding": {knownNames, noFiles}, "at": {fixed(), filesToo}, "program": {fixed(), filesToo},
	}
	var visit func(cmd *cobra.Command)
	visit = func(cmd *cobra.Command) {
		for name, o := range options {
			if cmd.Flags().Lookup(name) != nil || cmd.PersistentFlags().Lookup(name) != nil {
				_ = cmd.RegisterFlagCompletionFunc(name, a.completes(o.from, o.directive)) // the flag is there
			}
		}
		for _, sub := range cmd.Commands() {
			visit(sub)
		}
	}
	visit(root)
}
