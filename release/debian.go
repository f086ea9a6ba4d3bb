package main

import (
	"crypto/md5"
	"fmt"
	"strings"
)

// debian is a Debian package of the program (deb(5)).
func (r *release) debian(arch string, program []byte) ([]byte, error) {
	files := []file{{"./usr/bin/glassjar", 0o755, program}}
	places := []struct{ beside, in string }{
		{"man/", "./usr/share/man/man1/"},
		{"completions/glassjar.bash", "./usr/share/bash-completion/completions/glassjar"},
		{"completions/_glassjar", "./usr/share/zsh/vendor-completions/_glassjar"},
		{"completions/glassjar.fish", "./usr/share/fish/vendor_completions.d/glassjar.fish"},
		{"LICENSE", "./usr/share/doc/glassjar/copyright"},
		{"CHANGELOG.md", "./usr/share/doc/glassjar/CHANGELOG.md"},
	}
	size := len(program)
	for _, f := range r.beside {
		for _, p := range places {
			if rest, ok := strings.CutPrefix(f.path, p.beside); ok {
				size += len(f.data)
				files = append(files, file{p.in + rest, f.mode, f.data})
			}
		}
	}
	var sums strings.Builder
	for _, f := range files {
		fmt.Fprintf(&sums, "%x  %s\n", md5.Sum(f.data), strings.TrimPrefix(f.path, "./")) // as the format has it
	}
	control := fmt.Sprintf(`Package: glassjar
Version: %s
Architecture: %s
Maintainer: Glass Jar maintainers <maintainers@glassjar.example>
Installed-Size: %d
Recommends: python3
Section: devel
Priority: optional
Description: isolated Python environments that are written down
 One isolated Python environment, a jar, for each project. What is in it is
 written down in a specification and a lock file, so that anyone can make the
 same jar again.
`, r.version, arch, (size+1023)/1024)
	info, err := tarred(r.at, "", []file{{"./control", 0o644, []byte(control)}, {"./md5sums", 0o644, []byte(sums.String())}})
	if err != nil {
		return nil, err
	}
	data, err := tarred(r.at, "", files)
	if err != nil {
		return nil, err
	}
	return archived(r.at, []file{{"debian-binary", 0o644, []byte("2.0\n")}, {"control.tar.gz", 0o644, info}, {"data.tar.gz", 0o644, data}}), nil
}
