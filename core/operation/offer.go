package operation

import (
	"context"
	"path/filepath"
	"sort"
	"strings"

	"glassjar/core/requirement"
)

// What a shell can complete. All of it is from this machine, and nothing is an
// error: there is just less to offer.

// maxOffered bounds what a shell is given.
const maxOffered = 200

// OfferJars are the names on the shelf and the places of other jars known here.
func (m *Machine) OfferJars() []string {
	out := m.shelfNames()
	known, _ := m.Known.All() // less to offer
	for _, k := range known {
		if filepath.Dir(k.Root) != m.Folders.Shelf && m.placeAt(k.Root, Named).Exists() {
			out = append(out, m.relative(k.Root))
		}
	}
	return out
}

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
		for ; at < len(names) && strings.HasPrefix(names[at], word) && len(out) < maxOffered; at++ {
			out = append(out, names[at])
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
