package view

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"glassjar/core/progress"
)

// What is drawn is told by the amounts and the clock alone.
func TestProgress(t *testing.T) {
	var errs bytes.Buffer
	s := &Screen{Out: &bytes.Buffer{}, Err: &errs}
	p := s.Progress()
	clock := p.start
	p.now = func() time.Time { return clock }
	step := func(d time.Duration, e progress.Event) string {
		clock = clock.Add(d)
		errs.Reset()
		p.Report(e)
		return errs.String()
	}
	at := func(done int64) progress.Event {
		return progress.Event{Stage: "fetching", Done: done, Total: 20_000_000, Bytes: true, File: "atlas.whl", FileDone: done, FileTotal: 20_000_000}
	}
	assert.Empty(t, step(100*time.Millisecond, at(100_000)), "within half a second nothing is shown")
	assert.Equal(t, "fetching  2.1 MB of 20 MB  2.0 MB/s  9 s left\n", step(time.Second, at(2_100_000)))
	assert.Empty(t, step(time.Second, at(4_000_000)), "a line now and then where it is no terminal")
	assert.Equal(t, "solving  3\n", step(9*time.Second, progress.Event{Stage: "solving", Done: 3}))

	s.ErrTerminal = true
	drawn := step(time.Second, at(10_000_000))
	assert.Contains(t, drawn, "fetching  ==========..........  10 MB of 20 MB")
	assert.Contains(t, drawn, "\n    atlas.whl  10 MB of 20 MB\n")
	drawn = step(time.Second, progress.Event{Stage: "fetching", Done: 12_000_000, Total: 20_000_000, Bytes: true, File: "atlas.whl", Ended: true})
	assert.True(t, strings.HasPrefix(drawn, "\x1b[2A\r\x1b[J"), "the earlier drawing is gone back over")
	assert.NotContains(t, drawn, "atlas.whl", "a file is shown while it lasts")
	errs.Reset()
	s.Say("done")
	assert.Equal(t, "\x1b[1A\r\x1b[J", errs.String(), "before a result is written the drawing is taken away")
	s.Quiet = true
	assert.Empty(t, step(time.Hour, at(1)))
}
