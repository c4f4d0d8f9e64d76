package render

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
)

// AlignColumns are rows of texts as lines, each column as wide as its widest text; one that
// begins with a digit stands right.
func AlignColumns(list [][]string) (lines []string) {
	var widths []int
	for _, row := range list {
		for i, cell := range row {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			widths[i] = max(widths[i], cellWidth(Clean(cell)))
		}
	}
	for _, row := range list {
		var b strings.Builder
		for i, cell := range row {
			if widths[i] == 0 {
				continue
			}
			cell = Clean(cell)
			room := strings.Repeat(" ", widths[i]-cellWidth(cell))
			if cell != "" && cell[0] >= '0' && cell[0] <= '9' && i < len(row)-1 {
				b.WriteString(room + cell + "  ")
			} else {
				b.WriteString(cell + room + "  ")
			}
		}
		lines = append(lines, strings.TrimRight(b.String(), " "))
	}
	return lines
}

// WrapParagraphs wraps the paragraphs of a text to a width; one with indented lines stays as it is.
func WrapParagraphs(long string, width int) string {
	paragraphs := strings.Split(strings.TrimRight(long, "\n "), "\n\n")
	for i, p := range paragraphs {
		if !strings.Contains("\n"+p, "\n ") {
			paragraphs[i] = strings.Join(WrapLines(p, width), "\n")
		}
	}
	return strings.Join(paragraphs, "\n\n")
}

// WrapLines are the lines of a text of a width.
func WrapLines(s string, width int) []string {
	lines := strings.Split(text.WrapSoft(strings.Join(strings.Fields(s), " "), width), "\n")
	for i := range lines { // the wrapper pads them
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	return lines
}

// EndSentence is a text that ends with a full stop; one of several lines, or that ends with
// other punctuation, stays as it is.
func EndSentence(format string, args []any) string {
	line := fmt.Sprintf(format, args...)
	if line == "" || strings.Contains(line, "\n") || strings.ContainsAny(line[len(line)-1:], ".:!?") {
		return line
	}
	return line + "."
}
