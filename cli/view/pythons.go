package view

import (
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"glassjar/core/interpreter/fetched"
	"glassjar/core/interpreter/offered"
	"glassjar/core/interpreter/pack"
	"glassjar/core/interpreter/portable"
	"glassjar/core/operation"
)

// Pythons lists the interpreters of the machine.
func (s *Screen) Pythons(p *operation.Pythons) {
	t := s.Sheet()
	chosen := false
	for _, f := range p.Found {
		label, note, where := "found", "", s.Path(f.Path)
		name := s.Plain(f.Implementation + " " + f.Version)
		if f.Managed {
			note = "the system's own"
		}
		if f.Fetched != "" {
			// Its name, by which it is dropped, tells more than where in the store it is.
			label, note, where = "fetched", "used by no jar", f.Fetched
			if len(f.Jars) > 0 {
				var jars []string
				for _, root := range f.Jars {
					jars = append(jars, s.Jar(root))
				}
				note = "used by " + some(jars)
			}
		}
		if f.Chosen {
			chosen = true
			name = s.Good(name.Text)
			note = strings.TrimPrefix(note+"; chosen here: "+f.Why, "; ")
		}
		t.Row(label, name, s.Plain(f.Arch), s.Plain(where), s.Faint(note))
	}
	for _, r := range p.PassedOver {
		if s.Verbose {
			t.Line("passed", s.Warn(s.Path(r.Path)), s.Faint(r.Why))
		}
	}
	switch {
	case len(p.Found) == 0:
		t.Line("found", s.Plain("none"))
	case !chosen:
		t.Line("chosen", s.Bad("none is "+p.Wish), s.Faint("asked for by "+p.From))
	}
	if n := len(p.PassedOver); n > 0 && !s.Verbose {
		t.Line("passed", s.Plain(Count(n, "candidate")), s.Faint("gave no answer; --verbose says why"))
	}
	if !chosen && len(p.Found) > 0 {
		wish := p.Wish
		if strings.ContainsAny(wish, "<>!*, ") { // which mean something to a shell
			wish = "'" + wish + "'"
		}
		t.Line("try", s.Plain("glassjar pythons fetch "+wish), s.Faint("or install one, or name one of those"))
	}
	t.Print()
}

// PythonQuestion tells of a Python that could be fetched.
func (s *Screen) PythonQuestion(o offered.Offer) {
	t := s.Sheet()
	t.Line("python", s.Bold(o.Title()), s.Faint("is not here"))
	t.Line("offer", s.Plain(o.File), s.Faint(offerWords(o)))
	t.Print()
}

// offerWords say where a Python is from, and how large it is.
func offerWords(o offered.Offer) string {
	words := "of the index " + o.Index
	if o.Size >= 0 {
		words += ", " + Bytes(o.Size)
	}
	return words
}

// FetchedPython tells what was fetched.
func (s *Screen) FetchedPython(f *operation.FetchedPython) {
	t := s.Sheet()
	t.Line("python", s.Bold(pythonTitle(f.Python)), s.Faint(f.Name))
	t.Line("path", s.Plain(s.Path(f.Path)))
	t.Line("from", s.Plain(f.From), s.Faint("sha256 "+f.SHA256[:12]+"..."))
	for _, w := range f.Warnings {
		t.Line("note", s.Warn(w))
	}
	if f.Already {
		t.Line("done", s.Plain("it was here already"))
	} else {
		words := Bytes(f.Bytes) + " unpacked, " + Took(f.Took)
		if f.Fetched > 0 {
			words = Bytes(f.Fetched) + " fetched, " + words
		}
		t.Line("done", s.Plain(words))
	}
	t.Line("next", s.Plain("glassjar create --python "+minorOf(f.Version)))
	t.Print()
}

// pythonTitle names a fetched Python as its file does.
func pythonTitle(p fetched.Python) string {
	n, _ := portable.Parse(p.File) // it was understood when it came
	return n.Title()
}

