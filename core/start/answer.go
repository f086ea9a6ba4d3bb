package start

import (
	"os"
	"slices"
)

// answerFormat is the first line of a file of an [Answer].
const answerFormat = "glassjar answer 1"

// Answer is what a command said that found nothing to do, with all that had a say in that.
// While all of it is as it was, the same command finds the same, and says so before the rest of
// the program is made ready.
type Answer struct {
	// Command is the command line after the program's name, Dir where the user stood.
	Command []string
	Dir     string
	// Out is what was printed.
	Out string
	Seen

	variables, shown string // a hash of all variables, and what was printed to
}

// Look notes how all that has a say is now. It reports false where that would be of no use: a
// file has changed so lately that another change might not show, or this system keeps no answers.
func (a *Answer) Look(environ []string) bool {
	a.variables, a.shown = everything(environ), shown()
	return a.shown != "" && a.look()
}

// Stands reports whether all is as it was noted.
func (a *Answer) Stands(environ []string) bool {
	return a.shown == shown() && a.variables == everything(environ) && a.stands()
}

// Give prints the answer, and notes that the jar was used.
func (a *Answer) Give() error {
	a.NoteUse()
	_, err := os.Stdout.WriteString(a.Out)
	return err
}

// everything is a hash of all variables but those that a shell changes with each command: what
// they hold is nobody's business, and so not kept.
func everything(environ []string) string {
	return hash(slices.DeleteFunc(slices.Clone(environ), func(v string) bool {
		name, _ := cut(v)
		return name == "_" || name == "OLDPWD"
	})...)
}

// Answerable reports whether answers are kept for a command line: what follows the program's name.
func Answerable(args []string) bool { return len(args) > 1 && args[0] == "install" }

// AnswerFile is where the last answer in a folder is kept.
func AnswerFile(cache, dir string) string { return File(cache, dir) + "-said" }

// ReadAnswer reads what was kept for a command in a folder.
func ReadAnswer(cache, dir string, command []string) (*Answer, error) {
	text, err := ours(AnswerFile(cache, dir))
	if err != nil {
		return nil, err
	}
	a := &Answer{}
	if !a.parse(text) || a.Dir != dir || !slices.Equal(a.Command, command) {
		return nil, errNotOurs
	}
	return a, nil
}

// Text is what [ReadAnswer] understands, to be kept at [AnswerFile].
func (a *Answer) Text() string {
	t := line(answerFormat) + line("dir", a.Dir)
	for _, word := range a.Command {
		t += line("word", word)
	}
	t += line("variables", a.variables) + line("shown", a.shown) + line("said", a.Out)
	return t + a.lines() + line("end")
}

func (a *Answer) parse(text string) bool {
	return parseLines(text, answerFormat, func(p []string) bool {
		switch {
		case len(p) == 2 && p[0] == "dir":
			a.Dir = p[1]
		case len(p) == 2 && p[0] == "word":
			a.Command = append(a.Command, p[1])
		case len(p) == 2 && p[0] == "variables":
			a.variables = p[1]
		case len(p) == 2 && p[0] == "shown":
			a.shown = p[1]
		case len(p) == 2 && p[0] == "said":
			a.Out = p[1]
		default:
			return a.take(p)
		}
		return true
	})
}
