package view

import (
	"fmt"
	"strings"
	"time"

	"glassjar/core/jar"
	"glassjar/core/kernel"
	"glassjar/core/operation"
	"glassjar/core/store"
)

// when is a moment as it is written everywhere: in UTC, to the minute, so that
// it reads the same on every machine.
func when(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format("2006-01-02 15:04")
}

// History lists the states of a jar, the newest last.
func (s *Screen) History(h *operation.History) {
	t := s.Sheet()
	t.Line("jar", s.Bold(s.Jar(h.Jar)), s.Faint("times are UTC"))
	for i, state := range h.States {
		label := "state"
		number := s.Plain(fmt.Sprint(state.Number))
		if i == len(h.States)-1 {
			label, number = "now", s.Good(fmt.Sprint(state.Number))
		}
		t.Row(label, number, s.Faint(when(state.At)), s.Plain(state.Command), s.Faint(some4(state.Did)))
	}
	if len(h.States) == 0 {
		t.Line("state", s.Plain("none is written down; the next change writes one"))
	}
	t.Print()
}

// some4 names at most four changes.
func some4(list []string) string {
	if len(list) > 4 {
		return fmt.Sprintf("%s and %d more", strings.Join(list[:3], ", "), len(list)-3)
	}
	return strings.Join(list, ", ")
}

// Difference shows what two things do not have in common.
func (s *Screen) Difference(d *operation.Difference) {
	t := s.Sheet()
	t.Line("from", s.Bold(s.Jar(d.A)), s.labelOf(d.ALabel, d.AKind))
	t.Line("to", s.Bold(s.Jar(d.B)), s.labelOf(d.BLabel, d.BKind))
	for _, i := range d.Added {
		t.Row("more", s.Good(i.Name), s.Plain(i.Version))
	}
	for _, i := range d.Removed {
		t.Row("less", s.Bad(i.Name), s.Plain(i.From))
	}
	for _, i := range d.Changed {
		t.Row("other", s.Warn(i.Name), s.Plain(i.From+" -> "+i.Version))
	}
	for _, i := range d.OtherFiles {
		t.Row("files", s.Warn(i.Name), s.Plain(i.Version), s.Faint("the same version with other files"))
	}
	for _, i := range d.OtherIndex {
		t.Row("index", s.Warn(i.Name), s.Plain(i.Version), s.Faint("from "+i.From+", and from "+i.Index))
	}
	if len(d.Pythons) == 2 {
		t.Line("python", s.Warn(d.Pythons[0]), s.Faint("and"), s.Warn(d.Pythons[1]))
	}
	same := Count(d.Same, "package") + " the same"
	if !d.Differs() {
		same = "no difference, " + same
	}
	t.Line("sum", s.Plain(same))
	t.Print()
}

// labelOf is a label with whose it is.
func (s *Screen) labelOf(label, kind string) Cell {
	if label == "" {
		return s.Faint("")
	}
	return s.Faint(label + ", of the " + kind)
}

