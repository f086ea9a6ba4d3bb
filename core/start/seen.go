package start

import (
	"os"
	"strconv"
	"time"
)

// Seen is the files and folders that had a say in something, as they were.
type Seen struct {
	// Used is the file whose time tells when the jar was last used; what stands in it has
	// a say as well.
	Used string

	marks   []mark
	content string // of Used
}

// Add adds paths that have a say, all of one kind.
func (s *Seen) Add(kind Kind, paths ...string) {
	for _, path := range paths {
		s.marks = append(s.marks, mark{Kind: kind, Path: path})
	}
}

// look notes how all is now; ok is false where a file has changed so lately that another change
// might not show in its times, or cannot be looked at.
func (s *Seen) look() (ok bool) {
	var err error
	if s.content, err = contents(s.Used); err != nil {
		return false
	}
	for i, m := range s.marks {
		if s.marks[i].was = m.now(); m.fresh() {
			return false
		}
	}
	return true
}

// stands reports whether all is as it was.
func (s *Seen) stands() bool {
	for _, m := range s.marks {
		if m.now() != m.was {
			return false
		}
	}
	now, err := contents(s.Used)
	return err == nil && now == s.content
}

// NoteUse sets the time at which the jar was last used, to the minute.
func (s *Seen) NoteUse() {
	now := time.Now()
	if info, err := os.Stat(s.Used); err == nil && now.Sub(info.ModTime()).Abs() < time.Minute {
		return // to write it takes as long as all else here
	}
	_ = os.Chtimes(s.Used, now, now) // it is only a date for lists
}

// lines are those by which it is kept.
func (s *Seen) lines() string {
	t := line("used", s.Used, s.content)
	for _, m := range s.marks {
		t += line("mark", strconv.Itoa(int(m.Kind)), m.Path, m.was)
	}
	return t
}

// take reads the parts of one of them; it reports whether they are that.
func (s *Seen) take(p []string) bool {
	switch {
	case len(p) == 3 && p[0] == "used":
		s.Used, s.content = p[1], p[2]
		return true
	case len(p) == 4 && p[0] == "mark":
		kind, err := strconv.Atoi(p[1])
		s.marks = append(s.marks, mark{Kind: Kind(kind), Path: p[2], was: p[3]})
		return err == nil
	}
	return false
}
