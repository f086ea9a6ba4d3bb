package jar

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"time"
)

// historyFolder holds one file for each state that the jar has been in, named by
// its number.
const historyFolder = ownFolder + "/history"

// Moment is one state that a jar has been in. docs/formats.md describes the file.
type Moment struct {
	Format int `json:"format"`
	// Number counts from 1.
	Number int       `json:"number"`
	At     time.Time `json:"at"`
	// Command is what was typed; Did what it changed, as in "+brixmeter 2.1".
	Command string   `json:"command"`
	Did     []string `json:"did"`
	Python  string   `json:"python"`
	Parts   Parts    `json:"parts"`
	// Packages are all that this program put into the jar.
	Packages []MomentPackage `json:"packages"`
	// Spec and Record are the texts of these files, nil where there was none.
	Spec   *string `json:"spec"`
	Record *string `json:"record"`
}

// MomentPackage is a distribution and the package file that it was unpacked from.
type MomentPackage struct {
	Name    string `json:"name"`
	Version string `json:"version"`
	File    string `json:"file"`
	SHA256  string `json:"sha256"`
	Size    int64  `json:"size"`
	// URL and Index are where it came from; Direct tells that it was named by its
	// address and not found in an index.
	URL       string `json:"url"`
	Index     string `json:"index,omitempty"`
	Direct    bool   `json:"direct,omitempty"`
	Requested bool   `json:"requested"`
}

// MomentFile is the path of a state's file.
func (j *Jar) MomentFile(number int) string { return j.Path(MomentPath(number)) }

// MomentPath is the same, relative to the jar.
func MomentPath(number int) string { return fmt.Sprintf("%s/%06d.json", historyFolder, number) }

// Moments are the states of the jar, the oldest first. A file of a newer format
// is an error, a [*NewerFormatError]; a damaged one is left out.
func (j *Jar) Moments() ([]Moment, error) {
	entries, err := os.ReadDir(j.Path(historyFolder))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var out []Moment
	for _, e := range entries {
		if !strings.HasSuffix(e.Name(), ".json") {
			continue
		}
		m, err := readMoment(j.Path(historyFolder, e.Name()))
		var newer *NewerFormatError
		if errors.As(err, &newer) {
			return nil, err
		}
		if err == nil {
			out = append(out, m)
		}
	}
	sort.Slice(out, func(i, k int) bool { return out[i].Number < out[k].Number })
	return out, nil
}

func readMoment(file string) (Moment, error) {
	var m Moment
	data, err := os.ReadFile(file)
	if err != nil {
		return m, err
	}
	if err := json.Unmarshal(data, &m); err != nil {
		return m, err
	}
	if m.Format > Format {
		return m, &NewerFormatError{file, m.Format}
	}
	if m.Number < 1 {
		return m, fmt.Errorf("%s is damaged", filepath.Base(file))
	}
	return m, nil
}

// LastMoment is the newest state; false for a jar without a history.
func (j *Jar) LastMoment() (Moment, bool) {
	entries, err := os.ReadDir(j.Path(historyFolder))
	if err != nil {
		return Moment{}, false
	}
	for i := len(entries) - 1; i >= 0; i-- {
		if !strings.HasSuffix(entries[i].Name(), ".json") {
			continue
		}
		if m, err := readMoment(j.Path(historyFolder, entries[i].Name())); err == nil {
			return m, true
		}
	}
	return Moment{}, false
}

// Bytes is the moment as its file has it.
func (m Moment) Bytes() ([]byte, error) {
	m.Format = Format
	m.At = m.At.UTC().Truncate(time.Second)
	if m.Did == nil {
		m.Did = []string{}
	}
	if m.Packages == nil {
		m.Packages = []MomentPackage{}
	}
	data, err := json.MarshalIndent(m, "", "  ")
	return append(data, '\n'), err
}
