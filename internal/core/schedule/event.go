package schedule

import (
	"crypto/sha256"
	"encoding/hex"
	"slices"

	"yoyaku/internal/core/eval"
)

// Event is a calendar event: all-day at a Date, timed at a Moment.
type Event struct {
	UID, Summary, Description, Category string
	At                                  eval.Value
}

// Event makes the calendar event of an entry of a plan.
func (e Entry) Event(plan string) Event {
	return Event{UID: e.UID(plan), Summary: e.Label(), Description: eval.Reasons(e.Moves), Category: e.Series.Name, At: e.At}
}

// FromRule makes a series of a rule alone, named after its canonical text, the
// name of its calendar and its title, so that the same rule makes the same events.
// Without a title it goes by its text.
func FromRule(text, title string, env eval.Env) (*Series, error) {
	s, err := NewSeries("", title, text, env)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256([]byte(s.Rec.Text + "\n" + env.Calendar.Name + "\n" + title))
	if s.Name = hex.EncodeToString(sum[:5]); title == "" {
		s.Title = s.Rec.Text
	}
	return s, nil
}

// With returns the series with further columns to be added to it as milestones;
// the series itself stays as it is.
func (s *Series) With() *Series {
	return &Series{Name: s.Name, Title: s.Title, RuleText: s.RuleText, Calendar: s.Calendar, Rec: s.Rec, Start: s.Start, End: s.End,
		Milestones: slices.Clone(s.Milestones), Summary: s.Summary}
}
