//go:build ignore

// Builds launcher.c for Windows into the folder that is given, and writes beside it what built it:
// "go generate ./core/jar". It takes clang, lld and llvm, which build for every system anywhere.
package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

const source = "launcher/launcher.c"

// A target is a processor, as Go, clang, dlltool and the linker name it.
var targets = []struct{ arch, triple, library, machine string }{
	{"amd64", "x86_64-pc-windows-msvc", "i386:x86-64", "x64"},
	{"arm64", "aarch64-pc-windows-msvc", "arm64", "arm64"},
}

func main() {
	if err := build(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func build(to string) error {
	temp, err := os.MkdirTemp("", "")
	if err != nil {
		return err
	}
	defer os.RemoveAll(temp)
	object, library, exports := filepath.Join(temp, "o"), filepath.Join(temp, "lib"), filepath.Join(temp, "def")
	if err := writeExports(exports); err != nil {
		return err
	}
	for _, t := range targets {
		for _, command := range [][]string{
			{"clang", "--target=" + t.triple, "-std=c11", "-Os", "-ffreestanding", "-fno-stack-protector", "-fno-ident",
				"-Wall", "-Wextra", "-Werror", "-Wno-unused-parameter", "-c", source, "-o", object},
			{"llvm-dlltool", "-m", t.library, "-d", exports, "-l", library},
			{"lld-link", "/nologo", "/out:" + filepath.Join(to, "launcher-"+t.arch+".exe"), "/entry:start", "/subsystem:console",
				"/nodefaultlib", "/timestamp:0", "/machine:" + t.machine, object, library},
		} {
			if _, err := output(command...); err != nil {
				return err
			}
		}
	}
	version, err := output("clang", "--version")
	if err != nil {
		return err
	}
	first, _, _ := strings.Cut(version, "\n")
	return os.WriteFile(filepath.Join(to, "built-by"), []byte(first+"\n"), 0o644)
}

// writeExports names what the source takes of kernel32, from its own declarations.
func writeExports(file string) error {
	data, err := os.ReadFile(source)
	if err != nil {
		return err
	}
	var names []string
	for _, m := range regexp.MustCompile(`(?m)^SYSTEM [a-z]+ \*?(\w+)\(`).FindAllStringSubmatch(string(data), -1) {
		names = append(names, m[1])
	}
	slices.Sort(names)
	return os.WriteFile(file, []byte("LIBRARY kernel32.dll\nEXPORTS\n"+strings.Join(names, "\n")+"\n"), 0o644)
}

func output(command ...string) (string, error) {
	cmd := exec.Command(command[0], command[1:]...)
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return "", fmt.Errorf("%s: %w", strings.Join(command, " "), err)
	}
	return string(out), nil
}
