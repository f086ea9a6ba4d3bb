// Command bench measures what Glass Jar promises of its speed, each as a ratio
// to what the system needs for the same work in the same run where there is
// such work. It makes its own inputs.
//
//	go run ./bench [--json] [--runs N] [NAME...]
package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"runtime"
	"runtime/debug"
	"sort"
	"strings"
	"time"

	"glassjar/cmd/glassjar/program/memory"
	"glassjar/core/source"
)

// row is one line of the table.
type row struct {
	Name string `json:"name"`
	// Ours and Limit are medians in seconds, or bytes where Bytes is set; Limit is 0
	// where nothing is measured beside it.
	Ours  float64 `json:"ours"`
	Limit float64 `json:"limit,omitempty"`
	Bytes bool    `json:"bytes,omitempty"`
	Ratio float64 `json:"ratio,omitempty"`
	// Promise is the largest ratio that is to be, 0 where there is none; Words say
	// what the limit is, or what else is to hold.
	Promise float64 `json:"promise,omitempty"`
	Words   string  `json:"words"`
	// Memory is the most that the program took, in bytes, where it was run.
	Memory int64 `json:"peak_memory_bytes,omitempty"`
}

// work is one thing to measure: ours and, interleaved with it, the limit.
type work struct {
	name        string
	promise     float64
	words       string
	ours, limit func() error
	// times is how often ours and limit do their work in one run, if not once; runs
	// bounds the runs of what takes long, or leaves much behind.
	times, runs int
	// after is done after each run, uncounted.
	after func() error
	// bytes and limitBytes are what is to be told where no time is measured.
	bytes, limitBytes int64
}

// counted is what a run says itself that counts of it; else all of it does.
var counted time.Duration

// repeated is how often what takes few milliseconds is done in one run.
const repeated = 20

func often(f func() error) func() error {
	return func() error {
		for range repeated {
			if err := f(); err != nil {
				return err
			}
		}
		return nil
	}
}

func main() {
	source.Main() // a room is closed by the program that builds
	asJSON := flag.Bool("json", false, "print the rows as JSON")
	runs := flag.Int("runs", 5, "how often each is run")
	flag.Parse()
	debug.SetGCPercent(memory.Percent) // as the program does
	if err := bench(*asJSON, *runs); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// groups of rows, each made ready only if one of its rows is wanted.
var groups = []struct {
	name string
	make func() ([]work, error)
}{
	{"resolve on disk", onDisk}, // while memory holds nothing else, as in the program
	{"resolve", resolving},
	{"search", searching},
	{"run", running},
	{"fill", filling},
	{"many", many},
	{"first", firsts},
	{"import", importing},
	{"room", room},
	{"build", building},
	{"pythons", pythons},
	{"registries", registries},
	{"scripts", scripts},
}

func bench(asJSON bool, runs int) error {
	defer func() {
		for _, cmd := range started {
			_ = cmd.Process.Kill() // it has nothing that is wanted
			_ = cmd.Wait()
		}
		os.RemoveAll(made)
	}()
	var rows []row
	for _, g := range groups {
		if !wanted(g.name, flag.Args()) {
			continue
		}
		list, err := g.make()
		if err != nil {
			return fmt.Errorf("%s: %w", g.name, err)
		}
		more, err := run(list, asJSON, runs)
		if err != nil {
			return err
		}
		rows = append(rows, more...)
	}
	if asJSON {
		e := json.NewEncoder(os.Stdout)
		e.SetIndent("", "  ")
		return e.Encode(map[string]any{"machine": fmt.Sprintf("%s/%s, %d processors", runtime.GOOS, runtime.GOARCH, runtime.NumCPU()), "runs": runs, "rows": rows})
	}
	return nil
}

func run(list []work, asJSON bool, runs int) ([]row, error) {
	var rows []row
	for _, w := range list {
		r, err := measure(w, runs)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", w.name, err)
		}
		rows = append(rows, r)
		if !asJSON {
			print1(r)
		}
	}
	return rows, nil
}

// wanted picks groups of rows by the beginning of their names.
func wanted(name string, words []string) bool {
	for _, w := range words {
		if strings.HasPrefix(name, w) {
			return true
		}
	}
	return len(words) == 0
}

func measure(w work, runs int) (row, error) {
	r := row{Name: w.name, Promise: w.promise, Words: w.words}
	if w.ours == nil {
		r.Ours, r.Limit, r.Bytes = float64(w.bytes), float64(w.limitBytes), true
		r.Ratio = r.Ours / r.Limit
		return r, nil
	}
	if w.runs > 0 {
		runs = min(runs, w.runs)
	}
	b, _ := newBed() // only for the memory; where there is none, none is told
	if b != nil {
		b.memory = 0
	}
	var ours, limit []float64
	for range runs {
		took, err := timed(w.ours, w.times)
		if err != nil {
			return row{}, err
		}
		ours = append(ours, took)
		if w.after != nil {
			if err := w.after(); err != nil {
				return row{}, err
			}
		}
		if w.limit != nil {
			took, err := timed(w.limit, w.times)
			if err != nil {
				return row{}, err
			}
			limit = append(limit, took)
		}
	}
	r.Ours = median(ours)
	if b != nil {
		r.Memory = b.memory
	}
	if len(limit) > 0 {
		r.Limit = median(limit)
		r.Ratio = r.Ours / r.Limit
	}
	return r, nil
}

// timed runs a function and gives how long one of its works took.
func timed(f func() error, times int) (float64, error) {
	runtime.GC()
	// What was written before is not to be flushed by who flushes next. Where there is no such
	// program, nothing is waited for.
	_ = exec.Command("sync").Run()
	counted = 0
	start := time.Now()
	err := f()
	took := time.Since(start)
	if counted > 0 {
		took = counted
	}
	return took.Seconds() / float64(max(1, times)), err
}

func median(list []float64) float64 {
	sort.Float64s(list)
	return list[len(list)/2]
}

func print1(r row) {
	amount := func(v float64) string {
		if r.Bytes {
			return fmt.Sprintf("%8.1f MB", v/1e6)
		}
		return fmt.Sprintf("%8.1f ms", v*1000)
	}
	line := fmt.Sprintf("%-52s %s", r.Name, amount(r.Ours))
	if r.Limit > 0 {
		line += fmt.Sprintf("  %s  %5.2f", amount(r.Limit), r.Ratio)
		if r.Promise > 0 {
			line += fmt.Sprintf(" of %4.2f", r.Promise)
		}
	}
	if r.Memory > 0 {
		line += fmt.Sprintf("  %d MB", r.Memory>>20)
	}
	fmt.Printf("%s  %s\n", line, r.Words)
}
