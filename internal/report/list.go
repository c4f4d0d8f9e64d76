package report

import (
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"
)

// Aligned are rows of texts as lines, each column as wide as its widest text; one that
// begins with a digit stands right.
func Aligned(list [][]string) (lines []string) {
	var widths []int
	for _, row := range list {
		for i, cell := range row {
			if i == len(widths) {
				widths = append(widths, 0)
			}
			widths[i] = max(widths[i], text.RuneWidthWithoutEscSequences(Clean(cell)))
		}
	}
	for _, row := range list {
		var b strings.Builder
		for i, cell := range row {
			if widths[i] == 0 {
				continue
			}
			cell = Clean(cell)
			room := strings.Repeat(" ", widths[i]-text.RuneWidthWithoutEscSequences(cell))
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
