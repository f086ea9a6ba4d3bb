package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"fmt"
	"path"
	"time"
)

// file is one file of an archive.
type file struct {
	path string
	mode int64
	data []byte
}

// tarred is a packed archive of files, their folders first, below a folder.
func tarred(at time.Time, below string, files []file) ([]byte, error) {
	var b bytes.Buffer
	packed, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	t := tar.NewWriter(packed)
	made := map[string]bool{}
	for _, f := range files {
		if err := addFolders(t, at, path.Dir(below+f.path), made); err != nil {
			return nil, err
		}
		if err := t.WriteHeader(&tar.Header{Name: below + f.path, Mode: f.mode, Size: int64(len(f.data)), ModTime: at, Uname: "root", Gname: "root", Format: tar.FormatUSTAR}); err != nil {
			return nil, err
		}
		if _, err := t.Write(f.data); err != nil {
			return nil, err
		}
	}
	if err := t.Close(); err != nil {
		return nil, err
	}
	err = packed.Close()
	return b.Bytes(), err
}

func addFolders(t *tar.Writer, at time.Time, dir string, made map[string]bool) error {
	if made[dir] || dir == "." {
		return nil
	}
	if err := addFolders(t, at, path.Dir(dir), made); err != nil {
		return err
	}
	made[dir] = true
	return t.WriteHeader(&tar.Header{Typeflag: tar.TypeDir, Name: dir + "/", Mode: 0o755, ModTime: at, Uname: "root", Gname: "root", Format: tar.FormatUSTAR})
}

// zipped is the same as a zip.
func zipped(at time.Time, below string, files []file) ([]byte, error) {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for _, f := range files {
		w, err := z.CreateHeader(&zip.FileHeader{Name: below + "/" + f.path, Method: zip.Deflate, Modified: at})
		if err != nil {
			return nil, err
		}
		if _, err := w.Write(f.data); err != nil {
			return nil, err
		}
	}
	err := z.Close()
	return b.Bytes(), err
}

// archived is an archive of the old kind that Debian packages are, with its members one
// after another.
func archived(at time.Time, members []file) []byte {
	var b bytes.Buffer
	b.WriteString("!<arch>\n")
	for _, m := range members {
		fmt.Fprintf(&b, "%-16s%-12d%-6d%-6d%-8o%-10d`\n", m.path, at.Unix(), 0, 0, 0o100000|m.mode, len(m.data))
		b.Write(m.data)
		if len(m.data)%2 == 1 {
			b.WriteByte('\n')
		}
	}
	return b.Bytes()
}
