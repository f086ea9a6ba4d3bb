package cli

import (
	"io"
	"strings"

	"github.com/spf13/cobra"
)

// Commands is the tree of commands, for pages and scripts that are made of it. None of
// them can be run.
func Commands() *cobra.Command { return newApp(nil, nil, io.Discard, io.Discard).root() }

const long = `Glass Jar keeps one isolated Python environment, a jar, for each project, and
writes down what is in it, so that anyone can make the same jar again.`

func (a *app) root() *cobra.Command {
	version := false
	root := &cobra.Command{
		Use: "glassjar", Short: "isolated Python environments that are written down", Long: long,
		SilenceErrors: true, SilenceUsage: true,
		PersistentPreRunE: func(cmd *cobra.Command, args []string) error { return a.prepare(cmd, args) },
		Args:              cobra.ArbitraryArgs,
		RunE: func(cmd *cobra.Command, args []string) error {
			switch {
			case version && len(args) == 0:
				return a.showVersion()
			case len(args) == 0:
				return cmd.Help()
			}
			return unknownCommand(args[0], names(cmd))
		},
	}
	f := root.PersistentFlags()
	f.StringVar(&a.jar, "jar", "", "act on this jar: a path, or a name on the shelf")
	f.BoolVar(&a.json, "json", false, "print the result as JSON and nothing else")
	f.BoolVarP(&a.yes, "yes", "y", false, "go ahead without asking")
	f.BoolVarP(&a.quiet, "quiet", "q", false, "print errors only")
	f.BoolVar(&a.offline, "offline", false, "use only what is on this machine")
	f.BoolVar(&a.noWait, "no-wait", false, "fail at once where another command is at work on the jar")
	f.BoolVarP(&a.verbose, "verbose", "v", false, "say more, such as what was passed over")
	root.Flags().BoolVar(&version, "version", false, "show the version, as the command version does")
	f.StringVar(&a.color, "color", "auto", "auto, always or never")
	root.SetFlagErrorFunc(func(cmd *cobra.Command, err error) error {
		return &flagError{called(cmd), err}
	})
	root.AddGroup(groups...)
	root.SetHelpFunc(a.help)
	root.SetHelpCommand(&cobra.Command{Use: "help [COMMAND]", GroupID: "more", Short: "more on a command", Example: "  glassjar help install",
		RunE: func(cmd *cobra.Command, args []string) error {
			found, rest, err := root.Find(args)
			if err != nil || len(rest) > 0 {
				return unknownCommand(strings.Join(args, " "), names(root))
			}
			a.help(found, nil)
			return nil
		}})
	root.CompletionOptions.SetDefaultShellCompDirective(cobra.ShellCompDirectiveNoFileComp)
	if a.addTyped(root) {
		return root
	}
	for _, c := range a.commands() {
		root.AddCommand(c.make())
	}
	if a.completing() {
		a.offers(root)
		a.optionOffers(root)
	}
	a.addCompletion(root)
	return root
}

// addTyped adds the command whose name is the first word of the command line, and reports whether
// there is one. To make the others would take a twentieth of the time that starting takes.
func (a *app) addTyped(root *cobra.Command) bool {
	if len(a.typed) == 0 {
		return false
	}
	for _, c := range a.commands() {
		if c.name == a.typed[0] {
			root.AddCommand(c.make())
			root.CompletionOptions.DisableDefaultCmd = true
			return true
		}
	}
	return false
}

// completing reports whether a shell asks what could stand next on its command line.
func (a *app) completing() bool {
	return len(a.typed) > 0 && (a.typed[0] == cobra.ShellCompRequestCmd || a.typed[0] == cobra.ShellCompNoDescRequestCmd)
}

// named makes a command.
type named struct {
	name string
	make func() *cobra.Command
}

// commands are all but those that come with the library, in the order of their
// groups.
func (a *app) commands() []named {
	return []named{
		{"create", a.createCommand}, {"clone", a.cloneCommand}, {"discard", a.discardCommand}, {"shelf", a.shelfCommand},
		{"install", a.installCommand}, {"uninstall", a.uninstallCommand}, {"outdated", a.outdatedCommand}, {"upgrade", a.upgradeCommand}, {"history", a.historyCommand}, {"rewind", a.rewindCommand},
		{"here", a.hereCommand}, {"contents", a.contentsCommand}, {"about", a.aboutCommand}, {"why", a.whyCommand}, {"search", a.searchCommand}, {"diagnose", a.diagnoseCommand}, {"diff", a.diffCommand}, {"check", a.checkCommand}, {"label", a.labelCommand}, {"report", a.reportCommand}, {"licences", a.licencesCommand}, {"advisories", a.advisoriesCommand},
		{"record", a.recordCommand}, {"recreate", a.recreateCommand}, {"seal", a.sealCommand},
		{"run", a.runCommand}, {"lend", a.lendCommand}, {"enter", a.enterCommand}, {"leave", a.leaveCommand}, {"trust", a.trustCommand}, {"shell-setup", a.shellSetupCommand}, {"connect", a.connectCommand},
		{"pythons", a.pythonsCommand}, {"index", a.indexCommand}, {"store", a.storeCommand}, {"settings", a.settingsCommand}, {"strays", a.straysCommand}, {"serve", a.serveCommand}, {"demo", a.demoCommand}, {"version", a.versionCommand},
	}
}

// The groups of commands; a title is the label beside which they stand.
var groups = []*cobra.Group{
	{ID: "make", Title: "make"}, {ID: "fill", Title: "fill"}, {ID: "look", Title: "look"},
	{ID: "record", Title: "record"}, {ID: "use", Title: "use"}, {ID: "keep", Title: "keep"}, {ID: "more", Title: "more"},
}
