package tabular

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
)

// Days and numbers are read from the text of rows that have them, and from no others.
func TestEachDays(t *testing.T) {
	r, _, err := Open("-", strings.NewReader("d,n\n2027-01-02,3\nsoon,4\n2027-01-03,x\n2027-01-04,\n,5\n\"2027-01-05\",6\n"), Options{})
	if err != nil {
		t.Fatal(err)
	}
	batch, err := r.Next()
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	days := make([]int32, 2)
	err = batch.(rows.TextBatch).EachDays([]int{0, 1}, []bool{false, true}, days,
		func(line int, text string, _ []eval.Value) error {
			got = append(got, fmt.Sprint(line, " ", civil.Date(days[0]), " ", days[1]))
			return nil
		},
		func(line int, text string, cells []eval.Value) error {
			got = append(got, fmt.Sprint(line, " ", cells[0], "|", cells[1]))
			return nil
		})
	if want := "2 2027-01-02 3, 3 soon|4, 4 2027-01-03|x, 5 2027-01-04|, 6 |5, 7 2027-01-05|6"; err != nil || strings.Join(got, ", ") != want {
		t.Errorf("%v %v, want %s", got, err, want)
	}
}

// A grid as a workbook reads back as its plain table, with the days of the month on top.
func TestGridXLSX(t *testing.T) {
	window := civil.Span{First: 740135, Last: 740140} // Thursday 3 June 2027 to Tuesday
	g := rows.NewGrid("person", window, false, workdays.New("plain", workdays.Weekend))
	for _, c := range []struct {
		name        string
		first, last civil.Date
		mark        string
	}{{"Ansa", -2, 1, "x"}, {"Ansa", 1, 1, "sick"}, {"=Borro", 2, 4, "L"}} {
		if err := g.Mark(c.name, workdays.Extent{Span: civil.Span{First: window.First + c.first, Last: window.First + c.last}}, c.mark, g.Calendar); err != nil {
			t.Fatal(err)
		}
	}
	g.AddName("Cairn")
	var b bytes.Buffer
	if err := gridXLSX(&b, g, BookProperties{}); err != nil {
		t.Fatal(err)
	}
	table, _, err := all("a.xlsx", b.String(), Options{HeaderRow: 2})
	var got []string
	for _, row := range table {
		got = append(got, strings.Join(row, "|"))
	}
	want := "person|3|4|5|6|7|8|total; Ansa|x|x/sick|||||2; =Borro|||||L||1; Cairn|||||||0; total|1|1|||1||3"
	if text := strings.Join(got, "; "); err != nil || text != want {
		t.Errorf("%v %s, want\n%s", err, text, want)
	}
}

// Texts that a spreadsheet would run, however they are hidden.
func TestFormulas(t *testing.T) {
	for _, s := range []string{"=1", "+1", "-x", "@a", "\t1", "\r1", "\n1", "＝1", "＋a", "－a", "＠a", " =1", "\u00a0=1", "\u200b+1", " ＝1", "\x00=1"} {
		if !isFormula(s) {
			t.Errorf("%q is a formula", s)
		}
	}
	for _, s := range []string{"", "=", "-", "+", "1=1", "a-b", " a", "  ", " =", "x＝1", "'=1"} {
		if want := s == " ="; isFormula(s) != want {
			t.Errorf("%q is a formula: %v", s, !want)
		}
	}
}

