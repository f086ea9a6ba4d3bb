package source

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"slices"

	"glassjar/core/tags"
	"glassjar/core/wheel"
)

// open opens a wheel that the back end made, as any stranger's.
func (o *session) open(file string) (w *wheel.Wheel, done func(), err error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, nil, err
	}
	info, err := f.Stat()
	if err == nil {
		w, err = wheel.Open(f, info.Size(), filepath.Base(file), wheel.LimitsFor(o.Python.OS()))
		if err != nil {
			err = o.fault("build_"+o.kind(), NoWheel, filepath.Base(file), err)
		}
	}
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return w, func() { f.Close() }, nil
}

// finish checks the wheel that a back end made and packs it anew, in a folder of its own.
func (o *session) finish(ctx context.Context, file string) (*Wheel, error) {
	hook := "build_" + o.kind()
	dir, done, err := o.folder("wheel")
	if err != nil {
		return nil, err
	}
	out := &Wheel{done: done, Name: filepath.Base(file), Pins: o.env.Pins, Room: o.means.level()}
	out.File = filepath.Join(dir, out.Name)
	fail := func(err error) (*Wheel, error) {
		done()
		return nil, err
	}
	if err := wheel.RepackFile(file, out.File); err != nil {
		return fail(o.fault(hook, NoWheel, out.Name, err))
	}
	w, closed, err := o.open(out.File)
	if err != nil {
		return fail(err)
	}
	defer closed()
	if err := o.agree(w.Metadata); err != nil {
		return fail(err)
	}
	var text bytes.Buffer
	for _, e := range w.Entries {
		if e.Path == w.Info+"/METADATA" {
			if err := w.Copy(&text, e); err != nil {
				return fail(err)
			}
		}
	}
	out.Metadata = text.Bytes()
	out.Distribution, out.Version = w.Metadata.Key(), w.Metadata.Version
	out.Pure = w.Format.Purelib && !slices.ContainsFunc(w.Name.Tags, func(t tags.Tag) bool { return t.Platform != "any" })
	if !out.Pure || o.source.Editable {
		if out.Libraries, out.LibraryPath, err = o.libraries(ctx, w); err != nil {
			return fail(err)
		}
	}
	return out, nil
}

// Close removes the wheel's file.
func (w *Wheel) Close() {
	if w != nil {
		w.done()
	}
}
