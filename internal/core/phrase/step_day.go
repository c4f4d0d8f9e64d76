package phrase

import (
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/recur"
)

// InYear is a day of the base's year.
type InYear struct {
	Span
	Item  recur.Item
	Using *Using
}

// Seek finds a target strictly after or before the base, or with On the base
// itself where it is one.
type Seek struct {
	Span
	Target Target
	Back   bool
	On     bool
	Using  *Using
}

// Target is what a Seek looks for: one of the fields is set.
type Target struct {
	Weekday civil.Weekday
	Working bool
	Day     *recur.Item // a day of the year
	Series  *Name
	By      *Name // a milestone of the series, by which it is looked for
}

// seekForm reads next X and previous X.
func seekForm(word string) stepForm {
	return stepForm{word: word, ahead: notAName, parse: (*parser).seek}
}

// notAName reports whether what follows a word makes a phrase of it.
func notAName(p *parser) bool {
	next := p.ahead(1)
	if next.kind == tWord {
		own := reserved[next.word] && weekdays[next.word] == 0 && months[next.word] == 0
		return !own && !next.is("contains", "starts", "keep")
	}
	return next.kind == tNumber || next.kind == tQuoted || next.kind == tOrdinal
}

func (p *parser) seek() Step {
	t := p.take()
	s := &Seek{Back: t.word == "previous"}
	w := p.peek()
	switch {
	case p.dayAhead():
		it, _ := p.dayOf(false)
		s.Target = Target{Day: &it}
	case w.kind == tWord && weekdays[w.word] != 0:
		p.take()
		s.Target.Weekday = weekdays[w.word]
	case p.accept("working", "day"):
		s.Target.Working = true
	case w.kind == tWord && periodUnits[w.word] != 0:
		hint := "write `start of " + t.word + " " + w.word + "`, or `+1 " + w.word + "`"
		if s.Back {
			hint = "write `start of " + t.word + " " + w.word + "`, or `-1 " + w.word + "`"
		}
		fail(t.to(w.Span), "`"+t.word+" "+w.word+"` is a period, not a date", hint)
	case w.kind == tQuoted, w.kind == tWord && !reserved[w.word]:
		p.take()
		s.Target.Series = &Name{w.Span, p.nameText(w)}
		s.Target.By = p.by()
	default:
		fail(w.Span, "expected a weekday, `working day`, a day of the year or a series after `"+t.word+"`"+p.found(w), "")
	}
	s.Using = p.stepUsing(s)
	s.Span = t.to(p.last())
	return s
}

// strictTarget reports whether a weekday or `working day` follows, which as a
// step needs `on or after` or `on or before`.
func (p *parser) strictTarget() bool {
	t := p.peek()
	return t.kind == tWord && weekdays[t.word] != 0 || t.is("working") && p.ahead(1).is("day")
}

// dayAhead reports whether an ordinal, a day of a month or easter follows.
func (p *parser) dayAhead() bool {
	t := p.peek()
	return t.kind == tOrdinal || t.kind == tNumber || t.kind == tWord && (ordinals[t.word] != 0 || months[t.word] != 0) ||
		t.is("easter") || t.is("orthodox") && p.ahead(1).is("easter")
}

// dayStep reads the steps that name a day: in a period, in the base's year, or
// on or after, on or before the base.
func (p *parser) dayStep() Step {
	t := p.peek()
	if p.strictTarget() {
		p.take()
		target := Target{Weekday: weekdays[t.word]}
		if target.Weekday == 0 {
			p.take()
			target.Working = true
		}
		if !p.peek().is("on") {
			w := p.text[t.Start:p.last().End]
			fail(t.to(p.last()), "`"+w+"` alone isn't a step",
				"write `next "+w+"`, `previous "+w+"`, `"+w+" on or after` or `"+w+" on or before`")
		}
		return p.onOr(t.Span, target)
	}
	it, of := p.dayOf(true)
	if of != nil {
		n := &Nth{Item: it, Of: *of}
		n.Using = p.stepUsing(n)
		n.Span = t.to(p.last())
		return n
	}
	if p.peek().is("on") && p.ahead(1).is("or") {
		return p.onOr(t.Span, Target{Day: &it})
	}
	return p.inYear(t.Span, it)
}

// inYear reads what may follow a day of the year.
func (p *parser) inYear(from Span, it recur.Item) *InYear {
	i := &InYear{Item: it}
	i.Using = p.stepUsing(i)
	i.Span = from.to(p.last())
	return i
}

func (p *parser) onOr(from Span, target Target) Step {
	at := p.peek()
	s := &Seek{Target: target, On: true}
	switch {
	case p.accept("on", "or", "after"):
	case p.accept("on", "or", "before"):
		s.Back = true
	default:
		fail(at.Span, "expected `on or after` or `on or before`", "")
	}
	s.Using = p.stepUsing(s)
	s.Span = from.to(p.last())
	return s
}

