package operation

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"glassjar/core/fetch"
	"glassjar/core/index"
	"glassjar/core/internal/keptmap"
	"glassjar/core/interpreter"
	"glassjar/core/interpreter/fetched"
	"glassjar/core/interpreter/offered"
	"glassjar/core/interpreter/portable"
	"glassjar/core/limits"
	"glassjar/core/metadata"
	"glassjar/core/place"
	"glassjar/core/progress"
	"glassjar/core/project"
	"glassjar/core/settings"
	"glassjar/core/source"
	"glassjar/core/store"
)

// PythonFetch is what is to be fetched.
type PythonFetch struct {
	// Wish is a wish ("3.9"), or the path or address of a file.
	Wish string
	// SHA256 is the file's hash, given by the user; empty to take the index's.
	SHA256 string
	// Newest takes the newest release that fits, also where an older one is here.
	Newest bool
}

// FetchedPython is what came of fetching.
type FetchedPython struct {
	fetched.Python
	// Path is its program; Already tells that nothing had to be done.
	Path    string
	Already bool
	// Fetched is how many bytes were transferred.
	Fetched  int64
	Took     time.Duration
	Warnings []string
}

// NotOfferedError says that no place has a Python that was wished for.
type NotOfferedError struct {
	Wish string
	// Places are the indexes that were looked at; Passed are files that would do, but for
	// why they do not run here.
	Places []string
	Passed []offered.Offer
}

func (e *NotOfferedError) Error() string {
	if len(e.Places) == 0 {
		return "no index of Pythons is set up"
	}
	return "no index has a Python that is " + e.Wish
}

// NoHashError says that nobody tells the hash of a file.
type NoHashError struct{ File string }

func (e *NoHashError) Error() string { return "nobody tells the hash of " + e.File }

// pythons are those that were fetched.
func (m *Machine) pythons() *fetched.Collection {
	return &fetched.Collection{Dir: filepath.Join(m.Folders.Store, "pythons"), Store: m.Store, Way: m.Settings.Placing, Mode: m.lockMode(m.Folders.Store)}
}

// addingPythons is [Machine.pythons] for one that is to be added: which were started here before
// is in the cache.
func (m *Machine) addingPythons() *fetched.Collection {
	c := m.pythons()
	file := filepath.Join(m.Folders.Cache, "pythons-started.json")
	c.Compile = m.bytecodeWay() != settings.BytecodeOff
	c.Started = keptmap.Read[fetched.Started](file)
	c.Note = func(sum string, s fetched.Started) {
		keptmap.Add(file, map[string]fetched.Started{sum: s}, nil)
	}
	return c
}

// thisMachine is what a Python has to run on: the C library is read once.
var thisMachine = sync.OnceValue(func() offered.Machine {
	return offered.Machine{Platform: interpreter.Here(), Level: interpreter.Level()}
})

// pythonPlaces are the indexes of Pythons: the project's, then the user's own.
func (m *Machine) pythonPlaces(spec *project.Spec) (out []offered.Place) {
	add := func(list []project.IndexEntry, base string, users bool) {
		for _, e := range list {
			if e.Holds != project.HoldsPythons || slices.ContainsFunc(out, func(p offered.Place) bool { return p.Name == e.Name }) {
				continue
			}
			p := offered.Place{Name: e.Name, Users: users}
			if dir, ok := metadata.PathOf(e.At); ok {
				p.Folder = dir
			} else if index.IsAddress(e.At) {
				p.Address = e.At
			} else {
				p.Folder = place.Absolute(base, filepath.FromSlash(e.At))
			}
			out = append(out, p)
		}
	}
	if spec != nil {
		add(spec.Tool.Indexes, spec.Dir(), false)
	}
	add(m.Settings.Indexes, filepath.Dir(m.Folders.Settings), true)
	return out
}

// offers are the files that a wish takes, of the first index that has one which runs here;
// passed are those of all that do not.
func (m *Machine) offers(ctx context.Context, spec *project.Spec, takes func(portable.Name) bool) (fit, passed []offered.Offer, places []string, err error) {
	for _, p := range m.pythonPlaces(spec) {
		places = append(places, p.Name)
		list, err := offered.Look(ctx, m.Client, p, thisMachine())
		if err != nil {
			return nil, nil, places, err
		}
		for _, o := range list {
			switch {
			case !takes(o.Name):
			case o.Misfit != "":
				passed = append(passed, o)
			default:
				fit = append(fit, o)
			}
		}
		if len(fit) > 0 {
			break
		}
	}
	return fit, passed, places, nil
}

