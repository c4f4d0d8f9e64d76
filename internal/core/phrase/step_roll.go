package phrase

import (
	"strings"

	"yoyaku/internal/core/workdays"
)

// Roll moves a closed day by a business-day convention.
type Roll struct {
	Span
	By    workdays.Convention
	Using *Using
}

func init() { addStep(&rollForm) }

var rollForm = stepForm{word: "roll", peek: isPhraseWord, parse: (*parser).roll}

func (p *parser) roll() Step {
	t := p.next()
	w := p.next()
	name := w.word
	if w.isWord("modified") {
		if !p.peek().isWord("following", "preceding") {
			failAt(w.extendTo(p.peek().Span), "`roll modified` needs a direction",
				"write `roll modified following` or `roll modified preceding`")
		}
		name += " " + p.next().word
	}
	for by, n := range workdays.ConventionNames {
		if w.kind == tWord && n == name {
			r := &Roll{By: workdays.Convention(by)}
			r.Using = p.stepUsing(r)
			r.Span = t.extendTo(p.prevSpan())
			return r
		}
	}
	hint := strings.Join(workdays.ConventionNames[1:], ", ") + ", none"
	switch {
	case w.isWord("back", "backward", "backwards", "before", "previous"):
		hint = "write `roll preceding`"
	case w.isWord("forward", "forwards", "next", "after"):
		hint = "write `roll following`"
	case w.kind == tWord:
		hint = didYouMean(w.word, hint, workdays.ConventionNames[:])
	}
	failAt(w.Span, "expected a business-day convention after `roll`"+p.describe(w), hint)
	return nil
}

func (r *Roll) write(p *printer) {
	p.writeStrings("roll ", workdays.ConventionNames[r.By])
	r.Using.write(p)
}

func (r *Roll) calendarUse() (*Using, bool) { return r.Using, true }
func (r *Roll) form() *stepForm             { return &rollForm }

func (s *Roll) reading() string {
	cal := usingReading(s.Using)
	return [...]string{
		workdays.NoRoll:    "a closed day stays",
		workdays.Following: "a closed day moves forward to the next working day" + cal,
		workdays.Preceding: "a closed day moves back to the working day" + cal + " before it",
		workdays.ModifiedFollowing: "a closed day moves forward to the next working day" + cal +
			", or back if that is in another month",
		workdays.ModifiedPreceding: "a closed day moves back to the working day" + cal +
			" before it, or forward if that is in another month",
		workdays.Nearest: "a closed day moves to the nearest working day" + cal + ", the later one on a tie",
	}[s.By]
}
