package render

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/jedib0t/go-pretty/v6/text"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/schedule"
)

// seriesColor is a colour of a series on light and on dark ground, and on a terminal of either
// kind, if it is a middle tone. On pages each has a contrast of 4.5:1 at least, closed days too, and they differ in lightness as well,
// for those who see colours otherwise.
type seriesColor struct {
	Light, Dark string
	ansi        string
}

var seriesColors = []seriesColor{
	{"#0b4f8a", "#7cc0f4", "38;5;26"}, {"#9c3d00", "#f2a268", "38;5;166"}, {"#00614f", "#5fd0b4", "38;5;30"},
	{"#8a1253", "#f29ac4", "38;5;162"},
	{"#4b2e83", "#bfa8f0", "38;5;98"}, {"#4f5a00", "#cdd46a", "38;5;100"}, {"#a31515", "#f59a94", "38;5;160"},
	{"#22505c", "#9fd3e0", "38;5;66"},
}

// seriesSigns mark the series, full for a date on its nominal day, hollow for one that
// moved. They tell series apart without colours.
var seriesSigns = [][2]string{{"●", "○"}, {"▲", "△"}, {"■", "□"}, {"◆", "◇"}, {"★", "☆"}, {"▼", "▽"}, {"▶", "▷"},
	{"◀", "◁"}, {"♠", "♤"}, {"♥", "♡"}, {"♣", "♧"}, {"⬢", "⬡"}}

// signOf is the sign of a series; past the signs they are letters.
func signOf(n int, moved bool) string {
	k := 0
	if moved {
		k = 1
	}
	if n < len(seriesSigns) {
		return seriesSigns[n][k]
	}
	letter := string(rune('A' + (n-len(seriesSigns))%26))
	if moved {
		letter = strings.ToLower(letter)
	}
	return letter
}

var monthNames = strings.Fields("January February March April May June July August September October November December")

// monthName is January 2027.
func monthName(m civil.Span) string {
	year, month, _ := m.First.YMD()
	return monthNames[month-1] + " " + strconv.Itoa(year)
}

// drawWall draws a wall for a terminal, as many months side by side as fit.
func drawWall(out io.Writer, w *schedule.Wall, l Options) error {
	width := l.Width
	if width <= 0 {
		width = 80
	}
	signs := signsOf(w, width)
	month := monthWidth(signs)
	across := max(1, min((width+2)/(month+2), len(w.Months)))
	var b strings.Builder
	if w.Title != "" {
		fmt.Fprintf(&b, "%s, as of %s\n\n", Clean(w.Title), l.AsOf)
	}
	for from := 0; from < len(w.Months); from += across {
		months := w.Months[from:min(from+across, len(w.Months))]
		blocks := make([][]string, len(months))
		most := 0
		for i, m := range months {
			blocks[i] = monthLines(w, m, l, signs)
			most = max(most, len(blocks[i]))
		}
		for n := range most {
			line := ""
			for i := range blocks {
				cell := strings.Repeat(" ", month)
				if n < len(blocks[i]) {
					cell = blocks[i][n]
				}
				line += cell + "  "
			}
			b.WriteString(strings.TrimRight(line, " ") + "\n")
		}
		b.WriteString("\n")
	}
	writeLegend(&b, w, l, width, signs)
	_, err := io.WriteString(out, b.String())
	return err
}

// signsOf is how many signs a day has room for: as many as the fullest day wants, up to
// three, if two months still fit side by side.
func signsOf(w *schedule.Wall, width int) int {
	most := 1
	for _, m := range w.Months {
		for d := m.First; d <= m.Last; d++ {
			most = max(most, min(len(w.Marks(d)), 3))
		}
	}
	for most > 1 && len(w.Months) > 1 && 2*monthWidth(most)+2 > width {
		most--
	}
	return most
}

// monthWidth is the width of a month whose days have room for so many signs: the number of
// the week, then days of two digits, their signs and a gap, without the last one's.
func monthWidth(signs int) int { return 3 + 7*(3+signs) - 1 }

// monthLines are the lines of a month, each as wide as monthWidth.
func monthLines(w *schedule.Wall, month civil.Span, l Options, signs int) (lines []string) {
	name, wide := monthName(month), monthWidth(signs)
	left := (wide - len(name)) / 2
	lines = append(lines, l.paint("1", strings.Repeat(" ", left)+name+strings.Repeat(" ", wide-len(name)-left)))
	head := "   "
	for i := range civil.Date(7) {
		head += fmt.Sprintf("%-*s", 3+signs, (month.First.OnOrBefore(w.WeekStart) + i).Weekday().Abbrev()[:2])
	}
	lines = append(lines, l.paint(grey, head[:wide]))
	for _, first := range w.Weeks(month) {
		line := l.paint(grey, fmt.Sprintf("%2d ", w.ISOWeekOf(first)))
		for d := first; d < first+7; d++ {
			if d > first {
				line += " "
			}
			if month.Contains(d) {
				line += l.dayText(w, d, signs)
			} else {
				line += strings.Repeat(" ", 2+signs)
			}
		}
		lines = append(lines, line)
	}
	return lines
}

