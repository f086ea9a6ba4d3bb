package wire

import (
	"glassjar/core/diagnose"
	"glassjar/core/jar"
	"glassjar/core/operation"
)

// DiagnosisResult is what diagnose prints with --json.
type DiagnosisResult struct {
	Module       string `json:"module"`
	Jar          string `json:"jar"`
	Python       string `json:"python"`
	Works        bool   `json:"works"`
	Case         string `json:"case"`
	File         string `json:"file,omitempty"`
	Distribution string `json:"distribution,omitempty"`
	Version      string `json:"version,omitempty"`
	Import       string `json:"import,omitempty"`
	Error        string `json:"error,omitempty"`
	At           string `json:"at,omitempty"`
	Detail       string `json:"detail,omitempty"`
	// Because is the diagnosis of the module that is missing within.
	Because *DiagnosisResult `json:"because,omitempty"`
	// MendedBy is the one command, or step, that mends it; empty if there is none.
	MendedBy string `json:"mended_by,omitempty"`
}

// Diagnosis is the shape of a diagnosis, with what mends it in words.
func Diagnosis(d *diagnose.Diagnosis, words func(diagnose.Mend) string) *DiagnosisResult {
	if d == nil {
		return nil
	}
	return &DiagnosisResult{
		Module:       d.Module,
		Jar:          d.Jar,
		Python:       d.Python,
		Works:        d.Works,
		Case:         string(d.Case),
		File:         d.File,
		Distribution: d.Distribution,
		Version:      d.Version,
		Import:       d.Import,
		Error:        d.Error,
		At:           d.At,
		Detail:       d.Detail,
		Because:      Diagnosis(d.Because, words),
		MendedBy:     words(d.Mend),
	}
}

// Difference is what two jars, records or sealed jars do not have in common.
type Difference struct {
	A          string   `json:"a"`
	B          string   `json:"b"`
	Added      []Item   `json:"added"`
	Removed    []Item   `json:"removed"`
	Changed    []Item   `json:"other_versions"`
	OtherFiles []Item   `json:"other_files"`
	OtherIndex []Item   `json:"other_index"`
	Pythons    []string `json:"pythons"`
	Same       int      `json:"same"`
	// The labels, and whether each is of a "jar" or of a "record".
	ALabel string `json:"a_label"`
	AKind  string `json:"a_label_of"`
	BLabel string `json:"b_label"`
	BKind  string `json:"b_label_of"`
}

func ofDifference(v operation.Difference) Difference {
	return Difference{
		A:          v.A,
		B:          v.B,
		Added:      list(v.Added, ofItem),
		Removed:    list(v.Removed, ofItem),
		Changed:    list(v.Changed, ofItem),
		OtherFiles: list(v.OtherFiles, ofItem),
		OtherIndex: list(v.OtherIndex, ofItem),
		Pythons:    v.Pythons,
		Same:       v.Same,
		ALabel:     v.ALabel,
		AKind:      v.AKind,
		BLabel:     v.BLabel,
		BKind:      v.BKind,
	}
}

// Checked is what a check of a jar found.
type Checked struct {
	Jar      string   `json:"jar"`
	Files    int      `json:"files"`
	Faults   []Fault  `json:"faults"`
	Unknown  []string `json:"unknown"`
	Unmet    []Unmet  `json:"unmet"`
	Broken   []string `json:"broken"`
	Python   string   `json:"python"`
	Place    string   `json:"place"`
	Step     string   `json:"step"`
	Mended   []string `json:"mended"`
	Warnings []string `json:"warnings"`
	// Refused and Known are licences that the spec does not allow, and known faults that count.
	Refused []LicensedPackage `json:"refused_licences"`
	Known   []KnownFault      `json:"known_faults"`
}

func ofChecked(v operation.Checked) Checked {
	return Checked{
		Jar:      v.Jar,
		Files:    v.Files,
		Faults:   list(v.Faults, ofFault),
		Unknown:  v.Unknown,
		Unmet:    list(v.Unmet, ofUnmet),
		Broken:   v.Broken,
		Python:   v.Python,
		Place:    v.Place,
		Step:     v.Step,
		Mended:   v.Mended,
		Warnings: v.Warnings,
		Refused:  list(v.Refused, ofLicensed),
		Known:    list(v.Known, ofKnownFault),
	}
}

// Fault is one way in which a file is not as its distribution's RECORD says.
type Fault struct {
	Path  string `json:"path"`
	Owner string `json:"owner,omitempty"`
	What  string `json:"what"`
}

func ofFault(v jar.Fault) Fault { return Fault(v) }

// Unmet is a need and what there is instead.
type Unmet struct {
	From    string   `json:"from"`
	To      string   `json:"to"`
	Range   string   `json:"range"`
	Extras  []string `json:"extras,omitempty"`
	Part    string   `json:"part,omitzero"`
	Version string   `json:"version"`
}

func ofUnmet(v operation.Unmet) Unmet {
	return Unmet{
		From:    v.Need.From,
		To:      v.Need.To,
		Range:   v.Need.Range,
		Extras:  v.Need.Extras,
		Part:    text(v.Need.Part),
		Version: v.Version,
	}
}
