package tabular

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/core/eval"
)

// readAll reads a table as lines of cells behind their line numbers, its columns first.
func readAll(text string, o Options) (string, error) {
	r, err := o.Read("t.csv", ".csv", strings.NewReader(text))
	if err != nil {
		return "", err
	}
	b := strings.Builder{}
	b.WriteString(strings.Join(r.Columns(), ","))
	for {
		batch, err := r.Next()
		if batch == nil || err != nil {
			return b.String(), err
		}
		_ = batch.Each(func(line int, cells []eval.Value) error {
			fmt.Fprintf(&b, "|%d", line)
			for _, c := range cells {
				b.WriteString("," + c.String())
			}
			return nil
		})
	}
}

// Rows that are none of a table: what is left is as it was, at its lines, and what is left out is
// counted with its lines.
func TestRowFilter(t *testing.T) {
	const sheet = "A title\n\nunit,day,n\nQuay,2027-01-15,5\nQuay,2027-02-15,2\nTotal Quay,,7\nunit,day,n\nYard,,\nYard,2027-03-15,1\nYard total,,1\nTotal:,,8\nSource\nSeen\n"
	for _, c := range []struct {
		text string
		o    Options
		want string // rows, then what was left out; or the error
	}{
		{sheet, Options{HeaderRow: 3, Filter: RowFilter{Skip: SkipKinds}}, "unit,day,n|4,Quay,2027-01-15,5|5,Quay,2027-02-15,2|8,Yard,,|9,Yard,2027-03-15,1 3 rows of totals of t left out (lines 6, 10, 11) 1 repeated heading of t left out (line 7) 2 notes below the table of t left out (lines 12, 13)"},
		{sheet, Options{HeaderRow: 3, Filter: RowFilter{First: 5, Last: 9, Skip: []string{"headings", "totals"}}}, "unit,day,n|5,Quay,2027-02-15,2|8,Yard,,|9,Yard,2027-03-15,1 1 row of totals of t left out (line 6) 1 repeated heading of t left out (line 7)"},
		{sheet, Options{HeaderRow: 3, Filter: RowFilter{Last: 5}}, "unit,day,n|4,Quay,2027-01-15,5|5,Quay,2027-02-15,2"},
		{sheet, Options{HeaderRow: 3, Filter: RowFilter{First: 4, Last: 4, Headless: true}}, "A,B,C|4,Quay,2027-01-15,5"},
		{sheet, Options{HeaderRow: 3, Filter: RowFilter{Skip: []string{"totals"}}}, "t.csv:12: this row has 1 cell, the header has 3. Use --repair to fill short rows with blanks"},
		{sheet, Options{HeaderRow: 3, Filter: RowFilter{Skip: []string{"totals", "headings"}}, Repairs: &Repairs{}}, "unit,day,n|4,Quay,2027-01-15,5|5,Quay,2027-02-15,2|8,Yard,,|9,Yard,2027-03-15,1|12,Source,,|13,Seen,, 3 rows of totals of t left out (lines 6, 10, 11) 1 repeated heading of t left out (line 7)"},
		{sheet, Options{HeaderRow: 99, Filter: RowFilter{Last: 5}}, "t.csv:99: there is no header row 99"},
		{"a,b\n1,2\nx\n3,4\n", Options{Filter: RowFilter{Skip: []string{"notes"}}}, "t.csv:3: this row has 1 cell, the header has 2. Use --repair to fill short rows with blanks"},
		{"a,b\n1,2\nTotal,2027-01-15\n", Options{Filter: RowFilter{Skip: []string{"totals"}}}, "a,b|2,1,2|3,Total,2027-01-15"},
		{"a,b\n1,2\nTotal of berths,5\n", Options{Filter: RowFilter{Skip: []string{"totals"}}}, "a,b|2,1,2|3,Total of berths,5"},
		{"a,b\n1,2\n1,2,3\n", Options{Filter: RowFilter{Skip: []string{"totals"}}}, "t.csv:3: this row has 3 cells, the header has 2"},
		{"1,2\n3,4,5\n6\n", Options{Filter: RowFilter{Headless: true}}, "A,B,C|1,1,2,|2,3,4,5|3,6,,"},
		{"", Options{Filter: RowFilter{Headless: true}}, "t.csv:1: the table is empty"},
		{"\n", Options{Filter: RowFilter{Last: 4}}, "t.csv:1: the table is empty: it has no header"},
		{"a,,\n1,2,3\n", Options{Filter: RowFilter{Last: 4}}, "t.csv:1: column 2 of the header has no name. Use --repair to number it, or --header-row N if the names are in another row"},
		{"day        name\n2027-01-15  One   \n\n2027-02-15\tTwo words\n", Options{Separator: "blanks"}, "day,name|2,2027-01-15,One|4,2027-02-15,Two words"},
		{"Holidays\nFri 26 March: Good Friday\nChristmas Day - 25 December\n3 May\n", Options{Separator: "blanks", Filter: RowFilter{Headless: true, First: 2}}, "A,B|2,Fri 26 March,Good Friday|3,25 December,Christmas Day|4,3 May,"},
	} {
		c.o.Skipped = SkippedRows{}
		got, err := readAll(c.text, c.o)
		if err != nil {
			got = err.Error()
		} else {
			got = strings.Join(append([]string{got}, c.o.Skipped.Notes("t")...), " ")
		}
		if got != c.want {
			t.Errorf("%+v of %q:\n%s, want\n%s", c.o.Filter, c.text, got, c.want)
		}
	}
	for text, want := range map[string]string{"5..31": "5 31 <nil>", "5..": "5 0 <nil>", "..7": "0 7 <nil>", " 2 .. 2 ": "2 2 <nil>", "0..": "0 0", "..": "0 0", "7..3": "0 0", "5": "0 0", "a..b": "0 0", "-1..4": "0 0"} {
		first, last, err := ParseLines(text)
		if got := fmt.Sprint(first, last, " ", err); !strings.HasPrefix(got, want) || (err == nil) != strings.HasSuffix(want, "<nil>") {
			t.Errorf("%q: %s, want %s", text, got, want)
		}
	}
	for i, want := range map[int]string{0: "A", 25: "Z", 26: "AA", 51: "AZ", 52: "BA", 701: "ZZ", 702: "AAA"} {
		if got := ColumnLetter(i); got != want {
			t.Errorf("column %d is %s, want %s", i, got, want)
		}
	}
}

