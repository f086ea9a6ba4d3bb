// Package limits is the one place of the bounds on what comes from elsewhere: far more
// than anybody needs, and little enough that no input takes a machine's memory or an
// afternoon. docs/formats.md lists them.
package limits

import (
	"errors"
	"fmt"
	"io"
	"os"
)

// Bytes of texts, unpacked.
const (
	// Page is a distribution's page of an index, Names the list of all names.
	Page  = 32 << 20
	Names = 64 << 20
	// ShortNames is a list of names that is read to know which index to ask for what.
	ShortNames = 1 << 20
	// Metadata is a METADATA file, and others that describe a distribution.
	Metadata = 16 << 20
	// Record, Spec, Script, List and Settings are files of a project and of a user.
	Record   = 16 << 20
	Spec     = 4 << 20
	Script   = 4 << 20
	List     = 4 << 20
	Settings = 1 << 20
	// Advisory is the file of one known fault, Advisories what a database of them may be, and unpack to.
	Advisory   = 4 << 20
	Advisories = 2 << 30
	// Own is a file that this program keeps in a jar or beside one.
	Own = 16 << 20
	// SourceBytes is what a source archive may unpack to, SourceRatio how many times its
	// own size that may be.
	SourceBytes = 8 << 30
	SourceRatio = 500
	// Python is what a file that holds an interpreter may unpack to, PythonFile its own size.
	Python     = 4 << 30
	PythonFile = 2 << 30
	// Log is what is kept of what a build says.
	Log = 32 << 20
	// Package is a package file of which nobody says how large it is.
	Package = 64 << 30
)

// Numbers of parts.
const (
	// Files are those of a distribution's page, Projects the names of an index.
	Files    = 40_000
	Projects = 1_500_000
	// SourceFiles are the members of a source archive.
	SourceFiles = 300_000
	// PythonFiles are the members of a file that holds an interpreter.
	PythonFiles = 100_000
	// Fields are those of a METADATA file, and Lines those that continue one.
	Fields = 20_000
	// Clauses are those of one version specifier, Extras those of one requirement.
	Clauses = 200
	Extras  = 200
	// Text is one requirement or marker, in bytes.
	Text = 64 << 10
)

// Error says that something is larger than anything that is read.
type Error struct {
	// What is it: a path, an address, a kind of text.
	What string
	// Limit is in Unit, such as "bytes".
	Limit int64
	Unit  string
}

func (e *Error) Error() string {
	return fmt.Sprintf("%s has more than %d %s, which is more than is read", e.What, e.Limit, e.Unit)
}

// Reader reads no more than a limit; where there is more it ends with an [*Error].
type Reader struct {
	R io.Reader
	// What is read, and how many bytes of it there may be.
	What  string
	Limit int64
	read  int64
}

func (r *Reader) Read(p []byte) (int, error) {
	n, err := r.R.Read(p)
	if r.read += int64(n); r.read > r.Limit { // none of them: who has bytes may not look at the error
		return 0, &Error{What: r.What, Limit: r.Limit, Unit: "bytes"}
	}
	return n, err
}

// ReadAll reads what has at most so many bytes; the error is an [*Error] for more.
func ReadAll(r io.Reader, what string, limit int64) ([]byte, error) {
	data, err := io.ReadAll(io.LimitReader(r, limit+1))
	if err == nil && int64(len(data)) > limit {
		return nil, &Error{what, limit, "bytes"}
	}
	return data, err
}

// ReadFile reads a regular file of at most so many bytes. What is none, such as a pipe
// that nobody writes to, is an [*os.PathError].
func ReadFile(path string, limit int64) ([]byte, error) {
	info, err := os.Stat(path)
	switch {
	case err != nil:
		return nil, err
	case info.IsDir():
		return nil, &os.PathError{Op: "read", Path: path, Err: errors.New("it is a folder")}
	case !info.Mode().IsRegular():
		return nil, &os.PathError{Op: "read", Path: path, Err: errors.New("it is no regular file")}
	}
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return ReadAll(f, path, limit)
}
