package start

import "os"

// answerFormat is the first line of a file of an [Answer].
const answerFormat = "glassjar answer 1"

// Answer is what a command said that found nothing to do, with all that had a say in that.
// While all of it is as it was, the same command finds the same, and says so before the rest of
// the program is made ready.
type Answer struct {
	// Command is the command line after the program's name, Dir where the user stood.
	Command []string
	Dir     string
	// Out and Err are what was printed to either.
	Out, Err string
	// Used and Marks are as in [Start].
	Used  string
	Marks []Mark

	// content of Used; variables is a hash of all there are, shown what was printed to.
	content, variables, shown string
}

// Look notes how all that has a say is now. It reports false where that would be of no use: a
// file has changed so lately that another change might not show, or this system keeps no answers.
func (a *Answer) Look(environ []string) (ok bool) {
	a.variables, a.shown = everything(environ), shown()
	a.content, ok = look(a.Marks, a.Used)
	return ok && a.shown != ""
}

// Stands reports whether all is as it was noted.
func (a *Answer) Stands(environ []string) bool {
	return a.shown == shown() && a.variables == everything(environ) && stand(a.Marks, a.Used, a.content)
}

// Give prints the answer, and notes that the jar was used.
func (a *Answer) Give() error {
	noteUse(a.Used)
	if _, err := os.Stdout.WriteString(a.Out); err != nil {
		return err
	}
	_, err := os.Stderr.WriteString(a.Err)
	return err
}

// everything is a hash of all variables but those that a shell changes with each command: what
// they hold is nobody's business, and so not kept.
func everything(environ []string) string {
	text := ""
	for _, v := range environ {
		if name, _ := cut(v); name != "_" && name != "OLDPWD" {
			text += v + "\x00"
		}
	}
	return hash(text)
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
	if !a.parse(text) || a.Dir != dir || !same(a.Command, command) {
		return nil, errNotOurs
	}
	return a, nil
}

func same(a, b []string) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}

// Text is what [ReadAnswer] understands, to be kept at [AnswerFile].
func (a *Answer) Text() string {
	t := line(answerFormat) + line("dir", a.Dir)
	for _, word := range a.Command {
		t += line("word", word)
	}
	t += line("variables", a.variables) + line("shown", a.shown) + line("said", a.Out, a.Err) + line("used", a.Used, a.content)
	for _, m := range a.Marks {
		t += m.text()
	}
	return t + line("end")
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
		case len(p) == 3 && p[0] == "said":
			a.Out, a.Err = p[1], p[2]
		case len(p) == 3 && p[0] == "used":
			a.Used, a.content = p[1], p[2]
		default:
			return addMark(&a.Marks, p)
		}
		return true
	})
}
