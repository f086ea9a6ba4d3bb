package operation

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/jar"
	"glassjar/core/project"
)

// settledNote remembers that a jar holds what its spec asks for: nothing has to be
// solved again, nor any index asked, as long as all that had a say is as it was.
// It stands in the cache; without it everything is looked at anew.
type settledNote struct {
	// Print is a hash of all that had a say.
	Print string `json:"print"`
	Kept  int    `json:"kept"`
	// SampleOnly is as in [Plan].
	SampleOnly bool `json:"sample_only"`
}

func (m *Machine) settledFile(j *jar.Jar) string {
	sum := sha256.Sum256([]byte(j.Root))
	return filepath.Join(m.Folders.Cache, "settled", hex.EncodeToString(sum[:12])+".json")
}

// settledPrint is a hash of the settings, the spec, the record, what the jar says
// of itself, and which distributions are in it; empty where one cannot be read.
func (m *Machine) settledPrint(j *jar.Jar, place Place, python string) string {
	h := sha256.New()
	fmt.Fprintf(h, "settled 1\n%s\n%s\n", j.Root, python)
	for _, file := range []string{m.Folders.Settings, place.SpecFile, place.RecordFile, j.StateFile(), originsFile(j)} {
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

// settled is the plan of a command that asks for nothing new, of a jar in which
// nothing has changed since it was settled; nil if that cannot be told.
func (m *Machine) settled(place Place, before, spec *project.Spec, opt resolveOptions, j *jar.Jar, python string) *Plan {
	if string(before.Text) != string(spec.Text) || opt.pre || len(opt.free)+len(opt.gone)+len(opt.floor) > 0 || !j.State.Parts.With(opt.groups, opt.extras).Equal(j.State.Parts) {
		return nil
	}
	for _, a := range opt.asked {
		if !bare(a) || !opt.known[a.Key()] {
			return nil
		}
	}
	var note settledNote
	data, err := os.ReadFile(m.settledFile(j))
	if err != nil || json.Unmarshal(data, &note) != nil || note.Print == "" || note.Print != m.settledPrint(j, place, python) {
		return nil
	}
	p := emptyPlan(place)
	p.jar, p.Python, p.Kept, p.SampleOnly, p.Asked = j, python, note.Kept, note.SampleOnly, askedTexts(opt.asked)
	return p
}

// noteSettled notes that a jar holds what its spec asks for.
func (m *Machine) noteSettled(place Place, p *Plan) {
	j, err := jar.OpenHeld(place.Root)
	if err != nil {
		return
	}
	note := settledNote{m.settledPrint(j, place, p.Python), p.Kept + len(p.Add) + len(p.Change) + len(p.Mend), p.SampleOnly}
	data, err := json.Marshal(note)
	file := m.settledFile(j)
	if err == nil && note.Print != "" && os.MkdirAll(filepath.Dir(file), 0o755) == nil {
		// Half a note is none, so that it need not be written beside its place. Where
		// it cannot be written all is looked at anew.
		_ = os.WriteFile(file, data, 0o644)
	}
}
