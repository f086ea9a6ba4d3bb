package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"glassjar/core/metadata"
	"glassjar/core/resolve"
	"glassjar/core/version"
)

// shelved is a world whose metadata lies in files, as the cache keeps it.
type shelved struct {
	*world
	dir  string
	read map[string]bool
}

func (s *shelved) file(name, v string) string { return filepath.Join(s.dir, name+"-"+v) }

func (s *shelved) Needs(_ context.Context, name, _ string, v version.Version) ([]resolve.Need, error) {
	file := s.file(name, v.String())
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	s.read[file] = true
	m, err := metadata.Parse(data)
	if err != nil {
		return nil, err
	}
	out := make([]resolve.Need, 0, len(m.Requires))
	for _, r := range m.Requires {
		out = append(out, resolve.Need{Name: r.Key(), Specifiers: r.Specifiers})
	}
	return out, nil
}

// shelving resolves the usual project with its metadata on disk; the limit reads
// the files that were read.
func shelving(w *world, roots []resolve.Need) (work, error) {
	b, err := newBed()
	if err != nil {
		return work{}, err
	}
	s := &shelved{world: w, dir: filepath.Join(b.dir, "metadata"), read: map[string]bool{}}
	if err := os.MkdirAll(s.dir, 0o755); err != nil {
		return work{}, err
	}
	for name, list := range w.versions {
		for _, c := range list {
			text := fmt.Sprintf("Metadata-Version: 2.1\nName: %s\nVersion: %s\nSummary: one of many\nLicense: MIT\n", name, c.Version)
			for _, n := range w.needs[name+" "+c.Version.String()] {
				text += "Requires-Dist: " + n.Name + n.Specifiers.String() + "\n"
			}
			text += "\n" + strings.Repeat("What a distribution says of itself is long: how to begin, and what else there is.\n", 100)
			if err := os.WriteFile(s.file(name, c.Version.String()), []byte(text), 0o644); err != nil {
				return work{}, err
			}
		}
	}
	return work{name: "resolve: 150 distributions, metadata on disk", promise: 4, words: "reading the same files", times: repeated,
		ours: often(func() error {
			_, err := resolve.Solve(context.Background(), s, resolve.Problem{Roots: roots})
			return err
		}),
		limit: often(func() error {
			for file := range s.read {
				if _, err := os.ReadFile(file); err != nil {
					return err
				}
			}
			return nil
		})}, nil
}
