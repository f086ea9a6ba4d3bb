package index

import (
	"bytes"
	"net/url"
	"slices"

	"glassjar/core/guard"
	"glassjar/core/limits"
)

// largePage is from how many bytes on a page of JSON is read in pieces.
const largePage = 1 << 20

const space = " \t\r\n"

// piece is a part of a page that is read by itself.
type piece struct {
	*pageReader
	text []byte
	room int // for so many files its reader has a place
	rest []byte
	err  error
}

// parseInPieces reads a large page by several processors at once. Where it can be cut, between two
// files of the list, is guessed; a guess is right where the reader of the piece before it comes to its
// end after a file of that very list. done is false where one was wrong, or anything else is not as it
// should be: then the page is to be read from its beginning.
func parseInPieces(data []byte, base *url.URL, number int) (files []File, standing Standing, done bool) {
	pieces, files := cut(data, base, number)
	if len(pieces) < 2 {
		return nil, Standing{}, false
	}
	top := topReader{pageReader: pieces[0].pageReader}
	top.cut = true
	group := guard.New()
	group.Go(func() error {
		pieces[0].err = top.object(top.member)
		return nil
	})
	for i := range pieces[1:] {
		p := &pieces[i+1]
		group.Go(func() error {
			p.rest, p.err = p.following(p.text)
			return nil
		})
	}
	if group.Wait() != nil || pieces[0].err != errPiece {
		return nil, Standing{}, false
	}
	last := len(pieces) - 1
	for i, p := range pieces[1:] {
		if p.err != nil || i+1 < last && len(p.rest) > 0 {
			return nil, Standing{}, false
		}
	}
	files, whole := join(pieces, files)
	if !whole || !top.end(pieces[last].rest) {
		return nil, Standing{}, false
	}
	return files, top.says.standing(), true
}

// cut guesses where a page can be cut into so many pieces, and makes their readers, which put their
// files one after another where files are to be.
func cut(data []byte, base *url.URL, number int) (pieces []piece, files []File) {
	ends := []int{}
	for i := 1; i < number; i++ {
		from := len(data) * i / number
		if len(ends) > 0 {
			from = max(from, ends[len(ends)-1]+1)
		}
		if at := cutAfter(data, from); at > 0 {
			ends = append(ends, at)
		}
	}
	files = make([]File, entriesOf(data))
	from, free := 0, files
	for _, to := range append(ends, len(data)) {
		p := piece{text: bytes.TrimRight(data[from:to], space)}
		p.room = min(entriesOf(p.text), len(free))
		p.pageReader = newPageReader(p.text, base, free[:0:p.room])
		free = free[p.room:]
		pieces, from = append(pieces, p), to+1
	}
	return pieces, files[:0]
}

// cutAfter is where the next comma is that stands between the end of an object and the beginning of
// another, 0 where none is near.
func cutAfter(data []byte, from int) int {
	near := data[from:min(len(data), from+largePage/4)]
	for at := 0; ; at++ {
		next := bytes.IndexByte(near[at:], ',')
		if next < 0 {
			return 0
		}
		at += next
		if bytes.HasSuffix(bytes.TrimRight(near[:at], space), []byte("}")) && bytes.HasPrefix(bytes.TrimLeft(near[at+1:], space), []byte("{")) {
			return from + at
		}
	}
}

// following reads files with commas between them, as far as that goes; rest is what comes after.
func (r *pageReader) following(text []byte) (rest []byte, err error) {
	for {
		r.d.Reset(bytes.NewBuffer(text), lenient...)
		if err := r.file(); err != nil {
			return nil, err
		}
		text = bytes.TrimLeft(text[r.d.InputOffset():], space)
		if len(text) == 0 || text[0] != ',' {
			return text, nil
		}
		text = text[1:]
	}
}

// join puts the files of the pieces together; whole is false where one had no room for its own, or
// they are too many.
func join(pieces []piece, files []File) (joined []File, whole bool) {
	entries := 0
	for _, p := range pieces {
		entries += p.entries
		if len(p.files) > p.room || entries > limits.Files {
			return nil, false
		}
	}
	for _, p := range pieces {
		files = append(files, p.files...) // each is where it was, or before that
	}
	return files, true
}

// end reads what comes after the files, to the end of the page.
func (r *topReader) end(rest []byte) bool {
	rest, list := bytes.CutPrefix(rest, []byte("]"))
	rest = bytes.TrimLeft(rest, space)
	if !list || len(rest) == 0 || len(rest) > largePage {
		return false
	}
	if rest[0] == ',' {
		rest = slices.Concat([]byte("{"), rest[1:])
		r.pageReader = newPageReader(rest, r.base, nil)
		if r.object(r.member) != nil || r.files != nil {
			return false // of two lists nobody knows which counts
		}
	} else if rest[0] != '}' {
		return false
	}
	return r.says.Meta.fault() == nil
}
