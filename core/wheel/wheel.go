// Package wheel reads, verifies and writes wheels (the binary distribution
// format, PEP 427 and its successor).
//
// [Open] looks at everything that can be known without unpacking: names,
// paths, sizes, and that RECORD lists each file. [Wheel.Copy] compares each
// file with its hash while it is unpacked. Nothing here decides where files go
// in a jar, and nothing here writes to disk.
package wheel

import (
	"archive/zip"
	"context"
	"crypto/sha512"
	"encoding/base64"
	"fmt"
	"hash"
	"io"
	"io/fs"
	"strings"
	"sync"

	"glassjar/core/digest"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/version"
)

// Refusal says why a wheel is not taken.
type Refusal struct {
	// File is the wheel's file name.
	File string
	// Path is the archive's member at fault, or empty.
	Path string
	Why  string
}

func (r *Refusal) Error() string {
	if r.Path != "" {
		return fmt.Sprintf("%s: %s: %s", r.File, r.Path, r.Why)
	}
	return r.File + ": " + r.Why
}

// Limits bound what an archive may unpack to.
type Limits struct {
	// Files is the largest number of members.
	Files int
	// Bytes is the largest sum of unpacked sizes.
	Bytes int64
	// Ratio is the largest quotient of unpacked and packed size; it counts only
	// for archives that unpack to more than RatioFrom bytes.
	Ratio     int64
	RatioFrom int64
	// FoldCase refuses members whose paths differ only in case, as macOS and
	// Windows need.
	FoldCase bool
	// WindowsNames refuses names that Windows cannot store.
	WindowsNames bool
}

// DefaultLimits admit every wheel of the size that people publish. They refuse
// nothing for another system's sake: see [LimitsFor].
var DefaultLimits = Limits{Files: 500_000, Bytes: 32 << 30, Ratio: 250, RatioFrom: 64 << 20}

// LimitsFor are the default limits with the rules of a system: "windows",
// "macos" or another.
func LimitsFor(system string) Limits {
	l := DefaultLimits
	l.FoldCase = system == "windows" || system == "macos"
	l.WindowsNames = system == "windows"
	return l
}

// The installation schemes that members belong to.
const (
	Purelib = "purelib"
	Platlib = "platlib"
	Scripts = "scripts"
	Headers = "headers"
	Data    = "data"
)

// Entry is one file to be installed.
type Entry struct {
	// Scheme is one of the package's scheme constants.
	Scheme string
	// Path is relative to the scheme's folder, with '/' between its parts.
	Path string
	// Hash is as in RECORD, "algorithm=base64"; empty for RECORD itself.
	Hash string
	// Size is the unpacked size in bytes.
	Size int64
	// Executable tells that the archive marks the file so.
	Executable bool

	member *zip.File
}

// Key names an entry by its scheme and path.
func (e Entry) Key() string { return e.Scheme + "/" + e.Path }

// SHA256 is the hash in hex, empty if RECORD gives one of another kind.
func (e Entry) SHA256() string {
	sum, _ := metadata.HexOfRecordHash(e.Hash)
	return sum
}

// Wheel is an opened wheel.
type Wheel struct {
	// File is the file name; Name is what it says.
	File string
	Name metadata.WheelName
	// Info is the name of the .dist-info folder.
	Info     string
	Metadata metadata.Metadata
	Format   metadata.WheelFile
	// EntryPoints are those of entry_points.txt.
	EntryPoints []metadata.EntryPoint
	// Entries are all files but RECORD and its signatures, by scheme and
	// path.
	Entries []Entry
	// Warnings are remarks for the user, such as a newer format's minor version.
	Warnings []string

	members map[string]*zip.File
	// open reads an entry of a wheel that was unpacked before, else nil.
	open func(Entry) (io.ReadCloser, error)
}

// supported is the format's version that this package implements.
var supported = sync.OnceValue(func() version.Version { return version.MustParse("1.0") })

