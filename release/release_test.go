package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	_ "glassjar/internal/long"
)

// inSource stands where the release is made from.
func inSource(t *testing.T) *release {
	t.Chdir("..")
	r := &release{version: "9.1", at: time.Unix(1_700_000_000, 0).UTC(), dir: t.TempDir()}
	var err error
	r.beside, err = beside(r.version, r.at)
	require.NoError(t, err)
	return r
}

// What goes with the program is there, and the same each time.
func TestBeside(t *testing.T) {
	r := inSource(t)
	again, err := beside(r.version, r.at)
	require.NoError(t, err)
	assert.Equal(t, r.beside, again)
	texts := map[string]string{}
	for _, f := range r.beside {
		data := f.data
		if strings.HasSuffix(f.path, ".gz") {
			z, err := gzip.NewReader(bytes.NewReader(data))
			require.NoError(t, err)
			data, err = io.ReadAll(z)
			require.NoError(t, err)
		}
		texts[f.path] = string(data)
	}
	for path, has := range map[string]string{"LICENSE": "MIT", "CHANGELOG.md": "0.1.0", "man/glassjar.1.gz": "glassjar 9.1", "man/glassjar-install.1.gz": "--group", "man/glassjar-index-add.1.gz": "Nov 2023",
		"completions/glassjar.bash": "__complete", "completions/_glassjar": "#compdef glassjar", "completions/glassjar.fish": "complete -c glassjar", "completions/glassjar.ps1": "Register-ArgumentCompleter"} {
		assert.Contains(t, texts[path], has, path)
	}
}

func TestArchives(t *testing.T) {
	at := time.Unix(1_700_000_000, 0).UTC()
	files := []file{{"a/b/x", 0o755, []byte("x")}, {"a/y", 0o644, nil}}
	packed, err := tarred(at, "top/", files)
	require.NoError(t, err)
	again, err := tarred(at, "top/", files)
	require.NoError(t, err)
	assert.Equal(t, packed, again)
	z, err := gzip.NewReader(bytes.NewReader(packed))
	require.NoError(t, err)
	var names []string
	for r := tar.NewReader(z); ; {
		h, err := r.Next()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		assert.True(t, h.ModTime.Equal(at) && h.Uid == 0, h.Name)
		names = append(names, h.Name)
	}
	assert.Equal(t, []string{"top/", "top/a/", "top/a/b/", "top/a/b/x", "top/a/y"}, names)
	data, err := zipped(at, "top", files)
	require.NoError(t, err)
	read, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	assert.Equal(t, "top/a/b/x", read.File[0].Name)
}

// Debian's own tool reads the package.
func TestDebian(t *testing.T) {
	tool, err := exec.LookPath("dpkg-deb")
	if err != nil {
		t.Skip("there is no dpkg-deb")
	}
	r := inSource(t)
	data, err := r.debian("amd64", []byte("#!/bin/sh\n"))
	require.NoError(t, err)
	deb, root := filepath.Join(r.dir, "x.deb"), filepath.Join(r.dir, "root")
	require.NoError(t, os.WriteFile(deb, data, 0o644))
	said, err := exec.Command(tool, "-f", deb).CombinedOutput()
	require.NoError(t, err, string(said))
	assert.Contains(t, string(said), "Version: 9.1\nArchitecture: amd64")
	said, err = exec.Command(tool, "-x", deb, root).CombinedOutput()
	require.NoError(t, err, string(said))
	for _, file := range []string{"usr/bin/glassjar", "usr/share/man/man1/glassjar-install.1.gz", "usr/share/bash-completion/completions/glassjar", "usr/share/zsh/vendor-completions/_glassjar",
		"usr/share/fish/vendor_completions.d/glassjar.fish", "usr/share/doc/glassjar/copyright"} {
		assert.FileExists(t, filepath.Join(root, file))
	}
	info, err := os.Stat(filepath.Join(root, "usr/bin/glassjar"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o755), info.Mode().Perm())
}

// The bill names the modules that a program was built of.
func TestBill(t *testing.T) {
	r := inSource(t)
	own, err := os.Executable()
	require.NoError(t, err)
	require.NoError(t, r.bill(own))
	data, err := os.ReadFile(filepath.Join(r.dir, "glassjar-9.1.cdx.json"))
	require.NoError(t, err)
	var bom struct {
		BOMFormat  string `json:"bomFormat"`
		Components []struct {
			PURL string `json:"purl"`
		} `json:"components"`
	}
	require.NoError(t, json.Unmarshal(data, &bom))
	assert.Equal(t, "CycloneDX", bom.BOMFormat)
	var purls []string
	for _, c := range bom.Components {
		purls = append(purls, c.PURL)
	}
	assert.Contains(t, strings.Join(purls, " "), "pkg:golang/github.com/spf13/cobra@v")
	require.Len(t, r.sums, 1)
	assert.Contains(t, r.sums[0], "  glassjar-9.1.cdx.json\n")
}

func TestBuiltAt(t *testing.T) {
	t.Setenv("SOURCE_DATE_EPOCH", "1700000000")
	assert.Equal(t, 2023, builtAt().Year())
	t.Setenv("SOURCE_DATE_EPOCH", "soon")
	assert.Equal(t, 1980, builtAt().Year())
}
