package fetch

import (
	"bufio"
	"context"
	"hash"
	"io"

	"glassjar/core/atomicfile"
	"glassjar/core/internal/checked"
	"glassjar/core/limits"
)

// Stream has an answer read as it comes, from the cache if that is allowed, where what the cache has
// is known already. Where the connection breaks, read is called again, from the beginning. What it
// leaves is read and kept as well. The error is that of the network, a [*limits.Error] for more than
// limit bytes, or what read gave in the end.
func (c *Client) Stream(ctx context.Context, address, accept string, limit int64, have Kept, read func(*Response) error) error {
	if k := c.good(have); k != nil {
		return read(k.response())
	}
	return c.repeat(ctx, func() error {
		res, err := c.ask(ctx, address, accept, have.kept)
		if err != nil {
			return err
		}
		if res == nil {
			c.keep(address, accept, have.kept)
			return read(have.kept.response())
		}
		defer res.Body.Close()
		out := &Response{URL: res.Request.URL, ContentType: res.Header.Get("Content-Type"), Size: res.ContentLength}
		s := &stream{
			from:   &limits.Reader{R: res.Body, What: Redact(address), Limit: limit},
			sum:    checked.Running(),
			answer: out, to: c.beginKeeping(address, accept, newKept(res, nil)),
		}
		out.Body = io.NopCloser(s)
		err = read(out)
		_, _ = io.Copy(io.Discard, s)
		s.to.end(out.Sum)
		switch {
		case ctx.Err() != nil:
			return ctx.Err()
		case s.err != io.EOF:
			return s.fault(address)
		}
		return err
	})
}

// stream is a body that is kept while it is read.
type stream struct {
	from   io.Reader
	sum    hash.Hash32
	size   int64
	answer *Response
	to     *keeping
	err    error // with which it ended
}

func (s *stream) Read(p []byte) (int, error) {
	if s.err != nil {
		return 0, s.err
	}
	n, err := s.from.Read(p)
	s.size += int64(n)
	s.sum.Write(p[:n])
	s.to.write(p[:n])
	if s.err = err; err == io.EOF {
		s.answer.Size, s.answer.Sum = s.size, checked.Text(s.sum.Sum32())
	}
	return n, err
}

// fault is why the body did not come whole.
func (s *stream) fault(address string) error {
	if limit, ok := s.err.(*limits.Error); ok {
		return limit
	}
	return &NetworkError{Redact(address), broken{plain(s.err)}}
}

// keeping is an answer that goes into the cache while it comes. Where that fails it is asked for again,
// so there is no error; the zero one keeps nothing.
type keeping struct {
	file   *atomicfile.Cached
	buffer *bufio.Writer
	kept   *kept
}

// bufferSize is how many bytes are read and written at once.
const bufferSize = 32 << 10

// beginKeeping begins to keep an answer, nil for one that may not be kept.
func (c *Client) beginKeeping(address, accept string, k *kept) *keeping {
	if c.Cache == "" || k == nil {
		return &keeping{}
	}
	file, err := atomicfile.BeginCache(c.keptFile(address, accept))
	if err != nil {
		return &keeping{}
	}
	out := &keeping{file, bufio.NewWriterSize(file, bufferSize), k}
	out.write(k.head(checked.Sum(nil)))
	return out
}

func (k *keeping) write(p []byte) {
	if k.file == nil {
		return
	}
	if _, err := k.buffer.Write(p); err != nil {
		k.drop()
	}
}

// end puts what came into its place, with its checksum; one that did not come whole has none.
func (k *keeping) end(sum string) {
	if k.file == nil {
		return
	}
	defer k.drop()
	if sum == "" || k.buffer.Flush() != nil {
		return
	}
	if _, err := k.file.WriteAt(k.kept.head(sum), 0); err == nil { // as long as that before
		_ = k.file.Commit()
	}
}

func (k *keeping) drop() {
	k.file.Drop()
	k.file = nil
}
