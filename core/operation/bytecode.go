package operation

import (
	"bytes"
	"context"
	"errors"
	"io/fs"
	"os"
	"sync/atomic"
	"time"

	"glassjar/core/apply"
	"glassjar/core/bytecode"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/progress"
	"glassjar/core/settings"
	"glassjar/core/store"
)

// bytecodeWay is when modules are compiled. Where the interpreter is not to write
// bytecode, nobody else does.
func (m *Machine) bytecodeWay() string {
	switch {
	case os.Getenv("PYTHONDONTWRITEBYTECODE") != "":
		return settings.BytecodeOff
	case m.Settings.Bytecode == "":
		return settings.BytecodeBackground
	}
	return m.Settings.Bytecode
}

// afterwards has what was left out compiled, when a change of a jar is done and has
// its place.
func (m *Machine) afterwards(root string) {
	if m.later && m.CompileLater != nil && m.bytecodeWay() == settings.BytecodeBackground {
		m.later = false
		m.CompileLater(root)
	}
}

// Compiled is what a compiling of a jar's modules came to.
type Compiled struct {
	Jar string
	// Kind is the interpreter's, as the store names it.
	Kind string
	// Modules is how many were compiled into the store, Added how many the jar has
	// got.
	Modules int
	Added   int
}

// CompileJar compiles the modules of a jar into the store, as far as it has not
// their bytecode, and puts it into the jar.
func (m *Machine) CompileJar(ctx context.Context, ref string) (*Compiled, error) {
	at, err := m.Places().Locate(ref, false)
	if err != nil {
		return nil, err
	}
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	in, err := m.interpreterOf(ctx, j)
	if err != nil {
		return nil, err
	}
	out := &Compiled{Jar: at.Root, Kind: bytecode.Kind(in)}
	if out.Kind == "" {
		return out, nil
	}
	if out.Modules, err = m.compileAll(ctx, j, in, out.Kind); err != nil {
		return out, err
	}
	find := apply.Bytecode(m.Store, out.Kind)
	if find == nil {
		return out, nil
	}
	release, err := m.hold(ctx, at)
	if err != nil {
		return out, err
	}
	defer release()
	share, err := m.Store.Hold(ctx, m.sharing())
	if err != nil {
		return out, err
	}
	defer share()
	if j, err = m.open(at); err != nil {
		return out, err
	}
	installed, err := j.Installed()
	if err != nil {
		return out, err
	}
	out.Added, err = j.AddBytecode(installed, in.Said.CacheTag, &store.Placer{Store: m.Store, Way: m.Settings.Placing}, find)
	return out, err
}

func (m *Machine) compileAll(ctx context.Context, j *jar.Jar, in interpreter.Interpreter, kind string) (int, error) {
	only, err := m.Store.OnlyCompiler(ctx, kind, m.lockMode(m.Folders.Store))
	if err != nil {
		return 0, err
	}
	defer only()
	all := map[string]string{}
	for _, sum := range j.Trees() {
		if t, ok := m.Store.Tree(sum); ok {
			for source, path := range m.Store.ToCompile(kind, t, apply.IsModule) {
				all[source] = path
			}
		}
	}
	pool := &bytecode.Pool{Python: in.Path, Kind: kind, Store: m.Store}
	defer pool.Close()
	var done atomic.Int64
	return len(all), pool.Compile(ctx, all, func() {
		m.report(progress.Event{Stage: "compiling", Done: done.Add(1), Total: int64(len(all))})
	})
}

// otherBytecode is the bytecode in a jar that its interpreter would take and that is not
// what its module compiles to: somebody replaced it. What the store has is only compared.
func (m *Machine) otherBytecode(ctx context.Context, j *jar.Jar, installed []jar.Installed, survey jar.Survey) ([]jar.Fault, error) {
	in, err := m.interpreterOf(ctx, j)
	if err != nil || m.Places().MayUse(j.Root) != nil {
		return nil, nil // nothing runs it either
	}
	find := apply.Bytecode(m.Store, bytecode.Kind(in))
	var doubtful []bytecode.Pair
	of := map[string]jar.Beside{}
	for _, b := range j.Bytecode(installed, survey, in.Said.CacheTag) {
		file := j.Path(b.Path)
		if find != nil && b.Level == 0 && sameContents(find(b.Sum), file, store.Stamp(b.Sum)) {
			continue
		}
		of[file] = b
		doubtful = append(doubtful, bytecode.Pair{Source: j.Path(b.Source), Compiled: file, Level: b.Level})
	}
	others, err := bytecode.Others(ctx, in.Path, doubtful)
	var out []jar.Fault
	for _, p := range others {
		out = append(out, jar.Fault{Path: of[p.Compiled].Path, Owner: of[p.Compiled].Owner, What: jar.OtherBytecode})
	}
	return out, err
}

// sameContents reports whether a file is one of the store's, or has the same bytes, and
// that has the time that it was given.
func sameContents(stored, file string, stamp time.Time) bool {
	a, err := os.Stat(stored)
	if err != nil || !a.ModTime().Equal(stamp) {
		return false
	}
	b, err := os.Stat(file)
	if err != nil || os.SameFile(a, b) {
		return err == nil
	}
	if a.Size() != b.Size() {
		return false
	}
	x, err := os.ReadFile(stored)
	y, err2 := os.ReadFile(file)
	return err == nil && err2 == nil && bytes.Equal(x, y)
}

// mendBytecode takes out bytecode that is not its module's: the interpreter compiles that
// anew. The jar is held.
func (m *Machine) mendBytecode(j *jar.Jar, faults []jar.Fault) (mended []string, err error) {
	for _, f := range faults {
		if f.What != jar.OtherBytecode {
			continue
		}
		if err := os.Remove(j.Path(f.Path)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return mended, err
		}
		mended = append(mended, f.Path)
	}
	m.later = m.later || len(mended) > 0
	return mended, nil
}
