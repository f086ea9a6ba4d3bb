package view

import (
	"os"
	"slices"
	"strings"

	"github.com/muesli/termenv"
)

// Sheet is the one form in which results are drawn: a narrow column of labels
// and, beside it, lines of cells in columns. A label stands once, at the first
// of its lines. Cells of one group of columns line up.
type Sheet struct {
	screen *Screen
	rows   []row
}

type row struct {
	label string
	cells []Cell
	table bool
}

// Cell is one piece of text and how it looks.
type Cell struct {
	Text  string
	style *termenv.Style
}

// Sheet begins a sheet.
func (s *Screen) Sheet() *Sheet { return &Sheet{screen: s} }

// Plain, Bold, Faint, Good, Warn and Bad make cells.
func (s *Screen) Plain(text string) Cell { return Cell{text, nil} }

// Bold is for names.
func (s *Screen) Bold(text string) Cell { return Cell{text, &s.bold} }

// Faint is for what matters less.
func (s *Screen) Faint(text string) Cell { return Cell{text, &s.faint} }

// Good is for what comes.
func (s *Screen) Good(text string) Cell { return Cell{text, &s.good} }

// Warn is for what changes or needs attention.
func (s *Screen) Warn(text string) Cell { return Cell{text, &s.warn} }

// Bad is for what goes or is wrong.
func (s *Screen) Bad(text string) Cell { return Cell{text, &s.bad} }

// Line adds a line of running text below a label.
func (t *Sheet) Line(label string, cells ...Cell) {
	t.rows = append(t.rows, row{Clean(label), cleanCells(t.hints(label, cells)), false})
}

// hints are the cells of a line; one that says what to do says it of the jar that was named.
func (t *Sheet) hints(label string, cells []Cell) []Cell {
	if label != "try" && label != "next" && label != "mend" {
		return cells
	}
	out := slices.Clone(cells)
	for i := range out {
		out[i].Text = t.screen.hint(out[i].Text)
	}
	return out
}

// Row adds a line whose cells line up with those of the rows around it.
func (t *Sheet) Row(label string, cells ...Cell) {
	for len(cells) > 1 && cells[len(cells)-1].Text == "" {
		cells = cells[:len(cells)-1]
	}
	t.rows = append(t.rows, row{Clean(label), cleanCells(cells), true})
}

// cleanCells is the one place at which what comes from elsewhere is cleaned.
func cleanCells(cells []Cell) []Cell {
	out := make([]Cell, len(cells))
	for i, c := range cells {
		out[i] = Cell{Clean(c.Text), c.style}
	}
	return out
}

// Gap adds an empty line.
func (t *Sheet) Gap() { t.rows = append(t.rows, row{}) }

const gap = 2

// labelWidth is that of the column of labels in all sheets.
const labelWidth = 8

// String draws the sheet.
func (t *Sheet) String() string {
	widths := t.widths()
	var b strings.Builder
	last := ""
	for _, r := range t.rows {
		label := r.label
		if label == last {
			label = ""
		}
		last = r.label
		head := t.screen.faint.Styled(label) + strings.Repeat(" ", max(1, labelWidth-len(label)))
		lines := t.draw(r, widths)
		for i, line := range lines {
			if i > 0 {
				head = strings.Repeat(" ", labelWidth)
			}
			b.WriteString(strings.TrimRight(head+line, " ") + "\n")
		}
	}
	return b.String()
}

// Print draws the sheet on the screen.
func (t *Sheet) Print() {
	t.screen.settle()
	if !t.screen.JSON && !t.screen.Quiet {
		_, _ = t.screen.Out.Write([]byte(t.String())) // whoever reads it has gone away
	}
}

func (t *Sheet) widths() []int {
	var widths []int
	for _, r := range t.rows {
		if !r.table {
			continue
		}
		for i, c := range r.cells {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			widths[i] = max(widths[i], width(c.Text))
		}
	}
	return widths
}

