package operation

import (
	"bytes"
	"io"
	"os"

	"glassjar/core/internal/lazy"
	"glassjar/core/project"
)

// OtherFileError says that something stands where a file is to be written that is not an
// earlier one of its kind: nobody's work is written over.
type OtherFileError struct {
	File string
	// Kind is what is to be written, such as "a report"; empty for a file of this program's that
	// others read.
	Kind string
}

func (e *OtherFileError) Error() string {
	if e.Kind == "" {
		return e.File + " is there, and was not written by this program"
	}
	return e.File + " is there, and is not " + e.Kind
}

// Output is a kind of file that is written where the user says.
type Output struct {
	// Name is what is said of it, with its article.
	Name string
	// Is reports whether what a file holds is of the kind.
	Is func(have []byte) bool
}

// lockVersion begins a record, also one that is damaged further down (PEP 751, lock-version).
var lockVersion = lazy.Pattern(`(?m)^lock-version\s*=`)

// outputOf is the kind of what is recorded, by its form.
func outputOf(form string) Output {
	switch form {
	case AsLock:
		return Output{"a record", func(have []byte) bool { return lockVersion().Match(have) }}
	case AsList:
		return Output{"a plain list", func(have []byte) bool {
			_, _, err := project.ParseList("", string(have))
			return err == nil
		}}
	case AsSBOM:
		return Output{"a CycloneDX document", func(have []byte) bool {
			return bytes.Contains(have, []byte(`"bomFormat"`)) && bytes.Contains(have, []byte(`"CycloneDX"`))
		}}
	}
	return Output{"the same spec", func([]byte) bool { return false }} // a person may have written it
}

// WriteForm writes what [Machine.Export] gives into a file, as [Machine.WriteOutput] does.
func (m *Machine) WriteForm(file, form string, data []byte) error {
	return m.WriteOutput(file, outputOf(form), data)
}

// WriteOutput writes a file that the user names, whole or not at all; a device or a pipe is written
// to. The error is an [*OtherFileError] where something is there that is not of the kind.
func (m *Machine) WriteOutput(file string, kind Output, data []byte) error {
	at := m.absolute(file)
	err := mayReplace(at, kind.Name, func(f io.Reader) (bool, error) {
		have, err := io.ReadAll(f)
		return bytes.Equal(have, data) || kind.Is(have), err
	})
	if err != nil {
		return err
	}
	if info, err := os.Stat(at); err == nil && !info.Mode().IsRegular() {
		return os.WriteFile(at, data, 0o666)
	}
	_, err = m.writeIfNew(at, data)
	return err
}

// mayReplace makes sure that what stands at a path may go for a file of a kind: nothing, a file
// that is empty, a device or a pipe, or one that is of the kind.
func mayReplace(file, kind string, is func(io.Reader) (bool, error)) error {
	info, err := os.Stat(file)
	if err != nil || !info.IsDir() && !info.Mode().IsRegular() || info.Mode().IsRegular() && info.Size() == 0 {
		return nil // what cannot be written is told where it is
	}
	if info.IsDir() {
		return &OtherFileError{file, kind}
	}
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	same, err := is(f)
	if err == nil && !same {
		err = &OtherFileError{file, kind}
	}
	return err
}
