// Package bytecode has interpreters compile modules into the store.
//
// A [Pool] keeps a few processes of one interpreter, which compile one source
// after the other. The bytecode of a source is the same wherever the source stands
// and is written once for each kind of interpreter. Compiling runs no code of a
// module; one that makes the interpreter fail, or takes too long, is left out.
package bytecode

import (
	"bufio"
	"context"
	_ "embed"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"glassjar/core/guard"
	"glassjar/core/interpreter"
	"glassjar/core/store"
)

// The scripts that interpreters run: workerScript, and then one of the others.
var (
	//go:embed worker.py
	workerScript string
	//go:embed compile.py
	compileScript string
	//go:embed compare.py
	compareScript string
)

// timeout is how long the interpreter may take for one module: of processor time, or in which it waits.
const timeout = time.Minute

// Kind names the interpreters that take the same bytecode, such as
// "cpython-312-cb0d0d0a"; empty for one whose bytecode is not kept.
func Kind(in interpreter.Interpreter) string {
	said := in.Said
	if said.Magic == "" || said.CacheTag == "" && (said.Implementation != "cpython" || in.Version().Release()[0] != "2") {
		return ""
	}
	tag := said.CacheTag
	if tag == "" {
		tag = "cpython-" + strings.ReplaceAll(in.Minor(), ".", "")
	}
	return tag + "-" + said.Magic
}

// Pool compiles for one interpreter.
type Pool struct {
	// Python is the interpreter's path, Kind what [Kind] says of it.
	Python, Kind string
	Store        *store.Store

	number atomic.Int64
	mu     sync.Mutex
	idle   []*worker
	open   bool
	dir    string
	done   func()
}

// worker is one process.
type worker struct {
	cmd     *exec.Cmd
	to      io.WriteCloser
	answers chan string // closed when the process ends
}

// Compile compiles sources, by hash, at the paths given; several goroutines may
// call it. told is called with each that is done. What a module itself is to
// blame for is no error.
func (p *Pool) Compile(ctx context.Context, sources map[string]string, told func()) error {
	if len(sources) == 0 {
		return nil
	}
	if err := p.begin(); err != nil {
		return err
	}
	group, ctx := guard.WithContext(ctx)
	group.SetLimit(max(1, runtime.NumCPU()))
	for sum, path := range sources {
		group.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			err := p.one(ctx, sum, path)
			if err == nil && told != nil {
				told()
			}
			return err
		})
	}
	return group.Wait()
}

// begin makes ready where bytecode is written first.
func (p *Pool) begin() (err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if !p.open {
		p.dir, p.done, err = p.Store.BeginBytecode()
		p.open = err == nil
	}
	return err
}

// Close ends the processes.
func (p *Pool) Close() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, w := range p.idle {
		w.end()
	}
	p.idle = nil
	if p.open {
		p.done()
		p.open = false
	}
}

func (p *Pool) one(ctx context.Context, sum, path string) error {
	w, err := p.take()
	if err != nil {
		return err
	}
	temp := filepath.Join(p.dir, fmt.Sprint(p.number.Add(1)))
	said, err := w.ask(ctx, fmt.Sprintf("%s\t%s\t%s\n", path, p.Store.BytecodePath(p.Kind, sum), temp))
	if err != nil {
		w.end()
		return err
	}
	switch said {
	case "": // the module made the interpreter fail
		w.end()
		return p.Store.Uncompilable(p.Kind, sum)
	case "none":
		err = p.Store.Uncompilable(p.Kind, sum)
	case "done", "lost 2": // the source may have been tidied away
	default:
		err = errors.New("bytecode cannot be written: the system says " + said)
	}
	p.give(w)
	return err
}

// take gives a process that has nothing to do.
func (p *Pool) take() (*worker, error) {
	p.mu.Lock()
	if n := len(p.idle); n > 0 {
		w := p.idle[n-1]
		p.idle = p.idle[:n-1]
		p.mu.Unlock()
		return w, nil
	}
	p.mu.Unlock()
	return start(p.Python, compileScript)
}

// start starts a process that answers each line with one, as a script does.
func start(python, script string) (*worker, error) {
	// A module's warnings are not ours to tell.
	cmd := interpreter.Isolated(context.Background(), python, workerScript+"\n\n"+script, "-B", "-W", "ignore")
	to, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	from, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	w := &worker{cmd: cmd, to: to, answers: make(chan string, 1)}
	go func() {
		defer close(w.answers)
		for lines := bufio.NewScanner(from); lines.Scan(); {
			w.answers <- lines.Text()
		}
	}()
	return w, nil
}

func (p *Pool) give(w *worker) {
	p.mu.Lock()
	p.idle = append(p.idle, w)
	p.mu.Unlock()
}

// end stops a process, whatever it does.
func (w *worker) end() {
	w.to.Close()
	_ = w.cmd.Process.Kill() // it may have ended
	for range w.answers {
	}
	_ = w.cmd.Wait() // how it ended does not matter
}
