package wire

import (
	"time"

	"glassjar/core/operation"
)

// Advisories are known faults of what is in jars and records.
type Advisories struct {
	Of        []AdvisoriesOf `json:"faults_of"`
	Databases []string       `json:"databases"`
	Known     int            `json:"known_count"`
	Unread    []string       `json:"unread"`
	Open      int            `json:"open"`
}

func ofAdvisories(v operation.Advisories) Advisories {
	return Advisories{Of: list(v.Of, ofAdvisoriesOf), Databases: v.Databases, Known: v.Known, Unread: append([]string{}, v.Unread...), Open: v.Open}
}

// AdvisoriesOf are those of a jar or a record.
type AdvisoriesOf struct {
	Subject
	Looked int          `json:"looked_at"`
	Faults []KnownFault `json:"known_faults"`
	Error  string       `json:"error,omitempty"`
}

func ofAdvisoriesOf(v operation.AdvisoriesOf) AdvisoriesOf {
	out := AdvisoriesOf{Subject: ofSubject(v.Subject), Looked: v.Looked, Faults: list(v.Faults, ofKnownFault)}
	if v.Err != nil {
		out.Error = v.Err.Error()
	}
	return out
}

// KnownFault is one advisory about a version that is there; accepted is why the spec accepts it, until
// the last day of that.
type KnownFault struct {
	Name     string   `json:"name"`
	Version  string   `json:"version"`
	IDs      []string `json:"identifiers"`
	Summary  string   `json:"summary"`
	Severity string   `json:"severity"`
	Link     string   `json:"link"`
	Accepted string   `json:"accepted,omitempty"`
	Until    string   `json:"accepted_until,omitempty"`
	Open     bool     `json:"is_open"`
	Mend     *Mend    `json:"way_out,omitempty"`
}

// Mend is the way out of a fault: nearest is the nearest version without it, fits the nearest that
// fits the spec and the rest.
type Mend struct {
	Nearest string   `json:"nearest"`
	Fits    string   `json:"fits"`
	Moves   []string `json:"moves_with_it"`
	Against string   `json:"against"`
}

func ofKnownFault(v operation.KnownFault) KnownFault {
	out := KnownFault{Name: v.Name, Version: v.Version, IDs: v.IDs(), Summary: v.Summary, Severity: v.Severity, Link: v.Link, Accepted: v.Accepted, Open: v.Open()}
	if !v.Until.IsZero() {
		out.Until = v.Until.Format(time.DateOnly)
	}
	if m := v.Mend; m != nil {
		out.Mend = &Mend{Nearest: m.Nearest, Fits: m.Fits, Moves: append([]string{}, m.Moves...), Against: m.Against}
	}
	return out
}
