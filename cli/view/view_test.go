package view

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/rivo/uniseg"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/lent"
	"glassjar/core/metadata"
	"glassjar/core/operation"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/store"
	"glassjar/core/version"
	"glassjar/core/wheel"
)

func screen(width int, color string) (*Screen, *bytes.Buffer) {
	var out bytes.Buffer
	s := NewScreen(&out, &out, color, "/orchard")
	if width > 0 {
		s.Width = width
	}
	return s, &out
}

func TestNumbersInWords(t *testing.T) {
	for n, want := range map[int64]string{0: "0 B", 999: "999 B", 1000: "1.0 kB", 9949: "9.9 kB", 9951: "10 kB", 12_345: "12 kB", 999_499: "999 kB", 999_500: "1.0 MB", 4_200_000_000: "4.2 GB", 5e15: "5000 TB"} {
		assert.Equal(t, want, Bytes(n))
	}
	for d, want := range map[time.Duration]string{0: "1 ms", 4 * time.Millisecond: "4 ms", 1250 * time.Millisecond: "1.25 s", 12 * time.Second: "12 s", 190 * time.Second: "3 min 10 s"} {
		assert.Equal(t, want, Took(d))
	}
	assert.Equal(t, "1 package, 2 packages, 3 entries", Count(1, "package")+", "+Count(2, "package")+", "+Count(3, "entry"))
}

func TestSheet(t *testing.T) {
	s, _ := screen(60, "never")
	sheet := s.Sheet()
	sheet.Line("jar", s.Bold(".jar"), s.Faint("CPython 3.12.1"))
	sheet.Row("add", s.Good("brixmeter"), s.Plain("2.1"), s.Faint("for perry-blend, press-schedule, sugar-curve and others"))
	sheet.Row("add", s.Good("co-op-day"), s.Plain("2.0"), s.Faint(""))
	sheet.Gap()
	sheet.Line("note", s.Plain("a path such as /orchard/with-a-dash/in-it is never broken in its middle"))
	want := strings.Join([]string{
		"jar     .jar  CPython 3.12.1",
		"add     brixmeter  2.1  for perry-blend, press-schedule,",
		"                        sugar-curve and others",
		"        co-op-day  2.0",
		"",
		"note    a path such as /orchard/with-a-dash/in-it is never",
		"        broken in its middle",
		"",
	}, "\n")
	assert.Equal(t, want, sheet.String())

	// No line is wider than the terminal, whatever the width, if words allow it.
	for width := 40; width < 120; width += 7 {
		s.Width = width
		for _, line := range strings.Split(sheet.String(), "\n") {
			assert.LessOrEqual(t, uniseg.StringWidth(line), max(width, 40), line)
		}
	}
	s.Width = 30
	assert.Contains(t, sheet.String(), "\n            for perry-blend,")

	// Colours change nothing but colours; to a pipe nothing is broken.
	plain, _ := screen(0, "auto")
	assert.NotContains(t, plain.Good("x").render(), "\x1b")
	colored, _ := screen(60, "always")
	assert.Contains(t, colored.Good("x").render(), "\x1b[")
	assert.Equal(t, "x", withoutStyle(colored.Good("x").render()))
	assert.Equal(t, unbroken, plain.Width)
}

func TestQuietAndJSON(t *testing.T) {
	s, out := screen(60, "never")
	s.Quiet = true
	s.Say("nothing")
	s.Note("nothing")
	s.Sheet().Print()
	assert.Empty(t, out.String())
	s.Fail(Message{What: "it is broken", Try: []string{"mend it"}})
	assert.Equal(t, "glassjar: it is broken\n  try mend it\n", out.String())
	s, out = screen(60, "never")
	s.JSON = true
	s.Fail(s.Words("do it", errors.New("it is <broken>")))
	var got map[string]Message
	require.NoError(t, json.Unmarshal(out.Bytes(), &got))
	assert.Equal(t, Message{What: "cannot do it", Reasons: []string{"it is <broken>"}, Try: []string{}, Exit: ExitNo, Kind: "unknown"}, got["error"])
}

