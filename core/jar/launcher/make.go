//go:build ignore

// Builds cmd/launcher for Windows into the folder that is given, packed, with the version of Go
// that built it beside: "go generate ./core/jar".
package main

import (
	"bytes"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"

	"github.com/ulikunitz/xz"
)

func main() {
	to := os.Args[1]
	for _, arch := range []string{"amd64", "arm64"} {
		for _, kind := range []struct{ name, tags, flags string }{{"console", "", ""}, {"windowed", "windowed", " -H windowsgui"}} {
			if err := build(filepath.Join(to, kind.name+"-"+arch+".exe.xz"), arch, kind.tags, kind.flags); err != nil {
				fmt.Fprintln(os.Stderr, err)
				os.Exit(1)
			}
		}
	}
	if err := os.WriteFile(filepath.Join(to, "go-version"), []byte(runtime.Version()+"\n"), 0o644); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func build(file, arch, tags, flags string) error {
	temp := file + ".exe"
	defer os.Remove(temp)
	cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-tags", tags, "-ldflags", "-s -w -buildid="+flags, "-o", temp, "glassjar/cmd/launcher")
	cmd.Env = append(os.Environ(), "GOOS=windows", "GOARCH="+arch, "CGO_ENABLED=0", "GOFLAGS=", "GOAMD64=v1", "GOEXPERIMENT=")
	cmd.Stdout, cmd.Stderr = os.Stderr, os.Stderr
	if err := cmd.Run(); err != nil {
		return err
	}
	data, err := os.ReadFile(temp)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	z, err := xz.NewWriter(&b)
	if err != nil {
		return err
	}
	if _, err := z.Write(data); err != nil {
		return err
	}
	if err := z.Close(); err != nil {
		return err
	}
	return os.WriteFile(file, b.Bytes(), 0o644)
}
