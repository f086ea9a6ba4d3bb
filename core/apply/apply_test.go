package apply_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/apply"
	"glassjar/core/catalog"
	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/internal/jartest"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/lock"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/settings"
	"glassjar/core/store"
	"glassjar/core/version"
	_ "glassjar/internal/long"
	"glassjar/internal/wait"
)

var ctx = context.Background()

// bench is a project with a jar whose interpreter is never started, and a catalog of the
// built-in sample.
type bench struct {
	t       *testing.T
	applier *apply.Applier
	at      place.Place
	python  interpreter.Interpreter
	catalog *catalog.Catalog
	stages  sync.Map
}

var day = time.Date(2026, 9, 1, 8, 0, 0, 0, time.UTC)

func newBench(t *testing.T) *bench {
	dir := t.TempDir()
	b := &bench{t: t, at: place.Place{Root: filepath.Join(dir, ".jar"), Project: dir, SpecFile: filepath.Join(dir, project.SpecFile), RecordFile: filepath.Join(dir, project.RecordFile)}, python: jartest.Python(t)}
	b.python.Said.CacheTag, b.python.Said.Magic = "cpython-312", "cb0d0d0a"
	s := &store.Store{Dir: filepath.Join(dir, "store")}
	report := func(e progress.Event) { b.stages.Store(e.Stage, true) }
	b.applier = &apply.Applier{Store: s, Command: "install press", Now: func() time.Time { return day }, Compiling: settings.BytecodeOff, Report: report}
	b.catalog = (&catalog.Catalog{Store: s, Cache: filepath.Join(dir, "cache"), Report: report, Direct: map[string]index.File{}}).Use(&index.Ordered{Sources: []index.Source{index.Sample{}}})
	_, err := jar.Create(ctx, b.at.Root, b.python, jar.Options{Prompt: "orchard"})
	require.NoError(t, err)
	return b
}

// choose is a distribution of the sample.
func (b *bench) choose(name, v string) plan.Choice {
	releases, _, err := b.catalog.Releases(ctx, name)
	require.NoError(b.t, err)
	for _, r := range releases {
		if r.Version.String() == v {
			f, ok := catalog.NewestWheel([]catalog.Release{r})
			require.True(b.t, ok)
			return plan.Choice{Name: name, Version: r.Version, File: f, Asked: true}
		}
	}
	b.t.Fatalf("the sample has no %s %s", name, v)
	return plan.Choice{}
}

// do plans that the jar holds what was chosen, and carries that out.
func (b *bench) do(change func(*apply.Work), choices ...plan.Choice) (apply.Done, *plan.Plan, error) {
	j, release, err := jar.Hold(ctx, b.at.Root, jar.Outside{Spec: b.at.SpecFile, Record: b.at.RecordFile, Within: b.at.Project}, lock.Mode{})
	require.NoError(b.t, err)
	defer release()
	installed, err := j.Installed()
	require.NoError(b.t, err)
	survey, err := j.Survey(installed)
	require.NoError(b.t, err)
	origins := j.Origins()
	aim := plan.Aim{Choices: choices, Here: b.catalog.Here, Warnings: b.applier.Store.Warnings}
	for _, d := range installed {
		aim.Held = append(aim.Held, plan.Held{Name: d.Key(), Version: d.Version(), Package: origins[d.Key()], Damaged: !survey.Whole(d.Key())})
	}
	w := apply.Work{Plan: plan.New(b.at.Root), Place: b.at, Jar: j, Outside: jar.Outside{Spec: b.at.SpecFile, Record: b.at.RecordFile, Within: b.at.Project}, Python: b.python, Catalog: b.catalog, Write: map[string][]byte{}}
	w.Steps = w.Plan.Compare(aim)
	for _, d := range installed {
		for _, name := range w.Steps.Remove {
			if d.Key() == name {
				w.Removed = append(w.Removed, d)
			}
		}
	}
	if change != nil {
		change(&w)
	}
	done, err := b.applier.Do(ctx, w)
	return done, w.Plan, err
}

func (b *bench) holds() []string {
	j, err := jar.Open(b.at.Root)
	require.NoError(b.t, err)
	installed, err := j.Installed()
	require.NoError(b.t, err)
	var out []string
	for _, d := range installed {
		out = append(out, d.Key()+" "+d.Version().String())
	}
	return out
}

