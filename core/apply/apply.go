// Package apply carries out a plan: package files are fetched, verified, unpacked into
// the store and put in place while others still come, and the jar, its history, spec and
// record change together.
package apply

import (
	"context"
	"errors"
	"io/fs"
	"maps"
	"path/filepath"
	"slices"
	"sync/atomic"
	"time"

	"glassjar/core/catalog"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/store"
)

// Applier is how plans are carried out on this machine.
type Applier struct {
	Store *store.Store
	// Placing is how files get from the store into a jar.
	Placing string
	Report  progress.Sink
	// Command is what was typed, for the history; Now tells the time.
	Command string
	Now     func() time.Time
	// Compiling is when modules are compiled.
	Compiling string
}

// Work is a plan with all that carrying it out needs.
type Work struct {
	Plan  *plan.Plan
	Steps plan.Steps
	// Place is where the jar is, or will be; Jar is it, or one that was prepared beside
	// its place; New tells that it is made instead of what stands there.
	Place place.Place
	Jar   *jar.Jar
	New   bool
	// Outside are the files beside the jar that change with it.
	Outside jar.Outside
	Python  interpreter.Interpreter
	Catalog *catalog.Catalog
	// Begun are files that are fetched already; nil where none are.
	Begun *catalog.Begun
	// Removed is what is taken out; Own are files of the jar itself that are put right;
	// Write are spec and record, nil for what goes; Parts are those of the spec that the
	// jar is to hold.
	Removed []jar.Installed
	Own     map[string]jar.OwnFile
	Write   map[string][]byte
	Parts   project.Parts
	// ByHand has the spec and the record as they stand become a state of their own first, since
	// somebody changed them and Write does not go on from there.
	ByHand bool
	// Commit gives a jar that was prepared beside it its place.
	Commit func(context.Context) error
}

// Done is what carrying out a plan came to.
type Done struct {
	// Fetched counts the bytes that were transferred; Files those put in place.
	Fetched int64
	Files   int
	Took    time.Duration
	// Wrote are the files outside the jar that were written, Removed those that were taken away.
	Wrote, Removed []string
	Warnings       []string
	// Uncompiled tells that modules were put in place without their bytecode.
	Uncompiled bool
}

// Do fetches, verifies and applies a plan. The store is held by the caller. After an
// error the jar is as it was.
func (a *Applier) Do(ctx context.Context, w Work) (Done, error) {
	out := Done{Wrote: []string{}, Removed: []string{}, Warnings: []string{}}
	start := time.Now()
	change := jar.Change{Remove: w.Removed, Drop: w.Plan.Drop, Requested: w.Steps.Asked, Own: map[string]jar.OwnFile{}, Outside: w.Outside,
		CacheTag: w.Python.Said.CacheTag, Placer: &store.Placer{Store: a.Store, Way: a.Placing}}
	for path, file := range w.Own {
		change.Own[path] = file
	}
	origins := w.Jar.Origins()
	trees := w.Jar.Trees()
	for _, i := range w.Plan.Mend {
		// What a jar is mended from is looked at first: the damaged file may be
		// the store's own.
		if sum := trees[i.Name]; store.ValidSum(sum) {
			if _, err := a.Store.CheckTree(ctx, sum); err != nil {
				return out, err
			}
		}
	}
	for _, d := range w.Removed {
		delete(origins, d.Key())
	}
	if err := w.collectWrites(&change, &out); err != nil {
		return out, err
	}
	if w.Plan.Empty() && len(change.Own) == 0 && change.Spec == nil && change.Record == nil {
		return out, nil
	}
	if err := a.put(ctx, w, change, origins, &out); err != nil {
		return out, a.noRoom(w, a.lost(err))
	}
	out.Took = time.Since(start)
	return out, nil
}

// put has the files of a plan fetched while the change of the jar puts them in place.
func (a *Applier) put(ctx context.Context, w Work, change jar.Change, origins map[string]string, out *Done) error {
	saving, err := a.beginSaving(ctx, w.Jar.Root)
	if err != nil {
		return err
	}
	defer saving.close()
	change.Flush = saving.flush
	inner, cancel := context.WithCancel(ctx)
	defer cancel()
	coming := a.fetch(inner, w)
	defer coming.compiler.Close()
	change.More = func(ctx context.Context) (*jar.Addition, error) {
		one, ok, err := coming.next(ctx)
		if err != nil || !ok {
			return nil, err
		}
		out.Warnings = append(out.Warnings, one.wheel.Warnings...)
		origins[one.Name] = one.tree.SHA256
		if one.File.IsSource() {
			origins[one.Name] = one.File.SHA256()
		}
		return &jar.Addition{Wheel: one.wheel, Requested: one.Asked, Direct: directOf(one.File, one.tree.SHA256), Stored: one.stored, Compiled: one.compiled}, nil
	}
	change.Final = func(own map[string]jar.OwnFile) error { return a.noteState(w, origins, own) }
	var placed atomic.Int64
	change.Progress = func(n int) {
		placed.Add(int64(n))
		a.Report.Tell(progress.Event{Stage: "putting files in place", Done: placed.Load()})
	}
	err = w.Jar.Apply(inner, change)
	if err == nil && w.Jar.Prepared() {
		err = w.Commit(ctx)
	}
	cancel()
	out.Files = int(placed.Load())
	<-coming.done // nothing is at work any more when this returns
	if err != nil && ctx.Err() == nil {
		err = errors.Join(err, saving.keep())
	}
	out.Fetched = coming.transfer.Came()
	out.Uncompiled = coming.compiler.later() && len(w.Steps.Install) > 0 && (coming.compiler.find == nil || change.Placer.Left() > 0)
	return err
}

// noteState writes down the states that a change leads to, and where everything in them came
// from.
func (a *Applier) noteState(w Work, origins map[string]string, own map[string]jar.OwnFile) error {
	list, err := a.nextMoments(w, origins)
	if err != nil {
		return err
	}
	for _, next := range list {
		text, err := next.Bytes()
		if err != nil {
			return err
		}
		own[jar.MomentPath(next.Number)] = jar.OwnFile{Data: text}
	}
	w.Jar.NoteLibraries(list[len(list)-1], own)
	return nil
}

// collectWrites adds the spec, the record and the jar's parts to a change, where they
// change.
func (w Work) collectWrites(change *jar.Change, out *Done) error {
	if !w.Parts.Equal(w.Jar.State.Parts) {
		state, err := w.Jar.State.WithParts(w.Parts)
		if err != nil {
			return err
		}
		change.Own[jar.StatePath] = jar.OwnFile{Data: state}
	}
	for _, file := range slices.Sorted(maps.Keys(w.Write)) {
		data := w.Write[file]
		have, err := limits.ReadFile(file, limits.Own)
		switch {
		case data == nil && errors.Is(err, fs.ErrNotExist):
			continue
		case data == nil:
			out.Removed = append(out.Removed, file)
		case err == nil && string(have) == string(data) && !w.New:
			continue
		default:
			out.Wrote = append(out.Wrote, file)
		}
		if w.Place.Project == "" {
			rel, err := filepath.Rel(w.Place.Root, file)
			if err != nil {
				return err
			}
			change.Own[filepath.ToSlash(rel)] = jar.OwnFile{Data: data, Gone: data == nil}
			continue
		}
		text := &jar.Text{Data: data, Gone: data == nil}
		if file == w.Place.SpecFile {
			change.Spec = text
		} else {
			change.Record = text
		}
	}
	return nil
}
