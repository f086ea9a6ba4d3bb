package wire

import (
	"time"

	"glassjar/core/graph"
	"glassjar/core/jar"
	"glassjar/core/leaks"
	"glassjar/core/operation"
	"glassjar/core/project"
)

// Outdated is what there is newer of a jar's contents.
type Outdated struct {
	Jar        string   `json:"jar"`
	Behind     []Behind `json:"behind"`
	Looked     int      `json:"looked_at"`
	SampleOnly bool     `json:"sample_only"`
	Notes      []string `json:"notes"`
}

func ofOutdated(v operation.Outdated) Outdated {
	return Outdated{
		Jar:        v.Jar,
		Behind:     list(v.Behind, ofBehind),
		Looked:     v.Looked,
		SampleOnly: v.SampleOnly,
		Notes:      v.Notes,
	}
}

// History is the states that a jar has been in.
type History struct {
	Jar    string  `json:"jar"`
	States []State `json:"states"`
}

func ofHistory(v operation.History) History {
	return History{
		Jar:    v.Jar,
		States: list(v.States, ofState),
	}
}

// State is one state of a jar, with what it holds as installed.
type State struct {
	Number    int             `json:"number"`
	At        time.Time       `json:"at"`
	Command   string          `json:"command"`
	Did       []string        `json:"did"`
	Python    string          `json:"python"`
	Parts     Parts           `json:"parts"`
	Installed []MomentPackage `json:"installed"`
	Spec      *string         `json:"spec"`
	Record    *string         `json:"record"`
}

func ofState(v operation.State) State {
	return State{
		Number:    v.Number,
		At:        v.At,
		Command:   v.Command,
		Did:       v.Did,
		Python:    v.Python,
		Parts:     ofParts(v.Parts),
		Installed: list(v.Installed, ofMomentPackage),
		Spec:      v.Spec,
		Record:    v.Record,
	}
}

// Parts are the pieces of a spec that a jar holds: the dependencies, unless Only is
// set, and the groups and extras named, in normal form, sorted.
type Parts struct {
	Groups []string `json:"groups,omitempty"`
	Extras []string `json:"extras,omitempty"`
	Only   bool     `json:"only,omitempty"`
}

func ofParts(v project.Parts) Parts { return Parts(v) }

// MomentPackage is a distribution and the package file that it was unpacked from.
type MomentPackage struct {
	Name      string `json:"name"`
	Version   string `json:"version"`
	File      string `json:"file"`
	SHA256    string `json:"sha256"`
	Size      int64  `json:"size"`
	URL       string `json:"url"`
	Index     string `json:"index,omitempty"`
	Direct    bool   `json:"direct,omitempty"`
	Requested bool   `json:"requested"`
	// Built is the SHA-256 of the wheel that was built of source; Tree a folder or a
	// repository of it.
	Built        string   `json:"built,omitempty"`
	Tree         *Tree    `json:"tree,omitempty"`
	Subdirectory string   `json:"subdirectory,omitempty"`
	LibraryPath  []string `json:"library_path,omitempty"`
}

// Tree is a folder or a repository that a distribution was built of.
type Tree struct {
	Folder     string `json:"folder,omitempty"`
	Editable   bool   `json:"editable,omitempty"`
	Own        bool   `json:"own,omitempty"`
	Repository string `json:"repository,omitempty"`
	Requested  string `json:"requested_revision,omitempty"`
	Commit     string `json:"commit,omitempty"`
}

func ofTree(v jar.MomentTree) Tree { return Tree(v) }

func ofMomentPackage(v jar.MomentPackage) MomentPackage {
	return MomentPackage{
		Name:         v.Name,
		Version:      v.Version,
		File:         v.File,
		SHA256:       v.SHA256,
		Size:         v.Size,
		URL:          v.URL,
		Index:        v.Index,
		Direct:       v.Direct,
		Requested:    v.Requested,
		Built:        v.Built,
		Tree:         pointer(v.Tree, ofTree),
		Subdirectory: v.Subdirectory,
		LibraryPath:  v.LibraryPath,
	}
}

