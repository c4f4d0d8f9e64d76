package phrase

import "strings"

// Gives is what a measure gives.
type Gives uint8

// The kinds of results.
const (
	GivesNumber Gives = iota
	GivesText
	GivesTruth
)

// PartInfo is a part of a date: its words in the language and what it gives.
// The function that takes it stands in eval, under the same name.
type PartInfo struct {
	Name     string
	Gives    Gives
	Calendar bool // asks a working calendar, so that `using` may follow
	words    []string
}

// Parts are the parts of a date. Where one begins with the words of another,
// the longer comes first.
var Parts = []*PartInfo{
	{Name: "weekday number from sun"},
	{Name: "calendar quarter", Gives: GivesText},
	{Name: "calendar month", Gives: GivesText},
	{Name: "fiscal quarter", Gives: GivesText},
	{Name: "weekday number"},
	{Name: "weekday name", Gives: GivesText},
	{Name: "fiscal month"},
	{Name: "fiscal week"},
	{Name: "fiscal year", Gives: GivesText},
	{Name: "holiday name", Gives: GivesText, Calendar: true},
	{Name: "working day", Gives: GivesTruth, Calendar: true},
	{Name: "month name", Gives: GivesText},
	{Name: "day of year"},
	{Name: "iso week", Gives: GivesText},
	{Name: "weekday", Gives: GivesText},
	{Name: "quarter", Gives: GivesText},
	{Name: "month"},
	{Name: "half", Gives: GivesText},
	{Name: "year"},
	{Name: "day"},
}

func init() {
	for _, p := range Parts {
		p.words = strings.Fields(p.Name)
	}
}

// Part is a part or a name of a date: `year of A`.
type Part struct {
	Span
	What  *PartInfo
	Of    Expr
	Using *Using
}

// partAhead returns the part whose words and `of` follow; nil if none does.
func (p *parser) partAhead() *PartInfo {
	if p.peek().kind != tWord {
		return nil
	}
next:
	for _, part := range Parts {
		for k, w := range part.words {
			if !p.ahead(k).is(w) {
				continue next
			}
		}
		if p.ahead(len(part.words)).is("of") {
			return part
		}
	}
	return nil
}

func (p *parser) part(what *PartInfo) Expr {
	t := p.peek()
	p.i += len(what.words) + 1
	e := &Part{What: what, Of: p.operand("a date or a name after `of`")}
	if what.Calendar {
		e.Using = p.using()
	}
	e.Span = t.to(p.last())
	return e
}

func (a *Part) write(p *printer) {
	p.put(a.What.Name, " of ")
	operand(p, a.Of)
	a.Using.write(p)
}
