package main

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"

	"glassjar/core/resolve"
	"glassjar/core/version"
	"glassjar/internal/problems"
)

// world is a provider with all metadata at hand.
type world struct {
	versions map[string][]resolve.Candidate
	needs    map[string][]resolve.Need
}

func newWorld() *world {
	return &world{map[string][]resolve.Candidate{}, map[string][]resolve.Need{}}
}

func (w *world) Candidates(_ context.Context, name string) ([]resolve.Candidate, error) {
	return w.versions[name], nil
}

func (w *world) Needs(_ context.Context, name, _ string, v version.Version) ([]resolve.Need, error) {
	return w.needs[name+" "+v.String()], nil
}

func (w *world) Expect([]resolve.Need) {}

func (w *world) ExpectVersions(string, []version.Version) func() { return func() {} }

// add puts the versions n-1 to 0 of a name into the world, the newest first.
func (w *world) add(name string, n int, needs func(v int) []resolve.Need) {
	for v := n - 1; v >= 0; v-- {
		number := version.MustParse(fmt.Sprint(v))
		w.versions[name] = append(w.versions[name], resolve.Candidate{Version: number})
		if needs != nil {
			w.needs[fmt.Sprintf("%s %d", name, v)] = needs(v)
		}
	}
}

func need(name, spec string) resolve.Need {
	return resolve.Need{Name: name, Specifiers: version.MustParseSpecifiers(spec)}
}

// solve reports an error if the answer is not as expected; want is nil where
// either will do.
func (w *world) solve(want *bool, roots ...resolve.Need) error {
	_, err := resolve.Solve(context.Background(), w, resolve.Problem{Roots: roots})
	var failure *resolve.Failure
	if err != nil && !errors.As(err, &failure) {
		return err
	}
	if want != nil && *want != (err == nil) {
		return fmt.Errorf("solvable should be %t", *want)
	}
	return nil
}

var yes, no = true, false

// chain has 1,500 releases that each pin a narrow range of another
// distribution with 1,500 releases; only the oldest fit together.
func chain() *world {
	const n = 1500
	w := newWorld()
	w.add("press", n, func(v int) []resolve.Need { return []resolve.Need{need("must", fmt.Sprintf(">=%d,<%d", v, v+2))} })
	w.add("must", n, func(v int) []resolve.Need {
		if v < 3 {
			return nil
		}
		return []resolve.Need{need("press", fmt.Sprintf(">=%d", v+2))}
	})
	return w
}

// threshold is random problems of which, over many seeds, about half have a
// solution: versions with up to three needs on narrow ranges, and many roots.
func threshold(seed uint64) (*world, []resolve.Need) {
	const names, versions = 300, 40
	r := rand.New(rand.NewPCG(seed, 1))
	w := newWorld()
	window := func(width int) string {
		lo := r.IntN(versions)
		return fmt.Sprintf(">=%d,<=%d", lo, lo+width)
	}
	for n := range names {
		w.add(fmt.Sprintf("p%d", n), versions, func(int) []resolve.Need {
			var list []resolve.Need
			for range r.IntN(4) {
				list = append(list, need(fmt.Sprintf("p%d", r.IntN(names)), window(3)))
			}
			return list
		})
	}
	var roots []resolve.Need
	for n := range 120 {
		roots = append(roots, need(fmt.Sprintf("p%d", n), window(5)))
	}
	return w, roots
}

// pigeons asks for six pigeons in five holes: no two may share one.
func pigeons() (*world, []resolve.Need) {
	const pigeons, holes = 6, 5
	w := newWorld()
	var roots []resolve.Need
	for p := range pigeons {
		w.add(fmt.Sprintf("pigeon%d", p), holes, func(hole int) []resolve.Need {
			var list []resolve.Need
			for other := range pigeons {
				if other != p {
					list = append(list, need(fmt.Sprintf("pair%d-%d-%d", min(p, other), max(p, other), hole), fmt.Sprintf("==%d", map[bool]int{true: 0, false: 1}[p < other])))
				}
			}
			return list
		})
		roots = append(roots, need(fmt.Sprintf("pigeon%d", p), ""))
		for other := p + 1; other < pigeons; other++ {
			for hole := range holes {
				w.add(fmt.Sprintf("pair%d-%d-%d", p, other, hole), 2, nil)
			}
		}
	}
	return w, roots
}

// normal is a project of 150 distributions with 30 versions each, which need a
// few that come after them.
func normal() (*world, []resolve.Need) {
	const names = 150
	r := rand.New(rand.NewPCG(3, 1))
	w := newWorld()
	var roots []resolve.Need
	for n := range names {
		w.add(fmt.Sprintf("p%d", n), 30, func(v int) []resolve.Need {
			var list []resolve.Need
			for range min(4, names-n-1) {
				list = append(list, need(fmt.Sprintf("p%d", n+1+r.IntN(min(30, names-n-1))), fmt.Sprintf(">=%d", max(0, v-10))))
			}
			return list
		})
		if n%10 == 0 {
			roots = append(roots, need(fmt.Sprintf("p%d", n), ""))
		}
	}
	return w, roots
}

// verdicts solves problems whose answers are known, with all metadata at hand.
func verdicts(all []*problems.Problem) error {
	for _, p := range all {
		_, err := resolve.Solve(context.Background(), p, resolve.Problem{Roots: p.Roots})
		var failure *resolve.Failure
		if err != nil && !errors.As(err, &failure) || (err == nil) != p.Expected.Satisfiable {
			return fmt.Errorf("%s: solvable should be %t", p.ID, p.Expected.Satisfiable)
		}
	}
	return nil
}

// kinds groups the problems by what they are named after.
func kinds(all []*problems.Problem) (names []string, out map[string][]*problems.Problem) {
	out = map[string][]*problems.Problem{}
	for _, p := range all {
		kind, _, _ := strings.Cut(p.ID, "-")
		if out[kind] == nil {
			names = append(names, kind)
		}
		out[kind] = append(out[kind], p)
	}
	return names, out
}

func onDisk() ([]work, error) {
	usual, usualRoots := normal()
	disk, err := shelving(usual, usualRoots)
	return []work{disk}, err
}

func resolving() ([]work, error) {
	long := chain()
	birds, birdRoots := pigeons()
	usual, usualRoots := normal()
	seed := uint64(0)
	known, err := problems.All()
	if err != nil {
		return nil, err
	}
	list := []work{
		{name: "resolve: chain of 1500 narrow ranges", words: "under 1 s", ours: func() error { return long.solve(&yes, need("press", "")) }},
		{name: "resolve: 300 x 40 near the threshold", words: "under 1 s at the median", ours: func() error {
			seed++
			w, roots := threshold(seed)
			return w.solve(nil, roots...)
		}},
		{name: "resolve: 6 pigeons in 5 holes", words: "under 1 s", ours: func() error { return birds.solve(&no, birdRoots...) }},
		{name: "resolve: a project of 150 distributions", words: "under 50 ms", ours: func() error { return usual.solve(&yes, usualRoots...) }},
	}
	names, byKind := kinds(known)
	for _, kind := range names {
		list = append(list, work{name: fmt.Sprintf("resolve: %d of the kind %s", len(byKind[kind]), kind), words: "each under 2 s", ours: func() error { return verdicts(byKind[kind]) }})
	}
	return list, nil
}
