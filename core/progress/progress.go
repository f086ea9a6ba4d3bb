// Package progress is how far long work has come, as it is told to whoever shows it.
package progress

// Event is how far work has come.
type Event struct {
	// Stage says what is done, as in "fetching".
	Stage string
	// Done of Total, in bytes or in pieces; a Total of 0 is not known.
	Done, Total int64
	Bytes       bool
	// Unit is what the pieces are, if that is not plain from the stage.
	Unit string
	// File is one that is being worked on, with its own amounts in bytes, and
	// Ended tells that it no longer is; empty where there is no one file.
	File                string
	FileDone, FileTotal int64
	Ended               bool
}

// Sink is told of events, by several goroutines at once; nil for nobody.
type Sink func(Event)

// Tell tells of an event.
func (s Sink) Tell(e Event) {
	if s != nil {
		s(e)
	}
}
