package source

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"glassjar/core/limits"
)

// Files and folders of a build's own folder.
const (
	programFile = "hooks.py"
	requestFile = "request.json"
	answerFile  = "answer" // ".0" and on
)

// renew readies the build's own folder for a call: its folders are folders, whatever a call
// before made of them, old answers are gone, and files are there that are new.
func (o *session) renew(files map[string][]byte) error {
	for _, name := range []string{"out", "tmp", "home"} {
		if info, err := o.own.Lstat(name); err == nil && info.IsDir() {
			continue
		}
		if err := errors.Join(o.own.RemoveAll(name), o.own.Mkdir(name, 0o755)); err != nil {
			return err
		}
	}
	old, _ := fs.Glob(o.own.FS(), answerFile+".*") // the pattern is valid
	for _, name := range old {
		if err := o.own.RemoveAll(name); err != nil {
			return err
		}
	}
	for name, text := range files {
		if err := o.put(name, text); err != nil {
			return err
		}
	}
	return nil
}

// put makes a file of the build's own folder anew.
func (o *session) put(name string, text []byte) error {
	if err := o.own.RemoveAll(name); err != nil {
		return err
	}
	f, err := o.own.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	return errors.Join(err, f.Close())
}

// read reads a regular file of the build's own folder.
func (o *session) read(name string) ([]byte, error) {
	if info, err := o.own.Stat(name); err != nil || !info.Mode().IsRegular() {
		return nil, errors.Join(err, &fs.PathError{Op: "read", Path: name, Err: errors.New("it is no regular file")})
	}
	f, err := o.own.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return limits.ReadAll(f, name, limits.Metadata)
}

// outFolder is where the back end is to put what it makes, as its room sees it.
func (o *session) outFolder() string {
	return (&room{Own: o.dir, Means: o.means}).path(filepath.Join(o.dir, "out"))
}