// Checked shows what a check found, after mending where that was asked for.
func (s *Screen) Checked(c *operation.Checked, mend bool) {
	t := s.Sheet()
	t.Line("jar", s.Bold(s.Jar(c.Jar)), s.Faint(Count(c.Files, "file")+" compared"))
	for _, f := range c.Mended {
		t.Line("mended", s.Good(f))
	}
	for _, f := range c.Faults {
		what, of := f.What, "of "+f.Owner
		switch what {
		case jar.OtherBytecode:
			what, of = "changed", of+", not what its module compiles to"
		case jar.Unreadable:
			what, of = "unread", of+", the system does not give it: look at the disk, and at its rights"
		}
		t.Row(what, s.Bad(f.Path), s.Faint(of))
	}
	for n, f := range c.Unknown {
		if n == 8 && len(c.Unknown) > 9 {
			t.Line("unknown", s.Faint(fmt.Sprintf("and %d more", len(c.Unknown)-8)))
			break
		}
		t.Row("unknown", s.Warn(f), s.Faint("belongs to nothing"))
	}
	for _, u := range c.Unmet {
		who := u.From + " needs "
		if u.From == "" {
			who = "asked for is "
		}
		have := "which is missing"
		if u.Version != "" {
			have = "and " + u.Version + " is here"
		}
		t.Line("unmet", s.Bad(who+strings.TrimSpace(u.To+" "+u.Range)), s.Faint(have))
	}
	for _, b := range c.Broken {
		t.Row("broken", s.Bad(b), s.Faint("missing, or leads nowhere"))
	}
	if c.Python != "" {
		t.Line("python", s.Bad(c.Python))
	}
	for _, w := range c.Warnings {
		t.Line("note", s.Warn(w))
	}
	for _, p := range c.Refused {
		t.Line("licence", s.Bad(p.Name+" "+p.Version), s.Plain(p.String()+" is not allowed"))
	}
	for _, f := range c.Known {
		t.Line("fault", s.Bad(f.Name+" "+f.Version), s.Plain(strings.Join(f.IDs(), ", ")), s.Faint("glassjar advisories"))
	}
	if c.Place != "" {
		t.Line("place", s.Bad(c.Place))
	}
	t.Line("record", s.Plain(s.Step(c.Step)))
	switch {
	case c.Place != "":
		t.Line("try", s.Plain("move or rename the folder"))
	case c.Clean():
		t.Line("found", s.Good("nothing wrong"))
	case len(c.Faults)+len(c.Broken)+len(c.Unknown)+len(c.Unmet) == 0 && c.Python == "" && (c.Step == operation.InStep || c.Step == operation.NoRecord):
	case len(c.Faults)+len(c.Broken) > 0 && !mend:
		t.Line("try", s.Plain("glassjar check --mend"))
	case c.Step == operation.NoRecord, c.Step == operation.SpecChanged:
		t.Line("try", s.Plain("glassjar record"), s.Faint("and then glassjar recreate"))
	default:
		t.Line("try", s.Plain("glassjar recreate"))
	}
	t.Print()
}

// Shelf lists the jars of the machine.
func (s *Screen) Shelf(x *operation.Shelf) {
	t := s.Sheet()
	for _, j := range x.Jars {
		label := "project"
		switch {
		case j.OnShelf:
			label = "shelf"
		case j.OfScripts:
			label = "script"
		case !j.InProject:
			label = "alone"
		}
		state := s.Faint(j.State)
		if j.State != operation.ShelfFine {
			state = s.Warn(j.State)
		}
		size := Bytes(j.Size)
		if j.Shared > 0 {
			size += ", " + Bytes(j.Shared) + " shared"
		}
		t.Row(label, s.Bold(j.Name), s.Plain(j.Python), s.Plain(Count(j.Packages, "package")), s.Plain(size), s.Faint(when(j.Used)), state, s.Faint(s.shelfPath(j)))
	}
	for _, a := range x.Away {
		t.Line("away", s.Plain(s.Jar(a.Jar)), s.Faint("discarded "+when(a.At)+", "+Bytes(a.Size)+"; glassjar discard --undo"))
	}
	for _, k := range x.Kernels {
		switch k.State {
		case kernel.NoJar:
			t.Line("kernel", s.Plain(k.Name), s.Warn("its jar is gone: glassjar connect notebook --undo "+k.Name))
		case kernel.Changed:
			t.Line("kernel", s.Plain(k.Name), s.Warn(s.Path(k.File)+" was changed since"), s.Faint("glassjar connect notebook writes it anew"))
		default:
			t.Line("kernel", s.Plain(k.Name), s.Faint("for notebooks: "+s.Path(k.File)))
		}
	}
	if len(x.Jars)+len(x.Away)+len(x.Kernels) == 0 {
		t.Line("shelf", s.Plain("no jar is known here"))
	}
	t.Print()
}

// shelfPath is where a jar is, or the scripts that one is of.
func (s *Screen) shelfPath(j operation.Shelved) string {
	if !j.OfScripts {
		return s.Path(j.Jar)
	}
	var files []string
	for _, file := range j.Scripts {
		files = append(files, s.Path(file))
	}
	if len(files) == 0 {
		return "no script is run in it any more; glassjar store tidy removes it"
	}
	if n := len(files) - maxScripts; n > 0 && !s.Verbose {
		files = append(files[:maxScripts], fmt.Sprintf("and %d more", n))
	}
	return strings.Join(files, ", ")
}

// maxScripts is how many scripts of a jar are named unless more is asked for.
const maxScripts = 3

