package view

import (
	"fmt"
	"strings"
	"sync"
	"time"
)

// Progress shows how far long work has come, on standard error: one line that
// is drawn over itself on a terminal, nothing elsewhere.
type Progress struct {
	screen *Screen
	mu     sync.Mutex
	start  time.Time
	drawn  time.Time
	shown  bool
}

// Progress begins to count the time.
func (s *Screen) Progress() *Progress { return &Progress{screen: s, start: time.Now()} }

// patience is how long work may take before it is shown.
const patience = 500 * time.Millisecond

// Report tells how far work has come. It may be called by several at once.
func (p *Progress) Report(stage string, done, total int64) {
	s := p.screen
	if s.JSON || s.Quiet || !s.ErrTerminal {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	now := time.Now()
	if now.Sub(p.start) < patience || now.Sub(p.drawn) < 100*time.Millisecond {
		return
	}
	p.drawn, p.shown = now, true
	line := fmt.Sprintf("%-8s %d", stage, done)
	if total > 0 {
		const wide = 24
		full := int(min(wide, wide*done/total))
		line = fmt.Sprintf("%-8s %s%s  %s of %s", stage, strings.Repeat("=", full), strings.Repeat(".", wide-full), Bytes(done), Bytes(total))
	}
	fmt.Fprint(s.Err, "\r\x1b[K"+line)
}

// Clear takes the line away.
func (p *Progress) Clear() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.shown {
		fmt.Fprint(p.screen.Err, "\r\x1b[K")
		p.shown = false
	}
}
