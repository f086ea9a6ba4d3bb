package diagnose

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/catalog"
	"glassjar/core/jar"
	"glassjar/core/metadata"
	"glassjar/core/near"
)

// former are modules that were taken out of the standard library, with the
// first version of Python that lacks them. They are facts of Python's own
// documentation, which no running Python can tell.
var former = map[string]string{
	"distutils": "3.12", "imp": "3.12", "asynchat": "3.12", "asyncore": "3.12", "smtpd": "3.12",
	"aifc": "3.13", "audioop": "3.13", "cgi": "3.13", "cgitb": "3.13", "chunk": "3.13", "crypt": "3.13", "imghdr": "3.13",
	"mailcap": "3.13", "msilib": "3.13", "nis": "3.13", "nntplib": "3.13", "ossaudiodev": "3.13", "pipes": "3.13",
	"sndhdr": "3.13", "spwd": "3.13", "sunau": "3.13", "telnetlib": "3.13", "uu": "3.13", "xdrlib": "3.13", "lib2to3": "3.13",
	"binhex": "3.11", "formatter": "3.10", "parser": "3.10", "symbol": "3.10", "macpath": "3.8", "macurl2path": "3.7",
	"dummy_threading": "3.9", "_dummy_thread": "3.9", "asyncio.compat": "3.7", "fpectl": "3.7",
	"ConfigParser": "3.0", "Queue": "3.0", "StringIO": "3.0", "cPickle": "3.0", "cStringIO": "3.0", "urllib2": "3.0", "urlparse": "3.0",
	"httplib": "3.0", "Tkinter": "3.0", "HTMLParser": "3.0", "Cookie": "3.0", "commands": "3.0", "sets": "3.0", "md5": "3.0", "sha": "3.0", "thread": "3.0",
}

// absent explains a module that Python does not find, by looking for it ever
// further away: in the jar under another name, in the standard library, in the
// indexes, in other jars, outside.
func (x *Examination) absent(ctx context.Context, d *Diagnosis, t Trial, top string) error {
	d.File = ""
	for _, look := range []func(context.Context, *Diagnosis, Trial, string) bool{x.absentPart, x.compiledForOthers, x.otherLetters, x.once, x.missingHere, x.onlyOutside, x.elsewhere, x.indexed, x.misspelt} {
		if look(ctx, d, t, top) {
			return nil
		}
	}
	d.Case = CaseUnknown
	d.Mend = Mend{Search, top}
	return nil
}

// absentPart is a package that is there without the part that was asked for.
func (x *Examination) absentPart(ctx context.Context, d *Diagnosis, t Trial, top string) bool {
	if !strings.Contains(d.Module, ".") || t.Missing == top {
		return false
	}
	for _, b := range x.Catalog.WithModule(ctx, d.Module) {
		if strings.HasPrefix(b.Via, top+".") { // another part of a shared package
			d.Case, d.Distribution, d.Version, d.Mend = CaseNotInstalled, b.Name, b.Version, Mend{Install, b.Name}
			return true
		}
	}
	var parts []string
	for _, in := range x.Installed {
		for _, name := range x.Jar.Imports(in) {
			if name == top || strings.HasPrefix(name, top+".") {
				d.Distribution, d.Version = in.Key(), in.Version().String()
				parts = append(parts, x.modulesOf(in)...)
			}
		}
	}
	if d.Distribution == "" {
		return false
	}
	d.Case, d.Detail = CasePart, t.Missing
	if hint := near.Names(key(d.Module), keysOf(parts)); len(hint) > 0 {
		for _, n := range parts {
			if key(n) == hint[0] {
				d.Import, d.Mend = n, Mend{Import, n}
			}
		}
	} else {
		d.Mend = Mend{LookAt, d.Distribution}
	}
	return true
}

