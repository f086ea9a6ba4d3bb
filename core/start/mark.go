package start

// Kind is what of a path has a say.
type Kind int

const (
	// Target is the file that a path leads to, with its times.
	Target Kind = iota
	// Itself is what stands at a path, a link itself, with its times.
	Itself
	// Folder is which folder stands there, whose it is and who may write to it: not what is
	// in it.
	Folder
)

// mark is a file or folder that had a say, there or not.
type mark struct {
	Kind Kind
	Path string

	was string // what [mark.now] gave
}

// absent is what a mark of nothing looks like.
const absent = "absent"

// settled is how long ago, in nanoseconds, a file must have changed so that one more change
// shows in its times: a tick of the system's clock, or two seconds on file systems that
// count in whole ones.
func settled(changed int64) int64 {
	if changed%1e9 == 0 {
		return 2e9
	}
	return 5e7
}
