package cli

import (
	"github.com/spf13/cobra"

	"glassjar/cli/view"
	"glassjar/core/interpreter/offered"
	"glassjar/core/interpreter/pack"
	"glassjar/core/operation"
)

func (a *app) pythonsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "pythons [WISH]", GroupID: "keep", Short: "the Pythons of this machine; fetch, pack and drop them",
		Long: `Lists the Pythons found on PATH, in the usual places, in the folders named by
the settings or by GLASSJAR_PYTHONS, and those that were fetched. Each is asked
once what it is; the answer is kept until its file changes.`,
		Example: "  glassjar pythons\n  glassjar pythons '>=3.9,<3.12'\n  glassjar pythons fetch 3.9",
		Args:    atMost(1),
		RunE:    a.listPythons,
	}
	cmd.AddCommand(
		&cobra.Command{Use: "list [WISH]", Short: "the Pythons of this machine, and which would be chosen here", Args: atMost(1), RunE: a.listPythons,
			Long:    "Lists the Pythons of this machine, who provides each, and which one a jar made\nhere would have. For those that were fetched it names the jars that use them.",
			Example: "  glassjar pythons list\n  glassjar pythons list 3.12"},
		a.pythonsFetchCommand(), a.pythonsPackCommand(), a.pythonsDropCommand(), a.pythonsVerifyCommand())
	return cmd
}

func (a *app) listPythons(cmd *cobra.Command, args []string) error {
	wish := ""
	if len(args) == 1 {
		wish = args[0]
	}
	p, err := a.machine.Pythons(cmd.Context(), wish)
	if err != nil {
		return err
	}
	chosen := false
	for _, f := range p.Found {
		chosen = chosen || f.Chosen
	}
	if !chosen {
		a.exit = view.ExitPython
	}
	return a.present(p, nil, func() { a.screen.Pythons(p) })
}

func (a *app) pythonsFetchCommand() *cobra.Command {
	var f operation.PythonFetch
	cmd := &cobra.Command{
		Use: "fetch WISH|FILE|ADDRESS", Short: "fetch a Python that is not here",
		Long: `Fetches the newest Python that fits a wish from the first index of Pythons that
has one for this machine (glassjar index add NAME AT --holds pythons), or the
one in a file. It is unpacked once, compared with its hash, and started; jars
link to it. Nothing else of the machine changes.`,
		Example: "  glassjar pythons fetch 3.9\n  glassjar pythons fetch 3.12 --newest\n  glassjar pythons fetch ./cpython-3.12.4-linux_x86_64.pybi --sha256 HASH",
		Args:    exactly("a version, or a file that holds a Python"),
		RunE: func(cmd *cobra.Command, args []string) error {
			f.Wish = args[0]
			got, err := a.machine.FetchPython(cmd.Context(), f)
			return a.present(got, err, func() { a.screen.FetchedPython(got) })
		},
	}
	cmd.Flags().StringVar(&f.SHA256, "sha256", "", "the file's `HASH`, where no index tells it; it is kept for the next time")
	cmd.Flags().BoolVar(&f.Newest, "newest", false, "fetch the newest release that fits, also where an older one is here")
	return cmd
}

func (a *app) pythonsPackCommand() *cobra.Command {
	var opt pack.Options
	var to string
	cmd := &cobra.Command{
		Use: "pack WISH|PATH --to DIR", Short: "pack an installed Python into one file (PEP 711)",
		Long: `Packs the program, the standard library and the headers of an installed Python
into a file that runs wherever it is unpacked. Nothing of the installation is
changed. Libraries that not every system has are named in the file, and looked
for where it is fetched; with --with-libraries they are packed along.`,
		Example: "  glassjar pythons pack 3.12 --to ./pythons\n  glassjar pythons pack /usr/bin/python3 --to ./pythons --with-libraries",
		Args:    exactly("a version, or the path of a Python"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if to == "" {
				return &view.UsageError{Why: "pythons pack needs a folder for the file", Try: "glassjar pythons pack " + args[0] + " --to ./pythons"}
			}
			packed, err := a.machine.PackPython(cmd.Context(), args[0], to, opt)
			return a.present(packed, err, func() { a.screen.PackedPython(packed, to) })
		},
	}
	cmd.Flags().StringVar(&to, "to", "", "the `DIR` that the file is written to")
	cmd.Flags().BoolVar(&opt.Tests, "with-tests", false, "pack the standard library's own tests too")
	cmd.Flags().BoolVar(&opt.Packages, "with-packages", false, "pack what is installed in it too")
	cmd.Flags().BoolVar(&opt.Libraries, "with-libraries", false, "pack shared libraries along that not every system has")
	return cmd
}

func (a *app) pythonsDropCommand() *cobra.Command {
	var unused bool
	cmd := &cobra.Command{
		Use: "drop NAME", Short: "remove a Python that was fetched",
		Long:    "Removes a Python that was fetched, by its name or version; with --unused all that\nno known jar counts on. One that jars count on needs --yes.",
		Example: "  glassjar pythons drop 3.9.18\n  glassjar pythons drop --unused",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			name := ""
			if len(args) == 1 {
				name = args[0]
			}
			if unused == (name != "") {
				return &view.UsageError{Why: "pythons drop needs the name of a Python, or --unused", Try: "glassjar pythons lists those that were fetched"}
			}
			gone, err := a.machine.DropPythons(cmd.Context(), name, unused, a.yes)
			return a.present(gone, err, func() { a.screen.DroppedPythons(gone) })
		},
	}
	cmd.Flags().BoolVar(&unused, "unused", false, "all that no known jar counts on")
	return cmd
}

func (a *app) pythonsVerifyCommand() *cobra.Command {
	return &cobra.Command{
		Use: "verify [NAME]", Short: "compare the Pythons that were fetched with their hashes",
		Long:    "Compares every file of the Pythons that were fetched with its hash. The exit code\nis 5 if one is not what it was.",
		Example: "  glassjar pythons verify",
		Args:    atMost(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			name := ""
			if len(args) == 1 {
				name = args[0]
			}
			list, err := a.machine.VerifyPythons(cmd.Context(), name)
			for _, v := range list {
				if len(v.Faults) > 0 {
					a.exit = view.ExitIntegrity
				}
			}
			return a.present(list, err, func() { a.screen.VerifiedPythons(list) })
		},
	}
}

// askPython asks whether a Python may be fetched.
func (a *app) askPython(o offered.Offer) (bool, error) {
	a.screen.PythonQuestion(o)
	return a.ask("fetch it?")
}
