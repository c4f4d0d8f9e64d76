package schedule

import (
	"fmt"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
)

// CompareColumns are the columns of what differs between two schedules.
var CompareColumns = []string{"change", "series", "what", "id", "was", "now", "days", "detail"}

// Difference is how a date, or a row, differs: added, gone, moved, or changed in
// the cells that Detail names.
type Difference struct {
	Change, Series, What, ID string
	Was, Now                 eval.Value
	Detail                   string
}

// Cells are the cells of CompareColumns; days are those from the old day to the
// new one.
func (d Difference) Cells() []eval.Value {
	days := eval.Value{}
	was, ok := eval.AsDate(d.Was)
	if now, too := eval.AsDate(d.Now); ok && too {
		days = eval.Int(int(now.Day - was.Day))
	}
	return []eval.Value{eval.Str(d.Change), eval.Str(d.Series), eval.Str(d.What), eval.Str(d.ID), d.Was, d.Now, days,
		eval.Str(d.Detail)}
}

// Tally counts differences by their kind, and what is the same.
type Tally struct{ Moved, Changed, Added, Gone, Same int }

// Differ reports whether there was any.
func (t Tally) Differ() bool { return t.Moved+t.Changed+t.Added+t.Gone > 0 }

// Count counts a difference.
func (t *Tally) Count(d Difference) {
	switch d.Change {
	case "moved":
		t.Moved++
	case "changed":
		t.Changed++
	case "added":
		t.Added++
	case "gone":
		t.Gone++
	}
}

// String lists the counts.
func (t Tally) String() string {
	return fmt.Sprintf("%d moved, %d changed, %d added, %d gone, %d unchanged", t.Moved, t.Changed, t.Added,
		t.Gone, t.Same)
}

// Summary lists the counts that aren't nothing; "same dates, other details" where all
// are.
func (t Tally) Summary() string {
	var parts []string
	for _, p := range []struct {
		n    int
		what string
	}{{t.Moved, "moved"}, {t.Changed, "changed"}, {t.Added, "added"}, {t.Gone, "gone"}} {
		if p.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", p.n, p.what))
		}
	}
	if parts == nil {
		return "same dates, other details"
	}
	return strings.Join(parts, ", ")
}

// TallyRows counts the differences of a table of one series, in which a date stands
// with its milestones: each row once.
func TallyRows(list []Difference) (t Tally) {
	told := map[string]bool{}
	for _, d := range list {
		if key := d.Change + d.ID; !told[key] {
			told[key] = true
			t.Count(d)
		}
	}
	return t
}

// eventKey is what an event is matched by: its series, milestone and identity.
func eventKey(e Event) string {
	return phrase.FoldName(e.Series) + "\x00" + phrase.FoldName(e.What) + "\x00" + e.ID
}

// Differences compares two schedules, matched by who each date is, never by place:
// in the order of the new one, then those that are gone in that of the old. Dates of
// which in says no on both sides aren't compared.
func Differences(was, now []Event, in func(e Event) bool) (list []Difference, t Tally) {
	before := map[string]Event{}
	for _, e := range was {
		before[eventKey(e)] = e
	}
	seen := map[string]bool{}
	put := func(d Difference) { t.Count(d); list = append(list, d) }
	for _, e := range now {
		old, ok := before[eventKey(e)]
		seen[eventKey(e)] = true
		switch {
		case !in(e) && !(ok && in(old)):
		case !ok:
			put(Difference{"added", e.Series, e.What, e.ID, eval.Value{}, e.At, e.Description})
		default:
			moved := !old.At.SameTime(e.At)
			titled := old.Summary != e.Summary && old.Summary != "" && e.Summary != ""
			switch {
			case titled:
				detail := fmt.Sprintf("title: %s → %s", old.Summary, e.Summary)
				if moved {
					detail = fmt.Sprintf("date: %s → %s; ", old.At, e.At) + detail
				}
				put(Difference{"changed", e.Series, e.What, e.ID, old.At, e.At, detail})
			case moved:
				put(Difference{"moved", e.Series, e.What, e.ID, old.At, e.At, changeReason(old, e)})
			default:
				t.Same++
			}
		}
	}
	for _, e := range was {
		if !seen[eventKey(e)] && in(e) {
			put(Difference{"gone", e.Series, e.What, e.ID, e.At, eval.Value{}, ""})
		}
	}
	return list, t
}

// changeReason is the reason of a moved date: the new one, or that the old one is no more.
func changeReason(old, now Event) string {
	switch {
	case now.Description != "":
		return now.Description
	case old.Description != "":
		return "no longer: " + strings.TrimSpace(old.Description)
	}
	return ""
}
