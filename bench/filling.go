package main

import (
	"context"
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

// filling measures making, cloning and filling jars with a set of packages; the
// limits are programs of the system that do the same to a tree of files.
//
// Nothing is removed between runs: the file system looks at each name that was
// freed within the last minute before it makes a folder, which would tell more of
// the removing than of the work.
func filling() ([]work, error) {
	b, err := newBed()
	if err != nil {
		return nil, err
	}
	for _, s := range []set{large, web, toy} {
		if err := s.write(b.wheels(s)); err != nil {
			return nil, err
		}
	}
	if err := b.ready("filling", large, "on"); err != nil {
		return nil, err
	}
	if err := b.ready("plain", large, "off"); err != nil {
		return nil, err
	}
	list := []work{{
		name: "recreate, warm store, large set", promise: 1.0, words: "cp -al of the finished tree",
		ours:  b.recreate("filling"),
		limit: b.copyOf("filling", "-al"),
	}, {
		name: "recreate, the same without bytecode", promise: 1.0, words: "cp -al of that tree",
		ours:  b.recreate("plain"),
		limit: b.copyOf("plain", "-al"),
	}, {
		name: "clone, large set", promise: 1.0, words: "cp -al",
		ours:  func() error { return b.run("filling", "clone", ".jar", b.fresh("clone"), "-q") },
		limit: b.copyOf("filling", "-al"),
	}, {
		name: "install, nothing to do, large set", promise: 5, words: "a Go program that does nothing; and under 30 ms",
		ours:  often(func() error { return b.run("plain", "install", "-q", large.dist(0)) }),
		limit: often(func() error { return b.command("plain", b.nothing) }),
		times: repeated,
	}, {
		name: "recreate, nothing to do, large set", words: "find, which looks at every file too",
		ours:  func() error { return b.run("plain", "recreate", "-q") },
		limit: func() error { return b.command("plain", "find", ".jar", "-size", "-1") },
	}}
	for _, s := range []set{large, web, toy} {
		bound := 0.0
		if s == large {
			bound = 1.3
		}
		list = append(list, work{
			name: "first install from a folder, " + s.name + " set", promise: bound, words: "unzip, one for each processor",
			ours:  b.first(s, "off", b.wheels(s), nil),
			limit: b.unzip(s),
		})
	}
	wire, err := b.wire(large)
	if err != nil {
		return nil, err
	}
	return append(list, wire), nil
}

func (b *bed) wheels(s set) string { return filepath.Join(b.dir, "wheels-"+s.name) }

// fresh is a path that was not there before.
func (b *bed) fresh(name string) string {
	b.count++
	return filepath.Join(b.dir, fmt.Sprintf("%s-%d", name, b.count))
}

// ready makes a project with a set in its jar; bytecode is on or off.
func (b *bed) ready(in string, s set, bytecode string) error {
	for _, args := range [][]string{{"settings", "bytecode", "off"}, {"index", "add", "wheels", b.wheels(s), "--project"}, {"create"}, {"install", "-q", s.dist(0)}} {
		if err := b.run(in, args...); err != nil {
			return err
		}
	}
	if bytecode == "off" {
		return nil
	}
	return b.run(in, "store", "compile", "--quiet")
}

// recreate makes the jar of a project anew, the old one having been moved away.
func (b *bed) recreate(in string) func() error {
	bytecode := map[string]string{"filling": "background", "plain": "off"}[in]
	return func() error {
		if err := b.run(in, "settings", "bytecode", bytecode); err != nil {
			return err
		}
		if err := os.Rename(filepath.Join(b.dir, in, ".jar"), b.fresh("old")); err != nil {
			return err
		}
		return b.timed(func() error { return b.run(in, "recreate", "-q", "--yes") })
	}
}

func (b *bed) copyOf(in, how string) func() error {
	return func() error { return b.command(in, "cp", how, ".jar", b.fresh("copied")) }
}

// first installs a set into a new jar with an empty store.
func (b *bed) first(s set, bytecode, index string, after func(in string) error) func() error {
	return func() error {
		in := filepath.Base(b.fresh("first"))
		own := &bed{dir: b.dir, program: b.program, home: filepath.Join(b.dir, in, "home")}
		for _, args := range [][]string{{"settings", "bytecode", bytecode}, {"index", "add", "wheels", index, "--project"}, {"create"}} {
			if err := own.run(in, args...); err != nil {
				return err
			}
		}
		return b.timed(func() error {
			err := own.run(in, "install", "-q", s.dist(0))
			b.memory = max(b.memory, own.memory)
			if err == nil && after != nil {
				err = after(in)
			}
			return err
		})
	}
}

func (b *bed) unzip(s set) func() error {
	return func() error {
		return b.command(filepath.Base(b.fresh("unzipped")), "sh", "-c", "ls "+b.wheels(s)+"/*.whl | xargs -n 4 -P $(nproc) sh -c 'for w; do unzip -qo $w; done' unzip")
	}
}

// rate is that of the wire, in bytes a second.
const rate = 20 << 20

// wire measures a first install from a server that sends no faster than a rate,
// to all connections together; the limit is one transfer of the same bytes.
func (b *bed) wire(s set) (work, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return work{}, err
	}
	address := "http://" + listener.Addr().String()
	slow := &slowly{next: time.Now()}
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { b.serve(w, r, s, slow) })}
	go func() { _ = server.Serve(listener) }() // until the bench ends
	return work{
		name: "first install over loopback at 20 MB/s, large set", promise: 1.15, words: "one transfer of the same bytes",
		ours: b.first(s, "off", address+"/simple/", nil),
		limit: func() error {
			res, err := http.Get(address + "/all")
			if err != nil {
				return err
			}
			defer res.Body.Close()
			_, err = io.Copy(io.Discard, res.Body)
			return err
		},
	}, nil
}

// serve answers as a simple index (PEP 503) of the folder of wheels does.
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
		w.Header().Set("Content-Type", "text/html")
		for _, f := range files {
			base := filepath.Base(f)
			if strings.HasPrefix(base, strings.ReplaceAll(name, "-", "_")+"-") {
				sum := b.sum(f)
				fmt.Fprintf(w, "<a href=\"/files/%s#sha256=%s\" data-core-metadata=\"true\">%s</a>\n", base, sum, base)
			}
		}
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
	if s.next.Before(now) {
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
	buffer := make([]byte, 64<<10)
	for {
		n, err := f.Read(buffer)
		if n > 0 {
			slow.wait(context.Background(), n)
			if _, err := w.Write(buffer[:n]); err != nil {
				return
			}
		}
		if err != nil {
			return
		}
	}
}
