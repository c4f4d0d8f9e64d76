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
	if u == civil.Year && it.Month == 0 && it.Kind != recur.EasterDay && it.Kind != recur.OrthodoxEasterDay &&
		it.Kind != recur.WeekOfYear && !p.consumedWord(t, "day") && !p.consumedWord(t, "year") {
		failAt(t.extendTo(p.prevSpan()), "a day of the year needs its month",
			"for example: 25 dec, last fri of nov, 1st fri of year, day 100")
	}
	return Day{t.extendTo(p.prevSpan()), it}
}

// consumedWord reports whether a word was among those read since t.
func (p *parser) consumedWord(t token, word string) bool {
	for i := p.pos - 1; i >= 0 && p.toks[i].Start >= t.Start; i-- {
		if p.toks[i].isWord(word) {
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
		failAt(t.Span, "a range of weekdays needs weekly", "name the weekdays one by one, or write `weekly on "+t.word+"`")
	}
	whole := false // names its place in the whole period
	switch {
	case from != 0:
		p.next()
		if u == civil.Year && p.accept("of", "week") {
			n := p.numberUpTo(53, "expected a week number, 1 to 53")
			return recur.Item{Kind: recur.WeekOfYear, N: n, Weekday: from}
		}
		it = recur.Item{Kind: recur.EveryWeekday, Weekday: from}
		if u != civil.Month && (u > civil.Year || !p.peek().isWord("of")) {
			failAt(t.Span, "which "+t.word+" of the period needs a number", "for example: 1st "+t.word+", last "+t.word)
		}
	case t.isWord("middle"):
		p.next()
		it, whole = recur.Item{Kind: recur.MiddleDay}, u != civil.Month && u != civil.Year
	case t.isWord("easter") && u == civil.Year:
		p.next()
		return recur.Item{Kind: recur.EasterDay}
	case u == civil.Year && p.accept("orthodox", "easter"):
		return recur.Item{Kind: recur.OrthodoxEasterDay}
	case t.isWord("day") && u != civil.Month:
		p.next()
		most := maxDayNumber[u]
		return recur.Item{Kind: recur.DayNumber, N: p.numberUpTo(most, "expected a day number, 1 to "+strconv.Itoa(most))}
	case t.kind == tNumber && u == civil.FiscalMonth:
		return recur.Item{Kind: recur.DayNumber, N: p.numberUpTo(maxDayNumber[u], "the days of a fiscal month are 1 to 42")}
	case t.kind == tNumber:
		it = p.numberItem(u)
	case t.kind == tOrdinal || t.kind == tWord && ordinals[t.word] != 0:
		it, whole = p.ordinalItem()
	case t.kind == tWord && months[t.word] != 0 && u == civil.Year:
		p.dayOf(false) // which says that the day comes first
	default:
		p.failNoDay(t)
	}
	return p.itemPlace(it, u, whole, t)
}

// maxDayNumber is the highest `day N` that a period may have: a quarter that begins in July
// has 92 days, a fiscal month of whole weeks 35 or, with a 53rd week, 42.
var maxDayNumber = map[civil.Unit]int{civil.Quarter: 92, civil.Half: 184, civil.Year: 366,
	civil.FiscalMonth: 42, civil.FiscalQuarter: 98, civil.FiscalYear: 371}

// numberUpTo reads a number from 1 to most; problem is what is said of any other token.
func (p *parser) numberUpTo(most int, problem string) int {
	n := p.next()
	if n.kind != tNumber || n.num < 1 || n.num > most {
		failAt(n.Span, problem+p.describe(n), "")
	}
	return n.num
}

// weekItem reads mon or mon-fri, the item of a week; from is 0 if t is neither.
func (p *parser) weekItem(t token, from, to civil.Weekday) recur.Item {
	if from == 0 {
		hint := "weekdays are mon to sun, ranges mon-fri"
		switch {
		case t.kind == tWord:
			hint = didYouMean(t.word, hint, WeekdayWords)
		case t.kind == tNumber || t.kind == tOrdinal:
			hint = "a day of the month needs monthly: monthly on 15"
		}
		failAt(t.Span, "expected a weekday"+p.describe(t), hint)
	}
	p.next()
	it := recur.Item{Kind: recur.EveryWeekday, Weekday: from, N: 1}
	if from != to {
		it.WeekdayTo = to
	}
	return it
}

// failNoDay says that a day should stand where t does.
func (p *parser) failNoDay(t token) {
	hint := "for example: 15, last, 2nd last, 2nd tue, last working day, fri, middle"
	if t.kind == tWord {
		hint = didYouMean(t.word, hint, append([]string{"last", "middle", "first", "working day", "easter", "orthodox easter",
			"day"}, WeekdayWords...))
		if t.word == "month-end" || t.word == "eom" || t.word == "end" {
			hint = "write `last`"
		}
	}
	failAt(t.Span, "expected a day"+p.describe(t), hint)
}

// numberItem reads 15 or 1-5, and for yearly the month that must follow.
func (p *parser) numberItem(u civil.Unit) recur.Item {
	t := p.next()
	it := recur.Item{Kind: recur.DayNumber, N: t.num}
	if p.peek().isSign("-") && p.peekAt(1).kind == tNumber {
		p.next()
		to := p.next()
		if to.num < t.num {
			failAt(t.extendTo(to.Span), "the range ends before it starts", "")
		}
		if to.num > t.num {
			it.To = to.num
		}
	}
	if it.N < 1 || max(it.N, it.To) > 31 {
		failAt(t.extendTo(p.prevSpan()), "days of a month are 1 to 31"+p.describe(t), "")
	}
	if m := p.peek(); u == civil.Year && m.kind == tWord && months[m.word] != 0 {
		p.next()
		return p.inMonth(it, months[m.word], t.extendTo(m.Span))
	}
	if u != civil.Month && !p.peek().isWord("of") {
		hint := "write `day " + t.word + "`, or `" + t.word + " of month 2`"
		if u == civil.Year {
			hint = "write `" + t.word + " dec`, or `day " + t.word + "`"
			if p.peek().kind == tWord {
				hint = didYouMean(p.peek().word, hint, monthWords)
			}
		}
		failAt(t.Span, "which month is the "+ordinalText(it.N)+" of?", hint)
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
		p.next()
		it.Kind, it.Weekday = recur.NthWeekday, weekdays[w.word]
	case w.isWord("business", "workday", "weekday"):
		failAt(w.Span, "`"+w.word+"` is not a word of the language", "write `working day`")
	default:
		p.accept("day")
		it.Kind = recur.DayNumber
		if it.N > 31 {
			failAt(t.Span, "days of a month are 1 to 31"+p.describe(t), "")
		}
	}
	return it, it.Kind != recur.DayNumber || it.N < 0 || p.consumedWord(t, "day")
}

// itemPlace reads `of month 2`, `of nov`, `of year` behind an item.
func (p *parser) itemPlace(it recur.Item, u civil.Unit, whole bool, t token) recur.Item {
	if it.Month != 0 {
		return it
	}
	of := p.peek()
	if u > civil.Year {
		if of.isWord("of") {
			failAt(of.Span, "days of a fiscal cadence are counted in its whole period",
				"for example: day 15, last, 2nd fri, 5th working day")
		}
		if !whole && it.N > 0 {
			failAt(t.extendTo(p.prevSpan()), "the "+ordinalText(it.N)+" what?", "for example: day 15, last, 2nd fri, 5th working day")
		}
		return it
	}
	if !p.accept("of") {
		if u == civil.Quarter || u == civil.Half {
			if !whole {
				failAt(t.extendTo(p.prevSpan()), "the month is missing", "for example: 15 of month 2, day 15, last")
			}
		}
		return it
	}
	w := p.next()
	switch {
	case u == civil.Year && w.kind == tWord && months[w.word] != 0:
		return p.inMonth(it, months[w.word], t.extendTo(w.Span))
	case u == civil.Year && w.isWord("year"):
		if it.Kind == recur.EveryWeekday {
			failAt(t.extendTo(w.Span), "the number in the year is missing", "for example: 1st "+t.word+" of year")
		}
		return it
	case (u == civil.Quarter || u == civil.Half) && w.isWord("month"):
		n, most := p.next(), 3
		if u == civil.Half {
			most = 6
		}
		if n.kind != tNumber || n.num < 1 || n.num > most {
			failAt(n.Span, "expected the number of a month in the period, 1 to "+strconv.Itoa(most)+p.describe(n), "")
		}
		it.Month = n.num
		return it
	}
	switch u {
	case civil.Month:
		failAt(of.extendTo(w.Span), "the days of `monthly` belong to its month", "leave it out, or write `yearly on …`")
	case civil.Year:
		failAt(w.Span, "expected a month after `of`"+p.describe(w), didYouMean(w.word, "", monthWords))
	}
	failAt(w.Span, "expected `of month N`"+p.describe(w), "for example: 15 of month 2")
	return it
}
