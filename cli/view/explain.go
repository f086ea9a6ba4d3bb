package view

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/plan"
	"glassjar/core/resolve"
	"glassjar/core/version"
)

// solveWords explains why no versions fit together, or which names are wrong.
func (s *Screen) solveWords(err error) (Message, bool) {
	var unknown *catalog.UnknownNamesError
	if errors.As(err, &unknown) {
		return unknownNames(unknown), true
	}
	var failure *plan.SolveError
	if !errors.As(err, &failure) {
		return Message{}, false
	}
	m := Message{What: "no versions fit together for " + failure.Environment}
	for _, f := range failure.Facts {
		m.Reasons = append(m.Reasons, sentence(f, failure.Facts))
	}
	m.Try = advice(failure.Facts, failure.Fits)
	if !failure.Until.IsZero() {
		m.Reasons = append(m.Reasons, "only what was uploaded before "+failure.Until.UTC().Format("2006-01-02 15:04:05")+" UTC counts (as-of)")
	}
	for _, u := range failure.Unasked {
		m.Try = append(m.Try, fmt.Sprintf("the index %s has %s %s and is not asked for it: from-index = { %s = %q }, or glassjar index order", u.Index, u.Name, u.Version, u.Name, u.Index))
	}
	return m, true
}

func unknownNames(e *catalog.UnknownNamesError) Message {
	m := Message{What: "no index has " + strings.Join(e.Names, ", ")}
	if len(e.Names) == 1 && len(e.Indexes) == 1 {
		m.What = fmt.Sprintf("the index %s has no %s", e.Indexes[0], e.Names[0])
	}
	for _, p := range e.PassedOver {
		m.Reasons = append(m.Reasons, fmt.Sprintf("%s is there, and cannot be used: %s", p.File, p.Why))
	}
	for _, name := range e.Names {
		if by := e.ImportedFrom[name]; len(by) > 0 {
			m.Reasons = append(m.Reasons, fmt.Sprintf("%s is a name to import; the distribution that brings it is %s", name, strings.Join(by, " or ")))
			m.Try = append(m.Try, "glassjar install "+by[0])
		} else if near := e.Near[name]; slices.Contains(near, name) {
			m.Reasons = append(m.Reasons, name+" is in a list of names, and there is no page of it")
			m.Try = append(m.Try, "check the address; that of an index often ends in /simple/")
		} else if len(near) > 0 {
			m.Reasons = append(m.Reasons, fmt.Sprintf("%s: did you mean %s?", name, strings.Join(near, " or ")))
		}
	}
	if len(e.Pinned) == len(e.Names) {
		m.What = "the index that is meant to have it lacks " + strings.Join(e.Names, ", ")
	}
	for _, name := range e.Names {
		pin, ok := e.Pinned[name]
		if !ok {
			continue
		}
		reason := fmt.Sprintf("%s is to come from the index %s (from-index), which has no such name", name, pin)
		if others := e.Elsewhere[name]; len(others) > 0 {
			reason += "; " + strings.Join(others, " and ") + " has it, and is not asked"
		}
		m.Reasons = append(m.Reasons, reason)
	}
	if len(e.Pinned) == len(e.Names) {
		m.Try = append(m.Try, "take the name out of from-index, or name the right index there")
		return m
	}
	if e.SampleOnly {
		m.Reasons = append(m.Reasons, "no index is set up, so only the built-in sample was asked")
		m.Try = append(m.Try, "name a public index, once: glassjar index add public ADDRESS")
	} else {
		m.Reasons = append(m.Reasons, "asked were: "+strings.Join(e.Indexes, ", "))
		m.Try = append(m.Try, "check the spelling, or add the index that has it: glassjar index add NAME ADDRESS")
	}
	return m
}

// sentence is one fact of a proof in words.
func sentence(f resolve.Fact, all []resolve.Fact) string {
	if f.Unfit != resolve.Fit {
		return unfit(f)
	}
	var wants []string
	for _, n := range f.Needs {
		wants = append(wants, n.String())
	}
	if f.Name == "" {
		text := f.Needs[0].String() + " is asked for"
		if o := f.Needs[0].Origin; o != "" {
			text += " by " + o
		}
		return text + whatThereIs(f, all)
	}
	who := f.Name
	if f.Extra != "" {
		who += "[" + f.Extra + "]"
	}
	verb := " needs "
	if len(f.Versions) > 1 {
		verb = " need "
	}
	text := who + " " + versions(f.Versions, f.All) + verb
	if len(wants) > 3 {
		return text + fmt.Sprintf("%s and so on, %d different ranges", strings.Join(wants[:2], ", "), len(wants)) + whatThereIs(f, all)
	}
	return text + strings.Join(wants, " or ") + whatThereIs(f, all)
}