// takes reports whether a wish takes what a file's name tells. A pre-release is the last choice
// ([portable.Better]).
func takes(w interpreter.Wish) func(portable.Name) bool {
	return func(n portable.Name) bool { return w.Takes(n.Implementation, n.Version, n.FreeThreaded) }
}

// FetchPython fetches a Python, unless one that the wish takes was fetched before. The error is
// a [*NotOfferedError], a [*NoHashError], or one of fetching, unpacking or starting.
func (m *Machine) FetchPython(ctx context.Context, f PythonFetch) (*FetchedPython, error) {
	if f.SHA256 = strings.ToLower(f.SHA256); f.SHA256 != "" && !store.ValidSum(f.SHA256) {
		return nil, usage(NoSum, f.SHA256)
	}
	if o, ok, err := m.namedPython(f.Wish); ok || err != nil {
		if err != nil {
			return nil, err
		}
		return m.fetchOffer(ctx, o, f.SHA256)
	}
	wish, err := interpreter.ParseWish(f.Wish)
	if err != nil {
		return nil, &UsageError{Case: BadWish, Err: err}
	}
	if !f.Newest {
		all, err := m.pythons().All()
		if err != nil {
			return nil, err
		}
		for _, p := range all {
			if n, ok := portable.Parse(p.File); ok && takes(wish)(n) {
				return &FetchedPython{Python: p, Path: m.pythons().Path(p), Already: true}, nil
			}
		}
	}
	spec, err := m.nearestSpec()
	if err != nil {
		return nil, err
	}
	fit, passed, places, err := m.offers(ctx, spec, takes(wish))
	if err != nil {
		return nil, err
	}
	if len(fit) == 0 {
		return nil, &NotOfferedError{f.Wish, places, passed}
	}
	return m.fetchOffer(ctx, fit[0], f.SHA256)
}

// namedPython is the offer of a file that is named by its path or address.
func (m *Machine) namedPython(text string) (o offered.Offer, ok bool, err error) {
	at, path := "", ""
	switch {
	case index.IsAddress(text):
		if fetch.Redact(text) != text {
			return o, false, usage(SecretInAddress)
		}
		at = text
	case slices.ContainsFunc(portable.Endings, func(end string) bool { return strings.HasSuffix(strings.ToLower(text), end) }) || strings.HasPrefix(text, "file:"):
		var local bool
		if path, local = metadata.PathOf(text); !local {
			path = m.absolute(text)
		}
		if _, err := os.Stat(path); err != nil {
			return o, false, err
		}
	default:
		return o, false, nil
	}
	o, ok = offered.Named(at, path, thisMachine())
	switch {
	case !ok:
		return o, false, &portable.Refusal{File: o.File, Why: "its name does not tell which Python it holds, and for which system"}
	case o.Misfit != "":
		return o, false, &portable.Refusal{File: o.File, Why: o.Misfit}
	}
	return o, true, nil
}

// knownSums are the hashes that the user gave for files of which nobody else says one, by
// where the files are from.
func (m *Machine) knownSums() string { return filepath.Join(m.Folders.State, "python-hashes.json") }

// fetchOffer has a file here, unpacked and started. given is the hash that the user gave.
func (m *Machine) fetchOffer(ctx context.Context, o offered.Offer, given string) (*FetchedPython, error) {
	sum := o.SHA256
	if given != "" && sum != "" && given != sum {
		return nil, &store.HashError{File: o.File, Want: given, Have: sum}
	}
	if sum == "" {
		if sum = given; sum == "" {
			sum = keptmap.Read[string](m.knownSums())[o.From()]
		}
		if sum == "" {
			return nil, &NoHashError{o.From()}
		}
	}
	begun := time.Now()
	share, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return nil, err
	}
	defer share()
	all := m.addingPythons()
	if p, ok := all.Of(sum); ok {
		if p.Version != o.Version.String() || p.Implementation != o.Implementation {
			return nil, &fetched.VersionError{File: o.File, Says: o.Title(), Is: "Python " + p.Version}
		}
		return &FetchedPython{Python: p, Path: all.Path(p), Already: true}, nil
	}
	out := &FetchedPython{}
	tree, ok := all.Tree(sum)
	size := max(o.Size, 0)
	if !ok {
		if tree, err = m.unpackPython(ctx, all, o, sum, &size, out); err != nil {
			return nil, err
		}
	}
	add := func() error {
		out.Python, err = all.Add(ctx, tree, fetched.Python{File: o.File, From: o.From(), SHA256: sum, Size: size, Came: time.Now().UTC().Truncate(time.Second)}, m.Report)
		return err
	}
	if err = add(); ok && errors.Is(err, fs.ErrNotExist) { // not all of it is in the store any more
		if tree, err = m.unpackPython(ctx, all, o, sum, &size, out); err == nil {
			err = add()
		}
	}
	if err != nil {
		return nil, err
	}
	if given != "" && o.SHA256 == "" {
		keptmap.Add(m.knownSums(), map[string]string{o.From(): sum}, nil)
	}
	out.Path, out.Took = all.Path(out.Python), time.Since(begun)
	return out, nil
}

