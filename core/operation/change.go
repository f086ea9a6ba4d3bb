package operation

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/project"
	"glassjar/core/store"
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
	release := m.Store.Share()
	defer release()
	change := jar.Change{Unseen: p.jar.Root != p.place.Root, Remove: p.removed, Drop: p.Drop, Requested: p.marks, Write: map[string][]byte{},
		CacheTag: p.python.Said.CacheTag, Placer: &store.Placer{Store: m.Store, Way: m.Settings.Placing}}
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
	if err := m.collectWrites(p, &change, out); err != nil {
		return out, err
	}
	if p.Empty() && len(change.Write) == 0 && sameOrigins(p.jar, origins) {
		out.Done = true
		return out, nil
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	coming := m.bring(ctx, p)
	defer coming.compiling.close()
	change.More = func(ctx context.Context) (*jar.Addition, error) {
		one, ok, err := coming.next(ctx)
		if err != nil || !ok {
			return nil, err
		}
		out.Warnings = append(out.Warnings, one.wheel.Warnings...)
		origins[one.name] = one.tree.SHA256
		return &jar.Addition{Wheel: one.wheel, Requested: one.asked, Direct: directOf(one.file, one.tree.SHA256), Stored: one.stored, Compiled: one.compiled}, nil
	}
	change.Late = func(write map[string][]byte) error { return m.lateWrites(p, origins, write) }
	var placed atomic.Int64
	change.Progress = func(n int) {
		placed.Add(int64(n))
		m.report(Progress{Stage: "putting files in place", Done: placed.Load()})
	}
	err := p.jar.Apply(ctx, change)
	cancel()
	out.Files = int(placed.Load())
	<-coming.done // nothing is at work any more when this returns
	if err != nil {
		return out, m.lost(err)
	}
	m.later = m.later || coming.compiling.kind != "" && coming.compiling.pool == nil && len(p.selected) > 0 && (coming.compiling.find == nil || change.Placer.Left() > 0)
	if !change.Unseen {
		m.afterwards(p.place.Root)
	}
	out.Fetched = coming.transfer.came.Load()
	out.Done, out.Took = true, time.Since(start)
	return out, nil
}

// lost says of an error that the store lacks files, if it does; then it has
// forgotten that it had them.
func (m *Machine) lost(err error) error {
	if !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if n, err2 := m.Store.Forget(); err2 == nil && n > 0 {
		return &store.LostError{Trees: n, Err: err}
	}
	return err
}

// lateWrites are the files that tell where everything came from.
func (m *Machine) lateWrites(p *Plan, origins map[string]string, write map[string][]byte) error {
	if !sameOrigins(p.jar, origins) {
		write[originsFile(p.jar)] = originsText(origins)
	}
	next := m.nextMoment(p, origins)
	text, err := next.Bytes()
	write[p.jar.MomentFile(next.Number)] = text
	return err
}

// collectWrites adds the spec, the record and the jar's parts where they change.
func (m *Machine) collectWrites(p *Plan, change *jar.Change, out *Outcome) (err error) {
	if !p.parts.Equal(p.jar.State.Parts) {
		if change.Write[p.jar.StateFile()], err = p.jar.State.WithParts(p.parts); err != nil {
			return err
		}
	}
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
	return nil
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

// originsText is the file of origins.
func originsText(origins map[string]string) []byte {
	data, _ := json.MarshalIndent(origins, "", "  ") // a map of strings always encodes
	return append(data, '\n')
}

func sameOrigins(j *jar.Jar, origins map[string]string) bool {
	have, err := os.ReadFile(originsFile(j))
	return err == nil && string(have) == string(originsText(origins))
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
