package wire

import (
	"glassjar/core/lent"
	"glassjar/core/operation"
)

// Lent tells of commands that are lent, or were taken back.
type Lent struct {
	Folder   string        `json:"folder"`
	OnPath   bool          `json:"on_path"`
	Commands []LentCommand `json:"commands"`
	Back     bool          `json:"back"`
	// Filled is there where a jar was made first.
	Filled *Outcome `json:"filled,omitempty"`
}

func ofLent(v operation.Lent) Lent {
	return Lent{Folder: v.Folder, OnPath: v.OnPath, Commands: list(v.Commands, ofLentCommand), Back: v.Back, Filled: pointer(v.Filled, ofOutcome)}
}

// LentCommand is one of them; before is another of its name that the shell finds first.
type LentCommand struct {
	Name   string `json:"name"`
	Path   string `json:"path"`
	Jar    string `json:"jar"`
	State  string `json:"state"`
	Before string `json:"before,omitempty"`
}

func ofLentCommand(v lent.Command) LentCommand { return LentCommand(v) }
