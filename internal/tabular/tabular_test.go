package tabular

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"encoding/xml"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/golden"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// all reads a table whole: the header and the cells as they print.
func all(name, text string, o Options) (table [][]string, lines []int, err error) {
	r, err := o.Read(name, "."+name[strings.LastIndexByte(name, '.')+1:], strings.NewReader(text))
	if err != nil {
		return nil, nil, err
	}
	table = append(table, r.Columns())
	for {
		b, err := r.Next()
		if err != nil || b == nil {
			return table, lines, err
		}
		err = b.Each(func(line int, cells []eval.Value) error {
			var row []string
			for _, c := range cells {
				row = append(row, c.String())
			}
			table, lines = append(table, row), append(lines, line)
			return nil
		})
		if err != nil {
			return table, lines, err
		}
	}
}

// shown reads a table whole: its cells joined by |, its rows by /.
func shown(name, text string, o Options) (string, error) {
	table, _, err := all(name, text, o)
	var parts []string
	for _, row := range table {
		parts = append(parts, strings.Join(row, "|"))
	}
	return strings.Join(parts, "/"), err
}

func TestReaders(t *testing.T) {
	long := strings.Repeat("ten bytes.", 1<<20)
	for _, c := range []struct {
		name, text string
		o          Options
		want       string // cells joined by |, rows by /; or the error
	}{
		{"a.csv", "a,b\n1,2\n\n3,\"x, \"\"y\"\"\nz\"\n", Options{}, "a|b/1|2/3|x, \"y\"\nz"},
		{"a.csv", "\xef\xbb\xbfa;b\r\n1,5;2\r\n", Options{}, "a|b/1,5|2"},
		{"a.csv", "a\tb\n1\t2", Options{}, "a|b/1|2"},
		{"a.csv", "a|b\n1|2\n", Options{}, "a|b/1|2"},
		{"a.tsv", "a,x\tb\n1\t2\n", Options{}, "a,x|b/1|2"},
		{"a.csv", "a\n\n1\n", Options{}, "a//1"},
		{"a.csv", "a,b\n,\n", Options{}, "a|b/|"},
		{"a.csv", "report of May\n\na,b\n1,2\n", Options{HeaderRow: 3}, "a|b/1|2"},
		{"a.csv", "note\n\"a, b\"\n\"c, d\"\n", Options{}, "note/a, b/c, d"},
		{"a.csv", "note\na;b\nc;d\n", Options{}, "note/a;b/c;d"},
		{"a.csv", "Berths\n\na;b;c\n1;2;3\n", Options{}, "seem to be in line 3: use --header-row 3"},
		{"a.csv", "May, June, July\na;b\n1,5;2\n", Options{HeaderRow: 2}, "a|b/1,5|2"},
		{"a.csv", "a,,A,b,a_2,\n1\n1,2,3,4,5,6\n", Options{Repairs: &Repairs{}}, "a|column_2|A_3|b|a_2|column_6/1|||||/1|2|3|4|5|6"},
		{"a.csv", "a,b,,\n1,2,,\n3,4, ,\n", Options{Repairs: &Repairs{}}, "a|b/1|2/3|4"},
		{"a.csv", "a,b,,\n1,2,,x\n", Options{Repairs: &Repairs{}}, "a|b|column_3|column_4/1|2||x"},
		{"a.csv", "a,b\n1,2,,\n", Options{Repairs: &Repairs{}}, "a|b/1|2"},
		{"a.csv", "a,b\n1,2,\n", Options{}, "this row has 3 cells"},
		{"a.csv", ",,\n1,2,3\n", Options{Repairs: &Repairs{}}, "column_1|column_2|column_3/1|2|3"},
		{"a.csv", "sep=;\na;b\n1,5;2\n3;4;5\n", Options{}, "a.csv:4: this row has 3 cells"},
		{"a.csv", "sep=|\r\na|b\r\n1;5|2\r\n", Options{}, "a|b/1;5|2"},
		{"a.tsv", "\"sep=,\"\na,b\n1,2\n", Options{}, "a|b/1|2"},
		{"a.csv", "sep=x\n1\n", Options{}, "sep=x/1"},
		{"a.csv", "x\nBerths\n\na;b;c\n1;2;3\n", Options{HeaderRow: 2}, "Berths//a;b;c/1;2;3"},
		{"a.csv", "\xe9,b\n1,2\n", Options{}, "a.csv:1: the text isn't UTF-8"},
		{"a.json", `[{"a": 1}, {"a": 2, "a": 3}]`, Options{}, "`a` twice"},
		{"a.csv", ",column_1\n1,2\n", Options{Repairs: &Repairs{}}, "column_2|column_1/1|2"},
		{"a.csv", "a,b\n1,2,3\n", Options{Repairs: &Repairs{}}, "this row has 3 cells, the header has 2. Use --header-row N"},
		{"a.csv", "a,b\n1\n", Options{}, "this row has 1 cell, the header has 2. Use --repair to fill short rows"},
		{"a.json", `[{"a": 1, "": 2}]`, Options{Repairs: &Repairs{}}, "a|column_2/1|2"},
		{"a.csv", "a,b\n\"1\n2\",3\n4,5,6\n", Options{}, "a.csv:4: this row has 3 cells, the header has 2"},
		{"a.csv", "a,b\n1,\"2\n3,4\n", Options{}, "a.csv:2: a quote is opened in this row and never closed"},
		{"a.csv", "a,b\n1,2\"\n", Options{}, "a.csv:2: a quote inside a cell"},
		{"a.csv", "a,b\n1,\"2\"x\n", Options{}, "unexpected text after a closing quote"},
		{"a.csv", "", Options{}, "empty"},
		{"a.csv", "a,,c\n", Options{}, "column 2 of the header has no name"},
		{"a.csv", "a," + long[:1001] + "\n", Options{}, "column 2 of the header has a name of more than 1000 characters, \"ten bytes."},
		{"a.csv", "a," + long[:1000] + "\n1,2\n", Options{}, "a|" + long[:1000] + "/1|2"},
		{"a.csv", "End date,b,end_date\n", Options{}, "`end_date` twice"},
		{"a.csv", "a,b\n1,\x002\n", Options{}, "NUL bytes"},
		{"a.csv", "a\n1\n", Options{HeaderRow: 9}, "no header row 9"},
		{"a.csv", "\xff\xfea\x00,\x00\xe9\x00\n\x001\x00,\x002\x00\n\x00", Options{}, "a|é/1|2"},
		{"a.csv", "a,\xe9\n1,\x80\n", Options{Encoding: "windows-1252"}, "a|é/1|€"},
		{"a.csv", "a\n", Options{Encoding: "windows-1253x"}, "did you mean"},
		{"a.csv", "a,b\n" + long + ",2\n", Options{}, "a|b/" + long + "|2"},
		{"a.json", `[{"a": 1, "b": "x"}, {"b": null, "a": 2.50}]`, Options{}, "a|b/1|x/2.50|"},
		{"a.jsonl", "{\"a\": true}\n{\"a\": \"\"}\n", Options{}, "a/true/"},
		{"a.json", `[{"a": 1}, {"b": 2}]`, Options{}, "object 2 has `b`"},
		{"a.json", `[{"a": [1]}]`, Options{}, "a single value"},
		{"a.json", `[{"a": 1}`, Options{}, "not closed"},
		{"a.json", `[1]`, Options{}, "expected an object"},
		{"a.json", "[]", Options{}, "empty"},
		{"a.json", "[{\"a\": 1}, {\"a\": ", Options{}, "object 2: the file ends inside it"},
		{"a.json", `[{"a": 1, "a": 2}]`, Options{}, "`a` twice"},
		{"a.json", `[{"a": 1}] x`, Options{}, "unexpected text after the list"},
		{"a.json", `[{"a": 1},, {"a": 2}]`, Options{}, "isn't JSON"},
		{"a.json", `[{"a": "\u00e9\ud83d\ude80"}]`, Options{}, "a/é🚀"},
		{"a.jsonl", "{\"a\": 12345678901234567890.10}\n\n{\"a\": 1e2}\n", Options{}, "a/12345678901234567890.10/1e2"},
		{"a.csv", "a,b\r1,2\r", Options{}, "a|b/1|2"},
		{"a.csv", "a\n" + strings.Repeat("x\n", 4096) + "\x00\n", Options{}, "a.csv:4098: "},
		{"a.csv", "a\n" + strings.Repeat("x\n", 4096) + "\xe9\n", Options{}, "a.csv:4098: "},
		{"a.xlsx", "just text", Options{}, "not a workbook"},
		{"a.xlsx", "PK\x03\x04 broken", Options{}, "can't be read"},
		{"a.xlsx", "\xd0\xcf\x11\xe0old", Options{}, "encrypted"},
	} {
		got, err := shown(c.name, c.text, c.o)
		if err != nil {
			got = err.Error()
			var ce *CellError
			if !errors.As(err, &ce) {
				t.Errorf("%q: an error without a place: %v", c.text, err)
			}
		}
		if got != c.want && (err == nil || !strings.Contains(got, c.want)) {
			t.Errorf("%.60q: %.200s, want %.200s", c.text, got, c.want)
		}
	}
}

