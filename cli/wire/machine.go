package wire

import (
	"time"

	"glassjar/core/index"
	"glassjar/core/leaks"
	"glassjar/core/operation"
)

// Entered is a jar that a shell is to be inside.
type Entered struct {
	Jar     string `json:"jar"`
	Script  string `json:"script"`
	Shell   string `json:"shell"`
	Already bool   `json:"already"`
}

func ofEntered(v operation.Entered) Entered { return Entered(v) }

// LeaveResult is the jar that is active, and that which the shell was opened in.
type LeaveResult struct {
	Active  string `json:"active"`
	Entered string `json:"entered"`
}

// ShellResult is a text for a shell's start file.
type ShellResult struct {
	Shell string `json:"shell"`
	Text  string `json:"text"`
}

// Connection is what connect does.
type Connection struct {
	Jar   string     `json:"jar"`
	Edits []FileEdit `json:"edits"`
	Done  bool       `json:"done"`
	Next  []string   `json:"next,omitempty"`
	// Lacks is a package that the jar needs for it and has not.
	Lacks string `json:"lacks,omitempty"`
}

func ofConnection(v operation.Connection) Connection {
	return Connection{
		Jar:   v.Jar,
		Edits: list(v.Edits, ofFileEdit),
		Done:  v.Done,
		Next:  v.Next,
		Lacks: v.Lacks,
	}
}

// FileEdit is a file that is written or changed outside of jars.
type FileEdit struct {
	File string   `json:"file"`
	Diff string   `json:"diff"`
	New  bool     `json:"new,omitempty"`
	Gone bool     `json:"gone,omitempty"`
	Left []string `json:"left,omitempty"`
}

func ofFileEdit(v operation.FileEdit) FileEdit {
	return FileEdit{
		File: v.File,
		Diff: v.Diff,
		New:  v.New,
		Gone: v.Gone,
		Left: v.Left,
	}
}

// Pythons is the interpreters that were found.
type Pythons struct {
	Found      []Python    `json:"found"`
	PassedOver []Rejection `json:"passed_over"`
	Wish       string      `json:"wish,omitempty"`
	From       string      `json:"from,omitempty"`
}

func ofPythons(v operation.Pythons) Pythons {
	return Pythons{
		Found:      list(v.Found, ofPython),
		PassedOver: list(v.PassedOver, ofRejection),
		Wish:       v.Wish,
		From:       v.From,
	}
}

// Python is one interpreter of the machine.
type Python struct {
	Version        string `json:"version"`
	Implementation string `json:"implementation"`
	Arch           string `json:"arch"`
	Path           string `json:"path"`
	Place          string `json:"place"`
	Managed        bool   `json:"managed"`
	Chosen         bool   `json:"chosen"`
	Why            string `json:"why,omitempty"`
	// Fetched is the name under which it was fetched, Jars those that count on it then.
	Fetched string   `json:"fetched_as,omitempty"`
	Jars    []string `json:"used_by,omitempty"`
}

func ofPython(v operation.Python) Python {
	return Python{v.Version, v.Implementation, v.Arch, v.Path, v.Place, v.Managed, v.Chosen, v.Why, v.Fetched, v.Jars}
}

// IndexesResult are the indexes that are set up.
type IndexesResult struct {
	Indexes []IndexInfo `json:"indexes"`
}

// IndexInfo is one index that is set up, in the order of asking.
type IndexInfo struct {
	Name  string `json:"name"`
	At    string `json:"at"`
	Holds string `json:"has,omitempty"`
	File  string `json:"file"`
	Probe *Probe `json:"probe,omitempty"`
}

func ofIndexInfo(v operation.IndexInfo) IndexInfo {
	return IndexInfo{
		Name:  v.Name,
		At:    v.At,
		Holds: v.Holds,
		File:  v.File,
		Probe: pointer(v.Probe, ofProbe),
	}
}

// Probe is what a server answered when it was asked about one name.
type Probe struct {
	Answers  bool          `json:"answers"`
	Why      string        `json:"why,omitempty"`
	Took     time.Duration `json:"took_ns"`
	JSON     bool          `json:"json"`
	Metadata bool          `json:"separate_metadata"`
	Known    bool          `json:"known"`
	Local    bool          `json:"local"`
	Name     string        `json:"name"`
}

func ofProbe(v index.Probe) Probe { return Probe(v) }

// EffectiveSettings are all settings in effect where the user stands.
type EffectiveSettings struct {
	File     string      `json:"file"`
	Exists   bool        `json:"exists"`
	Settings []Effective `json:"settings"`
}

func ofEffectiveSettings(v operation.EffectiveSettings) EffectiveSettings {
	return EffectiveSettings{
		File:     v.File,
		Exists:   v.Exists,
		Settings: list(v.Settings, ofEffective),
	}
}

// Effective is a setting that is in effect.
type Effective struct {
	Key   string `json:"key"`
	Value string `json:"value"`
	From  string `json:"from"`
	File  string `json:"file,omitempty"`
	Words string `json:"words"`
}

func ofEffective(v operation.Effective) Effective { return Effective(v) }

// Strays are packages in the user's own site folders (PEP 370).
type Strays struct {
	Folders []StrayFolder `json:"folders"`
	Strays  int           `json:"strays"`
}

func ofStrays(v leaks.Strays) Strays {
	return Strays{
		Folders: list(v.Folders, ofStrayFolder),
		Strays:  v.Strays,
	}
}

// StrayFolder is one such folder.
type StrayFolder struct {
	Folder string   `json:"folder"`
	Python string   `json:"python"`
	Holds  []string `json:"holds"`
	Away   bool     `json:"away"`
	Moved  string   `json:"moved,omitempty"`
}

func ofStrayFolder(v leaks.StrayFolder) StrayFolder { return StrayFolder(v) }

// ServeResult is where an index is served.
type ServeResult struct {
	Address string `json:"address"`
}

// DemoResult is what the demonstration did.
type DemoResult struct {
	Steps  []DemoStep `json:"steps"`
	Folder string     `json:"folder"`
	// Kept tells whether it is still there.
	Kept bool `json:"folder_kept"`
}

// DemoStep is one command of it.
type DemoStep struct {
	Command string `json:"command"`
	Output  string `json:"output"`
	Exit    int    `json:"exit"`
}

// VersionResult is the program's version.
type VersionResult struct {
	Version string `json:"version"`
	Go      string `json:"go"`
	OS      string `json:"os"`
	Arch    string `json:"arch"`
}
