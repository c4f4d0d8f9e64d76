package tabular

import (
	"cmp"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/golden"
)

// gridOf is a grid of lines whose cells stand apart by bars; a blank line is no row.
func gridOf(text string) *Grid {
	g := &Grid{File: "sheet", IsWhole: true}
	for i, line := range strings.Split(text, "\n") {
		var cells []eval.Value
		for _, cell := range strings.Split(line, "|") {
			v := eval.Value{}
			if d, _, ok := civil.Parse(cell); ok && strings.HasSuffix(cell, "\x00") {
				v = eval.Day(d)
			} else if cell != "" {
				v = eval.Str(strings.ReplaceAll(cell, "\\n", "\n"))
			}
			cells = append(cells, v)
		}
		if r := gridRow(i+1, cells); len(r.Cells) > 0 {
			g.Rows = append(g.Rows, r)
		}
	}
	return g
}

// lookText is what the recogniser sees, in lines.
func lookText(l *Layout) string {
	var b strings.Builder
	fmt.Fprintf(&b, "header %d", l.HeaderRow)
	for _, part := range []struct {
		name string
		is   bool
		says any
	}{{"needed", l.NeedsHeaderRow, ""}, {"repair", l.Repair, ""}, {"renames", l.Renames != nil, l.Renames}, {"lines", l.First+l.Last > 0, fmt.Sprint(l.First, "..", l.Last)}, {"skip", l.Skip != nil, l.Skip},
		{"fill", l.FillDown != nil, l.FillDown}, {"titles", l.Titles != nil, l.Titles}} {
		if part.is {
			fmt.Fprintf(&b, "; %s %v", part.name, part.says)
		}
	}
	b.WriteString("\n")
	for _, c := range l.Columns {
		fmt.Fprintf(&b, "  %s: %s", c.Name, []string{"text", "empty", "dates", "numbers", "labels", "weekdays", "halves"}[c.Kind])
		for _, part := range []struct {
			name string
			is   bool
			says any
		}{{"as", c.Form != "", c.Form}, {"or", len(c.Also) > 0, c.Also}, {"why", c.Why != "", c.Why}, {"open", c.Words[OpenWord] != nil, c.Words[OpenWord]}, {"never", c.Words[NeverWord] != nil, c.Words[NeverWord]},
			{"doubtful", c.Words[DoubtfulWord] != nil, c.Words[DoubtfulWord]}, {"unknown", c.Words[UnknownWord] != nil, c.Words[UnknownWord]}, {"far", c.FarDates != nil, c.FarDates}, {"odd", c.NumOdd > 0, c.Odd}, {"language", c.Language != "", c.Language}, {"without a year", c.LacksYear, ""}} {
			if part.is {
				fmt.Fprintf(&b, ", %s %v", part.name, part.says)
			}
		}
		fmt.Fprintf(&b, " (%d of %d)\n", c.Distinct, c.Filled)
	}
	for _, d := range l.Doubts {
		fmt.Fprintf(&b, "  ? %s %v %v\n", d.Text, d.Answers, d.Matters)
	}
	return b.String()
}

// TestLook_grids holds what is seen in sheets of all shapes; each is a block of testdata/look.in.
func TestLook_grids(t *testing.T) {
	text, err := os.ReadFile("testdata/look.in")
	if err != nil {
		t.Fatal(err)
	}
	var b strings.Builder
	for _, block := range strings.Split(strings.TrimSpace(string(text)), "\n====\n") {
		name, grid, _ := strings.Cut(block, "\n")
		l := Look(gridOf(grid), Told{HeaderRow: -1, Context: testContext})
		fmt.Fprintf(&b, "%s\n%s\n", name, lookText(l))
	}
	golden.Compare(t, "testdata/look.txt", b.String())
}