func texts(row []eval.Value) (list []string) {
	for _, c := range row {
		list = append(list, c.Text)
	}
	return list
}

// Whatever the bytes: where encoding/csv reads a table, so does this reader, with the same
// cells; what it writes reads back the same; rows found quickly are those read with care,
// and a row as it is is what its cells are written as.
func FuzzCSV(f *testing.F) {
	for _, s := range []string{"a,b\n1,2\n", "a,b\r\n\"x\"\"y\",\"1\n2\"\r\n", "a,b\n\n,\n", "a\n\"\"\n", "a,b\n1,\"2", "a,b\n 1,\"2\" \n",
		"a,b\r\n1,\r\n22222222,3\r\n4,5\r\n", "a,b\n 1,two is long enough\n3,four five six\n", "a,b,c\n2027-01-31,\"x, y\",long enough to matter\n1,\"plain\",\\.\r\n\"\n\",\r,\n1,2\n"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if strings.ContainsAny(s, "\x00\ufeff") || strings.HasPrefix(s, "\xff\xfe") || strings.HasPrefix(s, "\xfe\xff") || strings.HasPrefix(s, "PK") || strings.HasPrefix(s, "\xef\xbb") || strings.HasPrefix(s, "\xd0\xcf") {
			return
		}
		r, err := newCSV("fuzz", strings.NewReader(s), ',', 1, Options{})
		if err != nil {
			return
		}
		std := csv.NewReader(strings.NewReader(s))
		want, werr := std.ReadAll()
		var got [][]string
		var out []byte
		var cells int
		for err == nil {
			var b rows.Batch
			if b, err = r.Next(); b == nil || err != nil {
				break
			}
			quick := *b.(*csvBlock)
			slow := quick
			err = b.Each(func(line int, row []eval.Value) error {
				same, at, _, _ := slow.next(nil) // with care
				if !slices.Equal(row, same) || line != at {
					t.Fatalf("%q: line %d %q, read with care line %d %q", s, line, row, at, same)
				}
				got = append(got, texts(row))
				out = appendCSV(out, row, ',', false)
				cells += len(row)
				return nil
			})
			n := 0
			_ = quick.EachText([]int{0}, func(_ int, text string, row []eval.Value) error {
				n++
				if whole := quick.Cells(text); text != "" && (string(appendCSV(nil, whole, ',', false)) != text+"\n" || whole[0] != row[0] || strings.Join(got[n-1], "\x01") != strings.Join(texts(whole), "\x01")) {
					t.Fatalf("%q: row %d as it stands is %q, its cells are %q", s, n, text, whole)
				}
				return nil
			})
		}
		if len(r.columns) == 1 || strings.Contains(s, "\r") {
			return // blank cells and carriage returns are kept here, and dropped there
		}
		if (err == nil) != (werr == nil) {
			t.Fatalf("%q: %v, encoding/csv: %v", s, err, werr)
		}
		if err != nil {
			return
		}
		if len(want) != len(got)+1 {
			t.Fatalf("%q: %d rows, encoding/csv has %d", s, len(got), len(want)-1)
		}
		for i, row := range got {
			if strings.Join(row, "\x01") != strings.Join(want[i+1], "\x01") {
				t.Fatalf("%q: row %d is %q, encoding/csv has %q", s, i, row, want[i+1])
			}
		}
		back, err := csv.NewReader(bytes.NewReader(out)).ReadAll()
		if err != nil || len(back) != len(got) {
			t.Fatalf("%q writes %q: %v", s, out, err)
		}
	})
}

