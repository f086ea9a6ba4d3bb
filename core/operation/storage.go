package operation

import (
	"os"
	"sort"
	"time"

	"glassjar/core/jar"
)

// StoreUsage is what the store holds, and what holds it.
type StoreUsage struct {
	Dir string `json:"dir"`
	// Files and Bytes are what is in it, Needed how many bytes a jar, a history or
	// a discarded jar counts on.
	Files  int   `json:"files"`
	Bytes  int64 `json:"bytes"`
	Needed int64 `json:"needed"`
	// Distributions are by name, the largest first; Jars are by place.
	Distributions []StoreShare `json:"distributions"`
	Jars          []StoreShare `json:"jars"`
	// Discarded is how many bytes discarded jars take.
	Discarded int64 `json:"discarded"`
}

// StoreShare is a part of the store.
type StoreShare struct {
	Name  string `json:"name"`
	Files int    `json:"files"`
	Bytes int64  `json:"bytes"`
}

// needs are the package files that jars known here count on, by their hashes,
// with the name of the distribution, by jar.
func (m *Machine) needs() (all map[string]string, byJar map[string][]string, err error) {
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
func (m *Machine) StoreUsage() (*StoreUsage, error) {
	files, err := m.Store.All()
	if err != nil {
		return nil, err
	}
	needed, byJar, err := m.needs()
	if err != nil {
		return nil, err
	}
	out := &StoreUsage{Dir: m.Store.Dir, Files: len(files), Distributions: []StoreShare{}, Jars: []StoreShare{}}
	sizes, shares := map[string]int64{}, map[string]*StoreShare{}
	for _, f := range files {
		out.Bytes += f.Size
		sizes[f.SHA256] = f.Size
		name, ok := needed[f.SHA256]
		if ok {
			out.Needed += f.Size
		} else {
			name = "nothing needs it"
		}
		if shares[name] == nil {
			shares[name] = &StoreShare{Name: name}
		}
		shares[name].Files++
		shares[name].Bytes += f.Size
	}
	for _, name := range sortedNames(shares) {
		out.Distributions = append(out.Distributions, *shares[name])
	}
	sort.SliceStable(out.Distributions, func(i, j int) bool { return out.Distributions[i].Bytes > out.Distributions[j].Bytes })
	for _, root := range sortedNames(byJar) {
		s := StoreShare{Name: root}
		for _, sum := range byJar[root] {
			if size, ok := sizes[sum]; ok {
				s.Files++
				s.Bytes += size
			}
		}
		out.Jars = append(out.Jars, s)
	}
	away, err := m.discarded()
	for _, a := range away {
		out.Discarded += a.Size
	}
	return out, err
}

// Tidied is what a tidying of the store removes.
type Tidied struct {
	Files int   `json:"files"`
	Bytes int64 `json:"bytes"`
	// Jars are discarded ones that are now gone for good.
	Jars []string `json:"jars"`
	Done bool     `json:"done"`
}

// TidyStore removes what no jar, no history and no discarded jar counts on, and
// what has not been used for so many days besides; discarded jars of that age go
// for good. With plan nothing is removed.
func (m *Machine) TidyStore(days int, plan bool) (*Tidied, error) {
	before := m.now().Add(-time.Duration(days) * 24 * time.Hour)
	out := &Tidied{Jars: []string{}}
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
		if plan {
			continue
		}
		if err := jar.Discard(a.Held); err != nil {
			return out, err
		}
		if err := m.Away.Drop(a.ID); err != nil {
			return out, err
		}
	}
	needed, _, err := m.needs()
	if err != nil {
		return nil, err
	}
	files, err := m.Store.All()
	if err != nil {
		return nil, err
	}
	for _, f := range files {
		if _, ok := needed[f.SHA256]; ok || f.Used.After(before) {
			continue
		}
		out.Files++
		out.Bytes += f.Size
		if !plan {
			if err := os.Remove(f.Path); err != nil && !os.IsNotExist(err) {
				return out, err
			}
		}
	}
	// The unpacked files of what is kept stay, and of what is needed.
	keep := map[string]bool{}
	for sum := range needed {
		keep[sum] = true
	}
	files2, bytes, err := m.Store.DropTrees(func(sum string) bool { return keep[sum] }, plan)
	if err != nil {
		return out, err
	}
	out.Files, out.Bytes = out.Files+files2, out.Bytes+bytes
	out.Done = !plan
	return out, nil
}

// Verified is what a verification of the store found.
type Verified struct {
	Files int   `json:"files"`
	Bytes int64 `json:"bytes"`
	// Damaged are files that were not what their names say. They are removed, so
	// that they are fetched again when they are needed.
	Damaged []string `json:"damaged"`
}

// VerifyStore compares every file of the store with its name.
func (m *Machine) VerifyStore() (*Verified, error) {
	files, err := m.Store.All()
	if err != nil {
		return nil, err
	}
	out := &Verified{Damaged: []string{}}
	for i, f := range files {
		m.report(Progress{Stage: "verifying", Done: int64(i), Total: int64(len(files))})
		out.Files++
		out.Bytes += f.Size
		if m.Store.Check(f.SHA256) != nil {
			out.Damaged = append(out.Damaged, f.SHA256)
		}
	}
	for _, sum := range m.Store.Trees() {
		damaged, err := m.Store.CheckTree(sum)
		if err != nil {
			return out, err
		}
		out.Damaged = append(out.Damaged, damaged...)
	}
	return out, nil
}
