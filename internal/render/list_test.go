package render

import (
	"strings"
	"testing"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

func TestBufferedTable(t *testing.T) {
	got := strings.Join(AlignColumns([][]string{{"a.csv", "new", "7 dates", ""}, {"größer.ics", "changed", "48 dates", "3 moved"}, {"c\x1b[1m", "unchanged", "", ""}}), "\n")
	want := "a.csv       new         7 dates\ngrößer.ics  changed    48 dates  3 moved\nc [1m       unchanged"
	if got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	if got := strings.Join(AlignColumns([][]string{{"a", "", "1"}, {"b", "", "20"}}), "|"); got != "a  1|b  20" {
		t.Errorf("a column without texts: %s", got)
	}
	if got, want := WrapParagraphs("one two\nthree four five\n\n  kept as\n  it is\n\nsix\n", 11), "one two\nthree four\nfive\n\n  kept as\n  it is\n\nsix"; got != want {
		t.Errorf("got\n%q\nwant\n%q", got, want)
	}
	for text, want := range map[string]string{"2 rows": "2 rows.", "": "", "is it?": "is it?", "so:": "so:", "a\nb": "a\nb", "end.": "end."} {
		if got := EndSentence("%s", []any{text}); got != want {
			t.Errorf("%q as %q, want %q", text, got, want)
		}
	}
}

// TestTableGroups sets blocks apart: by a text, which is written once, and by the sign of a number.
func TestTableGroups(t *testing.T) {
	for _, c := range []struct {
		column string
		want   string
	}{
		{"what", "what  left  text\n----------------\na       -2  x *\n        -1  y\n\nb        0  z\n\na        3  x\n         4  x\n"},
		{"left", "what  left  text\n----------------\na       -2  x *\na       -1  y\n\nb        0  z\n\na        3  x\na        4  x\n"},
		{"none", "what  left  text\n----------------\na       -2  x *\na       -1  y\nb        0  z\na        3  x\na        4  x\n"},
	} {
		var b strings.Builder
		s := newTable(&b, Options{GroupBy: c.column})
		if err := s.Header([]string{"what", "left", "text"}); err != nil {
			t.Fatal(err)
		}
		for n, row := range [][]eval.Value{{eval.Str("a"), eval.Int(-2), eval.Str("x")}, {eval.Str("a"), eval.Int(-1), eval.Str("y")},
			{eval.Str("b"), eval.Int(0), eval.Str("z")}, {eval.Str("a"), eval.Int(3), eval.Str("x")}, {eval.Str("a"), eval.Int(4), eval.Str("x")}} {
			s.(*tableSink).Display().Highlight(map[bool]rows.Emphasis{true: rows.NearRow}[n == 0])
			if err := s.Row(row); err != nil {
				t.Fatal(err)
			}
		}
		if err := s.Close(); err != nil || b.String() != c.want {
			t.Errorf("apart by %s: %v\n%s\nwant\n%s", c.column, err, b.String(), c.want)
		}
	}
}