// Here is which jar and Python are in effect where the user stands.
type Here struct {
	Jar       string `json:"jar"`
	Exists    bool   `json:"exists"`
	Why       string `json:"why"`
	Name      string `json:"name"`
	Python    string `json:"python"`
	OwnPython string `json:"own_python"`
	Trusted   bool   `json:"trusted"`
	Base      string `json:"base"`
	BaseGone  bool   `json:"base_gone"`
	Packages  int    `json:"package_count"`
	Spec      string `json:"spec"`
	Record    string `json:"record"`
	Step      string `json:"step"`
	Active    string `json:"active,omitempty"`
	Label     string `json:"label"`
	// That of the record: the same on every system.
	RecordLabel string `json:"record_label"`
	Leaks       []Leak `json:"leaks"`
	SampleOnly  bool   `json:"sample_only"`
	// The project has git merge records by this program, and this checkout does not know how.
	LacksMerging bool `json:"lacks_merging"`
}

func ofHere(v operation.Here) Here {
	return Here{
		Jar:         v.Jar,
		Exists:      v.Exists,
		Why:         v.Why,
		Name:        v.Name,
		Python:      v.Python,
		OwnPython:   v.OwnPython,
		Trusted:     v.Trusted,
		Base:        v.Base,
		BaseGone:    v.BaseGone,
		Packages:    v.Packages,
		Spec:        v.Spec,
		Record:      v.Record,
		Step:        v.Step,
		Active:      v.Active,
		Label:       v.Label,
		RecordLabel: v.RecordLabel,
		Leaks:       list(v.Leaks, ofLeak),
		SampleOnly:  v.SampleOnly,

		LacksMerging: v.LacksMerging,
	}
}

// Leak is a way in which something from outside a jar gets in, or another Python than
// the jar's comes first.
type Leak struct {
	What   string   `json:"what"`
	Detail string   `json:"detail"`
	Holds  []string `json:"holds,omitempty"`
}

func ofLeak(v leaks.Leak) Leak { return Leak(v) }

// Contents is what a jar holds.
type Contents struct {
	Jar     string  `json:"jar"`
	Python  string  `json:"python"`
	Entries []Entry `json:"packages"`
	Roots   []Need  `json:"roots"`
	Needs   []Need  `json:"needs"`
}

func ofContents(v operation.Contents) Contents {
	return Contents{
		Jar:     v.Jar,
		Python:  v.Python,
		Entries: list(v.Entries, ofEntry),
		Roots:   list(v.Roots, ofNeed),
		Needs:   list(v.Needs, ofNeed),
	}
}

// Entry is one distribution of a jar.
type Entry struct {
	Name      string   `json:"name"`
	Version   string   `json:"version"`
	Summary   string   `json:"summary"`
	Asked     bool     `json:"asked"`
	NeededBy  []string `json:"needed_by"`
	Size      int64    `json:"size"`
	Files     int      `json:"files"`
	Installer string   `json:"installer"`
	From      string   `json:"from,omitempty"`
	Damage    string   `json:"damage,omitempty"`
	Base      bool     `json:"of_base,omitempty"`
	Parts     []string `json:"of_parts"`
}

func ofEntry(v operation.Entry) Entry { return Entry(v) }

// Need is one reason for which a distribution is in a jar.
type Need struct {
	From   string   `json:"from"`
	To     string   `json:"to"`
	Range  string   `json:"range"`
	Extras []string `json:"extras,omitempty"`
	Part   string   `json:"part,omitzero"`
}

func ofNeed(v graph.Need) Need {
	return Need{
		From:   v.From,
		To:     v.To,
		Range:  v.Range,
		Extras: v.Extras,
		Part:   text(v.Part),
	}
}
