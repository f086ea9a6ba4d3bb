package catalog

import (
	"context"
	"encoding/json"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"

	"glassjar/core/guard"
	"glassjar/core/index"
	"glassjar/core/internal/checked"
	"glassjar/core/limits"
	"glassjar/core/near"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/store"
	"glassjar/core/wheel"
)

// Inside looks into a wheel: it is on this machine, or was looked into before,
// or the index tells.
func (c *Catalog) Inside(ctx context.Context, f index.File) (index.Inside, error) {
	kept := ""
	if sum := f.SHA256(); store.ValidSum(sum) {
		kept = filepath.Join(c.Cache, "inside", sum[:2], sum)
		var in index.Inside
		if data, err := checked.Read(kept, limits.Own); err == nil && json.Unmarshal(data, &in) == nil {
			return in, nil
		}
	}
	in, err := c.lookInside(ctx, f)
	if err == nil && kept != "" {
		if data, err := json.Marshal(in); err == nil {
			_ = checked.Write(kept, data) // else it is looked into again
		}
	}
	return in, err
}

func (c *Catalog) lookInside(ctx context.Context, f index.File) (index.Inside, error) {
	if path, here := c.Store.Package(f.SHA256()); here {
		return index.WheelInside(path)
	}
	if tree, here := c.Store.Tree(f.SHA256()); here {
		return Unpacked(tree)
	}
	if source := c.Indexes.Source(f.Index); source != nil {
		return source.Inside(ctx, f)
	}
	return index.WheelInside(f.Path)
}

// Unpacked is what an unpacked wheel has inside.
func Unpacked(t *store.Tree) (index.Inside, error) {
	w, _, err := t.Wheel()
	if err != nil {
		return index.Inside{}, err
	}
	var modules, scripts []string
	for _, e := range w.Entries {
		switch {
		case e.Scheme == wheel.Scripts:
			scripts = append(scripts, e.Path)
		case (e.Scheme == wheel.Purelib || e.Scheme == wheel.Platlib) && !strings.HasPrefix(e.Path, w.Info+"/"):
			modules = append(modules, e.Path)
		}
	}
	for _, e := range w.EntryPoints {
		if ok, err := e.Script(); err == nil && ok {
			scripts = append(scripts, e.Name)
		}
	}
	return index.NewInside(modules, scripts), nil
}

// Supplier is a distribution of an index that has a module or a command.
type Supplier struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	Index   string `json:"index"`
	// Via is the import name or the command as the distribution has it.
	Via string `json:"via"`
}

// maxLooks bounds how many wheels of a server are looked into for one question;
// indexes on this machine are looked through whole up to a size.
const (
	maxLooks      = 16
	maxLocalLooks = 2000
)

// suppliers finds distributions whose newest wheel fits what accept asks for, which
// gives the name under which it does, or nothing. word is what the user typed:
// on a server only names that resemble it are looked into.
func (c *Catalog) suppliers(ctx context.Context, word string, accept func(index.Inside) string) []Supplier {
	var mu sync.Mutex
	var out []Supplier
	group := guard.New()
	group.SetLimit(8)
	for _, name := range c.suspects(ctx, word) {
		group.Go(func() error {
			releases, source, err := c.Releases(ctx, name)
			if err != nil || source == nil {
				return nil // a hint more or less
			}
			f, ok := NewestWheel(releases)
			if !ok {
				return nil
			}
			in, err := c.Inside(ctx, f)
			if err != nil {
				return nil
			}
			if via := accept(in); via != "" {
				mu.Lock()
				defer mu.Unlock()
				out = append(out, Supplier{name, f.Version.String(), source.Name(), via})
			}
			return nil
		})
	}
	_ = group.Wait() // nothing in it fails
	key := requirement.Normalize(word)
	sort.Slice(out, func(i, j int) bool {
		a, b := project.Distance(key, out[i].Name), project.Distance(key, out[j].Name)
		return a < b || a == b && out[i].Name < out[j].Name
	})
	return out
}

// NewestWheel is one of the first release that has a wheel which is not withdrawn.
func NewestWheel(releases []Release) (index.File, bool) {
	for _, r := range releases {
		for _, f := range r.Files {
			if f.Wheel != nil && !f.Yanked {
				return f, true
			}
		}
	}
	return index.File{}, false
}

// suspects are the names worth a look.
func (c *Catalog) suspects(ctx context.Context, word string) []string {
	var out []string
	for _, s := range c.Indexes.Sources {
		names, err := s.Names(ctx)
		if err != nil {
			continue
		}
		if _, far := s.(*index.Server); far || len(names) > maxLocalLooks {
			names = resembling(word, names)
		}
		for _, n := range names {
			if !slices.Contains(out, n) {
				out = append(out, n)
			}
		}
	}
	return out
}

// resembling are the names that a distribution which has a word as its module is likely to
// have: the word with "py" or "python" about it, as one of its parts, or within
// it; the shortest first.
func resembling(word string, names []string) []string {
	key := requirement.Normalize(strings.Trim(word, "_"))
	head, _, _ := strings.Cut(strings.Trim(word, "_"), ".")
	top := requirement.Normalize(head)
	if len(top) < 2 {
		return nil
	}
	type hit struct {
		name string
		rank int
	}
	var hits []hit
	for _, n := range names {
		if !strings.Contains(n, top) {
			continue
		}
		rest := strings.Trim(strings.Replace(n, top, "", 1), "-")
		rank := 10 + len(rest)
		switch {
		case rest == "":
			rank = 0
		case rest == "py" || rest == "python" || rest == "python3":
			rank = 1
		case slices.Contains(strings.Split(n, "-"), top):
			rank = 2 + len(rest)/4
		}
		hits = append(hits, hit{n, rank})
	}
	sort.Slice(hits, func(i, j int) bool {
		return hits[i].rank < hits[j].rank || hits[i].rank == hits[j].rank && hits[i].name < hits[j].name
	})
	var out []string
	for _, h := range hits[:min(maxLooks, len(hits))] {
		out = append(out, h.name)
	}
	for _, n := range near.Names(key, names) {
		if !slices.Contains(out, n) {
			out = append(out, n)
		}
	}
	return out
}

// WithModule finds distributions that one imports as module, or as something
// below or above it.
func (c *Catalog) WithModule(ctx context.Context, module string) []Supplier {
	return c.suppliers(ctx, module, func(in index.Inside) string { return ImportedAs(module, in.Imports) })
}

// WithCommand finds distributions that have a command.
func (c *Catalog) WithCommand(ctx context.Context, command string) []Supplier {
	return c.suppliers(ctx, command, func(in index.Inside) string {
		if slices.Contains(in.Scripts, command) {
			return command
		}
		return ""
	})
}

// ImportedAs is the one of the import names that makes a module importable:
// the module itself, a package above it, or a part of a namespace that it is.
func ImportedAs(module string, imports []string) string {
	for _, name := range imports {
		if name == module || strings.HasPrefix(module, name+".") {
			return name
		}
	}
	for _, name := range imports {
		if strings.HasPrefix(name, module+".") {
			return name
		}
	}
	return ""
}

// SupplierNames are the names alone.
func SupplierNames(list []Supplier) []string {
	var out []string
	for _, b := range list {
		if !slices.Contains(out, b.Name) {
			out = append(out, b.Name)
		}
	}
	return out
}
