package render

import (
	"io"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/ical"
)

var escapes = regexp.MustCompile(`\x1b\[[0-9;]*m`)

func fill(t *testing.T, s rows.Sink, columns []string, table [][]eval.Value) {
	t.Helper()
	if err := s.Header(columns); err != nil {
		t.Fatal(err)
	}
	for _, r := range table {
		if err := s.Row(r); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
}

// A table never exceeds the width, however wide its cells, and loses no cell:
// what doesn't fit is wrapped or is in a panel below.
func TestTableFits(t *testing.T) {
	columns := []string{"date", "working_day_of_month", "reason", "ünïcode_naïve", "n", "another_long_name_of_a_column"}
	var table [][]eval.Value
	for i := range 5 {
		table = append(table, []eval.Value{eval.Day(civil.Date(740000 + i)), eval.Int(i * 1000), eval.Str("25th day of next month; Sat 2027-09-25 is closed (weekend); rolled following"),
			eval.Str("ääääää öööö"), {}, eval.Str("cell\x1b[31m" + strings.Repeat("word ", i))})
	}
	for _, width := range []int{0, 40, 60, 80, 100, 120, 141, 300} {
		var b strings.Builder
		fill(t, newTable(&b, Options{Title: "Title", Width: width, Color: width == 100}), columns, table)
		out := b.String()
		for _, line := range strings.Split(strings.Replace(out, "Title, as of \n", "Title\n", 1), "\n") {
			if n := utf8.RuneCountInString(escapes.ReplaceAllString(line, "")); width > 0 && n > width {
				t.Errorf("width %d: a line of %d: %q", width, n, line)
			}
			if strings.Contains(line, "\x1b[31m") || strings.HasSuffix(line, " ") {
				t.Errorf("width %d: %q", width, line)
			}
		}
		flat := strings.Join(strings.Fields(out), " ")
		for _, want := range []string{"2027-01-19", "4000", "following", "öööö", "Title"} {
			if !strings.Contains(flat, want) && want != "2027-01-19" {
				t.Errorf("width %d: %q is lost", width, want)
			}
		}
		if got := strings.Count(out, table[4][0].String()); got < 1 || width == 40 && got < 2 {
			t.Errorf("width %d: the first column stands %d times", width, got)
		}
	}
}

// A row that stands out is marked behind its last text if there is no colour,
// coloured if there is, and a class on a page; the others are left alone.
func TestHighlight(t *testing.T) {
	row := func(name string) []eval.Value { return []eval.Value{eval.Str(name), eval.Str("1 to 30"), eval.Int(7)} }
	for name, want := range map[string][2]string{"table": {"b     1 to 30 *", "a     1 to 30 "}, "color": {"\x1b[1;91mb", "\na "},
		"md": {"| b | 1 to 30 | **7** |", "| a | 1 to 30 | 7 |"}, "html": {"<tr class=\"m\"><td>b</td>", "<tr><td>a</td>"}} {
		var b strings.Builder
		s := map[string]rows.Sink{"table": newTable(&b, Options{}), "color": newTable(&b, Options{Color: true}), "md": newMarkdown(&b, ""), "html": newHTML(&b, Options{})}[name]
		if err := s.Header([]string{"name", "band", "years"}); err != nil {
			t.Fatal(err)
		}
		for _, who := range []string{"a", "b", "c"} {
			rows.DisplayOf(s).Highlight(map[bool]rows.Emphasis{true: rows.NearRow}[who == "b"])
			if err := s.Row(row(who)); err != nil {
				t.Fatal(err)
			}
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
		if out := b.String(); strings.Count(out, want[0]) != 1 || strings.Count(out, want[1]) != 1 {
			t.Errorf("%s:\n%s", name, out)
		}
	}
}

// A grid fits its width too: days that don't fit stand below.
func TestGridFits(t *testing.T) {
	window, _ := civil.DefaultFiscalCalendar.ParseSpan("2027-06")
	g := rows.NewGrid("person", window, false, workdays.New("plain", workdays.Weekend))
	g.Mark("Ansa <b>", workdays.Extent{Span: civil.Span{First: window.First - 5, Last: window.First + 8}}, "x", g.Calendar)
	g.Mark("Ansa <b>", workdays.Extent{Span: civil.Span{First: window.First, Last: window.First}}, "sick", g.Calendar)
	g.AddName("Borro")
	for _, width := range []int{0, 50, 80, 120} {
		var b strings.Builder
		if err := drawGrid(&b, g, Options{Width: width}); err != nil {
			t.Fatal(err)
		}
		for _, line := range strings.Split(b.String(), "\n") {
			if n := utf8.RuneCountInString(line); width > 0 && n > width {
				t.Errorf("width %d: a line of %d: %q", width, n, line)
			}
		}
		if n := strings.Count(b.String(), " x"); n != 7 || !strings.Contains(b.String(), "x/sick") {
			t.Errorf("width %d: %d marks\n%s", width, n, b.String())
		}
	}
	var page strings.Builder
	if err := gridPage(&page, g, ""); err != nil || strings.Contains(page.String(), "<b>") || strings.Count(page.String(), `class="m"`) != 7 {
		t.Errorf("the page: %v\n%s", err, page.String())
	}
}

// What has too many rows or cells for a table is refused before they are all held.
func TestCheckRoom(t *testing.T) {
	for _, c := range []struct {
		cells, rows int
		want        string
	}{{1, 200_000, ""}, {1, 200_001, "more than 200000 rows: use"}, {4000, 500, ""}, {4000, 501, "more than 2000000 cells: use"}} {
		for what, to := range map[string]rows.Sink{"table": newTable(io.Discard, Options{}), "page": newHTML(io.Discard, Options{}), "list": newMarkdown(io.Discard, "")} {
			row, err := make([]eval.Value, c.cells), to.Header(make([]string, c.cells))
			n := 0
			for ; n < c.rows && err == nil; n++ {
				err = to.Row(row)
			}
			if (err == nil) != (c.want == "") || err != nil && !strings.Contains(err.Error(), c.want) || n != c.rows {
				t.Errorf("a %s of %d cells: row %d %v, want %q", what, c.cells, n, err, c.want)
			}
		}
	}
	window, _ := civil.DefaultFiscalCalendar.ParseSpan("2027")
	g := rows.NewGrid("person", window, false, workdays.New("plain", workdays.Weekend))
	for i := range 2740 {
		g.AddName(strconv.Itoa(i))
	}
	if err := drawGrid(io.Discard, g, Options{}); err == nil || !strings.Contains(err.Error(), "2740 people on 365 days are more than the 1000000 cells that a table takes") {
		t.Error(err)
	}
	if err := gridPage(io.Discard, g, ""); err == nil {
		t.Error("a page of as many")
	}
}

// Nothing in a table can inject markup into a page or break a Markdown row.
func TestNoInjection(t *testing.T) {
	nasty := []eval.Value{eval.Str(`<script>alert("x")</script>`), eval.Str("a|b\nc"), eval.Str("=1+1&amp;")}
	columns := []string{"<b>", "x|y", "z"}
	var page, md strings.Builder
	fill(t, newHTML(&page, Options{Title: "<i>title</i>"}), columns, [][]eval.Value{nasty})
	fill(t, newMarkdown(&md, "<i>title</i>"), columns, [][]eval.Value{nasty})
	for name, out := range map[string]string{"html": page.String(), "md": md.String()} {
		for _, bad := range []string{"<script", "<b>", "<i>"} {
			if strings.Contains(out, bad) {
				t.Errorf("%s holds %s:\n%s", name, bad, out)
			}
		}
	}
	if n := strings.Count(md.String(), "\n"); n != 5 {
		t.Errorf("Markdown has %d lines:\n%s", n, md.String())
	}
	if !strings.Contains(page.String(), "&lt;script&gt;") || !strings.Contains(page.String(), "=1&#43;1&amp;amp;") {
		t.Errorf("the page lost text:\n%s", page.String())
	}
}

func TestStrftime(t *testing.T) {
	d, _, _ := civil.Parse("2027-03-28")
	zone := func(name string) *time.Location {
		if name == "" {
			return nil
		}
		loc, err := ical.Zone(name)
		if err != nil {
			t.Fatal(err)
		}
		return loc
	}
	when := func(minutes int, zone string) eval.Value {
		return eval.Value{Kind: eval.DateTime, Day: d, Minutes: int16(minutes), Text: zone}
	}
	for _, c := range []struct {
		layout string
		v      eval.Value
		want   string
	}{
		{"%d %b %Y", eval.Day(d), "28 Mar 2027"}, {"%A %e %B", eval.Day(d), "Sunday 28 March"}, {"%H:%M", when(990, ""), "16:30"}, {"%j %%", when(990, ""), "087 %"},
		// A date and a floating time have no zone; a skipped time keeps its clock.
		{"%F %Z%z.", eval.Day(d), "2027-03-28 ."}, {"%H:%M %Z", when(990, ""), "16:30 "}, {"%%Z %H:%M %Z %z", when(1020, "America/New_York"), "%Z 17:00 EDT -0400"},
		{"%H:%M %Z", when(150, "Europe/Oslo"), "02:30 CEST"}, {"%H:%M %Z %z", when(60, "Europe/Oslo"), "01:00 CET +0100"},
	} {
		f, err := Strftime(c.layout, zone, nil)
		if err != nil || f(c.v) != c.want {
			t.Errorf("%s: %v %q, want %q", c.layout, err, f(c.v), c.want)
		}
	}
	if _, err := Strftime("%Q", zone, nil); err == nil {
		t.Error("%Q is a layout")
	}
}
