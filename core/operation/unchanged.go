package operation

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"glassjar/core/atomicfile"
	"glassjar/core/jar"
	"glassjar/core/place"
	"glassjar/core/project"
)

// unchangedNote remembers that a jar holds what its spec asks for: nothing has to be
// solved again, nor any index asked, as long as all that had a say is as it was.
// It stands in the cache; without it everything is looked at anew.
type unchangedNote struct {
	// Print is a hash of all that had a say.
	Print string `json:"print"`
	// Names are the distributions that the spec asks for by name in the jar's
	// environment, outside of groups and extras.
	Names []string `json:"names"`
	// Python, Kept and SampleOnly are as in [Plan].
	Python     string `json:"python"`
	Kept       int    `json:"kept"`
	SampleOnly bool   `json:"sample_only"`
}

func (m *Machine) unchangedFile(root string) string {
	sum := sha256.Sum256([]byte(root))
	return filepath.Join(m.Folders.Cache, "settled", hex.EncodeToString(sum[:12])+".json")
}

// statePrint is a hash of the settings, the spec, the record, what the jar says
// of itself, its interpreter's file, and which distributions are in it; empty
// where one cannot be read.
func (m *Machine) statePrint(j *jar.Jar, at place.Place) string {
	base, err := j.Base()
	if err != nil {
		return ""
	}
	program, err := os.Stat(base)
	if err != nil {
		return ""
	}
	h := sha256.New()
	fmt.Fprintf(h, "settled 3\n%s\n%s %d %d\n", j.Root, base, program.Size(), program.ModTime().UnixNano())
	next, err := j.NextNumber()
	if err != nil {
		return ""
	}
	for _, file := range []string{m.Folders.Settings, at.SpecFile, at.RecordFile, j.StateFile(), j.MomentFile(next - 1)} {
		data, err := os.ReadFile(file)
		if err != nil && !os.IsNotExist(err) {
			return ""
		}
		fmt.Fprintf(h, "%d %t\n", len(data), err == nil)
		h.Write(data)
	}
	for _, site := range j.Sites() {
		entries, err := os.ReadDir(j.Path(site))
		if err != nil {
			return ""
		}
		for _, e := range entries {
			if !strings.HasSuffix(e.Name(), ".dist-info") {
				continue
			}
			info, err := e.Info()
			if err != nil {
				return ""
			}
			fmt.Fprintf(h, "%s %d\n", e.Name(), info.ModTime().UnixNano())
		}
	}
	return hex.EncodeToString(h.Sum(nil))
}

// unchanged is the plan of an install that asks for nothing new, of a jar in which
// nothing has changed since it was unchanged; nil if that cannot be told.
func (m *Machine) unchanged(at place.Place, opt InstallOptions, asked []project.Asked) *job {
	if opt.Pre || !m.AsOf.IsZero() || opt.Group != "" || opt.Extra != "" || !at.Exists() {
		return nil
	}
	var note unchangedNote
	data, err := os.ReadFile(m.unchangedFile(at.Root))
	if err != nil || json.Unmarshal(data, &note) != nil || note.Print == "" {
		return nil
	}
	for _, a := range asked {
		if !bare(a) || !slices.Contains(note.Names, a.Key()) {
			return nil
		}
	}
	j, err := m.open(at)
	if err != nil || note.Print != m.statePrint(j, at) {
		return nil
	}
	p := newJob(at)
	p.jar, p.Python, p.Kept, p.SampleOnly, p.Asked = j, note.Python, note.Kept, note.SampleOnly, project.Asks(asked)
	return p
}

// noteUnchanged notes that a jar holds what its spec asks for.
func (m *Machine) noteUnchanged(at place.Place, spec *project.Spec, p *job) {
	j, err := m.open(at)
	if err != nil {
		return
	}
	note := unchangedNote{Print: m.statePrint(j, at), Python: p.Python, Kept: p.Kept + len(p.Add) + len(p.Change) + len(p.Mend), SampleOnly: p.SampleOnly}
	for _, a := range spec.Asked {
		if a.Part == (project.Part{}) && a.Marker.Holds(p.python.Environment()) {
			note.Names = append(note.Names, a.Key())
		}
	}
	data, err := json.Marshal(note)
	file := m.unchangedFile(at.Root)
	if err == nil && note.Print != "" {
		_ = atomicfile.Cache(file, data) // without it all is looked at anew
	}
}
