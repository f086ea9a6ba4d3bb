package jar

import (
	"bytes"
	"io"
	"os"
	"path/filepath"
	"runtime"
)

const onWindows = runtime.GOOS == "windows"

// makeFolder makes a folder and those above it. Their mode does not depend on
// the user's mask, so that the same jar comes of it everywhere.
func makeFolder(dir string) error {
	err := os.Mkdir(dir, 0o755)
	if parent := filepath.Dir(dir); os.IsNotExist(err) && parent != dir {
		if err := makeFolder(parent); err != nil {
			return err
		}
		err = os.Mkdir(dir, 0o755)
	}
	if info, err2 := os.Stat(dir); err != nil && err2 == nil && info.IsDir() {
		return nil // it was there
	}
	if err == nil && masked {
		err = os.Chmod(dir, 0o755)
	}
	return err
}

// writeFile writes a file beside its place and moves it there.
func writeFile(file string, data []byte, mode os.FileMode) error {
	temp, err := os.CreateTemp(filepath.Dir(file), ".glassjar-")
	if err != nil {
		return err
	}
	_, err = temp.Write(data)
	if err2 := temp.Close(); err == nil {
		err = err2
	}
	if err == nil {
		err = os.Chmod(temp.Name(), mode)
	}
	if err == nil {
		err = os.Rename(temp.Name(), file)
	}
	if err != nil {
		os.Remove(temp.Name())
	}
	return err
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o755)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	if err2 := out.Close(); err == nil {
		err = err2
	}
	if err == nil {
		err = os.Chmod(to, 0o755)
	}
	return err
}

func sameContent(a, b string) bool {
	if info, err := os.Lstat(b); err != nil || !info.Mode().IsRegular() {
		return false
	}
	x, err := os.ReadFile(a)
	if err != nil {
		return false
	}
	y, err := os.ReadFile(b)
	return err == nil && bytes.Equal(x, y)
}
