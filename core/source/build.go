package source

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"glassjar/core/metadata"
	"glassjar/core/requirement"
)

//go:embed hooks.py
var hooksProgram []byte

// session is one build: a folder with a copy of the source, and an environment.
type session struct {
	*Builder
	source    Source
	statement Statement
	// outer is a folder of which the build sees only dir, its own; project is the source's in
	// it or where it stands.
	outer, dir, project string
	// own is dir, in which a build may have put links: nothing is read or written through one
	// that leads out of it.
	own *os.Root
	// epoch is what the build takes for now, in seconds; a hook that writes does not move it.
	epoch   int64
	env     Environment
	log     *log
	means   means
	closers []func()
}

// begin brings the source to where it is built, and makes the environment of its back end.
func (b *Builder) begin(ctx context.Context, s Source) (one *session, err error) {
	one = &session{Builder: b, source: s, means: bestMeans()}
	if s.Options.Open {
		one.means = byNothing
	}
	defer func() {
		if err != nil {
			one.close()
		}
	}()
	if one.statement, err = Read(s); err != nil {
		return one, err
	}
	dir, done, err := b.folder("build")
	if err != nil {
		return one, err
	}
	one.closers = append(one.closers, done)
	if one.outer, err = filepath.EvalSymlinks(dir); err != nil {
		return one, err
	}
	one.dir = filepath.Join(one.outer, "own")
	if err := os.Mkdir(one.dir, 0o755); err != nil {
		return one, err
	}
	if one.own, err = os.OpenRoot(one.dir); err != nil {
		return one, err
	}
	one.closers = append(one.closers, func() { one.own.Close() })
	if err := one.own.Mkdir("source", 0o755); err != nil {
		return one, err
	}
	if err := one.bring(ctx); err != nil {
		return one, err
	}
	one.epoch = max(newest(one.project, s.Editable).Unix(), earliest.Unix())
	one.log, err = newLog(filepath.Join(one.outer, "log"), func(line string) {
		if b.Line != nil {
			b.Line(s.Name, line)
		}
	})
	if err != nil {
		return one, err
	}
	one.closers = append(one.closers, one.log.close)
	return one, one.furnish(ctx, nil)
}

// folder makes a folder for a build, and gives what removes it.
func (b *Builder) folder(name string) (dir string, done func(), err error) {
	if err := os.MkdirAll(b.Work, 0o700); err != nil {
		return "", nil, err
	}
	if b.Temporary == nil {
		dir, err = os.MkdirTemp(b.Work, name+"-")
		return dir, func() { removeAll(dir) }, err
	}
	dir, gone := b.Temporary(filepath.Join(b.Work, name))
	done = func() {
		removeAll(dir)
		gone()
	}
	if err := os.Mkdir(dir, 0o700); err != nil {
		done()
		return "", nil, err
	}
	return dir, done, nil
}

// bring unpacks or copies the source; what is built in place stays where it is.
func (o *session) bring(ctx context.Context) error {
	top := filepath.Join(o.dir, "source")
	var err error
	switch {
	case o.source.Archive != "":
		top, err = Unpack(ctx, o.source.Archive, top)
	case o.source.Editable:
		top, err = filepath.EvalSymlinks(o.source.Folder)
	default:
		top = filepath.Join(top, filepath.Base(o.source.Folder))
		err = copySource(ctx, o.source.Folder, top)
	}
	if err != nil {
		return err
	}
	o.project = filepath.Join(top, filepath.FromSlash(o.source.Subdirectory))
	if info, err := os.Stat(o.project); err != nil || !info.IsDir() {
		return &ArchiveError{File: o.source.called(), Member: o.source.Subdirectory, Why: "there is no such folder in it"}
	}
	return nil
}

// furnish makes the environment anew, with more requirements of a hook than are stated.
func (o *session) furnish(ctx context.Context, more []string) error {
	wants := slices.Concat(o.statement.BackEnd.Requires, o.source.Options.Also, more)
	env, err := o.Environment(ctx, wants)
	if err != nil {
		return &BuildError{Name: o.source.Name, Version: o.version(), Step: "requirements", Cause: Other, Room: o.means.level(), Err: fmt.Errorf("what it is built with cannot be had: %w", err)}
	}
	if o.env.Close != nil {
		o.env.Close()
	}
	o.env = env
	return nil
}

func (o *session) close() {
	if o.env.Close != nil {
		o.env.Close()
	}
	for _, c := range slices.Backward(o.closers) {
		c()
	}
}

func (o *session) version() string {
	if !o.source.Version.IsZero() {
		return o.source.Version.String()
	}
	return o.statement.Version
}

