package report

import (
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

// Every format of the register writes a table, marks what a spreadsheet would
// run where that is asked, and shows dates as they are asked for.
func TestFormats(t *testing.T) {
	d, _, _ := civil.Parse("2027-03-05")
	show, err := Strftime("%d %b %Y", nil)
	if err != nil {
		t.Fatal(err)
	}
	table := [][]eval.Value{{eval.Str("=1+1"), eval.Day(d)}, {eval.Str("＠x"), {}}}
	for _, c := range []struct{ format, look, want string }{
		{"csv", "", "=a,day\n=1+1,2027-03-05\n＠x,\n"},
		{"csv", "safe", "'=a,day\n'=1+1,2027-03-05\n'＠x,\n"},
		{"csv", "safe dates", "'=a,day\n'=1+1,05 Mar 2027\n'＠x,\n"},
		{"tsv", "safe", "'=a\tday\n'=1+1\t2027-03-05\n'＠x\t\n"},
		{"jsonl", "safe", `{"'=a": "'=1+1", "day": "2027-03-05"}`},
		{"json", "dates", `{"=a": "=1+1", "day": "05 Mar 2027"}`},
		{"md", "safe dates", "| '=1+1 | 05 Mar 2027 |"},
		{"md", "title", "**T, as of 2027-03-05**"},
		{"html", "title", "<h1>T, as of 2027-03-05</h1>"},
		{"html", "dates", "<td>05 Mar 2027</td>"},
		{"table", "title", "T, as of 2027-03-05\n\n=a"},
		{"table", "dates", "05 Mar 2027"},
		{"xlsx", "", "PK"},
	} {
		look := Look{AsOf: d, Safe: strings.Contains(c.look, "safe")}
		if strings.Contains(c.look, "dates") {
			look.Dates = show
		}
		if strings.Contains(c.look, "title") {
			look.Title = "T"
		}
		f, ok := Find(c.format)
		if !ok {
			t.Fatal(c.format)
		}
		var b strings.Builder
		s, err := f.Sink(&b, look)
		if err != nil {
			t.Fatal(err)
		}
		fill(t, s, []string{"=a", "day"}, table)
		if !strings.Contains(b.String(), c.want) {
			t.Errorf("%s %s:\n%s, want\n%s", c.format, c.look, b.String(), c.want)
		}
		if _, draws := s.(rows.GridSink); draws != (c.format == "table" || c.format == "html" || c.format == "xlsx") {
			t.Errorf("%s %s draws grids: %v", c.format, c.look, draws)
		}
	}
	if names := strings.Join(Names(true), " "); names != "table csv tsv json jsonl md html xlsx ics" || strings.Contains(strings.Join(Names(false), " "), "ics") {
		t.Errorf("the formats are %s", names)
	}
	f, _ := Find("ics")
	var b strings.Builder
	if s, err := f.Sink(&b, Look{}); err != nil || s.Header([]string{"a"}) == nil {
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
		w := Cleaner(&b)
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
	g.Book("a\u202eb", g.Window, "x\x1b", g.Calendar)
	if err := DrawGrid(&b, g, Look{Title: "t\x1b]0;x\x07"}); err != nil || strings.ContainsAny(b.String(), "\x1b\x07\u202e") {
		t.Errorf("a grid: %q %v", b.String(), err)
	}
}
