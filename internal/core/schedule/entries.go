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
	Series     *Series
	What       string // "date" or the milestone's name
	At         eval.Value
	Occurrence *Occurrence
	Provenance
}

// dateEntry is the entry of an occurrence's own date.
func (o *Occurrence) dateEntry(s *Series) Entry {
	return Entry{s, "date", o.Value(), o, Provenance{Moves: o.Moves, Uncovered: o.MovedDate.Uncovered, Override: o.Override}}
}

// Entries returns the dates and milestones of several series that lie in
// window, each chosen by its own date, sorted by date and time; where those are
// equal the order of the plan stands. cut counts the occurrences of which only a
// part lies in the window.
func Entries(series []*Series, window civil.Span) (all []Entry, cut int, err error) {
	return entriesOf(series, window, false, (*Occurrence).recordUncovered)
}

// OccurrenceEntries is Entries for whole occurrences: those whose moved date lies in window, with all
// their milestones.
func OccurrenceEntries(series []*Series, window civil.Span) (all []Entry, err error) {
	all, _, err = entriesOf(series, window, true, (*Occurrence).recordUncovered)
	return all, err
}

// SearchMargin is how many days around a window dates are looked for that moved out of it.
const SearchMargin = 366

// FindOutside finds the entry of a UID that lies in the year before or after a window,
// given the plan of each series. It looks beyond what is answered: what calendars
// don't know there isn't noted.
func FindOutside(series []*Series, window civil.Span, whole bool, plan func(*Series) string) func(uid string) (
	Entry, bool) {
	var around map[string]Entry
	return func(uid string) (Entry, bool) {
		if around == nil {
			around = map[string]Entry{}
			all, _, _ := entriesOf(series, window.Widen(SearchMargin, SearchMargin), whole, func(*Occurrence) {})
			for _, e := range all {
				if day := e.At.Day; whole && !window.Contains(e.Occurrence.MovedTo) || !whole && !window.Contains(day) {
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
			in, out := window.Contains(o.MovedTo), !window.Contains(o.MovedTo)
			if window.Contains(o.MovedTo) {
				note(o)
				all = append(all, o.dateEntry(s))
			}
			for i, m := range s.Milestones {
				v := o.Milestone(i)
				if v.Kind != eval.Date && v.Kind != eval.DateTime {
					continue
				}
				has := whole || window.Contains(v.Day)
				in, out = in || has, out || !has
				if has {
					note(o)
					all = append(all, Entry{s, m.Name, v, o, o.Provenance[i]})
				}
			}
			if in && out {
				cut++
			}
		}
		if !whole {
			if all, err = s.appendOrphanMilestones(all, window); err != nil {
				return nil, 0, err
			}
		}
	}
	slices.SortStableFunc(all, func(a, b Entry) int {
		if a.At.IsRepeated() || b.At.IsRepeated() {
			return eval.CompareTimes(a.At, b.At)
		}
		return cmp.Or(cmp.Compare(a.At.Day, b.At.Day), cmp.Compare(a.At.Minutes, b.At.Minutes))
	})
	return all, cut, nil
}

// appendOrphanMilestones appends the milestones that were set by hand of dates that are left out.
func (s *Series) appendOrphanMilestones(all []Entry, window civil.Span) ([]Entry, error) {
	for _, h := range s.overrides.list() {
		if h.What == "date" || h.At.Kind == eval.Blank || !window.Contains(h.At.Day) {
			continue
		}
		o, err := s.findOccurrence(h.ID)
		if err != nil {
			return nil, err
		}
		for i, m := range s.Milestones {
			if o != nil && o.MovedTo == civil.None && m.Name == h.What {
				all = append(all, Entry{s, m.Name, o.Milestone(i), o, o.Provenance[i]})
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
		back, forth = max(back, m.reachForward.MaxDays()), max(forth, m.reachBack.MaxDays())
	}
	// Milestones may count from the neighbours of a date or from its period.
	before, after := s.stepReach()
	more := 2*s.maxStride() + before + after
	if s.overrides != nil {
		more += s.overrides.maxMilestoneShift
	}
	return min(back+more, int(civil.Max)), min(forth+more, int(civil.Max))
}

// maxConstantReach is how far, in days, a date that is in a milestone's phrase is looked
// for from the dates of the series: a hundred years.
const maxConstantReach = 100 * 366

// reachOf bounds how far before and after its occurrence's date the date of a
// program lies, by the names that it is reckoned from.
func (s *Series) reachOf(prog *eval.Program) (back, forth eval.Reach) {
	for _, from := range prog.Sources() {
		var b, f eval.Reach
		switch slot := from.Slot; {
		case slot == eval.ConstantSlot:
			b, f = eval.Reach{Days: maxConstantReach}, eval.Reach{Days: maxConstantReach}
		case slot == slotPeriodStart && s.Start != nil:
			b, f = s.reachOf(s.Start)
		case slot == slotPeriodEnd && s.End != nil:
			b, f = s.reachOf(s.End)
		case slot >= slotMilestones:
			m := &s.Milestones[slot-slotMilestones]
			b, f = m.reachBack, m.reachForward
		}
		back, forth = back.Max(b.Add(from.ReachBack)), forth.Max(f.Add(from.ReachForward))
	}
	return back, forth
}

// Template is a text with {names} of a series in it.
type Template struct {
	parts    []string // text, name, text, …
	slots    []int
	programs map[int]*eval.Program // in place of slots, of dates of other series
}

// NewTemplate reads a template for the events of s; env is that of its phrases.
func (s *Series) NewTemplate(text string, env eval.Env) (*Template, error) {
	s.bindNames(&env)
	return ParseTemplate(text, env)
}

// maxTextLength is how many characters a name, a title or the text of an event may have: each date
// may carry them.
const maxTextLength = 1000

// CheckLength is an error if a text has more characters than names, titles and texts of events may.
func CheckLength(what, text string) error {
	if len(text) > maxTextLength && utf8.RuneCountInString(text) > maxTextLength {
		return fmt.Errorf("%s may have at most %d characters, found %d", what, maxTextLength, utf8.RuneCountInString(text))
	}
	return nil
}

// CheckName refuses names that a phrase can't use without quotes.
func CheckName(name string) error {
	for i, r := range name {
		letter := r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r > 0x7f
		if !letter && (i == 0 || !(r >= '0' && r <= '9' || r == '-' || r == '_')) {
			return fmt.Errorf("`%s` can't be a name: a name starts with a letter and has only letters, digits, `-` and `_`", name)
		}
	}
	if name == "" {
		return fmt.Errorf("a name is missing here")
	}
	return CheckLength("a name", name)
}

// ParseTemplate reads a template of the names of env.
func ParseTemplate(text string, env eval.Env) (*Template, error) {
	if err := CheckLength("the text of an event", text); err != nil {
		return nil, err
	}
	t := &Template{programs: map[int]*eval.Program{}}
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
		if e, err := phrase.ParseExpr(name); i < 0 && err == nil && env.FindRelated != nil {
			if _, other := e.(*phrase.SeriesRef); other {
				prog, err := eval.Compile(name, nil, env)
				if err != nil {
					return nil, err
				}
				i, t.programs[len(t.slots)] = 0, prog
			}
		}
		if i < 0 {
			names = slices.DeleteFunc(slices.Clone(names), func(n string) bool { return strings.HasPrefix(n, "\x00") })
			hint := "; the names are " + phrase.ListNames(names)
			if near := phrase.Nearest(name, names); near != "" {
				hint = "; did you mean `{" + near + "}`?"
			}
			return nil, fmt.Errorf("unknown name `{%s}`%s", name, hint)
		}
		t.slots = append(t.slots, i)
		rest = tail
	}
}

// FillRow writes the template for a row; hasBlank says that a name in it is blank there.
func (t *Template) FillRow(row []eval.Value) (text string, hasBlank bool) {
	var b strings.Builder
	for i, p := range t.parts {
		b.WriteString(p)
		var v eval.Value
		if prog := t.programs[i]; prog != nil {
			v, _ = prog.Eval(row) // what is wrong with it, the milestones of the other series tell
		} else if i < len(t.slots) {
			v = row[t.slots[i]]
		} else {
			continue
		}
		name := v.String()
		hasBlank = hasBlank || name == ""
		b.WriteString(name)
	}
	return b.String(), hasBlank
}

// label is what the entry is called in a calendar: the series' summary, and the
// milestone behind it, or what the milestone itself is called. Where a name in such a text is
// blank, as the period of a date that is kept as released, the title stands in.
func (e Entry) label() string {
	written := func(t *Template) (string, bool) {
		if t == nil {
			return "", false
		}
		text, hasBlank := t.FillRow(e.Occurrence.Row)
		if hasBlank {
			e.Series.titled.Store(e.Occurrence.ID+e.What, true)
		}
		return text, !hasBlank
	}
	if text, ok := written(e.milestone().Title); ok {
		return text
	}
	text, ok := written(e.Series.Summary)
	if !ok {
		text = e.Series.Title
	}
	if e.What != "date" {
		text += ": " + e.What
	}
	return text
}