func TestAPlanIsCarriedOut(t *testing.T) {
	b := newBench(t)
	write := func(w *apply.Work) {
		w.Write[b.at.SpecFile], w.Write[b.at.RecordFile] = []byte("spec\n"), []byte("record\n")
		w.Parts = project.Parts{Groups: []string{"tests"}}
	}
	core := b.choose("orchard-core", "2.0")
	done, _, err := b.do(write, core, b.choose("brixmeter", "1.2"))
	require.NoError(t, err)
	assert.Equal(t, []string{"brixmeter 1.2", "orchard-core 2.0"}, b.holds())
	assert.Equal(t, []string{b.at.RecordFile, b.at.SpecFile}, done.Wrote)
	assert.NotZero(t, done.Fetched)
	assert.NotZero(t, done.Files)
	assert.False(t, done.Uncompiled, "nothing is compiled here")
	for _, stage := range []string{"fetching", "putting files in place"} {
		_, told := b.stages.Load(stage)
		assert.True(t, told, stage)
	}
	spec, err := os.ReadFile(b.at.SpecFile)
	require.NoError(t, err)
	assert.Equal(t, "spec\n", string(spec))

	j, err := jar.Open(b.at.Root)
	require.NoError(t, err)
	assert.True(t, j.State.Parts.Has(project.Part{Group: "tests"}))
	assert.Equal(t, core.File.SHA256(), j.Origins()["orchard-core"])
	last, _, err := j.LastMoment()
	require.NoError(t, err)
	assert.Equal(t, []string{"+brixmeter 1.2", "+orchard-core 2.0"}, last.Did)
	assert.True(t, last.At.Equal(day))
	assert.Equal(t, "install press", last.Command)
	assert.Equal(t, "spec\n", *last.Spec)

	// The same again does nothing; another version goes and comes in one change.
	done, p, err := b.do(write, core, b.choose("brixmeter", "1.2"))
	require.NoError(t, err)
	assert.True(t, p.Empty())
	assert.Zero(t, done.Files)
	assert.Empty(t, done.Wrote)
	keep := func(w *apply.Work) { w.Parts = project.Parts{Groups: []string{"tests"}} }
	_, _, err = b.do(keep, b.choose("brixmeter", "2.1"))
	require.NoError(t, err)
	assert.Equal(t, []string{"brixmeter 2.1"}, b.holds())
	last, _, err = j.LastMoment()
	require.NoError(t, err)
	assert.Equal(t, []string{"brixmeter 1.2 -> 2.1", "-orchard-core 2.0"}, last.Did)

	// What a state had can be had again.
	states, err := j.Moments()
	require.NoError(t, err)
	before, err := apply.Choices(states[len(states)-2])
	require.NoError(t, err)
	_, _, err = b.do(keep, before...)
	require.NoError(t, err)
	assert.Equal(t, []string{"brixmeter 1.2", "orchard-core 2.0"}, b.holds())
	assert.Nil(t, apply.TextOf(nil, filepath.Join(t.TempDir(), "none")))
	assert.Nil(t, apply.TextOf(map[string][]byte{b.at.SpecFile: nil}, b.at.SpecFile), "it goes")
}

// losing is the sample, of which another process takes a file out of the store as soon as it is
// there: it was faster to unpack it.
type losing struct {
	index.Sample
	store *store.Store
	asked int
}

func (l *losing) Open(ctx context.Context, f index.File) (io.ReadCloser, error) {
	r, err := l.Sample.Open(ctx, f)
	return lost{r, l, f.SHA256()}, err
}

type lost struct {
	io.ReadCloser
	of  *losing
	sum string
}

func (l lost) Close() error {
	if l.of.asked++; l.of.asked == 1 {
		l.of.store.Drop(l.sum)
	}
	return l.ReadCloser.Close()
}

// A package file that another process has unpacked and removed meanwhile is fetched again. None is
// left in the store once it is unpacked, unless they are to be kept.
func TestPackageFilesGo(t *testing.T) {
	b := newBench(t)
	source := &losing{store: b.applier.Store}
	b.catalog.Use(&index.Ordered{Sources: []index.Source{source}})
	for i, v := range []string{"1.2", "2.1"} {
		b.applier.Store.KeepPackages = i > 0
		choice := b.choose("brixmeter", v)
		choice.File.URL = "https://packages.example/" + choice.File.Name
		_, _, err := b.do(nil, choice)
		require.NoError(t, err)
		assert.Equal(t, []string{"brixmeter " + v}, b.holds())
		_, kept := b.applier.Store.Package(choice.File.SHA256())
		assert.Equal(t, i > 0, kept, v)
		assert.Equal(t, 2+i, source.asked)
	}
}

// late is the sample, whose second package file does not come before another process sees what the
// first unpacks to.
type late struct {
	index.Sample
	dir   string
	first string
	saw   bool
}

func (l *late) Open(ctx context.Context, f index.File) (io.ReadCloser, error) {
	if f.SHA256() != l.first {
		other := &store.Store{Dir: l.dir}
		l.saw = l.saw || wait.Until(func() bool { return other.HasTree(l.first) })
	}
	return l.Sample.Open(ctx, f)
}

