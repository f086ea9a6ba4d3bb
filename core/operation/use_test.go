package operation

import (
	"errors"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"glassjar/core/connect"
	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/leaks"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/sealed"
	"glassjar/core/settings"
)

// emptyJar makes a jar of an interpreter that is never started.
func emptyJar(t *testing.T, root string) *jar.Jar {
	path := filepath.Join(t.TempDir(), "python3.12")
	require.NoError(t, os.WriteFile(path, []byte("#!/bin/sh\n"), 0o755))
	in := here
	in.Path = path
	j, err := jar.Create(ctx, root, in, jar.Options{Prompt: "orchard"})
	require.NoError(t, err)
	return j
}

// Every setting says where it came from: nobody, the user, the project, a variable.
func TestEffectiveSettings(t *testing.T) {
	m := machine(t, "[project]\nname = \"x\"\nversion = \"1\"\nrequires-python = \">=3.9\"\n\n[tool.glassjar]\ntargets = [\"linux-x86_64\"]\nfrom-index = { Press = \"barn\" }\nsee-system = true\nbuild-variables = { press = { A = \"1\" } }\npin-python = true\nas-of = 2026-03-01\n[tool.glassjar.held]\npress = { at = \"<3\", why = \"the old mill\" }\n[tool.glassjar.licences]\nallow = [\"MIT\"]\nof = { press = \"MIT\" }\n[tool.glassjar.advisories]\nGHSA-1 = { why = \"not used\", until = 2030-01-01 }\n[tool.glassjar.from-file]\ncider = \"cider-1-py3-none-any.whl\"\n")
	_, err := m.SetSetting(ctx, "store", []string{"room"})
	require.NoError(t, err)
	_, err = m.SetSetting(ctx, "keyring", []string{"false"})
	require.NoError(t, err)
	for _, bad := range [][]string{{"stoer", "x"}, {"keyring", "perhaps"}, {"indexes", "x"}, {"store", "a", "b"}} {
		_, err := m.SetSetting(ctx, bad[0], bad[1:])
		var usage *UsageError
		var value *settings.ValueError
		assert.True(t, errors.As(err, &usage) || errors.As(err, &value), bad)
	}
	e, err := m.EffectiveSettings()
	require.NoError(t, err)
	have := map[string]Effective{}
	for _, s := range e.Settings {
		have[s.Key] = s
	}
	for key, want := range map[string][2]string{
		"store": {FromUser, filepath.Join(m.Dir, "room")}, "keyring": {FromUser, "false"}, "shelf": {"GLASSJAR_HOME", m.Folders.Shelf}, "allow-http": {FromBuiltIn, "false"},
		"targets": {FromProject, "linux-x86_64"}, "see-system": {FromProject, "true"}, "build-variables": {FromProject, "press: A=1"}, "requires-python": {FromProject, ">=3.9"},
		"from-index": {FromProject, "press from barn"}, "pin-python": {FromProject, "true"}, "as-of": {FromProject, "2026-03-01"}, "held": {FromProject, "press <3, the old mill"},
		"licences": {FromProject, "press: MIT"}, "advisories": {FromProject, "GHSA-1, not used, until 2030-01-01"}, "from-file": {FromProject, "cider from cider-1-py3-none-any.whl"},
	} {
		assert.Equal(t, want, [2]string{have[key].From, have[key].Value}, key)
	}
	e.Only("store")
	assert.Len(t, e.Settings, 1)
}

