package schedule

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// Entry is one line of an agenda and one event: the date of a series or one of
// its milestones.
type Entry struct {
	Series *Series
	What   string // "date" or the milestone's name
	At     eval.Value
	Of     *Occurrence
	Why
}

// dated is the entry of an occurrence's own date.
func (o *Occurrence) dated(s *Series) Entry {
	return Entry{s, "date", o.Value(), o, Why{Moves: o.Moves, Beyond: o.Moved.Beyond, Hand: o.Hand}}
}

// Entries returns the dates and milestones of several series that lie in
// window, each chosen by its own date, sorted by date and time; where those are
// equal the order of the plan stands. cut counts the occurrences of which only a
// part lies in the window.
func Entries(series []*Series, window civil.Span) (all []Entry, cut int, err error) {
	return entriesOf(series, window, false, (*Occurrence).Note)
}

// Whole is Entries for whole occurrences: those whose moved date lies in window, with all
// their milestones.
func Whole(series []*Series, window civil.Span) (all []Entry, err error) {
	all, _, err = entriesOf(series, window, true, (*Occurrence).Note)
	return all, err
}

// AYear is how many days around a window dates are looked for that moved out of it.
const AYear = 366

// Elsewhere finds the entry of a UID that lies in the year before or after a window,
// given the plan of each series. It looks beyond what is answered: what calendars
// don't know there isn't noted.
func Elsewhere(series []*Series, window civil.Span, whole bool, plan func(*Series) string) func(uid string) (
	Entry, bool) {
	var around map[string]Entry
	return func(uid string) (Entry, bool) {
		if around == nil {
			around = map[string]Entry{}
			all, _, _ := entriesOf(series, window.Widen(AYear, AYear), whole, func(*Occurrence) {})
			for _, e := range all {
				if day := e.At.Day; whole && !window.Has(e.Of.To) || !whole && !window.Has(day) {
					around[e.uid(plan(e.Series))] = e
				}
			}
		}
		e, ok := around[uid]
		return e, ok
	}
}

func entriesOf(series []*Series, window civil.Span, whole bool, note func(*Occurrence)) (all []Entry, cut int,
	err error) {
	for _, s := range series {
		wide := window
		if !whole {
			wide = window.Widen(s.milestoneReach())
		}
		for o, err := range s.Occurrences(wide) {
			if err != nil {
				return nil, 0, err
			}
			in, out := window.Has(o.To), !window.Has(o.To)
			if window.Has(o.To) {
				note(o)
				all = append(all, o.dated(s))
			}
			for i, m := range s.Milestones {
				v := o.Milestone(i)
				if v.Kind != eval.Date && v.Kind != eval.Moment {
					continue
				}
				has := whole || window.Has(v.Day)
				in, out = in || has, out || !has
				if has {
					note(o)
					all = append(all, Entry{s, m.Name, v, o, o.Whys[i]})
				}
			}
			if in && out {
				cut++
			}
		}
		if !whole {
			if all, err = s.dateless(all, window); err != nil {
				return nil, 0, err
			}
		}
	}
	slices.SortStableFunc(all, func(a, b Entry) int {
		return cmp.Or(cmp.Compare(a.At.Day, b.At.Day), cmp.Compare(a.At.Minutes, b.At.Minutes))
	})
	return all, cut, nil
}

// dateless appends the milestones that were set by hand of dates that are left out.
func (s *Series) dateless(all []Entry, window civil.Span) ([]Entry, error) {
	for _, h := range s.hands.list() {
		if h.What == "date" || h.At.Kind == eval.Blank || !window.Has(h.At.Day) {
			continue
		}
		o, err := s.Occurrence(h.ID)
		if err != nil {
			return nil, err
		}
		for i, m := range s.Milestones {
			if o != nil && o.To == civil.None && m.Name == h.What {
				all = append(all, Entry{s, m.Name, o.Milestone(i), o, o.Whys[i]})
			}
		}
	}
	return all, nil
}

// milestoneReach bounds how far from a window the dates can lie whose
// milestones fall into it: before it and after it.
func (s *Series) milestoneReach() (back, forth int) {
	if len(s.Milestones) == 0 {
		return 0, 0
	}
	for _, m := range s.Milestones {
		back, forth = max(back, m.forth.Bound()), max(forth, m.back.Bound())
	}
	// Milestones may count from the neighbours of a date or from its period.
	before, after := s.reach()
	more := 2*s.stride() + before + after
	if s.hands != nil {
		more += s.hands.far
	}
	return min(back+more, int(civil.Max)), min(forth+more, int(civil.Max))
}

