package digest

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"sync"
	"time"
)

// OfFile is a file's SHA-256 in lower-case hex. It ends with the context.
func OfFile(ctx context.Context, path string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	if _, err := io.Copy(h, WithContext(ctx, f)); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

// WithContext is a reader that ends with a context.
func WithContext(ctx context.Context, r io.Reader) io.Reader { return contextReader{ctx, r} }

type contextReader struct {
	ctx context.Context
	r   io.Reader
}

func (c contextReader) Read(p []byte) (int, error) {
	if err := c.ctx.Err(); err != nil {
		return 0, err
	}
	return c.r.Read(p)
}

// Files remembers the hashes of files. The zero value has none; several goroutines may
// use it.
type Files struct {
	read sync.Map // path -> hashed
}

// hashed is the hash of a file as it was when it had this size and time.
type hashed struct {
	size int64
	time time.Time
	sum  string
}

// Sum is [OfFile], which reads a file once as long as it has the same size and time.
// What is not a regular file is an error.
func (f *Files) Sum(ctx context.Context, path string) (string, error) {
	info, err := os.Stat(path)
	if err != nil {
		return "", err
	}
	if !info.Mode().IsRegular() {
		return "", &os.PathError{Op: "read", Path: path, Err: errors.New("it is not a file")}
	}
	if k, ok := f.read.Load(path); ok && k.(hashed).size == info.Size() && k.(hashed).time.Equal(info.ModTime()) {
		return k.(hashed).sum, nil
	}
	sum, err := OfFile(ctx, path)
	if err == nil {
		f.read.Store(path, hashed{info.Size(), info.ModTime(), sum})
	}
	return sum, err
}
