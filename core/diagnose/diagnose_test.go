package diagnose_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/catalog"
	"glassjar/core/diagnose"
	"glassjar/core/index"
	"glassjar/core/internal/jartest"
	"glassjar/core/jar"
	"glassjar/core/shelf"
	"glassjar/core/store"
	_ "glassjar/internal/long"
)

var ctx = context.Background()

// filled makes a jar whose interpreter is never started, with wheels: "NAME VERSION
// FILE...".
func filled(t *testing.T, wheels ...string) *jar.Jar {
	j := jartest.Create(t, filepath.Join(t.TempDir(), ".jar"))
	var c jar.Change
	for _, text := range wheels {
		words := strings.Fields(text)
		c.Add = append(c.Add, jar.Addition{Wheel: jartest.Wheel(t, words[0], words[1], "", words[2:]...), Requested: true})
	}
	jartest.Apply(t, j.Root, c)
	return j
}

// Each case, by what Python says of an import, without a Python.
func TestCases(t *testing.T) {
	j := filled(t, "press-tools 1.0 press/__init__.py press/plan.py", "fast-sugar 2.0 fast.cpython-39-x86_64-linux-gnu.so", "tall_tree 1.0 Timber.py")
	other := filled(t, "medlar 1.0 medlar_only_there.py")
	installed, err := j.Installed()
	require.NoError(t, err)
	dir, unseen := t.TempDir(), t.TempDir()
	for _, file := range []string{filepath.Join(dir, "press.py"), filepath.Join(dir, "json.py"), filepath.Join(dir, "own.py"), filepath.Join(unseen, "outside_only.py")} {
		require.NoError(t, os.WriteFile(file, nil, 0o644))
	}
	site := filepath.Join(j.Root, "lib", "python3.12", "site-packages")
	standard := []string{"json", "os", "string"}
	missing := func(name string) diagnose.Trial {
		return diagnose.Trial{Error: "ModuleNotFoundError", Message: "No module named '" + name + "'", Missing: name, Stdlib: standard}
	}
	raised := func(file, message string) diagnose.Trial {
		return diagnose.Trial{Error: "ImportError", Message: message, File: filepath.Join(site, file), Stdlib: standard}
	}
	worked := func(file string) diagnose.Trial { return diagnose.Trial{OK: true, File: file, Stdlib: standard} }
	for _, c := range []struct {
		module string
		trial  diagnose.Trial
		want   diagnose.Case
		mend   diagnose.Mend
		detail string
	}{
		{"press", worked(filepath.Join(site, "press", "__init__.pyc")), diagnose.CaseWorks, diagnose.Mend{}, ""},
		{"own", worked(filepath.Join(dir, "own.py")), diagnose.CaseWorks, diagnose.Mend{}, ""},
		{"os", worked("/usr/lib/python3.12/os.py"), diagnose.CaseStandard, diagnose.Mend{}, ""},
		{"perry", worked("/srv/share/perry.py"), diagnose.CaseOutside, diagnose.Mend{}, "PYTHONPATH of /srv/share/perry.py"},
		{"press", worked(filepath.Join(dir, "press.py")), diagnose.CaseShadowed, diagnose.Mend{Step: diagnose.Rename, Of: filepath.Join(dir, "press.py")}, "the distribution press-tools"},
		{"json", worked(filepath.Join(dir, "json.py")), diagnose.CaseShadowed, diagnose.Mend{Step: diagnose.Rename, Of: filepath.Join(dir, "json.py")}, "the standard library"},
		{"press", diagnose.Trial{Died: "signal: segmentation fault"}, diagnose.CaseDies, diagnose.Mend{}, ""},
		{"press", raised("press/__init__.py", "libsugar.so.3: cannot open shared object file: No such file"), diagnose.CaseLibrary, diagnose.Mend{Step: diagnose.System, Of: "libsugar.so.3"}, "libsugar.so.3"},
		{"press", raised("press/__init__.py", "invalid ELF header"), diagnose.CaseOtherPython, diagnose.Mend{Step: diagnose.Replace, Of: "press-tools"}, ""},
		{"press", raised("press/__init__.py", "frost"), diagnose.CaseRaises, diagnose.Mend{Step: diagnose.Upgrade, Of: "press-tools"}, ""},
		{"press.juice", missing("press.juice"), diagnose.CasePart, diagnose.Mend{Step: diagnose.LookAt, Of: "press-tools"}, "press.juice"},
		{"press.plans", missing("press.plans"), diagnose.CasePart, diagnose.Mend{Step: diagnose.Import, Of: "press.plan"}, "press.plans"},
		{"fast", missing("fast"), diagnose.CaseOtherPython, diagnose.Mend{Step: diagnose.Replace, Of: "fast-sugar"}, "cpython-39-x86_64-linux-gnu"},
		{"timber", missing("timber"), diagnose.CaseLetterCase, diagnose.Mend{Step: diagnose.Import, Of: "Timber"}, ""},
		{"String", missing("String"), diagnose.CaseLetterCase, diagnose.Mend{Step: diagnose.Import, Of: "string"}, ""},
		{"imp", missing("imp"), diagnose.CaseFormer, diagnose.Mend{Step: diagnose.Older, Of: "3.12"}, "3.12"},
		{"press_tools", missing("press_tools"), diagnose.CaseOtherName, diagnose.Mend{Step: diagnose.Import, Of: "press"}, ""},
		{"outside_only", missing("outside_only"), diagnose.CaseOnlyOutside, diagnose.Mend{Step: diagnose.Install, Of: "outside-only"}, unseen},
		{"medlar_only_there", missing("medlar_only_there"), diagnose.CaseOtherJar, diagnose.Mend{Step: diagnose.RunIn, Of: other.Root}, other.Root},
		{"brixmeter", missing("brixmeter"), diagnose.CaseNotInstalled, diagnose.Mend{Step: diagnose.Install, Of: "brixmeter"}, ""},
		{"brixmetre", missing("brixmetre"), diagnose.CaseMisspelt, diagnose.Mend{Step: diagnose.Install, Of: "brixmeter"}, ""},
		{"prses", missing("prses"), diagnose.CaseMisspelt, diagnose.Mend{Step: diagnose.Import, Of: "press"}, ""},
		{"zzz_nowhere", missing("zzz_nowhere"), diagnose.CaseUnknown, diagnose.Mend{Step: diagnose.Search, Of: "zzz_nowhere"}, ""},
	} {
		x := diagnose.Examination{Jar: j, Root: j.Root, Python: "CPython 3.12.1", Installed: installed, Dir: dir, NotSeen: []string{unseen},
			Catalog:   (&catalog.Catalog{Store: &store.Store{Dir: t.TempDir()}, Cache: t.TempDir(), Direct: map[string]index.File{}}).Use(&index.Ordered{Sources: []index.Source{index.Sample{}}}),
			OutsideOf: func(file string) string { return "PYTHONPATH of " + file },
			Others: func() ([]shelf.Known, error) {
				return []shelf.Known{{Root: j.Root}, {Root: "/gone"}, {Root: other.Root}}, nil
			},
			Import: func(context.Context, string) (diagnose.Trial, error) { return c.trial, nil }}
		d, err := x.Examine(ctx, c.module)
		require.NoError(t, err)
		assert.Equal(t, c.want, d.Case, c.module)
		assert.Equal(t, c.mend, d.Mend, c.module)
		assert.Equal(t, c.detail, d.Detail, c.module)
		assert.Equal(t, c.trial.OK, d.Works)
	}
}