func minorOf(version string) string {
	parts := strings.SplitN(version, ".", 3)
	if len(parts) < 2 {
		return version
	}
	return parts[0] + "." + parts[1]
}

// PackedPython tells what was packed.
func (s *Screen) PackedPython(p *pack.Packed, dir string) {
	t := s.Sheet()
	t.Line("file", s.Bold(s.Path(filepath.Join(dir, p.File))), s.Faint(Bytes(p.Size)))
	t.Line("holds", s.Plain(Count(p.Files, "file")), s.Faint(Bytes(p.Bytes)+" unpacked"))
	t.Line("for", s.Plain(p.Tag))
	if len(p.External) > 0 {
		t.Line("needs", s.Plain(some(p.External)), s.Faint("of the system; --with-libraries packs them along"))
	}
	if len(p.Along) > 0 {
		t.Line("along", s.Plain(some(p.Along)))
	}
	t.Line("sha256", s.Plain(p.SHA256))
	t.Line("next", s.Plain(fmt.Sprintf("glassjar index add pythons %s --holds pythons", s.typed(dir))), s.Faint("for whoever is to fetch it"))
	t.Print()
}

// DroppedPythons tells which were removed.
func (s *Screen) DroppedPythons(list []operation.DroppedPython) {
	t := s.Sheet()
	for _, d := range list {
		note := Bytes(d.Bytes)
		if n := len(d.Jars); n > 0 {
			note += "; " + Count(n, "jar") + " counted on it: glassjar recreate gives each another"
		}
		t.Line("dropped", s.Bold(pythonTitle(d.Python)), s.Plain(d.Name), s.Faint(note))
	}
	if len(list) == 0 {
		t.Line("dropped", s.Plain("none"))
	} else {
		t.Line("next", s.Plain("glassjar store tidy"), s.Faint("removes what it had in the store"))
	}
	t.Print()
}

// VerifiedPythons tells what was compared.
func (s *Screen) VerifiedPythons(list []operation.VerifiedPython) {
	t := s.Sheet()
	for _, v := range list {
		switch {
		case !v.Known:
			t.Line("python", s.Bold(v.Name), s.Warn("the store no longer knows what it holds; fetch it anew"))
		case len(v.Faults) == 0:
			t.Line("python", s.Bold(v.Name), s.Good("fine"), s.Faint(Count(v.Files, "file")+" compared"))
		default:
			t.Line("python", s.Bold(v.Name), s.Bad(Count(len(v.Faults), "file")+" not as fetched"))
			for _, f := range v.Faults[:min(len(v.Faults), 10)] {
				t.Line("", s.Plain(f.Path), s.Faint(f.Why))
			}
			t.Line("try", s.Plain("glassjar pythons drop "+v.Name+" --yes, and fetch it again"))
		}
	}
	if len(list) == 0 {
		t.Line("python", s.Plain("none was fetched"))
	}
	t.Print()
}

// addPythons sets up where Pythons can be had.
const addPythons = "glassjar index add pythons ADDRESS --holds pythons"

