package operation

import (
	"context"
	"fmt"
	"os"
	"slices"
	"sort"
	"strconv"
	"strings"

	"glassjar/core/fetch"
	"glassjar/core/project"
	"glassjar/core/settings"
)

// Effective is a setting that is in effect.
type Effective struct {
	Key   string
	Value string
	// From says what set it: "built in", "settings", "project", a variable's
	// name, or an option; File is the file that it stands in, if it is one.
	From string
	File string
	// Words say what it does.
	Words string
}

// EffectiveSettings are all settings in effect where the user stands.
type EffectiveSettings struct {
	// File is the user's settings file, which need not exist.
	File     string
	Exists   bool
	Settings []Effective
}

// What can set a setting, besides variables and options.
const (
	FromBuiltIn = "built in"
	FromUser    = "settings"
	FromMachine = "machine"
	FromProject = "project"
	FromOption  = "option"
)

// EffectiveSettings gathers what is set up: by the user, by the project in
// whose folder they stand, by variables, and by nobody.
func (m *Machine) EffectiveSettings() (*EffectiveSettings, error) {
	spec, err := m.nearestSpec()
	if err != nil {
		return nil, err
	}
	out := &EffectiveSettings{File: m.Folders.Settings}
	_, err = os.Stat(out.File)
	out.Exists = err == nil
	home := os.Getenv("GLASSJAR_HOME")
	user, standard := m.userValues(), settings.Standard()
	for _, s := range settings.All {
		e := Effective{Key: s.Key, Value: s.Default, From: FromBuiltIn, Words: s.Words}
		switch value, set := user[s.Key]; {
		case set:
			e.Value, e.From, e.File = value, FromUser, out.File
		case s.Key == "store" || s.Key == "shelf" || s.Key == "commands":
			e.Value = map[string]string{"store": standard.Store, "shelf": standard.Shelf, "commands": standard.Commands}[s.Key]
			if home != "" {
				e.From = "GLASSJAR_HOME"
			}
		}
		out.Settings = append(out.Settings, e)
	}
	for _, p := range []struct{ key, value, words string }{
		{"state", m.Folders.State, "where the list of known jars is kept"}, {"cache", m.Folders.Cache, "what can be asked for again"}} {
		e := Effective{Key: p.key, Value: p.value, From: FromBuiltIn, Words: p.words}
		if home != "" {
			e.From = "GLASSJAR_HOME"
		}
		out.Settings = append(out.Settings, e)
	}
	if len(m.wide.Trusted) > 0 {
		out.Settings = append(out.Settings, Effective{Key: "trusted", Value: strings.Join(m.wide.Trusted, ", "), From: FromMachine, File: settings.MachineFile(), Words: "the same, for all users of this machine"})
	}
	out.addProject(spec)
	out.addVariables()
	return out, nil
}

// userValues are the user's settings as text, those that are set.
func (m *Machine) userValues() map[string]string {
	s := m.Settings
	out := map[string]string{}
	set := func(key, value string) {
		if value != "" {
			out[key] = value
		}
	}
	set("indexes", indexText(s.Indexes))
	set("from-index", pinText(s.FromIndex))
	set("pythons", strings.Join(s.Pythons, ", "))
	set("store", s.Store)
	set("shelf", s.Shelf)
	set("commands", s.Commands)
	set("certificates", s.Certificates)
	set("second-store", strings.Join(s.SecondStores(), ", "))
	set("placing", s.Placing)
	set("fetch-pythons", s.FetchPythons)
	set("signers", s.Signers)
	set("trusted", strings.Join(s.Trusted, ", "))
	set("bytecode", s.Bytecode)
	set("build-consent", strings.Join(s.BuildConsent, ", "))
	if s.BuildMinutes > 0 {
		out["build-minutes"] = strconv.Itoa(s.BuildMinutes)
	}
	for key, on := range map[string]bool{"allow-http": s.AllowHTTP, "keyring": s.Keyring, "sealed-off": s.SealedOff, "keep-packages": s.KeepPackages, "without-locks": s.WithoutLocks} {
		if s.Has(key) {
			out[key] = fmt.Sprint(on)
		}
	}
	return out
}

func indexText(list []project.IndexEntry) string {
	var parts []string
	for _, e := range list {
		parts = append(parts, e.Name+" "+fetch.Redact(e.At))
	}
	return strings.Join(parts, ", ")
}

func pinText(pins map[string]string) string {
	var parts []string
	for name, at := range pins {
		parts = append(parts, name+" from "+at)
	}
	sort.Strings(parts)
	return strings.Join(parts, ", ")
}

