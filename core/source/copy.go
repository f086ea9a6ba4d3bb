package source

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"glassjar/core/digest"
	"glassjar/core/guard"
	"glassjar/core/limits"
	"glassjar/core/tomltext"
)

// earliest is the first moment that a zip archive can hold.
var earliest = time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)

// passed are folders that are no part of a source: what tools keep in it, and what earlier
// builds left. Repositories stay: versions come from their tags.
func passed(name string) bool {
	switch name {
	case ".jar", "__pycache__", ".mypy_cache", ".pytest_cache", ".ruff_cache", ".hypothesis", "node_modules":
		return true
	}
	return false
}

// isJar reports whether a folder is an environment (PEP 405).
func isJar(dir string) bool {
	_, err := os.Lstat(filepath.Join(dir, "pyvenv.cfg"))
	return err == nil
}

// copySource copies a source folder, with its links as they are.
func copySource(ctx context.Context, from, to string) error {
	group, ctx := guard.WithContext(ctx)
	group.SetLimit(max(2, runtime.NumCPU()))
	err := walkSource(ctx, from, to, func(file, target string) { group.Go(func() error { return copyFile(file, target) }) })
	if failed := group.Wait(); failed != nil {
		return failed
	}
	return err
}

// walkSource makes the folders and links of a copy, and has its files copied.
func walkSource(ctx context.Context, from, to string, copy func(file, target string)) error {
	return filepath.WalkDir(from, func(file string, e fs.DirEntry, err error) error {
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(from, file)
		if err != nil {
			return err
		}
		target := filepath.Join(to, rel)
		switch {
		case e.IsDir() && rel != "." && (passed(e.Name()) || isJar(file)):
			return filepath.SkipDir
		case e.IsDir():
			return os.MkdirAll(target, 0o755)
		case e.Type()&fs.ModeSymlink != 0:
			link, err := os.Readlink(file)
			if err != nil {
				return err
			}
			return os.Symlink(link, target)
		case !e.Type().IsRegular():
			return nil // a socket, a pipe: nothing to build from
		}
		copy(file, target)
		return nil
	})
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil {
		return err
	}
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, info.Mode().Perm()|0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	if err2 := out.Close(); err == nil {
		err = err2
	}
	if err != nil {
		return err
	}
	return os.Chtimes(to, info.ModTime(), info.ModTime())
}

// newest is the time of the newest file of a source, which a build takes for now. What is
// built in place takes the first day of archives: its files change all the time.
func newest(dir string, inPlace bool) time.Time {
	at := earliest
	if inPlace {
		return at
	}
	_ = filepath.WalkDir(dir, func(_ string, e fs.DirEntry, err error) error {
		if err != nil {
			return nil
		}
		if e.IsDir() && e.Name() == ".git" {
			return filepath.SkipDir
		}
		if info, err := e.Info(); err == nil && info.Mode().IsRegular() && info.ModTime().After(at) {
			at = info.ModTime()
		}
		return nil
	})
	return at
}

// compiled are endings of files that a compiler makes something of.
var compiled = []string{".c", ".cc", ".cpp", ".cxx", ".h", ".hpp", ".pyx", ".pxd", ".pxi", ".rs", ".f", ".f90", ".pyf", ".m", ".mm", ".cu", ".go", ".build", "CMakeLists.txt"}

// describing are the files of a project that decide what its metadata and its wheel are.
var describing = []string{"pyproject.toml", "setup.py", "setup.cfg"}

// Of says what of a folder is built, and how.
type Of struct {
	Subdirectory string
	Editable     bool
	// Own tells that it is the project whose spec is followed: what that asks for is no
	// part of what is built.
	Own bool
}

// FolderSum is a hash of what of a folder decides what is built of it, in hex: all its
// files, or, for one that is installed editable, those that describe it and those that are
// compiled.
func FolderSum(ctx context.Context, dir string, of Of) (string, error) {
	h := sha256.New()
	editable, project := of.Editable, filepath.Join(dir, filepath.FromSlash(of.Subdirectory))
	fmt.Fprintf(h, "glassjar folder 1 %q %t\n", of.Subdirectory, editable)
	err := filepath.WalkDir(dir, func(file string, e fs.DirEntry, err error) error {
		if err == nil {
			err = ctx.Err()
		}
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(dir, file)
		switch {
		case err != nil:
			return err
		case e.IsDir() && rel != "." && (passed(e.Name()) || e.Name() == ".git" || e.Name() == "build" || strings.HasSuffix(e.Name(), ".egg-info") || isJar(file)):
			return filepath.SkipDir
		case e.Type()&fs.ModeSymlink != 0 && !editable:
			link, err := os.Readlink(file)
			fmt.Fprintf(h, "link %q %q\n", filepath.ToSlash(rel), link)
			return err
		case !e.Type().IsRegular():
			return nil
		}
		if editable && !(filepath.Dir(file) == project && slices.Contains(describing, e.Name())) && !slices.ContainsFunc(compiled, func(end string) bool { return strings.HasSuffix(e.Name(), end) }) {
			return nil
		}
		sum, err := digest.OfFile(ctx, file)
		if of.Own && e.Name() == "pyproject.toml" && filepath.Dir(file) == project {
			sum, err = ownSum(file)
		}
		fmt.Fprintf(h, "file %q %s\n", filepath.ToSlash(rel), sum)
		return err
	})
	return hex.EncodeToString(h.Sum(nil)), err
}

// ownSum is a hash of a project's own pyproject.toml without what it asks for.
func ownSum(file string) (string, error) {
	data, err := limits.ReadFile(file, limits.Spec)
	if err != nil {
		return "", err
	}
	tables := map[string]any{}
	if err := limits.TOML(file, data); err != nil {
		return "", err
	}
	if err := toml.Unmarshal(tomltext.Plain(data), &tables); err != nil {
		return "", err
	}
	delete(tables, "dependency-groups")
	if p, ok := tables["project"].(map[string]any); ok {
		delete(p, "dependencies")
		delete(p, "optional-dependencies")
	}
	if t, ok := tables["tool"].(map[string]any); ok {
		if delete(t, "glassjar"); len(t) == 0 {
			delete(tables, "tool")
		}
	}
	text, err := toml.Marshal(tables)
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), err
}

// removeAll removes a build's folder, in which a build may have taken its own rights.
func removeAll(dir string) {
	if os.RemoveAll(dir) == nil {
		return
	}
	_ = filepath.WalkDir(dir, func(file string, e fs.DirEntry, err error) error {
		if err == nil && e.IsDir() {
			_ = os.Chmod(file, 0o700)
		}
		return nil
	})
	_ = os.RemoveAll(dir) // what is left is removed with the cache
}
