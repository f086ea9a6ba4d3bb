// Package index knows where packages come from: a server that speaks the
// simple repository API (PEP 503, 629, 658, 691, 700, 714), a folder of package
// files, or the built-in sample. Several are combined in order ([Ordered]).
package index

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"glassjar/core/digest"
	"glassjar/core/metadata"
	"glassjar/core/version"
)

// ErrUnknownName says that an index has no distribution of that name.
var ErrUnknownName = errors.New("the index does not know that name")

// File is one package file that an index offers.
type File struct {
	// Name is the file's name.
	Name string
	// Distribution is the distribution's normal name, Version the file's.
	Distribution string
	Version      version.Version
	// Wheel is what a wheel's name says; nil for a source distribution.
	Wheel *metadata.WheelName
	// URL is absolute: http(s), file, or "sample:". Path is set for a file on
	// this machine.
	URL, Path string
	// Hashes are the index's; there may be none.
	Hashes digest.Sums
	// RequiresPython is as the index gives it; empty if it does not say.
	RequiresPython string
	Yanked         bool
	YankedReason   string
	// Size is in bytes, -1 if the index does not say.
	Size int64
	// Uploaded is zero if the index does not say.
	Uploaded time.Time
	// HasMetadata tells that the metadata can be had separately, with
	// MetadataHashes if not empty.
	HasMetadata    bool
	MetadataHashes digest.Sums
	// Provenance is the address of what the index knows of the file's publisher (PEP
	// 740); empty if it does not say.
	Provenance string
	// Index is the name of the index.
	Index string
	// Exact tells that Size is to be held, as a record's is.
	Exact bool
	// Tree is set for source that is no package file; Subdirectory is where in source the
	// project stands, or empty.
	Tree         *Tree
	Subdirectory string
	// Fault says why the file cannot be used, empty if it can: its name says
	// neither of what nor for what it is.
	Fault string

	// secret is the whole address where URL lacks what lets one in.
	secret string

	// doubtful tells that the page names the file in two ways that differ.
	doubtful bool
}

// Tree is a folder of this machine, or a repository.
type Tree struct {
	// Folder is a path; Editable has its modules imported from where they stand.
	Folder   string
	Editable bool
	// Own tells that it is the project itself, whose spec is followed anyway.
	Own bool
	// Repository is git's address, Requested what was asked for of it, and Commit what
	// that was.
	Repository, Requested, Commit string
}

// IsSource reports whether a wheel has to be built of it.
func (f File) IsSource() bool { return f.Wheel == nil }

// IsSourceName reports whether a file's name is none of a wheel.
func IsSourceName(name string) bool {
	_, err := metadata.ParseWheelName(name)
	return err != nil
}

// Ask is the address to ask for the file: URL, or what the index gave with something that
// lets one in, which is written down nowhere.
func (f File) Ask() string {
	if f.secret != "" {
		return f.secret
	}
	return f.URL
}

// SHA256 is the file's hash by that algorithm, or empty.
func (f File) SHA256() string { return f.Hashes.SHA256 }

// Source is one index.
type Source interface {
	// Name is what the user calls it; Address is where it is.
	Name() string
	Address() string
	// Files are all that the index offers of a distribution, by normal name, also
	// those with a Fault. The error wraps [ErrUnknownName] if it does not know the
	// name, of which it may have some with a Fault nevertheless.
	Files(ctx context.Context, name string) ([]File, error)
	// Names are all that the index knows, in normal form.
	Names(ctx context.Context) ([]string, error)
	// Metadata is a file's core metadata, if the index gives it separately.
	Metadata(ctx context.Context, f File) ([]byte, error)
	// Inside is what a wheel has inside, as far as the index can tell without the
	// whole file being fetched.
	Inside(ctx context.Context, f File) (Inside, error)
	// Open reads a file.
	Open(ctx context.Context, f File) (io.ReadCloser, error)
}

// compare orders files by their versions, the newest first, and by their names.
func compare(a, b *File) int {
	if c := b.Version.Compare(a.Version); c != 0 {
		return c
	}
	return strings.Compare(a.Name, b.Name)
}

