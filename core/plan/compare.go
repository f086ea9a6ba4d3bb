package plan

import (
	"slices"
	"strings"

	"glassjar/core/index"
	"glassjar/core/version"
)

// Choice is one distribution that a jar is to hold, and the package file that it comes
// from; that has none if the base provides it.
type Choice struct {
	Name    string
	Version version.Version
	File    index.File
	// Asked tells that a person asked for it; NeededBy are the names that need it.
	Asked    bool
	NeededBy []string
	Provided bool
	// Built is the SHA-256 of the wheel that was built of the file, where that is source.
	Built string
	// LibraryPath are folders without which its libraries are not found.
	LibraryPath []string
	// Assumed, if set, is to be looked at once the wheel is here.
	Assumed *Assumption
}

// Package is the SHA-256 of the wheel that is put in place.
func (c Choice) Package() string {
	if c.Built != "" {
		return c.Built
	}
	return c.File.SHA256()
}

// Held is one distribution that a jar holds.
type Held struct {
	Name    string
	Version version.Version
	// Package is the SHA-256 of the package file that it came from, empty if not known.
	Package string
	// Damaged tells that its files are not as they were installed.
	Damaged bool
	// Stays tells that it is not taken out though nothing asks for it.
	Stays bool
}

// Aim is what a jar is to hold, and what it holds.
type Aim struct {
	Choices []Choice
	Held    []Held
	// Drop are files in the jar that belong to nothing.
	Drop []string
	// Named are the names that the command is about; Why says why what goes goes.
	Named map[string]bool
	Why   string
	// Free tells that all of it was asked for, or that nothing is there that somebody
	// wrote down.
	Free bool
	// Here reports whether a package file, or what it unpacks to, is on this machine;
	// Warnings are what is known of one that was unpacked, by its SHA-256.
	Here     func(index.File) bool
	Warnings func(sum string) []string
}

// Steps are what carrying out a plan needs to know of it.
type Steps struct {
	// Install are to be put in place; Remove are the names of what is taken out, those
	// that are put in place anew included.
	Install []Choice
	Remove  []string
	// Asked tells of each that stays as it is whether a person asked for it.
	Asked map[string]bool
}

// Compare fills in what has to happen so that the jar holds what it is to hold, and
// nothing else but what stays.
func (p *Plan) Compare(a Aim) Steps {
	steps := Steps{Asked: map[string]bool{}}
	have := map[string]Held{}
	for _, h := range a.Held {
		have[h.Name] = h
	}
	wanted := map[string]bool{}
	for _, c := range a.Choices {
		item := Item{Name: c.Name, Version: c.Version.String(), Asked: c.Asked, NeededBy: c.NeededBy, Index: c.File.Index, File: c.File.Name, Size: c.File.Size, Build: buildOf(c)}
		if c.Provided {
			p.Provided = append(p.Provided, item)
			continue
		}
		wanted[c.Name] = true
		held, there := have[c.Name]
		item.Here = a.Here(c.File)
		if there && p.keeps(held, c, item) {
			steps.Asked[c.Name] = c.Asked
			continue
		}
		if there {
			steps.Remove = append(steps.Remove, c.Name)
		} else {
			p.Add = append(p.Add, item)
		}
		p.Notes = append(p.Notes, a.Warnings(c.File.SHA256())...)
		if item.Here {
			p.HereBytes += max(c.File.Size, 0)
		} else {
			p.Fetch += max(c.File.Size, 0)
		}
		steps.Install = append(steps.Install, c)
	}
	for _, h := range a.Held {
		if !wanted[h.Name] && !h.Stays {
			p.Remove = append(p.Remove, Item{Name: h.Name, From: h.Version.String(), Asked: a.Named[h.Name], Why: a.Why})
			steps.Remove = append(steps.Remove, h.Name)
		}
	}
	p.Drop = append(p.Drop, a.Drop...)
	for _, list := range [][]Item{p.Add, p.Change, p.Remove, p.Mend} {
		slices.SortFunc(list, func(x, y Item) int { return strings.Compare(x.Name, y.Name) })
	}
	p.Beyond = !a.Free && p.beyond(a.Named)
	return steps
}

// buildOf is what a distribution is built of; empty for a wheel.
func buildOf(c Choice) string {
	switch t := c.File.Tree; {
	case c.Provided || c.File.Wheel != nil || c.File.Name == "" && t == nil:
		return ""
	case t == nil:
		return FromArchive
	case t.Repository != "":
		return FromRepository
	case t.Editable:
		return FromFolderEditable
	}
	return FromFolder
}

// keeps reports whether what a jar holds is what was chosen; if not, it is among what
// changes or is made anew.
func (p *Plan) keeps(held Held, c Choice, item Item) bool {
	switch {
	case !held.Version.Equal(c.Version):
		item.From = held.Version.String()
		p.Change = append(p.Change, item)
	case held.Package != c.File.SHA256() && c.File.SHA256() != "":
		item.Why = "its files are from another package file"
		if c.File.Tree != nil {
			item.Why = "its source has changed"
		}
		p.Mend = append(p.Mend, item)
	case held.Damaged:
		item.Why = "its files are not as they were installed"
		p.Mend = append(p.Mend, item)
	default:
		p.Kept++
		return true
	}
	return false
}

func (p *Plan) beyond(named map[string]bool) bool {
	unnamed := func(i Item) bool { return !named[i.Name] }
	return slices.ContainsFunc(p.Change, unnamed) || slices.ContainsFunc(p.Remove, unnamed) || len(p.Drop) > 0
}
