package view

import (
	"fmt"
	"sort"
	"strings"
	"sync"
	"time"

	"glassjar/core/progress"
)

// Progress shows how far long work has come, on standard error. On a terminal
// that is one line for the whole, with amount, rate and time left, and below it
// the files at work while they last, drawn over each other; elsewhere a plain
// line now and then. Nothing is shown of work that is over within half a
// second.
type Progress struct {
	screen *Screen
	now    func() time.Time

	mu       sync.Mutex
	start    time.Time
	drawn    time.Time
	lines    int // how many lines stand on the terminal
	stage    string
	rate     float64 // of bytes a second, smoothed
	last     int64   // bytes at the last drawing
	lastTime time.Time
	running  map[string]progress.Event
}

// Progress begins to count the time.
func (s *Screen) Progress() *Progress {
	s.progress = &Progress{screen: s, now: time.Now, start: time.Now(), running: map[string]progress.Event{}}
	return s.progress
}

const (
	// patience is how long work may take before it is shown.
	patience = 500 * time.Millisecond
	// pace is how often the terminal is drawn anew, and slowPace how often a
	// line is written elsewhere.
	pace     = 100 * time.Millisecond
	slowPace = 5 * time.Second
	// maxRunning is how many files are shown at a time.
	maxRunning = 4
)

// Report tells how far work has come. It may be called by several at once.
func (p *Progress) Report(e progress.Event) {
	s := p.screen
	if s.JSON || s.Quiet {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if e.Stage != p.stage {
		p.stage, p.rate, p.last, p.lastTime = e.Stage, 0, e.Done, p.now()
		clear(p.running)
	}
	switch {
	case e.Ended:
		delete(p.running, e.File)
	case e.File != "":
		p.running[e.File] = e
	}
	now := p.now()
	wait := pace
	if !s.ErrTerminal {
		wait = slowPace
	}
	if now.Sub(p.start) < patience || !p.drawn.IsZero() && now.Sub(p.drawn) < wait {
		return
	}
	p.measure(e, now)
	p.drawn = now
	if s.ErrTerminal {
		p.draw(e)
		return
	}
	fmt.Fprintln(s.Err, strings.Join(append([]string{p.stage}, p.amounts(e)...), "  "))
}

// measure smooths the rate over about a second.
func (p *Progress) measure(e progress.Event, now time.Time) {
	if passed := now.Sub(p.lastTime).Seconds(); passed > 0 && e.Bytes {
		rate := float64(e.Done-p.last) / passed
		share := min(1, passed)
		if p.rate == 0 {
			share = 1
		}
		p.rate = share*rate + (1-share)*p.rate
		p.last, p.lastTime = e.Done, now
	}
}

// amounts are how much is done, how fast it goes, and how long it will take.
func (p *Progress) amounts(e progress.Event) []string {
	amount := func(n int64) string {
		if e.Bytes {
			return Bytes(n)
		}
		return fmt.Sprint(n)
	}
	if e.Total <= 0 && e.Done == 0 && !e.Bytes {
		return nil // how much there is to be done nobody knows
	}
	if e.Total <= 0 {
		return []string{strings.TrimSpace(amount(e.Done) + " " + e.Unit)}
	}
	out := []string{amount(e.Done) + " of " + amount(e.Total)}
	if e.Bytes && p.rate > 0 {
		out = append(out, Bytes(int64(p.rate))+"/s")
		if left := float64(e.Total-e.Done) / p.rate; left >= 1 && left < 1e6 {
			words := fmt.Sprintf("%.0f s", left)
			if left >= 60 {
				words = Took(time.Duration(left) * time.Second)
			}
			out = append(out, words+" left")
		}
	}
	return out
}

func (p *Progress) draw(e progress.Event) {
	s := p.screen
	room := s.errWidth()
	var lines []string
	head := p.stage
	if e.Total > 0 {
		const wide = 20
		full := int(max(0, min(wide, wide*e.Done/e.Total)))
		head += "  " + strings.Repeat("=", full) + strings.Repeat(".", wide-full)
	}
	lines = append(lines, head+"  "+strings.Join(p.amounts(e), "  "))
	var names []string
	for name := range p.running {
		names = append(names, name)
	}
	sort.Strings(names)
	for i, name := range names {
		if i == maxRunning {
			lines = append(lines, fmt.Sprintf("    and %d more", len(names)-i))
			break
		}
		f := p.running[name]
		text := "    " + Clean(name) + "  " + Bytes(f.FileDone)
		if f.FileTotal > 0 {
			text += " of " + Bytes(f.FileTotal)
		}
		lines = append(lines, text)
	}
	var b strings.Builder
	b.WriteString(p.back())
	for _, l := range lines {
		b.WriteString(cut(l, room-1) + "\n")
	}
	p.lines = len(lines)
	fmt.Fprint(s.Err, b.String())
}

// back goes to where the drawing began, and clears from there on.
func (p *Progress) back() string {
	if p.lines == 0 {
		return ""
	}
	return fmt.Sprintf("\x1b[%dA\r\x1b[J", p.lines)
}

// clear takes what is drawn away, before anything else is written.
func (p *Progress) clear() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.lines > 0 {
		fmt.Fprint(p.screen.Err, p.back())
		p.lines = 0
	}
}
