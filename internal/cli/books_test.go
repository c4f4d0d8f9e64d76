package cli_test

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// saveBook writes a workbook of the sheet Rents behind a hidden one; parts replace those
// that it has.
func saveBook(t *testing.T, path, rows string, parts map[string]string) {
	t.Helper()
	all := map[string]string{
		"xl/workbook.xml":            `<workbook xmlns:r="x"><sheets><sheet name="Old" state="hidden" r:id="r2"/><sheet name="Rents" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<R><Relationship Id="r1" Type="t/worksheet" Target="s1.xml"/><Relationship Id="r2" Type="t/worksheet" Target="s2.xml"/><Relationship Id="r3" Type="t/styles" Target="styles.xml"/></R>`,
		"xl/s1.xml":                  `<worksheet><sheetData>` + rows + `</sheetData></worksheet>`,
		"xl/s2.xml":                  `<worksheet><sheetData><row><c><v>1</v></c></row></sheetData></worksheet>`,
		"xl/styles.xml":              `<s><cellXfs><xf numFmtId="0"/><xf numFmtId="22"/><xf numFmtId="20"/><xf numFmtId="10"/></cellXfs></s>`,
	}
	for name, text := range parts {
		all[name] = text
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range all {
		if w, err := z.Create(name); err != nil {
			t.Fatal(err)
		} else if _, err = w.Write([]byte(text)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	write(t, path, b.String())
}

// part is a part of a workbook.
func part(t *testing.T, path, name string) string {
	t.Helper()
	z, err := zip.OpenReader(path)
	if err != nil {
		t.Fatal(err)
	}
	defer z.Close()
	var b bytes.Buffer
	f, err := z.Open(name)
	if err == nil {
		_, err = b.ReadFrom(f)
	}
	if err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// Tables as programs of the trade save them: what cells are stays so, what is hidden is
// told, and a title stands only if there is a place for one.
func TestXLSX_partsAsWritten(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	const head = `<row><c t="inlineStr"><is><t>code</t></is></c><c t="inlineStr"><is><t>seen</t></is></c><c t="inlineStr"><is><t>at</t></is></c><c t="inlineStr"><is><t>rent</t></is></c><c t="inlineStr"><is><t>rate</t></is></c></row>`
	one := `<c t="inlineStr"><is><t>0012</t></is></c><c s="1"><v>46480.604166667</v></c><c s="2"><v>0.385416667</v></c><c><v>1.234</v></c><c s="3"><v>0.05</v></c></row>`
	saveBook(t, filepath.Join(dir, "rents.xlsx"), head+`<row>`+one+`<row hidden="1">`+one, nil)
	const days1904 = `<workbook xmlns:r="x"><workbookPr date1904="1"/><sheets><sheet name="S" r:id="r1"/></sheets></workbook>`
	days := `<row><c t="inlineStr"><is><t>day</t></is></c></row><row><c><v>45018</v></c></row>`
	saveBook(t, filepath.Join(dir, "days.xlsx"), days, map[string]string{"xl/workbook.xml": days1904})
	for name, text := range map[string]string{
		"sep.csv": "sep=;\na;b\n1,5;2027-03-05\n", "right.csv": "a,b,,\n1,2027-03-05,,\n2,2027-03-06\n", "errors.csv": "a,b\n1,#N/A\n2,present\n",
		"marks.csv": "net_fee,n\n*x* [y] `z`,1\n", "mill.yaml": "closed: sun\nholidays:\n  - {name: Mill Day, day: yearly on 3 may}\n", "sums.csv": "who,n\na,1.50\nb,2\n",
	} {
		write(t, filepath.Join(dir, name), text)
	}
	for _, c := range []struct {
		args, out, errs string
		code            int
	}{
		{"derive|rents.xlsx|--add|next = seen, +1 month|--read-numbers|1.234,56|--add|double = rent * 2|--where|code = '0012'",
			"code,seen,at,rent,rate,next,double\n0012,2027-04-03T14:30,09:15,1.234,0.05,2027-05-03,2.468\n0012,2027-04-03T14:30,09:15,1.234,0.05,2027-05-03,2.468\n",
			"note: the first sheet of rents.xlsx, Old, is hidden; read Rents instead.\nnote: 1 row of rents.xlsx is hidden or filtered; it is included.\n", 0},
		{"derive|rents.xlsx|--add|n = 1|--as|jsonl|--columns|code,at,rent,n|--quiet", `{"code": "0012", "at": "09:15", "rent": 1.234, "n": 1}`, "", 0},
		{"derive|days.xlsx|--read-dates|serial|--add|x = day, +1 day", "day,x\n2027-04-03,2027-04-04\n", "", 0},
		{"derive|sep.csv|--add|c = b, +1 day", "a,b,c\n\"1,5\",2027-03-05,2027-03-06\n", "", 0},
		{"derive|right.csv|--repair|--add|c = b, +1 day", "a,b,c\n1,2027-03-05,2027-03-06\n2,2027-03-06,2027-03-07\n", "repaired: 2 blank columns at the right end left out.\n", 0},
		{"derive|errors.csv|--add|c = b, +1 day", "", "line 2, `b`: expected a date, found \"#N/A\"", 2},
		{"derive|errors.csv|--add|c = b, +1 day", "", "--open-words present\n", 2},
		{"derive|marks.csv|--add|c = n|--as|md|--title|A_b", "**A\\_b, as of 2026-12-01**\n\n| net\\_fee | n | c |\n| --- | --- | --- |\n| \\*x\\* \\[y\\] \\`z\\` | 1 | 1 |\n", "", 0},
		{"derive|marks.csv|--add|c = n|--as|csv|--title|A", "", "--title doesn't fit in csv", 2},
		{"derive|marks.csv|--add|c = n|--title|A", "net_fee,n,c\n", "", 0},
		{"holidays|--calendar|mill.yaml|--window|2027", "date,weekday,name,nominal,reason\n2027-05-03,Mon,Mill Day,2027-05-03,\n", "", 0},
		{"tally|sums.csv|--rows|who|--sum|n|--title|Hours: May|--out|sums.xlsx", "", "", 0},
	} {
		out, errs, code := yoyaku(t, dir, append(strings.Split(c.args, "|"), "--as-of", "2026-12-01")...)
		if code != c.code || !strings.HasPrefix(out, c.out) || !strings.Contains(errs, c.errs) {
			t.Errorf("%s: exit %d\n%s%s, want\n%s%s", c.args, code, out, errs, c.out, c.errs)
		}
	}
	sums := filepath.Join(dir, "sums.xlsx")
	sheet := part(t, sums, "xl/worksheets/sheet1.xml")
	for _, want := range []string{`<autoFilter ref="$A$1:$B$3">`, `<oddHeader>&amp;CHours: May, as of 2026-12-01</oddHeader>`, `<c r="B4" s="`} {
		if !strings.Contains(sheet, want) {
			t.Errorf("the sheet lacks %s: %s", want, sheet[strings.Index(sheet, "<sheetData"):])
		}
	}
	if props := part(t, sums, "docProps/core.xml"); !strings.Contains(props, "<dc:title>Hours: May</dc:title>") || !strings.Contains(props, "As of 2026-12-01") || !strings.Contains(part(t, sums, "xl/workbook.xml"), `name="Hours- May"`) {
		t.Errorf("the properties are %s", props)
	}
	if styles := part(t, sums, "xl/styles.xml"); !strings.Contains(styles, `formatCode="0.00"`) {
		t.Errorf("sums of amounts have no places: %s", styles)
	}
	if left, err := os.ReadDir(dir); err != nil || len(left) != 9 {
		t.Errorf("%d files are there, %v", len(left), err)
	}
}
