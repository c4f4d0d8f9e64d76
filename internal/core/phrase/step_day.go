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
	Target   Target
	Backward bool
	OrOn     bool
	Using    *Using
}

// Target is what a Seek looks for: one of the fields is set.
type Target struct {
	Weekday   civil.Weekday
	Working   bool
	Day       *recur.Item // a day of the year
	Series    *Name
	Milestone *Name // a milestone of the series, by which it is looked for
}

func init() { addStep(seekForm("next"), seekForm("previous")) }

// seekForm reads next X and previous X.
func seekForm(word string) *stepForm {
	return &stepForm{word: word, peek: isPhraseWord, parse: (*parser).seek}
}

// isPhraseWord reports whether what follows a word makes a phrase of it.
func isPhraseWord(p *parser) bool {
	next := p.peekAt(1)
	if next.kind == tWord {
		own := reserved[next.word] && weekdays[next.word] == 0 && months[next.word] == 0
		return !own && !next.isWord("contains", "starts", "keep")
	}
	return next.kind == tNumber || next.kind == tQuoted || next.kind == tOrdinal
}

func (p *parser) seek() Step {
	t := p.next()
	s := &Seek{Backward: t.word == "previous"}
	w := p.peek()
	switch {
	case p.peekDay():
		it, _ := p.dayOf(false)
		s.Target = Target{Day: &it}
	case w.kind == tWord && weekdays[w.word] != 0:
		p.next()
		s.Target.Weekday = weekdays[w.word]
	case p.accept("working", "day"):
		s.Target.Working = true
	case w.kind == tWord && periodUnits[w.word] != 0:
		hint := "write `start of " + t.word + " " + w.word + "`, or `+1 " + w.word + "`"
		if s.Backward {
			hint = "write `start of " + t.word + " " + w.word + "`, or `-1 " + w.word + "`"
		}
		failAt(t.extendTo(w.Span), "`"+t.word+" "+w.word+"` is a period, not a date", hint)
	case w.kind == tQuoted, w.kind == tWord && !reserved[w.word]:
		p.next()
		s.Target.Series = &Name{w.Span, p.nameText(w)}
		s.Target.Milestone = p.byMilestone()
	default:
		failAt(w.Span, "expected a weekday, `working day`, a day of the year or a series after `"+t.word+"`"+p.describe(w), "")
	}
	s.Using = p.stepUsing(s)
	s.Span = t.extendTo(p.prevSpan())
	return s
}

// strictTarget reports whether a weekday or `working day` follows, which as a
// step needs `on or after` or `on or before`.
func (p *parser) strictTarget() bool {
	t := p.peek()
	return t.kind == tWord && weekdays[t.word] != 0 || t.isWord("working") && p.peekAt(1).isWord("day")
}

// peekDay reports whether an ordinal, a day of a month or easter follows.
func (p *parser) peekDay() bool {
	t := p.peek()
	return t.kind == tOrdinal || t.kind == tNumber || t.kind == tWord && (ordinals[t.word] != 0 || months[t.word] != 0) ||
		t.isWord("easter") || t.isWord("orthodox") && p.peekAt(1).isWord("easter")
}

// dayStep reads the steps that name a day: in a period, in the base's year, or
// on or after, on or before the base.
func (p *parser) dayStep() Step {
	t := p.peek()
	if p.strictTarget() {
		p.next()
		target := Target{Weekday: weekdays[t.word]}
		if target.Weekday == 0 {
			p.next()
			target.Working = true
		}
		if !p.peek().isWord("on") {
			w := p.text[t.Start:p.prevSpan().End]
			failAt(t.extendTo(p.prevSpan()), "`"+w+"` alone isn't a step",
				"write `next "+w+"`, `previous "+w+"`, `"+w+" on or after` or `"+w+" on or before`")
		}
		return p.seekOnOr(t.Span, target)
	}
	it, period := p.dayOf(true)
	if period != nil {
		n := &Nth{Item: it, Of: *period}
		n.Using = p.stepUsing(n)
		n.Span = t.extendTo(p.prevSpan())
		return n
	}
	if p.peek().isWord("on") && p.peekAt(1).isWord("or") {
		return p.seekOnOr(t.Span, Target{Day: &it})
	}
	return p.inYear(t.Span, it)
}

// inYear reads what may follow a day of the year.
func (p *parser) inYear(from Span, it recur.Item) *InYear {
	i := &InYear{Item: it}
	i.Using = p.stepUsing(i)
	i.Span = from.extendTo(p.prevSpan())
	return i
}

func (p *parser) seekOnOr(from Span, target Target) Step {
	tok := p.peek()
	s := &Seek{Target: target, OrOn: true}
	switch {
	case p.accept("on", "or", "after"):
	case p.accept("on", "or", "before"):
		s.Backward = true
	default:
		failAt(tok.Span, "expected `on or after` or `on or before`", "")
	}
	s.Using = p.stepUsing(s)
	s.Span = from.extendTo(p.prevSpan())
	return s
}

