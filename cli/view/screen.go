// Package view draws what commands give back: sheets of labelled lines, plans,
// trees, progress, errors in words, and JSON. It is the only place where
// values become words.
package view

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/muesli/termenv"
	"golang.org/x/term"

	"glassjar/cli/wire"
	"glassjar/core/project"
)

// Screen is where a command's view goes.
type Screen struct {
	Out, Err io.Writer
	// JSON asks for JSON on Out and nothing else; Quiet leaves out all but
	// results that were asked for and errors.
	JSON, Quiet, Verbose bool
	// Width is the width of the terminal in columns.
	Width int
	// Terminal tells whether Out is one; ErrTerminal the same of Err.
	Terminal, ErrTerminal bool
	// Dir is where the user stands: paths below it are shown relative to it.
	Dir string
	// Call, if set, gives what people call the jar that stands at a path, or nothing.
	Call func(root string) string
	// Named, if set, gives the jar that the command line named, as it stands there, or nothing: what
	// a hint says to do is to be done to that one. Acts tells of a command whether it takes --jar.
	Named func() string
	Acts  func(command string) bool

	progress *Progress

	faint, bold, good, warn, bad termenv.Style
}

// NewScreen looks at the outputs. color is "auto", "always" or "never".
func NewScreen(out, err io.Writer, color, dir string) *Screen {
	// What goes to a pipe is not broken into lines: a program reads it.
	s := &Screen{Out: out, Err: err, Width: unbroken, Dir: dir}
	var columns int
	columns, s.Terminal = terminal(out)
	switch {
	case columns > 0:
		s.Width = columns
	case s.Terminal:
		s.Width = 80
	}
	_, s.ErrTerminal = terminal(err)
	colors := termenv.ANSI
	if color != "always" && (color == "never" || !s.Terminal || os.Getenv("NO_COLOR") != "" || os.Getenv("TERM") == "dumb") {
		colors = termenv.Ascii
	}
	s.faint = colors.String().Foreground(colors.Color("8"))
	s.bold = colors.String().Bold()
	s.good = colors.String().Foreground(colors.Color("2"))
	s.warn = colors.String().Foreground(colors.Color("3"))
	s.bad = colors.String().Foreground(colors.Color("1"))
	return s
}

const unbroken = 1 << 20

// errWidth is the width of the terminal that standard error is.
func (s *Screen) errWidth() int {
	if columns, _ := terminal(s.Err); columns > 0 {
		return columns
	}
	return 80
}

func terminal(w io.Writer) (int, bool) {
	if o, ok := w.(interface{ Under() io.Writer }); ok {
		w = o.Under()
	}
	f, ok := w.(*os.File)
	if !ok || !IsTerminal(f) {
		return 0, false
	}
	columns, _, err := term.GetSize(int(f.Fd()))
	if err != nil {
		columns = 0
	}
	return columns, true
}

// Data writes a value as JSON, in the shape that it has there.
func (s *Screen) Data(v any) {
	s.settle()
	var text bytes.Buffer
	e := json.NewEncoder(&text)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	_ = e.Encode(wire.Of(v))                    // values of this program can be
	_, _ = s.Out.Write(cleanJSON(text.Bytes())) // Out remembers what could not be written
}

// Say writes a line of a result.
func (s *Screen) Say(format string, args ...any) {
	s.settle()
	if !s.JSON && !s.Quiet {
		fmt.Fprintln(s.Out, cleanLines(fmt.Sprintf(format, args...)))
	}
}

// Note writes a remark, on standard error.
func (s *Screen) Note(text string) {
	s.settle()
	if !s.JSON && !s.Quiet {
		fmt.Fprintln(s.Err, s.faint.Styled("note")+"    "+cleanReason(s.hint(text)))
	}
}

// settle takes the progress away before a result is written.
func (s *Screen) settle() {
	if s.progress != nil {
		s.progress.clear()
	}
}

// Settle takes the progress away before something else is written.
func (s *Screen) Settle() { s.settle() }

// Path is a path as the user would type it.
func (s *Screen) Path(path string) string {
	short := path
	if filepath.Dir(s.Dir) != s.Dir {
		short = project.Shorten(s.Dir, path)
	}
	return atHome(short)
}

// typed is a path as one word of a command line.
func (s *Screen) typed(path string) string {
	if short := s.Path(path); oneWord(short) == short {
		return short
	}
	return oneWord(path) // "~" means nothing between quotes
}

// atHome writes a path below the user's home with "~".
func atHome(path string) string {
	if home, err := os.UserHomeDir(); err == nil && filepath.IsAbs(path) && filepath.Dir(home) != home {
		if rest := project.Shorten(home, path); !filepath.IsAbs(rest) {
			return strings.TrimSuffix("~"+string(os.PathSeparator)+rest, string(os.PathSeparator)+".")
		}
	}
	return path
}

// Jar is what people call the jar that stands at a path.
func (s *Screen) Jar(root string) string {
	if s.Call != nil {
		if name := s.Call(root); name != "" {
			return name
		}
	}
	return s.Path(root)
}

// Bytes is a size in words: "812 B", "12.3 kB", "4.0 MB".
func Bytes(n int64) string {
	if n < 1000 {
		return fmt.Sprintf("%d B", n)
	}
	size := float64(n)
	for _, unit := range []string{"kB", "MB", "GB", "TB"} {
		if size /= 1000; size < 999.5 || unit == "TB" {
			if size < 9.95 {
				return fmt.Sprintf("%.1f %s", size, unit)
			}
			return fmt.Sprintf("%.0f %s", size, unit)
		}
	}
	return ""
}

// Count is "1 package", "3 packages".
func Count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	if stem, ok := strings.CutSuffix(one, "y"); ok {
		return fmt.Sprintf("%d %sies", n, stem)
	}
	return fmt.Sprintf("%d %ss", n, one)
}
