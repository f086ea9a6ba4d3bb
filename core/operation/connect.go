package operation

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"github.com/rogpeppe/go-internal/diff"

	"glassjar/core/connect"
	"glassjar/core/jar"
	"glassjar/core/limits"
	"glassjar/core/place"
	"glassjar/core/project"
	"glassjar/core/tomltext"
)

// FileEdit is a file that is written or changed outside of jars.
type FileEdit struct {
	// File is its path; Diff what changes, line by line.
	File string
	Diff string
	// New tells that it is not there yet, Gone that it will not be.
	New  bool
	Gone bool
	// Left are keys that were changed by someone else since, and stay.
	Left []string

	before, after []byte
	mode          os.FileMode
	write         func() error // in place of writing the file
}

// Connection is what connect does.
type Connection struct {
	Jar   string
	Edits []FileEdit
	Done  bool
	// Next are steps for the user.
	Next []string
	// Lacks is a package that the jar needs for it and has not; empty where it lacks nothing.
	Lacks string
}

// written is what was added to one file, so that it can be undone.
type written struct {
	// File is relative to the project.
	File string `json:"file"`
	// Before is the whole text, nil for a file that was made; After what was made
	// of it.
	Before *string       `json:"before"`
	After  string        `json:"after"`
	Keys   []connect.Key `json:"keys"`
}

// connectedFile tells what was connected to the jar.
func connectedFile(j *jar.Jar) string { return j.Path("glassjar/connected.json") }

func newEdit(file string, before, after []byte) FileEdit {
	e := FileEdit{File: file, before: before, after: after, New: before == nil, Gone: after == nil, mode: 0o644}
	e.Diff = string(diff.Diff(filepath.Base(file)+" now", before, filepath.Base(file)+" then", after))
	return e
}

// ConnectEditor adds the keys by which editors and language servers find the
// project's jar, or with undo takes them out again. decide looks at the
// differences and says whether to go on.
func (m *Machine) ConnectEditor(ctx context.Context, ref string, undo bool, decide func(*Connection) (bool, error)) (*Connection, error) {
	at, release, err := m.beginConnect(ctx, ref)
	if err != nil {
		return nil, err
	}
	defer release()
	j, err := m.open(at)
	if err != nil {
		return nil, err
	}
	c := &Connection{Jar: at.Root, Edits: []FileEdit{}}
	var list []written
	if undo {
		if err := c.undo(at, j); err != nil {
			return nil, err
		}
	} else if list, err = c.editor(at, j); err != nil {
		return nil, err
	}
	if wrote, err := c.carryOut(m, decide); err != nil || !wrote {
		return c, err
	}
	if undo {
		return c, os.Remove(connectedFile(j))
	}
	return c, m.keepWritten(j, list)
}

// carryOut shows what would be written, and writes it if decide says so. wrote is
// false where there is nothing to write, or nothing was to be written.
func (c *Connection) carryOut(m *Machine, decide func(*Connection) (bool, error)) (wrote bool, err error) {
	if len(c.Edits) == 0 {
		c.Done = true
		return false, nil
	}
	if ok, err := decide(c); err != nil || !ok {
		return false, err
	}
	if err := c.write(m); err != nil {
		return false, err
	}
	c.Done = true
	return true, nil
}

// beginConnect finds a project's jar: others have no folder to write into.
func (m *Machine) beginConnect(ctx context.Context, ref string) (place.Place, func(), error) {
	at, err := m.Places().Locate(ref, true)
	if err != nil {
		return at, nil, err
	}
	if at.Project == "" {
		return at, nil, usage(NoProjectToConnect, m.Places().Called(at))
	}
	release, err := m.hold(ctx, at)
	return at, release, err
}

func (c *Connection) editor(at place.Place, j *jar.Jar) ([]written, error) {
	l, folder := j.Layout(), filepath.Base(at.Root)
	var list []written
	workspace := filepath.Join(at.Project, filepath.FromSlash(connect.WorkspaceFile))
	before, err := readIfThere(workspace)
	if err != nil {
		return nil, err
	}
	after, keys, err := connect.SetJSON(before, connect.WorkspaceKeys(folder, l))
	if err != nil {
		return nil, &project.FileError{File: workspace, Why: err.Error()}
	}
	list = append(list, c.add(at, workspace, before, after, keys)...)
	if before, err = readIfThere(at.SpecFile); err != nil || before == nil {
		return list, err // without a spec there is no file for a server's settings
	}
	after, keys = connect.SetTOML(before, connect.ServerKeys(before, folder, l, fmt.Sprintf("%d.%d", l.Major, l.Minor)))
	if _, err := project.ParseSpec(at.SpecFile, after); err != nil {
		return nil, err
	}
	return append(list, c.add(at, at.SpecFile, before, after, keys)...), nil
}