// Numbers as an example shows them; what isn't written so is none.
func TestNumberForms(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/numberforms.cases", 3) {
		f, err := ParseNumberForm(c[0])
		got, ok := f.Read(c[1])
		if err != nil || ok != (c[2] != "") || got != c[2] {
			t.Errorf("%s as %s: %q %v %v, want %q", c[1], c[0], got, ok, err, c[2])
		}
	}
	for _, bad := range []string{"", "1.234", "x", "1.23,45", "1,2,3", "12", "1.234,56 x", "1..2"} {
		if f, err := ParseNumberForm(bad); err == nil {
			t.Errorf("%q is taken for an example: %v", bad, f)
		}
	}
}

// testContext is that of a place without a language.
var testContext = DateContext{Fiscal: civil.DefaultFiscalCalendar}

func TestDates(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/dates.cases", 3) {
		list, err := ParseDateLayouts(c[0], testContext)
		if err != nil {
			t.Errorf("%s: %v", c[0], err)
			continue
		}
		d, several, ok := ReadDate(c[1], list)
		got := d.String()
		if several != nil {
			got = "ambiguous"
		}
		if got != c[2] || ok != (got != "" && got != "ambiguous") {
			t.Errorf("%s by %s is %q, want %q", c[1], c[0], got, c[2])
		}
	}
	for _, bad := range []string{"dym", "%d %Q", "", "iso", "%d %b", "%d %%Y", "dmy 27", "week"} {
		if _, err := ParseDateLayouts(bad, testContext); err == nil {
			t.Errorf("%q is a reading", bad)
		}
	}
}

