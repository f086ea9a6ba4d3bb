// Package problems holds problems for the solver, each with the verdict of a general SAT
// solver on an encoding made apart from this program: ladders as a service's kit and its core
// make them on a large index, pigeonholes, random ones near the border, formulas of three
// literals, diamonds, pre-releases and markers.
package problems

import (
	"compress/gzip"
	"context"
	"embed"
	"encoding/json"
	"fmt"
	"io/fs"
	"slices"

	"glassjar/core/requirement"
	"glassjar/core/resolve"
	"glassjar/core/version"
)

//go:embed *.json.gz
var files embed.FS

// Problem is one of them, for one environment. It answers the solver itself.
type Problem struct {
	ID          string
	Environment requirement.Environment
	// Asked are the roots as written, Roots those that hold in the environment.
	Asked    []string `json:"roots"`
	Roots    []resolve.Need
	Packages map[string]map[string]Release
	Expected struct{ Satisfiable bool }

	candidates map[string][]resolve.Candidate
	needs      map[string][]resolve.Need
}

// Release is one version of a distribution.
type Release struct {
	Requires       []string
	RequiresPython string   `json:"requires_python"`
	Extras         []string `json:"provides_extra"`
	Yanked         any      // true, or the reason
}

// All are the problems, by name.
func All() ([]*Problem, error) {
	names, err := fs.Glob(files, "*.json.gz")
	if err != nil {
		return nil, err
	}
	var out []*Problem
	for _, name := range names {
		p, err := read(name)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		out = append(out, p)
	}
	return out, nil
}

func read(name string) (*Problem, error) {
	f, err := files.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	unpacked, err := gzip.NewReader(f)
	if err != nil {
		return nil, err
	}
	p := &Problem{candidates: map[string][]resolve.Candidate{}, needs: map[string][]resolve.Need{}}
	if err := json.NewDecoder(unpacked).Decode(p); err != nil {
		return nil, err
	}
	python := version.MustParse(p.Environment["python_full_version"])
	for name, releases := range p.Packages {
		p.add(requirement.Normalize(name), releases, python)
	}
	p.Roots = p.hold(p.Asked, "")
	return p, nil
}

func (p *Problem) add(name string, releases map[string]Release, python version.Version) {
	finals := false
	for v := range releases {
		finals = finals || !version.MustParse(v).IsPrerelease()
	}
	for v, r := range releases {
		one := resolve.Candidate{Version: version.MustParse(v)}
		switch {
		case !version.MustParseSpecifiers(r.RequiresPython).Holds(python):
			one.Unfit = resolve.Python
		case r.Yanked != nil && r.Yanked != false:
			one.Unfit = resolve.Yanked
		case one.Version.IsPrerelease() && finals:
			one.Unfit = resolve.Prerelease
		}
		p.candidates[name] = append(p.candidates[name], one)
		for _, extra := range append([]string{""}, r.Extras...) {
			p.needs[key(name, extra, one.Version)] = p.hold(r.Requires, extra)
		}
	}
	slices.SortFunc(p.candidates[name], func(a, b resolve.Candidate) int { return b.Version.Compare(a.Version) })
}

func key(name, extra string, v version.Version) string {
	return name + " " + v.String() + " " + requirement.Normalize(extra)
}

// hold are the needs that an extra adds, or those of no extra.
func (p *Problem) hold(texts []string, extra string) []resolve.Need {
	var out []resolve.Need
	for _, text := range texts {
		r := requirement.MustParse(text)
		without := r.Marker.Holds(p.Environment)
		if without == (extra == "") && (without || r.Marker.Holds(p.Environment, extra)) {
			out = append(out, resolve.Need{Name: r.Key(), Extras: r.ExtraKeys(), Specifiers: r.Specifiers})
		}
	}
	return out
}

// Candidates are the versions of a distribution, the newest first.
func (p *Problem) Candidates(_ context.Context, name string) ([]resolve.Candidate, error) {
	return p.candidates[name], nil
}

// Needs are what a version needs, or what an extra adds.
func (p *Problem) Needs(_ context.Context, name, extra string, v version.Version) ([]resolve.Need, error) {
	return p.needs[key(name, extra, v)], nil
}

// Expect does nothing: all is at hand.
func (p *Problem) Expect([]resolve.Need) {}

// ExpectVersions does nothing.
func (p *Problem) ExpectVersions(string, []version.Version) func() { return func() {} }