// answer is what hooks.py writes.
type answer struct {
	Result json.RawMessage `json:"result"`
	Failed string          `json:"failed"`
	What   string          `json:"what"`
	Module string          `json:"module"`
	// Killed tells that there is none, since the system ended the program.
	Killed bool `json:"-"`
}

// errNoHook says that a back end lacks a hook.
var errNoHook = errors.New("the back end lacks it")

// call is a hook to be called with arguments.
type call struct {
	hook      string
	arguments []any
}

// ask calls a hook of the back end, in the room; its result goes into out. What the back end
// needs for that besides is asked first, and added to the environment.
func (o *session) ask(ctx context.Context, hook string, out any, arguments ...any) error {
	more := "get_requires_for_build_" + o.kind()
	answers, err := o.calls(ctx, call{more, []any{o.settings()}}, call{hook, arguments})
	if err != nil {
		return err
	}
	var wants []string
	switch err := o.take(more, answers[0], &wants); {
	case errors.Is(err, errNoHook):
	case err != nil:
		return err
	}
	if len(wants) == 0 {
		return o.take(hook, answers[1], out)
	}
	for _, text := range wants {
		if _, err := requirement.Parse(text); err != nil {
			return o.fault(more, NoBackEnd, o.statement.BackEnd.Name, fmt.Errorf("it asks for %q, which is no requirement: %w", text, err))
		}
	}
	slices.Sort(wants)
	if err := o.furnish(ctx, wants); err != nil {
		return err
	}
	if answers, err = o.calls(ctx, call{hook, arguments}); err != nil {
		return err
	}
	return o.take(hook, answers[0], out)
}

// calls calls hooks one after the other, until one gives something, and gives their answers.
func (o *session) calls(ctx context.Context, list ...call) ([]answer, error) {
	r := o.room()
	var asked [][]any
	for _, c := range list {
		asked = append(asked, []any{c.hook, c.arguments})
	}
	data, err := json.Marshal(map[string]any{"backend": o.statement.BackEnd.Name, "path": o.backEndPath(r), "calls": asked})
	if err != nil {
		return nil, err
	}
	if err := o.renew(map[string][]byte{programFile: hooksProgram, requestFile: data}); err != nil {
		return nil, err
	}
	in := func(name string) string { return r.path(filepath.Join(o.dir, name)) }
	r.Arguments = []string{o.env.Python, in(programFile), in(requestFile), in(answerFile)}
	ended := r.run(ctx, o.Limit, o.log)
	o.log.end()
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if errors.Is(ended, errTime) {
		return nil, o.fault(list[len(list)-1].hook, TookLong, o.Limit.String(), ended)
	}
	out := make([]answer, len(list))
	for i := range list {
		text, err := o.read(fmt.Sprintf("%s.%d", answerFile, i))
		if err == nil && json.Unmarshal(text, &out[i]) == nil {
			out[i].What, _, _ = strings.Cut(out[i].What, "\n") // the log has the rest
		} else {
			out[i] = answer{Failed: "ended"}
			if by := endedBy(ended); by != 0 {
				out[i].What, out[i].Killed = "the back end was ended: "+by.String(), by == syscall.SIGKILL
			}
		}
	}
	return out, nil
}

// endedBy is the signal by which a program ended, here or in the closed room; 0 for none.
func endedBy(err error) syscall.Signal {
	var exit *exec.ExitError
	if !errors.As(err, &exit) {
		return 0
	}
	if status, ok := exit.Sys().(syscall.WaitStatus); ok && status.Signaled() {
		return status.Signal()
	}
	const bySignal, signals = 128, 64 // as the closed room, and shells, tell it
	if code := exit.ExitCode() - bySignal; code > 0 && code <= signals {
		return syscall.Signal(code)
	}
	return 0
}

// take reads an answer's result; the error is a [*BuildError] for a hook that failed.
func (o *session) take(hook string, a answer, out any) error {
	switch {
	case a.Failed == "hook":
		return o.fault(hook, NoHook, hook, errNoHook)
	case a.Failed == "backend" && a.Module != "" && !o.ownModule(a.Module):
		return o.fault(hook, NoModule, a.Module, errors.New(a.What))
	case a.Failed == "backend":
		return o.fault(hook, NoBackEnd, o.statement.BackEnd.Name, errors.New(a.What))
	case a.Failed != "" && a.Module != "":
		return o.fault(hook, NoModule, a.Module, errors.New(a.What))
	case a.Failed != "":
		if a.What == "" {
			a.What = "the back end ended without an answer"
		}
		if a.Killed {
			return o.fault(hook, NoMemory, "the back end", errors.New(a.What))
		}
		cause, of := o.log.cause(o.means)
		return o.fault(hook, cause, of, errors.New(a.What))
	}
	if err := json.Unmarshal(a.Result, out); err != nil {
		return o.fault(hook, NoBackEnd, o.statement.BackEnd.Name, fmt.Errorf("it gave %.60s", a.Result))
	}
	return nil
}

