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
		if err := build(filepath.Join(to, "launcher-"+arch+".exe.xz"), arch); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
	}
	if err := os.WriteFile(filepath.Join(to, "go-version"), []byte(runtime.Version()+"\n"), 0o644); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func build(file, arch string) error {
	temp := file + ".exe"
	defer os.Remove(temp)
	cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=false", "-ldflags", "-s -w -buildid=", "-o", temp, "glassjar/cmd/launcher")
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
