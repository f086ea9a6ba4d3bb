package wheel

import (
	"io"
	"strings"

	"glassjar/core/limits"
	"glassjar/core/metadata"
)

// Outline is what is known of a wheel that was unpacked before, besides its
// entries.
type Outline struct {
	// File is the file name, Distribution the name as METADATA writes it, Info the
	// name of the .dist-info folder.
	File, Distribution, Info string
	// Purelib tells where the root of the archive belongs.
	Purelib bool
	// Warnings are as in [Wheel].
	Warnings []string
}

// Outline is that of an opened wheel.
func (w *Wheel) Outline() Outline {
	return Outline{w.File, w.Metadata.Name, w.Info, w.Format.Purelib, w.Warnings}
}

// EntryOf is an entry by its key (see [Entry.Key]).
func EntryOf(key, hash string, size int64, executable bool) Entry {
	scheme, path, _ := strings.Cut(key, "/")
	return Entry{Scheme: scheme, Path: path, Hash: hash, Size: size, Executable: executable}
}

// Unpacked is a wheel whose entries are files already, verified when they were
// unpacked. Of its Metadata only the name and the version are set. open reads an
// entry.
func Unpacked(o Outline, entries []Entry, open func(Entry) (io.ReadCloser, error)) (*Wheel, error) {
	w := &Wheel{File: o.File, Info: o.Info, Entries: entries, Warnings: o.Warnings, open: open}
	var err error
	if w.Name, err = metadata.ParseWheelName(o.File); err != nil {
		return nil, w.refuse("", err.Error())
	}
	w.Metadata.Name, w.Metadata.Version = o.Distribution, w.Name.Version
	w.Format.Purelib = o.Purelib
	at := o.Info + "/entry_points.txt"
	for _, e := range entries {
		if e.Path != at || e.Scheme != Purelib && e.Scheme != Platlib {
			continue
		}
		r, err := open(e)
		if err != nil {
			return nil, err
		}
		data, err := io.ReadAll(io.LimitReader(r, limits.Metadata))
		r.Close()
		if err != nil {
			return nil, err
		}
		w.EntryPoints, _ = metadata.ParseEntryPoints(data) // Warnings has what is wrong with them
	}
	return w, nil
}