// Open reads a wheel's directory and its descriptions, and refuses it with a
// [*Refusal] where anything is not as it should be. file is the wheel's file
// name; r must stay readable while the wheel is used.
func Open(r io.ReaderAt, size int64, file string, limits Limits) (*Wheel, error) {
	w := &Wheel{File: file, members: map[string]*zip.File{}}
	var err error
	if w.Name, err = metadata.ParseWheelName(file); err != nil {
		return nil, w.refuse("", err.Error())
	}
	archive, err := zip.NewReader(r, size)
	if err != nil && err != zip.ErrInsecurePath {
		return nil, w.refuse("", "it is not a zip archive: "+err.Error())
	}
	archive.RegisterDecompressor(zip.Deflate, inflate)
	if err := w.index(archive, size, limits); err != nil {
		return nil, err
	}
	for _, step := range []func() error{w.findInfo, w.readMetadata, w.readFormat, w.readEntryPoints, w.readRecord} {
		if err := step(); err != nil {
			return nil, err
		}
	}
	return w, nil
}

func (w *Wheel) refuse(path, why string) error { return &Refusal{File: w.File, Path: path, Why: why} }

// index checks every member's name, kind and size.
func (w *Wheel) index(archive *zip.Reader, size int64, limits Limits) error {
	if len(archive.File) > limits.Files {
		return w.refuse("", fmt.Sprintf("%d members are more than the limit of %d", len(archive.File), limits.Files))
	}
	var total uint64
	folded := map[string]string{}
	for _, f := range archive.File {
		if why := w.memberFault(f, limits); why != "" {
			return w.refuse(f.Name, why)
		}
		if strings.HasSuffix(f.Name, "/") {
			continue
		}
		if _, ok := w.members[f.Name]; ok {
			return w.refuse(f.Name, "it is in the archive twice")
		}
		w.members[f.Name] = f
		if limits.FoldCase {
			key := strings.ToLower(f.Name)
			if other, ok := folded[key]; ok {
				return w.refuse(f.Name, "on this system it is the same file as "+other)
			}
			folded[key] = f.Name
		}
		if total += f.UncompressedSize64; total > uint64(limits.Bytes) {
			return w.refuse("", fmt.Sprintf("it unpacks to more than the limit of %d bytes", limits.Bytes))
		}
	}
	if total > uint64(limits.RatioFrom) && total/uint64(max(size, 1)) > uint64(limits.Ratio) {
		return w.refuse("", fmt.Sprintf("it unpacks to %d times its size; the limit is %d", total/uint64(max(size, 1)), limits.Ratio))
	}
	return w.fileAndFolder()
}

// fileAndFolder refuses a path that is both a file and a folder.
func (w *Wheel) fileAndFolder() error {
	for name := range w.members {
		for i := strings.LastIndexByte(name, '/'); i > 0; i = strings.LastIndexByte(name[:i], '/') {
			if _, ok := w.members[name[:i]]; ok {
				return w.refuse(name[:i], "it is a file and a folder")
			}
		}
	}
	return nil
}

func (w *Wheel) memberFault(f *zip.File, limits Limits) string {
	if why := PathFault(strings.TrimSuffix(f.Name, "/"), limits); why != "" {
		return why
	}
	switch mode := f.Mode(); {
	case mode&fs.ModeSymlink != 0:
		return "it is a link"
	case mode.Type() != 0 && !mode.IsDir():
		return "it is not a plain file"
	}
	switch {
	case f.Flags&1 != 0:
		return "it is encrypted"
	case f.Method != zip.Store && f.Method != zip.Deflate:
		return fmt.Sprintf("it is packed by method %d; only 0 (stored) and 8 (deflate) are read", f.Method)
	}
	return ""
}

// findInfo finds the one .dist-info folder and compares its name with the
// file's.
func (w *Wheel) findInfo() error {
	for name := range w.members {
		top, _, ok := strings.Cut(name, "/")
		if !ok || !strings.HasSuffix(top, ".dist-info") || top == w.Info {
			continue
		}
		if w.Info != "" {
			return w.refuse("", "it has two .dist-info folders")
		}
		w.Info = top
	}
	if w.Info == "" {
		return w.refuse("", "it has no .dist-info folder")
	}
	if !w.named(w.Info, ".dist-info") {
		return w.refuse(w.Info, "its name and version are not those of the file")
	}
	return nil
}