func (c *Connection) add(at place.Place, file string, before, after []byte, keys []connect.Key) []written {
	if before != nil && string(before) == string(after) {
		return nil
	}
	c.Edits = append(c.Edits, newEdit(file, before, after))
	rel, err := filepath.Rel(at.Project, file)
	if err != nil {
		rel = file
	}
	w := written{File: filepath.ToSlash(rel), After: string(after), Keys: keys}
	if before != nil {
		text := string(before)
		w.Before = &text
	}
	return []written{w}
}

func readIfThere(file string) ([]byte, error) {
	data, err := limits.ReadFile(file, limits.Own)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err == nil && data == nil {
		data = []byte{}
	}
	return data, err
}

// undo plans to take out what was added: the whole text comes back where nobody
// changed it since, else key by key what is still as it was written.
func (c *Connection) undo(at place.Place, j *jar.Jar) error {
	data, err := readIfThere(connectedFile(j))
	if err != nil {
		return err
	}
	var list []written
	if data == nil || json.Unmarshal(data, &list) != nil {
		return usage(NothingConnected)
	}
	for _, w := range list {
		file := filepath.Join(at.Project, filepath.FromSlash(w.File))
		now, err := readIfThere(file)
		if err != nil {
			return err
		}
		if now == nil {
			continue
		}
		var after []byte
		var left []string
		switch {
		case string(now) == w.After && w.Before == nil:
		case string(now) == w.After:
			after = []byte(*w.Before)
		default:
			if after, left, err = w.takeOut(now); err != nil {
				return &project.FileError{File: file, Why: err.Error()}
			}
		}
		e := newEdit(file, now, after)
		e.Left = left
		c.Edits = append(c.Edits, e)
	}
	if len(c.Edits) == 0 {
		return os.Remove(connectedFile(j))
	}
	return nil
}

// takeOut gives each key back its earlier value, or none. Keys that have another
// value than was written stay.
func (w written) takeOut(now []byte) (after []byte, left []string, err error) {
	isJSON := filepath.Ext(w.File) == ".json"
	for _, k := range w.Keys {
		name := k.Path[len(k.Path)-1]
		have, ok := tomltext.Get(now, k.Path)
		if isJSON {
			have, ok = connect.GetJSON(now, name)
		}
		switch {
		case !ok:
		case have != k.Value:
			left = append(left, name)
		case isJSON && k.Before == nil:
			now, err = connect.DropJSON(now, name)
		case isJSON:
			now, _, err = connect.SetJSON(now, []connect.Key{{Path: k.Path, Value: *k.Before}})
		case k.Before == nil:
			table := k.Path[:len(k.Path)-1]
			now = tomltext.Drop(now, k.Path)
			if w.Before == nil || !tomltext.HasTable([]byte(*w.Before), table) {
				now = tomltext.DropEmptyTable(now, table)
			}
		default:
			now = tomltext.Set(now, k.Path, *k.Before)
		}
		if err != nil {
			return nil, nil, err
		}
	}
	return now, left, nil
}

func (c *Connection) write(m *Machine) error {
	for _, e := range c.Edits {
		if e.write != nil {
			if err := e.write(); err != nil {
				return err
			}
			continue
		}
		if e.after == nil {
			if err := os.Remove(e.File); err != nil {
				return err
			}
			os.Remove(filepath.Dir(e.File)) // only if it is empty
			continue
		}
		if _, err := m.writeIfNew(e.File, e.after); err != nil {
			return err
		}
		if e.mode != 0o644 {
			if err := os.Chmod(e.File, e.mode); err != nil {
				return err
			}
		}
	}
	return nil
}

// mergeKeys takes the newer values; what stood there before is what it was when
// a key was first written.
func mergeKeys(earlier, now []connect.Key) []connect.Key {
	out := append([]connect.Key(nil), now...)
	for _, e := range earlier {
		at := slices.IndexFunc(out, func(k connect.Key) bool { return slices.Equal(k.Path, e.Path) })
		if at < 0 {
			out = append(out, e)
		} else {
			out[at].Before = e.Before
		}
	}
	return out
}

// keepWritten notes what was added; what an earlier connection found before it
// is what counts.
func (m *Machine) keepWritten(j *jar.Jar, list []written) error {
	var earlier []written
	if data, err := limits.ReadFile(connectedFile(j), limits.Own); err == nil && json.Unmarshal(data, &earlier) != nil {
		earlier = nil
	}
	for _, w := range list {
		found := false
		for i := range earlier {
			if earlier[i].File == w.File {
				earlier[i].After, earlier[i].Keys, found = w.After, mergeKeys(earlier[i].Keys, w.Keys), true
			}
		}
		if !found {
			earlier = append(earlier, w)
		}
	}
	data, err := json.MarshalIndent(earlier, "", "  ")
	if err != nil {
		return err
	}
	_, err = m.writeIfNew(connectedFile(j), append(data, '\n'))
	return err
}
