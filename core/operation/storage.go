package operation

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"

	"glassjar/core/jar"
	"glassjar/core/progress"
	"glassjar/core/requirement"
	"glassjar/core/store"
)

// StoreUsage is what the store holds, and what holds it.
type StoreUsage struct {
	Dir string
	// Files and Bytes are all that is in it: contents, bytecode, and package files
	// that are whole. Needed is how many bytes of contents a jar, a history or a
	// discarded jar counts on.
	Files    int
	Bytes    int64
	Needed   int64
	Contents store.Amount
	Bytecode store.Amount
	Packages store.Amount
	// Saved is how many bytes more there were if every jar and every release had
	// its own copy of each file.
	Saved int64
	// Distributions are by name, the largest first.
	Distributions []StoreShare
	// Jars are by place.
	Jars []JarShare
	// Discarded is how many bytes discarded jars take.
	Discarded int64
}

// StoreShare is a part of the store.
type StoreShare struct {
	Name string
	store.Amount
	// Built tells that some of it was built on this machine.
	Built bool
}

// JarShare is what one jar, with its history, has in the store.
type JarShare struct {
	Jar string
	// Needs is all of it, Only what no other jar needs: that comes free when the jar
	// goes.
	Needs store.Amount
	Only  store.Amount
	// Discarded tells that the jar was discarded, and can be brought back.
	Discarded bool
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
		if spoiled(root, err) != nil {
			continue // it has no history that anybody could go back to
		}
		if err != nil {
			return nil, nil, err
		}
		mine := map[string]bool{}
		for _, s := range states {
			for _, p := range s.Packages {
				all[p.Unpacked()], mine[p.Unpacked()] = p.Name, true
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
	out := &StoreUsage{Dir: m.Store.Dir, Distributions: []StoreShare{}, Jars: []JarShare{}}
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
		out.Discarded += a.Frees
	}
	alone := int64(0)
	users := map[string]int{} // of each content, how many jars need it
	contents := map[string]map[string]int64{}
	for root, sums := range byJar {
		contents[root] = map[string]int64{}
		for _, sum := range sums {
			alone += trees[sum].Bytes
			m.contentsOf(sum, contents[root])
		}
		for at := range contents[root] {
			users[at]++
		}
	}
	for _, root := range sortedNames(byJar) {
		s := JarShare{Jar: root}
		if was, ok := stood[root]; ok {
			s.Jar, s.Discarded = was, true
		}
		for at, size := range contents[root] {
			s.Needs.Files, s.Needs.Bytes = s.Needs.Files+1, s.Needs.Bytes+size
			if users[at] == 1 {
				s.Only.Files, s.Only.Bytes = s.Only.Files+1, s.Only.Bytes+size
			}
		}
		out.Jars = append(out.Jars, s)
	}
	out.Saved = max(0, alone-out.Needed)
	return out, nil
}

// contentsOf adds the contents of a tree, each with its size, by where they stand.
func (m *Machine) contentsOf(sum string, to map[string]int64) {
	t, ok := m.Store.Tree(sum)
	if !ok {
		return
	}
	for _, e := range t.Members {
		to[t.Path(e)] = e.Size
	}
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
	for _, made := range m.kept().All() {
		if s := shares[made.Distribution]; s != nil && m.Store.HasTree(made.SHA256) {
			s.Built = true
		}
	}
	for _, name := range sortedNames(shares) {
		out.Distributions = append(out.Distributions, *shares[name])
	}
	sort.SliceStable(out.Distributions, func(i, j int) bool { return out.Distributions[i].Bytes > out.Distributions[j].Bytes })
	return trees
}

// Tidied is what a tidying of the store removes: files of the store, which Amount
// counts, and discarded jars.
type Tidied struct {
	store.Amount
	// Jars are discarded ones that are now gone for good, JarBytes what these had
	// for themselves. Repositories are folders with what git fetched for building and
	// what was checked out of it, RepositoryBytes what these hold. Frees is all together.
	// Scripts are the jars of scripts that are gone, ask for something else or were not run for long.
	Jars            []string
	Scripts         []string
	JarBytes        int64
	Repositories    int
	RepositoryBytes int64
	Frees           int64
	Done            bool
}

// TidyStore removes what no jar, no history and no discarded jar counts on, and
// of that only what has not been used for so many days; discarded jars of that
// age go for good. With plan nothing is removed. It waits until nobody else is
// taking from the store.
func (m *Machine) TidyStore(ctx context.Context, days int, plan bool) (*Tidied, error) {
	out := &Tidied{Jars: []string{}, Scripts: []string{}}
	going := map[string]bool{}
	if err := m.tidyScripts(ctx, out, going, plan); err != nil {
		return out, err
	}
	if !plan {
		release, err := m.Store.Hold(ctx, m.lockMode(m.Store.Dir))
		if err != nil {
			return nil, err
		}
		defer release()
	}
	before := m.now().Add(-time.Duration(days) * 24 * time.Hour)
	away, err := m.discarded()
	if err != nil {
		return nil, err
	}
	for _, a := range away {
		if a.At.After(before) {
			continue
		}
		if why := jar.Discardable(a.Held); why != nil { // somebody's own may be in it
			m.note(DiscardedStays, m.relative(a.Held), strings.TrimPrefix(why.Error(), a.Held+" ")) // it is named already
			continue
		}
		out.Jars = append(out.Jars, a.Jar)
		out.JarBytes += a.Frees
		going[a.Held] = true
		if plan {
			continue
		}
		if err := errors.Join(m.discardForGood(a.Held), ctx.Err()); err != nil {
			return out, err
		}
		if err := m.Discarded.Drop(a.ID); err != nil {
			return out, err
		}
	}
	needed, _, err := m.needs(going)
	if err != nil {
		return nil, err
	}
	young := func(used time.Time) bool { return days > 0 && used.After(before) }
	ofPython, err := m.keepsPython()
	if err != nil {
		return nil, err
	}
	gone, err := m.Store.Tidy(ctx,
		func(sum string) bool {
			_, ok := needed[sum]
			return ok || ofPython(sum) || young(m.Store.TreeUsed(sum))
		},
		func(sum string, came time.Time) bool {
			_, ok := needed[sum]
			return ok && m.Store.KeepPackages || young(came)
		}, plan)
	if !plan {
		m.kept().Drop(func(sum string) bool { return !m.Store.HasTree(sum) })
	}
	out.Amount, out.Done = gone, !plan
	if err == nil {
		err = m.tidyRepositories(out, before, plan)
	}
	out.Frees = gone.Bytes + out.JarBytes + out.RepositoryBytes
	return out, err
}

// tidyRepositories removes what came out of repositories and was not used since: it can be
// fetched again.
func (m *Machine) tidyRepositories(out *Tidied, before time.Time, plan bool) error {
	var err error
	for _, dir := range []string{m.repositories().Dir, m.checkouts().In} {
		list, _ := os.ReadDir(dir) // most people have none
		for _, e := range list {
			info, gone := e.Info()
			if gone != nil || info.ModTime().After(before) {
				continue
			}
			folder := filepath.Join(dir, e.Name())
			out.Repositories++
			out.RepositoryBytes += folderBytes(folder)
			if !plan {
				err = errors.Join(err, os.RemoveAll(folder))
			}
		}
	}
	return err
}

// folderBytes is how much the files of a folder hold.
func folderBytes(dir string) (n int64) {
	_ = filepath.WalkDir(dir, func(_ string, e fs.DirEntry, err error) error {
		if err != nil {
			return nil // what cannot be read is not counted
		}
		if info, err := e.Info(); err == nil && info.Mode().IsRegular() {
			n += info.Size()
		}
		return nil
	})
	return n
}

// Verified is what a verification of the store found.
type Verified struct {
	store.Amount
	// Damaged are files that were not what their names say. They are removed, so
	// that they are fetched again when they are needed.
	Damaged []string
}

// VerifyStore compares every file of the store with its name.
func (m *Machine) VerifyStore(ctx context.Context) (*Verified, error) {
	release, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return nil, err
	}
	defer release()
	out := &Verified{}
	out.Amount, out.Damaged, err = m.Store.Verify(ctx, func(done int) { m.report(progress.Event{Stage: "verifying", Done: int64(done)}) })
	return out, err
}

// discardForGood removes a jar, which is noted so that what a kill leaves is swept.
func (m *Machine) discardForGood(root string) error {
	trash, done := m.Making.Begin(root)
	defer done()
	return jar.Discard(root, trash)
}
