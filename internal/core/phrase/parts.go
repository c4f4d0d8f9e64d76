package phrase

import "strings"

// ResultKind is what a measure gives.
type ResultKind uint8

// The kinds of results.
const (
	NumberResult ResultKind = iota
	TextResult
	TruthResult
)

// PartInfo is a part of a date: its words in the language and what it gives.
// The function that takes it stands in eval, under the same name.
type PartInfo struct {
	Name          string
	Result        ResultKind
	TakesCalendar bool // asks a working calendar, so that `using` may follow
	// Year is the part that tells apart what comes round each year, WithYear those that say both.
	Year     string
	WithYear []string
	words    []string
}

// partInfos are the parts of a date. Where one begins with the words of another,
// the longer comes first.
var partInfos = []*PartInfo{
	{Name: "weekday number from sun"},
	{Name: "calendar quarter", Result: TextResult},
	{Name: "calendar month", Result: TextResult},
	{Name: "fiscal quarter", Result: TextResult, Year: "fiscal year", WithYear: []string{"fiscal year", "fiscal quarter"}},
	{Name: "weekday number"},
	{Name: "weekday name", Result: TextResult},
	{Name: "fiscal month", Year: "fiscal year", WithYear: []string{"fiscal year", "fiscal month"}},
	{Name: "fiscal week", Year: "fiscal year", WithYear: []string{"fiscal year", "fiscal week"}},
	{Name: "fiscal year", Result: TextResult},
	{Name: "holiday name", Result: TextResult, TakesCalendar: true},
	{Name: "working day", Result: TruthResult, TakesCalendar: true},
	{Name: "month name", Result: TextResult, Year: "year", WithYear: []string{"calendar month"}},
	{Name: "day of year", Year: "year", WithYear: []string{"year", "day of year"}},
	{Name: "iso week", Result: TextResult},
	{Name: "weekday", Result: TextResult},
	{Name: "quarter", Result: TextResult, Year: "year", WithYear: []string{"calendar quarter"}},
	{Name: "month", Year: "year", WithYear: []string{"calendar month"}},
	{Name: "half", Result: TextResult, Year: "year", WithYear: []string{"year", "half"}},
	{Name: "year"},
	{Name: "day"},
}

func init() {
	for _, p := range partInfos {
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

// peekPart returns the part whose words and `of` follow; nil if none does.
func (p *parser) peekPart() *PartInfo {
	if p.peek().kind != tWord {
		return nil
	}
next:
	for _, part := range partInfos {
		for k, w := range part.words {
			if !p.peekAt(k).isWord(w) {
				continue next
			}
		}
		if p.peekAt(len(part.words)).isWord("of") {
			return part
		}
	}
	return nil
}

func (p *parser) datePart(what *PartInfo) Expr {
	t := p.peek()
	p.pos += len(what.words) + 1
	e := &Part{What: what, Of: p.operand("a date or a name after `of`")}
	if what.TakesCalendar {
		e.Using = p.using()
	}
	e.Span = t.extendTo(p.prevSpan())
	return e
}

func (a *Part) write(p *printer) {
	p.writeStrings(a.What.Name, " of ")
	writeOperand(p, a.Of)
	a.Using.write(p)
}

// YearlyPart returns, of a phrase that gives a part of a date that comes round each year, the
// phrase of the year, and the one that says both; ok is false for any other.
func YearlyPart(text string) (year, withYear string, ok bool) {
	e, err := ParseExpr(text)
	part, is := e.(*Part)
	if err != nil || !is || part.What.Year == "" {
		return "", "", false
	}
	of := func(name string) string {
		for _, info := range partInfos {
			if info.Name == name {
				return ExprText(&Part{What: info, Of: part.Of})
			}
		}
		return ""
	}
	var both []string
	for _, name := range part.What.WithYear {
		both = append(both, of(name))
	}
	return of(part.What.Year), strings.Join(both, " & ' ' & "), true
}