// Lists of objects that end where they shouldn't.
func TestJSONEnds(t *testing.T) {
	for text, want := range map[string]string{`[{"a":1}`: "the list is not closed with ]", `[{"a":1}}`: "the list is not closed with ]", `[{"a":1}]`: "", `{"a":1} {"a":2}`: "", `{"a":1}]`: "a.json"} {
		if _, _, err := all("a.json", text, Options{}); (err == nil) != (want == "") || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", text, err, want)
		}
	}
}

// What was mended, what means nothing and what is hidden is reported, each with its count; rows
// of a file that stand as they would be written come with their text.
func TestOptions_ignored(t *testing.T) {
	mended := &Repairs{}
	if _, _, err := all("a.csv", "a,a,,b,,\n1\n2,3,4,5,,\n", Options{Repairs: mended}); err != nil {
		t.Fatal(err)
	}
	if got := mended.String(); got != "2 headings numbered (a_2, column_3), 2 blank columns at the right end left out, 1 short row filled with blanks" {
		t.Errorf("mended: %s", got)
	}
	if got := (&Repairs{}).String(); got != "" {
		t.Errorf("nothing was mended: %s", got)
	}
	passed := map[string]string{}
	o := Options{Ignored: passed, Sheet: "S", HeaderRow: 2, Encoding: "utf-8"}
	_, _, _ = all("a.json", `[{"a": 1}]`, o)
	if len(passed) != 2 || passed["sheet"] == "" || passed["header-row"] == "" {
		t.Errorf("for JSON these mean nothing: %v", passed)
	}
	clear(passed)
	_, _, _ = all("a.xlsx", book(row(1, "a"), nil), o)
	if len(passed) != 1 || passed["encoding"] == "" {
		t.Errorf("for a workbook these mean nothing: %v", passed)
	}
	for want, u := range map[string]*HiddenParts{
		"": nil, " ": {},
		"the first sheet of f, Old, is hidden; read New instead 1 row of f is hidden or filtered; it is included": {hiddenSheet: "Old", readSheet: "New", rows: 1},
		"all sheets of f are hidden; read Old 2 rows of f are hidden or filtered; they are included":              {hiddenSheet: "Old", readSheet: "Old", rows: 2},
	} {
		if got := strings.Join(u.Notes("f"), " "); got != strings.TrimSpace(want) {
			t.Errorf("%q, want %q", got, want)
		}
	}
	var texts []string
	r, err := Options{}.Read("a.csv", ".csv", strings.NewReader("a,b\n1,2\n\"x\",3\n\"y,\",4\n5,6\r\n\\,7\n8,9\n"))
	if err != nil {
		t.Fatal(err)
	}
	batch, err := r.Next()
	if err == nil {
		err = batch.(rows.TextBatch).EachText([]int{1}, func(line int, text string, cells []eval.Value) error {
			texts = append(texts, fmt.Sprint(line, text, cells[1]))
			return nil
		})
	}
	if got := strings.Join(texts, " "); err != nil || got != "21,22 33 4\"y,\",44 55,66 67 79" {
		t.Errorf("rows as they stand: %s, %v", got, err)
	}
}

