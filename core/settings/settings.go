// Package settings is what a user sets up for all projects, and the folders
// that this program uses on a machine.
package settings

import (
	"bytes"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/adrg/xdg"
	"github.com/pelletier/go-toml/v2"

	"glassjar/core/project"
)

// Settings is the user's settings file, TOML.
type Settings struct {
	// Indexes are asked after the project's own.
	Indexes []project.IndexEntry `toml:"indexes,omitempty" json:"indexes"`
	// FromIndex names the index of a distribution.
	FromIndex map[string]string `toml:"from-index,omitempty" json:"from_index"`
	// Pythons are folders to search for interpreters.
	Pythons []string `toml:"pythons,omitempty" json:"pythons"`
	// Store and Shelf move these folders, for a home with little room.
	Store string `toml:"store,omitempty" json:"store"`
	Shelf string `toml:"shelf,omitempty" json:"shelf"`
	// AllowHTTP admits plain http to other machines.
	AllowHTTP bool `toml:"allow-http,omitempty" json:"allow_http"`
	// Certificates is a file of further certificate authorities, PEM.
	Certificates string `toml:"certificates,omitempty" json:"certificates"`
	// Keyring asks the system's keyring for passwords.
	Keyring bool `toml:"keyring,omitempty" json:"keyring"`
}

var keys = []string{"indexes", "from-index", "pythons", "store", "shelf", "allow-http", "certificates", "keyring"}

// Folders are the places of this program on a machine.
type Folders struct {
	// Settings is the file; Store, Shelf, State and Cache are folders.
	Settings, Store, Shelf, State, Cache string
}

// Standard are the platform's own folders. GLASSJAR_HOME, if set, holds them
// all: for tests, and for homes with a small quota.
func Standard() Folders {
	if home := os.Getenv("GLASSJAR_HOME"); home != "" {
		if abs, err := filepath.Abs(home); err == nil {
			home = abs
		}
		return Folders{filepath.Join(home, "settings.toml"), filepath.Join(home, "store"), filepath.Join(home, "shelf"), filepath.Join(home, "state"), filepath.Join(home, "cache")}
	}
	xdg.Reload()
	data := filepath.Join(xdg.DataHome, "glassjar")
	return Folders{filepath.Join(xdg.ConfigHome, "glassjar", "settings.toml"), filepath.Join(data, "store"), filepath.Join(data, "shelf"),
		filepath.Join(xdg.StateHome, "glassjar"), filepath.Join(xdg.CacheHome, "glassjar")}
}

// Read reads the settings; a missing file is no settings. The error is a
// [*project.FileError] for a file that is not as it should be.
func Read(file string) (Settings, error) {
	var s Settings
	data, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return s, err
	}
	if err := toml.NewDecoder(bytes.NewReader(data)).DisallowUnknownFields().Decode(&s); err != nil {
		fault := &project.FileError{File: file, Why: strings.TrimPrefix(err.Error(), "toml: ")}
		var missing *toml.StrictMissingError
		if errors.As(err, &missing) && len(missing.Errors) > 0 {
			key := strings.Join(missing.Errors[0].Key(), ".")
			fault.Line, _ = missing.Errors[0].Position()
			fault.Why = fmt.Sprintf("%q is not a setting", key)
			fault.Try = "the nearest known setting: " + project.Nearest(key, keys)
		}
		return s, fault
	}
	return s, nil
}

// Write writes the settings.
func Write(file string, s Settings) error {
	data, err := toml.Marshal(s)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	temp := file + ".new"
	if err := os.WriteFile(temp, data, 0o600); err != nil {
		return err
	}
	return os.Rename(temp, file)
}
