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
	"glassjar/core/start"
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
	fmt.Fprintf(h, "settled 4\n%s\n%s %d %d\n", j.Root, base, program.Size(), program.ModTime().UnixNano())
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
	folders, err := infoFolders(j)
	if err != nil {
		return ""
	}
	for _, dir := range folders {
		info, err := os.Lstat(dir)
		if err != nil {
			return ""
		}
		fmt.Fprintf(h, "%s %d\n", filepath.Base(dir), info.ModTime().UnixNano())
	}
	return hex.EncodeToString(h.Sum(nil))
}

// infoFolders are those that tell of the distributions in a jar (".dist-info").
func infoFolders(j *jar.Jar) (out []string, err error) {
	for _, site := range j.Sites() {
		entries, err := os.ReadDir(j.Path(site))
		if err != nil {
			return nil, err
		}
		for _, e := range entries {
			if strings.HasSuffix(e.Name(), ".dist-info") {
				out = append(out, j.Path(site, e.Name()))
			}
		}
	}
	return out, nil
}

// unchanged is the plan of an install that asks for nothing new, of a jar in which
// nothing has changed since it was unchanged, and the hash that says so; nil if that cannot be told.
func (m *Machine) unchanged(at place.Place, opt InstallOptions, asked []project.Asked) (p *job, state string) {
	if opt.Pre || !m.AsOf.IsZero() || opt.Group != "" || opt.Extra != "" || !at.Exists() {
		return nil, ""
	}
	var note unchangedNote
	data, err := os.ReadFile(m.unchangedFile(at.Root))
	if err != nil || json.Unmarshal(data, &note) != nil || note.Print == "" {
		return nil, ""
	}
	for _, a := range asked {
		if !bare(a) || !slices.Contains(note.Names, a.Key()) {
			return nil, ""
		}
	}
	j, err := m.open(at)
	if err != nil || note.Print != m.statePrint(j, at) {
		return nil, ""
	}
	p = newJob(at)
	p.jar, p.Python, p.Kept, p.SampleOnly, p.Asked = j, note.Python, note.Kept, note.SampleOnly, project.Asks(asked)
	return p, note.Print
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

// answer holds all that has a say in that a jar is unchanged, in the folder of its project; nil
// where that would be of no use. It is decided once more after the marks are taken: what changed
// in between would otherwise be taken for what was decided on.
func (m *Machine) answer(j *jar.Jar, at place.Place, state string) *start.Answer {
	if at.Root != filepath.Join(m.Dir, place.JarFolder) || len(m.Notes) > 0 {
		return nil
	}
	seen, err := m.seen(j)
	if err != nil {
		return nil
	}
	folders, err := infoFolders(j)
	if err != nil {
		return nil
	}
	a := &start.Answer{Dir: m.Dir, Seen: seen}
	a.Add(start.Target, at.SpecFile, at.RecordFile)
	a.Add(start.Itself, append(folders, filepath.Dir(j.MomentFile(1)))...)
	for _, site := range j.Sites() {
		a.Add(start.Itself, j.Path(site))
	}
	if !a.Look(os.Environ()) || m.statePrint(j, at) != state {
		return nil
	}
	return a
}

// KeepAnswer keeps what a command printed that found nothing to do, for the next one.
func (m *Machine) KeepAnswer(a *start.Answer, command []string, out string) {
	a.Command, a.Out = command, out
	_ = atomicfile.Cache(start.AnswerFile(m.Folders.Cache, a.Dir), []byte(a.Text())) // without it all is found out anew
}
