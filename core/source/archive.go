package source

import (
	"archive/tar"
	"archive/zip"
	"compress/bzip2"
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"github.com/klauspost/compress/gzip"

	"glassjar/core/limits"
)

// Unpack unpacks a source archive into a folder and gives the one folder that all of it is
// in. Only files, folders and links that stay within come out, with plain rights (PEP 721,
// the "data" filter); the error is an [*ArchiveError] for anything else.
func Unpack(ctx context.Context, file, dir string) (top string, err error) {
	root, err := os.OpenRoot(dir)
	if err != nil {
		return "", err
	}
	defer root.Close()
	u := &unpacking{file: filepath.Base(file), root: root}
	err = members(file, func(m member) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		return u.take(m)
	})
	if err == nil {
		err = u.copyLinks()
	}
	if err != nil {
		return "", err
	}
	if u.top == "" {
		return "", &ArchiveError{File: u.file, Why: "it is empty"}
	}
	return filepath.Join(dir, filepath.FromSlash(u.top)), nil
}

// member is one thing in an archive.
type member struct {
	name string
	mode fs.FileMode
	size int64
	// link is what a link leads to; hard tells that it is another name of a member.
	link string
	hard bool
	body io.Reader
}

// IsArchive reports whether a file's name is one of an archive that [Unpack] reads.
func IsArchive(name string) bool {
	low := strings.ToLower(name)
	return slices.ContainsFunc([]string{".tar.gz", ".tgz", ".zip", ".tar.bz2", ".tar"}, func(end string) bool { return strings.HasSuffix(low, end) })
}

// members visits what is in an archive, in its order.
func members(file string, visit func(member) error) error {
	if strings.HasSuffix(strings.ToLower(file), ".zip") {
		return zipMembers(file, visit)
	}
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	var packed io.Reader
	switch low := strings.ToLower(file); {
	case strings.HasSuffix(low, ".tar.bz2"):
		packed = bzip2.NewReader(f)
	case strings.HasSuffix(low, ".tar"):
		packed = f
	default:
		if packed, err = gzip.NewReader(f); err != nil {
			return damaged(file, err)
		}
	}
	// Whatever its headers say: this is how much of it is read.
	most := min(limits.SourceBytes, max(limits.SourceRatio*info.Size(), 64<<20))
	bounded := &io.LimitedReader{R: packed, N: most}
	r := tar.NewReader(bounded)
	for {
		h, err := r.Next()
		if err == io.EOF {
			return nil
		}
		if bounded.N <= 0 {
			return &limits.Error{What: file, Limit: most, Unit: "bytes, unpacked"}
		}
		if err != nil {
			return damaged(file, err)
		}
		m := member{name: h.Name, mode: h.FileInfo().Mode(), size: h.Size, body: memberBody{file, r}}
		switch h.Typeflag {
		case tar.TypeLink:
			m.link, m.hard = h.Linkname, true
		case tar.TypeSymlink:
			m.link = h.Linkname
		case tar.TypeXGlobalHeader:
			continue
		}
		if err := visit(m); err != nil {
			if bounded.N <= 0 {
				return &limits.Error{What: file, Limit: most, Unit: "bytes, unpacked"}
			}
			return err
		}
	}
}

// memberBody is the content of a member; what is wrong with it is wrong with its archive.
type memberBody struct {
	file string
	of   io.Reader
}

func (b memberBody) Read(p []byte) (int, error) {
	n, err := b.of.Read(p)
	if err != nil && err != io.EOF {
		err = damaged(b.file, err)
	}
	return n, err
}

func damaged(file string, err error) error {
	return &ArchiveError{File: filepath.Base(file), Why: "it is damaged: " + err.Error()}
}

func zipMembers(file string, visit func(member) error) error {
	z, err := zip.OpenReader(file)
	if errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err != nil {
		return damaged(file, err)
	}
	defer z.Close()
	info, err := os.Stat(file)
	if err != nil {
		return err
	}
	left := min(limits.SourceBytes, max(limits.SourceRatio*info.Size(), 64<<20))
	for _, f := range z.File {
		body, err := f.Open()
		if err != nil {
			return damaged(file, err)
		}
		bounded := &io.LimitedReader{R: memberBody{file, body}, N: left}
		m := member{name: f.Name, mode: f.Mode(), size: int64(min(f.UncompressedSize64, 1<<62)), body: bounded}
		if m.mode.Type() == fs.ModeSymlink {
			text, err := io.ReadAll(io.LimitReader(body, 4096))
			if err != nil {
				return damaged(file, err)
			}
			m.link = string(text)
		}
		err = visit(m)
		left = bounded.N
		body.Close()
		if left <= 0 {
			return &limits.Error{What: file, Limit: limits.SourceBytes, Unit: "bytes, unpacked"}
		}
		if err != nil {
			return err
		}
	}
	return nil
}

type unpacking struct {
	file string
	root *os.Root
	top  string
	n    int
	// unmade are links that cannot be made here, by their paths and what they lead to.
	unmade []member
}

func (u *unpacking) refuse(m member, why string) error {
	return &ArchiveError{File: u.file, Member: m.name, Why: why}
}