// Every error that the core knows has words, an exit code and, mostly,
// something to try; none of them shouts or shows what is inside.
func TestWords(t *testing.T) {
	spec := version.MustParseSpecifiers
	solve := func(facts ...resolve.Fact) error {
		return &plan.SolveError{Failure: &resolve.Failure{Facts: facts}, Environment: "CPython 3.12.1 on linux x86_64"}
	}
	list := func(texts ...string) (out []version.Version) {
		for _, v := range texts {
			out = append(out, version.MustParse(v))
		}
		return out
	}
	root := resolve.Fact{Needs: []resolve.Need{{Name: "press", Specifiers: spec(">=2"), Origin: "this command"}}, Offered: list("1.0", "1.1")}
	_, parse := requirement.Parse("press >")
	for _, c := range []struct {
		err  error
		exit int
		says string
		try  string
	}{
		{&UsageError{Why: "that is wrong", Try: "this"}, ExitUsage, "that is wrong", "this"},
		{&operation.BadNameError{Name: "../x"}, ExitUsage, "letters, digits", ""},
		{parse, ExitUsage, "column 7", ""},
		{&place.NoJarError{Root: "/orchard/.jar"}, ExitPython, "looked for at .jar", "glassjar create"},
		{&place.NoJarError{Root: "/orchard/.jar", Record: true}, ExitPython, "there is a record", "glassjar recreate"},
		{&place.NoJarError{Named: "tols", Shelf: []string{"tools"}}, ExitPython, "did you mean tools?", "glassjar create tols"},
		{&place.NoJarError{Named: "tols", Shelf: []string{"tools"}, Unwanted: true}, ExitPython, "did you mean tools?", "glassjar shelf"},
		{&place.NoJarError{Root: "/orchard/a b/.jar", Named: "a b/.jar"}, ExitPython, "looked for at a b/.jar", `glassjar create --at "/orchard/a b/.jar"`},
		{&place.NoJarError{Root: "/orchard/tally x.py", Named: "tally x.py", File: true}, ExitPython, "it is a file", `glassjar install --into "/orchard/tally x.py" NAME`},
		{&place.NotTrustedError{Jar: "/orchard/.jar", Record: true}, ExitPython, "not made here for you", "from its record: glassjar recreate"},
		{&place.NotTrustedError{Jar: "/orchard/a b/.jar"}, ExitPython, "not made here for you", `glassjar discard "/orchard/a b/.jar"`},
		{&operation.UsageError{Case: operation.NoBlock, Of: []string{"a b.py"}}, ExitUsage, "a b.py does not say", `glassjar install --into "a b.py" NAME`},
		{&place.DisagreeError{Active: "/a", Project: "/orchard/.jar"}, ExitUsage, "active in this shell: /a", "--jar .jar"},
		{&jar.ExistsError{Path: "/orchard/.jar", Jar: true}, ExitUsage, "a jar at .jar already", "glassjar discard .jar"},
		{&jar.ExistsError{Path: "/orchard/x"}, ExitUsage, "something at x already", "--at DIR"},
		{&jar.NotAJarError{Path: "/", Why: "it is not"}, ExitPython, "/ is not a jar", "glassjar here"},
		{&jar.OwnThingsError{Jar: "/orchard/.jar", Files: []string{"notes.txt"}}, ExitUsage, "notes.txt", "move them"},
		{&jar.InterpreterGoneError{Jar: "/orchard/.jar", Target: "/gone", Version: "3.9.1"}, ExitPython, "/gone, version 3.9.1", "glassjar recreate"},
		{&jar.NewerFormatError{Path: "/orchard/.jar", Format: 9}, ExitPython, "format 9", "use that version"},
		{&project.EditError{File: "/orchard/pyproject.toml", Inline: "project"}, ExitUsage, "project is an inline table", "[project]"},
		{&project.EditError{File: "/orchard/pyproject.toml", Dynamic: "dependencies"}, ExitUsage, "dependencies is among the dynamic keys", "--group NAME"},
		{&operation.SpoiledError{Jar: "/orchard/.jar", Err: &fs.PathError{Op: "open", Path: "/orchard/.jar/bin/python", Err: syscall.EISDIR}}, ExitPython, ".jar/bin/python: is a directory", "glassjar recreate makes it anew"},
		{&jar.RecordError{Path: "/orchard/.jar/record", Err: metadata.ErrInvalid}, ExitIntegrity, ".jar/record is damaged", "check --mend"},
		{&jar.ClashError{Path: "a.py", New: "x", Old: "y"}, ExitIntegrity, "y and x both have the file a.py", "only one"},
		{&jar.ClashError{Path: "a.py", New: "x"}, ExitIntegrity, "a.py, which belongs to no distribution", "move it out of the jar"},
		{&jar.ClashError{Path: "bin/python", New: "x", Own: true}, ExitIntegrity, "bin/python, which is the jar's own", "whoever publishes it"},
		{&operation.NoPythonError{Wish: "4.0", From: "--python", PassedOver: []interpreter.Rejection{{Path: "/p", Why: "it hangs"}}}, ExitPython, "passed over /p: it hangs", "GLASSJAR_PYTHONS"},
		{&plan.WrongPythonError{Environment: "CPython 3.7", Requires: ">=3.8", File: "pyproject.toml"}, ExitPython, "requires Python >=3.8", "discard"},
		{interpreter.Rejection{Path: "/orchard/p", Why: "it hangs"}, ExitPython, "it hangs", "glassjar pythons"},
		{&operation.NoCommandError{Name: "prses", Near: []string{"press"}}, 127, "did you mean press?", "glassjar contents"},
		{&operation.NoCommandError{Name: "prses", BroughtBy: []string{"press"}}, 127, "press brings it", "glassjar install press"},
		{&operation.NoFileError{Name: "a.py"}, 127, "there is no file a.py", "name one that is there"},
		{&operation.CannotRunError{Path: "/orchard/a", Err: syscall.ENOEXEC}, 126, "a cannot be run", "glassjar run sh a"},
		{&operation.CannotRunError{Path: "/orchard/a", Err: syscall.ENOENT}, 126, "made for another system", "take the one"},
		{&lent.ClashError{Folder: "/orchard/bin", By: map[string]string{"a": "press", "b": ""}}, ExitUsage, "b was put there by somebody else", "glassjar lend --back press"},
		{&operation.StillNeededError{By: map[string][]string{"a": {"b"}}, Roots: []string{"c"}}, ExitUsage, "a is needed by b", "glassjar uninstall c"},
		{&operation.NotInstalledError{Names: []string{"x"}, Near: map[string][]string{"x": {"y"}}}, ExitUsage, "x: did you mean y?", "glassjar contents"},
		{&plan.NoFittingFileError{Name: "a", Version: "1", Environment: "E"}, ExitUnsolved, "no file of a 1 for E", "glassjar record"},
		{&plan.NoFittingFileError{Name: "a", Version: "1", Sources: true}, ExitBuild, "only source for it", ""},
		{&plan.NoFittingFileError{Name: "a", Kind: "vcs"}, ExitUnsolved, "of the kind vcs", ""},
		{&plan.NotServedError{Environment: "E", Serves: []string{"m"}}, ExitUnsolved, "does not serve E", "glassjar record"},
		{&catalog.UnknownNamesError{Names: []string{"a", "b"}, Near: map[string][]string{"a": {"c"}}, Indexes: []string{"i"}}, ExitUnsolved, "a: did you mean c?", "glassjar index add NAME"},
		{&catalog.UnknownNamesError{Names: []string{"a"}, Near: map[string][]string{"a": {"a", "ab"}}, Indexes: []string{"i"}}, ExitUnsolved, "a is in a list of names, and there is no page of it", "often ends in /simple/"},
		{&catalog.UnknownNamesError{Names: []string{"a"}, Indexes: []string{"sample"}, SampleOnly: true}, ExitUnsolved, "only the built-in sample", "glassjar index add public ADDRESS"},
		{&operation.OutOfStepError{Added: []string{"a"}, Dropped: []string{"b"}}, ExitNo, "only the spec asks for a", "--as-recorded"},
		{&operation.NoSpecError{File: "/orchard/pyproject.toml"}, ExitUsage, "pyproject.toml is not there", "glassjar install"},
		{&project.FileError{File: "/orchard/x.toml", Line: 3, Why: "bad", Near: "good"}, ExitUsage, "x.toml, line 3: bad", "the nearest known key: good"},
		{fmt.Errorf("/orchard/pylock.toml: %w", project.ErrNoRecord), ExitUsage, "pylock.toml is not there", "glassjar record"},
		{&store.LostError{Trees: 2, Err: fs.ErrNotExist}, ExitIntegrity, "the store has lost files of 2 packages", "the same command again"},
		{&store.HashError{File: "a.whl", Want: "12", Have: "34"}, ExitIntegrity, "expected was 12", "try again"},
		{&index.HashMismatchError{File: "a.metadata", Want: "12", Have: "34"}, ExitIntegrity, "a.metadata", "keeps the index"},
		{&wheel.Refusal{File: "a.whl", Path: "../x", Why: "it leads out"}, ExitIntegrity, "../x: it leads out", "publishes"},
		{metadata.Invalid("no name"), ExitIntegrity, "no name", ""},
		{&fetch.StatusError{URL: "https://a.example/", Code: 500}, ExitNetwork, "answered 500", "glassjar index list"},
		{&fetch.NetworkError{URL: "https://a.example/", Err: errors.New("refused")}, ExitNetwork, "refused", "glassjar index list"},
		{&fetch.OfflineError{URL: "https://a.example/"}, ExitNetwork, "--offline is set", "without --offline"},
		{&fetch.InsecureError{URL: "http://a.example/"}, ExitNetwork, "plain http", "allow-http"},
		{&index.NotIndexError{URL: "https://a.example/", Why: "it names no file"}, ExitNetwork, "it names no file", "/simple/"},
		{&index.PinError{Distribution: "a", Index: "b"}, ExitUsage, `from the index "b"`, "glassjar index add b ADDRESS"},
		{fmt.Errorf("x: %w", context.Canceled), ExitInterrupted, "interrupted", ""},
		{&fs.PathError{Op: "open", Path: "/orchard/x", Err: fs.ErrPermission}, ExitMachine, "x: permission denied", "may write"},
		{solve(root), ExitUnsolved, "press>=2 is asked for by this command, but there is only press 1.0, 1.1", "loosen press>=2"},
		{solve(resolve.Fact{Name: "a", Extra: "x", Versions: list("1"), All: true, Needs: []resolve.Need{{Name: "ghost"}}}), ExitUnsolved, "a[x] 1 (the only one) needs ghost, and ghost is not to be had", "ask for less"},
		{solve(resolve.Fact{Name: "a", Versions: list("1", "2", "3", "4"), All: true, Unfit: resolve.Python, Details: []string{">=4"}}), ExitUnsolved, "a 1 to 4 (all 4) are for Python >=4", "another Python"},
		{solve(resolve.Fact{Name: "a", Versions: list("1"), Unfit: resolve.Yanked, Details: []string{"wrong"}}), ExitUnsolved, "withdrawn by the publisher: wrong", "a==1"},
		{solve(resolve.Fact{Name: "a", Versions: list("1rc1"), Unfit: resolve.Prerelease}), ExitUnsolved, "a pre-release", "--pre-releases"},
		{solve(resolve.Fact{Name: "a", Versions: list("1"), Unfit: resolve.NoFile, Details: []string{"py3-none-win32"}}), ExitUnsolved, "py3-none-win32", "another version"},
		{solve(resolve.Fact{Name: "a", Versions: list("1"), Unfit: resolve.SourceOnly}), ExitUnsolved, "source only", ""},
		{solve(resolve.Fact{Name: "a", Versions: list("1"), Unfit: resolve.Broken, Details: []string{"no name"}}), ExitUnsolved, "cannot be used: no name", ""},
	} {
		s, out := screen(0, "never")
		m := s.Words("do it", c.err)
		assert.Equal(t, c.exit, m.Exit, "%v", c.err)
		s.Fail(m)
		text := out.String()
		assert.Contains(t, text, c.says, "%T", c.err)
		if c.try != "" {
			assert.Contains(t, strings.Join(m.Try, "\n"), c.try, "%T", c.err)
		}
		first, _, _ := strings.Cut(m.What, " ")
		assert.False(t, strings.ContainsAny(text, "!{}") || strings.Contains(text, "0x"), text)
		assert.Equal(t, strings.ToLower(first), first, text)
	}
}