// named reports whether a folder is NAME-VERSION and the ending, with this
// wheel's name and version however they are written.
func (w *Wheel) named(folder, ending string) bool {
	stem, ok := strings.CutSuffix(folder, ending)
	name, text, dash := strings.Cut(stem, "-")
	v, err := version.Parse(strings.ReplaceAll(text, "_", "-"))
	if err != nil {
		v, err = version.Parse(text)
	}
	return ok && dash && err == nil && requirement.Normalize(name) == w.Name.Name && v.Equal(w.Name.Version)
}

// read is a description file's whole content; nil if it is not there.
func (w *Wheel) read(name string) ([]byte, error) {
	f, ok := w.members[w.Info+"/"+name]
	if !ok {
		return nil, nil
	}
	if f.UncompressedSize64 > limits.Metadata {
		return nil, w.refuse(f.Name, "it is too large")
	}
	r, err := f.Open()
	if err != nil {
		return nil, w.refuse(f.Name, err.Error())
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, int64(f.UncompressedSize64)+1))
	if err != nil {
		return nil, w.refuse(f.Name, "it cannot be unpacked: "+err.Error())
	}
	if uint64(len(data)) != f.UncompressedSize64 {
		return nil, w.refuse(f.Name, "it unpacks to another size than the archive says")
	}
	return data, nil
}

func (w *Wheel) readMetadata() error {
	data, err := w.read("METADATA")
	if err != nil {
		return err
	}
	if data == nil {
		return w.refuse("", w.Info+"/METADATA is missing")
	}
	if w.Metadata, err = metadata.Parse(data); err != nil {
		return w.refuse(w.Info+"/METADATA", err.Error())
	}
	if w.Metadata.Key() != w.Name.Name || !w.Metadata.Version.Equal(w.Name.Version) {
		return w.refuse(w.Info+"/METADATA", fmt.Sprintf("it describes %s %s, not what the file is named for", w.Metadata.Name, w.Metadata.Version))
	}
	return nil
}

func (w *Wheel) readFormat() error {
	data, err := w.read("WHEEL")
	if err != nil {
		return err
	}
	if data == nil {
		return w.refuse("", w.Info+"/WHEEL is missing")
	}
	if w.Format, err = metadata.ParseWheelFile(data); err != nil {
		return w.refuse(w.Info+"/WHEEL", err.Error())
	}
	switch v := w.Format.Version; {
	case v.Release()[0] != "1":
		return w.refuse(w.Info+"/WHEEL", fmt.Sprintf("format version %s has another major number than this program knows (1)", v))
	case supported().Less(v):
		w.warn("it has wheel format version %s; what is newer than %s in it is passed over", v, supported())
	}
	return nil
}

func (w *Wheel) readEntryPoints() error {
	data, err := w.read("entry_points.txt")
	if err != nil {
		return err
	}
	list, faults := metadata.ParseEntryPoints(data)
	w.EntryPoints = list
	for _, e := range list {
		if _, err := e.Script(); err != nil {
			faults = append(faults, err.Error())
		}
	}
	for _, f := range faults {
		w.warn("%s; no script is made for it", f)
	}
	return nil
}

// warn notes something in the wheel that is not as it should be and does no harm.
func (w *Wheel) warn(format string, args ...any) {
	w.Warnings = append(w.Warnings, w.File+": "+fmt.Sprintf(format, args...))
}

// signatures are members of .dist-info that RECORD does not list.
func (w *Wheel) unlisted(name string) bool {
	rest, ok := strings.CutPrefix(name, w.Info+"/RECORD")
	return ok && (rest == "" || rest == ".jws" || rest == ".p7s")
}

