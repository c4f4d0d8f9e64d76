package schedule

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// Event is a calendar event, all-day at a Date, timed at a DateTime, and a row of an agenda.
type Event struct {
	UID, Summary, Description, Category string
	At                                  eval.Value
	// Series is what it comes of, the name of a series or record; What is "date",
	// or the milestone or event; ID who it is among those.
	Series, What, ID string
	Nominal          eval.Value
	Reminders        []Reminder
	Calendar         *workdays.Calendar // of the working days of reminders
	// Todo makes it a to-do that is due then; Recurring makes it stand for all dates of
	// a series.
	Todo      bool
	Recurring *Recurring
	// Owner is one of the people of the plan, Contact how calendars name them.
	Owner, Contact string
	// Private hides it from others, Tentative says that its day may still move.
	Private, Tentative bool
	// Rule is the mark of the rule alone that gave it (see Series.RuleMark); "" for an event of a plan.
	Rule string
	EventProperties
}

// Zone is that of its time, by its IANA name; "" is the plan's.
func (e Event) Zone() string {
	if e.At.Kind == eval.DateTime {
		return e.At.Text
	}
	return ""
}

// Event makes the calendar event of an entry of a plan.
func (e Entry) Event(plan string) Event {
	m := e.milestone()
	return Event{UID: e.uid(plan), Summary: e.label(), Description: e.Reason(), Category: e.Series.Name, At: e.At,
		Series: e.Series.Name, What: e.What, ID: e.Occurrence.ID, Nominal: eval.Day(e.Occurrence.Date.Date),
		Reminders: e.Series.Reminders, Calendar: e.Series.Calendar, Todo: m.Todo, Owner: m.Owner,
		Private: m.Private || e.Series.Private && !m.Public, Tentative: e.Provenance.Uncovered.IsSet(), Rule: e.Series.RuleMark,
		EventProperties: e.Series.EventProperties}
}

// milestone is that of the entry; of the date itself, who owns it and whether it is a
// to-do.
func (e Entry) milestone() (m Milestone) {
	if e.What == "date" {
		return Milestone{Owner: e.Series.Owner, Todo: e.Series.Todo}
	}
	all := e.Series.Milestones
	if i := e.Series.slots[phrase.FoldName(e.What)] - len(BaseNames); i >= 0 && i < len(all) && all[i].Name == e.What {
		return all[i] // of a plan of thousands, without a walk over them
	}
	if i := slices.IndexFunc(all, func(m Milestone) bool { return m.Name == e.What }); i >= 0 {
		m = all[i]
	}
	return m
}

func (e Entry) uid(plan string) string {
	return UID(Event{Series: e.Series.Name, What: e.What, ID: e.Occurrence.ID}, plan)
}

// UID is the name of a plan's event that stays the same when its date moves.
func UID(e Event, plan string) string {
	id := e.Series
	if e.What != "date" {
		id += "." + e.What
	}
	return id + "." + e.ID + "@" + plan
}

// SortEvents sorts events by date and time, by their instants where several zones have
// times; where those are equal, by the order of the series and records named. midnight
// is the instant at which a day begins.
func SortEvents(list []Event, order []string, midnight func(civil.Date) int64) {
	place := map[string]int{}
	for i, name := range order {
		place[name] = i
	}
	zones := map[string]bool{}
	for _, e := range list {
		if e.At.Kind == eval.DateTime {
			zones[e.Zone()] = true
		}
	}
	times := eval.CompareTimes
	if len(zones) > 1 && midnight != nil {
		instant := func(v eval.Value) int64 {
			if v.Kind == eval.DateTime && v.Num != 0 {
				return v.Num
			}
			return midnight(v.Day) + int64(v.Minutes)*60
		}
		times = func(a, b eval.Value) int { return cmp.Compare(instant(a), instant(b)) }
	}
	slices.SortStableFunc(list, func(a, b Event) int {
		return cmp.Or(times(a.At, b.At), cmp.Compare(place[a.Series], place[b.Series]))
	})
}

// Hash tells texts or files apart: so many bytes of SHA-256, 32 at most, as hexadecimal
// digits.
func Hash[T string | []byte](text T, bytes int) string {
	sum := sha256.Sum256([]byte(text))
	return hex.EncodeToString(sum[:bytes])
}

// FromRule makes a series of a rule alone, named after its canonical text, the
// name of its calendar and its title, so that the same rule makes the same events.
// Without a title it goes by its text.
func FromRule(text, title string, env eval.Env) (*Series, error) {
	s, err := NewSeries("", title, text, env)
	if err != nil {
		return nil, err
	}
	s.RuleMark = Hash(s.ruleIdentity(), 8)
	if s.Name = s.RuleName(title); title == "" {
		s.Title = s.Rules[0].Recurrence.Text
	}
	return s, nil
}

// ruleIdentity is what a rule alone is known by: its canonical text and the name of its calendar.
func (s *Series) ruleIdentity() string { return s.Rules[0].Recurrence.Text + "\n" + s.Calendar.Name }

// RuleName is the name of the series of a rule alone under a title, "" for none.
func (s *Series) RuleName(title string) string { return Hash(s.ruleIdentity()+"\n"+title, 5) }

// Clone returns the series with further columns to be added to it as milestones;
// the series itself stays as it is.
func (s *Series) Clone() *Series {
	return &Series{Name: s.Name, Title: s.Title, RuleText: s.RuleText, Calendar: s.Calendar, Rules: s.Rules,
		overrides: s.overrides, cache: s.cache, related: s.related, Start: s.Start, End: s.End,
		Milestones: slices.Clone(s.Milestones), Summary: s.Summary, Reminders: s.Reminders, EventProperties: s.EventProperties,
		Private: s.Private, Owner: s.Owner, Todo: s.Todo, Zone: s.Zone, Patterns: s.Patterns}
}
