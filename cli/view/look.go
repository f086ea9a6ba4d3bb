package view

import (
	"fmt"
	"strings"

	"glassjar/cli/wire"
	"glassjar/core/leaks"
	"glassjar/core/operation"
	"glassjar/core/place"
)

// Contents lists a jar's packages.
func (s *Screen) Contents(c *operation.Contents, sizes bool) {
	t := s.Sheet()
	t.Line("jar", s.Bold(s.Jar(c.Jar)), s.Faint(c.Python))
	if len(c.Entries) == 0 {
		t.Line("holds", s.Plain("nothing yet"))
		t.Line("try", s.Plain("glassjar install NAME"))
	}
	var total int64
	own := 0
	for _, e := range c.Entries {
		total += e.Size
		label := "holds"
		if e.Base {
			label = "sees"
		} else {
			own++
		}
		cells := []Cell{s.Bold(e.Name), s.Plain(e.Version)}
		if sizes {
			cells = append(cells, s.Plain(fmt.Sprintf("%8s", Bytes(e.Size))))
		}
		t.Row(label, append(cells, s.Faint(role(e)))...)
	}
	if own > 0 {
		t.Line("sum", s.Plain(Count(own, "package")+", "+Bytes(total)))
	}
	t.Print()
}

func role(e operation.Entry) string {
	var parts []string
	switch {
	case e.Base:
		return "of the base, stays as it is"
	case e.Damage != "":
		return "damaged: " + e.Damage
	case e.Asked:
		parts = append(parts, "asked for")
	case len(e.NeededBy) > 0:
		parts = append(parts, "for "+some(e.NeededBy))
	default:
		parts = append(parts, "nothing needs it")
	}
	if e.From != "" {
		parts = append(parts, "from "+e.From)
	}
	if e.Installer != "" && e.Installer != "glassjar" {
		parts = append(parts, "put there by "+e.Installer)
	}
	return strings.Join(parts, ", ")
}

var whyWords = map[string]string{place.Named: "it was named", place.Active: "it is active in this shell", place.Nearest: "it is the project's"}

var stepWords = map[string]string{
	operation.InStep:        "in step with spec and jar",
	operation.SourceChanged: "a folder that it was built from has changed: glassjar recreate",
	operation.SpecChanged:   "the spec has changed since: glassjar record, then glassjar recreate",
	operation.JarDiffers:    "the jar differs from it: glassjar recreate",
	operation.NoRecord:      "none yet; glassjar install writes it",
	operation.CutOff:        "a change of the jar was cut off: glassjar check --mend undoes it",
}

// Here shows which jar and Python are in effect.
func (s *Screen) Here(h *operation.Here) {
	t := s.Sheet()
	state := whyWords[h.Why]
	if !h.Exists {
		state = "not made yet: glassjar create"
		if h.Record != "" {
			state = "not made yet: glassjar recreate"
		}
	}
	t.Line("jar", s.Bold(s.Jar(h.Jar)), s.Faint(state))
	if h.Exists {
		t.Line("python", s.Plain(h.Python), s.Faint(h.Base))
		if h.BaseGone {
			t.Line("", s.Bad("that program is gone: glassjar recreate"))
		}
		t.Line("own", s.Plain(s.Path(h.OwnPython)), s.Faint("the jar's own Python, as editors ask for it"))
		t.Line("holds", s.Plain(Count(h.Packages, "package")))
	}
	record := "none"
	if h.Record != "" {
		record = s.Path(h.Record)
	}
	t.Line("record", s.Plain(record), s.Faint(stepWords[h.Step]))
	if h.SampleOnly {
		t.Line("index", s.Plain("sample"), s.Faint("built in; no index is set up"))
	}
	if h.Label != "" {
		t.Line("label", s.Plain(h.Label), s.Faint("of this jar: the bytes here"))
	}
	if h.RecordLabel != "" {
		t.Line("", s.Plain(h.RecordLabel), s.Faint("of the record: the same on every system"))
	}
	if h.LacksMerging {
		t.Line("git", s.Warn("merges records line by line here"), s.Faint("the project has it done by what they ask for: glassjar connect git"))
	}
	s.leaks(t, h.Leaks)
	t.Print()
}