// dayText is a day with its signs, or a plus if there are more than it has room for.
func (l Options) dayText(w *schedule.Wall, d civil.Date, signs int) string {
	_, _, number := d.YMD()
	closed, _ := w.Closed(d)
	marks := w.Marks(d)
	line := fmt.Sprintf("%2d", number)
	room := strings.Repeat(" ", max(0, signs-len(marks)))
	switch {
	case len(marks) > signs:
		return l.paint("1", line+"+") + strings.Repeat(" ", signs-1)
	case len(marks) > 0:
		line = l.paint("1", line)
		for _, m := range marks {
			line += l.paint("1;"+seriesColors[m.Series%len(seriesColors)].ansi, signOf(m.Series, m.Moved))
		}
	case closed && l.Color:
		line = l.paint(grey, line)
	case closed:
		return line + "." + room[1:]
	}
	return line + room
}

// grey is the style of what stands back; not every terminal can write faintly.
const grey = "38;5;245"

// paint wraps text in an ANSI style, if there are colours.
func (l Options) paint(style, s string) string {
	if !l.Color {
		return s
	}
	return "\x1b[" + style + "m" + s + "\x1b[0m"
}

// writeLegend says what the signs and the closed days are.
func writeLegend(b *strings.Builder, w *schedule.Wall, l Options, width, signs int) {
	titles := 0
	for _, s := range w.Series {
		titles = max(titles, cellWidth(Clean(s.Title)))
	}
	hollow := false
	several := slices.DeleteFunc(w.CrowdedDays(), func(d civil.Date) bool { return len(w.Marks(d)) <= signs })
	for i, s := range w.Series {
		title := Clean(s.Title)
		line := signOf(i, false) + " " + title + strings.Repeat(" ", titles-cellWidth(title)) +
			fmt.Sprintf("  %3d", s.Count)
		if s.Moved > 0 {
			hollow = true
			line += fmt.Sprintf(", %d moved", s.Moved)
		}
		b.WriteString(l.paint(seriesColors[i%len(seriesColors)].ansi, line) + "\n")
	}
	if hollow {
		b.WriteString("A hollow sign marks a date that moved.\n")
	}
	if len(several) > 0 {
		b.WriteString(strings.Replace(fmt.Sprintf("\n+ more than %d on one day:\n", signs), "more than 1", "several", 1))
		for _, d := range several {
			var names []string
			for _, m := range w.Marks(d) {
				names = append(names, signOf(m.Series, m.Moved)+" "+Clean(w.Series[m.Series].Title))
			}
			writeWrapped(b, "  "+d.String()+" ", strings.Join(names, ", "), width)
		}
	}
	if len(w.Closures) > 0 {
		b.WriteString(map[bool]string{true: "\nClosed, grey above:\n", false: "\n. closed:\n"}[l.Color])
		var names []string
		for _, s := range w.Closures {
			names = append(names, Clean(s.Name)+" "+s.DaysText())
		}
		writeWrapped(b, "  ", strings.Join(names, "; "), width)
	}
}

// writeWrapped writes text behind a head, its further lines as far in.
func writeWrapped(b *strings.Builder, head, s string, width int) {
	in := strings.Repeat(" ", len(head))
	room := max(20, width-len(head))
	for i, line := range strings.Split(text.WrapSoft(s, room), "\n") {
		if i == 0 {
			b.WriteString(head)
		} else {
			b.WriteString(in)
		}
		b.WriteString(strings.TrimRight(line, " ") + "\n")
	}
}

// sheetShape returns how many months stand side by side and below each other on a sheet.
func sheetShape(months int) (columns, rows int) {
	for _, s := range [][2]int{{1, 1}, {2, 1}, {3, 1}, {2, 2}, {3, 2}, {4, 2}, {4, 3}, {5, 3}, {6, 3}, {6, 4}} {
		if s[0]*s[1] >= months {
			return s[0], s[1]
		}
	}
	return 6, (months + 5) / 6
}

// sheetPoints are the points of print on a sheet of so many columns: as large as three
// letters to a day's width allow.
var sheetPoints = [...]float64{0, 17, 17, 13, 9.8, 8, 6.7}

