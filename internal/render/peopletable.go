package render

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"yoyaku/internal/core/eval"
)

// peopleTable is a table for people: headings in words, each date with its weekday in front and its
// time behind, on one line, and the reasons in the room that is left.
type peopleTable struct {
	Heads []paperCell
	Body  []paperRow
	// Screen and Print are the sizes of letters in which the lines that don't break fit a
	// window of 1280 pixels, and A4 across.
	Screen, Print string

	columns        []string
	weekdayColumns []bool // columns of weekdays, which go in front of the dates before them
	dates          []bool
	numbers        []bool
	widest         []int
}

type paperCell struct {
	Text, Class string
	Reason      bool
}

type paperRow struct {
	Cells []paperCell
	Class string
}

// newPaper begins a table; named are columns that keep their names.
func newPaper(columns, named []string) *peopleTable {
	n := len(columns)
	p := &peopleTable{columns: columns, weekdayColumns: make([]bool, n), dates: make([]bool, n), numbers: make([]bool, n), widest: make([]int, n)}
	own := map[string]bool{}
	for _, name := range named {
		own[name] = true
	}
	for i, c := range columns {
		p.weekdayColumns[i] = i > 0 && !own[c] && (c == columns[i-1]+"_weekday" || c == "weekday" && columns[i-1] == "date")
		if !own[c] {
			c = headingText(c)
		}
		p.Heads = append(p.Heads, paperCell{Text: c, Reason: isReason(columns[i])})
	}
	return p
}

// headingText is a heading of ours for people: bank_file is Bank file.
func headingText(column string) string {
	words := strings.ReplaceAll(column, "_", " ")
	switch {
	case words == "id":
		return "ID"
	case words == "":
		return ""
	}
	first, n := utf8.DecodeRuneInString(words)
	return strings.ToUpper(string(first)) + words[n:]
}

// addRow adds a row.
func (p *peopleTable) addRow(cells []eval.Value, class string) {
	row := paperRow{Class: class, Cells: make([]paperCell, len(cells))}
	for i, v := range cells {
		c := &row.Cells[i]
		c.Text, c.Reason = Clean(p.text(v)), p.Heads[i].Reason
		switch v.Kind {
		case eval.Date, eval.DateTime:
			p.dates[i] = true
		case eval.Blank:
		default:
			if p.weekdayColumns[i] && cells[i-1].Kind == eval.Text { // a date that is shown otherwise
				row.Cells[i-1].Text = c.Text + " " + row.Cells[i-1].Text
				p.dates[i-1] = true
				p.widest[i-1] = max(p.widest[i-1], utf8.RuneCountInString(row.Cells[i-1].Text))
			}
		}
		p.numbers[i] = p.numbers[i] || v.IsNumber()
		p.widest[i] = max(p.widest[i], utf8.RuneCountInString(c.Text))
	}
	p.Body = append(p.Body, row)
}

func (*peopleTable) text(v eval.Value) string {
	switch v.Kind {
	case eval.Date, eval.DateTime:
		return v.Day.Weekday().Abbrev() + " " + strings.Replace(v.String(), "T", " ", 1)
	}
	return v.String()
}

// maxNoWrap is how many letters of a text stand on one line at most.
const maxNoWrap = 28

// finish settles which columns are shown and how, once all rows are there.
func (p *peopleTable) finish() *peopleTable {
	ems := 0.0
	for i := range p.columns {
		class := ""
		switch {
		case p.weekdayColumns[i]:
			continue
		case p.Heads[i].Reason:
			class = "r"
			ems += 16
		default:
			wide := min(p.widest[i], maxNoWrap)
			if p.dates[i] || p.columns[i] == "id" {
				class, wide = "d", p.widest[i]
			} else if p.numbers[i] {
				class = "n"
			}
			for _, word := range strings.Fields(p.Heads[i].Text) {
				wide = max(wide, utf8.RuneCountInString(word))
			}
			ems += 0.6*float64(wide) + 1
		}
		p.Heads[i].Class = class
		for k := range p.Body {
			p.Body[k].Cells[i].Class = class
		}
	}
	for i := len(p.columns) - 1; i >= 0; i-- {
		if !p.weekdayColumns[i] {
			continue
		}
		p.Heads = append(p.Heads[:i], p.Heads[i+1:]...)
		for k := range p.Body {
			p.Body[k].Cells = append(p.Body[k].Cells[:i], p.Body[k].Cells[i+1:]...)
		}
	}
	size := func(room, least, most float64) string {
		return fmt.Sprintf("%.1f", min(most, max(least, room/max(ems, 1))))
	}
	p.Screen, p.Print = size(1210, 10, 15), size(755, 6, 9.5)
	return p
}

// paperStyle is how such tables look, on screens and on paper.
const paperStyle = `.p { font-size: calc(var(--fs) * 1px); }
.p th { text-align: left; vertical-align: bottom; border-bottom: 2px solid var(--line); padding: .3em .5em; background: var(--paper); }
.p td { border-bottom: 1px solid var(--rule); padding: .25em .5em; vertical-align: top; }
.p .n { text-align: right; font-variant-numeric: tabular-nums; }
.p .d { white-space: nowrap; font-variant-numeric: tabular-nums; }
.p .r { width: 40%; min-width: 11em; }
.p tr { break-inside: avoid; }
@media print { .p { font-size: calc(var(--ps) * 1pt); } .p thead { display: table-header-group; } }
`

// paperTable is a template of such a table.
const paperTable = `{{define "paper"}}<thead>{{template "caption" .}}<tr>{{range .Heads}}<th scope="col"{{if .Class}} class="{{.Class}}"{{end}}>{{.Text}}</th>{{end}}</tr></thead>
<tbody>
{{range .Body}}<tr{{if .Class}} class="{{.Class}}"{{end}}>{{range .Cells}}<td{{if .Class}} class="{{.Class}}"{{end}}>{{if and .Reason .Text}}<span>{{.Text}}</span>{{else}}{{.Text}}{{end}}</td>{{end}}</tr>
{{end}}</tbody>{{end}}`
