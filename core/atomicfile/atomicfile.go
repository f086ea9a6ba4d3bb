// Package atomicfile is the one way in which this program writes a file that is
// there for longer than itself: a temporary of an unpredictable name is made
// exclusively beside the file, filled, flushed and renamed over it, and the folder
// is flushed. Whatever is killed when, the file is the old one or the new one, and
// after a power cut too.
//
// An existing file keeps its mode, its owner and, if asked for, its line ends. A file
// that is a symbolic link stays one: what it leads to is written, as long as that
// is inside the folder that the caller names; a link that leads out is refused.
//
// What can be had again at any time is written by [Cache], which flushes nothing.
//
// Libraries that do this were read: renameio 2.0 is not made for Windows, natefinch's
// atomic 1.0 is, and neither flushes the folder, follows a link or keeps line ends;
// the lockedfile of the go command edits in place. What is left of the work is short,
// and is here.
package atomicfile

import (
	"bytes"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"glassjar/core/durable"
	"glassjar/core/internal/retry"
)

// Options say how a file is written. The zero value serves files that belong to
// this program alone.
type Options struct {
	// Mode is that of a new file, without what the user's mask takes away; 0 is
	// 0666. An existing file keeps its own.
	Mode os.FileMode
	// Time is when the file says that it was changed; zero is now.
	Time time.Time
	// Within is the folder that a file may lie in where its path is a symbolic
	// link; empty refuses links.
	Within string
	// LineEnds keeps the line ends of a text that has CRLF throughout.
	LineEnds bool
	// Temporary, if set, chooses the temporary's path, which begins as it is given,
	// and notes it so that what a killed process leaves is swept; done is called
	// once the temporary is gone.
	Temporary func(prefix string) (path string, done func())
}

// LinkError says that a file is a symbolic link that leads out of where one may
// write.
type LinkError struct{ Path, Target, Within string }

func (e *LinkError) Error() string {
	return fmt.Sprintf("%s is a link to %s, which is outside of %s", e.Path, e.Target, e.Within)
}

// Pending is a file that is filled beside its place.
type Pending struct {
	// Path is what it will be, links followed; Temp where it is now.
	Path, Temp string
	done       func()
}

// Write writes a file whole, or leaves it as it was.
func Write(path string, data []byte, opt Options) error {
	p, err := Stage(path, data, opt)
	if err != nil {
		return err
	}
	return p.settle()
}

// Stream is [Write] of what is too large to be held: fill writes it. Where a device or a pipe stands,
// that is written to.
func Stream(path string, opt Options, fill func(io.Writer) error) error {
	if info, err := os.Stat(path); err == nil && !info.IsDir() && !info.Mode().IsRegular() {
		to, err := os.OpenFile(path, os.O_WRONLY, 0)
		if err != nil {
			return err
		}
		return errors.Join(fill(to), to.Close())
	}
	p, err := stage(path, opt, func(_ string, to io.Writer) error { return fill(to) })
	if err != nil {
		return err
	}
	return p.settle()
}

// settle flushes the file, and puts it into its place for good.
func (p *Pending) settle() error {
	defer p.Drop()
	if err := durable.File(p.Temp); err != nil {
		return err
	}
	if err := p.Commit(); err != nil {
		return err
	}
	return durable.Parent(p.Path)
}

// Stage fills a file beside its place. Nothing is flushed yet. The folder must be
// there.
func Stage(path string, data []byte, opt Options) (*Pending, error) {
	return stage(path, opt, func(target string, to io.Writer) error {
		if opt.LineEnds {
			data = keepLineEnds(target, data)
		}
		_, err := to.Write(data)
		return err
	})
}

