package operation

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"time"

	"glassjar/core/atomicfile"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
)

// IntoOptions say what to change in a script's block of metadata.
type IntoOptions struct {
	Script string
	// Wants are requirements (PEP 508) that it gets, Gone names that are taken out.
	Wants, Gone []string
	// Pre admits pre-releases.
	Pre bool
}

// EditScript changes what a script says it needs, and its record where it has one, and makes its
// jar; one that has no block yet gets one. What does not fit together is not written.
func (m *Machine) EditScript(ctx context.Context, opt IntoOptions, decide Decide) (*Outcome, error) {
	file := m.absolute(opt.Script)
	release, err := m.holdProject(ctx, file)
	if err != nil {
		return nil, err
	}
	defer release()
	asked, err := m.readWants(ctx, opt.Wants, nil)
	if err != nil {
		return nil, err
	}
	text, err := limits.ReadFile(file, limits.Script)
	if err != nil {
		return nil, &UsageError{Case: UnreadScript, Of: []string{m.relative(file)}, Err: plainSystem(err)}
	}
	script, err := project.ParseScript(file, text)
	if line := project.UnclosedBlock(text); line > 0 && errors.Is(err, project.ErrNoBlock) {
		return nil, &project.FileError{File: file, Line: line, Why: `the block of script metadata that begins here is empty, or not closed by a line "# ///" with comments alone before it`}
	}
	if errors.Is(err, project.ErrNoBlock) && len(opt.Wants) > 0 {
		script, err = project.ParseScript(file, project.NewBlock(text))
	}
	if err != nil {
		return nil, m.ofScript(file, err)
	}
	edited, err := editBlock(script, asked, opt.Gone)
	if err != nil {
		return nil, err
	}
	gone := map[string]bool{}
	for _, name := range opt.Gone {
		gone[requirement.Normalize(name)] = true
	}
	to, p, err := m.planEdited(ctx, script, edited, resolveOptions{asked: asked, pre: opt.Pre, gone: gone})
	if err != nil {
		return nil, err
	}
	return m.carryOutScript(ctx, to, p, decide)
}

// carryOutScript makes the jar of a script as it is to be, and writes the script and its record.
func (m *Machine) carryOutScript(ctx context.Context, to *scriptJar, p *job, decide Decide) (*Outcome, error) {
	file := to.File
	if ok, err := decide(p.Plan); err != nil || !ok {
		return newOutcome(p.Plan), err
	}
	started := time.Now()
	made, err := m.makeScriptJar(ctx, to)
	if err != nil {
		return nil, err
	}
	out := newOutcome(p.Plan)
	out.Plan.Jar, out.Done, out.Took = to.place.Root, true, time.Since(started)
	if made != nil {
		out.Fetched, out.Files, out.Warnings = made.Fetched, made.Files, made.Warnings
	}
	// The record comes first: one that is not of what the script asks for is told.
	for _, one := range []struct {
		file string
		text []byte
	}{{project.ScriptRecord(file), to.text}, {file, to.Text}} {
		if one.text == nil {
			continue
		}
		have, _ := readIfThere(one.file)
		if bytes.Equal(have, one.text) {
			continue
		}
		if err := atomicfile.Write(one.file, one.text, atomicfile.Options{Within: repositoryOf(filepath.Dir(file)), Temporary: m.Making.Begin}); err != nil {
			return out, err
		}
		out.Wrote = append(out.Wrote, one.file)
	}
	m.noteScript(file, to.place.Root)
	return out, m.dropStaleSignature(place.Place{RecordFile: project.ScriptRecord(file)})
}

// editBlock is a script with requirements added to and taken out of its block. A name without
// anything more keeps what the block says of it.
func editBlock(script *project.Script, asked []project.Asked, gone []string) (*project.Script, error) {
	there := map[string]bool{}
	for _, a := range script.Asked {
		there[a.Key()] = true
	}
	_, err := namedIn(gone, there)
	var missing *NotInstalledError
	if errors.As(err, &missing) {
		missing.Script = script.File
	}
	if err != nil {
		return nil, err
	}
	var add []string
	for _, a := range asked {
		if !bare(a) || !there[a.Key()] {
			add = append(add, a.Requirement.String())
		}
	}
	text, err := script.Edit(add, gone)
	if err != nil {
		return nil, err
	}
	return project.ParseScript(script.File, text)
}

// planEdited solves what a script asks for after it was edited; versions stay where they fit. The
// plan shows what its new jar has more and less than the one before.
func (m *Machine) planEdited(ctx context.Context, was, edited *project.Script, opt resolveOptions) (*scriptJar, *job, error) {
	file := project.ScriptRecord(edited.File)
	before, err := m.withRecord(was)
	if err != nil {
		return nil, nil, err
	}
	to, err := m.jarOf(edited, nil, nil)
	if err != nil {
		return nil, nil, err
	}
	at := to.place
	if at.RecordFile = before.place.RecordFile; before.record != nil {
		at.RecordFile = file
	}
	p, err := m.planScript(ctx, to, at, before.place.Root, opt)
	if err != nil {
		return nil, nil, err
	}
	p.Plan.Jar = edited.File
	if before.record != nil {
		text := p.write[file]
		record, err := project.ParseRecord(file, text)
		if err != nil {
			return nil, nil, err
		}
		if to, err = m.jarOf(edited, text, record); err != nil {
			return nil, nil, err
		}
	}
	to.keep, to.own = p.versions, true
	return to, p, nil
}

// recordScript writes or refreshes the record of a script. Without one yet, the versions with which
// it was run stay where they fit.
func (m *Machine) recordScript(ctx context.Context, opt RecordOptions) (*Recorded, error) {
	file := m.absolute(opt.Of)
	release, err := m.holdProject(ctx, file)
	if err != nil {
		return nil, err
	}
	defer release()
	script, err := project.ReadScript(file)
	if err != nil {
		return nil, m.ofScript(file, err)
	}
	s, err := m.jarOf(script, nil, nil)
	if err != nil {
		return nil, err
	}
	installed, err := s.installed()
	if err != nil {
		return nil, err
	}
	at := s.place
	at.RecordFile = project.ScriptRecord(file)
	p, err := m.planWithoutJar(ctx, at, s.spec)
	if err != nil {
		return nil, err
	}
	return m.recordFor(ctx, p, s.spec, installed, opt)
}

// ofScript is an error of reading a script that was named, as one of usage where it is.
func (m *Machine) ofScript(file string, err error) error {
	var system *os.PathError
	switch {
	case errors.Is(err, project.ErrNoBlock):
		return usage(NoBlock, m.relative(file))
	case errors.As(err, &system):
		return &UsageError{Case: UnreadScript, Of: []string{m.relative(file)}, Err: plainSystem(err)}
	}
	return err
}
