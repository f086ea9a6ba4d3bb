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
	"runtime"
	"sort"
	"strings"
	"time"
)

// row is one line of the table.
type row struct {
	Name string `json:"name"`
	// Ours and Limit are medians in seconds; Limit is 0 where nothing is
	// measured beside it.
	Ours  float64 `json:"ours_s"`
	Limit float64 `json:"limit_s,omitempty"`
	Ratio float64 `json:"ratio,omitempty"`
	// Promise is what is to hold, in words.
	Promise string `json:"promise"`
	Memory  uint64 `json:"peak_heap_bytes,omitempty"`
}

// work is one thing to measure: ours and, interleaved with it, the limit.
type work struct {
	name, promise string
	ours, limit   func() error
}

func main() {
	asJSON := flag.Bool("json", false, "print the rows as JSON")
	runs := flag.Int("runs", 5, "how often each is run")
	flag.Parse()
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
	{"resolve", func() ([]work, error) { return resolving(), nil }},
	{"search", searching},
	{"run", running},
	{"fill", filling},
}

func bench(asJSON bool, runs int) error {
	defer func() { os.RemoveAll(made) }()
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
	var ours, limit []float64
	var peak uint64
	for range runs {
		took, memory, err := timed(w.ours)
		if err != nil {
			return row{}, err
		}
		ours, peak = append(ours, took), max(peak, memory)
		if w.limit != nil {
			took, _, err := timed(w.limit)
			if err != nil {
				return row{}, err
			}
			limit = append(limit, took)
		}
	}
	r := row{Name: w.name, Promise: w.promise, Ours: median(ours), Memory: peak}
	if len(limit) > 0 {
		r.Limit = median(limit)
		r.Ratio = r.Ours / r.Limit
	}
	return r, nil
}

// timed runs a function and watches the heap while it does.
func timed(f func() error) (float64, uint64, error) {
	runtime.GC()
	stop, peak := make(chan bool), make(chan uint64)
	go func() {
		var most uint64
		tick := time.NewTicker(5 * time.Millisecond)
		defer tick.Stop()
		for {
			var m runtime.MemStats
			select {
			case <-tick.C:
				runtime.ReadMemStats(&m)
				most = max(most, m.HeapInuse)
			case <-stop:
				runtime.ReadMemStats(&m)
				peak <- max(most, m.HeapInuse)
				return
			}
		}
	}()
	start := time.Now()
	err := f()
	took := time.Since(start).Seconds()
	stop <- true
	return took, <-peak, err
}

func median(list []float64) float64 {
	sort.Float64s(list)
	return list[len(list)/2]
}

func print1(r row) {
	line := fmt.Sprintf("%-44s %9.1f ms", r.Name, r.Ours*1000)
	if r.Limit > 0 {
		line += fmt.Sprintf("   limit %9.1f ms   ratio %5.2f", r.Limit*1000, r.Ratio)
	}
	fmt.Printf("%s   heap %4d MB   %s\n", line, r.Memory>>20, r.Promise)
}