// whatThereIs tells what there is where a need allows none of it.
func whatThereIs(f resolve.Fact, all []resolve.Fact) string {
	n := f.Needs[0]
	if len(f.Needs) == 1 && n.URL == "" && n.Specifiers.Set().IsEmpty() {
		return ", which no version can meet"
	}
	for _, other := range all {
		if other.Unfit != resolve.Fit && other.Name == n.Name {
			return "" // another sentence says what is wrong with those there are
		}
	}
	if len(f.Offered) == 0 {
		return fmt.Sprintf(", and %s is not to be had", n.Name)
	}
	for _, n := range f.Needs {
		for _, v := range f.Offered {
			if n.URL != "" || n.Specifiers.Holds(v) {
				return ""
			}
		}
	}
	return fmt.Sprintf(", but there is only %s %s", n.Name, versions(f.Offered, false))
}

func unfit(f resolve.Fact) string {
	what := f.Name + " " + versions(f.Versions, f.All)
	are := " is "
	if len(f.Versions) > 1 {
		are = " are "
	}
	detail := ""
	if len(f.Details) > 0 {
		detail = ": " + strings.Join(f.Details[:min(3, len(f.Details))], "; ")
	}
	switch f.Unfit {
	case resolve.NoFile:
		return what + are + "published for other systems or Pythons only" + detail
	case resolve.Python:
		return what + are + "for Python " + strings.Join(f.Details, " or ")
	case resolve.Yanked:
		return what + are + "withdrawn by the publisher" + detail
	case resolve.Prerelease:
		return what + are + "a pre-release, which was not asked for"
	case resolve.SourceOnly:
		return what + are + "published as source only, and nothing is built without consent"
	case resolve.Held:
		return what + are + "not taken, since " + f.Name + " is held at " + strings.Join(f.Details, "; ")
	}
	return what + " cannot be used" + detail
}

// versions names a few, or the ends of many.
func versions(list []version.Version, all bool) string {
	if len(list) == 0 {
		return ""
	}
	if len(list) <= 3 {
		var parts []string
		for _, v := range list {
			parts = append(parts, v.String())
		}
		text := strings.Join(parts, ", ")
		if all && len(list) > 1 {
			return text + " (all there are)"
		}
		if all {
			return text + " (the only one)"
		}
		return text
	}
	text := fmt.Sprintf("%s to %s", list[0], list[len(list)-1])
	if all {
		return fmt.Sprintf("%s (all %d)", text, len(list))
	}
	return fmt.Sprintf("%s (%d versions)", text, len(list))
}

// advice says what could be loosened.
func advice(facts []resolve.Fact, fits map[string]string) []string {
	var out []string
	add := func(text string) {
		for _, o := range out {
			if o == text {
				return
			}
		}
		out = append(out, text)
	}
	for _, f := range facts {
		switch f.Unfit {
		case resolve.Prerelease:
			add("take pre-releases: --pre-releases, or name one such as " + f.Name + "==" + f.Versions[len(f.Versions)-1].String())
		case resolve.Yanked:
			add("pin it if you must: " + f.Name + "==" + f.Versions[len(f.Versions)-1].String())
		case resolve.Held:
			add("end the hold: take " + f.Name + " out of [tool.glassjar.held]")
		case resolve.Python:
			add("use another Python: glassjar pythons shows which are here")
		case resolve.NoFile:
			add("look for another version or system: glassjar about " + f.Name)
		}
	}
	var roots, sure []string
	for _, f := range facts {
		if f.Name != "" || len(f.Needs[0].Specifiers) == 0 {
			continue
		}
		root := f.Needs[0].String()
		roots = append(roots, root)
		if v, ok := fits[root]; ok {
			sure = append(sure, fmt.Sprintf("%s (%s %s would fit)", root, f.Needs[0].Name, v))
		}
	}
	if len(sure) > 0 {
		roots = sure
	}
	if len(roots) > 0 {
		add("loosen " + strings.Join(roots, " or "))
	} else if len(out) == 0 {
		add("ask for less, or look at the versions: glassjar about NAME")
	}
	return out
}
