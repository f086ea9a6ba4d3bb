package store

import (
	"context"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"time"

	"glassjar/core/limits"
)

// Tree is the unpacked members of one package file. Each stands in the store by
// its content, once for all package files that have it, so that jars can be
// filled from there.
type Tree struct {
	// SHA256 is the package file's.
	SHA256 string
	// Head is what is known of the package file besides: keys and values without
	// line breaks, in the order given.
	Head []Fact
	// Members are sorted by key.
	Members []Member

	store *Store
}

// Fact is one line of a tree's head.
type Fact struct{ Key, Value string }

// Member is one file of a tree.
type Member struct {
	// Key names the member: its scheme, '/', and its path there.
	Key    string
	SHA256 string
	Size   int64
	// Executable is part of where the content stands, since a link has one mode.
	Executable bool
	// Hash is as the package file's RECORD gives it.
	Hash string
}

// treeHeading begins the files of trees; those of another format are unpacked
// anew.
const treeHeading = "glassjar tree 3\n"

func (s *Store) treeFile(sum string) string {
	return filepath.Join(s.Dir, "trees", sum[:2], sum)
}

// Fact is a value of the head, empty if there is none.
func (t *Tree) Fact(key string) string {
	for _, f := range t.Head {
		if f.Key == key {
			return f.Value
		}
	}
	return ""
}

// Find is the member of a key.
func (t *Tree) Find(key string) (Member, bool) {
	i := sort.Search(len(t.Members), func(i int) bool { return t.Members[i].Key >= key })
	if i == len(t.Members) || t.Members[i].Key != key {
		return Member{}, false
	}
	return t.Members[i], true
}

// Path is where a member stands.
func (t *Tree) Path(m Member) string { return t.store.filePath(m.SHA256, m.Executable) }

// Open reads a member.
func (t *Tree) Open(m Member) (io.ReadCloser, error) { return os.Open(t.Path(m)) }

// Read is a member's content; an error that is [fs.ErrNotExist] if the tree does
// not have it.
func (t *Tree) Read(key string) ([]byte, error) {
	m, ok := t.Find(key)
	if !ok {
		return nil, &fs.PathError{Op: "read", Path: key, Err: fs.ErrNotExist}
	}
	return os.ReadFile(t.Path(m))
}

// Bytes is the sum of the members' sizes.
func (t *Tree) Bytes() (sum int64) {
	for _, m := range t.Members {
		sum += m.Size
	}
	return sum
}

// Tree is that of a package file, if it was unpacked before, here or in the
// second store.
func (s *Store) Tree(sum string) (*Tree, bool) {
	if !ValidSum(sum) {
		return nil, false
	}
	if t := s.unsaved.tree(sum); t != nil {
		return t, true
	}
	for _, from := range s.Chain() {
		data, err := limits.ReadFile(from.treeFile(sum), limits.Record)
		if err != nil {
			continue
		}
		if t, ok := parseTree(string(data)); ok {
			t.SHA256, t.store = sum, from
			return t, true
		}
	}
	return nil, false
}

// HasTree is a quicker [Store.Tree] for those who only ask whether it is written
// down.
func (s *Store) HasTree(sum string) bool {
	if !ValidSum(sum) {
		return false
	}
	for _, from := range s.Chain() {
		if _, err := os.Stat(from.treeFile(sum)); err == nil {
			return true
		}
	}
	return false
}

// Head are the facts of a tree alone, which is quicker than all of it; none if it is not
// here. They are not compared with the tree's checksum.
func (s *Store) Head(sum string) []Fact {
	if !ValidSum(sum) {
		return nil
	}
	if t := s.unsaved.tree(sum); t != nil {
		return t.Head
	}
	for _, from := range s.Chain() {
		if head, err := readHead(from.treeFile(sum)); err == nil {
			return head
		}
	}
	return nil
}

// maxHead bounds the head of a tree's file.
const maxHead = 64 << 10

func readHead(file string) ([]Fact, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	data := make([]byte, 1<<10)
	for {
		n, err := io.ReadFull(io.NewSectionReader(f, 0, int64(len(data))), data)
		text, ok := strings.CutPrefix(string(data[:n]), treeHeading)
		if head, _, whole := strings.Cut(text, "\n\n"); ok && whole {
			return parseHead(head), nil
		}
		if !ok || err != nil || len(data) >= maxHead {
			return nil, errors.New("it has no head")
		}
		data = make([]byte, 4*len(data))
	}
}

func parseHead(text string) []Fact {
	var out []Fact
	for _, line := range strings.Split(text, "\n") {
		key, value, _ := strings.Cut(line, " ")
		out = append(out, Fact{key, value})
	}
	return out
}