func TestPlanAndOutcome(t *testing.T) {
	p := &plan.Plan{Jar: "/orchard/.jar", Python: "CPython 3.12.1", SampleOnly: true, Fetch: 12_345,
		Add:    []plan.Item{{Name: "brixmeter", Version: "2.1", NeededBy: []string{"a", "b", "c", "d"}, Index: "sample"}},
		Change: []plan.Item{{Name: "cider", From: "1.0", Version: "1.1", Asked: true, Index: "sample", Here: true}},
		Mend:   []plan.Item{{Name: "must", Version: "3", Why: "its files are not as they were installed"}},
		Remove: []plan.Item{{Name: "perry", From: "4", Edited: []string{"lib/perry.py"}}}}
	for n := range 12 {
		p.Drop = append(p.Drop, fmt.Sprintf("junk%d.py", n))
	}
	s, out := screen(0, "never")
	s.Plan(p)
	for _, line := range []string{"jar     .jar  CPython 3.12.1", "add     brixmeter  2.1         for a, b and 2 more", "change  cider      1.0 -> 1.1  asked for",
		"remove  perry      4           with what was changed here: lib/perry.py", "and 4 more files that belong to nothing", "from    sample: 2 files to fetch, 12 kB; 1 file here already", "no index is set up"} {
		assert.Contains(t, out.String(), line)
	}
	out.Reset()
	s.Outcome(&operation.Outcome{Plan: p, Done: true, Fetched: 12_345, Took: 5 * time.Millisecond, Wrote: []string{"/orchard/pylock.toml"}, Warnings: []string{"beware"}})
	for _, line := range []string{"beware", "wrote   pylock.toml", "done    1 added, 1 changed, 1 mended, 1 removed, 12 files dropped, 12 kB fetched, 5 ms"} {
		assert.Contains(t, out.String(), line)
	}
	out.Reset()
	s.Plan(&plan.Plan{Jar: "/orchard/.jar", Kept: 3})
	assert.Contains(t, out.String(), "keep    3 packages, nothing to change")
	assert.Equal(t, "linux-x86_64, macos-arm64 with Python 3.8 to 3.10, 3.14; windows-x86_64 with Python 3.9, 3.10",
		targets([]string{"linux-x86_64 3.14", "macos-arm64 3.14", "linux-x86_64 3.8", "macos-arm64 3.8", "linux-x86_64 3.9", "macos-arm64 3.9", "linux-x86_64 3.10", "macos-arm64 3.10", "windows-x86_64 3.10", "windows-x86_64 3.9"}))
}

