package phrase

import (
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// printer writes the canonical form: the text that any phrase with the same
// tree has, and that parses to that tree again.
type printer struct{ strings.Builder }

func (p *printer) writeStrings(parts ...string) {
	for _, s := range parts {
		p.WriteString(s)
	}
}

// Canonical returns the one form of a phrase.
func (p *Phrase) Canonical() string {
	if p.Rule != nil {
		return p.Rule.Canonical()
	}
	return ExprText(p.Expr)
}

// Canonical returns the one form of a rule.
func (r *Rule) Canonical() string {
	var p printer
	r.write(&p)
	return p.String()
}

// ExprText returns the canonical form of an expression.
func ExprText(e Expr) string {
	var p printer
	e.write(&p)
	return p.String()
}

// StepText returns the canonical form of one step.
func StepText(s Step) string { return ExprText(s) }

func monthName(m int) string              { return civil.MonthNames[m] }
func shortMonth(m int) string             { return strings.ToLower(civil.MonthNames[m][:3]) }
func shortWeekday(w civil.Weekday) string { return strings.ToLower(w.Abbrev()) }
func (d *Date) write(p *printer)          { p.writeStrings(d.Day.String()) }
func itoa(n int) string                   { return strconv.Itoa(n) }
func (*Today) write(p *printer)           { p.writeStrings("today") }

func (n *Number) write(p *printer) { p.writeStrings(n.Text()) }

// Text returns the number as it is written.
func (n *Number) Text() string {
	if n.Dec != "" {
		return n.Dec
	}
	return itoa(n.N)
}

// clockText writes minutes after midnight as 16:30.
func clockText(m int) string {
	return string(civil.AppendClock(nil, m))
}

// plain reports whether the name needs no quotes wherever it stands.
func (n *Name) plain() bool {
	if quotedWords[strings.ToLower(n.Text)] {
		return false
	}
	p, err := Parse(n.Text)
	if err != nil {
		return false
	}
	bare, ok := p.Expr.(*Name)
	return ok && bare.Text == n.Text
}

func (n *Name) write(p *printer) {
	if n.plain() {
		p.writeStrings(n.Text)
		return
	}
	p.writeStrings(`"`, strings.ReplaceAll(n.Text, `"`, `""`), `"`)
}

func (o *SeriesRef) write(p *printer) {
	(&Name{Text: o.Series}).write(p)
	p.writeStrings(".")
	(&Name{Text: o.What}).write(p)
}

// quotedWords holds words that a canonical name quotes although the place may
// make them plain.
var quotedWords = map[string]bool{
	"end": true, "last": true,
	"every": true, "dates": true, "rrule": true, "lasting": true, "start": true, "middle": true, "next": true,
	"previous": true, "roll": true, "anniversary": true, "easter": true, "working": true, "earlier": true,
	"later": true, "first": true, "second": true, "third": true, "fourth": true, "fifth": true, "until": true,
	"times": true, "plus": true, "leaving": true, "skipping": true, "back": true, "other": true, "single": true,
	"each": true, "orthodox": true,
}

func (o *Otherwise) write(p *printer) {
	writeNumberOperand(p, o.A)
	p.writeStrings(" otherwise ")
	writeNumberOperand(p, o.B)
}

func (e *EarlierLater) write(p *printer) {
	word := "earlier"
	if e.Later {
		word = "later"
	}
	p.writeStrings(word, " of ")
	writeOperand(p, e.A)
	p.writeStrings(" and ")
	writeOperand(p, e.B)
}

// writeOperand writes e, in parentheses where its place takes no more than one name.
func writeOperand(p *printer, e Expr) {
	switch e.(type) {
	case *Date, *Number, *Text, *Name, *SeriesRef, *Today, *EarlierLater, *DateRange, *ClosedDays:
		e.write(p)
	default:
		p.writeStrings("(")
		e.write(p)
		p.writeStrings(")")
	}
}

func (s *Steps) write(p *printer) {
	if s.Base != nil {
		switch s.Base.(type) {
		case *Steps, *If, *Join, *Format, *Arith:
			writeOperand(p, s.Base)
		default:
			writeOperandOf(p, s.Base)
		}
	}
	for i, step := range s.List {
		if i > 0 || s.Base != nil {
			p.writeStrings(", ")
		}
		step.write(p)
	}
}

// UsingText is what follows a step that counts with such calendars, all of which are open.
func UsingText(calendars ...string) string {
	u := &Using{}
	for _, name := range calendars {
		u.Calendars = append(u.Calendars, Name{Text: name})
	}
	p := &printer{}
	u.write(p)
	return p.String()
}

func (u *Using) write(p *printer) {
	if u == nil {
		return
	}
	p.writeStrings(" using ")
	if u.Column != nil {
		p.writeStrings("(")
		u.Column.write(p)
		p.writeStrings(")")
		return
	}
	for i, c := range u.Calendars {
		if i > 0 {
			p.writeStrings(" + ")
		}
		c.write(p)
	}
}

func (a Amount) write(p *printer) {
	a.By.write(p)
	if a.Unit == CellUnit {
		return
	}
	p.writeStrings(" ", unitTable[a.Unit].word)
	if n, ok := a.By.(*Number); !ok || n.N != 1 {
		p.writeStrings("s")
	}
}

// ordinalText writes 1st, 2nd, 22nd, last, 2nd last.
func ordinalText(n int) string {
	if n == -1 {
		return "last"
	}
	if n < 0 {
		return ordinalText(-n) + " last"
	}
	suffix := "th"
	if n/10%10 != 1 {
		switch n % 10 {
		case 1:
			suffix = "st"
		case 2:
			suffix = "nd"
		case 3:
			suffix = "rd"
		}
	}
	return strconv.Itoa(n) + suffix
}

// NthText writes an item that an ordinal names: 2nd tue, last working day.
func NthText(it recur.Item) string {
	switch it.Kind {
	case recur.NthWeekday:
		return ordinalText(it.N) + " " + shortWeekday(it.Weekday)
	case recur.NthWorking:
		return ordinalText(it.N) + " working day"
	}
	return ordinalText(it.N) + " day"
}

// itemText writes an item of a list of days; in a year, In is a month's name.
func itemText(it recur.Item, year bool) string {
	text, of := "", " of "
	switch it.Kind {
	case recur.DayNumber:
		switch {
		case it.N > 0 && it.Month == 0:
			text = "day " + strconv.Itoa(it.N)
		case it.N > 0:
			text = strconv.Itoa(it.N)
			if it.To != 0 {
				text += "-" + strconv.Itoa(it.To)
			}
			if year {
				of = " "
			}
		case year:
			text = NthText(it)
		default:
			text = ordinalText(it.N)
		}
	case recur.EveryWeekday:
		text = shortWeekday(it.Weekday)
		if it.WeekdayTo != 0 {
			text += "-" + shortWeekday(it.WeekdayTo)
		}
	case recur.MiddleDay:
		text = "middle"
	case recur.EasterDay:
		return "easter"
	case recur.OrthodoxEasterDay:
		return "orthodox easter"
	case recur.WeekOfYear:
		return shortWeekday(it.Weekday) + " of week " + strconv.Itoa(it.N)
	default:
		text = NthText(it)
	}
	switch {
	case it.Month != 0 && year:
		text += of + shortMonth(it.Month)
	case it.Month != 0:
		text += " of month " + strconv.Itoa(it.Month)
	case year && it.Kind != recur.DayNumber:
		text += " of year"
	case year && it.N < 0:
		text += " of year"
	}
	return text
}

func (r *Rule) write(p *printer) {
	switch {
	case r.Column != nil:
		p.writeStrings("rule in ")
		r.Column.write(p)
		return
	case r.IsListed:
		p.writeStrings("dates ")
		writeList(p, r.Include)
	case r.RRule != nil:
		p.writeStrings("rrule ", r.RRule.String())
	case r.EveryBy != nil:
		p.writeStrings("every ")
		r.EveryBy.write(p)
		p.writeStrings(" ", r.unitWord(), "s")
	case r.Working && r.Every == 1:
		p.writeStrings("every working day")
	case r.Working:
		p.writeStrings("every ", strconv.Itoa(r.Every), " working days")
	default:
		p.writeStrings(r.cadence())
	}
	for i, d := range r.On {
		p.writeStrings(map[bool]string{true: " on ", false: ", "}[i == 0], r.dayText(d.Item))
	}
	for i, m := range r.Months {
		p.writeStrings(map[bool]string{true: " in ", false: ", "}[i == 0], shortMonth(m))
	}
	clause := func(word string, e Expr) {
		if e != nil {
			p.writeStrings(word)
			writeOperand(p, e)
		}
	}
	clause(" from ", r.From)
	clause(" until ", r.Until)
	clause(" back from ", r.BackFrom)
	if r.Times > 0 {
		p.writeStrings(" ", strconv.Itoa(r.Times), " times")
	}
	if r.TimesBy != nil {
		p.writeStrings(" ")
		r.TimesBy.write(p)
		p.writeStrings(" times")
	}
	if len(r.Exclude) > 0 {
		p.writeStrings(" leaving out ")
		writeList(p, r.Exclude)
	}
	if len(r.Include) > 0 && !r.IsListed {
		p.writeStrings(" plus ")
		writeList(p, r.Include)
	}
	if r.SkipShort {
		p.writeStrings(" skipping short months")
	}
	r.Using.write(p)
	if r.Choice != nil {
		p.writeStrings(" then ")
		writeOperand(p, r.Choice)
	}
	for i, s := range r.Then {
		p.writeStrings(map[bool]string{true: " then ", false: ", "}[i == 0 && r.Choice == nil])
		s.write(p)
	}
}

// dayText writes an item of the rule's list of days.
func (r *Rule) dayText(it recur.Item) string {
	if (r.Unit == civil.Month || r.Unit == civil.FiscalMonth) && it.Kind == recur.DayNumber && it.N > 0 {
		if it.To != 0 {
			return strconv.Itoa(it.N) + "-" + strconv.Itoa(it.To)
		}
		return strconv.Itoa(it.N)
	}
	return itemText(it, r.Unit == civil.Year)
}

// Labels are the canonical words of the items of the list of days, by which
// their dates are known: 15, last, 2nd-tue, last-fri-of-nov.
func (r *Rule) Labels() (list []string) {
	for _, d := range r.On {
		list = append(list, strings.ReplaceAll(r.dayText(d.Item), " ", "-"))
	}
	return list
}

// unitWord is the unit of `every N`.
func (r *Rule) unitWord() string {
	switch {
	case r.Working:
		return "working day"
	case r.Unit == civil.Week && r.Every == 2:
		return "fortnight"
	}
	return civil.UnitNames[r.Unit]
}

func (s *DateRange) write(p *printer) { p.writeStrings(s.A, "..", s.B) }

func (*ClosedDays) write(p *printer) { p.writeStrings("closed days") }

func writeList(p *printer, list []Expr) {
	for i, e := range list {
		if i > 0 {
			p.writeStrings(", ")
		}
		writeOperand(p, e)
	}
}

// cadence writes the word for a unit and step.
func (r *Rule) cadence() string {
	for _, c := range cadences {
		if c.unit == r.Unit && c.every == r.Every {
			return c.word
		}
	}
	return "every " + strconv.Itoa(r.Every) + " " + civil.UnitNames[r.Unit] + "s"
}
