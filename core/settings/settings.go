// Package settings is what a user sets up for all projects, and the folders
// that this program uses on a machine.
package settings

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/adrg/xdg"
	"github.com/pelletier/go-toml/v2"

	"glassjar/core/atomicfile"
	"glassjar/core/limits"
	"glassjar/core/lock"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/store"
	"glassjar/core/tomltext"
)

// Settings is the user's settings file, TOML.
type Settings struct {
	// Indexes are asked after the project's own.
	Indexes []project.IndexEntry `toml:"indexes,omitempty"`
	// FromIndex names the index of a distribution.
	FromIndex map[string]string `toml:"from-index,omitempty"`
	// Pythons are folders to search for interpreters.
	Pythons []string `toml:"pythons,omitempty"`
	// FetchPythons is whether a Python that is not here is fetched, one of
	// [FetchWays]; empty for the default.
	FetchPythons string `toml:"fetch-pythons,omitempty"`
	// Store and Shelf move these folders, for a home with little room.
	Store string `toml:"store,omitempty"`
	Shelf string `toml:"shelf,omitempty"`
	// Commands is the folder into which commands are lent.
	Commands string `toml:"commands,omitempty"`
	// AllowHTTP admits plain http to other machines.
	AllowHTTP bool `toml:"allow-http,omitempty"`
	// Certificates is a file of further certificate authorities, PEM.
	Certificates string `toml:"certificates,omitempty"`
	// Keyring asks the system's keyring for passwords.
	Keyring bool `toml:"keyring,omitempty"`

	// SealedOff shuts PYTHONPATH and the user's own packages out of what is run.
	SealedOff bool `toml:"sealed-off,omitempty"`

	// Placing is the way in which the store's files get into jars, one of
	// [store.Ways]; empty for the cheapest that the file system has.
	Placing string `toml:"placing,omitempty"`
	// Bytecode is when modules are compiled for the interpreter, one of
	// [BytecodeWays]; empty for the default.
	Bytecode string `toml:"bytecode,omitempty"`
	// SecondStore is a store that is only read, shared by a group, or a list of such, in the
	// order in which they are looked in; see [Settings.SecondStores].
	SecondStore any `toml:"second-store,omitempty"`
	// KeepPackages keeps package files whole besides what they unpack to.
	KeepPackages bool `toml:"keep-packages,omitempty"`
	// WithoutLocks goes on where a file system has no locks: then nobody else may be
	// at work there.
	WithoutLocks bool `toml:"without-locks,omitempty"`

	// Trusted are folders whose jars are used whoever made them.
	Trusted []string `toml:"trusted,omitempty"`
	// Signers is a file of the people of whom one must have signed a record that is
	// recreated; see package signature.
	Signers string `toml:"signers,omitempty"`
	// BuildConsent are names that may be built from source in any project, BuildMinutes
	// how long one step of a build may take.
	BuildConsent []string `toml:"build-consent,omitempty"`
	BuildMinutes int      `toml:"build-minutes,omitempty"`

	set map[string]bool
}

// Has reports whether the file sets a setting, to whatever value.
func (s Settings) Has(key string) bool { return s.set[key] }

// Kinds of settings: how a value is given and read.
const (
	Folder  = "folder"
	OneFile = "file"
	YesNo   = "yes or no"
	Names   = "names"
	Number  = "number"
	Folders = "folders"
	Indexes = "indexes"
	Pins    = "name to index"
	Choice  = "choice"
)

// When modules are compiled.
const (
	// BytecodeOff leaves it to the interpreter, at the first import.
	BytecodeOff = "off"
	// BytecodeOn compiles before a change of a jar is done.
	BytecodeOn = "on"
	// BytecodeBackground compiles afterwards, at the lowest priority.
	BytecodeBackground = "background"
)

// BytecodeWays are all of them.
var BytecodeWays = []string{BytecodeOff, BytecodeOn, BytecodeBackground}

// Whether a Python that is not here is fetched.
const (
	// FetchAsk asks whoever sits at the terminal.
	FetchAsk = "ask"
	// FetchAlways and FetchNever do not ask.
	FetchAlways = "always"
	FetchNever  = "never"
)