// Discarding shows what is about to go.
func (s *Screen) Discarding(d *operation.Discarded) {
	t := s.Sheet()
	for _, j := range d.Jars {
		t.Line("discard", s.Bad(s.Path(j)))
	}
	for _, k := range d.Kept {
		t.Line("keep", s.Plain(s.Path(k)))
	}
	t.Print()
}

// Discarded tells which jars went, or came back.
func (s *Screen) Discarded(d *operation.Discarded) {
	if !d.Done {
		s.Say("nothing was changed")
		return
	}
	t := s.Sheet()
	label := "gone"
	if d.Back {
		label = "back"
	}
	for _, j := range d.Jars {
		t.Line(label, s.Bold(s.Jar(j)))
	}
	for _, k := range d.Kept {
		t.Line("kept", s.Plain(s.Path(k)))
	}
	switch {
	case !d.Back:
		t.Line("frees", s.Plain(Bytes(d.Frees)), s.Faint("once glassjar store tidy is run; until then discard --undo brings "+map[bool]string{true: "it", false: "them"}[len(d.Jars) == 1]+" back"))
	case d.Remaining > 0:
		t.Line("more", s.Plain(Count(d.Remaining, "discarded jar")), s.Faint("can be brought back; glassjar shelf lists them"))
	}
	t.Print()
}

// Renamed tells what a jar is called now.
func (s *Screen) Renamed(r *operation.Renamed) {
	t := s.Sheet()
	t.Line("was", s.Plain(r.From))
	t.Line("now", s.Bold(r.Name), s.Faint(s.Path(r.Jar)))
	t.Print()
}

// Strange shows a jar that was not made here, before it is asked whether to trust it.
func (s *Screen) Strange(root string) {
	s.Note("the jar at " + s.Path(root) + " was not made here for you; whoever filled it can run code as you. glassjar recreate would make it anew from its record")
}

// Trusted tells of a jar that is trusted from now on, or no longer.
func (s *Screen) Trusted(x *operation.Trusted) {
	t := s.Sheet()
	what := "it is run and written to like one that was made here"
	label := "trusted"
	if !x.Trusted {
		label, what = "strange", "nothing of it is run any more"
	}
	t.Line(label, s.Bold(s.Path(x.Jar)), s.Faint(what))
	t.Line("python", s.Plain(x.Leads), s.Faint("where its interpreter leads"))
	t.Line("holds", s.Plain(Count(x.Packages, "package")))
	t.Print()
}

// Sealed tells of a sealed jar that was written or verified.
func (s *Screen) Sealed(x *operation.Sealed, check bool) {
	t := s.Sheet()
	label := "sealed"
	if check {
		label = "checked"
	}
	t.Line(label, s.Bold(s.Path(x.File)), s.Faint(Count(x.Packages, "package")+" in "+Count(x.Files, "file")+", "+Bytes(x.Bytes)))
	if len(x.Targets) > 0 {
		t.Line("serves", s.Plain(targets(x.Targets)))
	}
	if x.Digest != "" {
		t.Line("digest", s.Plain(x.Digest))
	}
	if x.Releases > 0 {
		t.Line("index", s.Plain(Count(x.Releases, "release")), s.Faint("a tag for each"))
	}
	if (x.Digest != "" || x.Releases > 0) && !check {
		t.Line("sent", s.Plain(Count(x.Sent, "blob")+", "+Bytes(x.SentBytes)), s.Faint("what the registry did not have"))
	}
	s.signed(t, x.Signed)
	for _, f := range x.Faults {
		t.Line("wrong", s.Bad(f))
	}
	if check && len(x.Faults) == 0 {
		t.Line("found", s.Good("nothing wrong"))
	}
	t.Print()
}

