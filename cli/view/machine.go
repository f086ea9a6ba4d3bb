package view

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"

	"glassjar/core/apply"
	"glassjar/core/atomicfile"
	"glassjar/core/guard"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/lock"
)

// OutputError says that a result could not be written where it was to go.
type OutputError struct{ Err error }

func (e *OutputError) Error() string { return "the result cannot be written: " + e.Err.Error() }
func (e *OutputError) Unwrap() error { return e.Err }

// machineWords are for what the machine denies, and for jars in the middle of a
// change.
func (s *Screen) machineWords(err error) (Message, bool) {
	var (
		panicked *guard.PanicError
		lost     *OutputError
		locked   *lock.Error
		busy     *lock.BusyError
		recover  *jar.RecoverError
		damaged  *jar.DamagedJournalError
		pending  *jar.PendingError
		changing *jar.ChangingError
		link     *atomicfile.LinkError
		rejected interpreter.Rejection
	)
	switch {
	case errors.As(err, &panicked):
		m := Message{What: "glassjar itself has a fault, and stopped; what it was changing is undone by the next command", Reasons: []string{fmt.Sprint(panicked.Value)},
			Try: []string{"tell those who made it, with what you did and the output of glassjar version"}}
		if panicked.Kept != "" {
			m.Try = []string{"tell those who made it: all that they need is in " + s.Path(panicked.Kept)}
		}
		return m, true
	case errors.As(err, &lost):
		return Message{What: "what was to be printed could not be written", Reasons: []string{s.system(lost.Err)},
			Try: []string{"send it elsewhere, or make room there; what the command did is done"}}, true
	case errors.As(err, &link):
		return Message{What: s.Path(link.Path) + " is a link that leads out of " + s.Path(link.Within), Reasons: []string{"it leads to " + s.Path(link.Target), "nothing is written through it"},
			Try: []string{"put the file itself there, or change the one that it leads to"}}, true
	case errors.As(err, &recover):
		m := s.systemWords(recover.Err)
		m.What = "a change of " + s.Jar(recover.Jar) + " was cut off, and cannot be undone yet"
		m.Reasons = append(m.Reasons, "nothing is lost: what was taken away is in "+s.Path(filepath.Join(recover.Jar, "glassjar", "staging")))
		m.Try = append(m.Try, "then the same command again: it goes on undoing")
		return m, true
	case errors.As(err, &locked) && locked.Unsupported():
		return Message{What: "the file system of " + s.Path(locked.Path) + " has no locks", Reasons: []string{"without them two commands at once would spoil each other's work", locked.Err.Error()},
			Try: []string{"keep the store elsewhere: glassjar settings store DIR", "or, if nobody else works there: glassjar settings without-locks true"}}, true
	case errors.As(err, &locked):
		m := s.systemWords(locked.Err)
		m.What = s.Path(locked.Path) + " cannot be locked"
		return m, true
	case errors.As(err, &damaged):
		dir := s.Path(filepath.Dir(filepath.Dir(damaged.Path)))
		return Message{What: "the journal of " + dir + " is damaged", Reasons: []string{s.Path(damaged.Path) + ": " + damaged.Why, "what the change took away is in " + filepath.Join(dir, "glassjar", "staging")},
			Try: []string{"make the jar anew from its record: glassjar discard " + dir + ", then glassjar recreate"}}, true
	case errors.As(err, &busy):
		return Message{What: "another command is at work on " + s.Path(busy.Path), Try: []string{"the same command again, once that is done"}}, true
	case errors.As(err, &pending):
		return Message{What: s.Jar(pending.Jar) + " is in the middle of a change that was cut off", Reasons: []string{"a command that only looks does not touch it"},
			Try: []string{"undo it: glassjar check --mend, or any command that changes the jar"}}, true
	case errors.As(err, &changing):
		return Message{What: s.Jar(changing.Jar) + " is being changed by another command", Try: []string{"the same command again, once that is done"}}, true
	case errors.As(err, &rejected) && rejected.Passing:
		return Message{What: s.Path(rejected.Path) + " could not be asked what it is", Reasons: []string{rejected.Why, "it may be the Python that is wanted, so that no other is taken in its place"},
			Try: []string{"the same command again, or name another: --python"}}, true
	case ofSystem(err):
		return s.systemWords(err), true
	}
	return Message{}, false
}

// systemWords are for an error of the operating system: the path, what it said, and
// what helps.
func (s *Screen) systemWords(err error) Message {
	m := Message{Reasons: []string{s.system(err)}}
	path := pathOf(err)
	switch {
	case errors.Is(err, syscall.ENOSPC):
		if have, ok := freeBytes(path); ok {
			m.Reasons = append(m.Reasons, fmt.Sprintf("there are %s left on its disk", Bytes(have)))
		}
		var room *apply.NoRoomError
		if errors.As(err, &room) && room.Need > 0 {
			m.Reasons = append(m.Reasons, fmt.Sprintf("this needs at least %s", Bytes(room.Need)))
		}
		m.Try = []string{"make room: glassjar store tidy", "or keep the store on another disk: glassjar settings store DIR"}
	case errors.Is(err, syscall.EDQUOT):
		m.Try = []string{"your share of this disk is used up; make room: glassjar store tidy", "or keep the store on another disk: glassjar settings store DIR"}
	case errors.Is(err, syscall.EMFILE), errors.Is(err, syscall.ENFILE):
		m.Try = []string{"let a process open more files: ulimit -n 4096"}
	case errors.Is(err, syscall.EFBIG):
		m.Try = []string{"let a process write larger files: ulimit -f unlimited; or use a file system that takes them"}
	case errors.Is(err, syscall.EROFS):
		m.Try = []string{"choose a place that can be written to"}
	case inUse(err):
		m.Try = []string{"another program has that file open: end it, and try again"}
	case errors.Is(err, fs.ErrPermission):
		m.Try = []string{"choose a folder that you may write to, or ask its owner"}
		if strings.Contains(path, string(filepath.Separator)+"store"+string(filepath.Separator)) {
			m.Try = append(m.Try, "keep the store elsewhere: glassjar settings store DIR")
		}
	case errors.Is(err, syscall.ENOTDIR), errors.Is(err, syscall.EISDIR), errors.Is(err, syscall.ELOOP):
		m.Try = []string{"look at what stands there, and move it away: it is of another kind than it must be"}
	case errors.Is(err, syscall.EIO):
		m.Try = []string{"look at the disk: the system's log says more"}
	}
	return m
}

func pathOf(err error) string {
	var p *fs.PathError
	var l *os.LinkError
	switch {
	case errors.As(err, &p):
		return p.Path
	case errors.As(err, &l):
		return l.New
	}
	return ""
}