// FetchWays are all of them.
var FetchWays = []string{FetchAsk, FetchAlways, FetchNever}

// Setting is one that there is.
type Setting struct {
	Key, Kind string
	// Words say what it does, Default what holds where it is not set.
	Words, Default string
	// Choices are the values of a choice.
	Choices []string
}

// All are the settings that there are, in the order in which they are shown.
var All = []Setting{
	{Key: "indexes", Kind: Indexes, Words: "where packages come from, after the project's own", Default: "the built-in sample"},
	{Key: "from-index", Kind: Pins, Words: "the index that a distribution comes from", Default: "none"},
	{Key: "pythons", Kind: Folders, Words: "further folders to search for interpreters", Default: "none"},
	{Key: "fetch-pythons", Kind: Choice, Words: "fetch a Python that is not here", Default: FetchAsk, Choices: FetchWays},
	{Key: "store", Kind: Folder, Words: "where what was fetched is kept", Default: ""},
	{Key: "shelf", Kind: Folder, Words: "where named jars stand", Default: ""},
	{Key: "commands", Kind: Folder, Words: "where commands of jars are lent to", Default: ""},
	{Key: "allow-http", Kind: YesNo, Words: "admit plain http to other machines", Default: "false"},
	{Key: "certificates", Kind: OneFile, Words: "further certificate authorities, PEM", Default: "the system's"},
	{Key: "keyring", Kind: YesNo, Words: "ask the system's keyring for passwords", Default: "false"},
	{Key: "second-store", Kind: Folders, Words: "stores shared by a group, which are only read, the nearest first", Default: "none"},
	{Key: "placing", Kind: Choice, Words: "how the store's files get into jars", Default: "the cheapest way", Choices: store.Ways},
	{Key: "bytecode", Kind: Choice, Words: "when modules are compiled for the interpreter", Default: BytecodeBackground, Choices: BytecodeWays},
	{Key: "keep-packages", Kind: YesNo, Words: "keep package files whole, for seal without a network", Default: "false"},
	{Key: "without-locks", Kind: YesNo, Words: "write where the file system has no locks; be alone there", Default: "false"},
	{Key: "trusted", Kind: Folders, Words: "folders whose jars are used whoever made them", Default: "none"},
	{Key: "signers", Kind: OneFile, Words: "whose signature a record needs that is recreated", Default: "nobody's"},
	{Key: "build-consent", Kind: Names, Words: "what may be built from source, in every project", Default: "none"},
	{Key: "build-minutes", Kind: Number, Words: "how long one step of a build may take", Default: "60"},
	{Key: "sealed-off", Kind: YesNo, Words: "shut PYTHONPATH and your own packages out of run and enter", Default: "false"},
}

// Known is the setting of a name.
func Known(key string) (Setting, bool) {
	for _, s := range All {
		if s.Key == key {
			return s, true
		}
	}
	return Setting{}, false
}

// Keys are the names of all settings.
func Keys() []string {
	var out []string
	for _, s := range All {
		out = append(out, s.Key)
	}
	return out
}

// Places are the folders of this program on a machine.
type Places struct {
	// Settings is the file; Store, Shelf, State and Cache are folders, Scripts that of the jars
	// of scripts, Commands the user's own folder of commands.
	Settings, Store, Shelf, State, Cache, Scripts, Commands string
}

// Standard are the platform's own folders. GLASSJAR_HOME, if set, holds them
// all: for tests, and for homes with a small quota.
func Standard() Places {
	if home := os.Getenv("GLASSJAR_HOME"); home != "" {
		if abs, err := filepath.Abs(home); err == nil {
			home = abs
		}
		return Places{filepath.Join(home, "settings.toml"), filepath.Join(home, "store"), filepath.Join(home, "shelf"), filepath.Join(home, "state"), filepath.Join(home, "cache"), filepath.Join(home, "scripts"), filepath.Join(home, "commands")}
	}
	xdg.Reload()
	data := filepath.Join(xdg.DataHome, "glassjar")
	return Places{filepath.Join(xdg.ConfigHome, "glassjar", "settings.toml"), filepath.Join(data, "store"), filepath.Join(data, "shelf"),
		filepath.Join(xdg.StateHome, "glassjar"), filepath.Join(xdg.CacheHome, "glassjar"), filepath.Join(data, "scripts"), commandsFolder(data)}
}