type wallDay struct {
	Day     int // 0 for a day of another month
	Closed  bool
	Holiday string
	Title   string
	Marks   []wallSign
}

type wallSign struct {
	Class, Sign, Text string
	Moved             bool
}

type wallWeek struct {
	Number int
	Days   []wallDay
}

type wallMonth struct {
	Name  string
	Weeks []wallWeek
}

// wallPart is a part on paper of its own.
type wallPart struct {
	Of, Title, None string
	*peopleTable
	Lines []string
	Span  int // columns
}

func wallParts(w *schedule.Wall, when string) (list []wallPart) {
	for _, p := range w.Parts {
		table := newPaper(p.Columns, nil)
		for _, cells := range p.Rows {
			table.addRow(cells, "")
		}
		part := wallPart{Of: strings.TrimPrefix(Clean(p.Plan)+", ", ", ") + when, Title: Clean(p.Title), peopleTable: table.finish(), Lines: p.Lines}
		if part.Span = len(table.Heads); len(p.Rows) == 0 {
			part.None = p.EmptyText
		}
		list = append(list, part)
	}
	return list
}

// maxNamedClosures is how many closed days the page names.
const maxNamedClosures = 40

// wallData is what the template of a wall's page shows.
type wallData struct {
	Title, Dates, AsOf string
	Paper              string
	Columns, Rows      int // of months on the sheet
	Points             float64
	Heads              [][2]string // weekdays, short and whole
	Months             []wallMonth
	Legend             []wallLegend
	Hollow             bool // some date moved
	Closures           []schedule.WallClosure
	MoreClosures       int
	Hues               []seriesColor
	Parts              []wallPart
}

// wallLegend is a line of the legend.
type wallLegend struct {
	Class, Sign, Title string
	Count, Moved       int
}

// wallPage writes a self-contained page that prints on one sheet.
func wallPage(out io.Writer, w *schedule.Wall, asOf civil.Date) error {
	v := wallData{Title: cmp.Or(w.Title, "Dates"), AsOf: asOf.String(), Paper: "A4", Hues: seriesColors}
	first, last := monthName(w.Months[0]), monthName(w.Months[len(w.Months)-1])
	if v.Dates = first; first != last {
		v.Dates += " to " + last
	}
	v.Parts = wallParts(w, v.Dates+", as of "+v.AsOf)
	if w.Letter {
		v.Paper = "letter"
	}
	v.Columns, v.Rows = sheetShape(len(w.Months))
	v.Points = sheetPoints[v.Columns]
	if v.Columns == 4 && v.Rows == 2 {
		v.Points++
	}
	for i := range civil.Date(7) {
		name := civil.WeekdayNames[(w.Months[0].First.OnOrBefore(w.WeekStart) + i).Weekday()]
		v.Heads = append(v.Heads, [2]string{name[:2], name})
	}
	for i, s := range w.Series {
		v.Legend = append(v.Legend, wallLegend{seriesClass(i), signOf(i, false), s.Title, s.Count, s.Moved})
		v.Hollow = v.Hollow || s.Moved > 0
	}
	if v.Closures = w.Closures; len(v.Closures) > maxNamedClosures {
		v.MoreClosures = len(v.Closures) - maxNamedClosures
		v.Closures = v.Closures[:maxNamedClosures]
	}
	for _, m := range w.Months {
		v.Months = append(v.Months, newWallMonth(w, m))
	}
	return wallTemplate().Execute(out, v)
}

// seriesClass is the class that colours the signs of series n.
func seriesClass(n int) string { return "h" + strconv.Itoa(n%len(seriesColors)) }

// newWallMonth lays a month out in six weeks, so that all months have lines of one height.
func newWallMonth(w *schedule.Wall, m civil.Span) wallMonth {
	month := wallMonth{Name: monthName(m)}
	for _, start := range w.Weeks(m) {
		week := wallWeek{Number: w.ISOWeekOf(start)}
		for d := start; d < start+7; d++ {
			day := wallDay{}
			if m.Contains(d) {
				day = newWallDay(w, d)
			}
			week.Days = append(week.Days, day)
		}
		month.Weeks = append(month.Weeks, week)
	}
	for len(month.Weeks) < 6 {
		month.Weeks = append(month.Weeks, wallWeek{Days: make([]wallDay, 7)})
	}
	return month
}

