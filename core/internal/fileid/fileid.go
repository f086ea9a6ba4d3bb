// Package fileid tells which file a path leads to, and whose it is.
package fileid

// ID is a file as the file system knows it: another one after a copy, the same after a
// renaming on one file system.
type ID struct {
	// Device and File together are unlike those of every other file that is there.
	Device, File uint64
	// Owner is a user's number, on Windows a SID; empty where the file system has none.
	Owner string
	// Group and All tell that the file's group, or everybody, may write to it.
	Group, All bool
}

// Same reports whether both are one file.
func (i ID) Same(o ID) bool { return i.Device == o.Device && i.File == o.File }

// Mine reports whether the file belongs to the user of this process.
func (i ID) Mine() bool { return mine(i.Owner) }

// Roots reports whether the file belongs to the system's administrator, who alone may
// write to it.
func (i ID) Roots() bool { return i.Owner == "0" && !i.Group && !i.All }