// inOrder reports whether files are in order: the newest version first, those of one by name.
func inOrder(files []File) bool {
	for i := 1; i < len(files); i++ {
		if compare(&files[i-1], &files[i]) > 0 {
			return false
		}
	}
	return true
}

// NewestFirst are the files of all parts in order: the newest version first, those of one by name,
// those that are alike as they stood. A page has tens of thousands, mostly those of a version together.
func NewestFirst(parts ...[]File) []File {
	if len(parts) == 1 && inOrder(parts[0]) {
		return parts[0]
	}
	var runs [][]File // each of one version
	count := 0
	for _, files := range parts {
		count += len(files)
		for from, to := 0, 0; from < len(files); from = to {
			for to = from + 1; to < len(files) && files[to].Version.Equal(files[from].Version); to++ {
			}
			runs = append(runs, files[from:to])
		}
	}
	slices.SortStableFunc(runs, func(a, b []File) int { return b[0].Version.Compare(a[0].Version) })
	order := make([]*File, 0, count)
	first := 0 // of those of the version
	for i, run := range runs {
		for j := range run {
			order = append(order, &run[j])
		}
		if i+1 == len(runs) || !runs[i+1][0].Version.Equal(run[0].Version) {
			slices.SortStableFunc(order[first:], func(a, b *File) int { return strings.Compare(a.Name, b.Name) })
			first = len(order)
		}
	}
	out := make([]File, count)
	for i, f := range order {
		out[i] = *f
	}
	return out
}

// describe fills in what a file's name says. It reports false for a file that
// is no package, or of another distribution.
func (f *File) describe(name string) bool { return f.describeBy(new(metadata.Names), name) }

// describeBy is describe for one of many files.
func (f *File) describeBy(names *metadata.Names, name string) bool {
	wheel, err := names.Wheel(f.Name)
	if err == nil {
		f.Wheel, f.Distribution, f.Version = &wheel, wheel.Name, wheel.Version
	} else if s, bad := names.Sdist(f.Name); bad == nil {
		f.Distribution, f.Version = s.Name, s.Version
	} else {
		if !strings.HasSuffix(f.Name, ".whl") {
			err = bad
		}
		f.Fault = err.Error()
		return false
	}
	return name == "" || f.Distribution == name
}

// usable splits files into those that can be used and those with a fault.
func usable(files []File) (good, bad []File) {
	for i := range files {
		if files[i].Fault != "" {
			bad = append(bad, files[i])
		}
	}
	if bad == nil {
		return files, nil
	}
	for i := range files {
		if files[i].Fault == "" {
			good = append(good, files[i])
		}
	}
	return good, bad
}

// NotIndexError says that what a server answers is no index.
type NotIndexError struct{ URL, Why string }

func (e *NotIndexError) Error() string {
	return fmt.Sprintf("%s does not answer as an index: %s", e.URL, e.Why)
}

// Ordered is several indexes. The first that knows a name is the only one
// asked for it: otherwise anybody who publishes a private name in a public
// index, with a higher version, would take its place.
type Ordered struct {
	Sources []Source
	// Pins name the index of a distribution, by normal name.
	Pins map[string]string
	// PassedOver, if set, is told of files that cannot be used, by their
	// distribution. Several goroutines call it.
	PassedOver func(name string, f File)
	// Until, if set, leaves out what was uploaded at that time or later (PEP 700).
	Until time.Time
	// Held are the ranges that distributions are kept within, by normal name.
	Held map[string]Hold
}

// Hold keeps a distribution within a range, for a reason.
type Hold struct {
	At  version.Specifiers
	Why string
}

func (h Hold) String() string { return h.At.Written() + ": " + h.Why }

// HeldBack is the hold that keeps a version from being chosen, if there is one.
func (o *Ordered) HeldBack(name string, v version.Version) (Hold, bool) {
	h, ok := o.Held[name]
	return h, ok && !h.At.Admits(v)
}