// leakWords tell what each kind of leak does.
var leakWords = map[string]string{
	leaks.Path:         "PYTHONPATH puts this folder before the jar's packages",
	leaks.Home:         "PYTHONHOME makes Python look for its own library elsewhere",
	leaks.User:         "the user's own packages are seen by this jar",
	leaks.UserWaits:    "the user's own packages; this jar does not see them, others may",
	leaks.PathFile:     "this file adds a folder outside the jar",
	leaks.PathFileCode: "this file runs code whenever Python starts",
	leaks.System:       "the jar was made to see the packages of its base",
	leaks.OtherPython:  "this python comes before the jar's on PATH",
	leaks.OtherJar:     "another jar is active in this shell",
}

func (s *Screen) leaks(t *Sheet, list []leaks.Leak) {
	for _, l := range list {
		label, path := "leaks", s.Warn(s.Path(l.Detail))
		if l.What == leaks.UserWaits {
			label, path = "outside", s.Plain(s.Path(l.Detail))
		}
		words := leakWords[l.What]
		if len(l.Holds) > 0 {
			words += ": " + some(l.Holds)
		}
		t.Line(label, path, s.Faint(words))
	}
}

// Label shows a jar's fingerprint, and its record's.
func (s *Screen) Label(l *operation.Labelled) {
	t := s.Sheet()
	if l.Label != "" {
		t.Line("label", s.Bold(l.Label), s.Faint(s.Jar(l.Jar)+", "+l.Python+", "+Count(l.Packages, "package")))
	}
	if l.RecordLabel != "" {
		t.Line("record", s.Bold(l.RecordLabel), s.Faint("the same on every system"))
	}
	t.Print()
}

// Fail writes an error: what could not be done, the reasons, what to try.
func (s *Screen) Fail(m Message) {
	s.settle()
	if s.JSON {
		s.Data(wire.ErrorResult{Error: m})
		return
	}
	fmt.Fprintln(s.Err, s.bad.Styled("glassjar:")+" "+cleanReason(m.What))
	for _, r := range m.Reasons {
		r = cleanReason(r)
		for i, l := range wrap(cutPaths(r, max(20, s.Width-4)), max(20, s.Width-4)) {
			lead := "  - "
			if i > 0 {
				lead = "    "
			}
			fmt.Fprintln(s.Err, lead+l)
		}
	}
	for _, t := range m.Try {
		fmt.Fprintln(s.Err, s.faint.Styled("  try ")+cleanReason(t))
	}
}

// Step is a record's state in words.
func (s *Screen) Step(step string) string {
	words, _, _ := strings.Cut(stepWords[step], ":")
	words, _, _ = strings.Cut(words, ";")
	return words
}

// Entered tells that a shell is opened inside a jar.
func (s *Screen) Entered(e *operation.Entered) {
	t := s.Sheet()
	if e.Already {
		t.Line("inside", s.Bold(s.Jar(e.Jar)), s.Faint("already; glassjar leave says how to get out"))
	} else {
		t.Line("inside", s.Bold(s.Jar(e.Jar)), s.Faint("in a new shell; exit leads out again"))
	}
	t.Print()
}

// Leave says how to get out of a jar.
func (s *Screen) Leave(active, entered string) {
	t := s.Sheet()
	switch {
	case entered != "" && entered == active:
		t.Line("leave", s.Plain("exit"), s.Faint("this shell was opened inside "+s.Path(active)))
	case active != "":
		t.Line("leave", s.Plain("deactivate"), s.Faint("this shell was made to use "+s.Path(active)))
	}
	t.Print()
}
