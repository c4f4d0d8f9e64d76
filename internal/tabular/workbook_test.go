package tabular

import (
	"archive/zip"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"
	"testing/iotest"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
)

// book makes a workbook of one sheet's rows; more are its other parts, or other
// texts for those it has.
func book(rows string, more map[string]string) string {
	parts := map[string]string{
		"[Content_Types].xml":        `<Types/>`,
		"xl/workbook.xml":            `<workbook xmlns:r="x"><sheets><sheet name="Berths" sheetId="1" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r1" Type="t/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="t/sharedStrings" Target="sharedStrings.xml"/><Relationship Id="r3" Type="t/styles" Target="styles.xml"/></Relationships>`,
		"xl/worksheets/sheet1.xml":   `<worksheet><sheetData>` + rows + `</sheetData></worksheet>`,
	}
	for name, text := range more {
		parts[name] = text
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range parts {
		w, err := z.Create(name)
		if err == nil && text != "" {
			_, err = w.Write([]byte(text))
		}
		if err != nil {
			panic(err)
		}
	}
	if err := z.Close(); err != nil {
		panic(err)
	}
	return b.String()
}

// row makes a row of texts.
func row(n int, texts ...string) string {
	s := fmt.Sprintf(`<row r="%d">`, n)
	for i, text := range texts {
		s += fmt.Sprintf(`<c r="%c%d" t="inlineStr"><is><t>%s</t></is></c>`, 'A'+i, n, text)
	}
	return s + "</row>"
}

// Workbooks as other programs write them, and as accidents leave them: each is
// read whole or refused at the row where it goes wrong.
func TestWorkbooks(t *testing.T) {
	head := row(1, "a", "b")
	many := ""
	for n := 2; n < 2000; n++ {
		many += row(n, fmt.Sprint("x", n), "y")
	}
	whole := book(head+many, nil)
	styles := `<styleSheet><numFmts><numFmt numFmtId="170" formatCode="yyyy\-mm\-dd"/><numFmt numFmtId="171" formatCode="&quot;day&quot; 0.00"/></numFmts>
		<cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="170"/><xf numFmtId="171"/><xf numFmtId="20"/><xf numFmtId="46"/></cellXfs></styleSheet>`
	for _, c := range []struct {
		what, text string
		o          Options
		want       string
	}{
		{"texts in a row", book(head+row(2, "1", "2"), nil), Options{}, "a|b/1|2"},
		{"rows and cells left out", book(head+`<row r="4"><c r="B4"><v>7</v></c></row>`, nil), Options{}, "a|b/|7"},
		{"rows without numbers", book(head+`<row><c><v>7</v></c><c t="b"><v>1</v></c></row>`, nil), Options{}, "a|b/7|true"},
		{"a number as it was typed", book(head+`<row r="2"><c r="A2"><v>0.30000000000000004</v></c><c r="B2"><v>1E3</v></c></row>`, nil), Options{}, "a|b/0.3|1000"},
		{"dates by their styles", book(head+`<row r="2"><c r="A2" s="1"><v>46480</v></c><c r="B2" s="2"><v>46480.5</v></c></row><row r="3"><c r="A3" s="3"><v>46480</v></c></row>`, map[string]string{"xl/styles.xml": styles}), Options{}, "a|b/2027-04-03|2027-04-03T12:00/46480|"},
		{"dates from 1904", book(head+`<row r="2"><c r="A2" s="1"><v>45018</v></c></row>`, map[string]string{"xl/styles.xml": styles, "xl/workbook.xml": `<workbook xmlns:r="x"><workbookPr date1904="1"/><sheets><sheet name="S" r:id="r1"/></sheets></workbook>`}), Options{}, "a|b/2027-04-03|"},
		{"times, some in formats of their own", book(head+`<row r="2"><c r="A2" s="4"><v>0.385416666666667</v></c><c r="B2" s="2"><v>46480.604525463</v></c></row><row r="3"><c r="A3" s="5"><v>1.5</v></c><c r="B3" s="4"><v>46480.9999999</v></c></row>`, map[string]string{"xl/styles.xml": styles}), Options{}, "a|b/09:15|2027-04-03T14:30:31/36:00|2027-04-04"},
		{"times at their bounds", book(head+`<row r="2"><c r="A2" s="4"><v>1</v></c><c r="B2" s="1"><v>0</v></c></row><row r="3"><c r="A3" s="4"><v>366</v></c><c r="B3" s="1"><v>0.25</v></c></row><row r="4"><c r="A4" s="1"><v>-1</v></c><c r="B4" s="1"><v>2958465</v></c></row><row r="5"><c r="A5" s="1"><v>60</v></c><c r="B5" s="1"><v>2958466.5</v></c></row>`, map[string]string{"xl/styles.xml": styles}), Options{}, "a|b/24:00|0/1900-12-31|06:00/-1|9999-12-31/60|2958466.5"},
		{"no header row so far down", book(row(1, "a"), nil), Options{HeaderRow: 4}, "a.xlsx:1: there is no header row 4"},
		{"a cut behind the rows", book("", map[string]string{"xl/worksheets/sheet1.xml": `<worksheet><sheetData>` + head + `</sheetData><x>`}), Options{}, "a.xlsx:2: the workbook is damaged here (it is cut off)"},
		{"a part named from the root", book(head+row(2, "1", "2"), map[string]string{"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r1" Type="t/worksheet" Target="/xl/worksheets/sheet1.xml"/></Relationships>`}), Options{}, "a|b/1|2"},
		{"the last column there is", book(row(1, "a")+`<row r="2"><c r="A2"><v>1</v></c><c r="XFD2"></c></row>`, nil), Options{}, "a/1"},
		{"one behind it", book(row(1, "a")+`<row r="2"><c r="A2"><v>1</v></c><c r="XFE2"></c></row>`, nil), Options{}, "the cell XFE2 is out of place"},
		{"small letters", book(`<row r="1"><c r="b1" t="inlineStr"><is><t>a</t></is></c><c r="c1" t="inlineStr"><is><t>z</t></is></c></row>`, nil), Options{Repairs: &Repairs{}}, "column_1|a|z"},
		{"a time of 1904", book(head+`<row r="2"><c r="A2" s="1"><v>45018.5</v></c><c r="B2" s="4"><v>0.5</v></c></row>`, map[string]string{"xl/styles.xml": styles, "xl/workbook.xml": `<workbook xmlns:r="x"><workbookPr date1904="1"/><sheets><sheet name="S" r:id="r1"/></sheets></workbook>`}), Options{}, "a|b/2027-04-03T12:00|12:00"},
		{"hidden sheets before", book(head+row(2, "1", "2"), map[string]string{"xl/workbook.xml": `<workbook xmlns:r="x"><sheets><sheet name="Old" state="hidden" r:id="r2"/><sheet name="Berths" r:id="r1"/></sheets></workbook>`}), Options{}, "a|b/1|2"},
		{"an empty text of a formula", book(head+`<row r="2"><c r="A2" t="str"><f>X()</f><v></v></c><c r="B2"><v>1</v></c></row>`, nil), Options{}, "a|b/|1"},
		{"a formula whose value is blank", book(head+`<row r="2"><c r="A2"><f>1+1</f><v></v></c></row>`, nil), Options{}, "a.xlsx:2: the cell A2 has a formula without a stored value"},
		{"a number that is none", book(head+`<row r="2"><c r="A2"><v>NaN</v></c></row>`, nil), Options{}, `expected a number, found "NaN"`},
		{"an OpenDocument file", book("", map[string]string{"mimetype": "application/vnd.oasis.opendocument.spreadsheet"}), Options{}, "a.xlsx:1: an OpenDocument file, not a workbook"},
		{"a letter", book("", map[string]string{"_rels/.rels": `<R><Relationship Type="x/officeDocument" Target="word/document.xml"/></R>`, "word/document.xml": "<d/>"}), Options{}, "not a workbook"},
		{"a binary book", book("", map[string]string{"_rels/.rels": `<R><Relationship Type="x/officeDocument" Target="xl/workbook.bin"/></R>`, "xl/workbook.bin": "x"}), Options{}, "a binary workbook"},
		{"another archive", book("", map[string]string{"_rels/.rels": `<R><Relationship Type="x/officeDocument" Target="a"/></R>`}), Options{}, "an archive, not a workbook"},
		{"shared texts", book(head+`<row r="2"><c r="A2" t="s"><v>1</v></c><c r="B2" t="s"><v>0</v></c></row>`, map[string]string{"xl/sharedStrings.xml": `<sst><si><t>p</t></si><si><r><t>q</t></r><r><t>r</t></r><rPh><t>no</t></rPh></si></sst>`}), Options{}, "a|b/qr|p"},
		{"what else a row has", book(head+`<row r="2"><extLst><x></x></extLst><c r="A2"><v>7</v></c></row>`, nil), Options{}, "a|b/7|"},
		{"a formula with its value", book(head+`<row r="2"><c r="A2" t="str"><f>X()</f><v>v</v></c></row>`, nil), Options{}, "a|b/v|"},
		{"a title above", book(row(1, "Berths of May")+row(3, "a", "b")+row(4, "1", "2"), nil), Options{HeaderRow: 3}, "a|b/1|2"},
		{"a sheet by its name", book(head, nil), Options{Sheet: "Quays"}, "a.xlsx:1: there is no sheet \"Quays\"; the sheets are Berths"},
		{"a formula without", book(head+`<row r="2"><c r="A2"><f>1+1</f></c></row>`, nil), Options{}, "a.xlsx:2: the cell A2 has a formula without a stored value"},
		{"a shared text that isn't", book(head+`<row r="2"><c r="A2" t="s"><v>9</v></c></row>`, nil), Options{}, "a.xlsx:2: the workbook is damaged here (the cell A2 refers to a missing text"},
		{"no number", book(head+`<row r="2"><c r="A2"><v>twelve</v></c></row>`, nil), Options{}, `expected a number, found "twelve"`},
		{"a number in another base", book(head+`<row r="2"><c r="A2"><v>0x1p5</v></c></row>`, nil), Options{}, `expected a number, found "0x1p5"`},
		{"cells out of order", book(head+`<row r="2"><c r="B2"><v>1</v></c><c r="A2"><v>1</v></c></row>`, nil), Options{}, "the cell A2 is out of place"},
		{"a column past the last", book(head+`<row r="2"><c r="ZZZZZ2"><v>1</v></c></row>`, nil), Options{}, "the cell ZZZZZ2 is out of place"},
		{"more cells than names", book(head+row(2, "1", "2", "3"), nil), Options{}, "a.xlsx:2: "},
		{"a control character", book(head+many+row(2000, "x\x01")+row(2001, "y"), nil), Options{}, "a.xlsx:2000: the workbook is damaged here (illegal character"},
		{"an unknown entity", book(head+many+row(2000, "&quay;"), nil), Options{}, "a.xlsx:2000: the workbook is damaged here (invalid character entity"},
		{"a part that ends early", book("", map[string]string{"xl/worksheets/sheet1.xml": `<worksheet><sheetData>` + head + row(2, "1", "2")}), Options{}, "a.xlsx:3: the workbook is damaged here (it is cut off)"},
		{"a row that ends early", book("", map[string]string{"xl/worksheets/sheet1.xml": `<worksheet><sheetData>` + head + `<row r="2"><c r="A2"><v>1`}), Options{}, "a.xlsx:2: the workbook is damaged here (it is cut off)"},
		{"a file that ends early", whole[:len(whole)/2], Options{}, "can't be read"},
		{"a cell without end", book(head+row(2, strings.Repeat("x", 3<<20)), nil), Options{}, "a cell is larger than 1 MB"},
		{"no sheet", book(head, map[string]string{"xl/workbook.xml": "<workbook/>"}), Options{}, "a.xlsx:1: "},
		{"no rows", book("", nil), Options{}, "empty"},
	} {
		got, err := shown("a.xlsx", c.text, c.o)
		if err != nil {
			got = err.Error()
		}
		if got != c.want && (err == nil || !strings.Contains(got, c.want)) {
			t.Errorf("%s: %.300s, want %s", c.what, got, c.want)
		}
	}
	if table, lines, err := all("a.xlsx", whole, Options{}); err != nil || len(table) != 1999 || lines[1997] != 1999 {
		t.Errorf("%d rows, %v", len(table), err)
	}
}

// Whatever the markup: where encoding/xml reads it, so does this reader, with the same
// elements, attributes and texts.
func FuzzTags(f *testing.F) {
	for _, s := range []string{"<a b='1>2'>x&amp;y<c/></a>", "<?xml version=\"1.0\"?><!-- > --><x:a y:b = \"&#x41;&quot;\"><![CDATA[<&]]> \r\n</x:a >", "<a>", "<a></b>", "<a>\u00e9&nope;</a>", "<a b=\"\" c='2' b=\"3\"/>\n"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if i := strings.Index(strings.ReplaceAll(strings.ReplaceAll(s, "<!--", ""), "<![CDATA[", ""), "<!"); i >= 0 {
			return // declarations, which a workbook has none of
		}
		d := xml.NewDecoder(strings.NewReader(s))
		var want, got []string
		var err error
		for err == nil {
			var token xml.Token
			switch token, err = d.Token(); token := token.(type) {
			case xml.StartElement:
				line := "<" + token.Name.Local
				seen := map[string]bool{}
				for _, a := range token.Attr {
					if !seen[a.Name.Local] {
						line += "\x00" + a.Name.Local + "=" + a.Value
					}
					seen[a.Name.Local] = true
				}
				want = append(want, line)
			case xml.EndElement:
				want = append(want, ">"+token.Name.Local)
			case xml.CharData:
				want = append(want, "="+string(token))
			}
		}
		if err != io.EOF {
			return
		}
		tags := newTags(iotest.OneByteReader(strings.NewReader(s)))
		for {
			kind, err := tags.next()
			if err != nil {
				t.Fatalf("%q: %v after %q, encoding/xml reads %q", s, err, got, want)
			}
			if kind == endOfPart {
				break
			}
			line := string([]byte{0, '<', '>', '='}[kind])
			if kind == charData {
				got = append(got, line+string(tags.text))
				continue
			}
			line += tags.name
			if kind == startTag && len(got) < len(want) {
				for _, a := range strings.Split(want[len(got)], "\x00")[1:] {
					if key, _, ok := strings.Cut(a, "="); ok {
						line += "\x00" + key + "=" + tags.attr(key)
					}
				}
			}
			got = append(got, line)
		}
		if !slices.Equal(got, want) {
			t.Fatalf("%q: %q, encoding/xml reads %q", s, got, want)
		}
	})
}

// What cells of a workbook are, they are in one that is made of them, also when they were
// sorted on the way: texts, numbers of any size, days and times, each in its format.
func TestXLSX_typesStay(t *testing.T) {
	styles := `<styleSheet><numFmts><numFmt numFmtId="170" formatCode="dd\.mm\.yyyy"/><numFmt numFmtId="171" formatCode="dd/mm/yyyy\ hh:mm"/><numFmt numFmtId="172" formatCode="&quot;£&quot;#,##0.00"/></numFmts>
		<cellXfs><xf numFmtId="0"/><xf numFmtId="170"/><xf numFmtId="171"/><xf numFmtId="172"/><xf numFmtId="9"/><xf numFmtId="20"/><xf numFmtId="14"/><xf numFmtId="49"/></cellXfs></styleSheet>`
	cells, want := "", []struct {
		cell, text string
		json       string
		shown      numberFormat
	}{
		{`t="inlineStr"><is><t>0012</t></is>`, "0012", `"0012"`, numberFormat{}},
		{`t="inlineStr"><is><t>1234</t></is>`, "1234", `"1234"`, numberFormat{}},
		{`t="inlineStr"><is><t>3.10</t></is>`, "3.10", `"3.10"`, numberFormat{}},
		{`t="inlineStr"><is><t>2027-04-03</t></is>`, "2027-04-03", `"2027-04-03"`, numberFormat{}},
		{`><v>1E+15</v>`, "1000000000000000", "1000000000000000", numberFormat{}},
		{`><v>.5</v>`, "0.5", "0.5", numberFormat{}},
		{`s="4"><v>0.05</v>`, "0.05", "0.05", numberFormat{id: 9}},
		{`s="3"><v>1234.5</v>`, "1234.5", "1234.5", numberFormat{code: `"£"#,##0.00`}},
		{`s="1"><v>46480</v>`, "2027-04-03", `"2027-04-03"`, numberFormat{code: `dd\.mm\.yyyy`}},
		{`s="6"><v>46480</v>`, "2027-04-03", `"2027-04-03"`, numberFormat{id: 14}},
		{`s="2"><v>46480.6041666667</v>`, "2027-04-03T14:30", `"2027-04-03T14:30"`, numberFormat{code: `dd/mm/yyyy\ hh:mm`}},
		{`s="5"><v>0.385416666666667</v>`, "09:15", `"09:15"`, numberFormat{id: 20}},
		{`s="7"><v>12</v>`, "12", "12", numberFormat{id: 49}},
		{`t="b"><v>1</v>`, "true", "true", numberFormat{}},
	}
	names, keys := make([]string, len(want)), make([]string, len(want))
	for i, c := range want {
		cells += "<c " + c.cell + "</c>"
		names[i] = fmt.Sprint("c", i)
		keys[i] = fmt.Sprintf("%q: %s", names[i], c.json)
	}
	text := book(row(1, names...)+`<row r="2">`+cells+"</row>", map[string]string{"xl/styles.xml": styles})
	var before []eval.Value
	for round := range 2 {
		r, err := Options{}.Read("a.xlsx", ".xlsx", strings.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		var xlsx, js bytes.Buffer
		x, err := NewXLSX(&xlsx, BookProperties{Sheet: "a/b", AsOf: "2027-04-03"})
		if err != nil {
			t.Fatal(err)
		}
		sinks := []rows.Sink{x, NewJSONL(&js)}
		batch, err := r.Next()
		if err == nil {
			err = batch.Each(func(_ int, cells []eval.Value) error {
				var a rows.Arena
				_, cells = a.Load(a.Save(cells), nil)
				for i, v := range cells {
					shown := formatOf(v.Format)
					if v.String() != want[i].text || shown != want[i].shown {
						t.Errorf("round %d: %q shown as %+v, want %+v", round, v, shown, want[i])
					}
				}
				if before != nil && !slices.Equal(before, cells) {
					t.Errorf("%+v\nwas %+v", cells, before)
				}
				before = slices.Clone(cells)
				for _, s := range sinks {
					if err := errors.Join(s.Header(names), s.Row(cells), s.Close()); err != nil {
						return err
					}
				}
				return nil
			})
		}
		if err != nil {
			t.Fatal(err)
		}
		if got := "{" + strings.Join(keys, ", ") + "}\n"; js.String() != got {
			t.Errorf("%s, want %s", js.String(), got)
		}
		text = xlsx.String()
	}
	if _, _, err := all("a.xlsx", text, Options{Sheet: "a-b"}); err != nil {
		t.Error(err)
	}
	for title, want := range map[string]string{"": "Sheet1", "Pay: May/June [draft]?": "Pay- May-June -draft--", strings.Repeat("x", 40): strings.Repeat("x", 31), "'76": "’76", "history": "Sheet1"} {
		if got := sheetName(title); got != want {
			t.Errorf("%q names the sheet %q, want %q", title, got, want)
		}
	}
}
