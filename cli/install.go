package cli

import (
	"errors"

	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/operation"
)

func (a *app) installCommand() *cobra.Command {
	var opt operation.InstallOptions
	var planOnly bool
	var into string
	cmd := &cobra.Command{
		Use: "install REQ...", GroupID: "fill", Short: "add packages, and write down what came of it",
		Long: `Finds versions that fit together, shows the plan, fetches and verifies the
files, and puts them into the jar. What you asked for goes into the spec, all
that came of it into the record. With --into a Python file gets it, in the block
of comments by which a script says what it needs.`,
		Example: "  glassjar install brixmeter\n  glassjar install --into tally.py brixmeter\n  glassjar install 'press-schedule>=2' orchard-map\n  glassjar install --editable ../press-tools",
		Args: func(cmd *cobra.Command, args []string) error {
			if len(opt.Editable) > 0 {
				return nil
			}
			return atLeast(1, "the name of something to install")(cmd, args)
		},
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := errors.Join(oneOf(cmd, "group", "extra"), a.intoAlone(cmd, &into, "editable", "group", "extra")); err != nil {
				return err
			}
			if into != "" {
				return a.into(cmd, operation.IntoOptions{Script: into, Wants: args, Pre: opt.Pre}, planOnly)
			}
			opt.Jar, opt.Wants = a.jar, args
			a.machine.Early = a.goesOn(planOnly)
			o, err := a.machine.Install(cmd.Context(), opt, a.decide(planOnly))
			if err != nil {
				return err
			}
			a.show(o, planOnly)
			return nil
		},
	}
	cmd.Flags().StringArrayVar(&opt.Editable, "editable", nil, "install the source in `DIR`, with its modules imported from where they stand")
	a.buildFlag(cmd)
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be done, and stop")
	a.asOfFlag(cmd)
	cmd.Flags().BoolVar(&opt.Pre, "pre-releases", false, "take pre-releases as well")
	cmd.Flags().StringVar(&opt.Group, "group", "", "write it into this dependency group of the spec")
	cmd.Flags().StringVar(&opt.Extra, "extra", "", "write it into this extra of the project")
	cmd.Flags().StringVar(&into, "into", "", "write it into the block of metadata of this `SCRIPT`")
	return cmd
}

// intoAlone refuses what has no meaning with --into.
func (a *app) intoAlone(cmd *cobra.Command, into *string, others ...string) error {
	if err := a.ofScript(cmd, "into", into); err != nil || *into == "" {
		return err
	}
	for _, other := range others {
		if cmd.Flags().Changed(other) {
			return &view.UsageError{Why: "--" + other + " has no meaning for a script: it has a block, and no groups, extras or folders", Try: "glassjar help " + cmd.Name()}
		}
	}
	return nil
}

// ofScript takes a script that --jar names for the one of a flag: its file stands for its jar.
func (a *app) ofScript(cmd *cobra.Command, flag string, script *string) error {
	if a.jar == "" {
		return nil
	}
	if *script != "" {
		return &view.UsageError{Why: "--" + flag + " and --jar do not go together: a script has a jar of its own", Try: "glassjar help " + cmd.Name()}
	}
	if a.machine.ScriptNamed(a.jar) != "" {
		*script = a.jar
	}
	return nil
}

// into changes the block of metadata of a script.
func (a *app) into(cmd *cobra.Command, opt operation.IntoOptions, planOnly bool) error {
	o, err := a.machine.EditScript(cmd.Context(), opt, a.decide(planOnly))
	if err != nil {
		return err
	}
	a.show(o, planOnly)
	return nil
}

func (a *app) outdatedCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "outdated", GroupID: "fill", Short: "what has newer versions, and what holds it back",
		Long: `Shows for each package of which there is a newer version the one here, the newest
that fits the spec and the other packages, the newest of all, and what stands
between. The exit code is 1 if there is any.`,
		Example: "  glassjar outdated",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			o, err := a.machine.Outdated(cmd.Context(), a.jar)
			if err == nil && len(o.Behind) > 0 {
				a.exit = view.ExitNo
			}
			return a.present(o, err, func() { a.screen.Outdated(o) })
		},
	}
	a.buildFlag(cmd)
	a.asOfFlag(cmd)
	return cmd
}

func (a *app) upgradeCommand() *cobra.Command {
	var planOnly, pre bool
	var of string
	cmd := &cobra.Command{
		Use: "upgrade [NAME...]", GroupID: "fill", Short: "move to the newest versions that fit",
		Long: `Moves the named packages, or all, to the newest versions that fit the spec, and
writes them into the record. What stays behind the newest is shown with what
holds it back. With --of what a script has is moved, and its record.`,
		Example: "  glassjar upgrade\n  glassjar upgrade brixmeter --plan\n  glassjar upgrade --of tally.py",
		RunE: func(cmd *cobra.Command, args []string) error {
			err := a.ofScript(cmd, "of", &of)
			if err != nil {
				return err
			}
			var o *operation.Outcome
			if of != "" {
				o, err = a.machine.UpgradeScript(cmd.Context(), of, args, pre, a.decide(planOnly))
			} else {
				o, err = a.machine.Upgrade(cmd.Context(), a.jar, args, pre, a.decide(planOnly))
			}
			if err != nil {
				return err
			}
			a.show(o, planOnly)
			return nil
		},
	}
	a.buildFlag(cmd)
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be done, and stop")
	a.asOfFlag(cmd)
	cmd.Flags().BoolVar(&pre, "pre-releases", false, "take pre-releases as well")
	cmd.Flags().StringVar(&of, "of", "", "move what this `SCRIPT` has")
	return cmd
}

func (a *app) uninstallCommand() *cobra.Command {
	var planOnly bool
	var into string
	cmd := &cobra.Command{
		Use: "uninstall NAME...", GroupID: "fill", Short: "take packages out, and what only they needed",
		Long: `Takes packages out of the jar, the spec and the record, with all that only they
needed. What something else still needs is refused. With --into they are taken
out of what a script says it needs.`,
		Example: "  glassjar uninstall orchard-map\n  glassjar uninstall --into tally.py brixmeter",
		Args:    atLeast(1, "the name of something in the jar"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.intoAlone(cmd, &into); err != nil {
				return err
			}
			if into != "" {
				return a.into(cmd, operation.IntoOptions{Script: into, Gone: args}, planOnly)
			}
			o, err := a.machine.Uninstall(cmd.Context(), a.jar, args, a.decide(planOnly))
			if err != nil {
				return err
			}
			a.show(o, planOnly)
			return nil
		},
	}
	a.buildFlag(cmd)
	cmd.Flags().StringVar(&into, "into", "", "take them out of the block of metadata of this `SCRIPT`")
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be done, and stop")
	return cmd
}