// modulesOf are the names of all modules of a distribution, with those within
// packages.
func (x *Examination) modulesOf(in jar.Installed) []string {
	files, _ := x.Jar.Files(in) // one without a RECORD has none
	var out []string
	for _, f := range files {
		for _, site := range x.Jar.Sites() {
			rest, ok := strings.CutPrefix(f.Path, site+"/")
			name, _, is := metadata.ModuleOf(rest)
			if !ok || !is {
				continue
			}
			dotted := strings.ReplaceAll(strings.TrimSuffix(filepath.ToSlash(filepath.Join(filepath.Dir(rest), name)), "/__init__"), "/", ".")
			if !slices.Contains(out, dotted) {
				out = append(out, dotted)
			}
		}
	}
	return out
}

func keysOf(modules []string) []string {
	var out []string
	for _, m := range modules {
		out = append(out, key(m))
	}
	return out
}

// compiledForOthers is a compiled module that this interpreter passes over,
// since its name says that it is for another.
func (x *Examination) compiledForOthers(_ context.Context, d *Diagnosis, _ Trial, top string) bool {
	for _, in := range x.Installed {
		files, _ := x.Jar.Files(in)
		for _, f := range files {
			name, built, ok := metadata.ModuleOf(f.Path)
			if !ok || built == "" || name != top && name != lastPart(d.Module) {
				continue
			}
			for _, site := range x.Jar.Sites() {
				if strings.HasPrefix(f.Path, site+"/") {
					d.Distribution, d.Version, d.File = in.Key(), in.Version().String(), x.Jar.Path(f.Path)
					x.otherPython(d, f.Path)
					return true
				}
			}
		}
	}
	return false
}

func lastPart(module string) string { return module[strings.LastIndex(module, ".")+1:] }

// otherLetters is a module that is there in other letters: Python tells upper
// case from lower on every system.
func (x *Examination) otherLetters(_ context.Context, d *Diagnosis, t Trial, top string) bool {
	for _, in := range x.Installed {
		for _, name := range x.Jar.Imports(in) {
			if first, _, _ := strings.Cut(name, "."); first != top && strings.EqualFold(first, top) {
				d.Case, d.Distribution, d.Version, d.Import, d.Mend = CaseLetterCase, in.Key(), in.Version().String(), first, Mend{Import, first}
				return true
			}
		}
	}
	for _, name := range append(slices.Clone(t.Stdlib), t.Builtin...) {
		if name != top && strings.EqualFold(name, top) && former[top] == "" {
			d.Case, d.Import, d.Mend = CaseLetterCase, name, Mend{Import, name}
			return true
		}
	}
	return false
}

// once is a module that the standard library of this Python lacks, and that of
// an earlier one had.
func (x *Examination) once(ctx context.Context, d *Diagnosis, _ Trial, top string) bool {
	since, ok := former[top]
	if !ok {
		return false
	}
	d.Case, d.Detail = CaseFormer, since
	if by := x.Catalog.WithModule(ctx, top); len(by) > 0 {
		d.Mend = Mend{Install, by[0].Name}
	} else {
		d.Mend = Mend{Older, since}
	}
	return true
}

// missingHere is a distribution of which the jar has the metadata, but not the
// module: its files were taken away.
func (x *Examination) missingHere(_ context.Context, d *Diagnosis, _ Trial, top string) bool {
	for _, in := range x.Installed {
		if catalog.ImportedAs(d.Module, x.Jar.Imports(in)) != "" || catalog.ImportedAs(top, x.Jar.Imports(in)) != "" {
			d.Case, d.Distribution, d.Version = CaseRaises, in.Key(), in.Version().String()
			d.Detail = "its files are gone"
			d.Mend = Mend{Step: Recreate}
			return true
		}
		if in.Key() == key(top) {
			if names := x.Jar.Imports(in); len(names) > 0 {
				d.Case, d.Distribution, d.Version, d.Import, d.Mend = CaseOtherName, in.Key(), in.Version().String(), names[0], Mend{Import, names[0]}
				return true
			}
		}
	}
	return false
}

