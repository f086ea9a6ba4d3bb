package cli

import (
	"errors"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/cli/wire"
	"glassjar/core/operation"
)

func (a *app) cloneCommand() *cobra.Command {
	var opt operation.CloneOptions
	cmd := &cobra.Command{
		Use: "clone FROM TO", GroupID: "make", Short: "an independent jar with the same contents",
		Long: `Makes a jar with the contents of another jar, of a record or of a sealed jar. TO is
a path, or a name for the shelf. What is done to one afterwards does not touch the
other.`,
		Example: "  glassjar clone .jar scratch\n  glassjar clone scratch ../other/.jar --python 3.12",
		Args:    exactlyTwo("what to clone, and where to"),
		RunE: func(cmd *cobra.Command, args []string) error {
			opt.From, opt.To = args[0], args[1]
			o, err := a.machine.Clone(cmd.Context(), opt, a.decide(false))
			if err != nil {
				return err
			}
			a.show(o, false)
			return nil
		},
	}
	cmd.Flags().StringVar(&opt.Python, "python", "", "another Python, where the contents allow it")
	return cmd
}

func (a *app) historyCommand() *cobra.Command {
	return &cobra.Command{
		Use: "history", GroupID: "fill", Short: "the states that the jar has been in",
		Long: `Lists the states of the jar: when, by which command, and what changed. rewind goes
back to any of them.`,
		Example: "  glassjar history",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			h, err := a.machine.History(cmd.Context(), a.jar)
			return a.present(h, err, func() { a.screen.History(h) })
		},
	}
}

func (a *app) rewindCommand() *cobra.Command {
	var planOnly bool
	cmd := &cobra.Command{
		Use: "rewind [N]", GroupID: "fill", Short: "back to an earlier state of the jar",
		Long: `Brings the jar, the spec and the record back to state N of the history, or to the
one before the present. In the spec that is what it asks for: what else stands there
stays. It is a change like others, and can be taken back too.`,
		Example: "  glassjar rewind\n  glassjar rewind 3",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			number := 0
			if len(args) > 0 {
				var err error
				if number, err = strconv.Atoi(args[0]); err != nil || number < 1 {
					return &view.UsageError{Why: "a state is a number such as 3, not " + strconv.Quote(args[0]), Try: "glassjar history lists the states"}
				}
			}
			o, err := a.machine.Rewind(cmd.Context(), a.jar, number, a.decide(planOnly))
			if err != nil {
				return err
			}
			a.show(o, planOnly)
			return nil
		},
	}
	a.buildFlag(cmd)
	cmd.Flags().BoolVar(&planOnly, "plan", false, "show what would be done, and stop")
	return cmd
}

func (a *app) diffCommand() *cobra.Command {
	var form string
	cmd := &cobra.Command{
		Use: "diff [A [B]]", GroupID: "look", Short: "what two jars, records or sealed jars do not have in common",
		Long: `Compares two of them, each a jar by its path or its name on the shelf, a record, a
sealed jar, or git:REVISION, the record as git has it there. With one, it is
compared with the jar in effect, a revision with the record; with none, the jar in
effect with its record. The exit code is 1 if they differ. --as markdown is for those
who are to agree to a change: why each package is there, for which targets, its size,
licences that are new, and what was withdrawn; without names, of what git has.`,
		Example: "  glassjar diff\n  glassjar diff scratch\n  glassjar diff .jar pylock.toml\n  glassjar diff git:main --as markdown",
		Args:    atMost(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 2 && a.jar != "" {
				return &view.UsageError{Why: "diff compares the two that are named, so --jar has no effect", Try: "glassjar help diff"}
			}
			var x, y string
			if len(args) > 0 {
				x = args[0]
			}
			if len(args) > 1 {
				y = args[1]
			}
			if form != "" {
				return a.review(cmd, form, x, y)
			}
			d, err := a.machine.Diff(cmd.Context(), a.jar, x, y)
			if err == nil && d.Differs() {
				a.exit = view.ExitNo
			}
			return a.present(d, err, func() { a.screen.Difference(d) })
		},
	}
	cmd.Flags().StringVar(&form, "as", "", "markdown: as text for a pull request")
	return cmd
}

