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

// rounds measures a first install from an index that is far away; the limit is as many
// questions, one after another, as it cannot do without: a page and its metadata for each
// depth, and the files.
func (b *bed) rounds(plain bool) (work, error) {
	far := farindex.New()
	far.RoundTrip, far.Plain = roundTrip, plain
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
	if plain {
		name = "the same, the index gives no hashes of metadata"
	}
	const least = 2*farindex.Depth + 3
	return work{
		name: name, promise: 1.3, words: fmt.Sprintf("%d questions one after another", least),
		ours: b.firstOf([]string{"far0", "far1", "far2", "far3"}, "off", address+"/simple/", nil),
		limit: func() error {
			for range least {
				res, err := http.Get(address + "/simple/far0/")
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