// pythonWords are those of interpreters that are not here, or cannot be fetched.
func (s *Screen) pythonWords(err error) (Message, bool) {
	var (
		none    *operation.NoPythonError
		offer   *operation.NotOfferedError
		hash    *operation.NoHashError
		absent  *operation.PythonNotHereError
		inUse   *operation.PythonInUseError
		refused *portable.Refusal
		other   *fetched.VersionError
		library *fetched.LibraryError
		start   *fetched.StartError
		packing *pack.Error
	)
	switch {
	case errors.As(err, &none):
		return s.noPython(none), true
	case errors.As(err, &offer):
		return notOffered(offer), true
	case errors.As(err, &absent):
		return Message{What: absent.Error(), Reasons: []string{absent.Offer.File + ", from " + absent.Offer.From(), "it would be started here, so that somebody has to say yes to it"},
			Try: []string{"fetch it: the same command with --yes", "or take another: glassjar recreate --python VERSION"}}, true
	case errors.As(err, &hash):
		return Message{What: "nobody tells the hash of " + s.Path(hash.File), Reasons: []string{"nothing is fetched that cannot be compared with a hash"},
			Try: []string{"take it from whoever publishes the file: glassjar pythons fetch " + s.typed(hash.File) + " --sha256 HASH"}}, true
	case errors.As(err, &inUse):
		m := Message{What: inUse.Name + " is used by " + Count(len(inUse.Jars), "jar"), Try: []string{"drop it all the same: glassjar pythons drop " + inUse.Name + " --yes"}}
		for _, j := range inUse.Jars[:min(len(inUse.Jars), 5)] {
			m.Reasons = append(m.Reasons, s.Jar(j))
		}
		return m, true
	case errors.As(err, &refused):
		return Message{What: refused.File + " is not taken", Reasons: []string{strings.TrimPrefix(refused.Error(), refused.File+": ")}, Try: []string{"tell whoever publishes it, or fetch another"}}, true
	case errors.As(err, &other):
		return Message{What: other.Error(), Reasons: []string{"what was unpacked is removed"}, Try: []string{"tell whoever publishes it, or fetch another"}}, true
	case errors.As(err, &start):
		return Message{What: start.Error(), Reasons: []string{start.Why, "what was unpacked is removed"}, Try: []string{"fetch another: glassjar pythons fetch WISH"}}, true
	case errors.As(err, &library):
		return Message{What: library.Error(), Reasons: []string{"nothing was unpacked"}, Try: []string{"install them with the system's own means, or fetch a file that brings them"}}, true
	case errors.As(err, &packing):
		return Message{What: s.Path(packing.Python) + " cannot be packed", Reasons: []string{strings.TrimPrefix(packing.Error(), packing.Python+": ")}}, true
	}
	return Message{}, false
}

func notOffered(e *operation.NotOfferedError) Message {
	m := Message{What: e.Error()}
	if len(e.Places) == 0 {
		m.Reasons = []string{"no address of one is built in"}
		m.Try = []string{"name where Pythons can be had, once: " + addPythons, "or give the file itself: glassjar pythons fetch FILE --sha256 HASH"}
		return m
	}
	m.Reasons = append(m.Reasons, "looked at "+strings.Join(e.Places, ", "))
	for _, o := range e.Passed[:min(len(e.Passed), 5)] {
		m.Reasons = append(m.Reasons, "passed over "+o.File+": "+o.Misfit)
	}
	m.Try = []string{"ask for another version, or name another index: " + addPythons}
	return m
}

func (s *Screen) noPython(e *operation.NoPythonError) Message {
	m := Message{What: e.Error(), Try: []string{"install one, or name its folder: GLASSJAR_PYTHONS=/folder/of/pythons"}}
	if e.From != "" {
		m.Reasons = append(m.Reasons, "asked for by "+e.From)
	}
	for _, f := range e.Found {
		m.Reasons = append(m.Reasons, fmt.Sprintf("there is %s, %s", f.Title(), f.Place))
	}
	for _, r := range e.PassedOver {
		m.Reasons = append(m.Reasons, fmt.Sprintf("passed over %s: %s", r.Path, r.Why))
	}
	if e.Looking != nil {
		m.Reasons = append(m.Reasons, "the indexes of Pythons could not be looked at: "+e.Looking.Error())
	}
	switch {
	case e.Offer != nil:
		m.Reasons = append(m.Reasons, "there is "+e.Offer.Title()+" "+offerWords(*e.Offer)+": "+e.Offer.File)
		m.Try = []string{"fetch it: glassjar pythons fetch " + e.Offer.Version.String(), "or the same command with --yes"}
	case e.Script != "":
	case len(e.Found) > 0:
		m.Try = []string{"glassjar create --python " + e.Found[0].Minor()}
	}
	if len(e.Places) == 0 {
		m.Try = append(m.Try, "or name where Pythons can be had, once: "+addPythons)
	}
	return m
}
