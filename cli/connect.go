package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/leaks"
	"glassjar/core/operation"
	"glassjar/core/signature"
)

func (a *app) connectCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "connect", GroupID: "use", Short: "write the files by which editors, images, notebooks and git use the jar and its record",
		Example: "  glassjar connect editor\n  glassjar connect container",
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand("connect "+args[0], []string{"connect editor", "connect container", "connect notebook", "connect git"})
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error { return cmd.Help() },
	}
	cmd.AddCommand(a.connectEditorCommand(), a.connectContainerCommand(), a.connectNotebookCommand(), a.connectGitCommand())
	return cmd
}

// decideConnect shows the differences, and asks where there is a person.
func (a *app) decideConnect(planOnly bool) func(*operation.Connection) (bool, error) {
	return func(c *operation.Connection) (bool, error) {
		a.screen.Connection(c)
		switch {
		case planOnly:
			return false, nil
		case a.yes || !a.canAsk():
			return true, nil
		}
		return a.ask("write this?")
	}
}

func (a *app) connectEditorCommand() *cobra.Command {
	var undo, planOnly bool
	cmd := &cobra.Command{
		Use: "editor", Short: "let editors and language servers find the project's jar",
		Long: `Adds a few keys to the workspace settings that many editors read, and to those of
language servers in pyproject.toml. All else in these files stays, comments too;
the difference is shown first. --undo takes the keys out again.`,
		Example: "  glassjar connect editor\n  glassjar connect editor --undo",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.machine.ConnectEditor(cmd.Context(), a.jar, undo, a.decideConnect(planOnly))
			return a.present(c, err, func() { a.screen.Connected(c, planOnly) })
		},
	}
	cmd.Flags().BoolVar(&undo, "undo", false, "take out what was added")
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be written, and stop")
	return cmd
}

func (a *app) connectContainerCommand() *cobra.Command {
	var opt operation.ContainerOptions
	var planOnly bool
	cmd := &cobra.Command{
		Use: "container", Short: "files for an image in which the jar is in effect everywhere",
		Long: `Writes a Containerfile and a devcontainer.json that put this program and the
record into an image, and recreate the jar there as a user without privileges.
Only a changed record makes the packages anew.`,
		Example: "  glassjar connect container\n  glassjar connect container --base python:3.12-slim",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			opt.Jar = a.jar
			c, err := a.machine.ConnectContainer(cmd.Context(), opt, a.decideConnect(planOnly))
			return a.present(c, err, func() { a.screen.Connected(c, planOnly) })
		},
	}
	cmd.Flags().StringVar(&opt.Base, "base", "", "the image to begin from; one with the jar's Python if not given")
	cmd.Flags().StringVar(&opt.Program, "program", "", "this program built for the image's system")
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be written, and stop")
	return cmd
}

func (a *app) connectNotebookCommand() *cobra.Command {
	var undo, planOnly bool
	cmd := &cobra.Command{
		Use: "notebook [JAR]", Short: "let notebooks run in the jar, from a server outside of it",
		Long: `Writes a kernel specification into your own data folder, which any notebook server of
yours reads: it starts the jar's Python. The jar needs the package ipykernel for it;
where it is not there, that is said, and installed if you want. --undo removes it.`,
		Example: "  glassjar connect notebook\n  glassjar connect notebook tools --undo",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			ref := a.jar
			if len(args) > 0 {
				if ref != "" {
					return &view.UsageError{Why: "connect notebook takes one jar, and two are named", Try: "leave out --jar, or the other"}
				}
				ref = args[0]
			}
			c, err := a.machine.ConnectNotebook(cmd.Context(), ref, undo, a.decideConnect(planOnly))
			if err := a.present(c, err, func() { a.screen.Connected(c, planOnly) }); err != nil || !c.Done || c.Lacks == "" {
				return err
			}
			return a.installLacking(cmd, c)
		},
	}
	cmd.Flags().BoolVar(&undo, "undo", false, "remove what was written")
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be written, and stop")
	return cmd
}

