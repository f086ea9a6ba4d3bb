package operation

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/diagnose"
	"glassjar/core/leaks"
	"glassjar/core/place"
	"glassjar/core/shelf"
)

// Diagnose finds out why importing a module works or fails, and what mends it. It
// imports the module, and so runs its code, unless the jar is not trusted or the folder
// is another user's: then it only says where the module would come from.
func (m *Machine) Diagnose(ctx context.Context, ref, module string) (*diagnose.Diagnosis, error) {
	if !diagnose.IsModule(module) {
		return nil, usage(BadModule, module)
	}
	return steady(ctx, m, ref, func() (*diagnose.Diagnosis, error) { return m.diagnose(ctx, ref, module) })
}

func (m *Machine) diagnose(ctx context.Context, ref, module string) (*diagnose.Diagnosis, error) {
	at, j, installed, err := m.look(ref)
	if err != nil {
		return nil, err
	}
	x := diagnose.Examination{Jar: j, Root: at.Root, Installed: installed, Dir: m.Dir, Python: pythonTitle(j)}
	if trusted := m.Places().MayBeUsed(at.Root); !trusted || !place.OwnFolder(m.Dir) {
		return x.Locate(module, trusted), nil
	}
	if _, err := j.Base(); err != nil {
		return nil, err
	}
	spec, err := readSpec(at)
	if err != nil {
		return nil, err
	}
	indexes, _ := m.indexes(spec)
	x.Catalog, x.Environment = m.newCatalog(indexes), m.inside(j).Environment(os.Environ())
	x.OutsideOf = func(file string) string {
		what, detail := leaks.Way(j, m.Active, file)
		if what != "" && detail != "" {
			return what + " " + m.relative(detail)
		}
		return what + detail
	}
	if site := leaks.UserSite(j.Layout()); site != "" {
		x.NotSeen = append(x.NotSeen, site)
	}
	if in, err := m.interpreterOf(ctx, j); err == nil {
		x.NotSeen = append(x.NotSeen, in.Said.SitePackages...)
	}
	x.Others = func() ([]shelf.Known, error) {
		all, err := m.Known.All()
		return slices.DeleteFunc(all, func(k shelf.Known) bool { return m.ofScripts(k.Root) }), err // these nobody enters
	}
	return x.Examine(ctx, module)
}

// relative is a path as the user would type it.
func (m *Machine) relative(file string) string {
	if rel, err := filepath.Rel(m.Dir, file); err == nil && !strings.HasPrefix(rel, "..") {
		return rel
	}
	return file
}
