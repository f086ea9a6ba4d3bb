package wire

import (
	"glassjar/core/operation"
	"glassjar/core/project"
	"glassjar/core/signature"
)

// Labelled is a jar's fingerprint and what it covers.
type Labelled struct {
	Jar      string `json:"jar"`
	Label    string `json:"label"`
	Python   string `json:"python"`
	Packages int    `json:"package_count"`
	// Of the record: the same on every system.
	Record      string `json:"record"`
	RecordLabel string `json:"record_label"`
}

func ofLabelled(v operation.Labelled) Labelled { return Labelled(v) }

// Report is all that a page about a jar tells.
type Report struct {
	Name      string          `json:"name"`
	Python    string          `json:"python"`
	OS        string          `json:"os"`
	Arch      string          `json:"arch"`
	Label     string          `json:"label"`
	Step      string          `json:"step"`
	SeeSystem bool            `json:"see_system"`
	Size      int64           `json:"size"`
	Files     int             `json:"files"`
	Packages  []ReportPackage `json:"package_reports"`
	Roots     []Need          `json:"roots"`
	Needs     []Need          `json:"needs"`
}

func ofReport(v operation.Report) Report {
	return Report{
		Name:      v.Name,
		Python:    v.Python,
		OS:        v.OS,
		Arch:      v.Arch,
		Label:     v.Label,
		Step:      v.Step,
		SeeSystem: v.SeeSystem,
		Size:      v.Size,
		Files:     v.Files,
		Packages:  list(v.Packages, ofReportPackage),
		Roots:     list(v.Roots, ofNeed),
		Needs:     list(v.Needs, ofNeed),
	}
}

// ReportPackage is one distribution of the page.
type ReportPackage struct {
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
	License   string   `json:"license"`
	Refused   bool     `json:"license_refused"`
	Maturity  string   `json:"maturity"`
	Faults    []string `json:"known_fault_ids"`
	Link      string   `json:"link,omitempty"`
}

func ofReportPackage(v operation.ReportPackage) ReportPackage {
	return ReportPackage{
		Name:      v.Entry.Name,
		Version:   v.Entry.Version,
		Summary:   v.Entry.Summary,
		Asked:     v.Entry.Asked,
		NeededBy:  v.Entry.NeededBy,
		Size:      v.Entry.Size,
		Files:     v.Entry.Files,
		Installer: v.Entry.Installer,
		From:      v.Entry.From,
		Damage:    v.Entry.Damage,
		Base:      v.Entry.Base,
		Parts:     v.Entry.Parts,
		License:   v.License,
		Maturity:  v.Maturity,
		Refused:   v.Refused,
		Faults:    append([]string{}, v.Faults...),
		Link:      v.Link,
	}
}

// Recorded tells what became of a record.
type Recorded struct {
	File       string       `json:"file"`
	Changed    bool         `json:"changed"`
	Packages   int          `json:"package_count"`
	SampleOnly bool         `json:"sample_only"`
	Targets    []string     `json:"targets"`
	Left       []LeftOut    `json:"left_out"`
	PassedOver []PassedOver `json:"files_passed_over"`
	Assumed    []Assumed    `json:"assumed"`
	Signed     *Signed      `json:"signed,omitempty"`
}

// Signed tells who signed a record, and with which key: its SHA-256 as OpenSSH writes it.
type Signed struct {
	Who []string `json:"who"`
	Key string   `json:"key"`
}

func ofSigned(v signature.Signed) Signed {
	return Signed{append([]string{}, v.Who...), v.Key}
}

// Assumed is a distribution whose wheels are assumed to need what one of them does, since its
// index does not say.
type Assumed struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	NeedsOf string `json:"needs_of"`
}

func ofAssumed(v operation.Assumed) Assumed { return Assumed(v) }

func ofRecorded(v operation.Recorded) Recorded {
	return Recorded{
		File:       v.File,
		Changed:    v.Changed,
		Packages:   v.Packages,
		SampleOnly: v.SampleOnly,
		Targets:    v.Targets,
		Left:       list(v.Left, ofLeftOut),
		PassedOver: list(v.PassedOver, ofPassedOver),
		Assumed:    list(v.Assumed, ofAssumed),
		Signed:     pointer(v.Signed, ofSigned),
	}
}

// MergedRecord is a record that two sides changed, merged.
type MergedRecord struct {
	File     string       `json:"file"`
	Added    []string     `json:"asked_more"`
	Dropped  []string     `json:"asked_less"`
	Moved    []MovedTwice `json:"moved_twice"`
	Packages int          `json:"package_count"`
}

// MovedTwice is a distribution that both sides moved to another version.
type MovedTwice struct {
	Name   string `json:"name"`
	Ours   string `json:"ours"`
	Theirs string `json:"theirs"`
	Taken  string `json:"taken"`
}

func ofMergedRecord(v operation.MergedRecord) MergedRecord {
	return MergedRecord{v.File, append([]string{}, v.Added...), append([]string{}, v.Dropped...), list(v.Moved, func(m project.MovedTwice) MovedTwice {
		return MovedTwice{m.Name, m.Ours.String(), m.Theirs.String(), m.Taken.String()}
	}), v.Packages}
}

// FormResult is the contents in another form.
type FormResult struct {
	Form string `json:"form"`
	Text string `json:"text"`
}

// Sealed is a sealed jar: a zip of a record and of every file that it names.
type Sealed struct {
	File     string   `json:"file"`
	Packages int      `json:"package_count"`
	Files    int      `json:"files"`
	Bytes    int64    `json:"bytes"`
	Targets  []string `json:"targets"`
	Faults   []string `json:"wrong"`
	// Digest is that of the artifact in a registry; Sent what that did not have.
	Digest    string `json:"digest,omitempty"`
	Sent      int    `json:"sent,omitempty"`
	SentBytes int64  `json:"sent_bytes,omitempty"`
	// Releases is how many an index in a registry has got.
	Releases int `json:"release_count,omitempty"`
	// Signed is there where it was signed or, in a check, somebody had to.
	Signed *Signed `json:"signed,omitempty"`
}

func ofSealed(v operation.Sealed) Sealed {
	return Sealed{v.File, v.Packages, v.Files, v.Bytes, v.Targets, v.Faults, v.Digest, v.Sent, v.SentBytes, v.Releases, pointer(v.Signed, ofSigned)}
}