// newWallDay is a day with its signs, and what they and the day are called on hover.
func newWallDay(w *schedule.Wall, d civil.Date) (day wallDay) {
	_, _, day.Day = d.YMD()
	day.Closed, day.Holiday = w.Closed(d)
	var titles []string
	for _, mark := range w.Marks(d) {
		day.Marks = append(day.Marks, wallSign{seriesClass(mark.Series), signOf(mark.Series, mark.Moved), mark.Text, mark.Moved})
		titles = append(titles, mark.Text)
	}
	if day.Holiday != "" {
		titles = append(titles, "closed: "+day.Holiday)
	}
	day.Title = strings.Join(titles, "\n")
	return day
}

var wallTemplate = lazyTemplate("wall", `<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{{.Title}}, {{.Dates}}</title>
<style>
:root { color-scheme: light dark; --ink: #1b2733; --paper: #fdfdfb; --faint: #56616c; --rule: #cfd6da; --line: #5a7184; --shut: #eceff1; }
{{range $i, $h := .Hues}}.h{{$i}} { color: {{$h.Light}}; }
{{end}}@media (prefers-color-scheme: dark) {
:root { --ink: #e6eaee; --paper: #14191e; --faint: #a3afba; --rule: #3a444d; --line: #8fa3b3; --shut: #222a31; }
{{range $i, $h := .Hues}}.h{{$i}} { color: {{$h.Dark}}; }
{{end}}}
* { box-sizing: border-box; }
body { margin: 0; background: var(--paper); color: var(--ink); font: 15px/1.3 system-ui, "Segoe UI", "DejaVu Sans", sans-serif; }
main { max-width: 1560px; margin: 0 auto; padding: 1rem 1.25rem; display: flex; flex-direction: column; gap: .9rem; min-height: 100vh; }
header { display: flex; justify-content: space-between; align-items: baseline; gap: 1rem; }
h1 { font-size: 1.45em; font-weight: 650; margin: 0; }
h2 { font-size: 1em; font-weight: 650; margin: 0; }
header p { margin: 0; color: var(--faint); }
.months { display: grid; grid-template-columns: repeat(auto-fit, minmax(15.5rem, 1fr)); gap: 1.1rem 1.6rem; flex: 1; }
table { width: 100%; height: calc(100% - 1.7em); border-collapse: collapse; table-layout: fixed; font-variant-numeric: tabular-nums; }
caption { text-align: left; font-weight: 650; height: 1.7em; }
th { font-weight: 400; color: var(--faint); font-size: .78em; text-align: left; padding: .1em 0 .1em .4em; }
abbr { text-decoration: none; }
thead th { border-bottom: 1px solid var(--rule); }
th.w { width: 2.2em; font-size: .66em; padding-left: 0; }
td { text-align: left; padding: .12em 0 .12em .3em; height: 1.9em; white-space: nowrap; vertical-align: middle; }
td.x { background: var(--shut); color: var(--faint); }
td.on { line-height: 1; }
td.on .d { font-weight: 750; font-size: 1.1em; color: var(--ink); }
td.on { position: relative; }
td:focus { outline: 2px solid var(--ink); outline-offset: -2px; }
td:focus::after { content: attr(title); position: absolute; z-index: 1; left: 0; top: 100%; width: max-content; max-width: 22rem; white-space: pre-line; background: var(--ink); color: var(--paper); padding: .4em .6em; font-weight: 400; }
tbody tr { height: 15%; }
.g { display: block; font-size: .66em; line-height: 1; white-space: nowrap; overflow: hidden; }
.vh { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
footer { display: flex; gap: 2.5rem; border-top: 1px solid var(--rule); padding-top: .6rem; }
ul { list-style: none; margin: 0; padding: 0; }
.marks { columns: 2 15rem; flex: 1.3; }
.marks li { break-inside: avoid; }
.marks b { display: inline-block; width: 1.3em; }
.marks span, .shut { color: var(--faint); }
.shut { flex: 1; font-size: .86em; }
.shut li { display: inline; }
.shut li:not(:last-child)::after { content: ";"; }
`+paperStyle+`.p { width: 100%; height: auto; table-layout: auto; }
.p th { font-size: 1em; color: var(--ink); font-weight: 650; }
.p td { height: auto; white-space: normal; }
.p td.d { white-space: nowrap; }
.p .c { border: 0; padding: 0 0 .5em; }
.p .c p { font-weight: 400; color: var(--faint); margin: 0; }
.part { max-width: 1560px; margin: 2rem auto; padding: 1rem 1.25rem; border-top: 1px solid var(--rule); }
.part h2 { font-size: 1.3rem; }
.part > p { color: var(--faint); }
dl { display: grid; grid-template-columns: 8em 2fr 1fr; gap: 2.2em 1.5em; margin: 2em 0 0; padding-bottom: 1.5em; }
dt { font-weight: 650; align-self: end; }
dd { margin: 0; border-bottom: 1px solid var(--ink); height: 2.6em; position: relative; }
dd span { position: absolute; top: 100%; left: 0; color: var(--faint); font-size: .8em; }
@page { size: {{.Paper}} landscape; margin: 7mm; }
@media print {
:root { --ink: #000; --paper: #fff; --faint: #4d5862; --rule: #b9c2c8; --shut: #e8ecee; }
{{range $i, $h := .Hues}}.h{{$i}} { color: {{$h.Light}}; }
{{end}}body { font-size: {{.Points}}pt; line-height: 1.2; }
main { max-width: none; min-height: 0; padding: 0; gap: 2mm; height: {{if eq .Paper "A4"}}195mm{{else}}200mm{{end}}; overflow: hidden; print-color-adjust: exact; -webkit-print-color-adjust: exact; }
.months { grid-template-columns: repeat({{.Columns}}, 1fr); grid-template-rows: repeat({{.Rows}}, 1fr); gap: 2mm 5mm; min-height: 0; }
.months section { min-height: 0; overflow: hidden; }
td { height: auto; padding-top: 0; padding-bottom: 0; }
.part { break-before: page; max-width: none; margin: 0; padding: 0; border: 0; font-size: 9.5pt; }
.part h2 { font-size: 12pt; }
.p td { padding: .2em .5em; }
footer { padding-top: 1.2mm; font-size: 7.2pt; max-height: 44mm; overflow: hidden; }
.marks { columns: {{if gt (len .Legend) 6}}3{{else}}2{{end}} auto; }
}
</style>
</head>
<body>
<main>
<header><h1>{{.Title}}</h1><p>{{.Dates}}, as of {{.AsOf}}</p></header>
<div class="months">
{{range .Months}}<section><table>
<caption>{{.Name}}</caption>
<thead><tr><th scope="col" class="w"><span class="vh">Week</span></th>{{range $.Heads}}<th scope="col"><abbr title="{{index . 1}}">{{index . 0}}</abbr></th>{{end}}</tr></thead>
<tbody>
{{range .Weeks}}<tr>{{if .Number}}<th scope="row" class="w">{{.Number}}</th>{{else}}<td></td>{{end}}{{range .Days}}{{if not .Day}}<td></td>{{else if .Marks}}<td class="on{{if .Closed}} x{{end}}" tabindex="0" title="{{.Title}}"><span class="d">{{.Day}}</span><span class="g" aria-hidden="true">{{range .Marks}}<span class="{{.Class}}">{{.Sign}}</span>{{end}}</span>{{range .Marks}}<span class="vh"> {{.Text}}{{if .Moved}} (moved){{end}}.</span>{{end}}</td>{{else if .Closed}}<td class="x"{{if .Holiday}} title="{{.Title}}"{{end}}>{{.Day}}{{if .Holiday}}<span class="vh"> closed: {{.Holiday}}.</span>{{end}}</td>{{else}}<td>{{.Day}}</td>{{end}}{{end}}</tr>
{{end}}</tbody></table></section>
{{end}}</div>
<footer>
<ul class="marks">{{range .Legend}}
<li><b class="{{.Class}}" aria-hidden="true">{{.Sign}}</b>{{.Title}} <span>{{.Count}}{{if .Moved}}, {{.Moved}} moved{{end}}</span></li>{{end}}{{if .Hollow}}
<li><b aria-hidden="true">○</b><span>a hollow sign marks a date that moved</span></li>{{end}}
</ul>
{{if .Closures}}<div class="shut"><h2>Closed</h2><ul>{{range .Closures}}<li> {{.Name}} {{.DaysText}}</li>{{end}}{{if .MoreClosures}}<li> and {{.MoreClosures}} more</li>{{end}}</ul></div>
{{end}}</footer>
</main>
{{range .Parts}}<section class="part" aria-label="{{.Title}}">
{{if .Lines}}<h2>{{.Title}}</h2><p>{{.Of}}</p>
<dl>{{range .Lines}}<dt>{{.}}</dt><dd><span>name</span></dd><dd><span>date</span></dd>{{end}}</dl>
{{else if .None}}<h2>{{.Title}}</h2><p>{{.Of}}</p>
<p>{{.None}}</p>
{{else}}<table class="p" style="--fs: {{.Screen}}; --ps: {{.Print}}">
{{template "paper" .}}
</table>
{{end}}</section>
{{end}}</body>
</html>
{{define "caption"}}<tr><th class="c" colspan="{{.Span}}" scope="colgroup"><h2>{{.Title}}</h2><p>{{.Of}}</p></th></tr>{{end}}`+paperTable)
