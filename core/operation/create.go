package operation

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"

	"glassjar/core/interpreter"
	"glassjar/core/interpreter/offered"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/version"
)

// CreateOptions are those of a new jar.
type CreateOptions struct {
	// Name puts the jar on the shelf; At puts it into a folder; with neither it
	// is the project's.
	Name, At string
	// Here makes it in the current folder though that lies in a project.
	Here bool
	// Python is a wish as [interpreter.ParseWish] reads it, or empty.
	Python    string
	SeeSystem bool
	// Put are requirements (PEP 508) to be in it from the beginning.
	Put []string
}

// Created tells of a new jar.
type Created struct {
	Place  place.Place
	Python interpreter.Interpreter
	// Why says why that interpreter was chosen.
	Why string
	// PassedOver are candidates that gave no usable answer.
	PassedOver []interpreter.Rejection
	// Filled is what was put into it, nil for an empty one.
	Filled *Outcome
	// Above tells that it is for a project in whose folders the user stands, not for
	// the folder itself.
	Above bool
}

// NoPythonError says that no interpreter is what was wished for.
type NoPythonError struct {
	// Wish is in words; From says where it was asked for, Script which script asks for it, if one does.
	Wish, From, Script string
	Found              []interpreter.Found
	PassedOver         []interpreter.Rejection
	// Places are the indexes of Pythons that were looked at, Offer what the first of them
	// has that would do, nil for nothing; Looking is why they could not be looked at.
	Places  []string
	Offer   *offered.Offer
	Looking error
}

func (e *NoPythonError) Error() string {
	if e.Wish == "" {
		return "no Python was found"
	}
	return "no Python was found that is " + e.Wish
}

// BadNameError refuses a name for a jar.
type BadNameError struct{ Name string }

func (e *BadNameError) Error() string { return fmt.Sprintf("%q cannot be a jar's name", e.Name) }

// Create makes a jar: empty, or with what is put into it, whole or not at all.
func (m *Machine) Create(ctx context.Context, opt CreateOptions, decide Decide) (*Created, error) {
	asked, err := m.readWants(ctx, opt.Put, nil)
	if err != nil {
		return nil, err
	}
	at, err := m.newPlace(opt.Name, opt.At, opt.Here)
	if err != nil {
		return nil, err
	}
	release, err := m.hold(ctx, at)
	if err != nil {
		return nil, err
	}
	defer release()
	if err := jar.Vacant(at.Root); err != nil {
		return nil, err
	}
	spec, err := project.ReadSpec(at.SpecFile)
	if err != nil {
		return nil, err
	}
	out := &Created{Place: at, Above: at.Why == place.Nearest && place.Real(at.Project) != place.Real(m.Dir)}
	if out.Python, out.Why, out.PassedOver, err = m.needPython(ctx, opt.Python, spec); err != nil {
		return nil, err
	}
	seeSystem := opt.SeeSystem || spec.Tool.SeeSystem
	if len(asked) > 0 {
		out.Filled, err = m.createFilled(ctx, out, spec, asked, seeSystem, decide)
		return out, err
	}
	first, err := m.firstMoment(out.Python.Said.Version, at)
	if err != nil {
		return nil, err
	}
	_, err = m.make(ctx, at.Root, out.Python, jar.Options{Prompt: at.Prompt(), SeeSystem: seeSystem, Also: map[string][]byte{jar.MomentPath(1): first}})
	return out, err
}

// createFilled makes a jar with something in it: all is found before it is made.
func (m *Machine) createFilled(ctx context.Context, c *Created, spec *project.Spec, asked []project.Asked, seeSystem bool, decide Decide) (*Outcome, error) {
	edited, err := addToSpec(spec, c.Place, asked, project.Part{}, c.Python.Environment())
	if err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, a := range spec.Asked {
		known[a.Key()] = true
	}
	p := newJob(c.Place)
	p.Create, p.python, p.Python, p.seeSystem = true, c.Python, c.Python.Title(), seeSystem
	if err := m.planFor(ctx, p, nil, spec, edited, resolveOptions{known: known, asked: asked}); err != nil {
		return nil, err
	}
	out, err := m.makeAndCarryOut(ctx, p, decide)
	if err == nil && out.Done {
		m.noteUnchanged(c.Place, edited, p)
	}
	return out, err
}

