package operation

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

// lentText is the file beside a launcher that names what it starts.
func lentText(file string) string { return strings.TrimSuffix(file, ".exe") + ".lent" }

func (m *Machine) lentIs(file string, note lentNote) bool {
	text, err := os.ReadFile(lentText(file))
	return err == nil && strings.HasSuffix(strings.TrimSpace(string(text)), string(filepath.Separator)+note.Command+".exe")
}

func (m *Machine) placeLent(j *jar.Jar, file string, note lentNote) error {
	target := m.lentTarget(j.Root, note)
	data, err := jar.Launcher(windowed(target))
	if err != nil {
		return err
	}
	if err := atomicfile.Write(lentText(file), []byte(target+"\n"), atomicfile.Options{Temporary: m.Making.Begin}); err != nil {
		return err
	}
	if have, err := os.ReadFile(file); err == nil && string(have) == string(data) {
		return nil // it may be running
	}
	return atomicfile.Write(file, data, atomicfile.Options{Temporary: m.Making.Begin})
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

func (m *Machine) removeLent(file string, _ lentNote) error {
	err := os.Remove(file)
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	return errors.Join(err, os.Remove(lentText(file)))
}

// pointLent notes where a jar is.
func (m *Machine) pointLent(id, root string) error {
	if err := os.MkdirAll(m.lentFolder(), 0o777); err != nil {
		return err
	}
	return atomicfile.Write(filepath.Join(m.lentFolder(), id), []byte(root), atomicfile.Options{Temporary: m.Making.Begin})
}

func (m *Machine) lentRoot(id string) string {
	to, err := os.ReadFile(filepath.Join(m.lentFolder(), id))
	if err != nil {
		return ""
	}
	return string(to)
}
