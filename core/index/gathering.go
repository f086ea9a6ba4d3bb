package index

import (
	"cmp"
	"io"
	"net/url"
	"runtime"

	"glassjar/core/guard"
	"glassjar/core/metadata"
)

// gathering is the files of a page, which are looked at in batches, side by side, while others
// come. They stay in order.
type gathering struct {
	base *url.URL // of the page
	// look, if set, looks at files, and leaves out what is no package.
	look func(names *metadata.Names, files []File) (kept []File, doubtful bool, err error)

	names metadata.Names
	count int // of what the page has listed so far
	now   *batch
	made  int
	idle  chan *batch // those that were looked at, for others
	group *guard.Group
	parts []*part

	doubtful bool // a file is named in two ways that differ
}

// batch is some entries of a page in JSON, one after another with where each ends, or files.
type batch struct {
	reader *entryReader
	names  *metadata.Names
	text   []byte
	ends   []int
	files  []File
}

// part is what came of a batch.
type part struct {
	files    []File
	doubtful bool
	err      error
}

// A batch is full with so many bytes, or files.
const (
	batchSize  = 64 << 10
	batchFiles = 256
)

// counted is a [*limits.Error] where a page lists more than is read.
func (g *gathering) counted() error {
	g.count++
	return tooMany(g.count, g.base)
}

// entry takes an entry of a page in JSON.
func (g *gathering) entry(raw []byte) {
	b := g.room()
	b.text = append(b.text, raw...)
	if b.ends = append(b.ends, len(b.text)); len(b.text) >= batchSize {
		g.begin()
	}
}

// file takes a file.
func (g *gathering) file(f File) {
	b := g.room()
	if b.files = append(b.files, f); len(b.files) == batchFiles {
		g.begin()
	}
}

// room is the batch that is being filled. There are no more than can be looked at meanwhile.
func (g *gathering) room() *batch {
	if g.now != nil {
		return g.now
	}
	most := runtime.GOMAXPROCS(0) + 1
	if g.idle == nil {
		g.idle, g.group = make(chan *batch, most), guard.New()
	}
	if g.made < most && len(g.idle) == 0 {
		g.made++
		g.now = &batch{reader: newEntryReader(g.base), names: g.names.Beside()}
	} else {
		g.now = <-g.idle
	}
	return g.now
}

// begin has the batch looked at.
func (g *gathering) begin() {
	b, p := g.now, &part{}
	g.now, g.parts = nil, append(g.parts, p)
	g.group.Go(func() error {
		defer func() { g.idle <- b }()
		g.fill(p, b)
		return nil
	})
}

func (g *gathering) fill(p *part, b *batch) {
	p.files, p.err = b.take()
	if p.err == nil && g.look != nil {
		p.files, p.doubtful, p.err = g.look(b.names, p.files)
	}
}

// read reads a page, and gives the files of all batches. Of several errors that is told which ended it,
// and else the first on the page, whichever was found first.
func (g *gathering) read(body io.Reader, parse form) (Standing, [][]File, error) {
	standing, err := parse(body, g)
	files, bad := g.end()
	return standing, files, cmp.Or(err, bad)
}

func (g *gathering) end() (files [][]File, err error) {
	if g.now != nil {
		p := &part{}
		g.parts = append(g.parts, p)
		g.fill(p, g.now)
	}
	if g.group != nil {
		err = g.group.Wait()
	}
	for _, p := range g.parts {
		files = append(files, p.files)
		g.doubtful = g.doubtful || p.doubtful
		err = cmp.Or(err, p.err)
	}
	return files, err
}

// take gives the files of a batch, and empties it.
func (b *batch) take() ([]File, error) {
	files := b.files
	if files == nil {
		files = make([]File, len(b.ends))
	}
	from, count := 0, len(b.files)
	for _, end := range b.ends {
		ok, err := b.reader.file(&files[count], b.text[from:end])
		if err != nil {
			return nil, errPage
		}
		if from = end; ok {
			count++
		} else {
			files[count] = File{}
		}
	}
	files = files[:count]
	b.files, b.text, b.ends = nil, b.text[:0], b.ends[:0]
	return files, nil
}
