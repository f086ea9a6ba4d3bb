package building

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/digest"
	"glassjar/core/internal/keptmap"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/source"
)

// Question is what somebody is asked before source is built: it runs code.
type Question struct {
	Name, Version string
	// From is what it is built of: a file's name, a folder, a repository's address.
	From string
	// BackEnd is what will run, Requires what that needs; Own tells that it stands in the
	// source itself.
	BackEnd  string
	Requires []string
	Own      bool
	// Room is how closed the room will be.
	Room string
	// Variables are set for it, by their names.
	Variables []string
	// InSpec tells that the spec says yes, but nobody here has.
	InSpec bool
}

// NoConsentError says that source is to be built and nobody has said that it may be.
type NoConsentError struct {
	// Names are of distributions, sorted; Spec is the file that would say yes.
	Names []string
	Spec  string
	// InSpec tells that the spec says yes, but nobody on this machine has; Own that it is
	// the project itself, and Declined that somebody was asked and said no.
	InSpec, Own, Declined bool
	// Err is why nothing else will do, or nil.
	Err error
}

func (e *NoConsentError) Error() string {
	return strings.Join(e.Names, ", ") + " would be built from source, which has no consent"
}

func (e *NoConsentError) Unwrap() error { return e.Err }

// Consents knows what may be built, in one command.
type Consents struct {
	// File is where it is kept what this user has said yes to.
	File string
	// Of is what consent is given in: the project, or the jar that has its own spec. Spec is that
	// of it, nil for none.
	Of   string
	Spec *project.Spec
	// Yes are names that this user consents to, by a flag or by settings, and Named those that the
	// command line itself asks for.
	Yes   []string
	Named map[string]bool
	// Ask, if set, asks the user.
	Ask func(Question) (bool, error)

	// said are answers so far; added those that the spec is to have.
	said  map[string]bool
	added []string
}

// inSpec reports whether the spec consents to the building of a name.
func (c *Consents) inSpec(name string) bool {
	return c.Spec != nil && slices.ContainsFunc(c.Spec.Tool.BuildConsent, func(n string) bool { return requirement.Normalize(n) == name })
}

// byUser reports whether this user consents, by a flag or by settings.
func (c *Consents) byUser(name string) bool {
	return slices.ContainsFunc(c.Yes, func(n string) bool { return requirement.Normalize(n) == name })
}

// mark tells what is consented to apart: a change of it asks again. folder is the source
// where that is one, since its own back end may be part of it.
func (c *Consents) mark(name, folder string) string {
	o := c.options(name)
	said, _ := json.Marshal([]any{name, o.Variables, o.Settings, o.Also, o.Open}) // texts throughout
	h := sha256.New()
	h.Write(said)
	if folder != "" {
		h.Write(backEndText(folder))
	}
	return hex.EncodeToString(h.Sum(nil))
}

// backEndText is what decides which code runs when a folder is built: its [build-system],
// and the files of a back end of its own.
func backEndText(folder string) []byte {
	var out []byte
	s, err := source.Read(source.Source{Folder: folder})
	if err != nil {
		return nil // building tells
	}
	said, _ := json.Marshal(s.BackEnd) // texts throughout
	out = append(out, said...)
	for _, p := range s.BackEnd.Path {
		dir := filepath.Join(folder, filepath.FromSlash(p))
		_ = filepath.WalkDir(dir, func(file string, e fs.DirEntry, err error) error {
			switch {
			case err != nil:
				return nil
			case e.IsDir() && file != dir && strings.HasPrefix(e.Name(), "."):
				return filepath.SkipDir
			case strings.HasSuffix(file, ".py") && e.Type().IsRegular() && backEndFile(s.BackEnd.Name, dir, file):
				sum, _ := digest.OfFile(context.Background(), file) // what cannot be read changes nothing here
				out = append(out, fmt.Sprintf("%s %s\n", e.Name(), sum)...)
			}
			return nil
		})
	}
	return out
}

