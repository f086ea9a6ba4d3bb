// Package cli is the command line: one file a command, each with its flags, one
// call into the core, and one view.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"syscall"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"glassjar/cli/view"
	"glassjar/core/atomicfile"
	"glassjar/core/fetch"
	"glassjar/core/guard"
	"glassjar/core/near"
	"glassjar/core/operation"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/start"
)

// app is what all commands share: the common flags, the screen, the machine.
type app struct {
	in  io.Reader
	out *output
	err *output

	// asOf is a date, after which nothing counts; build are names that may be built from source.
	asOf                                       string
	build                                      []string
	json, yes, quiet, offline, verbose, noWait bool
	color, jar                                 string

	screen  *view.Screen
	machine *operation.Machine
	// doing is what was asked for, for the first line of an error.
	doing func() string
	// typed is the command line; restoreMask gives what is started the user's mask.
	typed       []string
	restoreMask func()
	// exit is the code of a command that is done but answers with no.
	exit int
	// answer, if set, may be given at once the next time, with what was printed.
	answer *start.Answer
}

// Main runs one command line and gives its exit code.
func Main(args []string, in io.Reader, out, errs io.Writer) int {
	if l := plainRun(args); l != nil {
		err := launch(l)
		if err == nil {
			return view.ExitDone
		}
		a := newApp(args, in, out, errs)
		a.screen = a.newScreen() // what stands behind the command is not for this program
		return a.fail(context.Background(), err)
	}
	return newApp(args, in, out, errs).run()
}

func newApp(args []string, in io.Reader, out, errs io.Writer) *app {
	listens := start.Answerable(args)
	return &app{in: in, out: &output{to: out, listens: listens}, err: &output{to: errs, listens: listens}, typed: args, doing: func() string { return "" }}
}

// run runs the command line.
func (a *app) run() (code int) {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	defer func() {
		if r := recover(); r != nil {
			code = a.fail(ctx, guard.Caught(r, debug.Stack()))
		}
	}()
	root := a.root()
	root.SetArgs(a.typed)
	root.SetIn(a.in)
	root.SetOut(a.out)
	root.SetErr(a.err)
	err := root.ExecuteContext(ctx)
	a.tellNotes()
	if err == nil {
		if err = a.out.lost; err == nil {
			a.keepAnswer()
			return a.exit
		}
		return a.fail(ctx, &view.OutputError{Err: err})
	}
	return a.fail(ctx, err)
}

// keepAnswer keeps what was printed, where the same command would say the same at once. What was
// said besides, such as that another command was waited for, is of this time only.
func (a *app) keepAnswer() {
	if a.answer != nil && a.exit == view.ExitDone && len(a.out.said) <= mostSaid && len(a.err.said) == 0 {
		a.machine.KeepAnswer(a.answer, a.typed, string(a.out.said))
	}
}

// fail says in words what went wrong, and gives the exit code.
func (a *app) fail(ctx context.Context, err error) int {
	var exit exitCode
	if errors.As(err, &exit) {
		return int(exit)
	}
	if a.screen == nil {
		a.json = a.json || asksJSON(a.typed) // it may not have come to reading that
		a.screen = a.newScreen()
	}
	if ctx.Err() != nil {
		err = context.Canceled
	}
	var flags *flagError
	if errors.As(err, &flags) {
		err = &view.UsageError{Why: flags.Error(), Try: "glassjar help " + flags.command}
	}
	var panicked *guard.PanicError
	if errors.As(err, &panicked) {
		panicked.Kept = a.keepReport(panicked)
	}
	m := a.screen.Words(a.doing(), err)
	a.screen.Fail(m)
	return m.Exit
}

// asksJSON looks for --json before what belongs to another command.
func asksJSON(args []string) bool {
	for _, w := range args {
		if w == "--" {
			return false
		}
		if w == "--json" || w == "--json=true" {
			return true
		}
	}
	return false
}

// keepReport writes down what is needed to mend a fault of this program, and gives the
// file; empty where that cannot be done.
func (a *app) keepReport(p *guard.PanicError) string {
	if a.machine == nil {
		return ""
	}
	file := filepath.Join(a.machine.Folders.State, "fault.txt")
	text := fmt.Sprintf("glassjar %s, %s, %s/%s\nglassjar %s\n\n%v\n\n%s", Version, runtime.Version(), runtime.GOOS, runtime.GOARCH, typedWords(a.typed), p.Value, p.Stack)
	if os.MkdirAll(filepath.Dir(file), 0o777) != nil || atomicfile.Write(file, []byte(text), atomicfile.Options{Mode: 0o600}) != nil {
		return ""
	}
	return file
}

// tellNotes shows the remarks so far, each once.
func (a *app) tellNotes() {
	if a.machine != nil && a.screen != nil {
		for _, n := range a.machine.Notes {
			a.screen.Remark(n)
		}
		a.machine.Notes = nil
	}
}

// launch runs a launch with the user's own mask.
func (a *app) launch(l *operation.Launch) error {
	a.restoreMask()
	return launch(l)
}

