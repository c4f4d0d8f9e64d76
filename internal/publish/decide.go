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

// Wanted is what a plan wants on the server.
type Wanted struct {
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
	Added    = "added"
	Moved    = "moved"
	Changed  = "changed"
	Gone     = "gone"
	Edited   = "edited"   // by a person, left alone
	Conflict = "conflict" // both changed
	Foreign  = "foreign"  // the UID is there, and not the plan's
	Failed   = "failed"
)

// Columns are those of the answer.
var Columns = []string{"result", "series", "what", "id", "date", "was", "note"}

// Step is what becomes of one event.
type Step struct {
	Result, Series, What, ID string
	Date, Was                eval.Value
	Note                     string

	act  act
	res  caldav.Resource // to write or take away
	made *ical.Object
}

type act uint8

const (
	leave act = iota
	put
	remove
)

// Cells are the cells of Columns.
func (s *Step) Cells() []eval.Value {
	return []eval.Value{eval.Str(s.Result), eval.Str(s.Series), eval.Str(s.What), eval.Str(s.ID), s.Date, s.Was,
		eval.Str(s.Note)}
}

// left reports whether what the plan says isn't there after all.
func (s *Step) left() bool {
	return slices.Contains([]string{Edited, Conflict, Foreign, Failed}, s.Result)
}

// kept is a resource that was read.
type kept struct {
	*ical.Object
	caldav.Resource
}

// Decision is what becomes of all events.
type Decision struct {
	Steps     []*Step
	Unchanged int
	Unread    int // resources that can't be read, and are left alone
}

// results are all results, in the order in which they are counted.
var results = []string{Added, Moved, Changed, Gone, Edited, Conflict, Foreign, Failed}

// String counts what became of the events.
func (d *Decision) String() string {
	count := map[string]int{}
	for _, s := range d.Steps {
		count[s.Result]++
	}
	var said []string
	for _, result := range results {
		if n := count[result]; n > 0 {
			said = append(said, fmt.Sprintf("%d %s", n, result))
		}
	}
	return strings.Join(append(said, fmt.Sprintf("%d unchanged.", d.Unchanged)), ", ")
}

// Left counts the events that aren't there as the plan says.
func (d *Decision) Left() (n int) {
	for _, s := range d.Steps {
		if s.left() {
			n++
		}
	}
	return n
}

// Failure is what the first step that failed says; nil for none.
func (d *Decision) Failure() error {
	for _, s := range d.Steps {
		if s.Result == Failed {
			return errors.New(s.Note)
		}
	}
	return nil
}

// Decide compares a plan with what is on the server.
func Decide(w Wanted, there []caldav.Resource) (*Decision, error) {
	d := &Decision{}
	byUID := map[string]*kept{}
	var order []*kept
	for _, r := range there {
		o, err := ical.ReadObject(r.Data)
		if err != nil {
			d.Unread++
			continue
		}
		if byUID[o.UID] == nil {
			byUID[o.UID] = &kept{o, r}
			order = append(order, byUID[o.UID])
		}
	}
	wanted := map[string]bool{}
	for _, e := range w.Events {
		e.UID = ical.ShortUID(e.UID)
		wanted[e.UID] = true
		if err := d.event(w, e, byUID[e.UID]); err != nil {
			return nil, err
		}
	}
	for _, h := range order {
		series, _, _ := ical.Identity(h.UID)
		if wanted[h.UID] || h.Plan != w.Plan || h.Mark == "" || w.Leaves(series) || !w.Covers(h.UID, h.At, h.At.Day) {
			continue
		}
		if e, ok := w.Moved(h.UID); ok {
			if err := d.event(w, e, h); err != nil {
				return nil, err
			}
			continue
		}
		if h.At.Day >= w.Today {
			d.vanished(w, h)
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

// event decides about an event that the plan has.
func (d *Decision) event(w Wanted, e schedule.Event, h *kept) error {
	step := &Step{Series: e.Series, What: e.What, ID: e.ID, Date: e.At}
	var old *ical.Object
	if h != nil {
		old = h.Object
	}
	made, data, err := w.Calendar.Object(e, w.Plan, old)
	if err != nil {
		return err
	}
	step.made = made
	write := func(result, note string) {
		if h != nil && h.ETag == "" {
			step.Result, step.Note = Failed, noETag
			return
		}
		step.Result, step.Note, step.act = result, note, put
		step.res.Data = data
	}
	if h == nil {
		write(Added, "")
		step.res.Name = ical.ResourceName(e.UID)
		d.Steps = append(d.Steps, step)
		return nil
	}
	step.res = h.Resource
	change := func(note string) {
		result := Changed
		if day := h.At; !day.SameTime(e.At) {
			result, step.Was = Moved, day
		}
		write(result, note)
	}
	differs := inWords(h.Differs(made))
	switch mine := h.Plan == w.Plan && h.Mark != ""; {
	case mine && h.Hash == made.Mark: // whoever made it so
		d.Unchanged++
		return nil
	case !mine && !w.Adopt:
		step.Result, step.Note = Foreign, "not from this plan; --adopt takes it over"
		if h.Plan != "" && h.Plan != w.Plan {
			step.Note = "from the plan " + h.Plan
		}
	case !mine:
		change(note("adopted", differs))
	case h.Hash == h.Mark:
		change(differs)
	case w.Overwrite:
		change(note("changed by hand, overwritten", differs))
	case h.Mark == made.Mark:
		step.Result, step.Note = Edited, note("changed by hand, left alone", differs)
	default:
		step.Result, step.Note = Conflict, note("changed by hand and in the plan", differs)
	}
	if step.act == leave && !h.At.SameTime(e.At) {
		step.Was = h.At
	}
	d.Steps = append(d.Steps, step)
	return nil
}

// words are what people call properties; others go by their own name.
var words = map[string]string{"DTSTART": "date", "DUE": "date", "DTEND": "length", "DURATION": "length",
	"SUMMARY": "summary", "DESCRIPTION": "description",
	"LOCATION": "location", "CATEGORIES": "categories", "TRANSP": "busy or free", "STATUS": "status",
	"CONTACT": "owner", "CLASS": "privacy", "VALARM": "reminders", "RECURRENCE-ID": "an instance",
	"KIND": "event or to-do"}

// inWords lists properties.
func inWords(names []string) string {
	var list []string
	for _, name := range names {
		word := words[name]
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

func note(text, differs string) string {
	if differs == "" {
		return text
	}
	return text + ": " + differs
}

// noETag is why a resource isn't changed that nobody can tell to be as it was.
const noETag = "the server sent no ETag for it, so a change could overwrite somebody else's; left alone"

// vanished decides about an event that the plan no longer has.
func (d *Decision) vanished(w Wanted, h *kept) {
	step := &Step{Was: h.At, res: h.Resource}
	step.Series, step.What, step.ID = ical.Identity(h.UID)
	switch {
	case h.ETag == "" && (h.Hash == h.Mark || w.Overwrite):
		step.Result, step.Note = Failed, noETag
	case h.Hash == h.Mark:
		step.Result, step.act = Gone, remove
	case w.Overwrite:
		step.Result, step.act, step.Note = Gone, remove, "changed by hand, removed"
	default:
		step.Result, step.Note = Conflict, "changed by hand and no longer in the plan"
	}
	d.Steps = append(d.Steps, step)
}
