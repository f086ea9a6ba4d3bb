package operation

import (
	"bytes"
	"context"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"glassjar/core/guard"
	"glassjar/core/internal/keptmap"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/requirement"
	"glassjar/core/version"
)

// Subject is a jar or a record that is known on this machine, or both where they belong together.
type Subject struct {
	// Name is what people call it; Jar is the jar's folder, Record the record's file, empty where
	// there is none.
	Name, Jar, Record string
}

// OfRecord reports whether it is the record that is looked at, since there is no jar.
func (s Subject) OfRecord() bool { return s.Jar == "" }

// SubjectOptions say what is looked at: a jar, the record in place of it, or all jars and records that
// are known here.
type SubjectOptions struct {
	Jar           string
	Record, Shelf bool
}

// eachSubject looks at what was chosen, each with its spec. Of several, failed is told what could not be
// looked at, and the others are.
func (m *Machine) eachSubject(ctx context.Context, opt SubjectOptions, look func(Subject, *project.Spec) error, failed func(Subject, error)) error {
	if !opt.Shelf {
		at, err := m.Places().Locate(opt.Jar, false)
		if err != nil {
			return err
		}
		s := m.subjectAt(at)
		if _, err := m.open(at); err != nil && s.Record == "" {
			return err
		}
		if opt.Record || s.Jar == "" {
			s.Jar, s.Record = "", at.RecordFile
		}
		spec, err := readSpec(at)
		if err != nil {
			return err
		}
		return look(s, spec)
	}
	subjects, err := m.subjects()
	if err != nil {
		return err
	}
	for _, s := range subjects {
		spec, err := m.specOf(s)
		if err == nil {
			err = look(s, spec)
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			failed(s, err)
		}
	}
	return nil
}

// subjectAt is the jar at a place with its record, as far as they are there.
func (m *Machine) subjectAt(at place.Place) Subject {
	s := Subject{Name: at.Prompt()}
	if at.Exists() {
		s.Jar = at.Root
	}
	if fileExists(at.RecordFile) {
		s.Record = at.RecordFile
	}
	return s
}

// specOf is the spec of a subject: of its jar, or that which its record is of.
func (m *Machine) specOf(s Subject) (*project.Spec, error) {
	if s.Jar != "" {
		return readSpec(m.Places().At(s.Jar, place.Named))
	}
	file := project.RecordedScript(s.Record)
	if file == "" {
		return project.ReadSpec(filepath.Join(filepath.Dir(s.Record), project.SpecFile))
	}
	script, err := project.ReadScript(file)
	if err != nil {
		return nil, m.ofScript(file, err)
	}
	return project.ParseSpec(file, script.Spec)
}

// Holdings are the jars and records that hold something.
type Holdings struct {
	Asked string
	Found []Holding
	// Jars and Records are how many were looked at.
	Jars, Records int
}

// Holding is one of them, with a version that it holds.
type Holding struct {
	Subject
	Version string
	// InJar and InRecord tell where it is held.
	InJar, InRecord bool
}

// recordsFile notes records that were made where no jar is.
func (m *Machine) recordsFile() string { return filepath.Join(m.Folders.State, "records.json") }

// noteRecord notes that a record was made here.
func (m *Machine) noteRecord(at place.Place) {
	if _, noted := keptmap.Read[string](m.recordsFile())[at.RecordFile]; !noted && !at.Exists() {
		_ = keptmap.Keep(m.recordsFile(), map[string]string{at.RecordFile: at.Prompt()}, func(file, _ string) bool { return !fileExists(file) })
	}
}

// subjects are all jars that are known here with their records, and the records that were made
// here without a jar.
func (m *Machine) subjects() ([]Subject, error) {
	known, err := m.knownJars()
	if err != nil {
		return nil, err
	}
	var out []Subject
	seen := map[string]bool{}
	for _, k := range known {
		s := m.subjectAt(m.Places().At(k.Root, place.Named))
		seen[s.Record] = true
		if s.Jar+s.Record != "" {
			out = append(out, s)
		}
	}
	records := keptmap.Read[string](m.recordsFile())
	for _, file := range sortedNames(records) {
		if !seen[file] && fileExists(file) {
			out = append(out, Subject{Name: records[file], Record: file})
		}
	}
	return out, nil
}

// Holding finds all jars and records known here that hold versions which meet a requirement (PEP 508).
func (m *Machine) Holding(ctx context.Context, text string) (*Holdings, error) {
	want, err := requirement.Parse(text)
	if err != nil || want.URL != "" || len(want.Extras) > 0 || !want.Marker.IsZero() {
		return nil, usage(NoHolding, text)
	}
	subjects, err := m.subjects()
	if err != nil {
		return nil, err
	}
	out := &Holdings{Asked: want.String(), Found: []Holding{}}
	var mu sync.Mutex
	group, inner := guard.WithContext(ctx)
	group.SetLimit(2 * runtime.NumCPU())
	for _, s := range subjects {
		if s.Jar != "" {
			out.Jars++
		}
		if s.Record != "" {
			out.Records++
		}
		group.Go(func() error {
			if inner.Err() != nil {
				return inner.Err()
			}
			found := s.holding(want)
			mu.Lock()
			defer mu.Unlock()
			out.Found = append(out.Found, found...)
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	slices.SortFunc(out.Found, func(a, b Holding) int {
		return strings.Compare(a.Name+"\x00"+a.Jar+"\x00"+a.Record+"\x00"+a.Version, b.Name+"\x00"+b.Jar+"\x00"+b.Record+"\x00"+b.Version)
	})
	return out, nil
}

// holding are the versions of a subject that meet a requirement. What cannot be read holds nothing.
func (s Subject) holding(want requirement.Requirement) (out []Holding) {
	meets := func(name string, v version.Version) bool {
		return name == want.Key() && (len(want.Specifiers) == 0 || want.Specifiers.Holds(v))
	}
	add := func(v version.Version, inJar bool) {
		i := slices.IndexFunc(out, func(h Holding) bool { return h.Version == v.String() })
		if i < 0 {
			i, out = len(out), append(out, Holding{Subject: s, Version: v.String()})
		}
		out[i].InJar, out[i].InRecord = out[i].InJar || inJar, out[i].InRecord || !inJar
	}
	if s.Jar != "" {
		if j, err := jar.Open(s.Jar); err == nil {
			names, _ := j.Names() // a jar that cannot be read is told by the shelf
			for _, n := range names {
				if meets(n.Name, n.Version) {
					add(n.Version, true)
				}
			}
		}
	}
	if s.Record != "" {
		if r, err := recordWith(s.Record, want.Key()); err == nil && r != nil {
			for _, p := range r.Packages {
				if meets(p.Name, p.Version) && !p.Version.IsZero() {
					add(p.Version, false)
				}
			}
		}
	}
	return out
}

// recordWith reads a record, if a name may be in it, else it is nil: to read it as TOML takes long.
func recordWith(file, name string) (*project.Record, error) {
	text, err := limits.ReadFile(file, limits.Record)
	if err != nil {
		return nil, err
	}
	first, _, _ := strings.Cut(name, "-")
	if !bytes.Contains(bytes.ToLower(text), []byte(first)) {
		return nil, nil
	}
	return project.ParseRecord(file, text)
}