// farStanding is how far, in days, a date that is in a milestone's phrase is looked
// for from the dates of the series: a hundred years.
const farStanding = 100 * 366

// reachOf bounds how far before and after its occurrence's date the date of a
// program lies, by the names that it is reckoned from.
func (s *Series) reachOf(prog *eval.Program) (back, forth eval.Reach) {
	for _, from := range prog.Sources() {
		var b, f eval.Reach
		switch slot := from.Slot; {
		case slot == eval.Standing:
			b, f = eval.Reach{Days: farStanding}, eval.Reach{Days: farStanding}
		case slot == slotPeriodStart && s.Start != nil:
			b, f = s.reachOf(s.Start)
		case slot == slotPeriodEnd && s.End != nil:
			b, f = s.reachOf(s.End)
		case slot >= slotMilestones:
			m := &s.Milestones[slot-slotMilestones]
			b, f = m.back, m.forth
		}
		back, forth = back.Or(b.Plus(from.Back)), forth.Or(f.Plus(from.Forth))
	}
	return back, forth
}

// Template is a text with {names} of a series in it.
type Template struct {
	parts []string // text, name, text, …
	slots []int
	progs map[int]*eval.Program // in place of slots, of dates of other series
}

// NewTemplate reads a template for the events of s; env is that of its phrases.
func (s *Series) NewTemplate(text string, env eval.Env) (*Template, error) {
	s.lend(&env)
	return ParseTemplate(text, env)
}

// mostSaid is how many characters a name, a title or the text of an event may have: each date
// may carry them.
const mostSaid = 1000

// CheckLength is an error if a text has more characters than names, titles and texts of events may.
func CheckLength(what, text string) error {
	if len(text) > mostSaid && utf8.RuneCountInString(text) > mostSaid {
		return fmt.Errorf("%s may have at most %d characters, found %d", what, mostSaid, utf8.RuneCountInString(text))
	}
	return nil
}

// ParseTemplate reads a template of the names of env.
func ParseTemplate(text string, env eval.Env) (*Template, error) {
	if err := CheckLength("the text of an event", text); err != nil {
		return nil, err
	}
	t := &Template{progs: map[int]*eval.Program{}}
	names := env.Names
	for rest := text; ; {
		before, after, found := strings.Cut(rest, "{")
		t.parts = append(t.parts, before)
		if !found {
			return t, nil
		}
		name, tail, closed := strings.Cut(after, "}")
		if !closed {
			return nil, fmt.Errorf("`{%s` is not closed; write `{name}`", after)
		}
		i := env.SlotOf(name)
		if e, err := phrase.ParseExpr(name); i < 0 && err == nil && env.Other != nil {
			if _, other := e.(*phrase.Other); other {
				prog, err := eval.Compile(name, nil, env)
				if err != nil {
					return nil, err
				}
				i, t.progs[len(t.slots)] = 0, prog
			}
		}
		if i < 0 {
			names = slices.DeleteFunc(slices.Clone(names), func(n string) bool { return strings.HasPrefix(n, "\x00") })
			hint := "; the names are " + phrase.Names(names)
			if near := phrase.Nearest(name, names); near != "" {
				hint = "; did you mean `{" + near + "}`?"
			}
			return nil, fmt.Errorf("unknown name `{%s}`%s", name, hint)
		}
		t.slots = append(t.slots, i)
		rest = tail
	}
}

// Fill writes the template for one occurrence.
func (t *Template) Fill(o *Occurrence) string { return t.FillRow(o.Row) }

// FillRow writes the template for a row.
func (t *Template) FillRow(row []eval.Value) string {
	var b strings.Builder
	for i, p := range t.parts {
		b.WriteString(p)
		if prog := t.progs[i]; prog != nil {
			v, _ := prog.Eval(row) // what is wrong with it, the milestones of the other series tell
			b.WriteString(v.String())
		} else if i < len(t.slots) {
			b.WriteString(row[t.slots[i]].String())
		}
	}
	return b.String()
}

// Label is what the entry is called in a calendar: the series' summary, and the
// milestone behind it, or what the milestone itself is called.
func (e Entry) Label() string {
	if m := e.milestone(); m.Title != nil {
		return m.Title.Fill(e.Of)
	}
	text := e.Series.Title
	if e.Series.Summary != nil {
		text = e.Series.Summary.Fill(e.Of)
	}
	if e.What != "date" {
		text += ": " + e.What
	}
	return text
}
