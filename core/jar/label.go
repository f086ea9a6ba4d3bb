package jar

import (
	"context"
	"crypto/sha256"
	"fmt"
	"os"
	"sort"

	"glassjar/core/digest"
	"glassjar/core/metadata"
)

// Label is a fingerprint of all that matters of a jar's contents: equal on two
// machines exactly when these are. Neither paths, nor times, nor the machine
// have a part in it. docs/formats.md defines it line by line.
func (j *Jar) Label(installed []Installed) (string, error) {
	label, _, err := j.label(installed, func(f File) (string, error) { return j.sum(f.Path) })
	return label, err
}

// RecordedLabel is the label that the jar has if every file is as its RECORD
// says; only the RECORDs are read.
func (j *Jar) RecordedLabel(installed []Installed) (string, error) {
	label, _, err := j.RecordedSums(installed)
	return label, err
}

// RecordedSums are [Jar.RecordedLabel] and, by the distributions' keys, a hash of what each RECORD
// says of the files, those left out that say how it came here. Each is read once for both. Where
// one cannot be read there is an error, its own is empty, and the others are told.
func (j *Jar) RecordedSums(installed []Installed) (label string, contents map[string]string, err error) {
	return j.label(installed, func(f File) (string, error) {
		if sum, ok := metadata.HexOfRecordHash(f.Hash); ok {
			return sum, nil
		}
		return j.sum(f.Path)
	})
}

// label hashes what docs/formats.md says, and what each RECORD says. The lines of several
// distributions are made at a time.
func (j *Jar) label(installed []Installed, sumOf func(File) (string, error)) (string, map[string]string, error) {
	lines, sums := make([][]byte, len(installed)), make([]string, len(installed))
	err := j.eachRecord(installed, func(i int, files []File, err error) error {
		if err != nil {
			return err
		}
		sort.Slice(files, func(i, k int) bool { return files[i].Path < files[k].Path })
		sums[i] = contentsSum(files)
		text := fmt.Appendf(nil, "distribution %s %s\n", installed[i].Key(), installed[i].Version())
		for _, f := range files {
			sum, err := sumOf(f)
			if err != nil {
				return err
			}
			text = append(append(append(append(append(text, "file "...), f.Path...), ' '), sum...), '\n')
		}
		lines[i] = text
		return nil
	})
	contents := map[string]string{}
	h := sha256.New()
	s := j.State
	fmt.Fprintf(h, "glassjar label 1\npython %s %s %s %s\nsee-system %t\n", s.Implementation, s.Python, s.OS, s.Arch, s.SeeSystem)
	for i, d := range installed {
		contents[d.Key()] = sums[i]
		h.Write(lines[i])
	}
	if err != nil {
		return "", contents, err
	}
	return digest.Label(h.Sum(nil)), contents, nil
}

// sum is a file's SHA-256 in hex, "missing" if it is not there.
func (j *Jar) sum(file string) (string, error) {
	sum, err := digest.OfFile(context.Background(), j.Path(file))
	if os.IsNotExist(err) {
		return "missing", nil
	}
	return sum, err
}
