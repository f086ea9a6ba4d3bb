package lent

import (
	"debug/pe"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/atomicfile"
	"glassjar/core/jar"
)

// A command that is lent is a copy of the launcher, which starts what the text beside it names. Links
// need rights there that few have.

// textFile is the file beside a launcher that names what it starts.
func textFile(file string) string { return strings.TrimSuffix(file, ".exe") + ".lent" }

func (l *Lending) is(file string, n note) bool {
	text, err := os.ReadFile(textFile(file))
	return err == nil && strings.HasSuffix(strings.TrimSpace(string(text)), string(filepath.Separator)+n.Command+".exe")
}

func (l *Lending) place(j *jar.Jar, file string, n note) error {
	program := target(j.Root, n)
	data, err := jar.Launcher(windowed(program))
	if err != nil {
		return err
	}
	if err := atomicfile.Write(textFile(file), []byte(program+"\n"), atomicfile.Options{Temporary: l.Temporary}); err != nil {
		return err
	}
	if have, err := os.ReadFile(file); err == nil && string(have) == string(data) {
		return nil // it may be running
	}
	return atomicfile.Write(file, data, atomicfile.Options{Temporary: l.Temporary})
}

// windowed reports whether a program opens no console.
func windowed(program string) bool {
	f, err := pe.Open(program)
	if err != nil {
		return false
	}
	defer f.Close()
	head, ok := f.OptionalHeader.(*pe.OptionalHeader64)
	return ok && head.Subsystem == pe.IMAGE_SUBSYSTEM_WINDOWS_GUI
}

func (l *Lending) remove(file string, _ note) error {
	err := os.Remove(file)
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	return errors.Join(err, os.Remove(textFile(file)))
}

// point notes where a jar is.
func (l *Lending) point(id, root string) error {
	if err := os.MkdirAll(l.Links, 0o777); err != nil {
		return err
	}
	return atomicfile.Write(filepath.Join(l.Links, id), []byte(root), atomicfile.Options{Temporary: l.Temporary})
}

func (l *Lending) root(id string) string {
	to, err := os.ReadFile(filepath.Join(l.Links, id))
	if err != nil {
		return ""
	}
	return string(to)
}
