package cli

import (
	"context"
	"os"

	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/cli/wire"
	"glassjar/core/operation"
	"glassjar/core/shell"
)

func (a *app) enterCommand() *cobra.Command {
	var onCD bool
	cmd := &cobra.Command{
		Use: "enter [JAR]", GroupID: "use", Short: "be inside a jar: this shell where it is set up, else a new one",
		Long: `Enters the project's jar, or another by its path or its name on the shelf. Where
glassjar shell-setup stands in the shell's start file, this very shell changes;
elsewhere a new shell is opened inside, and exit leads out of it again.`,
		Example: "  glassjar enter\n  glassjar enter scratch",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			ref := a.jar
			if len(args) > 0 && ref != "" {
				return &view.UsageError{Why: "enter takes one jar, and two are named", Try: "leave out --jar, or the other"}
			}
			if len(args) > 0 {
				ref = args[0]
			}
			return a.enter(cmd.Context(), ref, onCD)
		},
	}
	cmd.Flags().BoolVar(&onCD, "on-cd", false, "for shells: enter only what this program made here for you")
	_ = cmd.Flags().MarkHidden("on-cd") // the flag is there
	return cmd
}

func (a *app) enter(ctx context.Context, ref string, onCD bool) error {
	inside := os.Getenv(shell.Variable)
	_, name := operation.UserShell()
	if inside != "" {
		name = inside
	}
	e, err := a.machine.Enter(ctx, ref, name, onCD)
	switch {
	case err != nil:
		return err
	case a.json:
		a.screen.Data(e)
		return nil
	case inside != "":
		_, err := a.out.Write([]byte(shell.Enter(inside, e.Script)))
		return err
	case e.Already:
		a.screen.Entered(e)
		return nil
	}
	l, err := a.machine.OpenShell(e)
	if err != nil {
		return err
	}
	a.screen.Entered(e)
	return a.launch(l)
}

func (a *app) leaveCommand() *cobra.Command {
	return &cobra.Command{
		Use: "leave", GroupID: "use", Short: "out of the jar again",
		Long: `Leaves the jar that this shell is in, where glassjar shell-setup stands in the
shell's start file; elsewhere it says how to get out.`,
		Example: "  glassjar leave",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			active, entered := a.machine.Active, os.Getenv(operation.EnteredVariable)
			if a.json {
				a.screen.Data(wire.LeaveResult{Active: active, Entered: entered})
				return nil
			}
			if os.Getenv(shell.Variable) != "" && active != "" {
				code := "deactivate\n"
				if entered != "" && entered == active {
					code = "exit\n"
				}
				_, err := a.out.Write([]byte(code))
				return err
			}
			if os.Getenv(shell.Variable) == "" {
				a.screen.Leave(active, entered)
			}
			if active == "" {
				return &view.UsageError{Why: "no jar is active in this shell", Try: "glassjar enter"}
			}
			return nil
		},
	}
}

func (a *app) shellSetupCommand() *cobra.Command {
	var onCD bool
	cmd := &cobra.Command{
		Use: "shell-setup SHELL", GroupID: "use", Short: "a text for your shell's start file, so that enter changes the shell itself",
		Long: `Prints a text for the start file of bash, zsh, fish or PowerShell. With it, enter
and leave change the shell that you are in. With --on-cd the shell also enters a
project's jar when you come into its folder, and leaves it after; only jars that
this program made on this machine for you are entered so.`,
		Example:   "  glassjar shell-setup bash\n  glassjar shell-setup zsh --on-cd",
		ValidArgs: shell.Shells,
		Args:      exactly("the name of a shell: bash, zsh, fish or powershell"),
		RunE: func(cmd *cobra.Command, args []string) error {
			text, err := shell.Setup(args[0], onCD)
			if err != nil {
				return err
			}
			if a.json {
				a.screen.Data(wire.ShellResult{Shell: args[0], Text: text})
				return nil
			}
			_, err = a.out.Write([]byte(text))
			return err
		},
	}
	cmd.Flags().BoolVar(&onCD, "on-cd", false, "enter a project's jar on the way into its folder, and leave it after")
	return cmd
}