// Use notes that a tree is used today; tidying by age goes by that.
func (t *Tree) Use() {
	file := t.store.treeFile(t.SHA256)
	if info, err := os.Stat(file); err == nil && time.Since(info.ModTime()) > 12*time.Hour {
		now := time.Now()
		_ = os.Chtimes(file, now, now) // it is only a hint
	}
}

// text is the file of a tree: the heading, the head's lines, an empty line, and a
// line for each member: its SHA-256, '-' or 'x', its size, the hash where RECORD
// gives another than that, else '-', and its key. [treeEnd] ends it.
func (t *Tree) text() []byte {
	b := make([]byte, 0, 160*len(t.Members)+512)
	b = append(b, treeHeading...)
	for _, f := range t.Head {
		b = append(append(append(append(b, f.Key...), ' '), f.Value...), '\n')
	}
	b = append(b, '\n')
	for _, m := range t.Members {
		b = append(append(b, m.SHA256...), " - "...)
		if m.Executable {
			b[len(b)-2] = 'x'
		}
		b = append(strconv.AppendInt(b, m.Size, 10), ' ')
		if m.Hash == recordHash(m.SHA256) {
			b = append(b, '-')
		} else {
			b = append(b, m.Hash...)
		}
		b = append(append(append(b, ' '), m.Key...), '\n')
	}
	return append(b, treeEnd(b, len(t.Members))...)
}

// treeEnd is the last line of a tree: how many members it has, and a checksum
// (CRC-32C) of all before. A tree that a power cut left half written has none.
func treeEnd[T string | []byte](before T, members int) string {
	return fmt.Sprintf("end %d %08x\n", members, crc32.Checksum([]byte(before), crc32.MakeTable(crc32.Castagnoli)))
}

func parseTree(whole string) (*Tree, bool) {
	body := whole[:strings.LastIndex(strings.TrimSuffix(whole, "\n"), "\n")+1]
	text, ok := strings.CutPrefix(body, treeHeading)
	head, list, ok2 := strings.Cut(text, "\n\n")
	if !ok || !ok2 {
		return nil, false
	}
	t := &Tree{Members: make([]Member, 0, strings.Count(list, "\n")), Head: parseHead(head)}
	for list != "" {
		var line string
		if line, list, ok = strings.Cut(list, "\n"); !ok {
			return nil, false
		}
		m, ok := parseMember(line)
		if !ok {
			return nil, false
		}
		t.Members = append(t.Members, m)
	}
	return t, whole[len(body):] == treeEnd(body, len(t.Members))
}

// sumLength is that of a SHA-256 in hex.
const sumLength = 64

func parseMember(line string) (m Member, ok bool) {
	if len(line) < sumLength+len(" - 0 - k") || !ValidSum(line[:sumLength]) {
		return m, false
	}
	m.SHA256, m.Executable = line[:sumLength], line[sumLength+1] == 'x'
	size, rest, ok := strings.Cut(line[sumLength+3:], " ")
	hash, key, ok2 := strings.Cut(rest, " ")
	var err error
	m.Size, err = strconv.ParseInt(size, 10, 64)
	m.Hash, m.Key = hash, key
	if hash == "-" {
		m.Hash = recordHash(m.SHA256)
	}
	return m, ok && ok2 && err == nil
}

// Trees lists the package files that are unpacked here, by hash.
func (s *Store) Trees() []string {
	files, _ := filepath.Glob(filepath.Join(s.Dir, "trees", "??", "*")) // a fixed pattern
	var out []string
	for _, f := range files {
		if sum := filepath.Base(f); ValidSum(sum) {
			out = append(out, sum)
		}
	}
	return out
}

// TreeUsed is when a tree was used last, to about a day.
func (s *Store) TreeUsed(sum string) time.Time {
	info, err := os.Stat(s.treeFile(sum))
	if err != nil {
		return time.Time{}
	}
	return info.ModTime()
}

// CheckTree compares every file of a tree with its hash. Files that are not what
// they should be are removed, and the tree with them, so that it is unpacked
// anew; their hashes come back.
func (s *Store) CheckTree(ctx context.Context, sum string) (damaged []string, err error) {
	t, ok := s.Tree(sum)
	if !ok || t.store != s {
		return nil, nil
	}
	for _, m := range t.Members {
		fine, err := checkContent(ctx, t.Path(m), m.SHA256)
		if err != nil {
			return damaged, err
		}
		if !fine {
			damaged = append(damaged, m.SHA256)
		}
	}
	if len(damaged) > 0 {
		if err = os.Remove(s.treeFile(sum)); errors.Is(err, fs.ErrNotExist) {
			err = nil
		}
	}
	return damaged, err
}