// Records are the rows of a file with their lines, up to a fault, or as far as they are
// wanted; columns take other names all at once.
func TestCSV_recordsAndNames(t *testing.T) {
	for text, want := range map[string]string{"a,b\n1,2\n\n3,\n": "1 a b|2 1 2|4 3 |", "a,b\n1,2\n1\n": "1 a b|2 1 2|a.csv:3: this row has 1 cell, the header has 2. Use --repair to fill short rows with blanks|", "": "a.csv:1: the table is empty: it has no header|"} {
		got := ""
		r, err := Options{}.Read("a.csv", ".csv", strings.NewReader(text))
		if err == nil {
			got = "1 " + strings.Join(r.Columns(), " ") + "|"
			err = rows.Each(r, func(line int, cells []eval.Value) error {
				got += fmt.Sprint(line)
				for _, c := range cells {
					got += " " + c.String()
				}
				got += "|"
				return nil
			})
		}
		if err != nil {
			got += err.Error() + "|"
		}
		if got != want {
			t.Errorf("%q: %s, want %s", text, got, want)
		}
	}
	for _, c := range []struct {
		pairs [][2]string
		want  string
	}{
		{[][2]string{{"x", "a"}, {"a", "B"}}, "x a c"}, {[][2]string{{"x", "a"}, {"y", "A"}}, "the column `A` is renamed twice"},
		{[][2]string{{"c", "a"}}, "there would be two columns `c`"}, {[][2]string{{"x", "q"}}, "a b c lacks q"}, {[][2]string{{"a", "a"}}, "a b c"},
	} {
		r, err := Options{}.Read("a.csv", ".csv", strings.NewReader("a,b,c\n1,2,3\n"))
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		if named, missing, err := Rename(r, c.pairs); err != nil {
			got = err.Error()
		} else if got = strings.Join(named.Columns(), " "); len(missing) > 0 {
			got += " lacks " + strings.Join(missing, " ")
		}
		if got != c.want {
			t.Errorf("%v: %s, want %s", c.pairs, got, c.want)
		}
	}
	fill, err := Options{}.Read("a.csv", ".csv", strings.NewReader("a,b\n,1\nx,2\n ,3\n"))
	if err != nil {
		t.Fatal(err)
	}
	count := &Repairs{}
	batch, err := FillDown(fill, []int{0}, count).Next()
	if err != nil {
		t.Fatal(err)
	}
	got := ""
	_ = batch.Each(func(line int, cells []eval.Value) error {
		got += fmt.Sprint(line, cells[0], cells[1], " ")
		return nil
	})
	if got != "2  1 3 x 2 4 x 3 " || count.String() != "1 blank cell filled from above" {
		t.Errorf("filled: %q, %s", got, count)
	}
}

