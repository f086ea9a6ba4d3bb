package settings

import (
	"bytes"
	"errors"
	"io/fs"
	"path/filepath"
	"runtime"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/internal/fileid"
	"glassjar/core/limits"
	"glassjar/core/project"
	"glassjar/core/tomltext"
)

// MachineFile is where the administrator of a machine says what holds for all its users;
// empty where there is no such place.
func MachineFile() string {
	if runtime.GOOS == "windows" {
		return ""
	}
	return "/etc/glassjar/settings.toml"
}

// Machine is the settings file of a machine's administrator, TOML.
type Machine struct {
	// Trusted are folders whose jars every user uses, whoever made them.
	Trusted []string `toml:"trusted"`
}

// OthersError says that a file for the whole machine is not the administrator's alone.
type OthersError struct{ File string }

func (e *OthersError) Error() string {
	return e.File + " is not followed: it, or its folder, can be written by others than root"
}

// ReadMachine reads the settings of the whole machine; a missing file is none. The error
// is an [*OthersError] for one that others may write to, and a [*project.FileError] for
// one that is not as it should be.
func ReadMachine(file string) (m Machine, err error) {
	if file == "" {
		return m, nil
	}
	text, err := limits.ReadFile(file, limits.Settings)
	if errors.Is(err, fs.ErrNotExist) {
		return m, nil
	}
	if err != nil {
		return m, err
	}
	for _, path := range []string{file, filepath.Dir(file)} {
		if id, err := fileid.Of(path); err != nil || !id.Roots() {
			return m, &OthersError{file}
		}
	}
	if err := limits.TOML(file, text); err != nil {
		return m, err
	}
	if err := toml.NewDecoder(bytes.NewReader(text)).DisallowUnknownFields().Decode(&m); err != nil {
		return Machine{}, &project.FileError{File: file, Why: "it holds a list of folders, trusted, and nothing else: " + tomltext.FaultOf(err).String()}
	}
	for i := range m.Trusted {
		if err := whole(file, "trusted", &m.Trusted[i]); err != nil {
			return Machine{}, err
		}
	}
	return m, nil
}