// exitCode ends the program with a code and no message.
type exitCode int

func (e exitCode) Error() string { return fmt.Sprintf("exit %d", int(e)) }

type flagError struct {
	command string
	err     error
}

func (e *flagError) Error() string { return e.err.Error() }

func (a *app) newScreen() *view.Screen {
	dir, _ := os.Getwd() // without it paths are shown whole
	s := view.NewScreen(a.out, a.err, a.color, dir)
	s.JSON, s.Quiet, s.Verbose = a.json, a.quiet, a.verbose
	return s
}

// prepare makes the screen and the machine before any command runs.
func (a *app) prepare(cmd *cobra.Command, args []string) error {
	if a.color != "auto" && a.color != "always" && a.color != "never" {
		return &view.UsageError{Why: fmt.Sprintf("--color is auto, always or never, not %q", a.color)}
	}
	if a.jar != "" && ignoresJar(cmd) {
		return &view.UsageError{Why: called(cmd) + " does not act on one jar, so it does not take --jar", Try: "glassjar help " + called(cmd)}
	}
	if what := givenNothing(cmd, args); what != "" {
		return &view.UsageError{Why: what, Try: "leave it out, or say what: glassjar help " + called(cmd)}
	}
	a.restoreMask = ownRights()
	a.screen = a.newScreen()
	a.doing = func() string { return doing(cmd, args) }
	if name := called(cmd); !cmd.HasParent() || name == "version" || name == "help" {
		return nil // what they tell is asked for where nothing else works
	}
	dir, err := os.Getwd()
	if errors.Is(err, fs.ErrNotExist) {
		return &view.UsageError{Why: "the folder in which you stand is gone", Try: "go to one that is there: cd"}
	}
	if err != nil {
		return err
	}
	if a.machine, err = operation.NewMachine(dir); err != nil {
		return err
	}
	a.screen.Call = a.machine.Places().Call
	a.screen.Named, a.screen.Acts = func() string { return a.named(cmd, args) }, a.acts
	a.machine.Client.Offline = a.offline
	a.machine.Command, a.machine.NoWait = typedWords(a.typed), a.noWait
	a.machine.Waits = func(jar string) { a.screen.Note("waiting: another command is at work on " + a.screen.Jar(jar)) }
	if a.canAsk() {
		a.machine.AskTrust, a.machine.AskBuild, a.machine.AskPython, a.machine.AskPassphrase = a.askTrust, a.askBuild, a.askPython, a.askPassphrase
	}
	if a.asOf != "" {
		if a.machine.AsOf, err = project.ParseAsOf(a.asOf); err != nil {
			return &view.UsageError{Why: "--as-of: " + err.Error(), Try: "glassjar help install"}
		}
	}
	for _, name := range a.build {
		if !requirement.ValidName(name) {
			return &view.UsageError{Why: fmt.Sprintf("--build takes the name of a package, not %q", name), Try: "glassjar help install"}
		}
	}
	a.machine.Build, a.machine.Yes = a.build, a.yes
	a.machine.CompileLater = compileLater
	a.machine.Sweep()
	a.machine.Report = a.screen.Progress().Report
	return nil
}

// givenNothing says which flag or argument is an empty text, as a variable that is not set leaves
// it: as a path it would be the folder in which one stands. It is empty for none.
func givenNothing(cmd *cobra.Command, args []string) (what string) {
	cmd.Flags().Visit(func(f *pflag.Flag) {
		if f.Value.Type() == "string" && f.Value.String() == "" {
			what = "--" + f.Name + " was given nothing: an empty text"
		}
	})
	at := slices.Index(args, "")
	switch {
	case at < 0, cmd.Hidden: // a shell completes a word that has no letters yet
	case called(cmd) == "run" && at > 0: // the command's own
	case called(cmd) == "settings": // told there
	default:
		what = called(cmd) + " was given an empty text"
	}
	return what
}

// withoutJar are the commands that act on no jar, on all of them, or on those that their
// arguments name.
// named is the jar that a command line names, if it does: by --jar, as one to be made, or by a script
// that has one.
func (a *app) named(cmd *cobra.Command, args []string) string {
	for _, flag := range []string{"into", "of", "at"} {
		if f := cmd.Flags().Lookup(flag); f != nil && f.Changed && f.Value.Type() == "string" {
			return f.Value.String()
		}
	}
	switch name := called(cmd); {
	case a.jar != "" || len(args) == 0:
		return a.jar
	case name == "create", name == "run" && a.machine.ScriptNamed(args[0]) != "":
		return args[0]
	}
	return ""
}

var withoutJar = []string{"create", "clone", "discard", "shelf", "shelf rename", "lend", "search", "shell-setup", "leave", "pythons", "pythons list", "pythons fetch", "pythons pack", "pythons drop", "pythons verify", "index", "index list", "index add", "index drop", "index order",
	"store", "store usage", "store tidy", "store verify", "settings", "strays", "strays put-away", "strays bring-back", "serve", "demo", "version", "help"}

