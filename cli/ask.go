package cli

import (
	"bufio"
	"fmt"
	"os"
	"strings"

	"golang.org/x/term"

	"glassjar/cli/view"
	"glassjar/core/building"
	"glassjar/core/operation"
	"glassjar/core/plan"
)

// decide shows a plan and, where something present would go or change, asks.
func (a *app) decide(planOnly bool) operation.Decide {
	return func(p *plan.Plan) (bool, error) {
		a.screen.Plan(p)
		if planOnly {
			return false, nil
		}
		if a.yes || !p.Beyond || !a.canAsk() {
			return true, nil
		}
		return a.ask("go on?")
	}
}

// goesOn reports whether a plan will be carried out without a question.
func (a *app) goesOn(planOnly bool) func(beyond bool) bool {
	return func(beyond bool) bool { return !planOnly && (a.yes || !beyond || !a.canAsk()) }
}

// canAsk reports whether there is a person to ask.
func (a *app) canAsk() bool {
	f, ok := a.in.(*os.File)
	return ok && !a.json && a.screen.Terminal && view.IsTerminal(f)
}

// askBuild asks whether source may be built.
func (a *app) askBuild(q building.Question) (bool, error) {
	a.screen.BuildQuestion(q)
	return a.ask("build it?")
}

// askPassphrase asks for the passphrase of a key, which is not shown.
func (a *app) askPassphrase(file string) ([]byte, error) {
	fmt.Fprintf(a.err, "passphrase of %s: ", a.screen.Path(file))
	defer fmt.Fprintln(a.err)
	return term.ReadPassword(int(a.in.(*os.File).Fd()))
}

func (a *app) ask(question string) (bool, error) {
	answer, err := a.askWord(question + " [y/N]")
	return answer == "y" || answer == "yes", err
}

// askWord asks for a line, and gives it in lower case; empty where there is no answer.
func (a *app) askWord(question string) (string, error) {
	fmt.Fprint(a.err, question+" ")
	line, err := bufio.NewReader(a.in).ReadString('\n')
	if err != nil && line == "" {
		fmt.Fprintln(a.err)
		return "", nil
	}
	return strings.ToLower(strings.TrimSpace(line)), nil
}