// review prints what a change of a record means.
func (a *app) review(cmd *cobra.Command, form, x, y string) error {
	if form != "markdown" {
		return &view.UsageError{Why: "diff is printed as markdown, or as it is, and not as " + form, Try: "glassjar diff git:main --as markdown"}
	}
	r, err := a.machine.Review(cmd.Context(), a.jar, x, y)
	if err != nil {
		return err
	}
	if len(r.Rows)+len(r.Asked)+len(r.NotAsked) > 0 {
		a.exit = view.ExitNo
	}
	text := view.Markdown(r)
	if a.json {
		a.screen.Data(wire.FormResult{Form: form, Text: text})
		return nil
	}
	_, err = fmt.Fprint(a.out, text)
	return err
}

func (a *app) checkCommand() *cobra.Command {
	var mend bool
	cmd := &cobra.Command{
		Use: "check", GroupID: "look", Short: "every file against its hash, needs against contents, jar against record",
		Long: `Compares every file with its hash, looks for files that belong to nothing, for
needs that are not met, for links that lead nowhere, at the interpreter and at the
record. With --mend, files are restored from the store. The exit code is 1 if
something is wrong.`,
		Example: "  glassjar check\n  glassjar check --mend",
		Args:    atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.machine.Check(cmd.Context(), a.jar, mend)
			if err == nil && !c.Clean() {
				a.exit = view.ExitNo
			}
			return a.present(c, err, func() { a.screen.Checked(c, mend) })
		},
	}
	a.buildFlag(cmd)
	cmd.Flags().BoolVar(&mend, "mend", false, "restore what is damaged from the store")
	return cmd
}

func (a *app) shelfCommand() *cobra.Command {
	var stale int
	var holding string
	cmd := &cobra.Command{
		Use: "shelf", GroupID: "make", Short: "every jar known on this machine",
		Long: `Lists the jars on the shelf, those of projects and those of scripts: place, Python,
packages, size, when each was last used, and how it is. With --holding those of
them, and the records made here, that hold a package; the exit code is 1 if none does.`,
		Example: "  glassjar shelf\n  glassjar shelf --stale 90\n  glassjar shelf --holding 'brixmeter<1.2'",
		Args:    noSubcommand("rename"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := oneOf(cmd, "stale", "holding"); err != nil {
				return err
			}
			if cmd.Flags().Changed("holding") {
				h, err := a.machine.Holding(cmd.Context(), holding)
				if err == nil && len(h.Found) == 0 {
					a.exit = view.ExitNo
				}
				return a.present(h, err, func() { a.screen.Holdings(h) })
			}
			s, err := a.machine.Shelf(cmd.Context(), stale)
			return a.present(s, err, func() { a.screen.Shelf(s) })
		},
	}
	cmd.Flags().StringVar(&holding, "holding", "", "only those that hold this `REQ`, and records that do")
	cmd.Flags().IntVar(&stale, "stale", 0, "only those not used for this many days")
	cmd.AddCommand(&cobra.Command{
		Use: "rename NAME NEW", Short: "give a jar on the shelf another name",
		Long:    `Gives a jar on the shelf another name. A project's jar is called after the project.`,
		Example: "  glassjar shelf rename scratch old-press",
		Args:    exactlyTwo("a jar on the shelf, and its new name"),
		RunE: func(cmd *cobra.Command, args []string) error {
			r, err := a.machine.Rename(cmd.Context(), args[0], args[1])
			return a.present(r, err, func() { a.screen.Renamed(r) })
		},
	})
	return cmd
}

