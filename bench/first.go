package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"
)

// firsts measures first installs: store, caches and jar are empty.
func firsts() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	var list []work
	for _, s := range []set{large, web, toy} {
		if err := s.write(b.wheels(s)); err != nil {
			return nil, err
		}
		bound := 0.0
		if s == large {
			bound = 0.7
		}
		list = append(list, work{
			name: "first install from a folder, " + s.name + " set", promise: bound, words: "unzip, and sha256sum of what comes out and of the wheels, one for each processor",
			ours:  b.first(s, "off", b.wheels(s), nil),
			limit: b.unzip(s, hashes(b.wheels(s)+"/*.whl")),
		})
	}
	list = append(list, work{
		name: "the same, large set", words: "unzip alone",
		ours:  b.first(large, "off", b.wheels(large), nil),
		limit: b.unzip(large, "true"),
	})
	wire, err := b.wire(large)
	if err != nil {
		return nil, err
	}
	again, err := b.recreated(large)
	if err != nil {
		return nil, err
	}
	list = append(list, wire, again)
	for _, far := range []distance{{}, {plain: true}, {private: true}} {
		rounds, err := b.rounds(far)
		if err != nil {
			return nil, err
		}
		list = append(list, rounds)
	}
	return list, nil
}

// first installs a set into a new jar with an empty store.
func (b *bed) first(s set, bytecode, index string, after func(in string) error) func() error {
	return b.firstOf([]string{s.dist(0)}, bytecode, []string{index}, after)
}

// firstOf installs what is asked for into a new jar with an empty store.
func (b *bed) firstOf(asked []string, bytecode string, indexes []string, after func(in string) error) func() error {
	return func() error {
		own, in := b.somebody("first")
		setup := [][]string{{"settings", "bytecode", bytecode}}
		for n, index := range indexes {
			setup = append(setup, []string{"index", "add", fmt.Sprint("wheels", n), index, "--project"})
		}
		for _, args := range append(setup, []string{"create"}) {
			if err := own.run(in, args...); err != nil {
				return err
			}
		}
		return b.timed(func() error {
			err := b.with(own, in, append([]string{"install", "-q"}, asked...)...)
			if err == nil && after != nil {
				err = after(in)
			}
			return err
		})
	}
}

// hashes is a line of shell that hashes some files, and all in the current folder.
func hashes(files string) string {
	return "(ls " + files + "; find . -type f) | xargs -n 500 -P $(nproc) sha256sum >sums"
}

// unzip unpacks the wheels of a set, and does something more with what comes out.
func (b *bed) unzip(s set, more string) func() error {
	return func() error {
		return b.command(filepath.Base(b.fresh("unzipped")), "sh", "-c", "ls "+b.wheels(s)+"/*.whl | xargs -n 4 -P $(nproc) sh -c 'for w; do unzip -qo $w; done' unzip && "+more)
	}
}

// rate is that of the wire, in bytes a second.
const rate = 20 << 20

// onWire serves a set no faster than a rate, to all connections together; each answer is late by a
// time before it begins. It serves until the bench ends.
func (b *bed) onWire(s set, late time.Duration) (address string, err error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	slow := &slowly{next: time.Now()}
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		time.Sleep(late)
		b.serve(w, r, s, slow)
	})}
	go func() { _ = server.Serve(listener) }()
	return "http://" + listener.Addr().String(), nil
}

// wire measures a first install from a server on a wire; the limit is one transfer of the same bytes.
func (b *bed) wire(s set) (work, error) {
	address, err := b.onWire(s, 0)
	return work{
		name: "first install over loopback at 20 MB/s, large set", promise: 1.1, words: "one transfer of the same bytes",
		ours:  b.first(s, "off", address+"/simple/", nil),
		limit: transfer(address + "/all"),
	}, err
}

