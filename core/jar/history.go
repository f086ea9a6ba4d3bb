package jar

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"glassjar/core/limits"
	"glassjar/core/project"
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
	// Command is what was typed, or [ByHand]; Did what it changed, as in "+brixmeter 2.1".
	Command string        `json:"command"`
	Did     []string      `json:"did"`
	Python  string        `json:"python"`
	Parts   project.Parts `json:"parts"`
	// Packages are all that this program put into the jar.
	Packages []MomentPackage `json:"packages"`
	// Spec and Record are the texts of these files, nil where there was none.
	Spec   *string `json:"spec"`
	Record *string `json:"record"`
}

// ByHand stands for the command of a state that keeps what somebody wrote into the spec or the
// record.
const ByHand = "(changed by hand)"

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
	// Built is the SHA-256 of the wheel that was built of it; empty for a wheel. Tree is
	// set for a folder or a repository; Subdirectory is where in source the project stands.
	Built        string      `json:"built,omitempty"`
	Tree         *MomentTree `json:"tree,omitempty"`
	Subdirectory string      `json:"subdirectory,omitempty"`
	// LibraryPath are folders without which libraries that it needs are not found.
	LibraryPath []string `json:"library_path,omitempty"`
}

// MomentTree is a folder or a repository that a distribution was built of.
type MomentTree struct {
	Folder     string `json:"folder,omitempty"`
	Editable   bool   `json:"editable,omitempty"`
	Own        bool   `json:"own,omitempty"`
	Repository string `json:"repository,omitempty"`
	Requested  string `json:"requested,omitempty"`
	Commit     string `json:"commit,omitempty"`
}

// Unpacked is the SHA-256 of what was unpacked: the wheel that was built, or the package
// file.
func (p MomentPackage) Unpacked() string {
	if p.Built != "" {
		return p.Built
	}
	return p.SHA256
}

// MomentFile is the path of a state's file.
func (j *Jar) MomentFile(number int) string { return j.Path(MomentPath(number)) }

// MomentPath is the same, relative to the jar.
func MomentPath(number int) string { return fmt.Sprintf("%s/%06d.json", historyFolder, number) }

// Moments are the states of the jar, the oldest first. A file of a newer format
// is an error, a [*NewerFormatError], and so is one that cannot be read now; a
// damaged one is left out.
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
		if errors.As(err, &newer) || err != nil && unread(err) == Unreadable {
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
	data, err := limits.ReadFile(file, limits.Own)
	if err != nil {
		return Moment{}, err
	}
	return parseMoment(file, data)
}

func parseMoment(file string, data []byte) (m Moment, err error) {
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

// LastMoment is the newest state that can be read; false for a jar without a
// history. The error is the system's: that a state cannot be read now does not
// make an older one the newest.
func (j *Jar) LastMoment() (Moment, bool, error) {
	numbers, err := momentNumbers(j.Root)
	for i := len(numbers) - 1; i >= 0 && err == nil; i-- {
		m, err := readMoment(j.MomentFile(numbers[i]))
		if err != nil && unread(err) == Unreadable {
			return m, false, err
		}
		if err == nil {
			return m, true, nil
		}
	}
	return Moment{}, false, err
}

// Origins tells by the names of distributions from which package file, by its SHA-256,
// each was unpacked, as the newest state has it; nothing for no jar, and where the state
// cannot be read: then all is compared by version alone.
func (j *Jar) Origins() map[string]string {
	out := map[string]string{}
	if j == nil {
		return out
	}
	if last, ok, err := j.LastMoment(); err == nil && ok {
		for _, p := range last.Packages {
			out[p.Name] = p.SHA256
		}
	}
	return out
}

// Trees tells by the names of distributions by which SHA-256 the store knows what each was
// unpacked from: that of its package file, or of the wheel that was built.
func (j *Jar) Trees() map[string]string {
	out := map[string]string{}
	if j == nil {
		return out
	}
	if last, ok, err := j.LastMoment(); err == nil && ok {
		for _, p := range last.Packages {
			out[p.Name] = p.Unpacked()
		}
	}
	return out
}

// NextNumber is that of the state that comes next: after all that have a file,
// damaged ones too.
func (j *Jar) NextNumber() (int, error) {
	last, err := lastNumber(j.Root)
	return last + 1, err
}

func lastNumber(root string) (int, error) {
	numbers, err := momentNumbers(root)
	if err != nil || len(numbers) == 0 {
		return 0, err
	}
	return numbers[len(numbers)-1], nil
}

// momentNumbers are the states of which there are files, by their names.
func momentNumbers(root string) ([]int, error) {
	entries, err := os.ReadDir(filepath.Join(root, filepath.FromSlash(historyFolder)))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	var out []int
	for _, e := range entries {
		text, ok := strings.CutSuffix(e.Name(), ".json")
		if n, err := strconv.Atoi(text); ok && err == nil && n > 0 {
			out = append(out, n)
		}
	}
	slices.Sort(out)
	return out, err
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
