package jar

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"glassjar/core/lock"
)

// Hold waits until no other process changes the jar at root, keeps others out until
// release is called, and first puts right what a killed process left. What is read
// before a change belongs inside the lock too: specs and records are read, changed
// and written. The error is that of [Open], a [*lock.Error], a [*RecoverError], a
// [*DamagedJournalError], that of mode.Waits, or the context's.
func Hold(ctx context.Context, root string, out Outside, mode lock.Mode) (j *Jar, release func(), err error) {
	if _, err := read(root); err != nil {
		return nil, nil, err // and nothing is made in what is no jar
	}
	mode.InPlace = true
	held, err := lock.Take(ctx, filepath.Join(root, filepath.FromSlash(lockFile)), mode)
	if errors.Is(err, fs.ErrNotExist) {
		err = &NotAJarError{root, "it was taken away meanwhile"}
	}
	if err != nil {
		return nil, nil, err
	}
	if j, err = read(root); err == nil {
		j.held = true
		err = j.recover(out)
	}
	if err == nil && j.Recovered.happened() {
		// What was undone may have been what this jar says of itself.
		j, err = j.Again()
	}
	if err != nil {
		held.Release()
		return nil, nil, err
	}
	return j, held.Release, nil
}

// Again reads a jar anew whose lock this process has.
func (j *Jar) Again() (*Jar, error) {
	again, err := read(j.Root)
	if err == nil {
		again.held, again.Recovered = j.held, j.Recovered
	}
	return again, err
}

func (r Recovery) happened() bool { return r.Undone || r.Completed }

// PendingError says that a change of a jar was cut off and is still to be undone,
// which whoever changes it next does first.
type PendingError struct{ Jar string }

func (e *PendingError) Error() string {
	return "a change of " + e.Jar + " was cut off, and is to be undone yet"
}

// ChangingError says that a jar is changed again and again while it is looked at.
type ChangingError struct{ Jar string }

func (e *ChangingError) Error() string { return e.Jar + " is being changed" }

// Phase is where a jar is in a change.
type Phase int

// The phases: at rest; in the hands of another process; left by one that was killed.
const (
	Resting Phase = iota
	Changing
	CutOff
)

// PhaseOf tells where the jar at root is in a change, by the journal and the lock;
// nothing is held or made.
func PhaseOf(root string) Phase {
	if _, err := os.Lstat(filepath.Join(root, filepath.FromSlash(journalFile))); err != nil {
		return Resting
	}
	if !lock.Free(filepath.Join(root, filepath.FromSlash(lockFile))) {
		return Changing
	}
	if _, err := os.Lstat(filepath.Join(root, filepath.FromSlash(journalFile))); err != nil {
		return Resting // it was done between the two looks
	}
	return CutOff
}

// Generation is another one after each change of a jar, so that those who look can
// tell that what they read belongs together: they take no lock.
func Generation(root string) (string, error) {
	number, err := lastNumber(root)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("%s %d", IDOf(root), number), nil
}