// backEndFile reports whether a file below a folder of backend-path belongs to the back
// end's module.
func backEndFile(name, dir, file string) bool {
	module, _, _ := strings.Cut(name, ":")
	top, _, _ := strings.Cut(module, ".")
	rel, err := filepath.Rel(dir, file)
	first, _, _ := strings.Cut(filepath.ToSlash(rel), "/")
	return err == nil && (first == top || first == top+".py")
}

// key is where consent to a name is noted: for the project, the jar that has its own spec, or the
// script.
func (c *Consents) key(name string) string {
	of := c.Of
	if c.Spec != nil && c.Spec.Script != "" {
		of = c.Spec.Script
	}
	return place.Real(of) + "\x00" + name
}

// given reports whether a name may be built, without asking: this user has consented, or
// the spec has and this user said yes to that here. Who asks for a name on the command line
// of a project whose spec consents to it says yes with that.
func (c *Consents) given(name, folder string) bool {
	if c.said[name] {
		return true
	}
	user := c.byUser(name)
	if !c.inSpec(name) {
		return user
	}
	mark := c.mark(name, folder)
	if keptmap.Read[string](c.File)[c.key(name)] == mark {
		c.say(name) // it is asked for each release
		return true
	}
	if user || c.Named[name] {
		c.keep(name, mark)
		return true
	}
	return false
}

func (c *Consents) say(name string) {
	if c.said == nil {
		c.said = map[string]bool{}
	}
	c.said[name] = true
}

// keep notes that this user said yes.
func (c *Consents) keep(name, mark string) {
	c.say(name)
	keptmap.Add(c.File, map[string]string{c.key(name): mark}, func(key, _ string) bool {
		root, _, _ := strings.Cut(key, "\x00")
		_, err := os.Stat(root)
		return os.IsNotExist(err)
	})
}

// ask asks whether a name may be built; the error is a [*NoConsentError] where nobody can
// be asked, or says no.
func (c *Consents) ask(q Question, folder string, own bool) error {
	q.InSpec = c.inSpec(q.Name)
	no := &NoConsentError{Names: []string{q.Name}, Spec: c.specFile(), InSpec: q.InSpec, Own: own}
	if c.Ask == nil {
		return no
	}
	o := c.options(q.Name)
	q.Variables = slices.Sorted(maps.Keys(o.Variables))
	q.Room = source.BestRoom(o.Open)
	yes, err := c.Ask(q)
	if err != nil {
		return err
	}
	if !yes {
		no.Declined = true
		return no
	}
	if !q.InSpec {
		c.added = append(c.added, q.Name)
	}
	c.keep(q.Name, c.mark(q.Name, folder))
	return nil
}

func (c *Consents) specFile() string {
	switch {
	case c.Spec == nil:
		return ""
	case c.Spec.Script != "":
		return c.Spec.Script
	}
	return c.Spec.File
}

// write is a spec's text with the names in it that somebody said yes to.
func (c *Consents) write(text []byte) ([]byte, error) {
	if len(c.added) == 0 {
		return text, nil
	}
	have, err := project.ParseSpec(c.Spec.File, text)
	if err != nil {
		return nil, err
	}
	text = project.AddNames(text, []string{"tool", "glassjar", "build-consent"}, slices.Compact(slices.Sorted(slices.Values(c.added))))
	_, err = have.With(text)
	return text, err
}

// options are what the spec says of the building of a name.
func (c *Consents) options(name string) source.Options {
	o := source.Options{Shell: map[string]string{}}
	for _, v := range source.ShellVariables {
		if text, ok := os.LookupEnv(v); ok {
			o.Shell[v] = text
		}
	}
	if c.Spec == nil {
		return o
	}
	t := c.Spec.Tool
	o.Variables, o.Settings, o.Also = of(t.BuildVariables, name), of(t.BuildSettings, name), of(t.BuildAlso, name)
	o.Open = slices.ContainsFunc(t.BuildOpen, func(n string) bool { return requirement.Normalize(n) == name })
	return o
}

// of is a table's value for a name, however that is written.
func of[V any](table map[string]V, name string) (v V) {
	for key, value := range table {
		if requirement.Normalize(key) == name {
			return value
		}
	}
	return v
}
