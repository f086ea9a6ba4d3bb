// Package jartest makes jars and wheels for tests: of an interpreter that is there and is never
// started.
package jartest

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"glassjar/core/interpreter"
	"glassjar/core/jar"
	"glassjar/core/lock"
	"glassjar/core/version"
	"glassjar/core/wheel"
)

// Python is a CPython 3.12.1 of Linux on x86_64, as far as what it says of itself goes.
func Python(t *testing.T) interpreter.Interpreter {
	path := filepath.Join(t.TempDir(), "python3.12")
	require.NoError(t, os.WriteFile(path, []byte("#!/bin/sh\n"), 0o755))
	return interpreter.Interpreter{Path: path, Said: interpreter.Answer{Version: "3.12.1", Implementation: "cpython", PythonImplementation: "CPython",
		SOABI: "cpython-312-x86_64-linux-gnu", Bits: 64, Machine: "x86_64", OSName: "posix", SysPlatform: "linux", LibraryFolder: "lib"}}
}

// Create makes an empty jar.
func Create(t *testing.T, root string) *jar.Jar {
	j, err := jar.Create(context.Background(), root, Python(t), jar.Options{Prompt: "orchard"})
	require.NoError(t, err)
	return j
}

// Wheel makes a wheel in memory; entry is its entry_points.txt, files are "path=content" lines.
func Wheel(t *testing.T, name, v, entry string, files ...string) *wheel.Wheel {
	spec := wheel.Spec{Name: name, Version: version.MustParse(v), Tag: "py3-none-any",
		Metadata: []byte("Metadata-Version: 2.1\nName: " + name + "\nVersion: " + v + "\n"), EntryPoints: []byte(entry)}
	for _, f := range files {
		path, data, _ := strings.Cut(f, "=")
		spec.Files = append(spec.Files, wheel.File{Path: path, Data: []byte(data)})
	}
	var b bytes.Buffer
	require.NoError(t, wheel.Write(&b, spec))
	w, err := wheel.Open(bytes.NewReader(b.Bytes()), int64(b.Len()), spec.FileName(), wheel.DefaultLimits)
	require.NoError(t, err)
	return w
}

// Apply carries out a change of a jar, as a command does that holds it.
func Apply(t *testing.T, root string, c jar.Change) {
	j, release, err := jar.Hold(context.Background(), root, jar.Outside{}, lock.Mode{})
	require.NoError(t, err)
	defer release()
	require.NoError(t, j.Apply(context.Background(), c))
}
