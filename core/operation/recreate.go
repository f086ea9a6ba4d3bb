package operation

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	"glassjar/core/index"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/plan"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/signature"
	"glassjar/core/target"
)

// RecreateOptions say from what, and with which Python.
type RecreateOptions struct {
	Jar string
	// Python is a wish for the interpreter of a jar that has to be made.
	Python string
	// AsRecorded goes on though the spec has changed since.
	AsRecorded bool
	// Groups and Extras are parts of the spec to install besides the
	// dependencies; Only leaves the dependencies out.
	Groups, Extras []string
	Only           bool
	// From is a record, a plain list, a spec or a sealed jar to follow instead.
	From string
	// Lenient takes of a plain list what is a requirement, and leaves the rest.
	Lenient bool
	// SignedBy is a file of the people of whom one must have signed the record; empty for that
	// of the settings, if any.
	SignedBy string
	// Target, with Python a minor version, shows what another machine would get;
	// nothing is done.
	Target string

	// unseal, if set, brings the chosen files into the store; adopt is the text of
	// a record that becomes that of a jar which has none, adoptSpec that of a spec.
	unseal func(interpreter.Interpreter, []plan.Choice) error
	// bring puts the file of a pinned interpreter into the store; nil where that is to be had
	// as the record says.
	bring            func(project.PinnedPython) error
	adopt, adoptSpec []byte
	// instead makes the jar anew in the place of one that is spoiled.
	instead bool
	// signed tells who signed the record, where somebody had to.
	signed *signature.Signed
}

// OutOfStepError says that the spec was changed after the record was made.
type OutOfStepError struct {
	// Record is its file, Script the script that it is of, if it is one's.
	Record, Script string
	Added, Dropped []string
}

func (e *OutOfStepError) Error() string { return "the spec has changed since the record was made" }

// Recreate makes a jar be exactly what its record says: a missing one is made,
// and an existing one brought there, whatever was done to it. One that cannot be brought there
// where it stands makes way for a new one, as by discard.
func (m *Machine) Recreate(ctx context.Context, opt RecreateOptions, decide Decide) (*Outcome, error) {
	at, err := m.Places().Locate(opt.Jar, true)
	var missing *place.NoJarError
	switch {
	case !errors.As(err, &missing):
	case opt.Jar == "" && opt.From != "":
		at, err = m.Places().At(missing.Root, place.Nearest), nil
	case opt.Jar != "" && (at.Project != "" || opt.From != ""):
		err = nil // it is to be made
	}
	if err != nil {
		return nil, err
	}
	out, err := m.recreate(ctx, at, opt, decide)
	bad := spoiled(at.Root, err)
	if bad == nil && !standsInItsWay(err) || !m.madeHere(at.Root) {
		return out, err
	}
	why := err
	if bad != nil {
		why = bad.Err
	}
	opt.instead = true
	if out, err = m.recreate(ctx, at, opt, decide); err == nil {
		m.note(SpoiledMakesWay, m.plainWhy(why))
	}
	return out, err
}

