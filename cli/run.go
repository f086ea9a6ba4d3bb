package cli

import (
	"context"
	"io"
	"os"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/spf13/cobra"

	"glassjar/core/operation"
	"glassjar/core/progress"
	"glassjar/core/start"
)

// plainRun prepares "run CMD..." without an option, the command line of which
// every millisecond counts, past all that makes commands. Whatever is not so
// plain, and every error, is left to the command itself.
func plainRun(args []string) *operation.Launch {
	command, ok := start.Plain(args)
	if !ok {
		return nil
	}
	dir, err := os.Getwd()
	if err != nil {
		return nil
	}
	m, err := operation.NewMachine(dir)
	if err != nil {
		return nil
	}
	m.NoHints = true // the command itself will tell
	ctx := context.Background()
	l, err := m.Run(ctx, "", command)
	if err != nil || len(m.Notes) > 0 {
		return nil
	}
	m.KeepStart(ctx, l, command)
	return l
}

func (a *app) runCommand() *cobra.Command {
	var sealed bool
	var under string
	var opt operation.OnceOptions
	cmd := &cobra.Command{
		Use: "run CMD [ARG...]", GroupID: "use", Short: "run a command inside the jar, without activation",
		Long: `Runs a command as if the jar were active. A file that ends in .py is run by the
jar's Python. The exit code is the command's. A script that says in a block of
comments what it needs is run in a jar of its own, which is made the first time.

With --plus, --under, --oldest or --pre-releases the command is run in a jar that
is made for it and thrown away after it.`,
		Example: "  glassjar run python -c 'import brixmeter'\n  glassjar run press-schedule\n  glassjar run tally.py\n  glassjar run --plus orchard-map -- python\n  glassjar run --under 3.9,3.11..3.13 -- python -m unittest\n  glassjar run --jar scratch -- python\n  glassjar run --sealed-off press-schedule",
		Args:    atLeast(1, "a command to run"),
		RunE: func(cmd *cobra.Command, args []string) error {
			a.machine.SealedOff = sealed
			if err := oneOf(cmd, "oldest", "pre-releases"); err != nil {
				return err
			}
			if opt.Jar = a.jar; under != "" {
				return a.under(cmd.Context(), operation.UnderOptions{OnceOptions: opt, Pythons: strings.Split(under, ",")}, args)
			}
			if len(opt.Plus) > 0 || opt.Oldest || opt.Pre {
				return a.runOnce(cmd.Context(), opt, args)
			}
			l, err := a.machine.Run(cmd.Context(), a.jar, args)
			if err != nil {
				return err
			}
			a.tellNotes()
			return a.launch(l)
		},
	}
	cmd.Flags().BoolVar(&sealed, "sealed-off", false, "shut PYTHONPATH and your own packages out")
	cmd.Flags().StringArrayVar(&opt.Plus, "plus", nil, "with this `REQ` besides, for this once; may be repeated")
	cmd.Flags().StringVar(&under, "under", "", "under each of these `PYTHONS`, such as 3.9,3.11..3.13")
	cmd.Flags().BoolVar(&opt.Oldest, "oldest", false, "with the oldest versions of what the spec names")
	cmd.Flags().BoolVar(&opt.Pre, "pre-releases", false, "with the newest versions to come")
	a.buildFlag(cmd)
	// What follows the command is the command's own.
	cmd.Flags().SetInterspersed(false)
	return cmd
}

// runOnce runs a command in a jar that is thrown away after it.
func (a *app) runOnce(ctx context.Context, opt operation.OnceOptions, command []string) error {
	l, release, err := a.machine.RunPlus(ctx, opt, command)
	if err != nil {
		return err
	}
	defer release()
	a.tellNotes()
	a.restoreMask()
	a.exit, err = await(l)
	return err
}

// under runs a command under several Pythons.
func (a *app) under(ctx context.Context, opt operation.UnderOptions, command []string) error {
	out, width := io.Writer(a.out), 0
	if a.json {
		out = a.err // nothing but the result is on standard output
	}
	for _, name := range opt.Pythons {
		width = max(width, len(name))
	}
	var mu sync.Mutex
	var started atomic.Bool
	report := a.machine.Report
	a.machine.Report = func(e progress.Event) {
		if !started.Load() { // from then on the terminal is the commands'
			report(e)
		}
	}
	u, err := a.machine.Under(ctx, opt, command, func(ctx context.Context, name string, l *operation.Launch) (int, error) {
		started.Store(true)
		a.screen.Settle()
		prefix := a.screen.Prefix(name, width)
		return prefixed(ctx, l, &lines{to: out, mu: &mu, prefix: prefix}, &lines{to: a.err, mu: &mu, prefix: prefix})
	})
	if err != nil {
		return err
	}
	a.tellNotes()
	for _, r := range u.Runs {
		a.exit = max(a.exit, r.Exit)
		if r.Err != nil {
			a.exit = max(a.exit, a.screen.Words("run", r.Err).Exit)
		}
	}
	return a.present(u, nil, func() { a.screen.Under(u) })
}
