package operation

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"glassjar/core/place"
	"glassjar/core/requirement"
)

// What a shell can complete. All of it is from this machine, and nothing is an
// error: there is just less to offer.

// maxOffered bounds what a shell is given.
const maxOffered = 200

// OfferJars are the names on the shelf and the places of other jars known here.
func (m *Machine) OfferJars() []string {
	out := m.Places().ShelfNames()
	known, _ := m.Known.All() // less to offer
	for _, k := range known {
		if filepath.Dir(k.Root) != m.Folders.Shelf && !m.ofScripts(k.Root) && m.Places().At(k.Root, place.Named).Exists() {
			out = append(out, m.relative(k.Root))
		}
	}
	return out
}

// OfferShelf are the names on the shelf.
func (m *Machine) OfferShelf() []string { return m.Places().ShelfNames() }

// OfferInstalled are the names in the jar in effect.
func (m *Machine) OfferInstalled(ref string) []string {
	_, _, installed, err := m.look(ref)
	if err != nil {
		return nil
	}
	return sortedNames(namesOf(installed))
}

// OfferNames are names of the indexes that begin with a word, as far as they are
// known without asking a server.
func (m *Machine) OfferNames(ctx context.Context, word string) []string {
	m.Client.Offline = true
	spec, err := m.nearestSpec()
	if err != nil {
		return nil
	}
	indexes, _ := m.indexes(spec)
	word = requirement.Normalize(word)
	var out []string
	for _, s := range indexes.Sources {
		names, err := s.Names(ctx)
		if err != nil {
			continue
		}
		at := sort.SearchStrings(names, word)
		for ; at < len(names) && strings.HasPrefix(names[at], word); at++ {
			out = append(out, names[at])
		}
	}
	// On a large index most of what begins so is long; what is meant is mostly short.
	slices.SortFunc(out, func(a, b string) int {
		if len(a) != len(b) {
			return len(a) - len(b)
		}
		return strings.Compare(a, b)
	})
	out = slices.Compact(out)
	return out[:min(len(out), maxOffered)]
}

// OfferStates are the numbers of the states that the jar in effect has been in.
func (m *Machine) OfferStates(ctx context.Context, ref string) []string {
	h, err := m.History(ctx, ref)
	if err != nil {
		return nil
	}
	var out []string
	for _, s := range h.States {
		out = append(out, fmt.Sprint(s.Number))
	}
	return out
}

// OfferScripts are the programs of the jar in effect.
func (m *Machine) OfferScripts(ref string) []string {
	_, j, _, err := m.look(ref)
	if err != nil {
		return nil
	}
	return scripts(j.Path(j.Layout().Scripts()))
}

// OfferParts are the groups of the spec, or its extras.
func (m *Machine) OfferParts(groups bool) []string {
	spec, err := m.nearestSpec()
	switch {
	case err != nil:
		return nil
	case groups:
		return spec.Groups
	}
	return spec.Extras
}

// OfferPythons are the minor versions that are found on this machine.
func (m *Machine) OfferPythons(ctx context.Context) []string {
	all, _ := m.finder().All(ctx)
	var out []string
	for _, f := range all {
		if !slices.Contains(out, f.Minor()) {
			out = append(out, f.Minor())
		}
	}
	return out
}

// OfferIndexes are the names of the indexes that are set up.
func (m *Machine) OfferIndexes() []string {
	list, err := m.Indexes()
	if err != nil {
		return nil
	}
	var out []string
	for _, i := range list {
		out = append(out, i.Name)
	}
	return out
}