func (m *Machine) recreate(ctx context.Context, at place.Place, opt RecreateOptions, decide Decide) (*Outcome, error) {
	release, err := m.holdOrPlace(ctx, at)
	if opt.instead && spoiled(at.Root, err) != nil {
		release, err = m.holdProject(ctx, at.Key())
	}
	if err != nil {
		return nil, err
	}
	defer release()
	if opt.From != "" && opt.Target == "" {
		return m.recreateFrom(ctx, at, opt, decide)
	}
	file := at.RecordFile
	if opt.From != "" {
		file = opt.From
	}
	text, record, err := project.ReadRecordText(file)
	if err != nil {
		return nil, err
	}
	if opt.Target != "" {
		return m.wouldBe(at, record, opt, decide)
	}
	if opt.signed, err = m.checkSigned(opt.SignedBy, m.relative(file), text, func() ([][]byte, error) { return signatureOf(file) }); err != nil {
		return nil, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	if added, dropped := drift(spec, record); len(added)+len(dropped) > 0 && !opt.AsRecorded {
		return nil, &OutOfStepError{Record: at.RecordFile, Added: added, Dropped: dropped}
	}
	return m.fromRecord(ctx, at, spec, record, opt, decide)
}

func (m *Machine) fromRecord(ctx context.Context, at place.Place, spec *project.Spec, record *project.Record, opt RecreateOptions, decide Decide) (*Outcome, error) {
	indexes, sampleOnly := m.indexes(spec)
	p := newJob(at)
	p.instead = opt.instead
	p.catalog, p.SampleOnly = m.newCatalog(indexes), sampleOnly && usesSample(record)
	var err error
	if opt.Python == "" {
		if p.pinned, err = m.pinnedPython(ctx, record, opt.bring); err != nil {
			return nil, err
		}
	}
	installed, survey, err := m.present(ctx, p, spec, opt.Python, false)
	if err != nil {
		return nil, err
	}
	p.Python = p.python.Title()
	env := target.EnvironmentOf(p.python)
	if err := plan.CheckPython(record.RequiresPython, env); err != nil {
		return nil, err
	}
	if p.jar != nil {
		p.parts = p.jar.State.Parts
	}
	if p.parts, err = opt.parts(p.parts, record); err != nil {
		return nil, err
	}
	b := m.withSources(p, spec, nil, record)
	if p.choices, err = plan.FromRecord(record, env, p.parts, b.Take(ctx)); err != nil {
		return nil, err
	}
	if opt.unseal != nil {
		if err := opt.unseal(p.python, p.choices); err != nil {
			return nil, err
		}
	}
	if err := p.catalog.HashAll(ctx, p.choices); err != nil {
		return nil, err
	}
	if opt.adopt != nil {
		p.write[at.RecordFile] = opt.adopt
	}
	if opt.adoptSpec != nil {
		p.write[at.SpecFile] = opt.adoptSpec
	}
	if err := p.takeAlong(); err != nil {
		return nil, err
	}
	p.seeSystem = spec.SeeSystem(p.seeSystem || record.SeeSystem)
	out, err := m.makeSo(ctx, p, installed, survey, decide)
	if out != nil {
		out.Signed = opt.signed
	}
	return out, err
}

// takeAlong keeps the spec and the record of a jar that is made instead of another, where
// they stand in the jar itself.
func (p *job) takeAlong() error {
	if !p.instead || p.place.Project != "" {
		return nil
	}
	for _, file := range []string{p.place.SpecFile, p.place.RecordFile} {
		data, err := readIfThere(file)
		if err != nil {
			return err
		}
		if data != nil && p.write[file] == nil {
			p.write[file] = data
		}
	}
	return nil
}

// makeSo brings the jar of a plan to hold exactly what is selected, and makes
// it first where it is missing.
func (m *Machine) makeSo(ctx context.Context, p *job, installed []jar.Installed, survey *jar.Survey, decide Decide) (*Outcome, error) {
	p.compare(installed, func(jar.Installed) bool { return false }, survey, plan.Aim{Why: "it is not in what the jar is made from"})
	return m.makeAndCarryOut(ctx, p, decide)
}

// makeAndCarryOut is [Machine.carryOut] of a plan whose jar may be missing: then it is made
// beside its place, filled there, and appears as a whole.
func (m *Machine) makeAndCarryOut(ctx context.Context, p *job, decide Decide) (*Outcome, error) {
	defer p.end()
	if ok, err := decide(p.Plan); err != nil || !ok {
		return newOutcome(p.Plan), err
	}
	release, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return newOutcome(p.Plan), err
	}
	defer release()
	temp, done := "", func() {}
	if p.jar == nil {
		temp, done = m.Making.Begin(p.place.Root)
		defer func() {
			if os.RemoveAll(temp) != nil {
				_ = os.RemoveAll(temp) // an error of the disk may pass; what stays the next command removes
			}
		}()
	}
	defer done()
	if err := m.ensure(p, temp); err != nil {
		return newOutcome(p.Plan), err
	}
	return m.apply(ctx, p)
}

func usesSample(record *project.Record) bool {
	for _, p := range record.Packages {
		if p.Index == index.SampleScheme {
			return true
		}
	}
	return false
}

// present looks at the jar as it is, if it is there and its interpreter is;
// otherwise it chooses the interpreter for the one to be made. deep has every
// file read, not only those whose time says that they were changed.
func (m *Machine) present(ctx context.Context, p *job, spec *project.Spec, wish string, deep bool) ([]jar.Installed, *jar.Survey, error) {
	switch {
	case p.instead: // it was told why
	case p.place.Exists() && !m.Places().MayBeUsed(p.place.Root):
		p.instead = true
		m.note(MakesWay)
	case p.place.Exists():
		j, err := m.open(p.place)
		if err != nil {
			return nil, nil, err
		}
		in, err := m.interpreterOf(ctx, j)
		var gone *jar.InterpreterGoneError
		switch {
		case errors.As(err, &gone) && p.pinned != nil:
			if in = *p.pinned; !standsFor(j, in) {
				return nil, nil, usage(OtherThanPinned, "Python "+gone.Version, p.place.Root)
			}
		case errors.As(err, &gone):
			if in, err = m.replacement(ctx, j, spec, wish); err != nil {
				return nil, nil, err
			}
		case err != nil:
			return nil, nil, err
		case wish == "":
			if in, err = m.moveTo(ctx, p, j, in); err != nil {
				return nil, nil, err
			}
		}
		if wish != "" {
			want, _, _, err := m.choosePython(ctx, wish, spec)
			if err != nil {
				return nil, nil, err
			}
			if want.Path != in.Path {
				return nil, nil, usage(OtherPython, in.Title(), p.place.Root)
			}
		}
		p.jar, p.python, p.seeSystem = j, in, j.State.SeeSystem
		installed, err := j.Installed()
		if err != nil {
			return nil, nil, err
		}
		look := j.QuickSurvey
		if deep {
			look = j.Survey
		}
		survey, err := look(installed)
		return installed, &survey, err
	}
	p.Create = true
	if p.pinned != nil && wish == "" {
		p.python = *p.pinned
		return nil, nil, nil
	}
	if p.instead && wish == "" && m.likeBefore(ctx, p) {
		return nil, nil, nil
	}
	var err error
	p.python, _, _, err = m.needPython(ctx, wish, spec)
	return nil, nil, err
}

