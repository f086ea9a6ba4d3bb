package view

import (
	"cmp"
	"os"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/term"

	"glassjar/core/index"
	"glassjar/core/operation"
)

// IsTerminal reports whether a file is one.
func IsTerminal(f *os.File) bool { return term.IsTerminal(int(f.Fd())) }

// Created tells of a new jar.
func (s *Screen) Created(c *operation.Created) {
	t := s.Sheet()
	t.Line("made", s.Bold(s.Jar(c.Place.Root)), s.Faint("empty, at "+s.Path(c.Place.Root)))
	if c.Above {
		t.Line("for", s.Plain("the project in "+s.Path(c.Place.Project)), s.Faint("--here makes one in this folder"))
	}
	t.Line("python", s.Plain(c.Python.Title()), s.Faint(c.Python.Path))
	t.Line("", s.Faint(c.Why))
	if s.Verbose {
		for _, r := range c.PassedOver {
			t.Line("passed", s.Warn(s.Path(r.Path)), s.Faint(r.Why))
		}
	}
	t.Line("next", s.Plain("glassjar install NAME"))
	t.Print()
}

// Recorded tells what became of the record.
func (s *Screen) Recorded(r *operation.Recorded, check bool) {
	t := s.Sheet()
	state := "in step already"
	switch {
	case r.Changed && check:
		state = "not in step: " + s.hint("glassjar record")
	case r.Changed:
		state = "written"
	}
	t.Line("record", s.Bold(s.Path(r.File)), s.Plain(state), s.Faint(Count(r.Packages, "package")))
	t.Line("serves", s.Plain(targets(r.Targets)))
	for _, l := range r.Left {
		t.Line("not", s.Warn(targets(l.Targets)), s.Faint(l.Why))
	}
	if n := len(r.Assumed); n > 0 {
		t.Line("assumed", s.Plain(Count(n, "package")), s.Faint("one wheel of each was read, such as "+r.Assumed[0].NeedsOf+": the index does not say whether the others need the same"))
	}
	s.signed(t, r.Signed)
	s.passedOver(t, r.PassedOver)
	if r.SampleOnly {
		t.Line("", s.Faint(sampleOnly))
	}
	t.Print()
}

// Merged tells what became of a record that two sides changed.
func (s *Screen) Merged(r *operation.MergedRecord) {
	t := s.Sheet()
	t.Line("merged", s.Bold(s.Path(r.File)), s.Faint(Count(r.Packages, "package")))
	for _, a := range r.Added {
		t.Line("asked", s.Good(a), s.Faint("by their side"))
	}
	for _, a := range r.Dropped {
		t.Line("not", s.Bad(a), s.Faint("their side has taken it out"))
	}
	for _, m := range r.Moved {
		t.Line("both", s.Warn(m.Name), s.Plain(m.Taken.String()), s.Faint("of "+m.Ours.String()+" and "+m.Theirs.String()))
	}
	t.Print()
}

// targets groups "PLATFORM PYTHON" by platform: "linux-x86_64 3.8 to 3.14".
func targets(list []string) string {
	pythons := map[string][]string{}
	var order []string
	for _, one := range list {
		platform, python, _ := strings.Cut(one, " ")
		if pythons[platform] == nil {
			order = append(order, platform)
		}
		pythons[platform] = append(pythons[platform], python)
	}
	byPythons := map[string][]string{}
	var texts []string
	for _, platform := range order {
		text := spans(pythons[platform])
		if byPythons[text] == nil {
			texts = append(texts, text)
		}
		byPythons[text] = append(byPythons[text], platform)
	}
	var parts []string
	for _, text := range texts {
		parts = append(parts, strings.Join(byPythons[text], ", ")+" with Python "+text)
	}
	return strings.Join(parts, "; ")
}

// spans tells Pythons such as "3.9" by where they begin and end: "3.8 to 3.10, 3.12".
func spans(pythons []string) string {
	slices.SortFunc(pythons, func(a, b string) int { return cmp.Or(cmp.Compare(len(a), len(b)), strings.Compare(a, b)) })
	follows := func(a, b string) bool {
		series, minor, _ := strings.Cut(a, ".")
		n, err := strconv.Atoi(minor)
		return err == nil && b == series+"."+strconv.Itoa(n+1)
	}
	var parts []string
	for from := 0; from < len(pythons); {
		to := from
		for to+1 < len(pythons) && follows(pythons[to], pythons[to+1]) {
			to++
		}
		if to-from < 2 {
			parts = append(parts, pythons[from])
			from++
			continue
		}
		parts = append(parts, pythons[from]+" to "+pythons[to])
		from = to + 1
	}
	return strings.Join(parts, ", ")
}

// Indexes lists where packages come from.
func (s *Screen) Indexes(list []operation.IndexInfo) {
	t := s.Sheet()
	for _, i := range list {
		from := "built in; no index is set up"
		if i.File != "" {
			from = "from " + s.Path(i.File)
		}
		label := "asked"
		if i.Holds != "" {
			label = i.Holds
		}
		t.Row(label, s.Bold(i.Name), s.Plain(i.At), s.Faint(from))
	}
	t.Print()
	t = s.Sheet() // with columns of its own
	for _, i := range list {
		if p := i.Probe; p != nil {
			state := s.Good("answers")
			if !p.Answers {
				state = s.Bad("no answer")
			}
			t.Row("probe", s.Bold(i.Name), state, s.Faint(probeWords(p)))
		}
	}
	t.Print()
}

// probeWords are what an index said.
func probeWords(p *index.Probe) string {
	if !p.Answers {
		return p.Why
	}
	if p.Local {
		return "on this machine"
	}
	parts := []string{Took(p.Took)}
	if p.JSON {
		parts = append(parts, "JSON")
	} else {
		parts = append(parts, "no JSON")
	}
	switch {
	case p.Metadata:
		parts = append(parts, "separate metadata")
	case p.Known:
		parts = append(parts, "no separate metadata")
	default:
		parts = append(parts, "it has no "+p.Name)
	}
	return strings.Join(parts, ", ")
}

// Wrote names a file or folder that was written.
func (s *Screen) Wrote(file string) {
	t := s.Sheet()
	t.Line("wrote", s.Plain(s.Path(file)))
	t.Print()
}

// Version tells the program's version.
func (s *Screen) Version(version, compiler, platform string) {
	t := s.Sheet()
	t.Line("glassjar", s.Bold(" "+version), s.Faint(compiler+", "+platform))
	t.Print()
}

// Settings lists what is set up, and by what.
func (s *Screen) Settings(e *operation.EffectiveSettings) {
	t := s.Sheet()
	words := "your own settings"
	if !e.Exists {
		words = "your own settings; not there yet"
	}
	t.Line("file", s.Bold(s.Path(e.File)), s.Faint(words))
	for _, one := range e.Settings {
		label, from := "default", ""
		switch one.From {
		case operation.FromBuiltIn:
		case operation.FromUser:
			label, from = "yours", ", from "+s.Path(one.File)
		case operation.FromProject:
			label, from = "project", ", from "+s.Path(one.File)
		case operation.FromMachine:
			label, from = "machine", ", from "+s.Path(one.File)
		case operation.FromOption:
			label = "option"
		default:
			label = "env"
			if one.From != one.Key {
				from = ", from " + one.From
			}
		}
		text := atHome(one.Value)
		value := s.Plain(text)
		if one.From == operation.FromBuiltIn {
			value = s.Faint(text)
		}
		t.Row(label, s.Bold(one.Key), value, s.Faint(one.Words+from))
	}
	t.Print()
}