// Sinks write what they say, byte by byte.
func TestSinks(t *testing.T) {
	d, _, _ := civil.Parse("2027-04-03")
	for name, want := range map[string]string{
		"csv": "a,\"b,c\"\n\"x\"\"y\",2027-04-03\n,2.5\n", "tsv": "a\tb,c\n\"x\"\"y\"\t2027-04-03\n\t2.5\n",
		"json": "[\n{\"a\": \"x\\\"y\", \"b,c\": \"2027-04-03\"},\n{\"a\": null, \"b,c\": 2.5}\n]\n", "jsonl": "{\"a\": \"x\\\"y\", \"b,c\": \"2027-04-03\"}\n{\"a\": null, \"b,c\": 2.5}\n",
	} {
		var b bytes.Buffer
		s := map[string]func(io.Writer) rows.Sink{"csv": func(w io.Writer) rows.Sink { return NewCSV(w, ',', false) }, "tsv": func(w io.Writer) rows.Sink { return NewCSV(w, '\t', false) }, "json": NewJSON, "jsonl": NewJSONL}[name](&b)
		n, _ := eval.ParseNumber("2.5")
		for _, err := range []error{s.Header([]string{"a", "b,c"}), s.Row([]eval.Value{eval.Str(`x"y`), eval.Day(d)}), s.Row([]eval.Value{{}, n}), s.Close()} {
			if err != nil {
				t.Fatal(err)
			}
		}
		if b.String() != want {
			t.Errorf("%s:\n%q, want\n%q", name, b.String(), want)
		}
	}
	days := []eval.Value{eval.Day(d), eval.Day(d), eval.Day(d + 1), {}, eval.Day(d), {Kind: eval.DateTime, Day: d, Minutes: 5}, eval.Day(d + 1), eval.Bool(true)}
	if got := string(appendCSV(nil, days, ';', false)); got != "2027-04-03;2027-04-03;2027-04-04;;2027-04-03;2027-04-03T00:05;2027-04-04;true\n" {
		t.Errorf("days side by side: %s", got)
	}
	// Rows are written as they came in only if nothing in them is to be changed.
	for _, c := range []struct{ safe, same bool }{{false, true}, {true, false}} {
		to := NewCSV(io.Discard, ';', c.safe).(rows.TextSink)
		if to.AcceptsText(';') != c.same || to.AcceptsText(',') {
			t.Errorf("safe %v: the same with ; %v, with , %v", c.safe, to.AcceptsText(';'), to.AcceptsText(','))
		}
		var b bytes.Buffer
		to = NewCSV(&b, ';', c.safe).(rows.TextSink)
		extra := []eval.Value{eval.Str("=1"), eval.Str("a;b"), {}, eval.Int(-3)}
		text := string(to.EncodeText([]byte("before\n"), `x;"y"`, extra)) + string(to.EncodeDays(nil, "x;y", []eval.Kind{eval.Date, eval.Number}, [][]int32{{0, int32(d)}, {7, -12}}, 1))
		if err := errors.Join(to.WriteText("x", extra[2:]), to.WriteBlock([]byte("block\n")), to.WriteBlock(bytes.Repeat([]byte("0123456789abcde\n"), 1<<13)), to.Close()); err != nil {
			t.Fatal(err)
		}
		want := "before\nx;\"y\";=1;\"a;b\";;-3\nx;y;2027-04-03;-12\n"
		if c.safe {
			want = strings.Replace(want, "=1", "'=1", 1)
		}
		if text != want || !strings.HasPrefix(b.String(), "x;;-3\nblock\n0123") || b.Len() != 6+6+16<<13 {
			t.Errorf("safe %v: %q, %d bytes %.20q, want %q", c.safe, text, b.Len(), b.String(), want)
		}
	}
	// Whatever is in a cell, and at whichever place: encoding/csv reads it back.
	for _, c := range []string{",", "\"", "\n", "\r", " ", "\t", "x", "\\."} {
		for n := range 20 {
			for _, text := range []string{strings.Repeat("a", n) + c + strings.Repeat("b", 19-n), strings.Repeat("a", n) + c} {
				got := string(appendCSV(nil, []eval.Value{eval.Str(text), eval.Str("z")}, ',', false))
				back, err := csv.NewReader(strings.NewReader(got)).Read()
				if err != nil || len(back) != 2 || back[0] != strings.ReplaceAll(text, "\r\n", "\n") || back[1] != "z" {
					t.Fatalf("%q is written %q, which reads as %q, %v", text, got, back, err)
				}
				if quoted := got[0] == '"'; quoted != (c != "x" && (strings.ContainsAny(c, ",\"\n\r") || text[0] == ' ' || text[0] == '\t' || text == "\\.")) {
					t.Fatalf("%q is written %q", text, got)
				}
			}
		}
	}
	if got := string(appendCSV(nil, []eval.Value{eval.Str("=SUM(A1)"), eval.Str("-")}, ',', true)); got != "'=SUM(A1),-\n" {
		t.Errorf("safe for spreadsheets: %q", got)
	}
}