// addProject adds what the spec sets for everyone who works on it.
func (e *EffectiveSettings) addProject(spec *project.Spec) {
	t := spec.Tool
	add := func(key, value, words string) {
		if value != "" {
			e.Settings = append(e.Settings, Effective{Key: key, Value: value, From: FromProject, File: spec.File, Words: words})
		}
	}
	add("indexes", indexText(t.Indexes), "where the project's packages come from; asked first")
	add("from-index", pinText(t.FromIndex), "the index that a distribution comes from")
	add("python", t.Python, "the Python that the project's jar has")
	add("requires-python", spec.RequiresPython.Written(), "the Pythons that the project takes")
	add("targets", strings.Join(t.Targets, ", "), "the systems that the record serves")
	if t.SeeSystem {
		add("see-system", "true", "the jar sees the packages of its base")
	}
	if t.PinPython {
		add("pin-python", "true", "the record holds which Python there is")
	}
	if t.AsOf != nil {
		add("as-of", fmt.Sprint(t.AsOf), "nothing that was uploaded later is taken")
	}
	for _, name := range sortedNames(t.Held) {
		add("held", strings.TrimSpace(name+" "+t.Held[name].At+", "+t.Held[name].Why), "the versions that it is kept within, and why")
	}
	add("licences", strings.Join(t.Licences.Allow, ", "), "the licences that are allowed")
	for _, name := range sortedNames(t.Licences.Of) {
		add("licences", name+": "+t.Licences.Of[name], "the licence that it has")
	}
	for _, id := range sortedNames(t.Advisories) {
		add("advisories", fmt.Sprintf("%s, %s, until %v", id, t.Advisories[id].Why, t.Advisories[id].Until), "a known fault that is accepted, why, and how long")
	}
	add("project", t.Project, "how the jar holds the project itself")
	for _, name := range sortedNames(t.FromFile) {
		add("from-file", name+" from "+t.FromFile[name], "the package file that a distribution comes from")
	}
	for _, name := range sortedNames(t.FromFolder) {
		add("from-folder", name+" from "+t.FromFolder[name].Path, "the folder of source that a distribution is built from")
	}
	add("build-consent", strings.Join(t.BuildConsent, ", "), "what may be built from source")
	add("build-open", strings.Join(t.BuildOpen, ", "), "what is built outside of the closed room")
	for _, name := range sortedNames(t.BuildAlso) {
		add("build-also", name+": "+strings.Join(t.BuildAlso[name], ", "), "what it is built with besides what it states")
	}
	for _, name := range sortedNames(t.BuildSettings) {
		add("build-settings", name+": "+strings.Join(sortedNames(t.BuildSettings[name]), " "), "settings for its back end")
	}
	for _, name := range sortedNames(t.BuildVariables) {
		var parts []string
		for _, k := range sortedNames(t.BuildVariables[name]) {
			parts = append(parts, k+"="+t.BuildVariables[name][k])
		}
		add("build-variables", name+": "+strings.Join(parts, " "), "variables for a build")
	}
}

// Variable is a variable of the environment that has a say.
type Variable struct{ Name, Words string }

// Variables are all that this program reads.
var Variables = []Variable{
	{"GLASSJAR_HOME", "one folder for settings, store, shelf, state and cache"},
	{"GLASSJAR_PYTHONS", "further folders to search for interpreters"},
	{"VIRTUAL_ENV", "the jar that is active in this shell"},
	{"PATH", "where interpreters are searched for first, and commands that the jar has not"},
	{"SHELL", "the shell that enter opens"},
	{"PYTHONDONTWRITEBYTECODE", "no bytecode is written"},
	{"PYTHONPATH", "folders that Python puts before the jar's packages; here tells them, sealed-off shuts them out"},
	{"PYTHONHOME", "where Python looks for its own library; it is unset inside of a jar"},
	{"PYTHONUSERBASE", "where packages of your own stand; here tells them, sealed-off shuts them out"},
	{"NETRC", "the file of passwords, in place of .netrc in the home folder"},
	{"HTTPS_PROXY", "the way out to servers over https"},
	{"HTTP_PROXY", "the way out to servers over plain http"},
	{"NO_PROXY", "servers that are asked directly"},
	{"NO_COLOR", "no colours"},
	{"TERM", "dumb: no colours and no line that is drawn anew"},
	{"XDG_CONFIG_HOME", "in place of ~/.config, for the settings"},
	{"XDG_DATA_HOME", "in place of ~/.local/share, for the store and the shelf"},
	{"XDG_STATE_HOME", "in place of ~/.local/state, for the lists of jars"},
	{"XDG_CACHE_HOME", "in place of ~/.cache, for what can be asked for again"},
}

// ordinary variables are set for everybody, and so say little of what is in effect.
var ordinary = []string{"PATH", "SHELL", "TERM"}

// addVariables adds those of the process that have a say.
func (e *EffectiveSettings) addVariables() {
	for _, v := range Variables {
		if value := os.Getenv(v.Name); value != "" && !slices.Contains(ordinary, v.Name) {
			e.Settings = append(e.Settings, Effective{Key: v.Name, Value: fetch.Redact(value), From: v.Name, Words: v.Words})
		}
	}
}

// SetSetting gives one of the user's settings a value, or with none takes it
// out, and gives the file that was written. Paths are kept absolute.
func (m *Machine) SetSetting(ctx context.Context, key string, values []string) (string, error) {
	s, ok := settings.Known(key)
	if !ok {
		return "", &UsageError{Case: NoSetting, Of: []string{key}, Near: project.Nearest(key, settings.Keys())}
	}
	if s.Kind == settings.Folder || s.Kind == settings.OneFile || s.Kind == settings.Folders {
		for i, v := range values {
			if v == "" { // as a variable that is not set leaves it
				return "", &settings.ValueError{Setting: s, Why: "its path is empty: glassjar settings --clear " + key + " takes it out", File: m.Folders.Settings}
			}
			values[i] = m.absolute(v)
		}
	}
	changed, err := m.settingsFile().Set(ctx, s, values)
	if err == nil {
		m.Settings = changed
	}
	if bad, ok := err.(*settings.ValueError); ok {
		bad.File = m.Folders.Settings
	}
	return m.Folders.Settings, err
}

// Only keeps the settings of one key.
func (e *EffectiveSettings) Only(key string) {
	kept := []Effective{}
	for _, s := range e.Settings {
		if s.Key == key {
			kept = append(kept, s)
		}
	}
	e.Settings = kept
}