// stage is [Stage] of what fill writes, which is told the place.
func stage(path string, opt Options, fill func(target string, to io.Writer) error) (*Pending, error) {
	target, err := Resolve(path, opt.Within)
	if err != nil {
		return nil, err
	}
	mode := opt.Mode
	if mode == 0 {
		mode = 0o666
	}
	before, err := os.Lstat(target)
	switch {
	case err == nil && !before.Mode().IsRegular():
		return nil, &fs.PathError{Op: "write", Path: target, Err: errors.New("it is not a file")}
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return nil, err
	}
	p := &Pending{Path: target}
	p.Temp, p.done = opt.temporary(filepath.Join(filepath.Dir(target), "."+filepath.Base(target)))
	if err = create(p.Temp, mode, func(to io.Writer) error { return fill(target, to) }); err == nil && before != nil {
		err = likeBefore(p.Temp, before)
	}
	if err == nil && !opt.Time.IsZero() {
		err = os.Chtimes(p.Temp, opt.Time, opt.Time)
	}
	if err != nil {
		p.Drop()
		return nil, err
	}
	return p, nil
}

func (o Options) temporary(prefix string) (string, func()) {
	if o.Temporary != nil {
		return o.Temporary(prefix)
	}
	raw := make([]byte, 8)
	_, _ = rand.Read(raw) // never fails
	return prefix + ".new-" + hex.EncodeToString(raw), func() {}
}

// create makes a file that is not there yet, and has it filled.
func create(temp string, mode os.FileMode, fill func(io.Writer) error) error {
	f, err := os.OpenFile(temp, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode)
	if err != nil {
		return err
	}
	return errors.Join(fill(f), f.Close())
}

func writeAll(f io.Writer, data [][]byte) error {
	for _, part := range data {
		if _, err := f.Write(part); err != nil {
			return err
		}
	}
	return nil
}

// Commit puts the file into its place.
func (p *Pending) Commit() error {
	if err := retry.WhileBusy(func() error { return os.Rename(p.Temp, p.Path) }); err != nil {
		return err
	}
	p.done()
	p.Temp = ""
	return nil
}

// Drop gives the file up, unless it has its place.
func (p *Pending) Drop() {
	if p.Temp != "" {
		os.Remove(p.Temp)
		p.done()
		p.Temp = ""
	}
}

// Resolve is the file that a path stands for: itself, or where it is a symbolic
// link what that leads to. The error is a [*LinkError] for a link that leads out of
// the folder within.
func Resolve(path, within string) (string, error) {
	info, err := os.Lstat(path)
	if err != nil || info.Mode()&fs.ModeSymlink == 0 {
		return path, nil
	}
	target, err := filepath.EvalSymlinks(path)
	if errors.Is(err, fs.ErrNotExist) {
		target, err = dangling(path)
	}
	if err != nil {
		return "", err
	}
	real, err := filepath.EvalSymlinks(within)
	if within == "" || err != nil || target != real && !strings.HasPrefix(target, strings.TrimSuffix(real, string(filepath.Separator))+string(filepath.Separator)) {
		if within == "" {
			within = filepath.Dir(path)
		}
		return "", &LinkError{path, target, within}
	}
	return target, nil
}

// dangling is where a link leads to a file that is not there yet.
func dangling(path string) (string, error) {
	target, err := os.Readlink(path)
	if err != nil {
		return "", err
	}
	if !filepath.IsAbs(target) {
		target = filepath.Join(filepath.Dir(path), target)
	}
	dir, err := filepath.EvalSymlinks(filepath.Dir(target))
	if err != nil {
		return "", err
	}
	return filepath.Join(dir, filepath.Base(target)), nil
}

// keepLineEnds gives a text the line ends of the one that is there.
func keepLineEnds(file string, data []byte) []byte {
	have, err := os.ReadFile(file)
	if err != nil {
		return data // it is told when the file is replaced
	}
	lines := bytes.Count(have, []byte("\n"))
	if lines == 0 || bytes.Count(have, []byte("\r\n")) != lines {
		return data
	}
	plain := bytes.ReplaceAll(data, []byte("\r\n"), []byte("\n"))
	return bytes.ReplaceAll(plain, []byte("\n"), []byte("\r\n"))
}