// A workbook's totals are bold, and its filter stops above them; rows that stand out are
// filled.
func TestTotals(t *testing.T) {
	var b bytes.Buffer
	x, err := NewXLSX(&b, BookProperties{AsOf: "2027-04-03"})
	if err != nil {
		t.Fatal(err)
	}
	shows := rows.DisplayOf(x)
	price := eval.FromUnits(1250, 2)
	for _, step := range []func() error{func() error { return x.Header([]string{"a", "b"}) }, func() error { return x.Row([]eval.Value{eval.Str("x"), price}) },
		func() error { shows.Highlight(rows.NearRow); return x.Row([]eval.Value{eval.Str("y"), price}) },
		func() error {
			shows.Highlight(rows.NoEmphasis)
			shows.NextIsTotals()
			return x.Row([]eval.Value{eval.Str("total"), price})
		}, x.Close} {
		if err := step(); err != nil {
			t.Fatal(err)
		}
	}
	z, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil {
		t.Fatal(err)
	}
	var styles struct {
		Formats []struct {
			ID   int    `xml:"numFmtId,attr"`
			Code string `xml:"formatCode,attr"`
		} `xml:"numFmts>numFmt"`
		Fonts []struct {
			Bold *struct{} `xml:"b"`
		} `xml:"fonts>font"`
		Xfs []struct {
			Format int `xml:"numFmtId,attr"`
			Font   int `xml:"fontId,attr"`
			Fill   int `xml:"fillId,attr"`
		} `xml:"cellXfs>xf"`
	}
	var sheet struct {
		Cells []struct {
			Ref   string `xml:"r,attr"`
			Style int    `xml:"s,attr"`
		} `xml:"sheetData>row>c"`
		Filter struct {
			Ref string `xml:"ref,attr"`
		} `xml:"autoFilter"`
	}
	for name, into := range map[string]any{"xl/styles.xml": &styles, "xl/worksheets/sheet1.xml": &sheet} {
		f, err := z.Open(name)
		if err == nil {
			err = xml.NewDecoder(f).Decode(into)
		}
		if err != nil {
			t.Fatal(name, err)
		}
	}
	want := map[string]string{"A1": "true true ", "B2": "false false 0.00", "B3": "false true 0.00", "A4": "true false ", "B4": "true false 0.00"}
	for _, c := range sheet.Cells {
		s, code := styles.Xfs[c.Style], ""
		for _, f := range styles.Formats {
			if f.ID == s.Format {
				code = f.Code
			}
		}
		if w, told := want[c.Ref]; told {
			if got := fmt.Sprint(styles.Fonts[s.Font].Bold != nil, " ", s.Fill > 0, " ", code); got != w {
				t.Errorf("%s is bold, filled, formatted: %s, want %s", c.Ref, got, w)
			}
			delete(want, c.Ref)
		}
	}
	if len(want) > 0 || sheet.Filter.Ref != "$A$1:$B$3" {
		t.Errorf("the filter is %s; cells that lack: %v", sheet.Filter.Ref, want)
	}
}

