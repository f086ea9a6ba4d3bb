package main

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"time"

	"glassjar/internal/farindex"
)

const roundTrip = 50 * time.Millisecond

// distance is how a far index gives what it has.
type distance struct {
	plain   bool // no hashes of metadata
	private bool // a third of the names is in another index, before it
}

// rounds measures a first install from an index that is far away; the limit is as many
// questions, one after another, as it cannot do without: a page and its metadata for each
// depth, and the files; and one more where there are two indexes.
func (b *bed) rounds(is distance) (work, error) {
	far := farindex.New()
	far.RoundTrip, far.Plain = roundTrip, is.plain
	if err := far.Grow(); err != nil {
		return work{}, err
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return work{}, err
	}
	address := "http://" + listener.Addr().String()
	go func() { _ = http.Serve(listener, far) }() // until the bench ends
	name := fmt.Sprintf("first install of %d distributions, each answer takes 50 ms", farindex.Distributions)
	least := 2*farindex.Depth + 3
	indexes := []string{address + "/simple/"}
	if is.plain {
		name = "the same, the index gives no hashes of metadata"
	}
	if is.private {
		name = "the same, a third is in a private index before the public one"
		private := map[string]bool{}
		for n := 0; n < farindex.Distributions; n += 3 {
			private[fmt.Sprint("far", n)] = true
		}
		far.Private = func(name string) bool { return private[name] }
		indexes = []string{address + "/private/", address + "/simple/"}
		least++
	}
	return work{
		name: name, promise: 1.3, words: fmt.Sprintf("%d questions one after another", least),
		ours: b.firstOf([]string{"far0", "far1", "far2", "far3"}, "off", indexes, nil),
		limit: func() error {
			for range least {
				res, err := http.Get(address + "/simple/far1/")
				if err != nil {
					return err
				}
				_, err = io.Copy(io.Discard, res.Body)
				res.Body.Close()
				if err != nil {
					return err
				}
			}
			return nil
		},
	}, nil
}
