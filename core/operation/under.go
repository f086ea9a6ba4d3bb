package operation

import (
	"context"
	"errors"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"glassjar/core/interpreter"
)

// UnderOptions say under which Pythons a command is run.
type UnderOptions struct {
	OnceOptions
	// Pythons are wishes, or ranges of minor versions such as "3.9..3.12"; empty for the jar's own.
	Pythons []string
}

// Under is how a command went under several Pythons.
type Under struct {
	Command []string
	Runs    []UnderRun
}

// UnderRun is how it went under one.
type UnderRun struct {
	// Wish is what was asked for, Python what it is; empty where there is none.
	Wish, Python string
	// Exit is the command's code; where Err is set, it was not run.
	Exit int
	Took time.Duration
	// Differs are versions that are not what most of them have, by name; empty for one that is not
	// there.
	Differs map[string]string
	Err     error

	versions map[string]string
}

// maxUnder bounds how many Pythons one command is run under.
const maxUnder = 50

// readPythons reads a list of wishes and ranges.
func readPythons(list []string) ([]string, error) {
	var out []string
	for _, text := range list {
		from, to, isRange := strings.Cut(strings.TrimSpace(text), "..")
		if !isRange {
			if _, err := interpreter.ParseWish(text); err != nil {
				return nil, &UsageError{Case: BadWish, Err: err}
			}
			out = append(out, strings.TrimSpace(text))
			continue
		}
		a, b, err := parseMinor(from)
		c, d, err2 := parseMinor(to)
		if errors.Join(err, err2) != nil || a != c || d < b || d-b >= maxUnder {
			return nil, usage(BadPythonRange, text)
		}
		for ; b <= d; b++ {
			out = append(out, strconv.Itoa(a)+"."+strconv.Itoa(b))
		}
	}
	out = slices.Compact(out)
	if len(out) > maxUnder {
		return nil, usage(BadPythonRange, strings.Join(list, ","))
	}
	return out, nil
}

// Under runs a command under several Pythons, each in a throwaway jar: run is called for each, several
// at once, and gives the exit code. A Python under which it could not be run has an error.
func (m *Machine) Under(ctx context.Context, opt UnderOptions, command []string, run func(ctx context.Context, name string, l *Launch) (int, error)) (*Under, error) {
	wishes, err := readPythons(opt.Pythons)
	if err != nil {
		return nil, err
	}
	o, err := m.onceOf(ctx, opt.Jar, command, true)
	if err != nil {
		return nil, err
	}
	if len(wishes) == 0 {
		wishes = []string{o.base} // its own; where there is none, what the spec asks for
	}
	out := &Under{Command: command, Runs: make([]UnderRun, len(wishes))}
	var running sync.WaitGroup
	places := make(chan struct{}, max(2, runtime.NumCPU()))
	for i, wish := range wishes {
		r := &out.Runs[i]
		r.Wish = wish
		// Jars are made one after another, while commands run.
		places <- struct{}{}
		one, l, err := m.onceFor(ctx, o, r, opt.OnceOptions, command)
		if err != nil {
			r.Err = err
			<-places
			continue
		}
		name := shortPython(wish, r.Python)
		running.Go(func() {
			defer func() { <-places }()
			defer one.release()
			start := time.Now()
			r.Exit, r.Err = run(ctx, name, l)
			r.Took = time.Since(start)
		})
	}
	running.Wait()
	out.compare()
	return out, ctx.Err()
}

// onceFor makes the jar of one run.
func (m *Machine) onceFor(ctx context.Context, o *onceBase, r *UnderRun, opt OnceOptions, command []string) (*onceJar, *Launch, error) {
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	in, _, _, err := m.needPython(ctx, r.Wish, o.spec)
	if err != nil {
		return nil, nil, err
	}
	r.Python = in.Title()
	one, err := m.makeOnce(ctx, o, in, opt)
	if err != nil {
		return nil, nil, err
	}
	r.versions = map[string]string{}
	for _, c := range one.choices {
		r.versions[c.Name] = c.Version.String()
	}
	l, err := m.launchOnce(one.jar, command)
	if err != nil {
		one.release()
		return nil, nil, err
	}
	return one, l, nil
}

// shortPython is what a run is called: as it was wished for, or by its title where that was a path.
func shortPython(wish, title string) string {
	if wish == "" || strings.ContainsAny(wish, `/\`) {
		return title
	}
	return wish
}

// compare fills in which versions are not what most have.
func (u *Under) compare() {
	count := map[string]map[string]int{} // by name and version
	for i := range u.Runs {
		u.Runs[i].Differs = map[string]string{}
		for name := range u.Runs[i].versions {
			count[name] = map[string]int{}
		}
	}
	for name, versions := range count {
		for _, r := range u.Runs {
			if r.versions != nil {
				versions[r.versions[name]]++
			}
		}
		most := ""
		for _, r := range u.Runs { // of as many, the first
			if v := r.versions[name]; r.versions != nil && versions[v] > versions[most] {
				most = v
			}
		}
		for _, r := range u.Runs {
			if v := r.versions[name]; r.versions != nil && v != most {
				r.Differs[name] = v
			}
		}
	}
}
