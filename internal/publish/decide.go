// Package publish holds the events of a plan against what stands on a calendar
// server, decides what becomes of each, and does it. What people put there or changed
// by hand is never touched without being asked.
package publish

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/caldav"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
)

// Desired is what a plan wants on the server.
type Desired struct {
	Plan     string // its id
	Calendar ical.Calendar
	Events   []schedule.Event
	ical.Scope
	// Today bounds what may be taken away: not before it.
	Today civil.Date
	// Overwrite takes what people changed back, Adopt what has lost its mark.
	Overwrite, Adopt bool
}

// The results.
const (
	resultAdded    = "added"
	resultMoved    = "moved"
	resultChanged  = "changed"
	resultGone     = "gone"
	resultEdited   = "edited"   // by a person, left alone
	resultConflict = "conflict" // both changed
	resultForeign  = "foreign"  // the UID is there, and not the plan's
	resultFailed   = "failed"
)

// Columns are those of the answer.
var Columns = []string{"result", "series", "what", "id", "date", "was", "note"}

// Step is what becomes of one event.
type Step struct {
	Result, Series, What, ID string
	Date, Was                eval.Value
	Note                     string

	action   action
	resource caldav.Resource // to write or take away
	object   *ical.Object
}

type action uint8

const (
	actKeep action = iota
	actPut
	actDelete
)

// Cells are the cells of Columns.
func (s *Step) Cells() []eval.Value {
	return []eval.Value{eval.Str(s.Result), eval.Str(s.Series), eval.Str(s.What), eval.Str(s.ID), s.Date, s.Was,
		eval.Str(s.Note)}
}

// isUndone reports whether what the plan says isn't there after all.
func (s *Step) isUndone() bool {
	return slices.Contains([]string{resultEdited, resultConflict, resultForeign, resultFailed}, s.Result)
}

// storedObject is a resource that was read.
type storedObject struct {
	*ical.Object
	caldav.Resource
}

// Decision is what becomes of all events.
type Decision struct {
	Steps     []*Step
	Unchanged int
	Unread    int // resources that can't be read, and are left alone
}

// resultOrder are all results, in the order in which they are counted.
var resultOrder = []string{resultAdded, resultMoved, resultChanged, resultGone, resultEdited, resultConflict, resultForeign, resultFailed}

// String counts what became of the events.
func (d *Decision) String() string {
	count := map[string]int{}
	for _, s := range d.Steps {
		count[s.Result]++
	}
	var said []string
	for _, result := range resultOrder {
		if n := count[result]; n > 0 {
			said = append(said, fmt.Sprintf("%d %s", n, result))
		}
	}
	return strings.Join(append(said, fmt.Sprintf("%d unchanged.", d.Unchanged)), ", ")
}

// Undone counts the events that aren't there as the plan says.
func (d *Decision) Undone() (n int) {
	for _, s := range d.Steps {
		if s.isUndone() {
			n++
		}
	}
	return n
}

// Failure is what the first step that failed says; nil for none.
func (d *Decision) Failure() error {
	for _, s := range d.Steps {
		if s.Result == resultFailed {
			return errors.New(s.Note)
		}
	}
	return nil
}

// decide compares a plan with what is on the server.
func decide(w Desired, there []caldav.Resource) (*Decision, error) {
	d := &Decision{}
	byUID := map[string]*storedObject{}
	var order []*storedObject
	for _, r := range there {
		o, err := ical.ReadObject(r.Data)
		if err != nil {
			d.Unread++
			continue
		}
		if byUID[o.UID] == nil {
			byUID[o.UID] = &storedObject{o, r}
			order = append(order, byUID[o.UID])
		}
	}
	wanted := map[string]bool{}
	for _, e := range w.Events {
		e.UID = ical.ShortUID(e.UID)
		wanted[e.UID] = true
		if err := d.decideEvent(w, e, byUID[e.UID]); err != nil {
			return nil, err
		}
	}
	for _, h := range order {
		series, _, _ := ical.SplitUID(h.UID)
		if wanted[h.UID] || h.Plan != w.Plan || h.WrittenHash == "" || w.Excludes(series) || !w.Covers(h.UID, h.Start, h.Start.Day) {
			continue
		}
		if e, ok := w.FindMoved(h.UID); ok {
			if err := d.decideEvent(w, e, h); err != nil {
				return nil, err
			}
			continue
		}
		if h.Start.Day >= w.Today {
			d.decideRemoved(w, h)
		}
	}
	slices.SortStableFunc(d.Steps, func(a, b *Step) int {
		day := func(s *Step) civil.Date {
			if s.Date.Kind == eval.Blank {
				return s.Was.Day
			}
			return s.Date.Day
		}
		return cmp.Compare(day(a), day(b))
	})
	return d, nil
}