// recreated measures a recreate from a record with nothing in the store, from a server on a wire that
// is late besides; the limit is three questions one after another, the last of which is for all files.
func (b *bed) recreated(s set) (work, error) {
	address, err := b.onWire(s, roundTrip)
	if err != nil {
		return work{}, err
	}
	recorded := filepath.Base(b.fresh("recorded"))
	for _, args := range [][]string{{"index", "add", "wheels", address + "/simple/", "--project"}, {"create"}, {"install", "-q", s.dist(0)}} {
		if err := b.run(recorded, args...); err != nil {
			return work{}, err
		}
	}
	return work{
		name: "recreate over loopback at 20 MB/s, each answer takes 50 ms", promise: 1, words: "three questions, the last for all files",
		ours: func() error {
			own, in := b.somebody("recreated")
			if err := own.run(in, "settings", "bytecode", "off"); err != nil {
				return err
			}
			for _, file := range []string{"pyproject.toml", "pylock.toml"} {
				if err := b.command(in, "cp", filepath.Join(b.dir, recorded, file), file); err != nil {
					return err
				}
			}
			return b.timed(func() error { return b.with(own, in, "recreate", "-q") })
		},
		limit: func() error {
			for _, at := range []string{"/simple/none/", "/simple/none/", "/all"} {
				if err := transfer(address + at)(); err != nil {
					return err
				}
			}
			return nil
		},
	}, nil
}

// transfer gets what a server has at an address, and does nothing with it.
func transfer(address string) func() error {
	return func() error {
		res, err := http.Get(address)
		if err != nil {
			return err
		}
		defer res.Body.Close()
		_, err = io.Copy(io.Discard, res.Body)
		return err
	}
}

// serve answers as a simple index (PEP 691) of the folder of wheels does.
func (b *bed) serve(w http.ResponseWriter, r *http.Request, s set, slow *slowly) {
	files, _ := filepath.Glob(filepath.Join(b.wheels(s), "*.whl"))
	switch dir, name := filepath.Split(strings.TrimSuffix(r.URL.Path, "/")); {
	case r.URL.Path == "/all":
		for _, f := range files {
			send(w, f, slow)
		}
	case dir == "/files/":
		if strings.HasSuffix(name, ".metadata") {
			_, _ = w.Write(s.metadata(strings.TrimSuffix(name, ".metadata")))
			return
		}
		file := filepath.Join(b.wheels(s), name)
		if info, err := os.Stat(file); err == nil {
			w.Header().Set("Content-Length", strconv.FormatInt(info.Size(), 10))
		}
		send(w, file, slow)
	default:
		list := []map[string]any{}
		for _, f := range files {
			base := filepath.Base(f)
			if info, err := os.Stat(f); err == nil && strings.HasPrefix(base, strings.ReplaceAll(name, "-", "_")+"-") {
				list = append(list, map[string]any{"filename": base, "url": "/files/" + base, "hashes": map[string]string{"sha256": b.sum(f)}, "size": info.Size(), "core-metadata": true})
			}
		}
		w.Header().Set("Content-Type", "application/vnd.pypi.simple.v1+json")
		_ = json.NewEncoder(w).Encode(map[string]any{"meta": map[string]string{"api-version": "1.1"}, "name": name, "files": list}) // who asks is gone
	}
}

// slowly is the time at which the wire is free again.
type slowly struct {
	mu   sync.Mutex
	next time.Time
}

func (s *slowly) wait(ctx context.Context, bytes int) {
	s.mu.Lock()
	now := time.Now()
	// A sleeper wakes late: what it missed is not lost.
	if now.Sub(s.next) > 20*time.Millisecond {
		s.next = now
	}
	s.next = s.next.Add(time.Duration(float64(bytes) / rate * float64(time.Second)))
	until := s.next
	s.mu.Unlock()
	select {
	case <-time.After(time.Until(until)):
	case <-ctx.Done():
	}
}

func send(w http.ResponseWriter, file string, slow *slowly) {
	f, err := os.Open(file)
	if err != nil {
		return
	}
	defer f.Close()
	slow.send(w, f)
}

// send sends what a reader has no faster than the wire can.
func (s *slowly) send(w io.Writer, r io.Reader) {
	buffer := make([]byte, 64<<10)
	for {
		n, err := r.Read(buffer)
		if n > 0 {
			s.wait(context.Background(), n)
			if _, err := w.Write(buffer[:n]); err != nil {
				return
			}
		}
		if err != nil {
			return
		}
	}
}
