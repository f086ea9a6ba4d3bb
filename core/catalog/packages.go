package catalog

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"sync"
	"sync/atomic"

	"glassjar/core/digest"
	"glassjar/core/index"
	"glassjar/core/limits"
	"glassjar/core/plan"
	"glassjar/core/progress"
	"glassjar/core/registry"
	"glassjar/core/store"
)

// fetchOnce puts a file into the store, unless it is there or on this machine, and
// verifies it by each of its hashes that is known here. It gives the path and the
// SHA-256. t, if set, counts the bytes that were transferred.
func (c *Catalog) fetchOnce(ctx context.Context, f index.File, t *Transfer) (path, sum string, err error) {
	if path, ok := c.Store.Verified(ctx, f.SHA256()); ok {
		return path, f.SHA256(), nil
	}
	if f.Path != "" {
		// It is not copied: what counts is what comes out of it.
		sum, err := c.verifyHere(ctx, f)
		return f.Path, sum, err
	}
	r, err := c.open(ctx, f)
	if err != nil {
		return "", "", err
	}
	defer r.Close()
	check := digest.NewCheck(f.Hashes.ByName(), digest.SHA256)
	most := int64(limits.Package)
	if f.Size >= 0 {
		most = f.Size
	}
	in := check.Reader(io.LimitReader(r, most+1))
	if t != nil {
		counted := &counter{r: in, transfer: t, file: f}
		defer counted.end()
		in = counted
	}
	sum, path, err = c.Store.Add(ctx, f.Name, f.SHA256(), in)
	stored := err == nil
	switch {
	case check.Size > most: // it was cut off there, so that its hash says nothing
		err = longer(f, most)
	case stored:
		err = faultOf(f, check)
	}
	if stored && err != nil {
		c.Store.Drop(sum)
	}
	return path, sum, err
}

// verifyHere is the SHA-256 of a file on this machine, which must have all its hashes.
func (c *Catalog) verifyHere(ctx context.Context, f index.File) (string, error) {
	sum, err := c.Store.Sums.Sum(ctx, f.Path)
	if err == nil && f.SHA256() != "" && sum != f.SHA256() {
		err = &store.HashError{File: f.Name, Want: f.SHA256(), Have: sum}
	}
	check := digest.NewCheck(f.Hashes.ByName(), digest.SHA256)
	if err != nil || check.Empty() && !f.Exact {
		return sum, err
	}
	in, err := os.Open(f.Path)
	if err != nil {
		return sum, err
	}
	defer in.Close()
	if _, err = io.Copy(check, digest.WithContext(ctx, in)); err != nil {
		return sum, err
	}
	return sum, faultOf(f, check)
}

// faultOf compares what came with what was announced besides the SHA-256.
func faultOf(f index.File, check *digest.Check) error {
	if algorithm, want, have, ok := check.Wrong(); !ok {
		return &store.HashError{File: f.Name, Want: algorithm + ":" + want, Have: algorithm + ":" + have}
	}
	if f.Exact && f.Size >= 0 && check.Size != f.Size {
		return &index.DamagedError{File: f.Name, Why: fmt.Sprintf("it has %d bytes, and the record says %d", check.Size, f.Size)}
	}
	return nil
}

// longer is the error of a file with more bytes than it may have.
func longer(f index.File, most int64) error {
	says := "were announced"
	if f.Exact {
		says = "the record says"
	}
	return &index.DamagedError{File: f.Name, Why: fmt.Sprintf("it has more than the %d bytes that %s", most, says)}
}

func (c *Catalog) open(ctx context.Context, f index.File) (io.ReadCloser, error) {
	if strings.HasPrefix(f.URL, index.SampleScheme) {
		return index.Sample{}.Open(ctx, f)
	}
	if source := c.Indexes.Source(f.Index); source != nil {
		return source.Open(ctx, f)
	}
	if registry.IsRef(f.URL) && c.Registry != nil {
		return c.Registry().OpenFile(ctx, f.URL, f.Size)
	}
	res, err := c.Client.Get(ctx, f.Ask(), "")
	if err != nil {
		return nil, err
	}
	return res.Body, nil
}

// Fetch puts a file into the store, unless it is there or on this machine, and gives its
// path and SHA-256. t, if set, counts the bytes that are transferred.
//
// A file whose hash is wrong is fetched anew. The same wrong bytes
// twice are what the index has, unless its page was what was damaged; other
// wrong bytes each time are damaged on the way, and worth more tries.
func (c *Catalog) Fetch(ctx context.Context, f index.File, t *Transfer) (path, sum string, err error) {
	if f.SHA256() == "" || f.Path != "" {
		return c.fetch(ctx, f, t)
	}
	return c.fetchAlone(ctx, f, t)
}

