package tabular

import (
	"archive/zip"
	"bytes"
	"strings"
	"testing"
)

// TestMayHoldHalves finds whatever may be half a day, across the edges of what is read at once, in
// texts and in workbooks; plain tables have none.
func TestMayHoldHalves(t *testing.T) {
	has := func(data []byte) bool {
		found, err := MayHoldHalves(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			t.Fatal(err)
		}
		return found
	}
	book := func(part, text string) []byte {
		var b bytes.Buffer
		z := zip.NewWriter(&b)
		w, _ := z.Create(part)
		_, _ = w.Write([]byte(text))
		_ = z.Close()
		return b.Bytes()
	}
	for text, want := range map[string]bool{"a,b\n2027-06-01,9.5\n": false, "2027-06-01T16:30,12:01\n": false, "Ansa Fenwick-Gull,Harbour Row 3\n": false, "": false,
		"2027-06-01 PM,x\n": true, "1 juin 2027 (matin)\n": true, "1.6.2027 po południu\t2\n": true, "2027-06-01 (half day)\n": true, "2027-06-01T12:00\n": true, "2027-06-01 ½": true, `{"a": "2027-06-01 \u00bd"}`: true} {
		for _, before := range []int{0, 256<<10 - 12, 256<<10 - 3, 256 << 10} {
			if got := has([]byte(strings.Repeat("x", before) + "\n" + text)); got != want {
				t.Errorf("%q behind %d bytes: %v", text, before, got)
			}
		}
	}
	for text, want := range map[string]bool{"<c><v>46539</v></c><c><v>123.5</v></c><c><v>146539.5</v></c>": false, "<c><v>46539.5</v></c>": true, "<t>1 Jun 2027 PM</t>": true, "<t>7.6.2027 &#189;</t>": true} {
		if got := has(book("xl/worksheets/sheet1.xml", text)); got != want {
			t.Errorf("%s: %v", text, got)
		}
		if has(book("xl/styles.xml", text)) {
			t.Errorf("%s among styles", text)
		}
	}
}
