package main

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"time"

	"glassjar/core/version"
	"glassjar/core/wheel"
)

const (
	roundTrip = 50 * time.Millisecond
	deep      = 6
	wide      = 11 // distributions at each depth below the first, which has four
)

// far is an index each of whose answers takes a round trip: 60 distributions, six deep, of
// which 15 have a wheel for each of four platforms and seven Pythons.
type far struct{ answers map[string][]byte }

func newFar() (*far, error) {
	f := &far{map[string][]byte{}}
	levels := [deep][]int{{0, 1, 2, 3}}
	n := 4
	for l := 1; l < deep; l++ {
		for range wide {
			levels[l] = append(levels[l], n)
			n++
		}
	}
	levels[deep-1] = append(levels[deep-1], n)
	for l, level := range levels {
		for k, one := range level {
			var needs []string
			if l+1 < deep {
				for i := k; i < len(levels[l+1]); i += len(level) {
					needs = append(needs, fmt.Sprintf("far%d", levels[l+1][i]))
				}
			}
			if err := f.add(one, needs); err != nil {
				return nil, err
			}
		}
	}
	return f, nil
}

func (f *far) add(n int, needs []string) error {
	name := fmt.Sprintf("far%d", n)
	about := fmt.Appendf(nil, "Metadata-Version: 2.1\nName: %s\nVersion: 1.0\n", name)
	for _, other := range needs {
		about = fmt.Appendf(about, "Requires-Dist: %s\n", other)
	}
	marks := []string{"py3-none-any"}
	if n%4 == 0 {
		marks = nil
		for minor := 8; minor < 15; minor++ {
			for _, platform := range []string{"manylinux_2_17_x86_64", "manylinux_2_17_aarch64", "macosx_11_0_arm64", "win_amd64"} {
				marks = append(marks, fmt.Sprintf("cp3%d-cp3%d-%s", minor, minor, platform))
			}
		}
	}
	said := sha256.Sum256(about)
	list := []map[string]any{}
	for _, tag := range marks {
		var b bytes.Buffer
		if err := wheel.Write(&b, wheel.Spec{Name: name, Version: version.MustParse("1.0"), Tag: tag, Metadata: about, Files: []wheel.File{{Path: name + ".py", Data: []byte("X = 1\n")}}}); err != nil {
			return err
		}
		file, sum := fmt.Sprintf("%s-1.0-%s.whl", name, tag), sha256.Sum256(b.Bytes())
		f.answers["/files/"+file], f.answers["/files/"+file+".metadata"] = b.Bytes(), about
		list = append(list, map[string]any{"filename": file, "url": "/files/" + file, "size": b.Len(),
			"hashes": map[string]string{"sha256": hex.EncodeToString(sum[:])}, "core-metadata": map[string]string{"sha256": hex.EncodeToString(said[:])}})
	}
	var err error
	f.answers["/simple/"+name+"/"], err = json.Marshal(map[string]any{"meta": map[string]string{"api-version": "1.0"}, "name": name, "files": list})
	return err
}

func (f *far) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	time.Sleep(roundTrip)
	data, ok := f.answers[r.URL.Path]
	if !ok {
		http.NotFound(w, r)
		return
	}
	if strings.HasPrefix(r.URL.Path, "/simple/") {
		w.Header().Set("Content-Type", "application/vnd.pypi.simple.v1+json")
	}
	_, _ = w.Write(data) // who asks may be gone
}

// rounds measures a first install from an index that is far away; the limit is as many
// questions, one after another, as it cannot do without: a page and its metadata for each
// depth, and the files.
func (b *bed) rounds() (work, error) {
	f, err := newFar()
	if err != nil {
		return work{}, err
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return work{}, err
	}
	address := "http://" + listener.Addr().String()
	go func() { _ = http.Serve(listener, f) }() // until the bench ends
	return work{
		name: "first install of 60 distributions, each answer takes 50 ms", promise: 1.3, words: fmt.Sprintf("%d questions one after another", 2*deep+3),
		ours: b.firstOf([]string{"far0", "far1", "far2", "far3"}, "off", address+"/simple/", nil),
		limit: func() error {
			for range 2*deep + 3 {
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