// make makes an empty jar, and puts it on the list of those known.
func (m *Machine) make(ctx context.Context, root string, in interpreter.Interpreter, opt jar.Options) (*jar.Jar, error) {
	temp, done := m.Making.Begin(root)
	defer done()
	opt.Temp, opt.Prepared = temp, m.expectAt(root)
	j, err := jar.Create(ctx, root, in, opt)
	if err == nil {
		err = m.Known.Trust(j)
	}
	return j, err
}

// newPlace is where a new jar goes.
func (m *Machine) newPlace(name, at string, here bool) (place.Place, error) {
	switch {
	case here && name+at != "":
		return place.Place{}, usage(HereAndElsewhere)
	case at != "":
		at = m.absolute(at)
		return m.Places().At(filepath.Clean(at), place.Named), nil
	case name != "":
		if !place.ValidName(name) {
			return place.Place{}, &BadNameError{name}
		}
		return m.Places().At(filepath.Join(m.Folders.Shelf, name), place.Named), nil
	}
	root := ""
	if !here {
		root, _ = m.Places().Nearest()
	}
	if root == "" {
		root = filepath.Join(m.Dir, place.JarFolder)
	}
	return m.Places().At(root, place.Nearest), nil
}

// choosePython finds the interpreter for a wish or, without one, for what the
// spec requires.
func (m *Machine) choosePython(ctx context.Context, wishText string, spec *project.Spec) (interpreter.Interpreter, string, []interpreter.Rejection, error) {
	wish, from, err := m.wish(wishText, spec)
	if err != nil {
		return interpreter.Interpreter{}, "", nil, err
	}
	return m.pickPython(ctx, m.finder(), wish, from)
}

// needPython is [Machine.choosePython] where a jar is to be made: a Python that is not here
// may be fetched.
func (m *Machine) needPython(ctx context.Context, wishText string, spec *project.Spec) (interpreter.Interpreter, string, []interpreter.Rejection, error) {
	in, why, passed, err := m.choosePython(ctx, wishText, spec)
	var none *NoPythonError
	if !errors.As(err, &none) {
		return in, why, passed, err
	}
	wish, _, err := m.wish(wishText, spec)
	if err != nil {
		return in, why, passed, err
	}
	program, err := m.missingPython(ctx, wish, spec, none)
	if err != nil {
		return in, "", passed, err
	}
	in, err = m.probe(ctx, program)
	return in, "it was fetched", passed, err
}

func (m *Machine) pickPython(ctx context.Context, finder *interpreter.Finder, wish interpreter.Wish, from string) (interpreter.Interpreter, string, []interpreter.Rejection, error) {
	if wish.Path != "" {
		in, err := m.probe(ctx, wish.Path)
		return in, "it was named", nil, err
	}
	found, passed, ok := finder.First(ctx, wish.Accepts)
	if !ok {
		all, passed := finder.All(ctx)
		return interpreter.Interpreter{}, "", nil, &NoPythonError{Wish: wish.Text, From: from, Found: all, PassedOver: passed}
	}
	for _, r := range passed {
		if r.Passing {
			return interpreter.Interpreter{}, "", nil, r // it may have been the one
		}
	}
	why := "the first on PATH"
	if found.Source != "path" {
		why = "the newest found"
	}
	if wish.Text != "" {
		why += " that is " + wish.Text + " (" + from + ")"
	}
	return found.Interpreter, why, passed, nil
}

// wish is what an interpreter must be, and who says so.
func (m *Machine) wish(text string, spec *project.Spec) (interpreter.Wish, string, error) {
	switch {
	case text != "":
		w, err := interpreter.ParseWish(text)
		if err != nil {
			return w, "", &UsageError{Case: BadWish, Err: err}
		}
		return w, "--python", nil
	case spec != nil && len(spec.RequiresPython) > 0:
		return interpreter.Wish{Text: spec.RequiresPython.String(), Versions: spec.RequiresPython}, "requires-python in " + project.SpecFile, nil
	case spec != nil && spec.Tool.Python != "":
		w, err := interpreter.ParseWish(spec.Tool.Python)
		return w, "tool.glassjar.python in " + project.SpecFile, err
	}
	// Without a wish any Python 3 will do; 2.7 is only taken when asked for.
	return interpreter.Wish{Versions: version.MustParseSpecifiers(">=3")}, "", nil
}

// DefaultPython is the program that a jar would be made from where nothing is
// asked for.
func (m *Machine) DefaultPython(ctx context.Context) (string, error) {
	in, _, _, err := m.choosePython(ctx, "", nil)
	return in.Path, err
}