// What the recogniser offers of a table reads it: with the options of the layout each row of a
// random table is there again, and each date as it was made.
func TestLook_offersWhatReads(t *testing.T) {
	dir := t.TempDir()
	forms := []string{"2.1.2006", "2006-01-02", "January 2, 2006", "2 Jan 2006", "02/01/2006"}
	for n := range 60 {
		var b strings.Builder
		if n%3 == 0 {
			b.WriteString("A title of 2027;;\n\n")
		}
		b.WriteString("who;day;n\n")
		var want []string
		for i := range 6 {
			d, _ := civil.NewDate(2027, 1+(n+i)%12, 13+i) // days above 12 settle the order
			y, m, day := d.YMD()
			text := strings.NewReplacer("2006", fmt.Sprint(y), "January", civil.MonthNames[m], "Jan", civil.MonthNames[m][:3], "02", fmt.Sprintf("%02d", day), "01", fmt.Sprintf("%02d", m)).Replace(forms[n%5])
			text = strings.NewReplacer("2 ", fmt.Sprint(day, " "), " 2,", fmt.Sprint(" ", day, ",")).Replace(text)
			if n%5 == 0 {
				text = fmt.Sprintf("%d.%d.%d", day, m, y)
			}
			if n%5 == 1 {
				text = d.String()
			}
			want = append(want, d.String())
			fmt.Fprintf(&b, "P%d;%s;%d\n", i, text, i)
			if n%4 == 1 && i == 2 {
				b.WriteString("Subtotal;;3\n")
			}
		}
		if n%2 == 0 {
			b.WriteString("Total;;15\n")
		}
		if n%4 < 2 {
			b.WriteString("Source: the yard\n")
		}
		path := filepath.Join(dir, "t.csv")
		if err := os.WriteFile(path, []byte(b.String()), 0o600); err != nil {
			t.Fatal(err)
		}
		g, err := ReadGrid(path, nil, Options{})
		if err != nil {
			t.Fatal(err)
		}
		l := Look(g, Told{HeaderRow: -1, Context: testContext})
		r, closer, err := Open(path, nil, Options{HeaderRow: l.HeaderRow, Filter: RowFilter{First: l.First, Last: l.Last, Skip: l.Skip}, Repairs: map[bool]*Repairs{true: {}}[l.Repair]})
		if err != nil {
			t.Fatalf("%v of\n%s", err, b.String())
		}
		at := slices.Index(r.Columns(), "day")
		layouts, err := ParseDateLayouts(cmp.Or(l.Columns[at].Form, "ymd"), testContext)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for batch, err := r.Next(); batch != nil || err != nil; batch, err = r.Next() {
			if err != nil {
				t.Fatalf("%v of\n%s", err, b.String())
			}
			_ = batch.Each(func(_ int, cells []eval.Value) error {
				d, _, _ := ReadCell(cells[at], layouts)
				got = append(got, d.String())
				return nil
			})
		}
		closer.Close()
		if !slices.Equal(got, want) {
			t.Errorf("%v, want %v of\n%s", got, want, b.String())
		}
	}
}

func TestGuessEncoding(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"Name;F\xe4lligkeit\nA;3. M\xe4rz 2027\n", "windows-1252"}, {"n;d\nA;5 pa\x9fdziernika 2027\n", "windows-1250"}, {"n;d\nA;5 pa\xbcdziernika 2027\n", "iso-8859-2"}, {"\xe8\xec\xff;\xe4\xe0\xf2\xe0\nA;3 \xec\xe0\xff 2027\n", "windows-1251"},
		{"n;\xe7\xec\xe5\xf1\xef\xec\xe7\xed\xdf\xe1\nA;3 \xcc\xe1\x90\xef\xf5 2027;5 \xc9\xef\xf5\xed\xdf\xef\xf5 2027\n", "windows-1253"}, {"\x96\xbc\x91O,\x8ex\x95\xa5\x93\xfa\n", "shift_jis"}, {"d\n5 \xcf\xcb\xd4\xd1\xc2\xd2\xd1 2027\n5 \xcf\xcb\xd4\xd1\xc2\xd2\xd1 2028\n", "koi8-r"},
	} {
		if got := GuessEncoding([]byte(c.text)); got != c.want {
			t.Errorf("%q is %s, want %s", c.text, got, c.want)
		}
	}
}
