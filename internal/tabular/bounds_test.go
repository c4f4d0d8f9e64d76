package tabular

import (
	"archive/zip"
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestXLSX_boundsUnpacking refuses workbooks of a few kilobytes whose parts unpack to hundreds of times
// that, and numbers thousands of equal headings in one pass.
func TestXLSX_boundsUnpacking(t *testing.T) {
	const head = `<?xml version="1.0"?>`
	for what, part := range map[string]string{"xl/s.xml": `<worksheet><sheetData>`, "xl/ss.xml": `<sst>`} {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		parts := map[string]string{
			"[Content_Types].xml":        head + `<Types><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/></Types>`,
			"_rels/.rels":                head + `<Relationships><Relationship Id="r" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
			"xl/workbook.xml":            head + `<workbook xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="S" sheetId="1" r:id="a"/></sheets></workbook>`,
			"xl/_rels/workbook.xml.rels": head + `<Relationships><Relationship Id="a" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="s.xml"/><Relationship Id="b" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/sharedStrings" Target="ss.xml"/></Relationships>`,
			"xl/s.xml":                   head + `<worksheet><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>a</t></is></c></row></sheetData></worksheet>`,
			"xl/ss.xml":                  head + `<sst><si><t>x</t></si></sst>`,
		}
		for name, text := range parts {
			w, err := z.Create(name)
			if err != nil {
				t.Fatal(err)
			}
			if name == what {
				text = head + part
			}
			if _, err = w.Write([]byte(text)); err == nil && name == what {
				row := bytes.Repeat([]byte("<si/>"), 200_000)
				for range maxUnpackedBytes/len(row) + 2 {
					_, err = w.Write(row)
				}
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		if err := z.Close(); err != nil {
			t.Fatal(err)
		}
		path := filepath.Join(t.TempDir(), "b.xlsx")
		if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, _, err := Open(path, nil, Options{}); err == nil || !strings.Contains(err.Error(), what+" unpacks to 64 MB from ") && !strings.Contains(err.Error(), what+" unpacks to 65 MB from ") {
			t.Errorf("%s: %v", what, err)
		}
	}
	columns := append(strings.Split(strings.Repeat("start,", 3000), ",")[:3000], "start_7", "", "Start", "")
	o := Options{Repairs: &Repairs{}}
	if err := o.repairHeader("a.csv", 1, columns); err != nil {
		t.Fatal(err)
	}
	for at, want := range map[int]string{0: "start", 1: "start_2", 5: "start_6", 6: "start_8", 2999: "start_3001", 3000: "start_7", 3001: "column_3002", 3002: "Start_3002", 3003: "column_3004"} {
		if columns[at] != want {
			t.Errorf("column %d is %s, want %s", at, columns[at], want)
		}
	}
	if err := o.repairHeader("a.csv", 1, make([]string, maxColumns+1)); err == nil || !strings.Contains(err.Error(), fmt.Sprint(maxColumns)) {
		t.Errorf("too many columns: %v", err)
	}
}
