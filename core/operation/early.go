package operation

import (
	"context"
	"errors"
	"time"

	"glassjar/core/index"
	"glassjar/core/jar"
	"glassjar/core/plan"
)

// fetchEarly begins to fetch what was chosen for the jar of a job, while other targets are still
// being solved for; not where somebody may be asked before. The job ends it.
func (m *Machine) fetchEarly(p *job, installed []jar.Installed) func(context.Context, []plan.Choice) {
	if m.Early == nil || !m.Early(len(installed) > 0) {
		return nil
	}
	have := map[string]string{}
	for _, d := range installed {
		have[d.Key()] = d.Version().String()
	}
	return func(ctx context.Context, choices []plan.Choice) {
		if p.begun != nil {
			return // it is solved once more, after a question
		}
		var files []index.File
		for _, c := range choices {
			switch {
			case c.Provided || have[c.Name] == c.Version.String():
			case c.File.IsSource():
				return // it may be asked whether that may be built
			default:
				files = append(files, c.File)
			}
		}
		mode := m.sharing()
		mode.Waits = func(time.Duration) error { return errNotNow }
		release, err := m.Store.Hold(ctx, mode)
		if err != nil {
			return // whoever needs the store waits for it, or says why
		}
		p.begun = p.catalog.Begin(ctx, files)
		p.endEarly = func() {
			p.begun.End()
			release()
		}
	}
}

// errNotNow ends the waiting for a lock that is not worth it.
var errNotNow = errors.New("not now")
