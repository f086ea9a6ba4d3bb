package plan

import (
	"fmt"

	"glassjar/core/metadata"
	"glassjar/core/requirement"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Assumption is that a wheel needs what another of its release does, as the record says.
type Assumption struct {
	// From is the wheel that was read.
	From        string
	environment target.Environment
	present     map[string]version.Version // of all that is chosen
	base        bool
}

// AssumedError says that a wheel needs something that the record does not have, since it was made
// from another wheel of the release.
type AssumedError struct {
	Name, Version, File string
	// Need is what it needs; From is the wheel that was read.
	Need requirement.Requirement
	From string
}

func (e *AssumedError) Error() string {
	return fmt.Sprintf("%s needs %s, which the record does not have", e.File, e.Need)
}

// Check reports with an [*AssumedError] what a wheel needs in this environment that the record
// does not have.
func (a *Assumption) Check(c Choice, meta metadata.Metadata) error {
	for _, need := range meta.Requires {
		if !need.Marker.Holds(a.environment.Markers) {
			continue
		}
		have, ok := a.present[need.Key()]
		if !ok && a.base || ok && (need.URL != "" || need.Specifiers.Holds(have)) {
			continue
		}
		return &AssumedError{Name: c.Name, Version: c.Version.String(), File: c.File.Name, Need: need, From: a.From}
	}
	return nil
}
