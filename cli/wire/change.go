package wire

import (
	"time"

	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/operation"
	"glassjar/core/plan"
	"glassjar/core/project"
)

// CreatedResult is an empty jar that was made.
type CreatedResult struct {
	Jar            string      `json:"jar"`
	Python         string      `json:"python"`
	Implementation string      `json:"implementation"`
	Base           string      `json:"base"`
	Why            string      `json:"why"`
	PassedOver     []Rejection `json:"passed_over"`
	Project        string      `json:"project"`
	// Above tells that the project's folder is above the current one.
	Above bool `json:"above"`
}

func ofCreated(v operation.Created) CreatedResult {
	return CreatedResult{
		Jar:            v.Place.Root,
		Python:         v.Python.Said.Version,
		Implementation: v.Python.Said.PythonImplementation,
		Base:           v.Python.Path,
		Why:            v.Why,
		PassedOver:     append([]Rejection{}, list(v.PassedOver, ofRejection)...),
		Project:        v.Place.Project,
		Above:          v.Above,
	}
}

// Outcome is what a command did.
type Outcome struct {
	Plan     *Plan         `json:"plan"`
	Done     bool          `json:"done"`
	Fetched  int64         `json:"fetched_bytes"`
	Files    int           `json:"files"`
	Took     time.Duration `json:"took_ns"`
	Wrote    []string      `json:"wrote"`
	Removed  []string      `json:"removed_files"`
	Warnings []string      `json:"warnings"`
	// Signed is there where somebody had to sign the record that was followed.
	Signed *Signed `json:"signed,omitempty"`
}

func ofOutcome(v operation.Outcome) Outcome {
	return Outcome{
		Plan:     pointer(v.Plan, ofPlan),
		Done:     v.Done,
		Fetched:  v.Fetched,
		Files:    v.Files,
		Took:     v.Took,
		Wrote:    v.Wrote,
		Removed:  v.Removed,
		Warnings: v.Warnings,
		Signed:   pointer(v.Signed, ofSigned),
	}
}

// Rejection says why a candidate is passed over.
type Rejection struct {
	Path    string `json:"path"`
	Why     string `json:"why"`
	Passing bool   `json:"passing,omitempty"`
}

func ofRejection(v interpreter.Rejection) Rejection { return Rejection(v) }

// Plan is what a command will do to a jar, as a person or a program is shown it.
type Plan struct {
	Jar        string       `json:"jar"`
	Python     string       `json:"python"`
	Create     bool         `json:"create"`
	Add        []Item       `json:"add"`
	Change     []Item       `json:"change"`
	Remove     []Item       `json:"remove"`
	Mend       []Item       `json:"mend"`
	Drop       []string     `json:"drop"`
	Structure  []string     `json:"structure,omitempty"`
	Moves      string       `json:"moves,omitempty"`
	Provided   []Item       `json:"provided,omitempty"`
	Kept       int          `json:"kept"`
	Fetch      int64        `json:"fetch_bytes"`
	SampleOnly bool         `json:"sample_only"`
	Asked      []string     `json:"asked_for,omitempty"`
	Behind     []Behind     `json:"behind,omitempty"`
	Notes      []string     `json:"notes"`
	PassedOver []PassedOver `json:"files_passed_over"`
	Left       []LeftOut    `json:"left_out"`
	Unserved   []LeftOut    `json:"unserved,omitempty"`
	HereBytes  int64        `json:"here_bytes"`
}

func ofPlan(v plan.Plan) Plan {
	return Plan{
		Jar:        v.Jar,
		Python:     v.Python,
		Create:     v.Create,
		Add:        list(v.Add, ofItem),
		Change:     list(v.Change, ofItem),
		Remove:     list(v.Remove, ofItem),
		Mend:       list(v.Mend, ofItem),
		Drop:       v.Drop,
		Structure:  v.Structure,
		Moves:      v.Moves,
		Provided:   list(v.Provided, ofItem),
		Kept:       v.Kept,
		Fetch:      v.Fetch,
		SampleOnly: v.SampleOnly,
		Asked:      v.Asked,
		Behind:     list(v.Behind, ofBehind),
		Notes:      v.Notes,
		PassedOver: list(v.PassedOver, ofPassedOver),
		Left:       list(v.Left, ofLeftOut),
		Unserved:   list(v.Unserved, ofLeftOut),
		HereBytes:  v.HereBytes,
	}
}

// Item is one distribution of a plan.
type Item struct {
	Name     string   `json:"name"`
	Version  string   `json:"version,omitempty"`
	From     string   `json:"from,omitempty"`
	Asked    bool     `json:"asked"`
	NeededBy []string `json:"needed_by,omitempty"`
	Index    string   `json:"index,omitempty"`
	File     string   `json:"file,omitempty"`
	Size     int64    `json:"size,omitempty"`
	Here     bool     `json:"here,omitempty"`
	Why      string   `json:"why,omitempty"`
	// Build is what it is built of; empty for a wheel.
	Build string `json:"build,omitempty"`
	// Edited are files that somebody has changed since, and that go.
	Edited []string `json:"edited_files,omitempty"`
}

func ofItem(v plan.Item) Item { return Item(v) }

// Behind is a distribution of which there is a newer version than the jar's.
type Behind struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Fits    string `json:"fits"`
	Newest  string `json:"newest"`
	Asked   bool   `json:"asked"`
	Held    []Hold `json:"held_back_by"`
}

func ofBehind(v plan.Behind) Behind {
	return Behind{
		Name:    v.Name,
		Version: v.Version,
		Fits:    v.Fits,
		Newest:  v.Newest,
		Asked:   v.Asked,
		Held:    list(v.Held, ofHold),
	}
}

// PassedOver is a package file that was not considered, since it cannot be read.
type PassedOver struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	File    string `json:"file"`
	Why     string `json:"why"`
}

func ofPassedOver(v index.PassedOver) PassedOver { return PassedOver(v) }

// LeftOut is targets that a record does not serve, for one reason.
type LeftOut struct {
	Targets []string `json:"targets"`
	Why     string   `json:"why"`
}

func ofLeftOut(v project.LeftOut) LeftOut { return LeftOut(v) }

// Hold is one thing that keeps a distribution back.
type Hold struct {
	By     string `json:"by"`
	Range  string `json:"range,omitempty"`
	Detail string `json:"detail,omitempty"`
}

func ofHold(v plan.Hold) Hold { return Hold(v) }

// Discarded tells which jars were removed, or brought back.
type Discarded struct {
	Jars      []string `json:"jar_folders"`
	Kept      []string `json:"kept_files"`
	Frees     int64    `json:"frees"`
	Back      bool     `json:"back"`
	Remaining int      `json:"remaining"`
	Done      bool     `json:"done"`
}

func ofDiscarded(v operation.Discarded) Discarded { return Discarded(v) }
