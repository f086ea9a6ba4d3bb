package view

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/rivo/uniseg"
	"github.com/stretchr/testify/assert"

	"glassjar/core/diagnose"
	"glassjar/core/graph"
	"glassjar/core/jar"
	"glassjar/core/leaks"
	"glassjar/core/operation"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/store"
)

// drawn is what a view writes on a screen of a width.
func drawn(width int, draw func(*Screen)) string {
	var out bytes.Buffer
	s := NewScreen(&out, &out, "never", "/orchard")
	s.Width = width
	draw(s)
	return out.String()
}

var someDay = time.Date(2026, 9, 1, 8, 30, 0, 0, time.FixedZone("orchard", 7200))

// views are all that draw what a jar holds and has lived through, each with lines
// that must be in it.
var views = []struct {
	name string
	draw func(*Screen)
	has  []string
}{
	{"tree", func(s *Screen) {
		s.ContentsTree(&operation.Contents{Jar: "/orchard/.jar", Python: "CPython 3.12.1",
			Entries: []operation.Entry{{Name: "press", Version: "2.0"}, {Name: "core", Version: "1.0"}, {Name: "sugar", Version: "1.1"}, {Name: "alone", Version: "3"}, {Name: "seen", Version: "4", Base: true}},
			Roots:   []graph.Need{{To: "press", Extras: []string{"plot"}}, {To: "sugar", Part: project.Part{Group: "test-with-a-long-name"}, Range: ">=1"}},
			Needs:   []graph.Need{{From: "press", To: "sugar"}, {From: "press", To: "seen"}, {From: "sugar", To: "core", Range: "<2"}, {From: "sugar", To: "lost"}}})
	}, []string{"asked   press     2.0      any with plot", "          sugar", "            core", "            lost  missing  any", "any, of the base", ">=1, needs as above", "alone   alone"}},
	{"why", func(s *Screen) {
		s.Why(&operation.Why{Jar: "/orchard/.jar", Name: "core", Version: "1.0", More: true, Versions: map[string]string{"press": "2.0", "core": "1.0"},
			Chains: []graph.Chain{{{To: "press", Part: project.Part{Group: "test"}}, {From: "press", To: "core", Range: ">=1", Extras: []string{"x"}}, {From: "core", To: "lost"}}}})
	}, []string{"group test asks for  press (2.0)  needs  core >=1 with x (1.0)  needs  lost (missing)", "and more chains"}},
	{"why not", func(s *Screen) {
		s.Why(&operation.Why{Jar: "/orchard/.jar", Name: "core", Version: "1.0"})
		s.Why(&operation.Why{Jar: "/orchard/.jar", Name: "core", Version: "1.0", Base: true})
	}, []string{"nobody asked for it, and nothing needs it", "it belongs to the base"}},
	{"outdated", func(s *Screen) {
		s.Outdated(&operation.Outdated{Jar: "/orchard/.jar", Looked: 4, Behind: []plan.Behind{
			{Name: "a", Version: "1", Fits: "2", Newest: "2"},
			{Name: "b", Version: "1", Fits: "1", Newest: "3", Held: []plan.Hold{{By: plan.HeldBySpec, Range: "<2", Detail: "pyproject.toml, line 3"}, {By: "press", Range: "<3", Detail: "2.0"}}},
			{Name: "c", Version: "1", Fits: "1", Newest: "3", Held: []plan.Hold{{By: plan.HeldByPython, Detail: ">=3.13"}, {By: plan.HeldByFiles}, {By: plan.HeldBySource}, {By: plan.HeldByYank, Detail: "mould"}, {By: plan.HeldByTogether}}}}})
		s.Outdated(&operation.Outdated{Jar: "/orchard/.jar", SampleOnly: true})
	}, []string{"behind  a  here 1  fits 2  newest 2", "asked for as <2, pyproject.toml, line 3; press 2.0 needs <3", "it is for Python >=3.13", "withdrawn: mould", "does not fit with the others", "try     glassjar upgrade", "nothing: all are the newest"}},
	{"history", func(s *Screen) {
		s.History(&operation.History{Jar: "/orchard/.jar", States: []operation.State{{Number: 1, At: someDay, Command: "create"}, {Number: 2, At: someDay, Command: "install press", Did: []string{"+a 1", "+b 1", "+c 1", "+d 1", "+e 1"}}}})
		s.History(&operation.History{Jar: "/orchard/.jar"})
	}, []string{"state   1  2026-09-01 06:30  create", "now     2  2026-09-01 06:30  install press  +a 1, +b 1, +c 1 and 2 more", "none is written down"}},
	{"diff", func(s *Screen) {
		s.Difference(&operation.Difference{A: "/orchard/.jar", B: "/orchard/pylock.toml", Added: []plan.Item{{Name: "a", Version: "1"}}, Removed: []plan.Item{{Name: "b", From: "2"}},
			Changed: []plan.Item{{Name: "c", From: "1", Version: "2"}}, OtherFiles: []plan.Item{{Name: "d", Version: "1"}}, OtherIndex: []plan.Item{{Name: "e", Version: "1", From: "x", Index: "y"}}, Pythons: []string{"CPython 3.9", "CPython 3.12"}, Same: 3})
		s.Difference(&operation.Difference{Same: 1})
	}, []string{"from    .jar", "to      pylock.toml", "more    a  1", "less    b  2", "other   c  1 -> 2", "the same version with other files", "from x, and from y", "python  CPython 3.9  and  CPython 3.12", "no difference, 1 package the same"}},
	{"check", func(s *Screen) {
		unknown := []string{}
		for range 12 {
			unknown = append(unknown, "stray")
		}
		s.Checked(&operation.Checked{Jar: "/orchard/.jar", Files: 9, Faults: []jar.Fault{{Path: "lib/a.py", Owner: "a", What: "changed"}}, Unknown: unknown, Broken: []string{"bin/python"}, Python: "it is gone",
			Unmet: []operation.Unmet{{Need: graph.Need{From: "a", To: "b", Range: ">2"}, Version: "1"}, {Need: graph.Need{To: "c"}}}, Mended: []string{"a 1.0"}, Step: operation.SpecChanged}, false)
		s.Checked(&operation.Checked{Jar: "/orchard/.jar", Step: operation.InStep}, false)
		s.Checked(&operation.Checked{Jar: "/orchard/.jar", Step: operation.JarDiffers}, false)
		s.Checked(&operation.Checked{Jar: "/orchard/.jar", Faults: []jar.Fault{{Path: "lib/b.py", Owner: "b", What: jar.Unreadable}}}, true)
	}, []string{"9 files compared", "changed lib/a.py", "and 4 more", "unmet   a needs b >2  and 1 is here", "asked for is c  which is missing", "broken  bin/python", "python  it is gone", "mended  a 1.0", "try     glassjar check --mend", "found   nothing wrong", "unread  lib/b.py", "try     glassjar recreate"}},
	{"shelf", func(s *Screen) {
		s.Shelf(&operation.Shelf{Jars: []operation.Shelved{{Name: "press", Jar: "/orchard/.jar", Python: "CPython 3.12.1", Packages: 1, Size: 2_000_000, Shared: 1000, Used: someDay, State: operation.ShelfOutOfStep, InProject: true},
			{Name: "tools", Jar: "/shelf/tools", State: operation.ShelfFine, OnShelf: true}, {Name: "far", Jar: "/far", State: operation.ShelfGone}}, Away: []operation.DiscardedJar{{Jar: "/orchard/old", At: someDay, Size: 5}}})
		s.Shelf(&operation.Shelf{})
	}, []string{"project press  CPython 3.12.1  1 package   2.0 MB, 1.0 kB shared  2026-09-01 06:30  out of step  .jar", "shelf   tools", "alone   far", "away    old  discarded 2026-09-01 06:30, 5 B", "no jar is known here"}},
	{"discard", func(s *Screen) {
		d := &operation.Discarded{Jars: []string{"/orchard/.jar"}, Kept: []string{"/orchard/pylock.toml"}, Frees: 1000}
		s.Discarding(d)
		s.Discarded(d)
		d.Done = true
		s.Discarded(d)
		s.Discarded(&operation.Discarded{Jars: []string{"/orchard/.jar"}, Back: true, Done: true})
	}, []string{"discard .jar", "keep    pylock.toml", "nothing was changed", "gone    .jar", "frees   1.0 kB", "back    .jar"}},
	{"seal", func(s *Screen) {
		s.Sealed(&operation.Sealed{File: "/orchard/x.zip", Packages: 2, Files: 3, Bytes: 5, Targets: []string{"linux-x86_64 3.12"}}, false)
		s.Sealed(&operation.Sealed{File: "/orchard/x.zip", Faults: []string{"a is missing"}}, true)
		s.Sealed(&operation.Sealed{File: "/orchard/x.zip"}, true)
	}, []string{"sealed  x.zip  2 packages in 3 files, 5 B", "serves  linux-x86_64 with Python 3.12", "wrong   a is missing", "nothing wrong"}},
	{"store", func(s *Screen) {
		s.StoreUsage(&operation.StoreUsage{Dir: "/store", Files: 2, Bytes: 10, Needed: 4, Discarded: 3, Saved: 2000, Contents: store.Amount{Files: 1, Bytes: 10}, Bytecode: store.Amount{Files: 1, Bytes: 7},
			Distributions: []operation.StoreShare{{Name: "press", Amount: store.Amount{Files: 1, Bytes: 4}}}, Jars: []operation.JarShare{{Jar: "/orchard/.jar", Needs: store.Amount{Files: 1, Bytes: 4}}, {Jar: "/orchard/old", Needs: store.Amount{Files: 1, Bytes: 5}, Only: store.Amount{Files: 1, Bytes: 5}, Discarded: true}}})
		s.Tidied(&operation.Tidied{Amount: store.Amount{Files: 1, Bytes: 6}, Jars: []string{"/orchard/old"}, JarBytes: 3, Frees: 9})
		s.Tidied(&operation.Tidied{Done: true})
		s.Verified(&operation.Verified{Amount: store.Amount{Files: 2, Bytes: 10}, Damaged: []string{"abc"}})
		s.Verified(&operation.Verified{})
	}, []string{"2 files, 10 B", "of it   7 B  bytecode", "saves   2.0 kB", "keeps   press", "for     .jar", "only it needs 5 B; discarded", "away    3 B", "would free 9 B", "frees   9 B  3 B in 1 jar, 6 B in 1 file of the store", "removed 0 B", "damaged abc", "nothing wrong"}},
	{"settings", func(s *Screen) {
		s.Settings(&operation.EffectiveSettings{File: "/settings.toml", Settings: []operation.Effective{{Key: "store", Value: "/x", From: operation.FromUser, File: "/settings.toml", Words: "where"},
			{Key: "keyring", Value: "false", From: operation.FromBuiltIn}, {Key: "python", Value: "3.12", From: operation.FromProject, File: "/orchard/pyproject.toml"}, {Key: "shelf", Value: "/y", From: "GLASSJAR_HOME"}}})
	}, []string{"not there yet", "yours   store", "default keyring", "project python", "from pyproject.toml", "env     shelf"}},
	{"connect", func(s *Screen) {
		c := &operation.Connection{Jar: "/orchard/.jar", Edits: []operation.FileEdit{{File: "/orchard/a.json", Diff: "diff x\n--- a\n+++ b\n@@ 1 @@\n-old\n+new\n same\n", Left: []string{"k"}}, {File: "/orchard/b", New: true}, {File: "/orchard/c", Gone: true}}}
		s.Connection(c)
		s.Connected(c, false)
		c.Done, c.Next = true, []string{"build it"}
		s.Connected(c, false)
		s.Connected(&operation.Connection{}, false)
	}, []string{"change  a.json", "-old", "+new", "stays   k", "new     b", "remove  c", "nothing was changed", "gone    c", "next    build it", "all is written already"}},
	{"strays", func(s *Screen) {
		s.Strays(&leaks.Strays{Strays: 1, Folders: []leaks.StrayFolder{{Folder: "/a", Python: "3.9", Holds: []string{"x 1"}}, {Folder: "/b", Away: true}, {Folder: "/c", Moved: "/d"}}})
		s.Strays(&leaks.Strays{})
	}, []string{"stray   /a  seen by every Python 3.9", "away    /b", "back    /c", "strays put-away", "your own site folders hold nothing"}},
}