// commandsFolder is where a user's own commands are: "~/.local/bin", as the XDG Base Directory
// Specification has it. Windows has no such folder.
func commandsFolder(data string) string {
	home, err := os.UserHomeDir()
	if err != nil || runtime.GOOS == "windows" {
		return filepath.Join(data, "commands")
	}
	return filepath.Join(home, ".local", "bin")
}

// SecondStores are the stores that are only read, the nearest first.
func (s Settings) SecondStores() []string {
	out, _ := folders(s.SecondStore) // what is neither was refused when it was read
	return out
}

// folders reads a value that is a folder, or a list of folders.
func folders(value any) (out []string, ok bool) {
	list, many := value.([]any)
	if !many && value != nil {
		list = []any{value}
	}
	for _, one := range list {
		dir, text := one.(string)
		if !text {
			return nil, false
		}
		if dir != "" {
			out = append(out, dir)
		}
	}
	return out, true
}

// Read reads the settings; a missing file is no settings. The error is a
// [*project.FileError] for a file that is not as it should be.
func Read(file string) (Settings, error) {
	var s Settings
	data, err := limits.ReadFile(file, limits.Settings)
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return s, err
	}
	return parse(file, data)
}

func parse(file string, data []byte) (s Settings, err error) {
	if err := limits.TOML(file, data); err != nil {
		return s, err
	}
	if err := toml.NewDecoder(bytes.NewReader(data)).DisallowUnknownFields().Decode(&s); err != nil {
		fault := project.TOMLFault(file, err)
		var missing *toml.StrictMissingError
		if errors.As(err, &missing) && len(missing.Errors) > 0 {
			key := strings.Join(missing.Errors[0].Key(), ".")
			fault.Line, _ = missing.Errors[0].Position()
			fault.Why = fmt.Sprintf("%q is not a setting", key)
			fault.Near = project.Nearest(key, Keys())
		}
		return s, fault
	}
	var keys map[string]any
	if err := toml.Unmarshal(data, &keys); err != nil {
		return s, &project.FileError{File: file, Why: err.Error()}
	}
	for key, value := range map[string]string{"placing": s.Placing, "bytecode": s.Bytecode, "fetch-pythons": s.FetchPythons} {
		if known, _ := Known(key); value != "" && !slices.Contains(known.Choices, value) {
			return s, &project.FileError{File: file, Where: key, Why: fmt.Sprintf("%q is not one of %s", value, strings.Join(known.Choices, ", "))}
		}
	}
	if _, ok := folders(s.SecondStore); !ok {
		return s, &project.FileError{File: file, Where: "second-store", Why: "it is a folder, or a list of folders"}
	}
	if err := s.wholePaths(file); err != nil {
		return s, err
	}
	for _, i := range s.Indexes {
		if i.Holds != "" && !slices.Contains(project.HoldsKinds, i.Holds) {
			return s, &project.FileError{File: file, Where: "indexes", Why: fmt.Sprintf("%q is nothing that an index holds: leave holds out, or let it be %s", i.Holds, strings.Join(project.HoldsKinds, " or "))}
		}
	}
	s.set = map[string]bool{}
	for key := range keys {
		s.set[key] = true
	}
	return s, nil
}

// File is the user's settings file as it is changed: by one process at a time.
type File struct {
	Path string
	// LockFile is held while it is changed, as Mode says.
	LockFile string
	Mode     lock.Mode
	write    atomicfile.Options
}

// NewFile is the settings file of a user's folders. One that is a link is followed
// within the user's home folder: many keep such files in a repository.
func NewFile(p Places, mode lock.Mode, temporary func(string) (string, func())) File {
	home, _ := os.UserHomeDir() // without one links are refused
	return File{p.Settings, filepath.Join(p.State, "locks", "settings"), mode, atomicfile.Options{Mode: 0o600, Within: home, LineEnds: true, Temporary: temporary}}
}

