package operation

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"sync/atomic"
	"syscall"
	"time"

	"glassjar/core/durable"
	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/lock"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/store"
)

// Outcome is what a command did.
type Outcome struct {
	Plan *plan.Plan `json:"plan"`
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
type Decide func(*plan.Plan) (bool, error)

// carryOut fetches, verifies and applies a plan, if decide says so.
func (m *Machine) carryOut(ctx context.Context, p *job, decide Decide) (*Outcome, error) {
	out := &Outcome{Plan: p.Plan, Wrote: []string{}, Warnings: []string{}}
	if ok, err := decide(p.Plan); err != nil || !ok {
		return out, err
	}
	start := time.Now()
	release, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return out, err
	}
	defer release()
	change := jar.Change{Remove: p.removed, Drop: p.Drop, Requested: p.steps.Asked, Own: p.structure, Outside: m.outside(p.place),
		CacheTag: p.python.Said.CacheTag, Placer: &store.Placer{Store: m.Store, Way: m.Settings.Placing}}
	if change.Own == nil {
		change.Own = map[string]jar.OwnFile{}
	}
	origins := readOrigins(p.jar)
	for _, i := range p.Mend {
		// What a jar is mended from is looked at first: the damaged file may be
		// the store's own.
		if sum := origins[i.Name]; store.ValidSum(sum) {
			if _, err := m.Store.CheckTree(ctx, sum); err != nil {
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
	if p.Empty() && len(change.Own) == 0 && change.Spec == nil && change.Record == nil && sameOrigins(p.jar, origins) {
		out.Done = true
		return out, nil
	}
	saving, err := m.beginSaving(p.jar.Root)
	if err != nil {
		return out, err
	}
	defer saving.close()
	change.Flush = saving.flush
	inner, cancel := context.WithCancel(ctx)
	defer cancel()
	coming := m.bring(inner, p)
	defer coming.compiling.close()
	change.More = func(ctx context.Context) (*jar.Addition, error) {
		one, ok, err := coming.next(ctx)
		if err != nil || !ok {
			return nil, err
		}
		out.Warnings = append(out.Warnings, one.wheel.Warnings...)
		origins[one.Name] = one.tree.SHA256
		return &jar.Addition{Wheel: one.wheel, Requested: one.Asked, Direct: directOf(one.File, one.tree.SHA256), Stored: one.stored, Compiled: one.compiled}, nil
	}
	change.Late = func(own map[string]jar.OwnFile) error { return m.lateWrites(p, origins, own) }
	var placed atomic.Int64
	change.Progress = func(n int) {
		placed.Add(int64(n))
		m.report(progress.Event{Stage: "putting files in place", Done: placed.Load()})
	}
	noted, err := m.changeLooks(p)
	if err == nil {
		err = p.jar.Apply(inner, change)
	}
	if err == nil && p.jar.Unseen() {
		err = m.settle(ctx, p)
	}
	if err == nil {
		err = noted()
	}
	cancel()
	out.Files = int(placed.Load())
	<-coming.done // nothing is at work any more when this returns
	if err != nil {
		if ctx.Err() == nil {
			err = errors.Join(err, saving.keep())
		}
		return out, m.noRoom(p, m.lost(err))
	}
	m.later = m.later || coming.compiling.kind != "" && coming.compiling.pool == nil && len(p.steps.Install) > 0 && (coming.compiling.find == nil || change.Placer.Left() > 0)
	m.afterwards(p.place.Root)
	out.Fetched = coming.transfer.Came()
	out.Done, out.Took = true, time.Since(start)
	return out, nil
}

// sharing is how the store is held by a command that takes from it.
func (m *Machine) sharing() lock.Mode {
	mode := m.lockMode(m.Folders.Store)
	mode.Shared = true
	return mode
}

// saving makes a jar and what was brought into the store for it durable: at one
// stroke where both are on one file system.
type saving struct {
	m    *Machine
	disk *durable.Disk
	one  bool
}

func (m *Machine) beginSaving(root string) (*saving, error) {
	disk, err := durable.Open(root)
	return &saving{m: m, disk: disk, one: durable.SameDisk(root, m.Store.Dir)}, err
}

func (s *saving) close() { s.disk.Close() }

// flush flushes what a jar has, and what came into the store; only then is that
// written down.
func (s *saving) flush(b *durable.Batch) (err error) {
	some := s.one && s.m.Store.Unsaved(b)
	if err := b.Flush(s.disk); err != nil {
		return err
	}
	var sums []string
	switch {
	case some:
		sums, err = s.m.Store.Save()
	case !s.one:
		sums, err = s.m.Store.SaveNow()
	}
	if !s.m.Store.KeepPackages {
		for _, sum := range sums {
			s.m.Store.Drop(sum) // it is unpacked
		}
	}
	return err
}

// keep saves what came into the store though the change was given up.
func (s *saving) keep() error { return s.flush(&durable.Batch{}) }

// NoRoomError says that a disk is full, and how much is needed at least.
type NoRoomError struct {
	// Need is in bytes: of the package files to be fetched, and of all unpacked.
	Need int64
	Err  error
}

func (e *NoRoomError) Error() string { return e.Err.Error() }
func (e *NoRoomError) Unwrap() error { return e.Err }

// noRoom adds to the error of a full disk what the plan needs.
func (m *Machine) noRoom(p *job, err error) error {
	if !errors.Is(err, syscall.ENOSPC) && !errors.Is(err, syscall.EDQUOT) {
		return err
	}
	e := &NoRoomError{Err: err}
	for _, s := range p.steps.Install {
		if t, ok := m.Store.Tree(s.File.SHA256()); ok {
			e.Need += t.Bytes()
		} else {
			e.Need += max(s.File.Size, 0)
		}
	}
	return e
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
func (m *Machine) lateWrites(p *job, origins map[string]string, own map[string]jar.OwnFile) error {
	if !sameOrigins(p.jar, origins) {
		own[originsPath] = jar.OwnFile{Data: originsText(origins)}
	}
	next, err := m.nextMoment(p, origins)
	if err != nil {
		return err
	}
	text, err := next.Bytes()
	own[jar.MomentPath(next.Number)] = jar.OwnFile{Data: text}
	return err
}

// collectWrites adds the spec, the record and the jar's parts where they change.
func (m *Machine) collectWrites(p *job, change *jar.Change, out *Outcome) error {
	if !p.parts.Equal(p.jar.State.Parts) {
		state, err := p.jar.State.WithParts(p.parts)
		if err != nil {
			return err
		}
		change.Own[jar.StatePath] = jar.OwnFile{Data: state}
	}
	for _, file := range sortedNames(p.write) {
		data := p.write[file]
		if have, err := limits.ReadFile(file, limits.Own); err == nil && data != nil && string(have) == string(data) && !p.instead {
			continue
		}
		out.Wrote = append(out.Wrote, file)
		if p.place.Project == "" {
			rel, err := filepath.Rel(p.place.Root, file)
			if err != nil {
				return err
			}
			change.Own[filepath.ToSlash(rel)] = jar.OwnFile{Data: data, Gone: data == nil}
			continue
		}
		text := &jar.Text{Data: data, Gone: data == nil}
		if file == p.place.SpecFile {
			change.Spec = text
		} else {
			change.Record = text
		}
	}
	return nil
}

// originsFile tells from which package file, by its SHA-256, each distribution
// of the jar was unpacked.
func originsFile(j *jar.Jar) string { return j.Path(originsPath) }

const originsPath = "glassjar/origins.json"

func readOrigins(j *jar.Jar) map[string]string {
	out := map[string]string{}
	if j == nil {
		return out
	}
	if data, err := limits.ReadFile(originsFile(j), limits.Own); err == nil {
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
	have, err := limits.ReadFile(originsFile(j), limits.Own)
	return err == nil && string(have) == string(originsText(origins))
}

// directOf is direct_url.json (PEP 610) for a file that no index gave.
func directOf(f index.File, sum string) *metadata.DirectURL {
	if f.Index != "" {
		return nil
	}
	return &metadata.DirectURL{URL: f.URL, ArchiveInfo: &metadata.ArchiveInfo{Hashes: map[string]string{"sha256": sum}}}
}

// newPlan opens the jar of a place and looks at what is in it.
func (m *Machine) newPlan(ctx context.Context, at place.Place) (*job, []jar.Installed, error) {
	p := newJob(at)
	var err error
	if p.jar, err = m.open(at); err != nil {
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
func readSpec(at place.Place) (*project.Spec, error) { return project.ReadSpec(at.SpecFile) }

// UsageError reports options or arguments that do not go together.
type UsageError struct{ Why, Try string }

func (e *UsageError) Error() string { return e.Why }

func usage(why, try string, args ...any) error { return &UsageError{fmt.Sprintf(why, args...), try} }