// What fails on another module is explained by that one; one that fails on itself is not
// looked at without end.
func TestOneFailsOnAnother(t *testing.T) {
	j := filled(t, "press-tools 1.0 press.py")
	installed, err := j.Installed()
	require.NoError(t, err)
	x := diagnose.Examination{Jar: j, Root: j.Root, Installed: installed, Dir: t.TempDir(), Others: func() ([]shelf.Known, error) { return nil, errors.New("none") },
		Catalog: (&catalog.Catalog{Store: &store.Store{Dir: t.TempDir()}, Cache: t.TempDir(), Direct: map[string]index.File{}}).Use(&index.Ordered{Sources: []index.Source{index.Sample{}}}),
		Import: func(_ context.Context, module string) (diagnose.Trial, error) {
			return diagnose.Trial{Error: "ModuleNotFoundError", Missing: map[string]string{"press": "brixmeter", "brixmeter": "brixmeter", "a": "b", "b": "a"}[module], Message: module}, nil
		}}
	d, err := x.Examine(ctx, "press")
	require.NoError(t, err)
	assert.Equal(t, diagnose.CaseNeeds, d.Case)
	assert.Equal(t, "brixmeter", d.Because.Module)
	assert.Equal(t, diagnose.Mend{Step: diagnose.Install, Of: "brixmeter"}, d.Mend)
	d, err = x.Examine(ctx, "a")
	require.NoError(t, err)
	assert.Equal(t, diagnose.CaseRaises, d.Because.Case)
	x.Import = func(context.Context, string) (diagnose.Trial, error) { return diagnose.Trial{}, context.Canceled }
	_, err = x.Examine(ctx, "press")
	assert.ErrorIs(t, err, context.Canceled)
}

// In a stranger's jar or folder nothing is run: it is only said where a module lies.
func TestLocate(t *testing.T) {
	j := filled(t, "press-tools 1.0 press/__init__.py")
	installed, err := j.Installed()
	require.NoError(t, err)
	x := diagnose.Examination{Jar: j, Root: j.Root, Installed: installed, Dir: t.TempDir(), Import: func(context.Context, string) (diagnose.Trial, error) { panic("it is run") }}
	d := x.Locate("press", false)
	assert.Equal(t, []string{"press-tools", "1.0"}, []string{d.Distribution, d.Version})
	assert.Equal(t, diagnose.Mend{Step: diagnose.Recreate}, d.Mend)
	assert.Equal(t, diagnose.CaseNotTried, d.Case)
	d = x.Locate("cider", true)
	assert.Empty(t, d.File)
	assert.Equal(t, diagnose.Mend{Step: diagnose.OwnFolder}, d.Mend)
	for name, is := range map[string]bool{"press.plan": true, "бочка": true, "a-b": false, "a..b": false, "1a": false, "": false} {
		assert.Equal(t, is, diagnose.IsModule(name), name)
	}
}

// What the interpreter writes is read, and how it ended where it writes nothing.
func TestImporting(t *testing.T) {
	j := filled(t)
	base, err := j.Base()
	require.NoError(t, err)
	x := diagnose.Examination{Jar: j, Root: j.Root, Dir: t.TempDir()}
	for script, want := range map[string]diagnose.Case{
		"printf '{\"ok\": true, \"file\": \"\"}' >\"$3\"": diagnose.CaseStandard,
		"echo Segmentation fault; exit 139":               diagnose.CaseDies,
	} {
		require.NoError(t, os.WriteFile(base, []byte("#!/bin/sh\n"+script+"\n"), 0o755))
		d, err := x.Examine(ctx, "press")
		require.NoError(t, err)
		assert.Equal(t, want, d.Case, script)
	}
}
