// Package plan decides, and does nothing: what versions are chosen for every target
// ([Solver]), what of a record applies somewhere ([FromRecord]), and what has to happen
// so that a jar holds it ([Plan.Compare]).
package plan

import (
	"glassjar/core/index"
	"glassjar/core/project"
)

// Item is one distribution of a plan.
type Item struct {
	Name string
	// Version is what will be there, From what is there now; one may be empty.
	Version string
	From    string
	// Asked tells that a person asked for it; NeededBy are those that need it.
	Asked    bool
	NeededBy []string
	// Index is the name of the index it comes from; File the package file.
	Index string
	File  string
	// Size is of the package file, in bytes, -1 if not known; Here tells that it
	// is in the store.
	Size int64
	Here bool
	// Why says why a distribution is made anew at the same version, or goes.
	Why string
	// Build is what it is built of, one of the constants; empty for a wheel.
	Build string
	// Edited are files of what is there now, by their paths in the jar, that somebody has changed
	// since they were installed: they go with it.
	Edited []string
}

// What a distribution is built of.
const (
	FromArchive        = "archive"
	FromFolder         = "folder"
	FromFolderEditable = "folder, editable"
	FromRepository     = "repository"
)

// Plan is what a command will do to a jar, as a person or a program is shown it.
type Plan struct {
	Jar    string
	Python string
	// Create tells that the jar will be made.
	Create bool
	Add    []Item
	Change []Item
	Remove []Item
	// Mend are distributions to be made anew at the version they have.
	Mend []Item
	// Drop are files that belong to nothing.
	Drop []string
	// Structure are files of the jar itself, such as pyvenv.cfg, that were put
	// right on the way.
	Structure []string
	// Moves is the interpreter that the jar had, where it gets another one of its minor
	// version; empty where it keeps its own.
	Moves string
	// Provided are distributions of the base that count as present.
	Provided []Item
	Kept     int
	// Fetch is how many bytes are to be transferred.
	Fetch      int64
	SampleOnly bool
	Asked      []string
	// Behind are those that an upgrade leaves behind the newest version.
	Behind []Behind
	// Notes are remarks on what was asked for and chosen, such as an extra that
	// there is not; PassedOver are package files that were not considered; Left are
	// targets that the record does not serve, and Unserved those of them that the one before did.
	Notes      []string
	PassedOver []index.PassedOver
	Left       []project.LeftOut
	Unserved   []project.LeftOut
	// HereBytes is how many bytes of package files are in the store already.
	HereBytes int64
	// Beyond tells that something present would be changed or removed beyond what was
	// asked for, so that a person is to be asked.
	Beyond bool
}

// New is a plan in which nothing is to be done yet.
func New(jar string) *Plan {
	return &Plan{Jar: jar, Add: []Item{}, Change: []Item{}, Remove: []Item{}, Mend: []Item{}, Drop: []string{}, Notes: []string{}, PassedOver: []index.PassedOver{}, Left: []project.LeftOut{}}
}

// Empty reports whether nothing in the jar would change.
func (p *Plan) Empty() bool {
	return !p.Create && p.Moves == "" && len(p.Add)+len(p.Change)+len(p.Remove)+len(p.Mend)+len(p.Drop) == 0
}

// FromFiles reports whether something comes out of package files: a clone takes
// what the other jar has.
func (p *Plan) FromFiles() bool {
	for _, list := range [][]Item{p.Add, p.Change, p.Mend} {
		for _, i := range list {
			if i.File != "" || i.Index != "" {
				return true
			}
		}
	}
	return false
}

// Behind is a distribution of which there is a newer version than the jar's.
type Behind struct {
	Name string
	// Version is the one here, Fits the newest that fits the spec and the other
	// packages, Newest the newest final one of all.
	Version string
	Fits    string
	Newest  string
	Asked   bool
	// Held says what keeps it from the newest; empty where nothing does.
	Held []Hold
}

// Hold is one thing that keeps a distribution back.
type Hold struct {
	// By is a distribution's name, or one of the constants.
	By string
	// Range is what that admits; Detail says more.
	Range  string
	Detail string
}

// What else keeps a distribution back: the spec, the jar's Python, that there is no file
// for this system, that the newest is a source distribution, was withdrawn, has a
// description that cannot be read, cannot stand together with the rest, or that a person
// holds it.
const (
	HeldBySpec     = "spec"
	HeldByPython   = "python"
	HeldByFiles    = "files"
	HeldBySource   = "source"
	HeldByYank     = "withdrawn"
	HeldByTogether = "the others together"
	HeldByUnread   = "description"
	HeldByHold     = "hold"
)
