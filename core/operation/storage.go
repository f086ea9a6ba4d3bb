package operation

import (
	"context"
	"errors"
	"sort"
	"time"

	"glassjar/core/jar"
	"glassjar/core/requirement"
	"glassjar/core/store"
)

// StoreUsage is what the store holds, and what holds it.
type StoreUsage struct {
	Dir string `json:"dir"`
	// Files and Bytes are all that is in it: contents, bytecode, and package files
	// that are whole. Needed is how many bytes of contents a jar, a history or a
	// discarded jar counts on.
	Files    int          `json:"files"`
	Bytes    int64        `json:"bytes"`
	Needed   int64        `json:"needed"`
	Contents store.Amount `json:"contents"`
	Bytecode store.Amount `json:"bytecode"`
	Packages store.Amount `json:"packages"`
	// Saved is how many bytes more there were if every jar and every release had
	// its own copy of each file.
	Saved int64 `json:"saved"`
	// Distributions are by name, the largest first; Jars are by place, with what
	// each would take by itself.
	Distributions []StoreShare `json:"distributions"`
	Jars          []StoreShare `json:"jars"`
	// Discarded is how many bytes discarded jars take.
	Discarded int64 `json:"discarded"`
}

// StoreShare is a part of the store.
type StoreShare struct {
	Name string `json:"name"`
	store.Amount
	// Discarded tells that a jar was discarded, and can be brought back.
	Discarded bool `json:"discarded,omitempty"`
}

// needs are the package files that jars known here count on, by their hashes,
// with the name of the distribution, by jar; jars that are going count on none.
func (m *Machine) needs(going map[string]bool) (all map[string]string, byJar map[string][]string, err error) {
	known, err := m.knownJars()
	if err != nil {
		return nil, nil, err
	}
	roots := []string{}
	for _, k := range known {
		roots = append(roots, k.Root)
	}
	away, err := m.discarded()
	if err != nil {
		return nil, nil, err
	}
	for _, a := range away {
		roots = append(roots, a.Held)
	}
	all, byJar = map[string]string{}, map[string][]string{}
	for _, root := range roots {
		if going[root] {
			continue
		}
		j, err := jar.Open(root)
		if err != nil {
			continue // a jar that is gone counts on nothing
		}
		states, err := j.Moments()
		if err != nil {
			return nil, nil, err
		}
		mine := map[string]bool{}
		for name, sum := range readOrigins(j) {
			all[sum], mine[sum] = name, true
		}
		for _, s := range states {
			for _, p := range s.Packages {
				all[p.SHA256], mine[p.SHA256] = p.Name, true
			}
		}
		byJar[root] = sortedNames(mine)
	}
	return all, byJar, nil
}

// StoreUsage tells what the store holds.
func (m *Machine) StoreUsage(ctx context.Context) (*StoreUsage, error) {
	needed, byJar, err := m.needs(nil)
	if err != nil {
		return nil, err
	}
	out := &StoreUsage{Dir: m.Store.Dir, Distributions: []StoreShare{}, Jars: []StoreShare{}}
	for kind, to := range map[string]*store.Amount{store.Contents: &out.Contents, store.Bytecode: &out.Bytecode, store.Packages: &out.Packages} {
		if *to, err = m.Store.Holds(ctx, kind); err != nil {
			return nil, err
		}
		out.Files, out.Bytes = out.Files+to.Files, out.Bytes+to.Bytes
	}
	trees := m.sizeTrees(out, needed)
	away, err := m.discarded()
	if err != nil {
		return nil, err
	}
	stood := map[string]string{} // where a discarded jar was
	for _, a := range away {
		stood[a.Held] = a.Jar
		out.Discarded += a.Size
	}
	alone := int64(0)
	for _, root := range sortedNames(byJar) {
		s := StoreShare{Name: root}
		if was, ok := stood[root]; ok {
			s.Name, s.Discarded = was, true
		}
		for _, sum := range byJar[root] {
			s.Files, s.Bytes = s.Files+trees[sum].Files, s.Bytes+trees[sum].Bytes
		}
		alone += s.Bytes
		out.Jars = append(out.Jars, s)
	}
	out.Saved = max(0, alone-out.Needed)
	return out, nil
}