// readRecord makes the entries, each with the hash that RECORD gives.
func (w *Wheel) readRecord() error {
	data, err := w.read("RECORD")
	if err != nil {
		return err
	}
	at := w.Info + "/RECORD"
	if data == nil {
		return w.refuse("", at+" is missing")
	}
	lines, err := metadata.ParseRecord(data)
	if err != nil {
		return w.refuse(at, err.Error())
	}
	listed := make(map[string]metadata.RecordEntry, len(lines))
	for _, line := range lines {
		f, ok := w.members[line.Path]
		switch {
		case w.unlisted(line.Path):
			continue
		case !ok:
			w.warn("RECORD lists %q, which is not in the archive", line.Path)
			continue
		case listed[line.Path] == line:
			w.warn("RECORD lists %s twice", line.Path)
			continue
		case listed[line.Path].Path != "":
			return w.refuse(line.Path, "RECORD lists it twice, and not with the same hash and size")
		case line.Size >= 0 && uint64(line.Size) != f.UncompressedSize64:
			return w.refuse(line.Path, fmt.Sprintf("RECORD gives its size as %d bytes, the archive as %d", line.Size, f.UncompressedSize64))
		}
		if _, _, err := newHash(line.Hash); err != nil {
			return w.refuse(line.Path, err.Error())
		}
		listed[line.Path] = line
	}
	for name, f := range w.members {
		if w.unlisted(name) {
			continue
		}
		line, ok := listed[name]
		if !ok {
			return w.refuse(name, "RECORD does not list it")
		}
		e := Entry{Scheme: Platlib, Path: name, Hash: line.Hash, Size: int64(f.UncompressedSize64), Executable: f.Mode()&0o111 != 0, member: f}
		if w.Format.Purelib {
			e.Scheme = Purelib
		}
		if err := w.place(&e); err != nil {
			return err
		}
		w.Entries = append(w.Entries, e)
	}
	return w.sorted()
}

// place moves a member of the .data folder to its scheme.
func (w *Wheel) place(e *Entry) error {
	top, rest, ok := strings.Cut(e.Path, "/")
	if !strings.HasSuffix(top, ".data") || !ok || !w.named(top, ".data") {
		return nil
	}
	scheme, path, ok := strings.Cut(rest, "/")
	if !ok {
		return w.refuse(e.Path, "a file of the .data folder stands in no scheme")
	}
	switch scheme {
	case Purelib, Platlib, Scripts, Headers, Data:
		e.Scheme, e.Path = scheme, path
		if scheme == Scripts && strings.Contains(path, "/") {
			return w.refuse(e.member.Name, "a script stands in a folder below the scripts' folder")
		}
		return nil
	}
	return w.refuse(e.member.Name, fmt.Sprintf("%q is not a scheme that files can be installed to", scheme))
}

func newHash(text string) (hash.Hash, []byte, error) {
	algorithm, value, _ := strings.Cut(text, "=")
	var h hash.Hash
	switch algorithm {
	case "sha256":
		h = digest.New()
	case "sha384":
		h = sha512.New384()
	case "sha512":
		h = sha512.New()
	case "":
		return nil, nil, fmt.Errorf("RECORD gives no hash for it")
	default:
		return nil, nil, fmt.Errorf("RECORD gives a hash by %q; the format asks for sha256 or a stronger one", algorithm)
	}
	want, err := base64.RawURLEncoding.DecodeString(strings.TrimRight(value, "="))
	if err != nil || len(want) != h.Size() {
		return nil, nil, fmt.Errorf("RECORD's hash for it is not one")
	}
	return h, want, nil
}

// Copy unpacks an entry to dst and compares it with its hash and size. The
// error is a [*Refusal] if they differ; dst has by then been written to.
func (w *Wheel) Copy(dst io.Writer, e Entry) error {
	h, want, err := newHash(e.Hash)
	if err != nil {
		return w.refuse(e.Path, err.Error())
	}
	open := w.open
	if open == nil {
		open = func(Entry) (io.ReadCloser, error) { return e.member.Open() }
	}
	r, err := open(e)
	if err != nil {
		return w.refuse(e.Path, err.Error())
	}
	defer r.Close()
	n, err := digest.Copy(context.Background(), io.MultiWriter(dst, h), io.LimitReader(r, e.Size+1))
	switch {
	case err == zip.ErrFormat || err == zip.ErrChecksum || err == io.ErrUnexpectedEOF:
		return w.refuse(e.Path, "it cannot be unpacked: "+err.Error())
	case err != nil:
		return fmt.Errorf("%s: %s: %w", w.File, e.Path, err)
	case n != e.Size:
		return w.refuse(e.Path, "it unpacks to another size than the archive says")
	case string(h.Sum(nil)) != string(want):
		return w.refuse(e.Path, "its hash is not the one that RECORD gives")
	}
	return nil
}