// Edit changes the text of the settings, all but what edit touches staying as
// it is, and refuses what would not be settings any more. edit is given what they
// are at that moment.
func (f File) Edit(ctx context.Context, edit func(have Settings, text []byte) ([]byte, error)) (Settings, error) {
	held, err := lock.Take(ctx, f.LockFile, f.Mode)
	if err != nil {
		return Settings{}, err
	}
	defer held.Release()
	file := f.Path
	text, err := limits.ReadFile(file, limits.Settings)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return Settings{}, err
	}
	have, err := parse(file, text)
	if err != nil {
		return Settings{}, err
	}
	if text, err = edit(have, text); err != nil {
		return Settings{}, err
	}
	s, err := parse(file, text)
	if err != nil {
		return s, err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return s, err
	}
	return s, atomicfile.Write(file, text, f.write)
}

// Set gives a setting a value, or with none takes it out. The error is a
// [*ValueError] for a value that is not of its kind.
func (f File) Set(ctx context.Context, setting Setting, values []string) (Settings, error) {
	path := []string{setting.Key}
	if len(values) == 0 {
		return f.Edit(ctx, func(_ Settings, text []byte) ([]byte, error) { return tomltext.Drop(text, path), nil })
	}
	if !utf8.ValidString(strings.Join(values, "")) {
		return Settings{}, &ValueError{Setting: setting, Why: "it is not UTF-8, so that the file of settings cannot hold it"}
	}
	if err := standsThere(setting, values); err != nil {
		return Settings{}, err
	}
	value := ""
	switch setting.Kind {
	case Folder, OneFile:
		if len(values) != 1 {
			return Settings{}, &ValueError{Setting: setting, Why: "it takes one path"}
		}
		value = tomltext.String(values[0])
	case Folders:
		value = tomltext.Strings(values)
	case Names:
		for _, v := range values {
			if !requirement.ValidName(v) {
				return Settings{}, &ValueError{Setting: setting, Why: fmt.Sprintf("%q is not a distribution's name", v)}
			}
		}
		value = tomltext.Strings(values)
	case Number:
		if n, err := strconv.Atoi(strings.Join(values, " ")); err != nil || n < 1 || n > 100_000 {
			return Settings{}, &ValueError{Setting: setting, Why: "it is a whole number from 1"}
		}
		value = values[0]
	case YesNo:
		if len(values) != 1 || values[0] != "true" && values[0] != "false" {
			return Settings{}, &ValueError{Setting: setting, Why: "it is true or false"}
		}
		value = values[0]
	case Choice:
		if len(values) != 1 || !slices.Contains(setting.Choices, values[0]) {
			return Settings{}, &ValueError{Setting: setting, Why: "it is one of " + strings.Join(setting.Choices, ", ")}
		}
		value = tomltext.String(values[0])
	default:
		return Settings{}, &ValueError{Setting: setting, Why: "it is a table"}
	}
	return f.Edit(ctx, func(_ Settings, text []byte) ([]byte, error) { return tomltext.Set(text, path, value), nil })
}

// standsThere makes sure that a path does not lead to what a setting cannot be about: to a file in
// place of a folder, to a folder in place of a file, or to nothing where a file is read. A folder may
// be made, or mounted, later.
func standsThere(setting Setting, values []string) error {
	for _, v := range values {
		info, err := os.Stat(v)
		why := ""
		switch {
		case setting.Kind == OneFile && err != nil:
			why = "there is no file " + v
		case setting.Kind == OneFile && info.IsDir():
			why = v + " is a folder"
		case (setting.Kind == Folder || setting.Kind == Folders) && err == nil && !info.IsDir():
			why = v + " is a file"
		default:
			continue
		}
		return &ValueError{Setting: setting, Why: why}
	}
	return nil
}

// ValueError says that a value is not of a setting's kind.
type ValueError struct {
	Setting Setting
	Why     string
	// File is where the setting would stand; empty where nobody knows.
	File string
}

func (e *ValueError) Error() string { return e.Setting.Key + ": " + e.Why }
