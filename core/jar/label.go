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
	return j.label(installed, func(f File) (string, error) { return j.sum(f.Path) })
}

// RecordedLabel is the label that the jar has if every file is as its RECORD
// says; only the RECORDs are read.
func (j *Jar) RecordedLabel(installed []Installed) (string, error) {
	return j.label(installed, func(f File) (string, error) {
		if sum, ok := metadata.HexOfRecordHash(f.Hash); ok {
			return sum, nil
		}
		return j.sum(f.Path)
	})
}

func (j *Jar) label(installed []Installed, sumOf func(File) (string, error)) (string, error) {
	h := sha256.New()
	s := j.State
	fmt.Fprintf(h, "glassjar label 1\npython %s %s %s %s\nsee-system %t\n", s.Implementation, s.Python, s.OS, s.Arch, s.SeeSystem)
	for _, d := range installed {
		fmt.Fprintf(h, "distribution %s %s\n", d.Key(), d.Version())
		files, err := j.Files(d)
		if err != nil {
			return "", err
		}
		sort.Slice(files, func(i, k int) bool { return files[i].Path < files[k].Path })
		for _, f := range files {
			sum, err := sumOf(f)
			if err != nil {
				return "", err
			}
			fmt.Fprintf(h, "file %s %s\n", f.Path, sum)
		}
	}
	return digest.Label(h.Sum(nil)), nil
}

// sum is a file's SHA-256 in hex, "missing" if it is not there.
func (j *Jar) sum(file string) (string, error) {
	sum, err := digest.OfFile(context.Background(), j.Path(file))
	if os.IsNotExist(err) {
		return "missing", nil
	}
	return sum, err
}
