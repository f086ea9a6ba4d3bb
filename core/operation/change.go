package operation

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/store"
	"glassjar/core/wheel"
)

// Outcome is what a command did.
type Outcome struct {
	Plan *Plan `json:"plan"`
	// Done is false where the plan was only to be shown, or was declined.
	Done bool `json:"done"`
	// Fetched counts the bytes that were transferred; Files those put in place.
	Fetched int64         `json:"fetched_bytes"`
	Files   int           `json:"files"`
	Took    time.Duration `json:"took_ns"`
	// Wrote are the files outside the jar that were written.
	Wrote    []string `json:"wrote"`
	Warnings []string `json:"warnings"`
}

// Decide looks at a plan and says whether to go on.
type Decide func(*Plan) (bool, error)

// carryOut fetches, verifies and applies a plan, if decide says so.
func (m *Machine) carryOut(ctx context.Context, p *Plan, decide Decide) (*Outcome, error) {
	out := &Outcome{Plan: p, Wrote: []string{}, Warnings: []string{}}
	if ok, err := decide(p); err != nil || !ok {
		return out, err
	}
	start := time.Now()
	var files []index.File
	for _, s := range p.selected {
		files = append(files, s.file)
	}
	paths, came, err := p.catalog.fetchAll(ctx, files)
	if err != nil {
		return out, err
	}
	out.Fetched = came
	change := jar.Change{Unseen: p.jar.Root != p.place.Root, Remove: p.removed, Drop: p.Drop, Requested: p.marks, Write: map[string][]byte{}}
	origins := readOrigins(p.jar)
	for _, i := range p.Mend {
		// What a jar is mended from is looked at first: the damaged file may be
		// the store's own.
		if sum := origins[i.Name]; store.ValidSum(sum) {
			if _, err := m.Store.CheckTree(sum); err != nil {
				return out, err
			}
		}
	}
	for _, d := range p.removed {
		delete(origins, d.Key())
	}
	closeAll, err := m.addWheels(ctx, p, paths, origins, &change, out)
	defer closeAll()
	if err != nil {
		return out, err
	}
	change.Progress = func(n int) { out.Files = n; m.report(Progress{Stage: "putting files in place", Done: int64(n)}) }
	if !p.parts.Equal(p.jar.State.Parts) {
		if change.Write[p.jar.StateFile()], err = p.jar.State.WithParts(p.parts); err != nil {
			return out, err
		}
	}
	m.collectWrites(p, origins, &change, out)
	if p.Empty() && len(change.Write) == 0 {
		out.Done = true
		return out, nil
	}
	next := m.nextMoment(p, origins)
	if change.Write[p.jar.MomentFile(next.Number)], err = next.Bytes(); err != nil {
		return out, err
	}
	if err := p.jar.Apply(ctx, change); err != nil {
		return out, err
	}
	out.Done, out.Took = true, time.Since(start)
	return out, nil
}

// addWheels opens the wheels of a plan, brings their members into the store, and
// adds them to a change. They stay open until closeAll is called.
func (m *Machine) addWheels(ctx context.Context, p *Plan, paths map[string]string, origins map[string]string, change *jar.Change, out *Outcome) (closeAll func(), err error) {
	var closers []func()
	closeAll = func() {
		for _, c := range closers {
			c()
		}
	}
	limits := wheel.LimitsFor(p.jar.State.OS)
	for _, s := range p.selected {
		w, closer, err := openWheel(paths[s.file.URL], s.file.Name, limits)
		if err != nil {
			return closeAll, err
		}
		closers = append(closers, closer)
		out.Warnings = append(out.Warnings, w.Warnings...)
		// What the store has was compared with its hash when it came, and is named
		// for it.
		origins[s.name] = filepath.Base(paths[s.file.URL])
		linked, err := m.unpacked(ctx, origins[s.name], w)
		if err != nil {
			return closeAll, err
		}
		change.Add = append(change.Add, jar.Addition{Wheel: w, Requested: s.asked, Direct: directOf(s.file, origins[s.name]), Linked: linked})
	}
	return closeAll, nil
}