// Every view says what it has to, and keeps to 60 columns where a word fits.
func TestViewsOfLife(t *testing.T) {
	for _, v := range views {
		whole := drawn(unbroken, v.draw)
		for _, line := range v.has {
			assert.Contains(t, whole, line, v.name)
		}
		for _, line := range strings.Split(drawn(60, v.draw), "\n") {
			assert.LessOrEqual(t, uniseg.StringWidth(line), 60, "%s: %s", v.name, line)
		}
		quiet := drawn(80, func(s *Screen) { s.Quiet = true; v.draw(s) })
		assert.Empty(t, quiet, v.name)
	}
}

// Each case of a diagnosis has its sentence.
func TestDiagnosisWords(t *testing.T) {
	d := diagnose.Diagnosis{Module: "press", Jar: "/orchard/.jar", Python: "CPython 3.12.1", Distribution: "press-house", Version: "1.0", File: "/orchard/press.py", Detail: "detail", Mend: diagnose.Mend{Step: diagnose.Install, Of: "it"}, Error: "ImportError: no\nmore"}
	for kind, says := range map[diagnose.Case]string{
		diagnose.CaseWorks: "it belongs to press-house 1.0", diagnose.CaseStandard: "Python's own library", diagnose.CaseFormer: "until detail took it out",
		diagnose.CaseShadowed: "press.py comes before detail", diagnose.CaseOutside: "comes from outside, by detail", diagnose.CaseOnlyOutside: "which this jar does not see",
		diagnose.CaseNotInstalled: "the index has press-house 1.0", diagnose.CaseOtherName: "is called press-house 1.0", diagnose.CaseMisspelt: "the index has press-house",
		diagnose.CaseLetterCase: "upper from lower", diagnose.CaseOtherJar: "not in this jar, but in", diagnose.CasePart: "has no detail", diagnose.CaseNeeds: "imports detail, which fails",
		diagnose.CaseOtherPython: "built for another Python or system (detail)", diagnose.CaseLibrary: "system's library detail", diagnose.CaseDies: "ended while importing",
		diagnose.CaseRaises: "is installed, but detail", diagnose.CaseUnknown: "neither the jar, nor an index",
	} {
		d.Case = kind
		out := drawn(unbroken, func(s *Screen) { s.Diagnosis(&d) })
		assert.Contains(t, out, says, kind)
		assert.Contains(t, out, "try     glassjar install it", kind)
	}
	d.Case, d.Import = diagnose.CaseOtherName, "thing"
	assert.Contains(t, drawn(unbroken, func(s *Screen) { s.Diagnosis(&d) }), "what one imports is thing")
	d.Case, d.Because = diagnose.CaseNeeds, &diagnose.Diagnosis{Module: "vat", Case: diagnose.CaseUnknown}
	assert.Contains(t, drawn(unbroken, func(s *Screen) { s.Diagnosis(&d) }), "and vat:")
}

// Each step that mends an import has its words, and JSON has them too.
func TestMendingWords(t *testing.T) {
	s := &Screen{Dir: "/orchard"}
	for step, want := range map[diagnose.Step]string{
		diagnose.Nothing: "", diagnose.Install: "glassjar install x", diagnose.Upgrade: "glassjar upgrade x", diagnose.Recreate: "glassjar recreate",
		diagnose.Replace: "glassjar uninstall x, then install a version for this Python", diagnose.Search: "glassjar search x", diagnose.LookAt: "glassjar about x",
		diagnose.RunIn: "glassjar run --jar x python", diagnose.Import: "import x", diagnose.Rename: "give x another name", diagnose.Older: "glassjar pythons, for one before x",
		diagnose.System: "install the system's package that has x", diagnose.OwnFolder: "stand in a folder of your own",
	} {
		d := &diagnose.Diagnosis{Module: "a", Mend: diagnose.Mend{Step: step, Of: "x"}}
		outer := s.Diagnosed(&diagnose.Diagnosis{Because: d, Mend: d.Mend})
		assert.Equal(t, want, outer.MendedBy, step)
		assert.Equal(t, want, outer.Because.MendedBy, step)
	}
}