// dayOf reads `25 dec`, `last fri of nov`, `easter`, or with periods allowed
// also `ORD day|fri|working day of P`, for which of is the period.
func (p *parser) dayOf(periods bool) (it recur.Item, period *Period) {
	t := p.next()
	switch {
	case t.isWord("easter"):
		return recur.Item{Kind: recur.EasterDay}, nil
	case t.isWord("orthodox"):
		p.expect("easter", "`orthodox`")
		return recur.Item{Kind: recur.OrthodoxEasterDay}, nil
	case t.kind == tNumber:
		m := p.next()
		if m.isWord("of") && months[p.peek().word] != 0 {
			m = p.next()
		}
		if m.kind != tWord || months[m.word] == 0 {
			hint := didYouMean(m.word, "write a day of the year as 25 dec", monthWords)
			if m.isWord("of") {
				hint = "write an ordinal: " + ordinalText(max(t.num, 1)) + " day of month"
			}
			failAt(t.extendTo(m.Span), "expected a month after the number"+p.describe(m), hint)
		}
		if t.num < 1 {
			failAt(t.Span, "days of a month start at 1", "")
		}
		return p.inMonth(recur.Item{Kind: recur.DayNumber, N: t.num}, months[m.word], t.extendTo(m.Span)), nil
	case t.kind == tWord && months[t.word] != 0:
		hint := "for example: 25 dec"
		if n := p.peek(); n.kind == tNumber || n.kind == tOrdinal {
			hint = "write `" + strings.TrimRight(n.word, "sthndr") + " " + t.word + "`"
		}
		failAt(t.Span, "write the day before the month", hint)
	}
	p.pos--
	it.N = p.ordinal()
	w := p.next()
	switch {
	case w.isWord("day", "days"):
		it.Kind = recur.DayNumber
	case w.isWord("working") && p.peek().isWord("day", "days"):
		p.next()
		it.Kind = recur.NthWorking
	case w.kind == tWord && weekdays[w.word] != 0:
		it.Kind, it.Weekday = recur.NthWeekday, weekdays[w.word]
	default:
		hint := "for example: 1st mon of next month, last working day of quarter"
		if w.kind == tWord {
			hint = didYouMean(w.word, hint, append([]string{"day", "working day"}, WeekdayWords...))
		}
		failAt(w.Span, "expected day, a weekday or working day after the ordinal"+p.describe(w), hint)
	}
	if !p.accept("of") {
		failAt(p.peek().Span, "expected `of` and a period or month"+p.describe(p.peek()), "for example: 1st mon of next month")
	}
	if m := p.peek(); m.kind == tWord && months[m.word] != 0 {
		p.next()
		return p.inMonth(it, months[m.word], t.extendTo(m.Span)), nil
	}
	if !periods {
		failAt(p.peek().Span, "expected a month, for a day of the year"+p.describe(p.peek()), "for example: next last fri of nov")
	}
	per := p.period()
	return it, &per
}

func (i *InYear) write(p *printer) { p.writeStrings(itemText(i.Item, true)); i.Using.write(p) }

func (s *Seek) write(p *printer) {
	way := "next "
	if s.Backward {
		way = "previous "
	}
	if s.OrOn {
		way = ""
	}
	p.writeStrings(way)
	switch t := s.Target; {
	case t.Working:
		p.writeStrings("working day")
	case t.Day != nil:
		p.writeStrings(itemText(*t.Day, true))
	case t.Series != nil:
		t.Series.write(p)
		if t.Milestone != nil {
			p.writeStrings(" by ")
			t.Milestone.write(p)
		}
	default:
		p.writeStrings(shortWeekday(t.Weekday))
	}
	if s.OrOn && s.Backward {
		p.writeStrings(" on or before")
	} else if s.OrOn {
		p.writeStrings(" on or after")
	}
	s.Using.write(p)
}

func (i *InYear) calendarUse() (*Using, bool) { return i.Using, i.Item.Kind == recur.NthWorking }
func (i *InYear) form() *stepForm             { return &sharedForm }

func (s *Seek) calendarUse() (*Using, bool) { return s.Using, s.Target.usesCalendar() }
func (s *Seek) form() *stepForm             { return &sharedForm }

// usesCalendar reports whether the target is one of working days.
func (t Target) usesCalendar() bool {
	return t.Working || t.Day != nil && t.Day.Kind == recur.NthWorking
}

// sharedForm is the row of steps that several words begin, or none of their own.
var sharedForm stepForm

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
		if what = "date of " + t.Series.Text; t.Milestone != nil {
			way := map[bool]string{true: "before", false: "after"}[s.Backward]
			if s.OrOn {
				way = "on or " + way
			}
			return "the " + what + " whose " + t.Milestone.Text + " is the nearest " + way + " it"
		}
	default:
		what = civil.WeekdayNames[t.Weekday]
	}
	way := "after"
	if s.Backward {
		way = "before"
	}
	if s.OrOn {
		return "the " + what + " on or " + way + " it"
	}
	return "the first " + what + " " + way + " it"
}
