package apply

import (
	"context"
	"os"
	"strings"

	"glassjar/core/bytecode"
	"glassjar/core/interpreter"
	"glassjar/core/progress"
	"glassjar/core/settings"
	"glassjar/core/store"
)

// IsModule reports whether a member of a tree is a module, in any place from which
// it can be imported.
func IsModule(e store.Member) bool {
	return strings.HasSuffix(e.Key, ".py") && (strings.HasPrefix(e.Key, "purelib/") || strings.HasPrefix(e.Key, "platlib/"))
}

// Bytecode tells where the bytecode of sources is for an interpreter: in the store
// that the sources are in, if that has any.
func Bytecode(s *store.Store, kind string) func(sum string) string {
	if kind == "" {
		return nil
	}
	var seconds []*store.Store
	for _, second := range s.Chain()[1:] {
		if second.HasBytecode(kind) {
			seconds = append(seconds, second)
		}
	}
	if len(seconds) == 0 && !s.HasBytecode(kind) {
		return nil
	}
	return func(sum string) string {
		for _, second := range seconds {
			at := second.BytecodePath(kind, sum)
			if _, err := os.Stat(at); err == nil {
				return at
			}
		}
		return s.BytecodePath(kind, sum)
	}
}

// Compiler gives the bytecode of what a plan installs.
type Compiler struct {
	store  *store.Store
	report progress.Sink
	kind   string
	pool   *bytecode.Pool // nil unless modules are compiled at once
	// find is where the bytecode of a source would be; nil if there is none at all.
	find func(sum string) string
}

func (a *Applier) compiler(in interpreter.Interpreter) *Compiler {
	c := &Compiler{store: a.Store, report: a.Report}
	if a.Compiling != settings.BytecodeOff {
		c.kind = bytecode.Kind(in)
	}
	if c.kind != "" && a.Compiling == settings.BytecodeOn {
		c.pool = &bytecode.Pool{Python: in.Path, Kind: c.kind, Store: a.Store}
	}
	c.find = Bytecode(a.Store, c.kind)
	return c
}

// later reports whether modules are compiled when the change is done.
func (c *Compiler) later() bool { return c.kind != "" && c.pool == nil }

// of compiles the modules of a tree, if that is to be done at once, and gives where
// the bytecode of each member is.
func (c *Compiler) of(ctx context.Context, t *store.Tree) (func(entry int) string, error) {
	if c.pool != nil {
		if err := c.pool.Compile(ctx, c.store.ToCompile(c.kind, t, IsModule), nil); err != nil {
			return nil, err
		}
		c.report.Tell(progress.Event{Stage: "compiling"})
	}
	find := c.find
	if c.pool != nil && find == nil {
		find = func(sum string) string { return c.store.BytecodePath(c.kind, sum) }
	}
	if find == nil {
		return nil, nil
	}
	return func(entry int) string {
		if e := t.Members[entry]; IsModule(e) {
			return find(e.SHA256)
		}
		return ""
	}, nil
}

// Close ends the compilers that were started.
func (c *Compiler) Close() {
	if c.pool != nil {
		c.pool.Close()
	}
}