// dayOf reads `25 dec`, `last fri of nov`, `easter`, or with periods allowed
// also `ORD day|fri|working day of P`, for which of is the period.
func (p *parser) dayOf(periods bool) (it recur.Item, of *Period) {
	t := p.take()
	switch {
	case t.is("easter"):
		return recur.Item{Kind: recur.EasterDay}, nil
	case t.is("orthodox"):
		p.expect("easter", "`orthodox`")
		return recur.Item{Kind: recur.OrthodoxEasterDay}, nil
	case t.kind == tNumber:
		m := p.take()
		if m.is("of") && months[p.peek().word] != 0 {
			m = p.take()
		}
		if m.kind != tWord || months[m.word] == 0 {
			hint := meant(m.word, "write a day of the year as 25 dec", MonthWords)
			if m.is("of") {
				hint = "write an ordinal: " + ordinalText(max(t.n, 1)) + " day of month"
			}
			fail(t.to(m.Span), "expected a month after the number"+p.found(m), hint)
		}
		if t.n < 1 {
			fail(t.Span, "days of a month start at 1", "")
		}
		return p.ofMonth(recur.Item{Kind: recur.DayNumber, N: t.n}, months[m.word], t.to(m.Span)), nil
	case t.kind == tWord && months[t.word] != 0:
		hint := "for example: 25 dec"
		if n := p.peek(); n.kind == tNumber || n.kind == tOrdinal {
			hint = "write `" + strings.TrimRight(n.word, "sthndr") + " " + t.word + "`"
		}
		fail(t.Span, "write the day before the month", hint)
	}
	p.i--
	it.N = p.ordinal()
	w := p.take()
	switch {
	case w.is("day", "days"):
		it.Kind = recur.DayNumber
	case w.is("working") && p.peek().is("day", "days"):
		p.take()
		it.Kind = recur.NthWorking
	case w.kind == tWord && weekdays[w.word] != 0:
		it.Kind, it.Weekday = recur.NthWeekday, weekdays[w.word]
	default:
		hint := "for example: 1st mon of next month, last working day of quarter"
		if w.kind == tWord {
			hint = meant(w.word, hint, append([]string{"day", "working day"}, WeekdayWords...))
		}
		fail(w.Span, "expected day, a weekday or working day after the ordinal"+p.found(w), hint)
	}
	if !p.accept("of") {
		fail(p.peek().Span, "expected `of` and a period or month"+p.found(p.peek()), "for example: 1st mon of next month")
	}
	if m := p.peek(); m.kind == tWord && months[m.word] != 0 {
		p.take()
		return p.ofMonth(it, months[m.word], t.to(m.Span)), nil
	}
	if !periods {
		fail(p.peek().Span, "expected a month, for a day of the year"+p.found(p.peek()), "for example: next last fri of nov")
	}
	per := p.period()
	return it, &per
}

func (i *InYear) write(p *printer) { p.put(itemText(i.Item, true)); i.Using.write(p) }

func (s *Seek) write(p *printer) {
	way := "next "
	if s.Back {
		way = "previous "
	}
	if s.On {
		way = ""
	}
	p.put(way)
	switch t := s.Target; {
	case t.Working:
		p.put("working day")
	case t.Day != nil:
		p.put(itemText(*t.Day, true))
	case t.Series != nil:
		t.Series.write(p)
		if t.By != nil {
			p.put(" by ")
			t.By.write(p)
		}
	default:
		p.put(short(t.Weekday))
	}
	if s.On && s.Back {
		p.put(" on or before")
	} else if s.On {
		p.put(" on or after")
	}
	s.Using.write(p)
}

func (i *InYear) counts() (*Using, bool) { return i.Using, i.Item.Kind == recur.NthWorking }
func (i *InYear) form() *stepForm        { return &plainForm }

func (s *Seek) counts() (*Using, bool) { return s.Using, s.Target.counts() }
func (s *Seek) form() *stepForm        { return &plainForm }

// counts reports whether the target is one of working days.
func (t Target) counts() bool { return t.Working || t.Day != nil && t.Day.Kind == recur.NthWorking }

// plainForm is the row of steps that several words begin, or none of their own.
var plainForm stepForm

func (s *InYear) reading() string {
	return (&Rule{Unit: civil.Year}).dayReading(s.Item) + " of the same year"
}

func (s *Seek) reading() string {
	what := ""
	switch t := s.Target; {
	case t.Working:
		what = "working day" + usingReading(s.Using)
	case t.Day != nil:
		what = strings.TrimPrefix((&Rule{Unit: civil.Year}).dayReading(*t.Day), "the ")
	case t.Series != nil:
		if what = "date of " + t.Series.Text; t.By != nil {
			way := map[bool]string{true: "before", false: "after"}[s.Back]
			if s.On {
				way = "on or " + way
			}
			return "the " + what + " whose " + t.By.Text + " is the nearest " + way + " it"
		}
	default:
		what = civil.WeekdayNames[t.Weekday]
	}
	way := "after"
	if s.Back {
		way = "before"
	}
	if s.On {
		return "the " + what + " on or " + way + " it"
	}
	return "the first " + what + " " + way + " it"
}
