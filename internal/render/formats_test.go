package render

import (
	"strings"
	"testing"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

// Every format of the register writes a table, marks what a spreadsheet would
// run where that is asked, and shows dates as they are asked for.
func TestFormats(t *testing.T) {
	d, _, _ := civil.Parse("2027-03-05")
	show, err := Strftime("%d %b %Y", nil, nil)
	if err != nil {
		t.Fatal(err)
	}
	table := [][]eval.Value{{eval.Str("=1+1"), eval.Day(d)}, {eval.Str("＠x"), {}}}
	for _, c := range golden.Cases(t, "testdata/formats.cases", 3) {
		look := Options{AsOf: d, GuardFormulas: strings.Contains(c[1], "safe")}
		if strings.Contains(c[1], "dates") {
			look.Dates = show
		}
		if strings.Contains(c[1], "title") {
			look.Title = "T"
		}
		f, ok := FindFormat(c[0])
		if !ok {
			t.Fatal(c[0])
		}
		var b strings.Builder
		s, err := f.OpenRows(&b, look)
		if err != nil {
			t.Fatal(err)
		}
		fill(t, s, []string{"=a", "day"}, table)
		if !strings.Contains(b.String(), c[2]) {
			t.Errorf("%s %s:\n%s, want\n%s", c[0], c[1], b.String(), c[2])
		}
		if draws := rows.DisplayOf(s).DrawGrid != nil; draws != (c[0] == "table" || c[0] == "html" || c[0] == "xlsx") {
			t.Errorf("%s %s draws grids: %v", c[0], c[1], draws)
		}
	}
	if names := strings.Join(FormatNames(true), " "); names != "table csv tsv json jsonl md html xlsx ics" || strings.Contains(strings.Join(FormatNames(false), " "), "ics") {
		t.Errorf("the formats are %s", names)
	}
	f, _ := FindFormat("ics")
	var b strings.Builder
	if to, err := f.Open(&b, Options{}); err != nil || to.Rows != nil || to.Events == nil {
		t.Error("rows go out as calendar events")
	}
}

// Nothing that could steer a terminal gets through, in one piece or byte by byte;
// the rest does.
func TestCleaner(t *testing.T) {
	nasty := "a\x1b[31mb\x07\u202ec\u2066d\u200fe\x7ff\u009bg\u061c\tü⛴\nh\xff"
	want := "a [31mb  c d e f g \tü⛴\nh "
	if got := CleanLines(strings.ReplaceAll(nasty, "\xff", "")); got != strings.ReplaceAll(want[:len(want)-1], "\t", " ") {
		t.Errorf("lines: %q", got)
	}
	if got := Clean("a\nb\x00c"); got != "a b c" {
		t.Errorf("one line: %q", got)
	}
	for _, step := range []int{1, 2, 3, 1000} {
		var b strings.Builder
		w := NewCleanWriter(&b)
		for rest := []byte(nasty); len(rest) > 0; {
			n := min(step, len(rest))
			if m, err := w.Write(rest[:n]); m != n || err != nil {
				t.Fatal(m, err)
			}
			rest = rest[n:]
		}
		if b.String() != want {
			t.Errorf("%d bytes at a time: %q, want %q", step, b.String(), want)
		}
	}
	var b strings.Builder
	g := rows.NewGrid("who\x1b[1m", civil.Span{First: 740000, Last: 740001}, false, workdays.New("plain", workdays.Weekend))
	g.Mark("a\u202eb", workdays.Extent{Span: g.Window}, "x\x1b", g.Calendar)
	if err := drawGrid(&b, g, Options{Title: "t\x1b]0;x\x07"}); err != nil || strings.ContainsAny(b.String(), "\x1b\x07\u202e") {
		t.Errorf("a grid: %q %v", b.String(), err)
	}
}
