package apply

// NoRoom and Lost are what an error is made into.
var (
	NoRoom = (*Applier).noRoom
	Lost   = (*Applier).lost
)