// indexed is a module that a distribution of an index brings, under its own
// name or another. A name that is a distribution's counts too where its wheels
// cannot be looked into.
func (x *Examination) indexed(ctx context.Context, d *Diagnosis, _ Trial, top string) bool {
	by := x.Catalog.WithModule(ctx, d.Module)
	if len(by) == 0 {
		by = x.Catalog.WithModule(ctx, top)
	}
	if len(by) == 0 {
		releases, source, err := x.Catalog.Releases(ctx, key(top))
		if err != nil || len(releases) == 0 {
			return false
		}
		f, ok := catalog.NewestWheel(releases)
		if ok {
			if in, err := x.Catalog.Inside(ctx, f); err == nil && len(in.Imports) > 0 {
				// The distribution's name was typed, and one imports another.
				d.Case, d.Distribution, d.Import = CaseOtherName, key(top), in.Imports[0]
				d.Mend = Mend{Install, d.Distribution}
				return true
			}
		}
		by = []catalog.Supplier{{Name: key(top), Index: source.Name()}}
	}
	d.Distribution, d.Version = by[0].Name, by[0].Version
	d.Case, d.Mend = CaseNotInstalled, Mend{Install, by[0].Name}
	if key(top) != by[0].Name && key(d.Module) != by[0].Name {
		d.Case = CaseOtherName
	}
	return true
}

// elsewhere is a module in another jar that is known on this machine.
func (x *Examination) elsewhere(ctx context.Context, d *Diagnosis, _ Trial, top string) bool {
	other, ok := x.inOtherJar(top)
	if ok {
		d.Case, d.Detail = CaseOtherJar, other
		d.Mend = Mend{RunIn, other}
		if by := x.Catalog.WithModule(ctx, top); len(by) > 0 {
			d.Distribution, d.Version, d.Mend = by[0].Name, by[0].Version, Mend{Install, by[0].Name}
		}
	}
	return ok
}

func (x *Examination) inOtherJar(top string) (string, bool) {
	known, err := x.Others()
	if err != nil {
		return "", false
	}
	for _, k := range known {
		if k.Root == x.Jar.Root {
			continue
		}
		other, err := jar.Open(k.Root)
		if err != nil {
			continue
		}
		installed, err := other.Installed()
		if err != nil {
			continue
		}
		for _, in := range installed {
			if catalog.ImportedAs(top, other.Imports(in)) != "" {
				return k.Root, true
			}
		}
	}
	return "", false
}

// onlyOutside is a module in a folder that this jar does not see: the user's
// own, or the base's.
func (x *Examination) onlyOutside(ctx context.Context, d *Diagnosis, _ Trial, top string) bool {
	for _, dir := range x.NotSeen {
		for _, name := range []string{top + ".py", top} {
			if _, err := os.Stat(filepath.Join(dir, name)); err == nil {
				d.Case, d.Detail, d.Mend = CaseOnlyOutside, dir, Mend{Install, key(top)}
				if by := x.Catalog.WithModule(ctx, top); len(by) > 0 {
					d.Distribution, d.Version, d.Mend = by[0].Name, by[0].Version, Mend{Install, by[0].Name}
				}
				return true
			}
		}
	}
	return false
}

// misspelt is a name near one that the jar or an index has.
func (x *Examination) misspelt(ctx context.Context, d *Diagnosis, t Trial, top string) bool {
	here := map[string]string{} // by normal form, what to import
	var known []string
	add := func(name string) {
		if k := key(name); here[k] == "" {
			here[k] = name
			known = append(known, k)
		}
	}
	for _, in := range x.Installed {
		for _, name := range x.Jar.Imports(in) {
			add(name)
		}
	}
	for _, name := range t.Stdlib {
		if !strings.HasPrefix(name, "_") {
			add(name)
		}
	}
	if near := near.Names(key(top), known); len(near) > 0 {
		d.Case, d.Import, d.Mend = CaseMisspelt, here[near[0]], Mend{Import, here[near[0]]}
		return true
	}
	if near := x.Catalog.Near(ctx, key(top)); len(near) > 0 {
		d.Case, d.Distribution = CaseMisspelt, near[0]
		d.Mend = Mend{Install, near[0]}
		return true
	}
	return false
}