// NoTimesError says that an index does not tell when a file was uploaded, so that what it had at
// an earlier time is not known.
type NoTimesError struct{ Distribution, Index, File string }

func (e *NoTimesError) Error() string {
	return fmt.Sprintf("the index %s does not say when %s was uploaded", e.Index, e.File)
}

// until leaves out what was uploaded later than is asked for.
func (o *Ordered) until(name string, s Source, files []File) ([]File, error) {
	if o.Until.IsZero() {
		return files, nil
	}
	var out []File
	for _, f := range files {
		if f.Uploaded.IsZero() {
			return nil, &NoTimesError{name, s.Name(), f.Name}
		}
		if f.Uploaded.Before(o.Until) {
			out = append(out, f)
		}
	}
	return out, nil
}

// PinError says that a distribution is pinned to an index that is not set up.
type PinError struct{ Distribution, Index string }

func (e *PinError) Error() string {
	return fmt.Sprintf("%s is to come from the index %q, which is not set up", e.Distribution, e.Index)
}

// Files asks the indexes in order. The error wraps [ErrUnknownName] if none
// knows the name. An index that cannot be asked ends the search: to go on to
// the next would let an outage change what is installed.
func (o *Ordered) Files(ctx context.Context, name string) ([]File, Source, error) {
	pin, pinned := o.Pins[name]
	found := false
	if !pinned {
		askAhead(ctx, o.Sources, name)
	}
	for _, s := range o.Sources {
		if pinned && s.Name() != pin {
			continue
		}
		found = true
		files, err := s.Files(ctx, name)
		good, bad := usable(files)
		for _, f := range bad {
			if o.PassedOver != nil {
				o.PassedOver(name, f)
			}
		}
		if errors.Is(err, ErrUnknownName) {
			continue
		}
		if err == nil {
			unlisted(s, name)
		}
		if err == nil {
			good, err = o.until(name, s, good)
		}
		return good, s, err
	}
	if pinned && !found {
		return nil, nil, &PinError{name, pin}
	}
	return nil, nil, fmt.Errorf("%s: %w", name, ErrUnknownName)
}

// remembering is a source that may know something without asking anybody.
type remembering interface {
	Kept(name string) []File
}

// Kept is what is known of a distribution without asking anybody: what the first index that
// once answered for it said then. It may be out of date, and serves to guess what will be asked
// for.
func (o *Ordered) Kept(ctx context.Context, name string) []File {
	pin, pinned := o.Pins[name]
	for _, s := range o.Sources {
		if pinned && s.Name() != pin {
			continue
		}
		var files []File
		if server, far := s.(remembering); far {
			files = server.Kept(name)
		} else if here, err := s.Files(ctx, name); err == nil {
			files = here // a folder, or the sample
		}
		if good, _ := usable(files); len(good) > 0 {
			return good
		}
	}
	return nil
}

// Unasked are the indexes that know a name and are not asked for it, since
// another comes first or a pin says so. It is for hints: indexes that give no
// answer are passed over.
func (o *Ordered) Unasked(ctx context.Context, name string) []Source {
	_, asked, _ := o.Files(ctx, name)
	var out []Source
	for _, s := range o.Sources {
		if s == asked {
			continue
		}
		if _, err := s.Files(ctx, name); err == nil {
			out = append(out, s)
		}
	}
	return out
}

// Source is the index of that name, or nil.
func (o *Ordered) Source(name string) Source {
	for _, s := range o.Sources {
		if s.Name() == name {
			return s
		}
	}
	return nil
}

// Names are those of all indexes.
func (o *Ordered) Names(ctx context.Context) ([]string, error) {
	var all []string
	for _, s := range o.Sources {
		names, err := s.Names(ctx)
		if err != nil {
			return nil, err
		}
		all = append(all, names...)
	}
	return all, nil
}

// PassedOver is a package file that was not considered, since it cannot be read.
type PassedOver struct {
	Name    string
	Version string
	File    string
	Why     string
}

// Unasked is a version that an index has which is not asked for its name.
type Unasked struct{ Name, Version, Index string }
