package render

import (
	"strings"

	"yoyaku/internal/core/phrase"
)

// Caret shows a phrase and marks the place in it. Of a long phrase or one of
// several lines it shows the part around the place.
func Caret(f *phrase.Error) string {
	if f.Phrase == "" {
		return ""
	}
	line := strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return ' '
		}
		return r
	}, f.Phrase)
	start, end := min(f.Span.Start, len(f.Phrase)), min(f.Span.End, len(f.Phrase))
	if len(line) != len(f.Phrase) { // broken text: no place to point at
		return "  " + line + "\n"
	}
	const most = 74
	if from := start - most/2; from > 0 && len(line) > most {
		for from < start && line[from] != ' ' {
			from++
		}
		line, start, end = "…"+line[from:], start-from+len("…"), end-from+len("…")
	}
	if len(line) > most+20 {
		cut := max(most, min(start+10, len(line)))
		for cut < len(line) && line[cut]&0xc0 == 0x80 {
			cut++
		}
		line = line[:cut] + "…"
	}
	start, end = min(start, len(line)), min(end, len(line))
	width := max(1, cellWidth(line[start:max(start, end)]))
	return "  " + line + "\n  " + strings.Repeat(" ", cellWidth(line[:start])) +
		strings.Repeat("^", width) + "\n"
}
