package operation

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io/fs"
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
	"glassjar/core/tomltext"
)

// BuildQuestion is what somebody is asked before source is built: it runs code.
type BuildQuestion struct {
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

// consents knows what may be built, in one command.
type consents struct {
	m    *Machine
	at   place.Place
	spec *project.Spec
	// named are the names that this command line itself asks for.
	named map[string]bool
	// said are answers so far; added those that the spec is to have.
	said  map[string]bool
	added []string
}

// file is where it is kept what this user has said yes to.
func (m *Machine) consentsFile() string { return filepath.Join(m.Folders.State, "consents.json") }

// inSpec reports whether the spec consents to the building of a name.
func (c *consents) inSpec(name string) bool {
	return c.spec != nil && slices.ContainsFunc(c.spec.Tool.BuildConsent, func(n string) bool { return requirement.Normalize(n) == name })
}

// byUser reports whether this user consents, by a flag or by settings.
func (c *consents) byUser(name string) bool {
	is := func(n string) bool { return requirement.Normalize(n) == name }
	return slices.ContainsFunc(c.m.Build, is) || slices.ContainsFunc(c.m.Settings.BuildConsent, is)
}

// mark tells what is consented to apart: a change of it asks again. folder is the source
// where that is one, since its own back end may be part of it.
func (c *consents) mark(name, folder string) string {
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
func (c *consents) key(name string) string {
	of := c.at.Key()
	if c.spec != nil && c.spec.Script != "" {
		of = c.spec.Script
	}
	return place.Real(of) + "\x00" + name
}

// given reports whether a name may be built, without asking: this user has consented, or
// the spec has and this user said yes to that here. Who asks for a name on the command line
// of a project whose spec consents to it says yes with that.
func (c *consents) given(name, folder string) bool {
	if c.said[name] {
		return true
	}
	user := c.byUser(name)
	if !c.inSpec(name) {
		return user
	}
	mark := c.mark(name, folder)
	if keptmap.Read[string](c.m.consentsFile())[c.key(name)] == mark {
		c.said[name] = true // it is asked for each release
		return true
	}
	if user || c.named[name] {
		c.keep(name, mark)
		return true
	}
	return false
}

// keep notes that this user said yes.
func (c *consents) keep(name, mark string) {
	c.said[name] = true
	keptmap.Add(c.m.consentsFile(), map[string]string{c.key(name): mark}, func(key, _ string) bool {
		root, _, _ := strings.Cut(key, "\x00")
		_, err := os.Stat(root)
		return os.IsNotExist(err)
	})
}

// ask asks whether a name may be built; the error is a [*NoConsentError] where nobody can
// be asked, or says no.
func (c *consents) ask(q BuildQuestion, folder string, own bool) error {
	q.InSpec = c.inSpec(q.Name)
	no := &NoConsentError{Names: []string{q.Name}, Spec: c.specFile(), InSpec: q.InSpec, Own: own}
	if c.m.AskBuild == nil {
		return no
	}
	o := c.options(q.Name)
	q.Variables = sortedNames(o.Variables)
	q.Room = source.BestRoom(o.Open)
	yes, err := c.m.AskBuild(q)
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

func (c *consents) specFile() string {
	switch {
	case c.spec == nil:
		return ""
	case c.spec.Script != "":
		return c.spec.Script
	}
	return c.spec.File
}

// write is a spec's text with the names in it that somebody said yes to.
func (c *consents) write(text []byte) ([]byte, error) {
	if len(c.added) == 0 {
		return text, nil
	}
	have, err := project.ParseSpec(c.spec.File, text)
	if err != nil {
		return nil, err
	}
	names := append(slices.Clone(have.Tool.BuildConsent), c.added...)
	slices.Sort(names)
	return tomltext.Set(text, []string{"tool", "glassjar", "build-consent"}, tomltext.Strings(slices.Compact(names))), nil
}

// options are what the spec says of the building of a name.
func (c *consents) options(name string) source.Options {
	o := source.Options{Shell: map[string]string{}}
	for _, v := range source.ShellVariables {
		if text, ok := os.LookupEnv(v); ok {
			o.Shell[v] = text
		}
	}
	if c.spec == nil {
		return o
	}
	t := c.spec.Tool
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