// ownModule reports whether a module is the back end's own.
func (o *session) ownModule(name string) bool {
	module, _, _ := strings.Cut(o.statement.BackEnd.Name, ":")
	top, _, _ := strings.Cut(module, ".")
	return name == top || strings.HasPrefix(name, top+".")
}

// fault is the error of a step, with the log kept.
func (o *session) fault(step, cause, of string, err error) *BuildError {
	e := &BuildError{Name: o.source.Name, Version: o.version(), Step: step, Cause: cause, Of: of, Tail: o.log.tail(), Room: o.means.level(), Err: err}
	if e.Name == "" {
		e.Name = o.statement.Name
	}
	e.Log = o.log.keep(o.Logs, e.Name, e.Version)
	return e
}

func (o *session) backEndPath(r *room) []string {
	out := []string{}
	for _, p := range o.statement.BackEnd.Path {
		out = append(out, r.path(filepath.Join(o.project, filepath.FromSlash(p))))
	}
	return out
}

// Metadata is METADATA of the wheel that a source would make: as its back end tells (PEP
// 517, "prepare_metadata_for_build_wheel"), or out of the wheel.
func (b *Builder) Metadata(ctx context.Context, s Source) ([]byte, error) {
	o, err := b.begin(ctx, s)
	if err != nil {
		return nil, err
	}
	defer o.close()
	hook := "prepare_metadata_for_build_wheel"
	if s.Editable {
		hook = "prepare_metadata_for_build_editable"
	}
	var folder string
	err = o.ask(ctx, hook, &folder, o.outFolder(), o.settings())
	if err == nil {
		if !filepath.IsLocal(folder) {
			return nil, o.fault(hook, NoWheel, folder, fmt.Errorf("it says that the metadata is in %q", folder))
		}
		data, err := o.read(filepath.Join("out", folder, "METADATA"))
		if err != nil {
			return nil, o.fault(hook, NoWheel, folder, err)
		}
		return data, o.agrees(data)
	}
	if !errors.Is(err, errNoHook) {
		return nil, err
	}
	file, err := o.makeWheel(ctx)
	if err != nil {
		return nil, err
	}
	w, err := o.finish(ctx, file)
	if err != nil {
		return nil, err
	}
	defer w.Close()
	return w.Metadata, nil
}

// Wheel makes a wheel of a source. The file stands in a folder that Close of the result
// removes.
func (b *Builder) Wheel(ctx context.Context, s Source) (*Wheel, error) {
	o, err := b.begin(ctx, s)
	if err != nil {
		return nil, err
	}
	defer o.close()
	file, err := o.makeWheel(ctx)
	if err != nil {
		return nil, err
	}
	return o.finish(ctx, file)
}

func (o *session) kind() string {
	if o.source.Editable {
		return "editable"
	}
	return "wheel"
}

func (o *session) settings() map[string]any {
	if len(o.source.Options.Settings) == 0 {
		return nil
	}
	return o.source.Options.Settings
}

// makeWheel has the back end make the wheel, and gives its path.
func (o *session) makeWheel(ctx context.Context) (string, error) {
	hook := "build_" + o.kind()
	var name string
	if err := o.ask(ctx, hook, &name, o.outFolder(), o.settings(), nil); err != nil {
		return "", err
	}
	if _, err := metadata.ParseWheelName(name); err != nil || name != filepath.Base(name) {
		return "", o.fault(hook, NoWheel, name, fmt.Errorf("it says that it made %q, which is no wheel's name", name))
	}
	file := filepath.Join("out", name)
	if info, err := o.own.Lstat(file); err != nil || !info.Mode().IsRegular() {
		return "", o.fault(hook, NoWheel, name, fmt.Errorf("it says that it made %s, and there is no such file", name))
	}
	return filepath.Join(o.dir, file), nil
}

// agrees refuses metadata of another distribution, or another version, than was asked for.
func (o *session) agrees(data []byte) error {
	meta, err := metadata.Parse(data)
	if err != nil {
		return o.fault("metadata", NoWheel, "", err)
	}
	return o.agree(meta)
}

func (o *session) agree(meta metadata.Metadata) error {
	file := o.source.called()
	if o.source.Name != "" && meta.Key() != o.source.Name {
		return &ArchiveError{File: file, Why: fmt.Sprintf("it is %s, not %s", meta.Name, o.source.Name), Another: true}
	}
	if !o.source.Version.IsZero() && !meta.Version.Equal(o.source.Version) {
		return &ArchiveError{File: file, Why: fmt.Sprintf("it is version %s, not %s", meta.Version, o.source.Version), Another: true}
	}
	return nil
}
