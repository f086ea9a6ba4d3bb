package cli

import (
	"os"

	"github.com/spf13/cobra"

	"glassjar/core/operation"
)

// offer says what a shell can complete; word is what stands there so far.
type offer func(m *operation.Machine, cmd *cobra.Command, word string) []string

// completes makes a command's arguments, or a flag's value, completable.
func (a *app) completes(from offer) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, word string) ([]string, cobra.ShellCompDirective) {
		dir, err := os.Getwd()
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		m, err := operation.NewMachine(dir)
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return from(m, cmd, word), cobra.ShellCompDirectiveNoFileComp
	}
}

// offers says for each command what its arguments are.
func (a *app) offers(root *cobra.Command) {
	jars := func(m *operation.Machine, _ *cobra.Command, _ string) []string { return m.OfferJars() }
	installed := func(m *operation.Machine, _ *cobra.Command, _ string) []string { return m.OfferInstalled(a.jar) }
	names := func(m *operation.Machine, cmd *cobra.Command, word string) []string {
		return m.OfferNames(cmd.Context(), word)
	}
	both := func(m *operation.Machine, cmd *cobra.Command, word string) []string {
		return append(installed(m, cmd, word), names(m, cmd, word)...)
	}
	indexes := func(m *operation.Machine, _ *cobra.Command, _ string) []string { return m.OfferIndexes() }
	for _, o := range []struct {
		path []string
		from offer
	}{
		{[]string{"discard"}, jars}, {[]string{"enter"}, jars}, {[]string{"clone"}, jars}, {[]string{"diff"}, jars}, {[]string{"install"}, names}, {[]string{"search"}, names}, {[]string{"about"}, both},
		{[]string{"uninstall"}, installed}, {[]string{"upgrade"}, installed}, {[]string{"why"}, installed},
		{[]string{"index", "drop"}, indexes}, {[]string{"index", "order"}, indexes},
	} {
		if cmd, _, err := root.Find(o.path); err == nil {
			cmd.ValidArgsFunction = a.completes(o.from)
		}
	}
	// The flag is there, so that this cannot fail.
	_ = root.RegisterFlagCompletionFunc("jar", a.completes(jars))
}
