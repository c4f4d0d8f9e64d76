package schedule

import (
	"crypto/sha256"
	"encoding/hex"

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

// FromRule makes a series of a rule alone, named after its canonical text, so
// that the same rule makes the same events.
func FromRule(text string, env eval.Env) (*Series, error) {
	s, err := NewSeries("", "", text, env)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256([]byte(s.Rec.Text))
	s.Name, s.Title = hex.EncodeToString(sum[:5]), s.Rec.Text
	return s, nil
}