// unpackPython fetches a file and unpacks it into the store.
func (m *Machine) unpackPython(ctx context.Context, all *fetched.Collection, o offered.Offer, sum string, size *int64, out *FetchedPython) (*store.Tree, error) {
	file, came, err := m.bringPython(ctx, o, sum)
	if err != nil {
		return nil, err
	}
	out.Fetched = came
	if info, err := os.Stat(file); err == nil {
		*size = info.Size()
	}
	tree, err := m.unpackFile(ctx, all, o, sum, file, out)
	if !m.Store.KeepPackages {
		m.Store.Drop(sum)
	}
	if err != nil {
		return nil, err
	}
	// What was only needed for a while is gone by now, and is not flushed.
	err = m.Store.SaveNow()
	return tree, err
}

// bringPython has a file in the store, whole, and gives its path and how many bytes were
// transferred.
func (m *Machine) bringPython(ctx context.Context, o offered.Offer, sum string) (file string, came int64, err error) {
	if file, ok := m.Store.Verified(ctx, sum); ok {
		return file, 0, nil
	}
	body, announced, err := o.Open(ctx, m.Client)
	if err != nil {
		return "", 0, err
	}
	defer body.Close()
	counted := &counting{r: body, told: m.Report, e: progress.Event{Stage: "fetching " + o.Title(), Total: max(announced, 0), Bytes: true}}
	_, file, err = m.Store.Add(ctx, o.File, sum, &limits.Reader{R: counted, What: o.File, Limit: limits.PythonFile})
	if o.Path == "" {
		came = counted.e.Done
	}
	return file, came, err
}

func (m *Machine) unpackFile(ctx context.Context, all *fetched.Collection, o offered.Offer, sum, file string, out *FetchedPython) (*store.Tree, error) {
	temp, done, err := m.Store.Scratch()
	if err != nil {
		return nil, err
	}
	defer done()
	m.Report.Tell(progress.Event{Stage: "unpacking " + o.Title()})
	a, err := portable.Open(ctx, file, o.Name, temp)
	if err != nil {
		return nil, err
	}
	defer a.Close()
	if a.Standard != nil {
		out.Warnings = append(out.Warnings, a.Standard.Warnings...)
		if missing := slices.DeleteFunc(slices.Clone(a.Standard.External), source.HasLibrary); len(missing) > 0 {
			return nil, &fetched.LibraryError{File: o.File, Missing: missing}
		}
	}
	return all.Unpack(ctx, a, sum)
}

// counting tells how much of a file has come.
type counting struct {
	r    io.Reader
	told progress.Sink
	e    progress.Event
}

func (c *counting) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.e.Done += int64(n)
	c.told.Tell(c.e)
	return n, err
}

// missingPython is what to do where no Python of the machine is what was wished for: one that
// is offered is fetched, if the settings or the user say so. Else the error says what could be.
func (m *Machine) missingPython(ctx context.Context, wish interpreter.Wish, spec *project.Spec, none *NoPythonError) (string, error) {
	fit, _, places, err := m.offers(ctx, spec, takes(wish))
	none.Places = places
	if err != nil {
		none.Looking = err
		return "", none
	}
	if len(fit) == 0 {
		return "", none
	}
	none.Offer = &fit[0]
	yes := m.Yes
	switch {
	case m.Settings.FetchPythons == settings.FetchAlways && fit[0].Users:
		yes = true // what a project brings along is always asked about: it is started here
	case m.Settings.FetchPythons == settings.FetchNever:
		yes = false
	case !yes && m.AskPython != nil:
		if yes, err = m.AskPython(fit[0]); err != nil {
			return "", err
		}
	}
	if !yes {
		return "", none
	}
	got, err := m.fetchOffer(ctx, fit[0], "")
	if err != nil {
		return "", err
	}
	return got.Path, nil
}

// probePythons asks an index of Pythons what it has.
func (m *Machine) probePythons(ctx context.Context, spec *project.Spec, name string) index.Probe {
	p := index.Probe{Name: name, Known: true, Metadata: true}
	for _, at := range m.pythonPlaces(spec) {
		if at.Name != name {
			continue
		}
		begun := time.Now()
		_, err := offered.Look(ctx, m.Client, at, thisMachine())
		if p.Local, p.Answers, p.Took = at.Folder != "", err == nil, time.Since(begun); err != nil {
			p.Why = err.Error()
		}
	}
	return p
}