// Whatever a person sets is in effect, and told as theirs; a path that leads to the wrong kind of
// thing is refused.
func TestEverySettingIsShown(t *testing.T) {
	m := machine(t, "")
	file := filepath.Join(m.Dir, "file.pem")
	require.NoError(t, os.WriteFile(file, nil, 0o644))
	for _, s := range settings.All {
		value := map[string]string{settings.YesNo: "true", settings.Number: "7", settings.Names: "press", settings.Folder: m.Dir, settings.Folders: m.Dir, settings.OneFile: file}[s.Kind]
		wrong := map[string]string{settings.Folder: file, settings.Folders: file, settings.OneFile: m.Dir, settings.YesNo: "maybe", settings.Number: "0", settings.Names: "a b", settings.Choice: "riddle", settings.Indexes: "a", settings.Pins: "a"}[s.Kind]
		_, err := m.SetSetting(ctx, s.Key, []string{wrong})
		var refused *settings.ValueError
		require.ErrorAs(t, err, &refused, s.Key)
		if s.Kind == settings.Choice {
			value = s.Choices[len(s.Choices)-1]
		}
		if value == "" {
			continue // a table, which other commands write
		}
		_, err = m.SetSetting(ctx, s.Key, []string{value})
		require.NoError(t, err, s.Key)
		e, err := m.EffectiveSettings()
		require.NoError(t, err)
		e.Only(s.Key)
		require.NotEmpty(t, e.Settings, s.Key)
		assert.Equal(t, []string{FromUser, value}, []string{e.Settings[0].From, e.Settings[0].Value}, s.Key)
		_, err = m.SetSetting(ctx, s.Key, nil)
		require.NoError(t, err, s.Key)
	}
	_, err := m.SetSetting(ctx, "signers", []string{filepath.Join(m.Dir, "nobody")})
	require.Error(t, err)
}

// What gets in from outside is told by kind.
func TestLeaks(t *testing.T) {
	m := machine(t, "")
	j := emptyJar(t, filepath.Join(m.Dir, ".jar"))
	t.Setenv("HOME", t.TempDir())
	t.Setenv("PYTHONPATH", "")
	t.Setenv("PYTHONHOME", "")
	assert.Empty(t, leaks.Into(j, m.Active))
	site := j.Path(j.Layout().Site())
	require.NoError(t, os.WriteFile(filepath.Join(site, "a.pth"), []byte("# nothing\n\n../inside\n/outside\nimport sys\n../../../../..\n"), 0o644))
	t.Setenv("PYTHONPATH", "/x"+string(os.PathListSeparator)+"/y")
	t.Setenv("PYTHONHOME", "/z")
	m.Active = m.Dir
	kinds := map[string]int{}
	for _, l := range leaks.Into(j, m.Active) {
		kinds[l.What]++
	}
	assert.Equal(t, map[string]int{leaks.Path: 2, leaks.Home: 1, leaks.PathFile: 2, leaks.PathFileCode: 1, leaks.OtherJar: 1}, kinds)
}

func TestUserSite(t *testing.T) {
	t.Setenv("PYTHONUSERBASE", "")
	t.Setenv("APPDATA", "")
	assert.Equal(t, "/home/o/.local/lib/python3.12/site-packages", filepath.ToSlash(interpreter.UserSite("linux", "/home/o", "cpython", 3, 12)))
	assert.Equal(t, "/home/o/.local/lib/pypy3.9/site-packages", filepath.ToSlash(interpreter.UserSite("linux", "/home/o", "pypy", 3, 9)))
	assert.Equal(t, "/home/o/Python/Python312/site-packages", filepath.ToSlash(interpreter.UserSite("windows", "/home/o", "cpython", 3, 12)))
	t.Setenv("PYTHONUSERBASE", "/base")
	assert.Equal(t, "/base/lib/python3.8/site-packages", filepath.ToSlash(interpreter.UserSite("linux", "/home/o", "cpython", 3, 8)))
}

// A shell is offered what is on this machine, and errors offer nothing.
func TestOffers(t *testing.T) {
	m := machine(t, "[project]\nname = \"x\"\nversion = \"1\"\n")
	assert.Empty(t, m.OfferJars())
	assert.Empty(t, m.OfferInstalled(""))
	require.NoError(t, m.Known.Trust(emptyJar(t, filepath.Join(m.Dir, ".jar"))))
	require.NoError(t, m.Known.Trust(emptyJar(t, filepath.Join(m.Folders.Shelf, "tools"))))
	assert.Equal(t, []string{"tools", ".jar"}, m.OfferJars())
	assert.Equal(t, []string{"sample"}, m.OfferIndexes())
	assert.Equal(t, []string{"orchard-map", "orchard-core"}, m.OfferNames(ctx, "Orchard_")[:2])
	assert.Empty(t, m.OfferNames(ctx, "zzz"))
}