// sizeTrees fills in what each distribution has in the store, each content once,
// and gives the size of each tree by itself.
func (m *Machine) sizeTrees(out *StoreUsage, needed map[string]string) map[string]store.Amount {
	trees, shares := map[string]store.Amount{}, map[string]*StoreShare{}
	seen, counted := map[string]bool{}, map[string]bool{}
	for _, sum := range m.Store.Trees() {
		t, ok := m.Store.Tree(sum)
		if !ok {
			continue
		}
		name, wanted := needed[sum]
		if !wanted {
			name = requirement.Normalize(t.Fact("name"))
		}
		if shares[name] == nil {
			shares[name] = &StoreShare{Name: name}
		}
		trees[sum] = store.Amount{Files: len(t.Members), Bytes: t.Bytes()}
		for _, e := range t.Members {
			at := t.Path(e)
			if wanted && !counted[at] {
				counted[at] = true
				out.Needed += e.Size
			}
			if key := name + "\x00" + at; !seen[key] {
				seen[key] = true
				shares[name].Files++
				shares[name].Bytes += e.Size
			}
		}
	}
	for _, name := range sortedNames(shares) {
		out.Distributions = append(out.Distributions, *shares[name])
	}
	sort.SliceStable(out.Distributions, func(i, j int) bool { return out.Distributions[i].Bytes > out.Distributions[j].Bytes })
	return trees
}

// Tidied is what a tidying of the store removes.
type Tidied struct {
	store.Amount
	// Jars are discarded ones that are now gone for good.
	Jars []string `json:"jars"`
	Done bool     `json:"done"`
}

// TidyStore removes what no jar, no history and no discarded jar counts on, and
// of that only what has not been used for so many days; discarded jars of that
// age go for good. With plan nothing is removed. It waits until nobody else is
// taking from the store.
func (m *Machine) TidyStore(ctx context.Context, days int, plan bool) (*Tidied, error) {
	if !plan {
		release, err := m.Store.Hold(ctx, m.lockMode(m.Store.Dir))
		if err != nil {
			return nil, err
		}
		defer release()
	}
	before := m.now().Add(-time.Duration(days) * 24 * time.Hour)
	out := &Tidied{Jars: []string{}}
	going := map[string]bool{}
	away, err := m.discarded()
	if err != nil {
		return nil, err
	}
	for _, a := range away {
		if a.At.After(before) {
			continue
		}
		out.Jars = append(out.Jars, a.Jar)
		out.Bytes += a.Size
		going[a.Held] = true
		if plan {
			continue
		}
		if err := errors.Join(m.discardForGood(a.Held), ctx.Err()); err != nil {
			return out, err
		}
		if err := m.Away.Drop(a.ID); err != nil {
			return out, err
		}
	}
	needed, _, err := m.needs(going)
	if err != nil {
		return nil, err
	}
	young := func(used time.Time) bool { return days > 0 && used.After(before) }
	gone, err := m.Store.Tidy(ctx,
		func(sum string) bool { _, ok := needed[sum]; return ok || young(m.Store.TreeUsed(sum)) },
		func(sum string, came time.Time) bool {
			_, ok := needed[sum]
			return ok && m.Settings.KeepPackages || young(came)
		}, plan)
	out.Files, out.Bytes = gone.Files, out.Bytes+gone.Bytes
	out.Done = !plan
	return out, err
}

// Verified is what a verification of the store found.
type Verified struct {
	store.Amount
	// Damaged are files that were not what their names say. They are removed, so
	// that they are fetched again when they are needed.
	Damaged []string `json:"damaged"`
}

// VerifyStore compares every file of the store with its name.
func (m *Machine) VerifyStore(ctx context.Context) (*Verified, error) {
	release, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return nil, err
	}
	defer release()
	out := &Verified{}
	out.Amount, out.Damaged, err = m.Store.Verify(ctx, func(done int) { m.report(Progress{Stage: "verifying", Done: int64(done)}) })
	return out, err
}