// A path that is wider than the room is cut in the middle, and only there.
func TestLongPathsAreCut(t *testing.T) {
	for path, want := range map[string]string{
		"~/short/path": "~/short/path",
		"/home/orchard/press-house/deep/down/pyproject.toml":     "/home/.../deep/down/pyproject.toml",
		"/home/" + strings.Repeat("a", 50) + "/pyproject.toml":   "/home/.../pyproject.toml",
		"/" + strings.Repeat("x", 60):                            ".../" + strings.Repeat("x", 60),
		"words " + strings.Repeat("y", 60) + " are not cut here": "words " + strings.Repeat("y", 60) + " are not cut here",
	} {
		have := cutPaths(path, 36)
		if strings.HasPrefix(want, ".../x") {
			assert.Len(t, have, 35, path)
			continue
		}
		assert.Equal(t, want, have)
	}
}

// What comes from elsewhere does nothing to a terminal, in any view, an error or JSON.
func TestForeignCharactersAreCleaned(t *testing.T) {
	const bad = "a\x1b]52;c;QQ==\x07b\u009b2Jc\u202edc\u200be\xff\nf\tg"
	const clean = "a?]52;c;QQ==?b?2Jc?dc?e? f    g"
	assert.Equal(t, clean, Clean(bad))
	assert.Equal(t, "plain, Äpfel, 梨", Clean("plain, Äpfel, 梨"))
	for name, draw := range map[string]func(*Screen){
		"line": func(s *Screen) { sheet := s.Sheet(); sheet.Line("x", s.Plain(bad)); sheet.Print() },
		"row":  func(s *Screen) { sheet := s.Sheet(); sheet.Row("x", s.Bold(bad), s.Faint(bad)); sheet.Print() },
		"say":  func(s *Screen) { s.Say("%s", bad) },
	} {
		text := drawn(unbroken, draw)
		assert.NotContains(t, text, "\x1b]", name)
		assert.NotContains(t, text, "\u009b", name)
		assert.NotContains(t, text, "\u202e", name)
	}
	var out, errs bytes.Buffer
	s := NewScreen(&out, &errs, "never", "/")
	s.Note(bad)
	s.Fail(Message{What: bad, Reasons: []string{bad + strings.Repeat("x", 5000)}, Try: []string{bad}})
	assert.NotContains(t, errs.String(), "\x1b")
	assert.Less(t, errs.Len(), 1500)
	s.Data(map[string]string{"x": bad})
	assert.NotContains(t, out.String(), "\u009b")
	assert.NotContains(t, out.String(), "\u202e")
	var back map[string]string
	require.NoError(t, json.Unmarshal(out.Bytes(), &back))
	assert.Contains(t, back["x"], "\u009b2Jc\u202ed")
}
