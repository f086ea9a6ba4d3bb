package plan

import (
	"fmt"

	"glassjar/core/index"
	"glassjar/core/metadata"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Assumption is that a wheel needs what another of its release does, as the record says, or what
// the source states that it is built from.
type Assumption struct {
	// From is the wheel that was read; empty where it was the source.
	From        string
	environment target.Environment
	present     map[string]version.Version // of all that is chosen
	base        bool
}

// AssumedError says that a wheel needs something that was not chosen, since that was done by
// another wheel of the release, or by what its source states.
type AssumedError struct {
	Name, Version, File string
	// Need is what it needs, as a requirement or as "Python >=3.8"; From is the wheel that was
	// read, empty where it was the source.
	Need string
	From string
}

func (e *AssumedError) Error() string {
	if e.From == "" {
		return fmt.Sprintf("%s %s needs %s, which its source does not state", e.Name, e.Version, e.Need)
	}
	return fmt.Sprintf("%s needs %s, which the record does not have", e.File, e.Need)
}

// stated is the assumption of a wheel that is to be built: what it needs was read from its source.
// The project itself needs what its spec says.
func stated(f index.File, env target.Environment, present map[string]version.Version, base bool) *Assumption {
	if !f.IsSource() || f.Tree != nil && f.Tree.Own {
		return nil
	}
	return &Assumption{environment: env, present: present, base: base}
}

// Check reports with an [*AssumedError] what a wheel needs in this environment that was not chosen.
func (a *Assumption) Check(c Choice, meta metadata.Metadata) error {
	fault := &AssumedError{Name: c.Name, Version: c.Version.String(), File: c.File.Name, From: a.From}
	if !meta.RequiresPython.Holds(a.environment.Python) {
		fault.Need = "Python " + meta.RequiresPython.String()
		return fault
	}
	for _, need := range meta.Requires {
		if !need.Marker.Holds(a.environment.Markers) {
			continue
		}
		have, ok := a.present[need.Key()]
		if !ok && a.base || ok && (need.URL != "" || need.Specifiers.Holds(have)) {
			continue
		}
		fault.Need = need.String()
		return fault
	}
	return nil
}
