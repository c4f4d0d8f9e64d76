package phrase

// stepForm is what holds for a kind of steps. If it begins with a word of its own (or, for
// shifts, with a sign): whether it is one where a phrase begins, and how it is read. The
// node that parse gives writes and reads itself; eval compiles it.
type stepForm struct {
	word  string
	named string               // in messages; "" where it is the word
	ahead func(p *parser) bool // nil: always
	parse func(p *parser) Step
	// alone is why it stands on the rows of a table alone, in no rule and in no milestone
	// that is looked for; "" for those that stand anywhere.
	alone string
	// last says that no step comes behind it.
	last bool
}

func (f *stepForm) name() string {
	if f.named != "" {
		return f.named
	}
	return f.word
}

const endless = "its reach has no limit; use it on the rows of a table"

// stepForms are all of them. Steps that begin with a day or a series' name have
// no word of their own: dayStep, onOr.
var stepForms []stepForm

func init() { // the forms read steps themselves
	stepForms = []stepForm{shiftForm, lastingForm, edgeForm("start", -1), edgeForm("middle", 0), edgeForm("end", 1),
		rollForm, atForm, zoneForm,
		seekForm("next"), seekForm("previous"), anniversaryForm, stepsInForm}
	stepWords = []string{"easter", "orthodox", "working"}
	for _, f := range stepForms {
		if f.word != "" {
			stepWords = append(stepWords, f.word)
		}
	}
}

// form returns the form of the step that begins here; nil if none does.
func (p *parser) form() *stepForm {
	t := p.peek()
	for i := range stepForms {
		f := &stepForms[i]
		if f.word != "" && t.is(f.word) || f.word == "" && (t.sign("+") || t.sign("-")) {
			return f
		}
	}
	return nil
}

// StepReading tells in plain words what a step does.
func StepReading(s Step) string { return s.reading() }

// Counting reports whether a step counts with a working calendar.
func Counting(s Step) bool { _, counts := s.counts(); return counts }

// UsingOf returns the calendar that a step names; nil if it names none.
func UsingOf(s Step) *Using { using, _ := s.counts(); return using }

// Alone says why a step stands on the rows of a table alone; "" if it doesn't.
func Alone(s Step) string { return s.form().alone }

// Last reports whether no step comes behind one: a time.
func Last(s Step) bool { return s.form().last }

// unitAt reads a unit word k tokens ahead; length is 0 when there is none.
func (p *parser) unitAt(k int) (u Unit, length int) {
	t := p.ahead(k)
	if t.kind != tWord {
		return 0, 0
	}
	if t.word == "working" && p.ahead(k+1).is("day", "days") {
		return WorkingDays, 2
	}
	if u, ok := units[singular(t.word)]; ok {
		return u, 1
	}
	return 0, 0
}

// stepAhead reports whether the phrase goes on with a step, not with a base.
func (p *parser) stepAhead() bool {
	t, next := p.peek(), p.ahead(1)
	if t.kind == tOrdinal {
		return true
	}
	if p.measureAhead() {
		return false
	}
	if f := p.form(); f != nil {
		return f.ahead == nil || f.ahead(p)
	}
	switch {
	case t.kind == tNumber:
		return next.kind == tWord && (months[next.word] != 0 || next.word == "of")
	case t.kind == tQuoted:
		return next.is("on") && p.ahead(2).is("or") || p.byAhead()
	case t.kind != tWord:
		return false
	case weekdays[t.word] != 0, months[t.word] != 0:
		return true
	case ordinals[t.word] != 0:
		return notAName(p) && !next.is("from", "to")
	case t.word == "working":
		return next.is("day") && p.ahead(2).is("on")
	case t.word == "orthodox":
		return next.is("easter")
	case t.word == "easter":
		return next.kind == tEnd || next.sign(",") || next.is("on") || p.i > 0
	}
	return next.is("on") && p.ahead(2).is("or") || !reserved[t.word] && p.byAhead()
}

// byAhead reports whether `SERIES by MILESTONE on or` follows.
func (p *parser) byAhead() bool {
	return p.ahead(1).is("by") && p.ahead(3).is("on") && p.ahead(4).is("or")
}

// by reads the milestone of a series after `by`, if it is there.
func (p *parser) by() *Name {
	if !p.accept("by") {
		return nil
	}
	t := p.take()
	if t.kind != tQuoted && (t.kind != tWord || reserved[t.word]) {
		fail(t.Span, "expected a milestone of the series after `by`"+p.found(t), "for example: next crew-pay by timesheets")
	}
	return &Name{t.Span, p.nameText(t)}
}

// measureAhead reports whether a measure begins with a word that steps begin
// with too: fridays from, working days in, working day of.
func (p *parser) measureAhead() bool {
	if _, n := p.countAhead(); n > 0 {
		return true
	}
	return p.partAhead() != nil
}

// steps reads steps separated by commas, where the place supplies the base.
func (p *parser) steps() (list []Step) {
	for {
		list = append(list, p.step())
		if p.peek().sign(",") {
			p.take()
		} else if !p.shiftAhead() {
			return list
		}
	}
}

const stepHelp = "steps are: +1 month, -2 working days, lasting 6 months, end of next month, 1st mon of quarter, roll following, next fri, sun on or before, at 16:30"

func (p *parser) step() Step {
	p.op()
	t := p.peek()
	if f := p.form(); f != nil {
		return f.parse(p)
	}
	if p.strictTarget() || p.dayAhead() {
		return p.dayStep()
	}
	if p.ahead(1).is("on") && p.ahead(2).is("or") && (t.kind == tWord && !reserved[t.word] || t.kind == tQuoted) {
		p.take()
		return p.onOr(t.Span, Target{Series: &Name{t.Span, p.nameText(t)}})
	}
	if p.byAhead() && (t.kind == tWord && !reserved[t.word] || t.kind == tQuoted) {
		p.take()
		return p.onOr(t.Span, Target{Series: &Name{t.Span, p.nameText(t)}, By: p.by()})
	}
	hint := stepHelp
	if t.kind == tWord {
		if n := Nearest(t.word, append(stepWords, WeekdayWords...)); n != "" {
			hint = "did you mean `" + n + "`?"
		}
	}
	fail(t.Span, "expected a step"+p.found(t), hint)
	return nil
}

func (p *parser) nameText(t token) string {
	if t.kind == tQuoted {
		return t.word
	}
	return p.text[t.Start:t.End]
}

// stepUsing reads `using` after a step, which must be one that counts.
func (p *parser) stepUsing(s Step) *Using {
	u := p.using()
	if u != nil && !Counting(s) {
		fail(u.Span, "this step counts no working days, so a calendar has no effect",
			"put `using` after the step that counts or rolls")
	}
	return u
}