// take unpacks one member.
func (u *unpacking) take(m member) error {
	if u.n++; u.n > limits.SourceFiles {
		return &limits.Error{What: u.file, Limit: limits.SourceFiles, Unit: "files"}
	}
	name, why := cleanMember(m.name)
	switch {
	case why != "":
		return u.refuse(m, why)
	case name == "." || name == "pax_global_header":
		return nil
	}
	first, _, _ := strings.Cut(name, "/")
	if u.top == "" {
		u.top = first
	} else if u.top != first {
		return u.refuse(m, "it stands beside "+u.top+"; an archive of source has one folder")
	}
	local := filepath.FromSlash(name)
	kind := m.mode.Type()
	switch {
	case m.link != "":
		return u.takeLink(m, name)
	case kind == fs.ModeDir:
		return u.root.MkdirAll(local, 0o755)
	case kind != 0:
		return u.refuse(m, "it is neither a file nor a folder")
	}
	if err := u.root.MkdirAll(filepath.Dir(local), 0o755); err != nil {
		return u.refuse(m, plainError(err))
	}
	if err := u.root.Remove(local); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return u.refuse(m, plainError(err))
	}
	mode := fs.FileMode(0o644)
	if m.mode.Perm()&0o100 != 0 {
		mode = 0o755
	}
	out, err := u.root.OpenFile(local, os.O_CREATE|os.O_EXCL|os.O_WRONLY, mode)
	if err != nil {
		return u.refuse(m, plainError(err))
	}
	_, err = io.Copy(out, m.body)
	return errors.Join(err, out.Close())
}

// takeLink makes a link, which must stay within the archive's folder.
func (u *unpacking) takeLink(m member, name string) error {
	target := m.link
	if m.hard {
		to, why := cleanMember(target)
		if why != "" || !strings.HasPrefix(to, u.top+"/") {
			return u.refuse(m, "it leads to "+target+", outside of the archive")
		}
		info, err := u.root.Lstat(filepath.FromSlash(to))
		if err != nil || !info.Mode().IsRegular() {
			return u.refuse(m, "it leads to "+target+", which is no file before it")
		}
		return u.copy(to, name)
	}
	if strings.HasPrefix(target, "/") || filepath.IsAbs(target) || strings.ContainsAny(target, "\\:") {
		return u.refuse(m, "it leads to "+target+", which is not relative")
	}
	to := path.Join(path.Dir(name), target)
	if to != u.top && !strings.HasPrefix(to, u.top+"/") {
		return u.refuse(m, "it leads to "+target+", outside of the archive")
	}
	local := filepath.FromSlash(name)
	if err := u.root.MkdirAll(filepath.Dir(local), 0o755); err != nil {
		return u.refuse(m, plainError(err))
	}
	err := u.root.Symlink(filepath.FromSlash(target), local)
	switch {
	case err != nil && runtime.GOOS == "windows": // an ordinary user may make none there
		u.unmade = append(u.unmade, member{name: name, link: to})
	case err != nil:
		return u.refuse(m, plainError(err))
	}
	return nil
}

// copyLinks copies the files that links lead to where the links cannot be made; one that leads
// to nothing is left out.
func (u *unpacking) copyLinks() error {
	left := int64(limits.SourceBytes)
	for copied := true; copied; {
		copied = false
		var still []member
		for _, m := range u.unmade {
			if _, err := u.root.Lstat(filepath.FromSlash(m.name)); err == nil {
				continue // a member after it has its name
			}
			info, err := u.root.Stat(filepath.FromSlash(m.link))
			switch {
			case errors.Is(err, fs.ErrNotExist):
				still = append(still, m) // it may lead to another link
				continue
			case err != nil:
				return u.refuse(m, plainError(err))
			case !info.Mode().IsRegular():
				return u.refuse(m, "it leads to the folder "+m.link+", and no links can be made here")
			}
			if left -= info.Size(); left < 0 {
				return &limits.Error{What: u.file, Limit: limits.SourceBytes, Unit: "bytes, unpacked"}
			}
			if err := u.copy(m.link, m.name); err != nil {
				return err
			}
			copied = true
		}
		u.unmade = still
	}
	return nil
}

func (u *unpacking) copy(from, to string) error {
	in, err := u.root.Open(filepath.FromSlash(from))
	if err != nil {
		return err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return err
	}
	return u.take(member{name: to, mode: info.Mode(), body: in})
}

// cleanMember is a member's path, with '/', or why it may not be.
func cleanMember(name string) (clean, why string) {
	clean = strings.TrimLeft(name, "/")
	switch {
	case strings.ContainsRune(clean, 0) || len(clean) > 4096:
		return "", "its name is no path"
	case strings.Contains(clean, "\\"):
		return "", "its name has a '\\'"
	case len(clean) > 1 && clean[1] == ':':
		return "", "its path is not relative"
	}
	clean = path.Clean(clean)
	if clean == ".." || strings.HasPrefix(clean, "../") {
		return "", "it would write outside of its folder"
	}
	if clean != "." && !filepath.IsLocal(filepath.FromSlash(clean)) {
		return "", "its name cannot be a file's here"
	}
	return clean, ""
}

// plainError is what a system says, without the paths.
func plainError(err error) string {
	var p *fs.PathError
	if errors.As(err, &p) {
		return p.Err.Error()
	}
	var l *os.LinkError
	if errors.As(err, &l) {
		return l.Err.Error()
	}
	return err.Error()
}

// texts reads small files at the top of an archive, or of a folder of it, by their names.
func texts(file, subdirectory string, names ...string) (map[string][]byte, error) {
	out := map[string][]byte{}
	err := members(file, func(m member) error {
		clean, why := cleanMember(m.name)
		_, rest, ok := strings.Cut(clean, "/")
		if why != "" || !ok || m.link != "" || !m.mode.IsRegular() {
			return nil
		}
		for _, name := range names {
			if rest == path.Join(subdirectory, name) {
				data, err := limits.ReadAll(m.body, m.name, limits.Metadata)
				if err != nil {
					return err
				}
				out[name] = data
			}
		}
		return nil
	})
	return out, err
}
