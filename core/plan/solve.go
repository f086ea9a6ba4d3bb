package plan

import (
	"context"
	"errors"
	"slices"
	"time"

	"glassjar/core/index"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/resolve"
	"glassjar/core/target"
	"glassjar/core/version"
)

// Source answers the solver for one environment.
type Source interface {
	resolve.Provider
	// File is the one that serves a chosen version; nil if the base provides it.
	File(ctx context.Context, name string, v version.Version) (*index.File, error)
	// AnswersLike reports whether it would have answered all that was asked of another source
	// as that one did.
	AnswersLike(ctx context.Context, other resolve.Provider) bool
}

// Solver finds versions that fit together.
type Solver struct {
	// Source answers for an environment; keep are the versions that are preferred.
	Source func(env target.Environment, keep map[string]version.Version) Source
	// Origin says where a requirement was asked for.
	Origin func(project.Asked) string
	// Refused reports whether an error says that something is not to be had: what only
	// another system needs stops nothing here.
	Refused func(error) bool
	// Ahead, if set, asks for what solving for other environments will need, given what one
	// chose.
	Ahead func(ctx context.Context, chosen []resolve.Choice, others []target.Environment)
	// Chosen, if set, is told the files that the jar will likely have, before other environments
	// are solved for.
	Chosen func(ctx context.Context, choices []Choice)
	Report progress.Sink
}

// SolveError is a [resolve.Failure] with what a person needs to act on it.
type SolveError struct {
	*resolve.Failure
	// Environment says for which Python and system there is no solution.
	Environment string
	// Fits tells for roots of the proof, as written, which version there would be
	// if that root alone asked for any; roots that would not help are not in it.
	Fits map[string]string
	// Unasked are versions that would meet a need, in indexes that are not asked.
	Unasked []index.Unasked
	// Until is set where what was uploaded then or later was left out.
	Until time.Time
}

func (e *SolveError) Unwrap() error { return e.Failure }

// Solve finds versions for the roots in one environment, and their files. The error is a
// [*SolveError] where none fit together.
func (s Solver) Solve(ctx context.Context, env target.Environment, roots []project.Asked, problem resolve.Problem) ([]Choice, *resolve.Solution, error) {
	source := s.Source(env, problem.Keep)
	solution, err := solution(ctx, source, env, s.problem(env, roots, problem))
	if err != nil {
		return nil, nil, err
	}
	choices, err := choices(ctx, source, env, roots, solution)
	return choices, solution, err
}

// solution solves a problem with what a source answers. The error is a [*SolveError] that also tells
// what would fit.
func solution(ctx context.Context, source Source, env target.Environment, problem resolve.Problem) (*resolve.Solution, error) {
	solution, err := resolve.Solve(ctx, source, problem)
	var failure *resolve.Failure
	if errors.As(err, &failure) {
		return nil, &SolveError{Failure: failure, Environment: env.Title, Fits: loosened(ctx, source, problem, failure)}
	}
	return solution, err
}

// choices are the files of what was chosen.
func choices(ctx context.Context, source Source, env target.Environment, roots []project.Asked, solution *resolve.Solution) ([]Choice, error) {
	asked := map[string]bool{}
	for _, a := range roots {
		asked[a.Key()] = asked[a.Key()] || a.Marker.Holds(env.Markers)
	}
	var out []Choice
	present := map[string]version.Version{}
	for _, choice := range solution.Choices {
		present[choice.Name] = choice.Version
		f, err := source.File(ctx, choice.Name, choice.Version)
		if err != nil {
			return nil, err
		}
		c := Choice{Name: choice.Name, Version: choice.Version, Asked: asked[choice.Name], NeededBy: choice.NeededBy, Provided: f == nil}
		if f != nil {
			c.File, c.Assumed = *f, stated(*f, env, present, false)
		}
		out = append(out, c)
	}
	return out, nil
}

// Needs are the roots that hold in an environment.
func (s Solver) Needs(env target.Environment, roots []project.Asked) (out []resolve.Need) {
	for _, a := range roots {
		if a.Marker.Holds(env.Markers) {
			out = append(out, resolve.Need{Name: a.Key(), Extras: a.ExtraKeys(), Specifiers: a.Specifiers, URL: a.URL, Origin: s.Origin(a), Here: a.Marker.UsesEnvironment()})
		}
	}
	return out
}

// problem adds the roots that hold in an environment, and has progress told: on hard
// problems nothing else is heard for a while.
func (s Solver) problem(env target.Environment, roots []project.Asked, p resolve.Problem) resolve.Problem {
	p.Roots = append(slices.Clone(p.Roots), s.Needs(env, roots)...)
	p.Working = func(steps int) {
		s.Report.Tell(progress.Event{Stage: "finding versions that fit together for " + env.Title, Done: int64(steps), Unit: "steps"})
	}
	return p
}

// maxLoosened bounds the steps of each trial without a root's specifiers. More is seldom needed
// than to see what is newest.
const maxLoosened = 1 << 18

// loosened tries each root of a proof without its specifiers.
func loosened(ctx context.Context, source Source, problem resolve.Problem, failure *resolve.Failure) map[string]string {
	fits := map[string]string{}
	for _, f := range failure.Facts {
		if f.Name != "" || f.Unfit != resolve.Fit || len(f.Needs[0].Specifiers) == 0 {
			continue
		}
		trial := problem
		trial.Effort = maxLoosened
		trial.Learned = nil // the roots are not the same
		trial.Roots = append([]resolve.Need(nil), problem.Roots...)
		for i := range trial.Roots {
			if trial.Roots[i].String() == f.Needs[0].String() {
				trial.Roots[i].Specifiers = nil
			}
		}
		s, err := resolve.Solve(ctx, source, trial)
		if err != nil {
			continue
		}
		for _, c := range s.Choices {
			if c.Name == f.Needs[0].Name {
				fits[f.Needs[0].String()] = c.Version.String()
			}
		}
	}
	return fits
}