// Keys that others changed since stay as they are; the rest goes back.
func TestTakeOut(t *testing.T) {
	before := "1"
	w := written{File: "a.json", Keys: []connect.Key{{Path: []string{"a"}, Value: "2", Before: &before}, {Path: []string{"b"}, Value: "3"}, {Path: []string{"c"}, Value: "4"}}}
	after, left, err := w.takeOut([]byte("{\n  \"a\": 2,\n  \"b\": 3,\n  \"c\": 5 // mine\n}\n"))
	require.NoError(t, err)
	assert.Equal(t, []string{"c"}, left)
	assert.Contains(t, string(after), `"a": 1`)
	assert.NotContains(t, string(after), `"b"`)
	assert.Contains(t, string(after), "// mine")
	toml := written{File: "pyproject.toml", Keys: []connect.Key{{Path: []string{"tool", "x", "k"}, Value: "1"}}}
	after, left, err = toml.takeOut([]byte("[project]\nname = \"y\"\n\n[tool.x]\nk = 1\n"))
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.Equal(t, "[project]\nname = \"y\"\n", string(after), "the table that was made for it goes too")
	_, _, err = w.takeOut([]byte(`{"a": `))
	assert.NoError(t, err, "what cannot be read has none of the keys")
	merged := mergeKeys([]connect.Key{{Path: []string{"a"}, Value: "1", Before: &before}}, []connect.Key{{Path: []string{"a"}, Value: "2"}, {Path: []string{"b"}, Value: "3"}})
	assert.Equal(t, &before, merged[0].Before)
	assert.Len(t, merged, 2)
}

// Aside is beside the place, hidden, and names the jar.
func TestAside(t *testing.T) {
	assert.Equal(t, "/o/.jar.discarded-12345678", filepath.ToSlash(discardedPath("/o/.jar", "1234567890")))
	assert.Equal(t, "/s/.tools.discarded-12345678", filepath.ToSlash(discardedPath("/s/tools", "1234567890")))
}

// A sealed record names files beside it, and none that were not asked for.
func TestSealedRecord(t *testing.T) {
	m := machine(t, everything)
	record, _, _ := recordOf(t, m)
	spec, err := project.ReadSpec(filepath.Join(m.Dir, project.SpecFile))
	require.NoError(t, err)
	served, all, err := sealed.Targets(record, spec, nil)
	require.NoError(t, err)
	assert.Equal(t, all, served)
	some, _, err := sealed.Targets(record, spec, []string{"windows-x86_64"})
	require.NoError(t, err)
	assert.Greater(t, len(all), len(some))
	none, _, err := sealed.Targets(record, spec, []string{"amiga"})
	require.NoError(t, err)
	assert.Empty(t, none)
	files, err := sealed.Files(record, some)
	require.NoError(t, err)
	text := sealed.Record(record, some, files, nil).Format()
	written, err := project.ParseRecord(filepath.Join(m.Dir, "x", project.RecordFile), text)
	require.NoError(t, err)
	named := map[string]bool{}
	for _, f := range written.Files() {
		assert.NotContains(t, f.URL, "file:")
		assert.Equal(t, f.Path, f.FileName())
		named[f.Path] = true
	}
	assert.Len(t, named, len(files))
	for _, e := range written.Packages {
		assert.Empty(t, e.Index)
		assert.NotEqual(t, "thermo-posix", e.Name, "it is for other systems")
	}
	assert.NotEmpty(t, requirement.Normalize(written.Packages[0].Name))
}
