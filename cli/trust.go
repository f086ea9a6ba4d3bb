package cli

import (
	"glassjar/cli/view"

	"github.com/spf13/cobra"
)

func (a *app) trustCommand() *cobra.Command {
	var withdraw bool
	cmd := &cobra.Command{
		Use: "trust [JAR]", GroupID: "use", Short: "take a jar that was not made here as it is",
		Long: `A jar that came with a folder (cloned, unpacked, copied, of another user) is shown,
but nothing of it is run and nothing in it is written, until it is made anew by
glassjar recreate, or you say here that you trust it as it is. Whoever filled it can
then run code as you. It holds until the jar is copied, or its Python is replaced.`,
		Example: "  glassjar trust\n  glassjar trust ../copied/.jar\n  glassjar trust --withdraw",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			ref := a.jar
			if len(args) > 0 && ref != "" {
				return &view.UsageError{Why: "trust takes one jar, and two are named", Try: "leave out --jar, or the other"}
			}
			if len(args) > 0 {
				ref = args[0]
			}
			t, err := a.machine.Trust(cmd.Context(), ref, withdraw)
			return a.present(t, err, func() { a.screen.Trusted(t) })
		},
	}
	cmd.Flags().BoolVar(&withdraw, "withdraw", false, "trust it no longer")
	return cmd
}

// askTrust asks for the one word that trusts a jar.
func (a *app) askTrust(root string) (bool, error) {
	a.screen.Strange(root)
	word, err := a.askWord("trust, or anything else to leave it:")
	return word == "trust", err
}
