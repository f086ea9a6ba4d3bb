package operation

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/index"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/registry"
	"glassjar/core/resolve"
	"glassjar/core/target"
)

// recreateFrom makes a jar be what another file says: a record, a spec, a script, or a
// plain list. A jar that has neither spec nor record yet gets them, so that
// what is in it is written down.
func (m *Machine) recreateFrom(ctx context.Context, at place.Place, opt RecreateOptions, decide Decide) (*Outcome, error) {
	if registry.IsRef(opt.From) {
		spec, err := readSpec(at)
		if err != nil {
			return nil, err
		}
		return m.fromSealed(ctx, at, spec, opt.From, opt, decide)
	}
	file := m.absolute(opt.From)
	text, err := readFrom(file)
	if err != nil {
		return nil, &UsageError{Case: Unreadable, Of: []string{project.Shorten(m.Dir, file)}, Err: plainSystem(err)}
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	if opt.Target == "" && (fileExists(at.SpecFile) || fileExists(at.RecordFile)) && file != at.RecordFile {
		m.note(FilesStay, m.Places().Called(at))
	}
	kind := kindOf(file, text)
	if kind != "sealed" {
		if opt.signed, err = m.checkSigned(opt.SignedBy, project.Shorten(m.Dir, file), text, func() ([][]byte, error) { return signatureOf(file) }); err != nil {
			return nil, err
		}
	}
	switch kind {
	case "record":
		record, err := project.ParseRecord(file, text)
		if err != nil {
			return nil, err
		}
		switch {
		case fileExists(at.SpecFile) || fileExists(at.RecordFile):
		case record.NamesPaths():
			m.note(NoRecordOfPaths, project.Shorten(m.Dir, file))
		default:
			opt.adopt = text
		}
		return m.fromRecord(ctx, at, spec, record, opt, decide)
	case "sealed":
		return m.fromSealed(ctx, at, spec, file, opt, decide)
	case "spec":
		from, err := project.ParseSpec(file, text)
		if err != nil {
			return nil, err
		}
		return m.fromRoots(ctx, at, from, from.Asked, opt, decide)
	case "script":
		script, err := project.ParseScript(file, text)
		if err != nil {
			return nil, err
		}
		from, err := project.ParseSpec(file, script.Spec)
		if err != nil {
			return nil, err
		}
		return m.fromRoots(ctx, at, from, script.Asked, opt, decide)
	}
	asked, left, err := project.ParseList(file, string(text))
	if err != nil && !opt.Lenient {
		return nil, err
	}
	for _, l := range left {
		l.File = project.Shorten(m.Dir, l.File)
		m.note(LineLeftOut, l.Error())
	}
	listed := &project.Spec{File: spec.File, Tool: spec.Tool, RequiresPython: spec.RequiresPython}
	return m.fromRoots(ctx, at, listed, asked, opt, decide)
}

func plainSystem(err error) error {
	var p *os.PathError
	if errors.As(err, &p) {
		return p.Err
	}
	return err
}

// zipHead begins every zip that has members.
var zipHead = []byte("PK\x03\x04")

// readFrom reads a file, of a sealed jar only the head.
func readFrom(file string) ([]byte, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	head := make([]byte, len(zipHead))
	if n, _ := io.ReadFull(f, head); n == len(head) && bytes.Equal(head, zipHead) {
		return head, nil
	}
	return limits.ReadFile(file, limits.Record)
}

// kindOf tells a sealed jar, and a record from a spec, both TOML, and these from
// a plain list and from a script that says what it needs.
func kindOf(file string, text []byte) string {
	switch {
	case bytes.Equal(text, zipHead):
		return "sealed"
	case !strings.HasSuffix(file, ".toml") && project.HasBlock(file):
		return "script"
	case !strings.HasSuffix(file, ".toml"):
		return "list"
	case bytes.Contains(text, []byte("lock-version")), bytes.Contains(text, []byte("[[packages]]")), strings.HasPrefix(filepath.Base(file), "pylock."):
		return "record"
	}
	return "spec"
}

// fromRoots solves requirements and makes the jar hold exactly what comes of
// them.
func (m *Machine) fromRoots(ctx context.Context, at place.Place, spec *project.Spec, roots []project.Asked, opt RecreateOptions, decide Decide) (*Outcome, error) {
	indexes, sampleOnly := m.indexes(spec)
	p := newJob(at)
	p.instead = opt.instead
	p.catalog, p.SampleOnly = m.newCatalog(indexes), sampleOnly
	installed, survey, err := m.present(ctx, p, spec, opt.Python, false)
	if err != nil {
		return nil, err
	}
	p.Python = p.python.Title()
	env := target.EnvironmentOf(p.python)
	if err := plan.CheckPython(spec.RequiresPython, env); err != nil {
		return nil, err
	}
	m.withSources(p, spec, nil, nil)
	u, err := m.solveAll(ctx, p, spec, roots, resolve.Problem{})
	if err != nil {
		return nil, err
	}
	if err := m.remark(ctx, p, u); err != nil {
		return nil, err
	}
	if p.parts, err = opt.parts(project.Parts{}, &project.Record{Groups: spec.Groups, Extras: spec.Extras}); err != nil {
		return nil, err
	}
	p.choices = u.Parts(p.parts)
	if err := p.catalog.HashAll(ctx, p.choices); err != nil {
		return nil, err
	}
	if !fileExists(at.SpecFile) && !fileExists(at.RecordFile) {
		if err := m.writeDown(ctx, p, spec, roots, u); err != nil {
			return nil, err
		}
	}
	return m.makeSo(ctx, p, installed, survey, decide)
}

// writeDown adds spec and record to what a plan writes.
func (m *Machine) writeDown(ctx context.Context, p *job, spec *project.Spec, roots []project.Asked, u *plan.Solutions) error {
	var err error
	text := spec.Text
	if text == nil {
		var wants []string
		for _, a := range roots {
			wants = append(wants, a.Requirement.String())
		}
		if text, err = (&project.Spec{File: p.place.SpecFile}).Edit(project.Part{}, wants, nil, project.PlainName(p.place.Prompt())); err != nil {
			return err
		}
	}
	p.write[p.place.SpecFile] = text
	p.write[p.place.RecordFile], err = m.recordText(ctx, p, spec, roots, u)
	return err
}

func fileExists(file string) bool {
	_, err := os.Stat(file)
	return err == nil
}

// wouldBe is the plan of another machine: what a record gives for a target.
func (m *Machine) wouldBe(at place.Place, record *project.Record, opt RecreateOptions, decide Decide) (*Outcome, error) {
	os, arch, err := target.Parse(opt.Target)
	if err != nil {
		return nil, err
	}
	t := target.Target{OS: os, Arch: arch, Implementation: "cpython", Major: 3, Minor: target.NewestMinor}
	if opt.Python != "" {
		if t.Major, t.Minor, err = parseMinor(opt.Python); err != nil {
			return nil, err
		}
	}
	parts, err := opt.parts(project.Parts{}, record)
	if err != nil {
		return nil, err
	}
	env := t.Environment()
	list, err := plan.FromRecord(record, env, parts, func(f index.File) (index.File, error) { return f, nil })
	if err != nil {
		return nil, err
	}
	p := newJob(at)
	p.Python, p.Create = env.Title, true
	p.catalog = m.newCatalog(nil)
	p.choices = list
	p.compare(nil, nil, nil, plan.Aim{})
	_, err = decide(p.Plan)
	return newOutcome(p.Plan), err
}