// likeBefore has a jar that is made in the place of a spoiled one be of the same Python and hold the
// same parts, where that one still says which. Of a jar that is not trusted nothing is believed.
func (m *Machine) likeBefore(ctx context.Context, p *job) bool {
	if !m.Places().MayBeUsed(p.place.Root) {
		return false
	}
	j, err := jar.Open(p.place.Root)
	if err != nil {
		return false
	}
	in, err := m.interpreterOf(ctx, j)
	if err != nil {
		return false
	}
	p.python, p.parts, p.seeSystem = in, j.State.Parts, j.State.SeeSystem
	return true
}

// standsFor reports whether a jar can be linked to an interpreter as it is: its folders and
// compiled modules are for one of that kind and minor version.
func standsFor(j *jar.Jar, in interpreter.Interpreter) bool {
	want, l := j.Layout(), jar.LayoutOf(in)
	return l.Major == want.Major && l.Minor == want.Minor && l.Implementation == want.Implementation && in.ABI() == j.State.ABI
}

// replacement finds an interpreter for a jar whose own is gone: it must be of
// the same kind and minor version, since the folders are named for them.
func (m *Machine) replacement(ctx context.Context, j *jar.Jar, spec *project.Spec, wish string) (interpreter.Interpreter, error) {
	want := j.Layout()
	found, passed, ok := m.finder().First(ctx, func(in interpreter.Interpreter) bool { return standsFor(j, in) })
	if !ok {
		all, _ := m.finder().All(ctx)
		none := &NoPythonError{Wish: fmt.Sprintf("%d.%d, as the jar was made with", want.Major, want.Minor), From: "the jar, whose own is gone", Found: all, PassedOver: passed}
		text := fmt.Sprintf("%s%d.%d", want.Implementation, want.Major, want.Minor)
		if want.FreeThreaded {
			text += "t"
		}
		wanted, err := interpreter.ParseWish(text)
		if err != nil {
			return interpreter.Interpreter{}, none
		}
		program, err := m.missingPython(ctx, wanted, spec, none)
		if err != nil {
			return interpreter.Interpreter{}, err
		}
		in, err := m.probe(ctx, program)
		if err == nil && !standsFor(j, in) {
			err = none
		}
		return in, err
	}
	return found.Interpreter, nil
}

// ensure makes the jar of a plan, in a folder beside its place, or plans to link an
// existing one anew.
func (m *Machine) ensure(p *job, temp string) (err error) {
	if p.jar != nil {
		return p.rebase(p.place)
	}
	if !p.instead {
		if err := jar.Vacant(p.place.Root); err != nil {
			return err
		}
	}
	opt := jar.Options{Prompt: p.place.Prompt(), SeeSystem: p.seeSystem, Parts: p.parts}
	if !p.once {
		opt.Prepared = m.expectAt(p.place.Root)
	}
	p.jar, err = jar.Prepare(temp, p.python, opt)
	return err
}

// rebase plans what belongs to the jar itself to be put right.
func (p *job) rebase(at place.Place) (err error) {
	p.structure, err = p.jar.Rebase(p.python, jar.Options{Prompt: at.Prompt(), SeeSystem: p.seeSystem, Parts: p.jar.State.Parts})
	p.Structure = sortedNames(p.structure)
	return err
}

// parts are the pieces of the spec to be installed: those that the command
// names, else those that the jar has.
func (o RecreateOptions) parts(have project.Parts, record *project.Record) (project.Parts, error) {
	if len(o.Groups)+len(o.Extras) == 0 && !o.Only {
		if len(have.Groups)+len(have.Extras) == 0 {
			have.Groups = record.DefaultGroups
		}
		return have, nil
	}
	p := project.Parts{Only: o.Only}
	if len(o.Groups) == 0 && !o.Only {
		p.Groups = slices.Clone(record.DefaultGroups)
	}
	for _, list := range []struct {
		asked, known []string
		to           *[]string
		what         string
	}{{o.Groups, record.Groups, &p.Groups, "group"}, {o.Extras, record.Extras, &p.Extras, "extra"}} {
		for _, name := range list.asked {
			key := requirement.Normalize(name)
			if !slices.Contains(list.known, key) {
				return p, usage(NoPartOfRecord, list.what, name, strings.Join(list.known, ", "))
			}
			*list.to = append(*list.to, key)
		}
	}
	return p.With(nil, nil), nil
}