// collectWrites adds the spec, the record and the origins where they change.
func (m *Machine) collectWrites(p *Plan, origins map[string]string, change *jar.Change, out *Outcome) {
	for _, file := range sortedNames(p.write) {
		data := p.write[file]
		if have, err := os.ReadFile(file); err == nil && data != nil && string(have) == string(data) {
			continue
		}
		into := file
		if rel, err := filepath.Rel(p.place.Root, file); err == nil && !strings.HasPrefix(rel, "..") {
			into = p.jar.Path(rel) // of a jar that has not its place yet
		}
		change.Write[into] = data
		out.Wrote = append(out.Wrote, file)
	}
	data, err := json.MarshalIndent(origins, "", "  ")
	if err != nil {
		return // a map of strings always encodes
	}
	data = append(data, '\n')
	if have, err := os.ReadFile(originsFile(p.jar)); err != nil || string(have) != string(data) {
		change.Write[originsFile(p.jar)] = data
	}
}

// unpacked brings the members of a wheel into the store, once, and tells where
// each stands. Where the store cannot take them they are unpacked into the jar.
func (m *Machine) unpacked(ctx context.Context, sum string, w *wheel.Wheel) (func(wheel.Entry) (string, bool), error) {
	if m.Settings.Copy || runtime.GOOS == "windows" {
		return nil, nil
	}
	key := func(e wheel.Entry) string { return e.Scheme + "/" + e.Path }
	tree, ok := m.Store.Tree(sum)
	if !ok {
		var sources []store.Source
		for _, e := range w.Entries {
			sources = append(sources, store.Source{Key: key(e), Executable: e.Executable || e.Scheme == wheel.Scripts, Copy: func(to io.Writer) error { return w.Copy(to, e) }})
		}
		m.report(Progress{Stage: "unpacking", Done: int64(len(sources))})
		var err error
		if tree, err = m.Store.Unpack(ctx, sum, sources); err != nil {
			return nil, err
		}
	}
	tree.Use(sum)
	return func(e wheel.Entry) (string, bool) { return tree.Path(key(e)) }, nil
}

func openWheel(path, name string, limits wheel.Limits) (*wheel.Wheel, func(), error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, nil, err
	}
	info, err := f.Stat()
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	w, err := wheel.Open(f, info.Size(), name, limits)
	if err != nil {
		f.Close()
		return nil, nil, err
	}
	return w, func() { f.Close() }, nil
}

// originsFile tells from which package file, by its SHA-256, each distribution
// of the jar was unpacked.
func originsFile(j *jar.Jar) string { return j.Path("glassjar/origins.json") }

func readOrigins(j *jar.Jar) map[string]string {
	out := map[string]string{}
	if data, err := os.ReadFile(originsFile(j)); err == nil {
		if json.Unmarshal(data, &out) != nil {
			return map[string]string{} // all is compared by version alone
		}
	}
	return out
}

// directOf is direct_url.json (PEP 610) for a file that no index gave.
func directOf(f index.File, sum string) *metadata.DirectURL {
	if f.Index != "" {
		return nil
	}
	return &metadata.DirectURL{URL: f.URL, ArchiveInfo: &metadata.ArchiveInfo{Hashes: map[string]string{"sha256": sum}}}
}

func emptyPlan(place Place) *Plan {
	return &Plan{Jar: place.Root, place: place, write: map[string][]byte{}, Add: []Item{}, Change: []Item{}, Remove: []Item{}, Mend: []Item{}, Drop: []string{}}
}

// newPlan opens the jar of a place and looks at what is in it.
func (m *Machine) newPlan(ctx context.Context, place Place) (*Plan, []jar.Installed, error) {
	p := emptyPlan(place)
	var err error
	if p.jar, err = m.open(place); err != nil {
		return nil, nil, err
	}
	if p.python, err = m.interpreterOf(ctx, p.jar); err != nil {
		return nil, nil, err
	}
	p.Python = p.python.Title()
	installed, err := p.jar.Installed()
	return p, installed, err
}

// readSpec reads the spec of a place; for a jar without a project it may not
// be there yet.
func readSpec(place Place) (*project.Spec, error) { return project.ReadSpec(place.SpecFile) }

// UsageError reports options or arguments that do not go together.
type UsageError struct{ Why, Try string }

func (e *UsageError) Error() string { return e.Why }

func usage(why, try string, args ...any) error { return &UsageError{fmt.Sprintf(why, args...), try} }