// The end of a file that is too long to be looked at whole: its last rows are seen, at their lines.
func TestReadGrid_tail(t *testing.T) {
	dir := t.TempDir()
	for _, n := range []int{3, 999, 1000, 1001, 5000, 30000} {
		var b strings.Builder
		b.WriteString("id;day;note\n")
		for i := range n {
			fmt.Fprintf(&b, "%d;2027-01-%02d;\"two\nlines\"\n", i, i%28+1)
		}
		b.WriteString("Total;;5\nSource: the yard\n")
		path := filepath.Join(dir, "t.csv")
		if err := os.WriteFile(path, []byte(b.String()), 0o600); err != nil {
			t.Fatal(err)
		}
		g, err := ReadGrid(path, nil, Options{})
		if err != nil {
			t.Fatal(err)
		}
		if whole := n+3 < maxLookedRows; g.IsWhole != whole || len(g.Rows) != min(n+3, maxLookedRows) || (len(g.Tail) > 0) == (n+3 <= maxLookedRows) {
			t.Errorf("%d rows: whole %t, %d first and %d last rows", n, g.IsWhole, len(g.Rows), len(g.Tail))
		}
		l := Look(g, Told{HeaderRow: -1, Context: testContext})
		want := fmt.Sprintf("there is 1 row of totals (line %d); there is 1 note below the table (line %d)", 2*n+2, 2*n+3)
		if got := strings.Join(l.Notes, "; "); got != want {
			t.Errorf("%d rows: %s, want %s", n, got, want)
		}
	}
}

// What was told goes before what is seen.
func TestLook_told(t *testing.T) {
	const sheet = "Leave 2027\n\nwho|from|end\nA|03/04/2027|31.12.2027\nB|05/06/2027|cancelled\nC|3 May|laufend\nSource"
	for _, c := range []struct {
		told Told
		want string // the columns that matter, with forms and words
	}{
		{Told{HeaderRow: -1}, "who 0 ; from 2 dmy 2027 [mdy 2027]; end 2 dmy [] map[1:[laufend] 2:[cancelled]]"},
		{Told{HeaderRow: -1, Forms: map[string]string{"from": "mdy"}}, "who 0 ; from 2 mdy [] odd 1; end 2 dmy [] map[1:[laufend] 2:[cancelled]]"},
		{Told{HeaderRow: -1, OpenWords: []string{"LAUFEND", "cancelled"}}, "who 0 ; from 2 dmy 2027 [mdy 2027]; end 2 dmy []"},
		{Told{HeaderRow: 3, First: 6, Last: 6}, "who 0 ; from 2 dmy 2027 []; end 0 "},
		{Told{HeaderRow: 0, First: 4, Last: 5}, "A 0 ; B 2 dmy [mdy]; C 2 dmy [] map[2:[cancelled]]"},
		{Told{HeaderRow: 3, First: 4, Last: 5, Dates: []string{"who"}}, "who 2  [] map[0:[A B]]; from 2 dmy [mdy]; end 2 dmy [] map[2:[cancelled]]"},
	} {
		c.told.Context = testContext
		var parts []string
		for _, col := range Look(gridOf(sheet), c.told).Columns {
			text := fmt.Sprintf("%s %d %s", col.Name, col.Kind, col.Form)
			if col.Kind == DateColumn {
				text += fmt.Sprint(" ", col.Also)
			}
			if col.NumOdd > 0 {
				text += fmt.Sprint(" odd ", col.NumOdd)
			}
			if len(col.Words) > 0 && col.Kind == DateColumn {
				text += fmt.Sprint(" ", col.Words)
			}
			parts = append(parts, text)
		}
		if got := strings.Join(parts, "; "); got != c.want {
			t.Errorf("%+v:\n%s, want\n%s", c.told, got, c.want)
		}
	}
}
