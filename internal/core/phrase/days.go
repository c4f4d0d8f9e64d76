package phrase

import (
	"strconv"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// day reads an item of the list of days, in the forms that the cadence takes.
func (p *parser) day(u civil.Unit) Day {
	t := p.peek()
	it := p.dayItem(u)
	if u == civil.Year && it.In == 0 && it.Kind != recur.EasterDay && it.Kind != recur.OrthodoxEasterDay &&
		it.Kind != recur.WeekOfYear && !p.took(t, "day") && !p.took(t, "year") {
		fail(t.to(p.last()), "a day of the year needs its month",
			"for example: 25 dec, last fri of nov, 1st fri of year, day 100")
	}
	return Day{t.to(p.last()), it}
}

// took reports whether a word was among those read since t.
func (p *parser) took(t token, word string) bool {
	for i := p.i - 1; i >= 0 && p.toks[i].Start >= t.Start; i-- {
		if p.toks[i].is(word) {
			return true
		}
	}
	return false
}

func (p *parser) dayItem(u civil.Unit) (it recur.Item) {
	t := p.peek()
	from, to, ranged := civil.Weekday(0), civil.Weekday(0), false
	if t.kind == tWord {
		from, to, ranged = weekdayRange(t.word)
	}
	if u == civil.Week {
		return p.weekItem(t, from, to)
	}
	if ranged {
		fail(t.Span, "a range of weekdays needs weekly", "name the weekdays one by one, or write `weekly on "+t.word+"`")
	}
	whole := false // names its place in the whole period
	switch {
	case from != 0:
		p.take()
		if u == civil.Year && p.accept("of", "week") {
			n := p.take()
			if n.kind != tNumber || n.n < 1 || n.n > 53 {
				fail(n.Span, "expected a week number, 1 to 53"+p.found(n), "")
			}
			return recur.Item{Kind: recur.WeekOfYear, N: n.n, Weekday: from}
		}
		it = recur.Item{Kind: recur.EveryWeekday, Weekday: from}
		if u != civil.Month && (u > civil.Year || !p.peek().is("of")) {
			fail(t.Span, "which "+t.word+" of the period needs a number", "for example: 1st "+t.word+", last "+t.word)
		}
	case t.is("middle"):
		p.take()
		it, whole = recur.Item{Kind: recur.MiddleDay}, u != civil.Month && u != civil.Year
	case t.is("easter") && u == civil.Year:
		p.take()
		return recur.Item{Kind: recur.EasterDay}
	case u == civil.Year && p.accept("orthodox", "easter"):
		return recur.Item{Kind: recur.OrthodoxEasterDay}
	case t.is("day") && u != civil.Month:
		p.take()
		n := p.take()
		most := map[civil.Unit]int{civil.Quarter: 92, civil.Half: 184, civil.Year: 366,
			civil.FiscalMonth: 42, civil.FiscalQuarter: 98, civil.FiscalYear: 371}[u]
		if n.kind != tNumber || n.n < 1 || n.n > most {
			fail(n.Span, "expected a day number, 1 to "+strconv.Itoa(most)+p.found(n), "")
		}
		return recur.Item{Kind: recur.DayNumber, N: n.n}
	case t.kind == tNumber && u == civil.FiscalMonth:
		p.take()
		if t.n < 1 || t.n > 42 {
			fail(t.Span, "the days of a fiscal month are 1 to 42"+p.found(t), "")
		}
		return recur.Item{Kind: recur.DayNumber, N: t.n}
	case t.kind == tNumber:
		it = p.numbers(u)
	case t.kind == tOrdinal || t.kind == tWord && ordinals[t.word] != 0:
		it, whole = p.ordinalItem()
	case t.kind == tWord && months[t.word] != 0 && u == civil.Year:
		p.dayOf(false) // which says that the day comes first
	default:
		p.noDay(t)
	}
	return p.place(it, u, whole, t)
}

// weekItem reads mon or mon-fri, the item of a week; from is 0 if t is neither.
func (p *parser) weekItem(t token, from, to civil.Weekday) recur.Item {
	if from == 0 {
		hint := "weekdays are mon to sun, ranges mon-fri"
		switch {
		case t.kind == tWord:
			hint = meant(t.word, hint, WeekdayWords)
		case t.kind == tNumber || t.kind == tOrdinal:
			hint = "a day of the month needs monthly: monthly on 15"
		}
		fail(t.Span, "expected a weekday"+p.found(t), hint)
	}
	p.take()
	it := recur.Item{Kind: recur.EveryWeekday, Weekday: from, N: 1}
	if from != to {
		it.WeekdayTo = to
	}
	return it
}

// noDay says that a day should stand where t does.
func (p *parser) noDay(t token) {
	hint := "for example: 15, last, 2nd last, 2nd tue, last working day, fri, middle"
	if t.kind == tWord {
		hint = meant(t.word, hint, append([]string{"last", "middle", "first", "working day", "easter", "orthodox easter",
			"day"}, WeekdayWords...))
		if t.word == "month-end" || t.word == "eom" || t.word == "end" {
			hint = "write `last`"
		}
	}
	fail(t.Span, "expected a day"+p.found(t), hint)
}

// numbers reads 15 or 1-5, and for yearly the month that must follow.
func (p *parser) numbers(u civil.Unit) recur.Item {
	t := p.take()
	it := recur.Item{Kind: recur.DayNumber, N: t.n}
	if p.peek().sign("-") && p.ahead(1).kind == tNumber {
		p.take()
		to := p.take()
		if to.n < t.n {
			fail(t.to(to.Span), "the range ends before it starts", "")
		}
		if to.n > t.n {
			it.To = to.n
		}
	}
	if it.N < 1 || max(it.N, it.To) > 31 {
		fail(t.to(p.last()), "days of a month are 1 to 31"+p.found(t), "")
	}
	if m := p.peek(); u == civil.Year && m.kind == tWord && months[m.word] != 0 {
		p.take()
		return p.ofMonth(it, months[m.word], t.to(m.Span))
	}
	if u != civil.Month && !p.peek().is("of") {
		hint := "write `day " + t.word + "`, or `" + t.word + " of month 2`"
		if u == civil.Year {
			hint = "write `" + t.word + " dec`, or `day " + t.word + "`"
			if p.peek().kind == tWord {
				hint = meant(p.peek().word, hint, MonthWords)
			}
		}
		fail(t.Span, "which month is the "+ordinalText(it.N)+" of?", hint)
	}
	return it
}

// ordinalItem reads last, 2nd last, ORD fri, ORD day, ORD working day; whole is
// true if it may count in the whole of a longer period.
func (p *parser) ordinalItem() (it recur.Item, whole bool) {
	t := p.peek()
	it.N = p.ordinal()
	w := p.peek()
	switch {
	case p.accept("working", "day"), p.accept("working", "days"):
		it.Kind = recur.NthWorking
	case w.kind == tWord && weekdays[w.word] != 0:
		p.take()
		it.Kind, it.Weekday = recur.NthWeekday, weekdays[w.word]
	case w.is("business", "workday", "weekday"):
		fail(w.Span, "`"+w.word+"` is not a word of the language", "write `working day`")
	default:
		p.accept("day")
		it.Kind = recur.DayNumber
		if it.N > 31 {
			fail(t.Span, "days of a month are 1 to 31"+p.found(t), "")
		}
	}
	return it, it.Kind != recur.DayNumber || it.N < 0 || p.took(t, "day")
}

// place reads `of month 2`, `of nov`, `of year` behind an item.
func (p *parser) place(it recur.Item, u civil.Unit, whole bool, t token) recur.Item {
	if it.In != 0 {
		return it
	}
	of := p.peek()
	if u > civil.Year {
		if of.is("of") {
			fail(of.Span, "days of a fiscal cadence are counted in its whole period",
				"for example: day 15, last, 2nd fri, 5th working day")
		}
		if !whole && it.N > 0 {
			fail(t.to(p.last()), "the "+ordinalText(it.N)+" what?", "for example: day 15, last, 2nd fri, 5th working day")
		}
		return it
	}
	if !p.accept("of") {
		if u == civil.Quarter || u == civil.Half {
			if !whole {
				fail(t.to(p.last()), "the month is missing", "for example: 15 of month 2, day 15, last")
			}
		}
		return it
	}
	w := p.take()
	switch {
	case u == civil.Year && w.kind == tWord && months[w.word] != 0:
		return p.ofMonth(it, months[w.word], t.to(w.Span))
	case u == civil.Year && w.is("year"):
		if it.Kind == recur.EveryWeekday {
			fail(t.to(w.Span), "the number in the year is missing", "for example: 1st "+t.word+" of year")
		}
		return it
	case (u == civil.Quarter || u == civil.Half) && w.is("month"):
		n, most := p.take(), 3
		if u == civil.Half {
			most = 6
		}
		if n.kind != tNumber || n.n < 1 || n.n > most {
			fail(n.Span, "expected the number of a month in the period, 1 to "+strconv.Itoa(most)+p.found(n), "")
		}
		it.In = n.n
		return it
	}
	switch u {
	case civil.Month:
		fail(of.to(w.Span), "the days of `monthly` belong to its month", "leave it out, or write `yearly on …`")
	case civil.Year:
		fail(w.Span, "expected a month after `of`"+p.found(w), meant(w.word, "", MonthWords))
	}
	fail(w.Span, "expected `of month N`"+p.found(w), "for example: 15 of month 2")
	return it
}