// StoreUsage tells what the store holds.
func (s *Screen) StoreUsage(u *operation.StoreUsage) {
	t := s.Sheet()
	t.Line("store", s.Bold(s.Path(u.Dir)), s.Faint(Count(u.Files, "file")+", "+Bytes(u.Bytes)))
	for _, k := range []struct {
		words string
		store.Amount
	}{{"bytecode", u.Bytecode}, {"whole package files", u.Packages}} {
		if k.Files > 0 {
			t.Line("of it", s.Plain(Bytes(k.Bytes)), s.Faint(k.words))
		}
	}
	if u.Saved > 0 {
		t.Line("saves", s.Good(Bytes(u.Saved)), s.Faint("that jars and releases share"))
	}
	for n, d := range u.Distributions {
		if n == 12 && len(u.Distributions) > 13 {
			t.Line("keeps", s.Faint(fmt.Sprintf("and %d more", len(u.Distributions)-12)))
			break
		}
		note := Count(d.Files, "file")
		if d.Built {
			note += ", built here"
		}
		t.Row("keeps", s.Plain(d.Name), s.Plain(fmt.Sprintf("%8s", Bytes(d.Bytes))), s.Faint(note))
	}
	t.Print()
	t = s.Sheet() // with columns of its own
	for _, j := range u.Jars {
		only := "only it needs " + Bytes(j.Only.Bytes)
		switch {
		case j.Needs.Files == 0:
			only = "nothing"
		case j.Only.Files == 0:
			only = "others need all of it too"
		}
		if j.Discarded {
			only += "; discarded"
		}
		t.Row("for", s.Plain(s.Jar(j.Jar)), s.Plain(fmt.Sprintf("%8s", Bytes(j.Needs.Bytes))), s.Faint(Count(j.Needs.Files, "file")), s.Faint(only))
	}
	if u.Discarded > 0 {
		t.Line("away", s.Plain(Bytes(u.Discarded)), s.Faint("in discarded jars"))
	}
	if free := u.Contents.Bytes - u.Needed + u.Discarded; free > 0 {
		t.Line("try", s.Plain("glassjar store tidy"), s.Faint("would free "+Bytes(free)))
	}
	t.Print()
}

// Tidied tells what was removed, or would be.
func (s *Screen) Tidied(x *operation.Tidied) {
	t := s.Sheet()
	label := "removed"
	if !x.Done {
		label = "frees"
	}
	for _, j := range x.Jars {
		t.Line("jar", s.Plain(s.Jar(j)), s.Faint("discarded; cannot be brought back after this"))
	}
	for _, j := range x.Scripts {
		t.Line("script", s.Plain(s.Jar(j)), s.Faint("nothing runs in it; it is made anew when it is needed"))
	}
	var of []string
	part := func(bytes int64, n int, what, after string) {
		if n > 0 || what == "file" && x.Frees == 0 {
			of = append(of, Bytes(bytes)+" in "+Count(n, what)+after)
		}
	}
	part(x.JarBytes, len(x.Jars)+len(x.Scripts), "jar", "")
	part(x.Bytes, x.Files, "file", " of the store")
	part(x.RepositoryBytes, x.Repositories, "folder", " of repositories")
	if len(of) == 1 {
		_, of[0], _ = strings.Cut(of[0], " in ")
		of[0] = "in " + of[0]
	}
	t.Line(label, s.Plain(Bytes(x.Frees)), s.Faint(strings.Join(of, ", ")))
	t.Print()
}

// Compiled tells what was compiled.
func (s *Screen) Compiled(c *operation.Compiled) {
	t := s.Sheet()
	t.Line("jar", s.Bold(s.Jar(c.Jar)), s.Faint(c.Kind))
	t.Line("done", s.Plain(Count(c.Modules, "module")+" compiled"), s.Faint(Count(c.Added, "file")+" of bytecode put into the jar"))
	t.Print()
}

// Verified tells what a verification found.
func (s *Screen) Verified(v *operation.Verified) {
	t := s.Sheet()
	t.Line("store", s.Plain(Count(v.Files, "file")+", "+Bytes(v.Bytes)))
	for _, d := range v.Damaged {
		t.Line("damaged", s.Bad(d), s.Faint("removed; it is fetched again when it is needed"))
	}
	if len(v.Damaged) == 0 {
		t.Line("found", s.Good("nothing wrong"))
	}
	t.Print()
}

// Holdings lists the jars and records that hold something.
func (s *Screen) Holdings(h *operation.Holdings) {
	t := s.Sheet()
	for _, f := range h.Found {
		where, at := "jar and record", f.Jar
		switch {
		case !f.InRecord:
			where = "jar"
		case !f.InJar:
			where, at = "record", f.Record
		}
		t.Row("holds", s.Bold(f.Name), s.Plain(f.Version), s.Faint(where), s.Faint(s.Path(at)))
	}
	if len(h.Found) == 0 {
		t.Line("holds", s.Plain("nothing here holds "+h.Asked))
	}
	t.Line("of", s.Faint(Count(h.Jars, "jar")+" and "+Count(h.Records, "record")))
	t.Print()
}
