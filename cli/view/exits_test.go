package view

import (
	"context"
	"errors"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/jar"
	"glassjar/core/lock"
	"glassjar/core/operation"
	"glassjar/core/project"
	"glassjar/core/settings"
	_ "glassjar/internal/long"
)

// insideOnly are types of errors that never leave their package: each is part of one
// that does.
var insideOnly = map[string]string{
	"operation.bringError": "it wraps why a file could not be fetched", "metadata.invalidError": "is ErrInvalid", "fetch.broken": "is in a NetworkError",
	"patience.TimeoutError": "is why a Rejection, or the reason that a Python does not start"}

// Every type of errors of the core is in the table of exit codes.
func TestEveryErrorHasAnExitCode(t *testing.T) {
	known := map[string]bool{}
	for _, line := range exits {
		if line.kind != nil {
			known[typeName(line.kind)] = true
		}
	}
	found := 0
	require.NoError(t, filepath.WalkDir("../../core", func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.SkipObjectResolution)
		require.NoError(t, err)
		for _, d := range file.Decls {
			f, ok := d.(*ast.FuncDecl)
			if !ok || f.Name.Name != "Error" || f.Recv == nil || len(f.Type.Params.List) > 0 {
				continue
			}
			of := f.Recv.List[0].Type
			if star, ok := of.(*ast.StarExpr); ok {
				of = star.X
			}
			name := file.Name.Name + "." + of.(*ast.Ident).Name
			found++
			if insideOnly[name] == "" {
				assert.True(t, known[name], "%s has no exit code", name)
			}
		}
		return nil
	}))
	assert.Greater(t, found, 40)
}

// Every case and remark of the core has words.
func TestEveryCaseHasWords(t *testing.T) {
	file, err := parser.ParseFile(token.NewFileSet(), "../../core/operation/cases.go", nil, parser.SkipObjectResolution)
	require.NoError(t, err)
	found := 0
	ast.Inspect(file, func(n ast.Node) bool {
		spec, ok := n.(*ast.ValueSpec)
		if !ok {
			return true
		}
		value, err := strconv.Unquote(spec.Values[0].(*ast.BasicLit).Value)
		require.NoError(t, err)
		found++
		switch spec.Type.(*ast.Ident).Name {
		case "Case":
			assert.NotEmpty(t, cases[operation.Case(value)].why, spec.Names[0].Name)
		case "Remark":
			assert.NotEmpty(t, remarks[operation.Remark(value)], spec.Names[0].Name)
		}
		return false
	})
	assert.Equal(t, len(cases)+len(remarks), found)
	s, out := screen(0, "never")
	s.Remark(operation.Note{Remark: operation.PythonUpgraded, Of: []string{"3.13", "{1}"}})
	assert.Contains(t, out.String(), "is 3.13 now, and was {1} when")
	for _, c := range []struct {
		err      error
		why, try string
	}{
		{&operation.UsageError{Case: operation.NoIndex, Of: []string{"prss"}, Near: "press"}, `there is no index "prss" there`, "the name press"},
		{&operation.UsageError{Case: operation.NoPartOfRecord, Of: []string{"group", "press", ""}}, `the record has no group "press"`, "the record has none"},
		{&operation.UsageError{Case: operation.NoPartOfRecord, Of: []string{"group", "press", "dev"}}, `the record has no group "press"`, "it has dev"},
		{&operation.UsageError{Case: operation.NoPackageFile, Of: []string{"a.txt"}, Err: errors.New("no wheel")}, `"a.txt" cannot be installed: no wheel`, "name a wheel"},
		{&operation.UsageError{Case: operation.NoRequirement, Of: []string{"press=2"}, Near: "press==2"}, `"press=2" is not a requirement`, "did you mean 'press==2'?"},
		{&project.FileError{File: "a.toml", Why: "no", Meant: "press==2"}, "a.toml is not as", `did you mean "press==2"?`},
		{&settings.ValueError{Setting: settings.Setting{Key: "placing", Kind: settings.Choice, Choices: []string{"link", "copy"}}, Why: "no"}, "placing cannot be set so: no", "glassjar settings placing copy"},
		{&project.FileError{File: "pylock.toml", Kind: project.RecordKind, Why: "no"}, "pylock.toml is not as", "glassjar record"},
	} {
		m := s.Words("", c.err)
		assert.Equal(t, ExitUsage, m.Exit)
		assert.Contains(t, m.What, c.why)
		assert.Contains(t, strings.Join(m.Try, "\n"), c.try)
	}
}

// What the machine denies is told with the path, and with what helps.
func TestMachineWords(t *testing.T) {
	full := &fs.PathError{Op: "write", Path: "/orchard/.jar/x", Err: syscall.ENOSPC}
	for _, c := range []struct {
		err       error
		exit      int
		kind      string
		says, try string
	}{
		{full, ExitMachine, "machine", "x: no space left on device", "glassjar settings store DIR"},
		{fmt.Errorf("press: %w", full), ExitMachine, "machine", "no space left", "store tidy"},
		{&os.LinkError{Op: "rename", Old: "a", New: "/orchard/b", Err: syscall.EIO}, ExitMachine, "machine", "b: input/output error", "system's log"},
		{&fs.PathError{Op: "open", Path: "/orchard/x", Err: syscall.EMFILE}, ExitMachine, "machine", "too many open files", "ulimit"},
		{syscall.EDQUOT, ExitMachine, "machine", "quota", "share of this disk"},
		{&lock.Error{Path: "/orchard/lock", Err: syscall.ENOLCK}, ExitMachine, "machine", "two commands at once", "without-locks true"},
		{&lock.Error{Path: "/orchard/lock", Err: syscall.EACCES}, ExitMachine, "machine", "permission denied", "may write"},
		{&jar.RecoverError{Jar: "/orchard/.jar", Err: full}, ExitMachine, "machine", "glassjar/staging", "goes on undoing"},
		{&jar.DamagedJournalError{Path: "/orchard/.jar/glassjar/journal.txt", Why: "it was cut off"}, ExitIntegrity, "integrity", "it was cut off", "glassjar recreate"},
		{&jar.PendingError{Jar: "/orchard/.jar"}, ExitPython, "python", "only looks", "check --mend"},
		{&jar.ChangingError{Jar: "/orchard/.jar"}, ExitPython, "python", "another command", "again"},
		{errors.Join(context.Canceled, full), ExitInterrupted, "interrupted", "", ""},
		{errors.New("of no kind"), ExitNo, "unknown", "of no kind", ""},
	} {
		s, out := screen(0, "never")
		m := s.Words("do it", c.err)
		assert.Equal(t, c.exit, m.Exit, "%v", c.err)
		assert.Equal(t, c.kind, m.Kind, "%v", c.err)
		s.Fail(m)
		assert.Contains(t, out.String(), c.says, "%v", c.err)
		assert.Contains(t, strings.Join(m.Try, "\n"), c.try, "%v", c.err)
	}
	assert.Equal(t, "jar.PendingError", typeName(reflect.TypeFor[*jar.PendingError]()))
}

// typeName is a type of errors as a table names it, such as "jar.ClashError".
func typeName(t reflect.Type) string { return strings.TrimPrefix(t.String(), "*") }