func (c *Catalog) fetch(ctx context.Context, f index.File, t *Transfer) (path, sum string, err error) {
	last, refreshed := "", false
	for try := 0; ; try++ {
		path, sum, err := c.fetchOnce(ctx, f, t)
		var bad *store.HashError
		if !errors.As(err, &bad) || try == maxTries || f.Path != "" {
			return path, sum, err
		}
		if bad.Have == last {
			if refreshed || !c.refresh(ctx, &f) {
				return path, sum, err
			}
			refreshed = true
		}
		last = bad.Have
	}
}

// maxTries bounds how often a file is fetched anew.
const maxTries = 6

// refresh asks the index anew about a file whose hash did not fit: its page
// may be what was damaged. It reports false for what is not from a server;
// there nothing is damaged on a way.
func (c *Catalog) refresh(ctx context.Context, f *index.File) bool {
	server, ok := c.Indexes.Source(f.Index).(*index.Server)
	if !ok {
		return false
	}
	files, err := server.Refresh(ctx, f.Distribution)
	for _, have := range files {
		if err == nil && have.Name == f.Name {
			f.URL, f.Hashes = have.URL, have.Hashes
			return true
		}
	}
	return false
}

// Transfer counts the bytes that are fetched for one command, and tells of them.
type Transfer struct {
	Report progress.Sink
	came   atomic.Int64
	total  int64
	hidden atomic.Bool // nothing is told
}

// Came is how many bytes were transferred so far.
func (t *Transfer) Came() int64 { return t.came.Load() }

func (t *Transfer) report(f index.File, done int64, ended bool) {
	if t.hidden.Load() {
		return
	}
	t.Report.Tell(progress.Event{Stage: "fetching", Done: t.came.Load(), Total: t.total, Bytes: true, File: f.Name, FileDone: done, FileTotal: max(f.Size, 0), Ended: ended})
}

// counter counts what is read of one file.
type counter struct {
	r        io.Reader
	transfer *Transfer
	file     index.File
	done     int64
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.r.Read(p)
	c.done += int64(n)
	c.transfer.came.Add(int64(n))
	c.transfer.report(c.file, c.done, false)
	return n, err
}

func (c *counter) end() { c.transfer.report(c.file, c.done, true) }

// TransferOf counts what is to come of some files.
func (c *Catalog) TransferOf(files []index.File) *Transfer {
	t := &Transfer{Report: c.Report}
	for _, f := range files {
		t.expect(c, f)
	}
	return t
}

// expect counts a file that is to come, if it is.
func (t *Transfer) expect(c *Catalog, f index.File) {
	if !c.Here(f) && f.Path == "" {
		t.total += max(f.Size, 0)
	}
}

// Here reports whether a package file, or what it unpacks to, is in the store.
func (c *Catalog) Here(f index.File) bool {
	_, ok := c.Store.Package(f.SHA256())
	return ok || c.Store.HasTree(f.SHA256())
}

// FetchAll fetches files, several at a time, and tells how
// far it has come. It gives the path of each, by the file's address.
func (c *Catalog) FetchAll(ctx context.Context, files []index.File) (map[string]string, error) {
	t := &Transfer{Report: c.Report}
	for _, f := range files {
		t.total += max(f.Size, 0)
	}
	var mu sync.Mutex
	out := map[string]string{}
	return out, Schedule(ctx, files, func(f index.File) int64 { return f.Size }, func(ctx context.Context, f index.File) error {
		path, _, err := c.Fetch(ctx, f, t)
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		mu.Lock()
		defer mu.Unlock()
		out[f.URL] = path
		return nil
	})
}

// HashAll fetches the files of choices of which the index gives no hash, and notes that: the
// record and the comparison need it.
func (c *Catalog) HashAll(ctx context.Context, choices []plan.Choice) error {
	for i := range choices {
		f := &choices[i].File
		if choices[i].Provided || f.SHA256() != "" {
			continue
		}
		path, sum, err := c.Fetch(ctx, *f, nil)
		if err != nil {
			return err
		}
		f.Hashes = f.Hashes.With(sum)
		if info, err := os.Stat(path); err == nil {
			f.Size = info.Size()
		}
	}
	return nil
}