// installLacking installs what a jar lacks for what was connected, if a person says so.
func (a *app) installLacking(cmd *cobra.Command, c *operation.Connection) error {
	if !a.yes && a.canAsk() {
		if yes, err := a.ask("install " + c.Lacks + " into the jar?"); err != nil || !yes {
			return err
		}
	} else if !a.yes {
		return nil // what was written says it
	}
	if a.json {
		return nil // one result is printed
	}
	o, err := a.machine.Install(cmd.Context(), operation.InstallOptions{Jar: c.Jar, Wants: []string{c.Lacks}}, a.decide(false))
	if err != nil {
		return err
	}
	a.show(o, false)
	return nil
}

func (a *app) connectGitCommand() *cobra.Command {
	var undo, planOnly bool
	cmd := &cobra.Command{
		Use: "git", Short: "let git merge records by what they ask for, and show their differences in words",
		Long: `Sets this program as the merge driver of records, and as what makes them readable
for git diff: for everybody in lines of .gitattributes, for this checkout in the
configuration of the repository. Two branches that each added a package merge
then; what is not known here stays a conflict, which glassjar record ends. Where both
sides had signed theirs, what they became is to be signed again.`,
		Example: "  glassjar connect git\n  glassjar connect git --undo",
		Args:    noSubcommand("merge", "show"),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.machine.ConnectGit(cmd.Context(), a.jar, undo, a.decideConnect(planOnly))
			return a.present(c, err, func() { a.screen.Connected(c, planOnly) })
		},
	}
	cmd.Flags().BoolVar(&undo, "undo", false, "take out what was added")
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be written, and stop")
	cmd.AddCommand(a.gitMergeCommand(), a.gitShowCommand())
	return cmd
}

// gitMergeCommand is what git starts to merge a record.
func (a *app) gitMergeCommand() *cobra.Command {
	return &cobra.Command{
		Use: "merge BASE OURS THEIRS PATH SIZE", Short: "what git starts to merge a record or its signature", Hidden: true,
		Args: cobra.ExactArgs(5),
		RunE: func(cmd *cobra.Command, args []string) error {
			if strings.HasSuffix(args[3], signature.Ending) {
				return a.machine.MergeSignatures(args[1])
			}
			r, err := a.machine.MergeRecordFiles(cmd.Context(), args[0], args[1], args[2], args[3])
			var not *operation.NotMergedError
			if errors.As(err, &not) {
				// Line by line then, as git would: its marks are what glassjar record understands.
				if clean, failed := a.machine.MergeLines(cmd.Context(), args[0], args[1], args[2], args[4]); failed != nil || clean {
					return errors.Join(err, failed)
				}
			}
			return a.present(r, err, func() { a.screen.Merged(r) })
		},
	}
}

// gitShowCommand is what git starts to show a record.
func (a *app) gitShowCommand() *cobra.Command {
	return &cobra.Command{
		Use: "show FILE", Short: "what git starts to show a record", Hidden: true,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			lines, err := a.machine.RecordLines(args[0])
			for _, line := range lines {
				fmt.Fprintln(a.out, line)
			}
			return err
		},
	}
}

func (a *app) straysCommand() *cobra.Command {
	show := func(s *leaks.Strays, err error) error { return a.present(s, err, func() { a.screen.Strays(s) }) }
	cmd := &cobra.Command{
		Use: "strays", GroupID: "keep", Short: "packages in your own site folder, which feed or shadow every environment",
		Long: `Lists the packages that were once installed for your user rather than into an
environment. They are seen by every Python of their version that is not sealed
off. put-away moves them aside, bring-back moves them back; nothing is deleted.`,
		Example: "  glassjar strays\n  glassjar strays put-away",
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand("strays "+args[0], []string{"strays put-away", "strays bring-back"})
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error { return show(leaks.List()) },
	}
	cmd.AddCommand(
		&cobra.Command{Use: "put-away", Short: "move them aside", Example: "  glassjar strays put-away", Args: atMost(0),
			RunE: func(cmd *cobra.Command, args []string) error { return show(leaks.PutAway()) }},
		&cobra.Command{Use: "bring-back", Short: "move them back", Example: "  glassjar strays bring-back", Args: atMost(0),
			RunE: func(cmd *cobra.Command, args []string) error { return show(leaks.BringBack()) }},
	)
	return cmd
}