// draw gives a row's lines. In a table the last cell is wrapped into its
// column; in running text the whole is.
func (t *Sheet) draw(r row, widths []int) []string {
	room := max(20, t.screen.Width-labelWidth)
	cells := make([]Cell, len(r.cells))
	for i, c := range r.cells {
		cells[i] = Cell{cutPaths(c.Text, room-len(setIn)), c.style}
	}
	r.cells = cells
	if !r.table {
		var text strings.Builder
		for i, c := range r.cells {
			if i > 0 {
				text.WriteString(strings.Repeat(" ", gap))
			}
			text.WriteString(c.render())
		}
		return wrap(text.String(), room)
	}
	return t.drawCells(r.cells, widths, room)
}

// setIn is how far what has no room beside stands in below.
const setIn = "    "

// drawCells puts cells beside each other in their columns; where the room ends,
// what is left goes below, set in.
func (t *Sheet) drawCells(cells []Cell, widths []int, room int) []string {
	var lines []string
	var head strings.Builder
	at := 0
	below := func() {
		lines = append(lines, strings.TrimRight(head.String(), " "))
		head.Reset()
		head.WriteString(setIn)
		at = len(setIn)
	}
	for i, c := range cells {
		wide := width(c.Text)
		if i < len(cells)-1 {
			if at > 0 && at+wide > room {
				below()
			}
			head.WriteString(c.render() + strings.Repeat(" ", max(0, widths[i]-wide)+gap))
			at += max(wide, widths[i]) + gap
			continue
		}
		if (room-at < min(16, wide) || longestWord(c.Text) > room-at) && at > 0 {
			below()
		}
		for n, l := range wrap(c.Text, room-at) {
			lead := strings.Repeat(" ", at)
			if n == 0 {
				lead = head.String()
			}
			lines = append(lines, lead+Cell{l, c.style}.render())
		}
	}
	return lines
}

// longestWord is the width of a text's longest word: a path is not broken.
func longestWord(text string) int {
	longest := 0
	for _, word := range strings.Fields(text) {
		longest = max(longest, width(word))
	}
	return longest
}

func (c Cell) render() string {
	if c.style == nil || c.Text == "" {
		return c.Text
	}
	return c.style.Styled(c.Text)
}

// Text writes running text, wrapped where the screen is narrower than its lines.
func (s *Screen) Text(text string) {
	for _, paragraph := range strings.Split(text, "\n\n") {
		lines := strings.Split(paragraph, "\n")
		for _, l := range lines {
			if width(l) > s.Width {
				lines = wrap(strings.Join(lines, " "), s.Width)
				break
			}
		}
		s.Say("%s", strings.Join(lines, "\n"))
	}
}

// cutPaths cuts what is left out of paths that are wider than the room from their
// middle: where it begins and what it is called say the most. In a pipe nothing is cut.
func cutPaths(text string, room int) string {
	if longestWord(text) <= room {
		return text
	}
	words := strings.Split(text, " ")
	for i, w := range words {
		if width(w) > room && strings.ContainsRune(w, os.PathSeparator) {
			words[i] = cutPath(w, room)
		}
	}
	return strings.Join(words, " ")
}

func cutPath(path string, room int) string {
	const mark = "..."
	separator := string(os.PathSeparator)
	parts := strings.Split(path, separator)
	for left := 1; left < len(parts)-1; left++ {
		// The head of one or two parts stays, and as much of the tail as there is room for.
		head := strings.Join(parts[:min(2, len(parts)-1)], separator)
		tail := strings.Join(parts[min(2, len(parts)-1)+left:], separator)
		if short := head + separator + mark + separator + tail; width(short) <= room && tail != "" {
			return short
		}
	}
	last := parts[len(parts)-1]
	if short := mark + separator + last; width(short) <= room {
		return short
	}
	half := max(1, (room-len(mark))/2)
	return cut(last, half) + mark + from(last, max(0, width(last)-half))
}

// wrap breaks a text at blanks only, since paths and options are to be copied.
func wrap(text string, room int) []string {
	if width(text) <= room {
		return []string{text}
	}
	var lines []string
	line := ""
	for _, word := range strings.SplitAfter(text, " ") {
		if line != "" && width(strings.TrimRight(line+word, " ")) > room {
			lines = append(lines, strings.TrimRight(line, " "))
			line = ""
		}
		line += word
	}
	return append(lines, line)
}
