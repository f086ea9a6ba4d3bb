package store

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"sync/atomic"
	"syscall"
)

// Ways by which a file of the store gets into a jar, the cheapest first that
// keeps jars apart: a clone shares the bytes until one of both is written to, a
// link is the same file and so read-only, a copy has bytes of its own.
const (
	Clone = "clone"
	Link  = "link"
	Copy  = "copy"
)

// Ways are all of them.
var Ways = []string{Clone, Link, Copy}

// Placer puts files into jars. Which way the file systems have is found by
// trying, once for a placer; several goroutines may use it.
type Placer struct {
	// Store is where the files stand, or nil; there a file that has as many names
	// as it can have is written anew.
	Store *Store
	// Way is the one to begin with; empty for the cheapest. What it cannot do is
	// copied.
	Way string

	failed  [2]atomic.Bool // of Ways
	root    rootFolder
	left    atomic.Int64
	mu      sync.Mutex
	written []string
}

// Left is how many optional files were not there.
func (p *Placer) Left() int { return int(p.left.Load()) }

// Written are the files that are not the store's own but have been cloned or copied.
// A power cut may take their content, however durable the store's is.
func (p *Placer) Written() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Clone(p.written)
}

// wrote notes a file that was cloned or copied.
func (p *Placer) wrote(to string, err error) error {
	if err == nil {
		p.mu.Lock()
		p.written = append(p.written, to)
		p.mu.Unlock()
	}
	return err
}

// Close ends the use of a placer.
func (p *Placer) Close() { p.root.close() }

// Pair is a file of the store and the name that it gets in a folder.
type Pair struct {
	From, Name string
	// Optional leaves it out where there is no such file.
	Optional bool
}

// PlaceIn is [Placer.Place] for several files of one folder, which is there.
func (p *Placer) PlaceIn(dir string, list []Pair) error {
	if p.failed[0].Load() && p.may(1) || p.Way == Link {
		n, err := p.linkIn(dir, list)
		if err != nil {
			return err
		}
		list = list[n:]
	}
	for _, e := range list {
		err := p.Place(e.From, filepath.Join(dir, e.Name))
		if e.Optional && errors.Is(err, fs.ErrNotExist) {
			p.left.Add(1)
			continue
		}
		if err != nil {
			return err
		}
	}
	return nil
}

func (p *Placer) may(way int) bool {
	return !p.failed[way].Load() && (p.Way == "" || p.Way == Ways[way])
}

// Place makes a file at a path where none is, with the content and the time of
// another.
func (p *Placer) Place(from, to string) error {
	if p.may(0) {
		err := clone(from, to)
		if !unable(err) {
			return p.wrote(to, err)
		}
		p.failed[0].Store(true)
	}
	if p.may(1) && linkable {
		err := os.Link(from, to)
		if errors.Is(err, syscall.EMLINK) && p.Store != nil && p.Store.renew(from) == nil {
			err = os.Link(from, to)
		}
		switch {
		case errors.Is(err, syscall.EMLINK):
			return p.wrote(to, CopyFile(from, to))
		case !unable(err):
			return err
		}
		p.failed[1].Store(true)
	}
	return p.wrote(to, CopyFile(from, to))
}

// Copy is [Placer.Place] for a file that others may be writing to: it is never
// linked.
func (p *Placer) Copy(from, to string) error {
	if p.may(0) {
		err := clone(from, to)
		if !unable(err) {
			return p.wrote(to, err)
		}
		p.failed[0].Store(true)
	}
	return p.wrote(to, CopyFile(from, to))
}

// unable reports whether an error says that this way is not to be had here.
func unable(err error) bool {
	for _, e := range []error{syscall.EXDEV, syscall.EPERM, syscall.EACCES, syscall.EINVAL, syscall.ENOSYS, syscall.ENOTTY, errors.ErrUnsupported} {
		if errors.Is(err, e) {
			return true
		}
	}
	return false
}

// CopyFile copies a file with its time and its rights; it may be written to.
func CopyFile(from, to string) error {
	return makeFile(from, to, func(in, out *os.File) error {
		_, err := io.Copy(out, in)
		return err
	})
}

// makeFile fills a new file by fill and gives it the time of another, and its mode
// but that its owner may write to it.
func makeFile(from, to string, fill func(in, out *os.File) error) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return err
	}
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	err = fill(in, out)
	if err == nil {
		err = out.Chmod(info.Mode().Perm() | 0o200)
	}
	if err2 := out.Close(); err == nil {
		err = err2
	}
	if err == nil {
		err = os.Chtimes(to, info.ModTime(), info.ModTime())
	}
	if err != nil {
		os.Remove(to)
	}
	return err
}

// renew gives a content a new file: the old one has as many names as it can have.
func (s *Store) renew(path string) error {
	info, err := os.Lstat(path)
	if err != nil {
		return err
	}
	if !whole(info) {
		return fs.ErrInvalid
	}
	temp, done, err := begin(filepath.Join(s.Dir, "files"))
	if err != nil {
		return err
	}
	defer done()
	if err := CopyFile(path, temp); err != nil {
		return err
	}
	if err := os.Chmod(temp, info.Mode().Perm()); err != nil {
		return err
	}
	if err := os.Rename(temp, path); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}