// What is written as a workbook reads back, dates as dates, and text that looks
// like a formula stays text.
func TestXLSXRoundTrip(t *testing.T) {
	var b bytes.Buffer
	x, err := NewXLSX(&b, BookProperties{})
	if err != nil {
		t.Fatal(err)
	}
	d, _, _ := civil.Parse("2027-04-03")
	if err := x.Header([]string{"a", "day", "at", "n", "t"}); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		s      string
		places int
		ok     bool
	}{{"12", 0, true}, {"-1280.50", 2, true}, {"0.5", 1, true}, {"007", 0, false}, {"0", 0, true}, {"123456789012345", 0, true}, {"1.0123456789", 10, true}, {"1.01234567890", 0, false}, {"12345678.90123456", 0, false}, {"1e5", 0, false}, {"+1", 0, false}, {"1.", 0, false}, {"1234567890123456", 0, false}, {"-", 0, false}} {
		if _, places, ok := plainNumber(c.s); ok != c.ok || places != c.places {
			t.Errorf("%q is a plain number: %v, %d places", c.s, ok, places)
		}
	}
	for range 1500 {
		row := []eval.Value{eval.Str("=1+1"), eval.Str("2027-04-03"), {Kind: eval.DateTime, Day: d, Minutes: 990}, eval.Str("7.50"), {}}
		if err := x.Row(row); err != nil {
			t.Fatal(err)
		}
	}
	if err := x.Close(); err != nil {
		t.Fatal(err)
	}
	table, lines, err := all("a.xlsx", b.String(), Options{})
	if err != nil || len(table) != 1501 || strings.Join(table[1500], "|") != "=1+1|2027-04-03|2027-04-03T16:30|7.5|" || lines[1499] != 1501 {
		t.Fatalf("%d rows, %v, %v", len(table), table[len(table)-1], err)
	}
	if _, _, err := all("a.xlsx", b.String(), Options{Sheet: "Sheet2"}); err == nil || !strings.Contains(err.Error(), "Sheet1") {
		t.Errorf("a wrong sheet: %v", err)
	}
}

// Whatever the text, a reading gives a date that is one, or none.
func FuzzDates(f *testing.F) {
	for _, s := range []string{"03/04/2027", "3rd Apr 27", "46480.5", "2027-04-03 16:30", "%", ""} {
		f.Add(s, "dmy|mdy|serial|%d %b %y")
	}
	f.Fuzz(func(t *testing.T, s, form string) {
		list, err := ParseDateLayouts(form, testContext)
		if err != nil {
			return
		}
		if d, several, ok := ReadDate(s, list); ok != d.Valid() || ok && several != nil {
			t.Fatalf("%q by %q: %d, %v, %v", s, form, d, several, ok)
		}
	})
}

// An empty line is a blank row if there is one column, and none if there are more; a
// blank row of one column is written so that it comes in again.
func TestBlankRows(t *testing.T) {
	for text, want := range map[string]string{"a\n1\n\n2\n": "a|1|\"\"|2|", "a\n\"\"\n\n2": "a|\"\"|\"\"|2|", "a,b\n1,2\n\n3,4\n": "a,b|1,2|3,4|", "a,b\n,\n\n": "a,b|,|"} {
		for range 2 { // what is written is read as it was
			r, _, err := Open("-", strings.NewReader(text), Options{})
			if err != nil {
				t.Fatal(err)
			}
			var b bytes.Buffer
			to := NewCSV(&b, ',', false)
			if err := to.Header(r.Columns()); err != nil {
				t.Fatal(err)
			}
			for {
				batch, err := r.Next()
				if err != nil {
					t.Fatal(err)
				}
				if batch == nil {
					break
				}
				if err := batch.Each(func(_ int, cells []eval.Value) error { return to.Row(cells) }); err != nil {
					t.Fatal(err)
				}
			}
			if err := to.Close(); err != nil {
				t.Fatal(err)
			}
			if got := strings.ReplaceAll(b.String(), "\n", "|"); got != want {
				t.Errorf("%q: %s, want %s", text, got, want)
			}
			text = b.String()
		}
	}
}