func ignoresJar(cmd *cobra.Command) bool {
	return slices.Contains(withoutJar, called(cmd))
}

// jarAsWord are commands that take a jar as a word too.
var jarAsWord = []string{"trust", "enter", "diff"}

// acts reports whether what a command with a name does is done to the one jar that --jar names.
func (a *app) acts(name string) bool {
	return slices.ContainsFunc(a.commands(), func(c named) bool { return c.name == name }) && !slices.Contains(withoutJar, name) && !slices.Contains(jarAsWord, name)
}

// typedWords is a command line for the history; it keeps no password.
func typedWords(args []string) string {
	words := make([]string, len(args))
	for i, w := range args {
		if name, address, ok := strings.Cut(w, " @ "); ok && strings.Contains(w, "://") {
			address, rest, _ := strings.Cut(address, " ")
			w = strings.TrimSpace(name + " @ " + fetch.Redact(address) + " " + rest)
		} else if strings.Contains(w, "://") {
			w = fetch.Redact(w)
		}
		words[i] = w
	}
	return strings.Join(words, " ")
}

// asOfFlag is the flag by which a command leaves out what was uploaded later.
func (a *app) asOfFlag(cmd *cobra.Command) {
	cmd.Flags().StringVar(&a.asOf, "as-of", "", "only what was uploaded by this `DATE`, such as 2025-06-30")
}

// buildFlag is the flag by which a command says yes to building.
func (a *app) buildFlag(cmd *cobra.Command) {
	cmd.Flags().StringArrayVar(&a.build, "build", nil, "say yes to building `NAME` from source (can be repeated)")
}

// show prints the outcome of a change.
func (a *app) show(o *operation.Outcome, planOnly bool) {
	a.answer = o.Answer
	if a.json {
		a.screen.Data(o)
		return
	}
	a.screen.Outcome(o)
	if !o.Done && !planOnly {
		a.screen.Say("nothing was changed")
		a.exit = view.ExitNo
	}
}

// present ends a command that looks: the result as JSON, or drawn.
func (a *app) present(v any, err error, draw func()) error {
	switch {
	case err != nil:
		return err
	case a.json:
		a.screen.Data(v)
	default:
		draw()
	}
	return nil
}

func names(cmd *cobra.Command) []string {
	var out []string
	for _, c := range cmd.Commands() {
		out = append(out, c.Name())
	}
	return out
}

// meant are words that people type first for commands that are called otherwise here.
var meant = map[string]string{"list": "contents", "show": "about", "info": "about", "add": "install", "get": "install", "remove": "uninstall", "delete": "discard", "drop": "discard", "update": "upgrade",
	"new": "create", "make": "create", "shell": "enter", "activate": "enter", "deactivate": "leave", "exit": "leave", "start": "run", "export": "record --as list", "import": "recreate --from FILE", "restore": "recreate",
	"copy": "clone", "rename": "shelf rename", "undo": "rewind", "back": "rewind", "log": "history", "status": "here", "which": "here", "where": "here", "clean": "store tidy", "verify": "check", "repair": "check --mend",
	"allow": "trust", "tree": "contents --tree", "find": "search", "jars": "shelf"}

func unknownCommand(name string, known []string) error {
	e := &view.UsageError{Why: fmt.Sprintf("there is no command %q", name), Try: "glassjar help lists the commands"}
	switch near := near.Names(name, known); {
	case meant[name] != "":
		e.Try = "glassjar " + meant[name]
	case len(near) > 0:
		e.Try = "glassjar " + near[0]
	}
	return e
}

// atLeast checks the number of arguments, and says what is missing.
func atLeast(n int, what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) < n {
			return &view.UsageError{Why: called(cmd) + " needs " + what, Try: "glassjar help " + called(cmd)}
		}
		return nil
	}
}

// called is a command as it is typed, such as "index add".
func called(cmd *cobra.Command) string { return strings.TrimPrefix(cmd.CommandPath(), "glassjar ") }

// exactlyTwo takes two arguments.
func exactlyTwo(what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if err := atLeast(2, what)(cmd, args); err != nil {
			return err
		}
		return atMost(2)(cmd, args)
	}
}

// noSubcommand takes no argument, since only commands can stand there.
func noSubcommand(known ...string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) == 0 {
			return nil
		}
		for i := range known {
			known[i] = cmd.Name() + " " + known[i]
		}
		return unknownCommand(cmd.Name()+" "+args[0], known)
	}
}

// exactly takes one argument.
func exactly(what string) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if err := atLeast(1, what)(cmd, args); err != nil {
			return err
		}
		return atMost(1)(cmd, args)
	}
}

func atMost(n int) cobra.PositionalArgs {
	return func(cmd *cobra.Command, args []string) error {
		if len(args) > n {
			return &view.UsageError{Why: fmt.Sprintf("%s does not take %q", called(cmd), args[n]), Try: "glassjar help " + called(cmd)}
		}
		return nil
	}
}
