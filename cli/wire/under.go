package wire

import (
	"time"

	"glassjar/core/operation"
)

// Under is how a command went under several Pythons.
type Under struct {
	Command []string   `json:"argv"`
	Runs    []UnderRun `json:"runs"`
}

func ofUnder(v operation.Under) Under {
	return Under{Command: v.Command, Runs: list(v.Runs, ofUnderRun)}
}

// UnderRun is how it went under one; error is there where the command was not run.
type UnderRun struct {
	Wish    string            `json:"wish"`
	Python  string            `json:"python"`
	Exit    int               `json:"exit"`
	Took    time.Duration     `json:"took_ns"`
	Differs map[string]string `json:"differs"`
	Error   string            `json:"error,omitempty"`
}

func ofUnderRun(v operation.UnderRun) UnderRun {
	out := UnderRun{Wish: v.Wish, Python: v.Python, Exit: v.Exit, Took: v.Took, Differs: v.Differs}
	if v.Err != nil {
		out.Error = v.Err.Error()
	}
	return out
}
