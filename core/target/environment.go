package target

import (
	"sync"

	"glassjar/core/interpreter"
	"glassjar/core/requirement"
	"glassjar/core/tags"
	"glassjar/core/version"
)

// Environment is what decides which files and needs apply: an interpreter's, or a
// target's.
type Environment struct {
	// Title is for people: "CPython 3.11.7 on linux x86_64".
	Title string
	// Target is the target that it is or belongs to, as [Target.String] writes it.
	Target  string
	Markers requirement.Environment
	Ranks   tags.Ranks
	Python  version.Version
}

// EnvironmentOf is that of an interpreter.
func EnvironmentOf(in interpreter.Interpreter) Environment {
	return Environment{Target: Of(in).String(), Title: in.Title() + " on " + in.OS() + " " + in.Arch(), Markers: in.Environment(), Ranks: tags.RanksOf(in.ForTags(), in.Platform()), Python: in.Version()}
}

// Set keeps the environments of targets: tags are many, and markers are tried on every
// target. Several goroutines may use it; its zero value is ready.
type Set struct {
	mu    sync.Mutex
	known map[Target]Environment
}

// Environment is that of a target.
func (s *Set) Environment(t Target) Environment {
	s.mu.Lock()
	defer s.mu.Unlock()
	e, ok := s.known[t]
	if !ok {
		if s.known == nil {
			s.known = map[Target]Environment{}
		}
		e = t.Environment()
		s.known[t] = e
	}
	return e
}
