package catalog

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"glassjar/core/index"
	"glassjar/core/near"
	"glassjar/core/resolve"
)

// unknown are those of the names that no index has.
func (c *Catalog) unknown(ctx context.Context, names []string) ([]string, error) {
	c.expect(ctx, names)
	var out []string
	for _, name := range names {
		_, _, err := c.Releases(ctx, name)
		switch {
		case errors.Is(err, index.ErrUnknownName) && !slices.Contains(out, name): // it may be asked for twice
			out = append(out, name)
		case err != nil && !errors.Is(err, index.ErrUnknownName):
			return nil, err
		}
	}
	return out, nil
}

// UnknownNamesError says which names no index has.
type UnknownNamesError struct {
	// Names are as asked for; Near are known names that come close, by name;
	// Indexes are the names of those asked.
	Names   []string
	Near    map[string][]string
	Indexes []string
	// ImportedFrom are distributions that one imports under a name that was asked for.
	ImportedFrom map[string][]string
	// Pinned are those of the names that are pinned to one index, with its name;
	// Elsewhere are the indexes that have such a name but are not asked for it.
	Pinned    map[string]string
	Elsewhere map[string][]string
	// PassedOver are files of such names that cannot be used.
	PassedOver []index.PassedOver
	// SampleOnly tells that no index is set up, so that only the sample was
	// asked.
	SampleOnly bool
}

func (e *UnknownNamesError) Error() string {
	return fmt.Sprintf("no index has %v", e.Names)
}

// CheckNames looks for all names at once that no index has; the error is then an
// [*UnknownNamesError], which says what may have been meant. sampleOnly tells that no
// index is set up.
func (c *Catalog) CheckNames(ctx context.Context, names []string, sampleOnly bool) error {
	unknown, err := c.unknown(ctx, names)
	if err != nil || len(unknown) == 0 {
		return err
	}
	e := &UnknownNamesError{Near: map[string][]string{}, ImportedFrom: map[string][]string{}, Pinned: map[string]string{}, Elsewhere: map[string][]string{}, SampleOnly: sampleOnly}
	for _, s := range c.Indexes.Sources {
		e.Indexes = append(e.Indexes, s.Name())
	}
	for _, name := range unknown {
		e.Names = append(e.Names, name)
		if pin, ok := c.Indexes.Pins[name]; ok {
			e.Pinned[name] = pin
			for _, s := range c.Indexes.Unasked(ctx, name) {
				e.Elsewhere[name] = append(e.Elsewhere[name], s.Name())
			}
			continue
		}
		e.Near[name] = c.Near(ctx, name)
		e.ImportedFrom[name] = SupplierNames(c.WithModule(ctx, strings.ReplaceAll(name, "-", "_")))
	}
	for _, p := range c.PassedOver() {
		if slices.Contains(unknown, p.Name) {
			e.PassedOver = append(e.PassedOver, p)
		}
	}
	return e
}

// Near are the known names closest to one.
func (c *Catalog) Near(ctx context.Context, name string) []string {
	all, err := c.Indexes.Names(ctx)
	if err != nil {
		return nil // a hint more or less
	}
	return near.Names(name, all)
}

// Unasked looks, once there is no solution, for versions that would meet a need
// in indexes that are not asked: another one comes first, or a pin says so.
func (c *Catalog) Unasked(ctx context.Context, failure *resolve.Failure) []index.Unasked {
	var out []index.Unasked
	seen := map[string]bool{}
	for _, f := range failure.Facts {
		for _, n := range f.Needs {
			if seen[n.Name] || len(c.Indexes.Sources) < 2 || slices.ContainsFunc(f.Offered, n.Specifiers.Holds) {
				continue
			}
			seen[n.Name] = true
			for _, s := range c.Indexes.Unasked(ctx, n.Name) {
				files, err := s.Files(ctx, n.Name)
				if err != nil {
					continue // a hint more or less
				}
				for _, r := range ByVersion(files) {
					if n.Specifiers.Admits(r.Version) {
						out = append(out, index.Unasked{Name: n.Name, Version: r.Version.String(), Index: s.Name()})
						break
					}
				}
			}
		}
	}
	return out
}