func (a *app) sealCommand() *cobra.Command {
	var opt operation.SealOptions
	var check bool
	var signedBy string
	cmd := &cobra.Command{
		Use: "seal FILE|oci://HOST/NAME:TAG", GroupID: "record", Short: "one file, or artifact, with the record and every package file it names",
		Long: `Writes a zip with the record and the package files, for a machine without a
network: glassjar recreate --from FILE. The unpacked folder is an index too. Equal
contents give equal bytes. With an address of an OCI registry each file is a blob
there, and only what the registry lacks is sent; with --as-index the registry becomes
an index: glassjar index add NAME oci://HOST/NAME. With --check a sealed jar is
verified, byte for byte.`,
		Example: "  glassjar seal press.zip\n  glassjar seal press.zip --target linux-x86_64\n  glassjar seal press.zip --check\n  glassjar seal oci://registry.example/press:1.0",
		Args:    exactly("the file to write, or oci://HOST/NAME:TAG"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := errors.Join(with(cmd, "signed-by", "check"), oneOf(cmd, "as-index", "sign")); err != nil {
				return err
			}
			for _, other := range []string{"target", "built", "sign", "as-index"} {
				if err := oneOf(cmd, "check", other); err != nil {
					return err
				}
			}
			if check {
				s, err := a.machine.CheckSealed(cmd.Context(), args[0], signedBy)
				if err == nil && len(s.Faults) > 0 {
					a.exit = view.ExitIntegrity
				}
				return a.present(s, err, func() { a.screen.Sealed(s, true) })
			}
			opt.Jar, opt.File = a.jar, args[0]
			s, err := a.machine.Seal(cmd.Context(), opt)
			return a.present(s, err, func() { a.screen.Sealed(s, false) })
		},
	}
	cmd.Flags().StringArrayVar(&opt.Targets, "target", nil, "only for this target, such as linux-x86_64; may be repeated")
	cmd.Flags().BoolVar(&opt.Built, "built", false, "take along what was built from source on this machine")
	cmd.Flags().BoolVar(&opt.AsIndex, "as-index", false, "put the package files there as an index, oci://HOST/NAME")
	cmd.Flags().StringVar(&opt.Sign, "sign", "", "sign the record in it with the SSH `KEY` in this file")
	cmd.Flags().BoolVar(&check, "check", false, "verify a sealed jar, byte for byte")
	cmd.Flags().StringVar(&signedBy, "signed-by", "", "with --check: somebody in this `FILE` of signers must have signed it")
	return cmd
}

func (a *app) storeCommand() *cobra.Command {
	var plan bool
	var days int
	cmd := &cobra.Command{
		Use: "store", GroupID: "keep", Short: "what was fetched: how much it is, tidy it, verify it",
		Example: "  glassjar store usage\n  glassjar store tidy --plan",
		Args: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 {
				return unknownCommand("store "+args[0], []string{"store usage", "store tidy", "store verify", "store compile"})
			}
			return nil
		},
		RunE: func(cmd *cobra.Command, args []string) error { return cmd.Help() },
	}
	tidy := &cobra.Command{
		Use: "tidy", Short: "remove what no jar, history or discarded jar counts on",
		Long: `Removes package files that nothing counts on any more, and discarded jars for good.
With --older only what was not used for so many days.`,
		Example: "  glassjar store tidy --plan\n  glassjar store tidy --older 30", Args: atMost(0),
		RunE: func(cmd *cobra.Command, args []string) error {
			t, err := a.machine.TidyStore(cmd.Context(), days, plan)
			return a.present(t, err, func() { a.screen.Tidied(t) })
		},
	}
	tidy.Flags().BoolVar(&plan, "plan", false, "show what would be removed, and stop")
	tidy.Flags().IntVar(&days, "older", 0, "only what was not used for this many days")
	var behind bool
	compile := &cobra.Command{Use: "compile", Short: "compile a jar's modules for its interpreter now", Args: atMost(0),
		Long: `Compiles the modules of the jar into the store, those that are not there yet, and
puts the bytecode into the jar. This happens by itself after a change of a jar; see
the setting bytecode.`,
		Example: "  glassjar store compile",
		RunE: func(cmd *cobra.Command, args []string) error {
			if behind {
				lowest()
			}
			c, err := a.machine.CompileJar(cmd.Context(), a.jar)
			return a.present(c, err, func() { a.screen.Compiled(c) })
		}}
	compile.Flags().BoolVar(&behind, "behind", false, "with the lowest priority")
	cmd.AddCommand(
		&cobra.Command{Use: "usage", Short: "how much is kept, and for what", Example: "  glassjar store usage", Args: atMost(0),
			RunE: func(cmd *cobra.Command, args []string) error {
				u, err := a.machine.StoreUsage(cmd.Context())
				return a.present(u, err, func() { a.screen.StoreUsage(u) })
			}},
		tidy,
		compile,
		&cobra.Command{Use: "verify", Short: "compare every file with its hash", Example: "  glassjar store verify", Args: atMost(0),
			RunE: func(cmd *cobra.Command, args []string) error {
				v, err := a.machine.VerifyStore(cmd.Context())
				if err == nil && len(v.Damaged) > 0 {
					a.exit = view.ExitIntegrity
				}
				return a.present(v, err, func() { a.screen.Verified(v) })
			}},
	)
	return cmd
}
