package jar

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/internal/fileid"
	"glassjar/core/internal/lazy"
	"glassjar/core/limits"
)

// idFile holds the jar's identity: random, and no part of its contents.
const idFile = ownFolder + "/id"

var validID = lazy.Pattern(`^[0-9a-f]{32}$`)

// ID is the jar's identity, by which it is known again when it was moved; empty
// for one that has none yet.
func (j *Jar) ID() string { return IDOf(j.Root) }

// IDOf is the identity of the jar at root, empty if there is none.
func IDOf(root string) string {
	data, err := limits.ReadFile(filepath.Join(root, filepath.FromSlash(idFile)), limits.Own)
	if id := strings.TrimSpace(string(data)); err == nil && validID().MatchString(id) {
		return id
	}
	return ""
}

// IdentityFile is the file of the identity of the jar at root, which is another in a
// copy. Neither it nor its folder may be a link, which could lead into another jar.
func IdentityFile(root string) (fileid.ID, error) {
	file := filepath.Join(root, filepath.FromSlash(idFile))
	for _, path := range []string{filepath.Dir(file), file} {
		if info, err := os.Lstat(path); err != nil {
			return fileid.ID{}, err
		} else if info.Mode()&fs.ModeSymlink != 0 {
			return fileid.ID{}, &NotAJarError{root, "its " + filepath.Base(path) + " is a link"}
		}
	}
	return fileid.OfLink(file)
}

// Looks are what decides which interpreter the jar at root starts, a line each: where
// its program leads, and what its pyvenv.cfg says. What is missing, or leads nowhere, has
// no line: nothing comes of it.
func Looks(root string) ([]string, error) {
	j, err := read(root)
	if err != nil {
		return nil, err
	}
	var out []string
	program := j.Path(j.Layout().Python())
	if target, err := os.Readlink(program); err == nil {
		if _, err := os.Stat(program); err == nil {
			out = append(out, linkLook(target))
		}
	} else if info, err2 := os.Lstat(program); err2 == nil && info.Mode()&fs.ModeSymlink != 0 {
		return nil, err // a link that cannot be read is not taken for a program
	} else if sum, err := hashOf(program); err == nil {
		out = append(out, programLook(sum))
	} else if !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	switch config, err := limits.ReadFile(j.Path(configFile), limits.Own); {
	case err == nil:
		out = append(out, configLook(config))
	case !errors.Is(err, fs.ErrNotExist):
		return nil, err
	}
	return out, nil
}

// LooksAfter are the lines of [Looks] that a change of the jar's own files brings.
func (j *Jar) LooksAfter(own map[string]OwnFile) []string {
	var out []string
	if f, ok := own[configFile]; ok {
		out = append(out, configLook(f.Data))
	}
	switch f, ok := own[j.Layout().Python()]; {
	case !ok:
	case f.Link != "":
		out = append(out, linkLook(f.Link))
	default:
		sum := sha256.Sum256(f.Data)
		out = append(out, programLook(sum[:]))
	}
	return out
}

// configFile is where PEP 405 has it.
const configFile = "pyvenv.cfg"

func linkLook(target string) string { return "link to " + target }

func programLook(sum []byte) string { return fmt.Sprintf("program %x", sum) }

func hashOf(file string) ([]byte, error) {
	if info, err := os.Stat(file); err != nil {
		return nil, err
	} else if !info.Mode().IsRegular() {
		return nil, fs.ErrInvalid
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	h := sha256.New()
	_, err = io.Copy(h, f)
	return h.Sum(nil), err
}

func configLook(text []byte) string {
	return fmt.Sprintf(configFile+" %x", sha256.Sum256(text))
}

// baseFile holds what the interpreter's file looked like when it was last asked
// what it is.
const baseFile = ownFolder + "/base"

// BaseChanged reports whether the file of the interpreter is another than when
// it was last asked, and what to note once it was asked again. The jar's base is
// there.
func (j *Jar) BaseChanged(base string) (mark string, changed bool) {
	info, err := os.Stat(base)
	if err != nil {
		return "", false
	}
	mark = fmt.Sprintf("%d %d\n", info.Size(), info.ModTime().UnixNano())
	have, err := limits.ReadFile(j.Path(baseFile), limits.Own)
	return mark, err != nil || string(have) != mark
}

// NoteBase notes what the interpreter's file looks like. A jar that may not be
// written to is asked anew each time.
func (j *Jar) NoteBase(mark string) { _ = noteFile(j.Path(baseFile), []byte(mark)) }

// Deciding are the files that have a say in what is started in the jar, and whether: not
// all of them are there.
func (j *Jar) Deciding() []string {
	var files []string
	for _, name := range []string{ownFolder, stateFile, idFile, baseFile, configFile, librariesPath, journalFile} {
		files = append(files, j.Path(name))
	}
	return files
}

// NewID gives the jar a new identity, and is empty for a jar that may not be
// written to.
func (j *Jar) NewID() string {
	if dir, err := os.Lstat(j.Path(ownFolder)); err != nil || !dir.IsDir() {
		return "" // a link leads to what is not the jar's
	}
	id := RandomID()
	if noteFile(j.Path(idFile), []byte(id+"\n")) != nil {
		return ""
	}
	return id
}

// RandomID is an identity that nothing has yet.
func RandomID() string {
	raw := make([]byte, 16)
	_, _ = rand.Read(raw) // never fails
	return hex.EncodeToString(raw)
}
