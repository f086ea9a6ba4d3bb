package operation

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"time"

	"glassjar/core/building"
	"glassjar/core/catalog"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/source"
)

// withSources has a job's catalog answer for source. named are the names that the command
// line itself asks for, record what is there already.
func (m *Machine) withSources(p *job, spec *project.Spec, named map[string]bool, record *project.Record) *building.Building {
	home, _ := os.UserHomeDir() // where there is none there is nothing to hide
	on := building.Machine{
		Dir: m.Dir, Store: m.Store, Kept: m.kept(), Checkouts: m.checkouts(),
		Work: filepath.Join(m.Folders.Cache, "builds"), Logs: filepath.Join(m.Folders.State, "builds"), Home: home, Readable: m.storeFolders(),
		Limit: m.buildLimit(), Placing: m.Settings.Placing, Temporary: m.Making.Begin, Report: m.Report, Now: m.now, Catalog: m.newCatalog,
		Hold:   func(ctx context.Context) (func(), error) { return m.Store.Hold(ctx, m.sharing()) },
		Solver: func(ctx context.Context, c *catalog.Catalog) plan.Solver { return m.solver(ctx, c, nil) },
	}
	consents := &building.Consents{
		File: filepath.Join(m.Folders.State, "consents.json"), Of: p.place.Key(), Spec: spec,
		Yes: slices.Concat(m.Build, m.Settings.BuildConsent), Named: named, Ask: m.AskBuild,
	}
	b := building.New(on, p.python, p.catalog, consents, record)
	p.catalog.Sources, p.building = b, b
	return b
}

// kept are the wheels that were built on this machine.
func (m *Machine) kept() source.Kept { return source.Kept{Dir: filepath.Join(m.Store.Dir, "built")} }

func (m *Machine) storeFolders() []string {
	var out []string
	for _, s := range m.Store.Chain() {
		out = append(out, s.Dir)
	}
	return out
}

// buildLimit is how long one step of a build may take.
func (m *Machine) buildLimit() time.Duration {
	if m.Settings.BuildMinutes > 0 {
		return time.Duration(m.Settings.BuildMinutes) * time.Minute
	}
	return time.Hour
}

func (m *Machine) repositories() source.Repositories {
	return source.Repositories{Dir: filepath.Join(m.Folders.Cache, "repositories"), Offline: m.Client.Offline}
}

func (m *Machine) checkouts() building.Checkouts {
	return building.Checkouts{Repositories: m.repositories(), In: filepath.Join(m.Folders.Cache, "checkouts"), Now: m.now}
}
