package digest

import (
	"context"
	"encoding/hex"
	"errors"
	"hash"
	"io"
	"os"
	"sync"
	"time"

	"glassjar/core/internal/manysums"
)

// Abreast is how many files are worth being hashed at a time, by as many goroutines: they are
// hashed side by side, which takes a fraction of the time where the processor has no instructions
// for SHA-256.
const Abreast = 32

// chunk is how much of a file is read at a time.
const chunk = 128 << 10

var chunks = sync.Pool{New: func() any { return new([chunk]byte) }}

// OfFile is a file's SHA-256 in lower-case hex. It ends with the context.
func OfFile(ctx context.Context, path string) (string, error) {
	f, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer f.Close()
	memory := chunks.Get().(*[chunk]byte)
	defer chunks.Put(memory)
	n, err := io.ReadFull(WithContext(ctx, f), memory[:])
	switch err {
	case nil:
	case io.EOF, io.ErrUnexpectedEOF: // it is a small one
		sum := manysums.One(memory[:n])
		return hex.EncodeToString(sum[:]), nil
	default:
		return "", err
	}
	h := manysums.New()
	for ; err == nil; n, err = io.ReadFull(WithContext(ctx, f), memory[:]) {
		h.Write(memory[:n])
	}
	if err != io.EOF && err != io.ErrUnexpectedEOF {
		return "", err
	}
	h.Write(memory[:n])
	return hex.EncodeToString(h.Sum(nil)), nil
}

// Copy copies what a reader has, in pieces that are worth being hashed with others. It ends with
// the context.
func Copy(ctx context.Context, to io.Writer, r io.Reader) (int64, error) {
	memory := chunks.Get().(*[chunk]byte)
	defer chunks.Put(memory)
	return io.CopyBuffer(struct{ io.Writer }{to}, WithContext(ctx, r), memory[:])
}

// New is a hash by SHA-256 for what is large. Several goroutines that write to theirs at a time have
// them hashed side by side.
func New() hash.Hash { return manysums.New() }

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
