package resolve

import "glassjar/core/version"

// Which versions may be chosen though they are not by default: pre-releases that
// something asks for, withdrawn ones that something pins.

// admitMore takes over what this run found to be admitted, and reports whether
// that changes anything.
func (s *solver) admitMore() bool {
	for key := range s.newAdmitted {
		s.admitted[key] = true
	}
	for key := range s.newPinned {
		s.pinned[key] = true
	}
	return len(s.newAdmitted)+len(s.newPinned) > 0
}

func pinKey(name string, v version.Version) string { return name + " " + v.String() }

func (s *solver) admits(name string, c Candidate, kept bool) bool {
	switch c.Unfit {
	case Fit:
		return true
	case Prerelease:
		return kept || s.problem.AllowPrereleases || s.admitted[name]
	case Yanked:
		return kept || s.pinned[pinKey(name, c.Version)]
	}
	return false
}

// noteAdmission sees whether the need admits what was excluded. Needs in the same words
// are looked at once.
func (s *solver) noteAdmission(need *Need, on *variable) {
	if !on.excludes {
		return
	}
	text := need.Specifiers.Written()
	if on.noted[text] {
		return
	}
	on.noted[text] = true
	asks := need.Specifiers.AdmitsPrereleases() || onlyPrereleases(need, on)
	for _, c := range on.candidates {
		if c.Unfit == Prerelease && asks && !s.admitted[on.name] {
			s.newAdmitted[on.name] = true
		}
		if c.Unfit == Yanked && need.pins(c.Version) && !s.pinned[pinKey(on.name, c.Version)] {
			s.newPinned[pinKey(on.name, c.Version)] = true
		}
	}
}

// onlyPrereleases reports whether nothing but pre-releases meets a need: then these
// are admitted (PEP 440, "Handling of pre-releases").
func onlyPrereleases(need *Need, on *variable) bool {
	if len(need.Specifiers) == 0 {
		return false
	}
	some := false
	for _, c := range on.candidates {
		if c.Unfit == Yanked || !need.Specifiers.Holds(c.Version) {
			continue
		}
		if !c.Version.IsPrerelease() {
			return false
		}
		some = true
	}
	return some
}
