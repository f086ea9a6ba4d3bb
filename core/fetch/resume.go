package fetch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"

	"glassjar/core/internal/retry"
)

// resuming reads a body and, where it breaks off, asks for the rest.
type resuming struct {
	client  *Client
	ctx     context.Context
	address string
	header  http.Header
	body    io.ReadCloser
	at      int64
	size    int64
	left    int
	ranges  bool
	etag    string
}

func (r *resuming) Read(p []byte) (int, error) {
	for {
		n, err := r.body.Read(p)
		r.at += int64(n)
		if n > 0 || err == nil {
			return n, nil
		}
		if err == io.EOF && (r.size < 0 || r.at >= r.size) {
			return 0, io.EOF
		}
		if err := r.again(err); err != nil {
			return 0, err
		}
	}
}

// again asks for what is missing: the rest, where the server gives parts, else the
// whole, of which what came already is passed over. Where the file has changed
// meanwhile there is nothing to go on with.
func (r *resuming) again(cause error) error {
	if r.ctx.Err() != nil {
		return r.ctx.Err()
	}
	lost := &NetworkError{Redact(r.address), fmt.Errorf("the connection broke after %d bytes: %w", r.at, plain(cause))}
	if r.left <= 0 {
		return lost
	}
	r.left--
	if err := retry.Wait(r.ctx, r.client.pause()<<min(4, r.client.retries()-r.left-1)); err != nil {
		return err
	}
	r.body.Close()
	header := r.header.Clone()
	strong := r.etag != "" && !strings.HasPrefix(r.etag, "W/")
	if r.ranges && r.at > 0 {
		header.Set("Range", fmt.Sprintf("bytes=%d-", r.at))
		if strong {
			header.Set("If-Range", r.etag)
		}
	}
	res, err := r.client.do(r.ctx, r.address, header)
	if err != nil {
		return err
	}
	r.body = res.Body
	switch {
	case res.StatusCode == http.StatusPartialContent:
		return nil
	case res.StatusCode != http.StatusOK || strong && res.Header.Get("ETag") != r.etag && r.at > 0:
		return lost
	}
	if _, err := io.CopyN(io.Discard, res.Body, r.at); err != nil {
		return r.again(err)
	}
	return nil
}

func (r *resuming) Close() error { return r.body.Close() }

// ErrNoRanges says that a server gives files as a whole only.
var ErrNoRanges = errors.New("the server gives no parts of files")

// WholeError is an [ErrNoRanges] with the whole file, which the server sent in
// place of a part. The body must be closed.
type WholeError struct{ Body io.ReadCloser }

func (e *WholeError) Error() string { return ErrNoRanges.Error() }
func (e *WholeError) Unwrap() error { return ErrNoRanges }

// RemoteFile reads parts of a file by range requests.
type RemoteFile struct {
	client  *Client
	ctx     context.Context
	address string
	size    int64
	// tail is the end of the file, which was read first; part is what was asked for last, from
	// partAt on, and more the least that is asked for next.
	tail, part []byte
	partAt     int64
	more       int64
}

// tailSize is how much of a file's end is read first: enough for most
// archives' directories and descriptions.
const tailSize = 64 << 10

// Remote opens a file for reading in parts. The error is a [*WholeError] or
// [ErrNoRanges] where the server does not do that.
func (c *Client) Remote(ctx context.Context, address string) (f *RemoteFile, err error) {
	err = c.repeat(ctx, func() error {
		f, err = c.remote(ctx, address)
		return err
	})
	return f, err
}

// repeat does something again that broke off.
func (c *Client) repeat(ctx context.Context, do func() error) error {
	return retry.Do(ctx, c.retries()+1, c.pause(), func(err error) bool { return errors.Is(err, errBroken) }, do)
}

func (c *Client) remote(ctx context.Context, address string) (*RemoteFile, error) {
	res, err := c.do(ctx, address, http.Header{"Range": {fmt.Sprintf("bytes=-%d", tailSize)}})
	if err != nil {
		return nil, err
	}
	if res.StatusCode == http.StatusOK {
		return nil, &WholeError{res.Body}
	}
	defer res.Body.Close()
	f := &RemoteFile{client: c, ctx: ctx, address: address, more: tailSize}
	switch res.StatusCode {
	case http.StatusPartialContent:
		var from, to int64
		if n, _ := fmt.Sscanf(res.Header.Get("Content-Range"), "bytes %d-%d/%d", &from, &to, &f.size); n != 3 || to-from+1 > tailSize {
			return nil, ErrNoRanges
		}
	case http.StatusRequestedRangeNotSatisfiable:
		return nil, ErrNoRanges
	default:
		return nil, &StatusError{Redact(address), res.StatusCode}
	}
	if f.tail, err = io.ReadAll(io.LimitReader(res.Body, tailSize)); err != nil {
		return nil, f.broke(err)
	}
	return f, nil
}

// broke is the error of a part that did not come whole.
func (f *RemoteFile) broke(err error) error {
	if f.ctx.Err() != nil {
		return f.ctx.Err()
	}
	return &NetworkError{Redact(f.address), broken{plain(err)}}
}

// Size is the whole file's, in bytes.
func (f *RemoteFile) Size() int64 { return f.size }

// ReadAt reads from what is here, else asks for more than is wanted: an archive is read in many
// small pieces that lie beside each other. One goroutine may read at a time.
func (f *RemoteFile) ReadAt(p []byte, off int64) (n int, err error) {
	for n < len(p) {
		at, start := off+int64(n), f.size-int64(len(f.tail))
		switch {
		case at >= f.size:
			return n, io.EOF
		case at >= start:
			n += copy(p[n:], f.tail[at-start:])
		case at >= f.partAt && at < f.partAt+int64(len(f.part)):
			n += copy(p[n:], f.part[at-f.partAt:])
		default:
			if err := f.client.repeat(f.ctx, func() error { return f.ask(at, min(max(int64(len(p)-n), f.more), start-at)) }); err != nil {
				return n, err
			}
			f.more *= 4
		}
	}
	return n, nil
}

// ask asks for a part.
func (f *RemoteFile) ask(at, length int64) error {
	res, err := f.client.do(f.ctx, f.address, http.Header{"Range": {fmt.Sprintf("bytes=%d-%d", at, at+length-1)}})
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusPartialContent {
		return ErrNoRanges
	}
	part := make([]byte, length)
	if _, err := io.ReadFull(res.Body, part); err != nil {
		return f.broke(err)
	}
	f.part, f.partAt = part, at
	return nil
}
