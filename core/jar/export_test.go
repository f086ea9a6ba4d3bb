package jar

import (
	"context"
	"fmt"
	"os"

	"glassjar/core/durable"
	"glassjar/core/store"
)

// MakeSteps makes a change of a jar up to some steps, as a process does that is killed
// then, and gives how many steps there are. With done the journal has its other name.
func MakeSteps(j *Jar, c Change, steps int, done bool) (total int, err error) {
	disk, err := durable.Open(j.Root)
	if err != nil {
		return 0, err
	}
	defer disk.Close()
	c.Placer = &store.Placer{}
	defer c.Placer.Close()
	a := &application{jar: j, change: c, disk: disk, owner: map[string]string{}, going: map[string]bool{}, folders: map[string]bool{}, optional: map[string]bool{}}
	for _, step := range []func(context.Context) error{a.leave, a.stage, a.mark, func(context.Context) error { return a.planPuts() }} {
		if err := step(context.Background()); err != nil {
			return 0, err
		}
	}
	g, staged, err := a.prepare()
	if err != nil {
		return 0, err
	}
	err = j.begin(staged)
	for i := 0; i < steps && i < len(g.steps) && err == nil; i++ {
		err = a.make(g.steps[i], &durable.Batch{})
	}
	if done && err == nil {
		err = rename(j.Path(journalFile), j.Path(doneFile))
	}
	for _, p := range a.pending {
		p.Drop() // swept by its note
	}
	return len(g.steps), err
}

// UndoSome undoes the last steps of the change that was cut off, as a process does that is killed
// then in its turn.
func UndoSome(j *Jar, out Outside, steps int) error {
	g, err := j.readJournal(journalFile)
	if err != nil {
		return err
	}
	root, err := os.OpenRoot(j.Root)
	if err != nil {
		return err
	}
	defer root.Close()
	return newRecovering(j, root, out, g).undo(&journal{steps: g.steps[max(0, len(g.steps)-steps):]})
}

// JournalText is a journal with lines as they are given.
func JournalText(lines ...string) []byte {
	text := journalHeading + "back\n"
	for _, l := range lines {
		text += l + "\n"
	}
	return append([]byte(text), fmt.Sprintf("end %d %s\n", len(lines), sumOf([]byte(text)))...)
}

// ReadJournal reads a journal and writes it again; steps are the paths that it names.
func ReadJournal(data []byte) (again []byte, paths []string, err error) {
	g, err := parseJournal(data)
	if err != nil {
		return nil, nil, err
	}
	for _, s := range g.steps {
		if s.path != "" {
			paths = append(paths, s.path)
		}
	}
	return g.bytes(), paths, nil
}

// ReadMoment reads a state of the history.
var ReadMoment = parseMoment

// Promise writes down what is to be done once a jar has its place.
func Promise(j *Jar) error {
	_, err := j.promise()
	return err
}

// WithoutConsole is withoutConsole.
var WithoutConsole = withoutConsole
