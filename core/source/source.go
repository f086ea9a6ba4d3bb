// Package source makes wheels out of source: archives, folders and repositories, by the
// back ends that they name (PEP 517, 518, 660). What is stated of a source without running
// any of its code is read first ([Statement]); what must be run runs in a closed room
// ([Room]): no network, no home folder, nothing writable but its own folder. The wheel
// that comes of it is packed anew, so that the same source gives the same bytes.
//
// The package knows no index and no jar: [Builder.Environment] makes the environment that a
// back end runs in.
package source

import (
	"context"
	"fmt"
	"path/filepath"
	"time"

	"glassjar/core/interpreter"
	"glassjar/core/version"
)

// Source is what a wheel is to be made of.
type Source struct {
	// Name is the distribution that it is to be, in normal form; empty where that is
	// only known from the source. Version is zero where any will do.
	Name    string
	Version version.Version
	// Archive is a file of this machine; Folder is one that is copied before it is
	// built. One is set.
	Archive, Folder string
	// Called is how the user knows it, which errors name; empty is the last part of its path.
	Called string
	// Subdirectory is where the project stands in it, with '/'; empty for its top.
	Subdirectory string
	// Editable has the folder's own modules imported from where they stand (PEP 660).
	Editable bool
	Options  Options
}

// called is what errors name.
func (s Source) called() string {
	if s.Called != "" {
		return s.Called
	}
	return filepath.Base(s.Archive + s.Folder)
}

// Options are what a person says of the building of one distribution.
type Options struct {
	// Variables are set for the build, and Shell those of the shell that come in.
	Variables, Shell map[string]string
	// Settings are given to the back end (PEP 517, "config_settings"): a text, or a list
	// of texts.
	Settings map[string]any
	// Also are requirements of the build that the source does not state.
	Also []string
	// Open lets it out of the room.
	Open bool
}

// Pin is a distribution that a back end was built with.
type Pin struct {
	Name, Version string
	// File, URL and SHA256 are of its package file; Index is the address of its index.
	File, URL, Index, SHA256 string
}

// Environment is a place in which a back end runs.
type Environment struct {
	// Root is the folder, Python the program in it, Scripts the folder of its programs.
	Root, Python, Scripts string
	Pins                  []Pin
	// Close removes it.
	Close func()
}

// Builder makes wheels with one interpreter. Several goroutines may use it.
type Builder struct {
	Python interpreter.Interpreter
	// Environment makes an environment that has what some requirements (PEP 508) ask
	// for, and all that needs.
	Environment func(ctx context.Context, requirements []string) (Environment, error)
	// Work is a folder in which builds get their own; Logs one in which the texts of
	// those that failed are kept.
	Work, Logs string
	// Temporary, if set, gives the path of a folder to be made beside another, and what to
	// call once it is gone, so that what a kill leaves can be removed.
	Temporary func(beside string) (dir string, done func())
	// Home is the user's home folder, which no build sees.
	Home string
	// Readable are further folders that a build may read: the store.
	Readable []string
	// Limit is how long one step may take; 0 is as long as it likes.
	Limit time.Duration
	// Line is told the last line of what a build says.
	Line func(name, line string)
}

// Wheel is what a build came to.
type Wheel struct {
	// File is the wheel, packed anew, until [Wheel.Close].
	File string
	done func()
	// Name is the file's name, Distribution and Version what it is of.
	Name, Distribution string
	Version            version.Version
	// Pure tells that it serves every platform.
	Pure bool
	// Pins are what the back end was built with; Room how closed the room was.
	Pins []Pin
	Room string
	// Metadata is METADATA.
	Metadata []byte
	// Libraries are shared libraries of the system that its programs need, LibraryPath
	// folders without which these are not found.
	Libraries, LibraryPath []string
}

// Kinds of failure: what the cause of a failed build is, where that can be told.
const (
	// NoCompiler is that a program is missing, such as gcc; NoHeader a header of a C
	// library; NoPythonHeader Python.h; NoLibrary a library to link with.
	NoCompiler     = "compiler"
	NoHeader       = "header"
	NoPythonHeader = "python header"
	NoLibrary      = "library"
	// NoModule is a module that the back end imports and its requirements lack.
	NoModule = "module"
	// NoNetwork is an attempt to reach the network from the closed room.
	NoNetwork = "network"
	// NoMemory is a program that the system ended, as where memory runs out.
	NoMemory = "memory"
	// TooNew is an interpreter that lacks what the source uses.
	TooNew = "interpreter"
	// TookLong is the time limit, NoBackEnd a back end that cannot be imported, NoHook
	// one that lacks what was asked of it, NoWheel one that said it made a wheel and did
	// not; Other is anything else.
	TookLong  = "time"
	NoBackEnd = "back end"
	NoHook    = "hook"
	NoWheel   = "no wheel"
	Other     = "other"
)

// BuildError says that a source could not be built.
type BuildError struct {
	Name, Version string
	// Step is what was being done, such as "build_wheel".
	Step string
	// Cause is one of the kinds above, and Of what it is about: a header's name.
	Cause, Of string
	// Tail are the last lines of the log, and Log the file that has all of it.
	Tail []string
	Log  string
	// Room is how closed the room was.
	Room string
	Err  error
}

func (e *BuildError) Error() string {
	text := fmt.Sprintf("%s could not be built", e.Name)
	if e.Version != "" {
		text = fmt.Sprintf("%s %s could not be built", e.Name, e.Version)
	}
	if e.Err != nil {
		text += ": " + e.Err.Error()
	}
	return text
}

func (e *BuildError) Unwrap() error { return e.Err }

// ArchiveError says what is wrong with a source: an archive that would write elsewhere, or
// a project that is another than was asked for.
type ArchiveError struct {
	File, Member, Why string
	// Another tells that it is another distribution, or version, than was asked for.
	Another bool
}

func (e *ArchiveError) Error() string {
	if e.Member != "" {
		return e.File + ": " + e.Member + ": " + e.Why
	}
	return e.File + ": " + e.Why
}
