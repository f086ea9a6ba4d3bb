package building

import (
	"context"
	"errors"
	"slices"

	"glassjar/core/index"
	"glassjar/core/plan"
	"glassjar/core/resolve"
	"glassjar/core/source"
)

// MayBuild reports whether a distribution of an index may be built; where the spec says so
// and nobody here has, that is asked first.
func (b *Building) MayBuild(ctx context.Context, name string) (bool, error) {
	if slices.Contains(beingBuilt(ctx), name) {
		return false, nil // it cannot be had by building itself
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.consents.given(name, "") {
		return true, nil
	}
	if !b.consents.inSpec(name) {
		return b.builtBefore(name), nil
	}
	return true, b.askFor(ctx, name)
}

// builtBefore reports whether the record says that a name was built, and that was here: then
// somebody has said yes to it. It is asked for each release, so it is found out once.
func (b *Building) builtBefore(name string) bool {
	if _, recorded := b.pins[name]; !recorded {
		return false
	}
	before, _ := b.before.Do(name, func() (bool, error) {
		return slices.ContainsFunc(b.on.Kept.All(), func(m source.Made) bool { return m.Distribution == name && m.SHA256 != "" }), nil
	})
	return before
}

// askFor asks about a distribution of an index. The lock is held.
func (b *Building) askFor(ctx context.Context, name string) error {
	q := Question{Name: name}
	if b.consents.Ask != nil {
		f, err := b.newestSource(ctx, name)
		if err != nil {
			return err
		}
		if q, err = b.question(ctx, name, f); err != nil {
			return err
		}
	}
	return b.consents.ask(q, "", false)
}

// given is [consents.given] of a file. The lock is not held.
func (b *Building) given(f index.File) bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.consents.given(f.Distribution, folderOf(f))
}

// require makes sure that source may be built, asking if need be. The lock is not held.
func (b *Building) require(ctx context.Context, f index.File) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	name, folder := f.Distribution, folderOf(f)
	if b.consents.given(name, folder) {
		return nil
	}
	own := f.Tree != nil && f.Tree.Own
	q := Question{Name: name}
	if b.consents.Ask != nil {
		var err error
		if q, err = b.question(ctx, name, f); err != nil {
			return err
		}
	}
	return b.consents.ask(q, folder, own)
}

// Allow asks about names of which there is source only. It reports whether there is one
// that may be built now and could not before.
func (b *Building) Allow(ctx context.Context, names []string, cause error) (bool, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.consents.Ask == nil {
		return false, &NoConsentError{Names: names, Spec: b.consents.specFile(), Err: cause}
	}
	for _, name := range names {
		if err := b.askFor(ctx, name); err != nil {
			return false, err
		}
	}
	return len(names) > 0, nil
}

// Ready is source with what is known of it, once it may be built: nobody is asked where
// nothing will run, since it was built here before.
func (b *Building) Ready(ctx context.Context, f index.File) (index.File, error) {
	if !b.given(f) {
		if f.Tree != nil && f.Tree.Commit == "" {
			var err error
			if f, err = b.withCommit(ctx, f); err != nil {
				return f, err
			}
		}
		if !b.hadBefore(ctx, f) {
			if err := b.require(ctx, f); err != nil {
				return f, err
			}
		}
	}
	return b.describe(ctx, f)
}

// hadBefore reports whether source was built here before, as far as that can be told without
// fetching it.
func (b *Building) hadBefore(ctx context.Context, f index.File) bool {
	s := source.Source{Name: f.Distribution, Version: f.Version, Subdirectory: f.Subdirectory, Options: b.options(f.Distribution)}
	sum := f.SHA256()
	switch t := f.Tree; {
	case t == nil && sum == "" && f.Path == "" || t != nil && t.Repository != "" && t.Commit == "":
		return false
	case t != nil && t.Repository != "":
		sum = repositoryOfFile(f).Sum()
	case t != nil || sum == "":
		at, err := b.locate(ctx, f)
		if err != nil {
			return false // whoever needs it is told
		}
		sum, s.Folder, s.Editable = at.sum, at.source.Folder, at.source.Editable
	}
	m, ok := b.on.Kept.Find(source.Key(sum, s, b.python))
	return ok && b.on.Store.HasTree(m.SHA256)
}

// Take is [plan.Take]: source of a record, if it may be built.
func (b *Building) Take(ctx context.Context) plan.Take {
	return func(f index.File) (index.File, error) { return b.Ready(ctx, f) }
}

// SourceOnly are the names of which a proof says that there is source only.
func SourceOnly(err error) []string {
	var failure *plan.SolveError
	if !errors.As(err, &failure) {
		return nil
	}
	var out []string
	for _, f := range failure.Facts {
		if f.Unfit == resolve.SourceOnly && !slices.Contains(out, f.Name) {
			out = append(out, f.Name)
		}
	}
	slices.Sort(out)
	return out
}