// decideEvent decides about an event that the plan has.
func (d *Decision) decideEvent(w Desired, e schedule.Event, h *storedObject) error {
	step := &Step{Series: e.Series, What: e.What, ID: e.ID, Date: e.At}
	var old *ical.Object
	if h != nil {
		old = h.Object
	}
	made, data, err := w.Calendar.Object(e, w.Plan, old)
	if err != nil {
		return err
	}
	step.object = made
	write := func(result, note string) {
		if h != nil && h.ETag == "" {
			step.Result, step.Note = resultFailed, noETagNote
			return
		}
		step.Result, step.Note, step.action = result, note, actPut
		step.resource.Data = data
	}
	if h == nil {
		write(resultAdded, "")
		step.resource.Name = ical.ResourceName(e.UID)
		d.Steps = append(d.Steps, step)
		return nil
	}
	step.resource = h.Resource
	change := func(note string) {
		result := resultChanged
		if day := h.Start; !day.SameTime(e.At) {
			result, step.Was = resultMoved, day
		}
		if h.IsAtLimit() {
			note += "; its SEQUENCE can't rise, so calendar programs may not take the change"
		}
		write(result, note)
	}
	differs := propertyList(h.Differs(made))
	switch mine := h.Plan == w.Plan && h.WrittenHash != ""; {
	case mine && h.Hash == made.WrittenHash: // whoever made it so
		d.Unchanged++
		return nil
	case !mine && !w.Adopt:
		step.Result, step.Note = resultForeign, "not from this plan; --adopt takes it over"
		if h.Plan != "" && h.Plan != w.Plan {
			step.Note = "from the plan " + h.Plan
		}
	case !mine:
		change(joinNotes("adopted", differs))
	case h.Hash == h.WrittenHash:
		change(differs)
	case w.Overwrite:
		change(joinNotes("changed by hand, overwritten", differs))
	case h.WrittenHash == made.WrittenHash:
		step.Result, step.Note = resultEdited, joinNotes("changed by hand, left alone", differs)
	default:
		step.Result, step.Note = resultConflict, joinNotes("changed by hand and in the plan", differs)
	}
	if step.action == actKeep && !h.Start.SameTime(e.At) {
		step.Was = h.Start
	}
	d.Steps = append(d.Steps, step)
	return nil
}

// propertyWords are what people call properties; others go by their own name.
var propertyWords = map[string]string{"DTSTART": "date", "DUE": "date", "DTEND": "length", "DURATION": "length",
	"SUMMARY": "summary", "DESCRIPTION": "description",
	"LOCATION": "location", "CATEGORIES": "categories", "TRANSP": "busy or free", "STATUS": "status",
	"CONTACT": "owner", "CLASS": "privacy", "VALARM": "reminders", "RECURRENCE-ID": "an instance",
	"KIND": "event or to-do"}

// propertyList lists properties.
func propertyList(names []string) string {
	var list []string
	for _, name := range names {
		word := propertyWords[name]
		if word == "" {
			word = strings.ToLower(name)
		}
		if !slices.Contains(list, word) {
			list = append(list, word)
		}
	}
	slices.Sort(list)
	return strings.Join(list, ", ")
}

func joinNotes(text, differs string) string {
	if differs == "" {
		return text
	}
	return text + ": " + differs
}

// noETagNote is why a resource isn't changed that nobody can tell to be as it was.
const noETagNote = "the server sent no ETag for it, so a change could overwrite somebody else's; left alone"

// decideRemoved decides about an event that the plan no longer has.
func (d *Decision) decideRemoved(w Desired, h *storedObject) {
	step := &Step{Was: h.Start, resource: h.Resource}
	step.Series, step.What, step.ID = ical.SplitUID(h.UID)
	switch {
	case h.ETag == "" && (h.Hash == h.WrittenHash || w.Overwrite):
		step.Result, step.Note = resultFailed, noETagNote
	case h.Hash == h.WrittenHash:
		step.Result, step.action = resultGone, actDelete
	case w.Overwrite:
		step.Result, step.action, step.Note = resultGone, actDelete, "changed by hand, removed"
	default:
		step.Result, step.Note = resultConflict, "changed by hand and no longer in the plan"
	}
	d.Steps = append(d.Steps, step)
}
