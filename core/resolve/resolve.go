// Package resolve finds one version of every distribution that is needed, such
// that all needs are met, or the reason why there is none.
//
// A problem is a set of variables with finite domains: for each distribution
// its versions and "absent", for each extra "on" and "absent". All knowledge
// is kept as nogoods: sets of conditions "x is in S" that cannot all be true.
// A need of a 1.0 for b>=2 is the nogood {a in {1.0}, b in {absent, b<2}}. The
// solver decides, propagates, learns a new nogood from every conflict by
// resolving it with what led there, and goes back to where the new nogood has
// something to say. The nogoods behind the last conflict are the explanation.
//
// The package knows neither network nor disk. It asks a [Provider] for the
// versions of a distribution when something first needs it, and for a
// version's needs when that version is chosen.
package resolve

import (
	"context"
	"errors"
	"fmt"

	"glassjar/core/version"
)

// Need is one requirement on a distribution, its marker already evaluated.
type Need struct {
	// Name is the distribution's name in normal form.
	Name string
	// Extras are the normal forms of the extras asked for.
	Extras []string
	// Specifiers say which versions serve.
	Specifiers version.Specifiers
	// URL is a direct reference, or empty.
	URL string
	// Here tells that the need holds in one environment: a marker took part in it, or another
	// file of the same version may need something else. Nothing else depends on that but what
	// is kept as [Learned].
	Here bool
	// Origin says where a root was asked for: a line of a file, the command.
	// It is empty for the needs of distributions.
	Origin string
}

// String is the need as a person would write it.
func (n Need) String() string {
	text := n.Name
	for i, e := range n.Extras {
		if i == 0 {
			text += "["
		} else {
			text += ","
		}
		text += e
		if i == len(n.Extras)-1 {
			text += "]"
		}
	}
	if n.URL != "" {
		return text + " @ " + n.URL
	}
	return text + n.Specifiers.Written()
}

// pins reports whether the need names one version, which admits that
// version even if it was yanked.
func (n Need) pins(v version.Version) bool {
	for _, s := range n.Specifiers {
		op := s.Operator()
		if (op == version.Equal || op == version.Arbitrary) && !s.Wildcard() && s.Holds(v) {
			return true
		}
	}
	return false
}

// Why a version is not considered.
const (
	Fit        = iota
	NoFile     // no file serves this interpreter and platform
	Python     // Requires-Python excludes this interpreter
	Yanked     // withdrawn by its publisher; an exact pin admits it
	Prerelease // not asked for; a specifier that names one admits it
	Broken     // its metadata cannot be read
	SourceOnly // only a source distribution, and building has no consent
	Held       // the spec keeps the distribution to other versions
)

// Candidate is one version that a provider offers.
type Candidate struct {
	Version version.Version
	// Unfit is one of the package's constants; Fit if it may be chosen.
	Unfit int
	// Detail says more: the Requires-Python, the reason for yanking.
	Detail string
}

// Provider answers what the solver asks. Its answers must not change during
// one call of [Solve].
type Provider interface {
	// Candidates are the versions of a distribution, the most preferred first.
	// A name that is not known has none.
	Candidates(ctx context.Context, name string) ([]Candidate, error)
	// Needs are those of one version, with its markers evaluated; with an
	// extra, those that the extra adds. A [*UnreadableError]
	// makes the version unfit; any other ends the solving.
	Needs(ctx context.Context, name, extra string, v version.Version) ([]Need, error)
	// Expect says that the candidates for these needs, and the needs of those
	// that are likely to be chosen, will be asked for soon.
	Expect(needs []Need)
	// ExpectVersions says that the needs of these versions of a distribution are likely to be
	// asked for soon, and does not wait for anything. What it returns ends that: it starts
	// nothing more, and waits for what was started.
	ExpectVersions(name string, versions []version.Version) (end func())
}

// UnreadableError reports that the needs of one version cannot be known.
type UnreadableError struct {
	Name    string
	Version version.Version
	Err     error
}

func (e *UnreadableError) Error() string {
	return fmt.Sprintf("the needs of %s %s cannot be read: %v", e.Name, e.Version, e.Err)
}

func (e *UnreadableError) Unwrap() error { return e.Err }

// Problem is what to solve.
type Problem struct {
	// Roots are the needs to meet, in the order in which they were asked for.
	Roots []Need
	// AllowPrereleases admits every pre-release.
	AllowPrereleases bool
	// Keep holds versions that are preferred over all others while they fit,
	// also if yanked or a pre-release: those of the record.
	Keep map[string]version.Version
	// Learned, if set, is what was learned for other environments, and is added to.
	Learned *Learned
	// Effort, if not 0, bounds the steps of solving: one that would need more ends with an
	// [ErrEffort]. A failure then has no facts, since nobody is to be told.
	Effort int
	// Working, if set, is called now and then with how many decisions and conflicts
	// there were so far.
	Working func(steps int)
}

// ErrEffort reports that a problem's bound was reached before its solution.
var ErrEffort = errors.New("too many steps")

// Choice is one distribution of a solution.
type Choice struct {
	Name    string
	Version version.Version
	// Extras are the extras that something asks for, sorted.
	Extras []string
	// NeededBy are the names whose chosen versions need it; roots are not
	// named. Needs are this version's own, those of its extras included.
	NeededBy []string
	Needs    []Need
	// ByExtra are the needs that each of the extras adds, and by the empty name those without one;
	// nil where there are no extras.
	ByExtra map[string][]Need
}

// Solution holds the choices sorted by name.
type Solution struct {
	Choices              []Choice
	Decisions, Conflicts int
}

// Failure says that there is no solution, with the facts that prove it.
type Failure struct {
	Facts []Fact
}

func (f *Failure) Error() string { return "no versions fit together" }

// Fact is one piece of the proof: a need, or versions that cannot be chosen.
type Fact struct {
	// Name is the distribution with the need, empty for a root; Extra is the
	// extra that adds the need, or empty.
	Name, Extra string
	// Versions are those of Name to which the fact applies; All tells that these
	// are all there are.
	Versions []version.Version
	All      bool
	// Needs are the distinct needs of those versions on one distribution; for a
	// fact about unfit versions there are none.
	Needs []Need
	// Unfit is why the versions cannot be chosen; Fit for facts about needs.
	Unfit int
	// Details are the distinct details of unfit candidates.
	Details []string
	// Offered are the versions of the needed distribution that could be chosen
	// if the need allowed them; for an unknown name there are none.
	Offered []version.Version
}

// Solve finds the preferred solution. The error is a [*Failure] where there is
// none, and the provider's own error otherwise.
//
// Roots are decided first, in their order, each at the most preferred version
// that some solution has; so the outcome does not depend on the order in which
// a provider's answers arrive.
func Solve(ctx context.Context, provider Provider, problem Problem) (*Solution, error) {
	admitted := map[string]bool{}
	pinned := map[string]bool{}
	for _, root := range problem.Roots {
		if root.Specifiers.AdmitsPrereleases() {
			admitted[root.Name] = true
		}
	}
	for {
		s := newSolver(ctx, provider, problem, admitted, pinned)
		solution, err := s.run()
		if problem.Learned != nil {
			problem.Learned.keep(s.learned)
		}
		// A need met on the way may admit what was excluded when its candidates
		// were first read. That is rare, and cheaper to redo than to undo.
		if s.admitMore() && ctx.Err() == nil {
			continue
		}
		if s.unproven {
			problem.Learned = nil // what was recalled has no reasons that could be told
			continue
		}
		return solution, err
	}
}
