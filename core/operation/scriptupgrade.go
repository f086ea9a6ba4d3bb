package operation

import (
	"context"

	"glassjar/core/project"
)

// UpgradeScript moves what the jar of a script holds, or the named distributions of that, to the
// newest versions that the script admits, and writes them into its record where it has one. Without
// one the jar itself is changed, for all scripts that share it.
func (m *Machine) UpgradeScript(ctx context.Context, script string, names []string, pre bool, decide Decide) (*Outcome, error) {
	file := m.absolute(script)
	release, err := m.holdProject(ctx, file)
	if err != nil {
		return nil, err
	}
	defer release()
	read, err := project.ReadScript(file)
	if err != nil {
		return nil, m.ofScript(file, err)
	}
	now, err := m.withRecord(read)
	if err != nil {
		return nil, err
	}
	if now.record == nil { // else it gets another jar
		release, err := m.hold(ctx, now.place)
		if err != nil {
			return nil, err
		}
		defer release()
	}
	installed, err := now.installed()
	if err != nil {
		return nil, err
	}
	free := namesOf(installed)
	if now.record != nil {
		for _, e := range now.record.Packages {
			free[e.Name] = true
		}
	}
	if len(names) > 0 {
		if free, err = namedIn(names, free); err != nil {
			return nil, err
		}
	}
	var to *scriptJar
	p, err := upward(resolveOptions{pre: pre, free: free, named: free}, func(opt resolveOptions) (p *job, err error) {
		to, p, err = m.planEdited(ctx, read, read, opt)
		return p, err
	})
	if err != nil {
		return nil, err
	}
	if err := m.noteBehind(ctx, p, installed, free); err != nil {
		return nil, err
	}
	if now.record == nil && p.jar != nil {
		return m.carryOut(ctx, p, decide)
	}
	return m.carryOutScript(ctx, to, p, decide)
}
