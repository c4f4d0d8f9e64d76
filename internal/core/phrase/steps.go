package phrase

// stepForm is what holds for a kind of steps. If it begins with a word of its own (or, for
// shifts, with a sign): whether it is one where a phrase begins, and how it is read. The
// node that parse gives writes and reads itself; eval compiles it.
type stepForm struct {
	word  string
	label string               // in messages; "" where it is the word
	peek  func(p *parser) bool // nil: always
	parse func(p *parser) Step
	// rowsOnlyReason is why it stands on the rows of a table alone, in no rule and in no milestone
	// that is looked for; "" for those that stand anywhere.
	rowsOnlyReason string
	// isLast says that no step comes behind it.
	isLast bool
}

func (f *stepForm) name() string {
	if f.label != "" {
		return f.label
	}
	return f.word
}

const endlessReason = "its reach has no limit; use it on the rows of a table"

// stepForms are all of them; each file of a step adds its own. Steps that begin with a day or a
// series' name have no word of their own: dayStep, seekOnOr.
var stepForms []*stepForm

// stepWords are the words that steps begin with, for hints.
var stepWords = []string{"easter", "orthodox", "working"}

// addStep takes a step into the language. It is called by init, since forms read steps
// themselves.
func addStep(forms ...*stepForm) {
	for _, f := range forms {
		stepForms = append(stepForms, f)
		if f.word != "" {
			stepWords = append(stepWords, f.word)
		}
	}
}

// peekForm returns the form of the step that begins here; nil if none does.
func (p *parser) peekForm() *stepForm {
	t := p.peek()
	for _, f := range stepForms {
		if f.word != "" && t.isWord(f.word) || f.word == "" && (t.isSign("+") || t.isSign("-")) {
			return f
		}
	}
	return nil
}

// stepReading tells in plain words what a step does.
func stepReading(s Step) string { return s.reading() }

// UsesCalendar reports whether a step counts with a working calendar.
func UsesCalendar(s Step) bool { _, counts := s.calendarUse(); return counts }

// UsingOf returns the calendar that a step names; nil if it names none.
func UsingOf(s Step) *Using { using, _ := s.calendarUse(); return using }

// RowsOnlyReason returns why a step may be used only on rows of a table, not in a rule or in a
// milestone that is searched for; "" if it may be used anywhere.
func RowsOnlyReason(s Step) string { return s.form().rowsOnlyReason }

// IsLastStep reports whether no step comes behind one: a time.
func IsLastStep(s Step) bool { return s.form().isLast }

// unitAt reads a unit word k tokens ahead; length is 0 when there is none.
func (p *parser) unitAt(k int) (u Unit, length int) {
	t := p.peekAt(k)
	if t.kind != tWord {
		return 0, 0
	}
	if t.word == "working" && p.peekAt(k+1).isWord("day", "days") {
		return WorkingDays, 2
	}
	if u, ok := units[singular(t.word)]; ok {
		return u, 1
	}
	return 0, 0
}

// peekStep reports whether the phrase goes on with a step, not with a base.
func (p *parser) peekStep() bool {
	t, next := p.peek(), p.peekAt(1)
	if t.kind == tOrdinal {
		return true
	}
	if p.peekMeasure() {
		return false
	}
	if f := p.peekForm(); f != nil {
		return f.peek == nil || f.peek(p)
	}
	switch {
	case t.kind == tNumber:
		return next.kind == tWord && (months[next.word] != 0 || next.word == "of")
	case t.kind == tQuoted:
		return next.isWord("on") && p.peekAt(2).isWord("or") || p.peekByMilestone()
	case t.kind != tWord:
		return false
	case weekdays[t.word] != 0, months[t.word] != 0:
		return true
	case ordinals[t.word] != 0:
		return isPhraseWord(p) && !next.isWord("from", "to")
	case t.word == "working":
		return next.isWord("day") && p.peekAt(2).isWord("on")
	case t.word == "orthodox":
		return next.isWord("easter")
	case t.word == "easter":
		return next.kind == tEnd || next.isSign(",") || next.isWord("on") || p.pos > 0
	}
	return next.isWord("on") && p.peekAt(2).isWord("or") || !reserved[t.word] && p.peekByMilestone()
}

// peekByMilestone reports whether `SERIES by MILESTONE on or` follows.
func (p *parser) peekByMilestone() bool {
	return p.peekAt(1).isWord("by") && p.peekAt(3).isWord("on") && p.peekAt(4).isWord("or")
}

// byMilestone reads the milestone of a series after `by`, if it is there.
func (p *parser) byMilestone() *Name {
	if !p.accept("by") {
		return nil
	}
	t := p.next()
	if t.kind != tQuoted && (t.kind != tWord || reserved[t.word]) {
		failAt(t.Span, "expected a milestone of the series after `by`"+p.describe(t), "for example: next crew-pay by timesheets")
	}
	return &Name{t.Span, p.nameText(t)}
}

// peekMeasure reports whether a measure begins with a word that steps begin
// with too: fridays from, working days in, working day of.
func (p *parser) peekMeasure() bool {
	if _, n := p.peekCount(); n > 0 {
		return true
	}
	return p.peekPart() != nil
}

// steps reads steps separated by commas, where the place supplies the base.
func (p *parser) steps() (list []Step) {
	for {
		list = append(list, p.step())
		if p.peek().isSign(",") {
			p.next()
		} else if !p.peekShift() {
			return list
		}
	}
}

const stepHelp = "steps are: +1 month, -2 working days, lasting 6 months, end of next month, 1st mon of quarter, roll following, next fri, sun on or before, at 16:30"

func (p *parser) step() Step {
	p.countOp()
	t := p.peek()
	if f := p.peekForm(); f != nil {
		return f.parse(p)
	}
	if p.strictTarget() || p.peekDay() {
		return p.dayStep()
	}
	if p.peekAt(1).isWord("on") && p.peekAt(2).isWord("or") && (t.kind == tWord && !reserved[t.word] || t.kind == tQuoted) {
		p.next()
		return p.seekOnOr(t.Span, Target{Series: &Name{t.Span, p.nameText(t)}})
	}
	if p.peekByMilestone() && (t.kind == tWord && !reserved[t.word] || t.kind == tQuoted) {
		p.next()
		return p.seekOnOr(t.Span, Target{Series: &Name{t.Span, p.nameText(t)}, Milestone: p.byMilestone()})
	}
	hint := stepHelp
	if t.kind == tWord {
		if n := Nearest(t.word, append(stepWords, WeekdayWords...)); n != "" {
			hint = "did you mean `" + n + "`?"
		}
	}
	failAt(t.Span, "expected a step"+p.describe(t), hint)
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
	if u != nil && !UsesCalendar(s) {
		failAt(u.Span, "this step counts no working days, so a calendar has no effect",
			"put `using` after the step that counts or rolls")
	}
	return u
}