// What has come is saved while more is on its way: it need not be fetched again where the command is killed.
func TestWhatHasComeIsSaved(t *testing.T) {
	b := newBench(t)
	choices := []plan.Choice{b.choose("brixmeter", "1.2"), b.choose("orchard-core", "2.0")}
	for i := range choices {
		choices[i].File.URL = "https://packages.example/" + choices[i].File.Name
	}
	source := &late{dir: b.applier.Store.Dir, first: choices[0].File.SHA256()}
	b.catalog.Use(&index.Ordered{Sources: []index.Source{source}})
	_, _, err := b.do(nil, choices...)
	require.NoError(t, err)
	assert.True(t, source.saw)
	assert.Equal(t, []string{"brixmeter 1.2", "orchard-core 2.0"}, b.holds())
	_, kept := b.applier.Store.Package(source.first)
	assert.False(t, kept)
}

// What is damaged is made anew from the store, and where the store's own file is, from
// the index.
func TestMending(t *testing.T) {
	b := newBench(t)
	choice := b.choose("brixmeter", "1.2")
	_, _, err := b.do(nil, choice)
	require.NoError(t, err)
	file := filepath.Join(b.at.Root, "lib", "python3.12", "site-packages", "brixmeter", "__init__.py")
	want, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.Chmod(file, 0o644)) // it is the store's own where it is linked
	require.NoError(t, os.WriteFile(file, []byte("sour = True\n"), 0o644))
	_, p, err := b.do(nil, choice)
	require.NoError(t, err)
	require.Len(t, p.Mend, 1)
	got, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(want), string(got))
	j, err := jar.Open(b.at.Root)
	require.NoError(t, err)
	last, _, err := j.LastMoment()
	require.NoError(t, err)
	assert.Equal(t, []string{"mended brixmeter"}, last.Did)
}

// After an error the jar is as it was.
func TestAfterAnError(t *testing.T) {
	b := newBench(t)
	_, _, err := b.do(nil, b.choose("brixmeter", "1.2"))
	require.NoError(t, err)
	bad := b.choose("orchard-core", "2.0")
	bad.File.Hashes = digest.Sums{SHA256: fmt.Sprintf("%064d", 7)}
	_, _, err = b.do(nil, bad, b.choose("must-core", "0.2"))
	var hash *store.HashError
	require.ErrorAs(t, err, &hash)
	assert.Equal(t, []string{"brixmeter 1.2"}, b.holds())

	stopped, cancel := context.WithCancel(ctx)
	cancel()
	_, err = b.applier.Do(stopped, apply.Work{Plan: &plan.Plan{Jar: b.at.Root, Create: true}, Place: b.at, Jar: mustOpen(t, b.at.Root), Python: b.python, Catalog: b.catalog})
	assert.Error(t, err)

	// A change that cannot be put in place, since its spec lies in no folder.
	gone := func(w *apply.Work) {
		w.Write[b.at.SpecFile] = []byte("x")
		w.Outside.Spec = filepath.Join(b.at.Project, "none", "none", "pyproject.toml")
	}
	_, _, err = b.do(gone, b.choose("must-core", "0.2"))
	assert.Error(t, err)
	assert.Equal(t, []string{"brixmeter 1.2"}, b.holds())
}

func mustOpen(t *testing.T, root string) *jar.Jar {
	j, err := jar.Open(root)
	require.NoError(t, err)
	return j
}

// A full disk says how much is needed; files that the store lost are told as that.
func TestErrorsSayMore(t *testing.T) {
	b := newBench(t)
	full := &os.PathError{Op: "write", Path: "x", Err: syscall.ENOSPC}
	w := apply.Work{Steps: plan.Steps{Install: []plan.Choice{{Version: version.MustParse("1"), File: index.File{Size: 70}}, {File: index.File{Size: -1}}}}}
	var room *apply.NoRoomError
	require.ErrorAs(t, apply.NoRoom(b.applier, w, full), &room)
	assert.EqualValues(t, 70, room.Need)
	assert.ErrorIs(t, room, syscall.ENOSPC)
	assert.Equal(t, full.Error(), room.Error())
	other := errors.New("frost")
	assert.Equal(t, other, apply.NoRoom(b.applier, w, other))
	assert.Equal(t, other, apply.Lost(b.applier, other))

	choice := b.choose("brixmeter", "1.2")
	_, _, err := b.do(nil, choice)
	require.NoError(t, err)
	_, _, err = b.do(nil)
	require.NoError(t, err)
	require.NoError(t, os.RemoveAll(filepath.Join(b.applier.Store.Dir, "files")))
	_, _, err = b.do(nil, choice)
	var lost *store.LostError
	require.ErrorAs(t, err, &lost)
	_, _, err = b.do(nil, choice)
	assert.NoError(t, err, "it was forgotten, and is fetched again")
}

// Where modules are compiled later, that is told.
func TestUncompiled(t *testing.T) {
	b := newBench(t)
	b.applier.Compiling = settings.BytecodeBackground
	done, _, err := b.do(nil, b.choose("brixmeter", "1.2"))
	require.NoError(t, err)
	assert.True(t, done.Uncompiled)
	done, _, err = b.do(nil)
	require.NoError(t, err)
	assert.False(t, done.Uncompiled, "nothing was put in place")
}
