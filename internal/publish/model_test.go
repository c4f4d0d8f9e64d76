package publish

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"

	"yoyaku/internal/caldav"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
)

// server is a collection in memory, with ETags and their conditions.
type server struct {
	sync.Mutex
	data   map[string]string
	etag   map[string]int
	count  int
	writes int
	// before is called once ahead of the next write: somebody else is quicker.
	before func()
}

func (s *server) list() (all []caldav.Resource) {
	for _, name := range slices.Sorted(maps.Keys(s.data)) {
		all = append(all, caldav.Resource{Name: name, ETag: fmt.Sprint(s.etag[name]), Data: s.data[name]})
	}
	return all
}

func (s *server) set(name, data string) {
	s.count++
	s.data[name], s.etag[name] = data, s.count
}

func (s *server) Get(_ context.Context, r caldav.Resource) (caldav.Resource, error) {
	s.Lock()
	defer s.Unlock()
	if s.data[r.Name] == "" {
		return r, &caldav.StatusError{Code: 404}
	}
	return caldav.Resource{Name: r.Name, ETag: fmt.Sprint(s.etag[r.Name]), Data: s.data[r.Name]}, nil
}

func (s *server) allows(r caldav.Resource) error {
	s.writes++
	if s.before != nil {
		s.before()
		s.before = nil
	}
	there := s.data[r.Name] != ""
	if r.ETag == "" && there || r.ETag != "" && (!there || r.ETag != fmt.Sprint(s.etag[r.Name])) {
		return &caldav.StatusError{Code: 412}
	}
	return nil
}

func (s *server) Put(_ context.Context, r caldav.Resource) error {
	s.Lock()
	defer s.Unlock()
	err := s.allows(r)
	if err == nil {
		s.set(r.Name, r.Data)
	}
	return err
}

func (s *server) Delete(_ context.Context, r caldav.Resource) error {
	s.Lock()
	defer s.Unlock()
	err := s.allows(r)
	if err == nil {
		delete(s.data, r.Name)
	}
	return err
}

// edits are what people do to an event by hand: the line that they put in, or take the
// place of.
var edits = []struct{ old, new string }{
	{"SUMMARY:", "SUMMARY:Mine now\r\nX-OLD:"},
	{"SEQUENCE:0", "SEQUENCE:0\r\nLOCATION:Quay 4"},
	{"TRANSP:TRANSPARENT", "TRANSP:OPAQUE"},
	{"CATEGORIES:", "CATEGORIES:private\r\nX-OLD:"},
	{"SUMMARY:", "ATTENDEE:mailto:a@skerry.example\r\nSUMMARY:"},
	{"SUMMARY:", "STATUS:CANCELLED\r\nSUMMARY:"},
	{"END:VEVENT", "BEGIN:VALARM\r\nACTION:DISPLAY\r\nDESCRIPTION:x\r\nTRIGGER:-PT5M\r\nEND:VALARM\r\nEND:VEVENT"},
	{"DTSTART", "DURATION:PT3H\r\nDTSTART"},
	{"DTSTART;VALUE=DATE:2027", "DTSTART;VALUE=DATE:2028"},
	{"DUE;VALUE=DATE:2027", "DUE;VALUE=DATE:2028"},
}

// touches are what servers and programs do, which is no edit.
var touches = []struct{ old, new string }{
	{"SUMMARY:", "SUMM\r\n ARY:"},
	{"BEGIN:VEVENT\r\n", "BEGIN:VEVENT\r\nCREATED:20270101T000000Z\r\nX-SERVER:yes\r\n"},
	{"SEQUENCE:0", "SEQUENCE:7\r\nLAST-MODIFIED:20270102T000000Z"},
	{"STATUS:NEEDS-ACTION", "STATUS:COMPLETED\r\nCOMPLETED:20270103T100000Z\r\nPERCENT-COMPLETE:100"},
	{"TRIGGER:-P1D", "ACKNOWLEDGED:20270101T000000Z\r\nTRIGGER:-PT24H"},
	{"DTSTART;VALUE=DATE:", "dtstart;value=\"DATE\":"},
	{"END:VEVENT", "BEGIN:VALARM\r\nACTION:DISPLAY\r\nRELATED-TO;RELTYPE=SNOOZE:x\r\nTRIGGER:-PT5M\r\nEND:VALARM\r\nEND:VEVENT"},
}

const stranger = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:%s\r\nDTSTART:20270405T100000Z\r\nSUMMARY:Dentist\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"

// Random sequences of changes of the plan and on the server: no hand edit is lost, no
// stranger touched, everything else is as the plan says, and the same again writes
// nothing.
func TestPublish_nothingIsLost(t *testing.T) {
	rounds := 1000
	if testing.Short() {
		rounds = 50
	}
	first, _ := civil.NewDate(2027, 1, 1)
	day, _ := schedule.ParseReminder("1 day before")
	for seed := range uint64(rounds) {
		r := rand.New(rand.NewPCG(seed, 4791))
		s := &server{data: map[string]string{}, etag: map[string]int{}}
		all := map[string]schedule.Event{}
		edited, theirs, completed := map[string]string{}, map[string]string{}, map[string]bool{}
		draw := func(id int) {
			e := schedule.Event{Series: fmt.Sprint("s", id%3), What: "date", ID: fmt.Sprintf("2027-%02d", id), Summary: []string{"Pay", "Drill", "Close, soon"}[r.IntN(3)],
				Category: "c", At: eval.Day(first + civil.Date(r.IntN(120))), Todo: id%4 == 3}
			e.UID = schedule.UID(e, "plan")
			if r.IntN(3) == 0 {
				e.Reminders = []schedule.Reminder{day}
			}
			all[e.UID] = e
		}
		for id := range 8 {
			draw(id)
		}
		for step := range 6 {
			today := first + civil.Date(step*15)
			window := civil.Span{First: first, Last: first + 99}
			left := ""
			if r.IntN(5) == 0 {
				left = fmt.Sprint("s", r.IntN(3))
			}
			w := Desired{Plan: "plan", Calendar: ical.Calendar{DTSTAMP: today}, Today: today, Overwrite: r.IntN(8) == 0, Adopt: r.IntN(8) == 0,
				Scope: ical.Scope{Window: window, IsExcluded: func(series string) bool { return series == left },
					FindOutside: func(uid string) (schedule.Event, bool) { e, ok := all[uid]; return e, ok && !window.Contains(e.At.Day) }}}
			for _, uid := range slices.Sorted(maps.Keys(all)) {
				if e := all[uid]; window.Contains(e.At.Day) && e.Series != left {
					w.Events = append(w.Events, e)
				}
			}
			before := maps.Clone(s.data)
			d, err := decide(w, s.list())
			if err != nil {
				t.Fatal(err)
			}
			raced := ""
			if r.IntN(3) == 0 { // somebody is quicker than the first write
				for _, p := range d.Steps {
					if p.action != actKeep && p.resource.ETag != "" {
						raced = p.resource.Name
						s.before = func() { s.set(raced, strings.Replace(s.data[raced], "UID:", "COMMENT:quick\r\nUID:", 1)) }
						break
					}
				}
			}
			if err := d.Apply(context.Background(), s, 1+r.IntN(4), nil); err != nil {
				t.Fatal(err)
			}
			quick := raced != "" && s.before == nil
			s.before = nil
			told := map[string]*Step{}
			for _, p := range d.Steps {
				told[schedule.UID(schedule.Event{Series: p.Series, What: p.What, ID: p.ID}, "plan")] = p
			}
			fail := func(format string, args ...any) {
				t.Helper()
				t.Fatalf("seed %d, step %d, overwrite %t, adopt %t: %s", seed, step, w.Overwrite, w.Adopt, fmt.Sprintf(format, args...))
			}
			for name, data := range theirs {
				if s.data[name] != data {
					fail("a stranger's event was touched: %s", s.data[name])
				}
			}
			if quick && !strings.Contains(s.data[raced], "COMMENT:quick") {
				fail("what somebody else changed meanwhile is lost: %q", s.data[raced])
			}
			for _, p := range d.Steps {
				was, _ := ical.ReadObject(before[p.resource.Name])
				switch {
				case p.Result == resultFailed, quick && p.resource.Name == raced && p.Result != resultConflict:
					fail("%s ends as %s: %s", p.resource.Name, p.Result, p.Note)
				case p.object != nil && was != nil && was.Plan == "plan" && p.action == actKeep && (p.Result == resultEdited) != (was.WrittenHash == p.object.Hash):
					fail("%s is %s, although the plan's part is from %s to %s", p.resource.Name, p.Result, was.WrittenHash, p.object.Hash)
				}
			}
			for uid, data := range edited {
				name := ical.ResourceName(uid)
				e, planned := all[uid]
				if name == raced {
					delete(edited, uid)
					continue
				}
				lost := s.data[name] != data
				wanted := planned && e.Series != left && (window.Contains(e.At.Day) || strings.Contains(data, "DTSTART;VALUE=DATE:2027") || strings.Contains(data, "DUE;VALUE=DATE:2027"))
				switch {
				case lost && !w.Overwrite && !w.Adopt:
					fail("a hand edit of %s is lost:\n%s\nnow\n%s", uid, data, s.data[name])
				case lost:
					delete(edited, uid)
				case wanted && window.Contains(e.At.Day) && !w.Adopt && !w.Overwrite && told[uid] == nil:
					if o, _ := ical.ReadObject(data); o.Hash != made(t, w, e).Hash {
						fail("nothing is told of the edit of %s", uid)
					}
				}
			}
			for _, e := range w.Events {
				name := ical.ResourceName(e.UID)
				o, err := ical.ReadObject(s.data[name])
				p := told[e.UID]
				switch {
				case p != nil && p.isUndone():
				case name == raced && strings.Contains(s.data[name], "COMMENT:quick"):
					fail("%s was changed meanwhile, and that isn't told: %v", e.UID, p)
				case err != nil || o.Hash != made(t, w, e).Hash || o.Plan != "plan" || o.WrittenHash != o.Hash && o.Hash != made(t, w, e).WrittenHash:
					fail("%s isn't as the plan says (%v): %s", e.UID, p, s.data[name])
				case completed[e.UID] && !strings.Contains(s.data[name], "PERCENT-COMPLETE:100") && before[name] != "" && strings.Contains(before[name], "PERCENT-COMPLETE:100"):
					fail("%s is no longer completed", e.UID)
				}
			}
			for name, data := range before { // what went
				o, err := ical.ReadObject(data)
				if _, still := s.data[name]; still || err != nil || name == raced {
					continue
				}
				series, _, _ := ical.SplitUID(o.UID)
				if _, planned := all[o.UID]; planned || series == left || o.Plan != "plan" || o.Start.Day < today || !window.Contains(o.Start.Day) {
					fail("%s was taken away", o.UID)
				}
			}
			s.writes = 0
			w.Overwrite, w.Adopt = false, false
			again, err := decide(w, s.list())
			if err != nil {
				t.Fatal(err)
			}
			for _, p := range again.Steps {
				if p.action != actKeep && (raced == "" || p.resource.Name != raced) {
					fail("the same again isn't as it was: %+v", p)
				}
			}
			for id := range 8 { // the plan changes
				uid := fmt.Sprintf("s%d.2027-%02d@plan", id%3, id)
				if r.IntN(8) == 0 {
					delete(all, uid)
				} else if r.IntN(6) == 0 {
					draw(id)
				}
			}
			for _, name := range slices.Sorted(maps.Keys(s.data)) { // so do people and servers
				o, err := ical.ReadObject(s.data[name])
				if err != nil || theirs[name] != "" {
					continue
				}
				switch k := r.IntN(12); {
				case k == 0:
					e := edits[r.IntN(len(edits))]
					if data := strings.Replace(s.data[name], e.old, e.new, 1); data != s.data[name] {
						s.set(name, data)
						if now, err := ical.ReadObject(data); err == nil && now.Hash != now.WrittenHash {
							edited[o.UID] = data
						}
					}
				case k <= 2 && edited[o.UID] == "":
					e := touches[r.IntN(len(touches))]
					s.set(name, strings.Replace(s.data[name], e.old, e.new, 1))
					completed[o.UID] = strings.Contains(s.data[name], "PERCENT-COMPLETE:100")
					if now, err := ical.ReadObject(s.data[name]); err != nil || now.Hash != o.Hash {
						fail("%v makes it an edit (%v)", e, err)
					}
				case k == 3 && r.IntN(4) == 0:
					delete(s.data, name)
					delete(edited, o.UID)
				case k == 4 && r.IntN(4) == 0: // it loses its mark
					s.set(name, strings.ReplaceAll(s.data[name], "X-YOYAKU-", "X-LOST-"))
					edited[o.UID] = s.data[name]
				}
			}
			if r.IntN(3) == 0 {
				name := fmt.Sprintf("theirs-%d-%d.ics", seed, step)
				s.set(name, fmt.Sprintf(stranger, name))
				theirs[name] = s.data[name]
			}
		}
	}
}

func made(t *testing.T, w Desired, e schedule.Event) *ical.Object {
	t.Helper()
	o, _, err := w.Calendar.Object(e, w.Plan, nil)
	if err != nil {
		t.Fatal(err)
	}
	return o
}

// A server that ends in the middle: what was done stays, the rest is reported, and the
// next time finishes it.
func TestPublishResumes(t *testing.T) {
	first, _ := civil.NewDate(2027, 1, 1)
	w := Desired{Plan: "plan", Scope: ical.Scope{Window: civil.AllDays}}
	for i := range 20 {
		e := schedule.Event{Series: "pay", What: "date", ID: fmt.Sprint(i), Summary: "Pay", At: eval.Day(first + civil.Date(i))}
		e.UID = schedule.UID(e, "plan")
		w.Events = append(w.Events, e)
	}
	for _, ending := range []error{&caldav.StatusError{Code: 401}, errors.New("broken pipe")} {
		s := &failing{server: server{data: map[string]string{}, etag: map[string]int{}}, err: ending, after: 7}
		d, err := decide(w, nil)
		if err != nil {
			t.Fatal(err)
		}
		if err := d.Apply(context.Background(), s, 1, nil); !errors.Is(err, ending) {
			t.Errorf("%v: ended by %v", ending, err)
		}
		failed := 0
		for _, p := range d.Steps {
			if p.Result == resultFailed {
				failed++
			}
		}
		if failed != 13 || len(s.data) != 7 {
			t.Errorf("%v: %d failed, %d there", ending, failed, len(s.data))
		}
		s.after = 1000
		if d, err = decide(w, s.list()); err != nil || len(d.Steps) != 13 || d.Unchanged != 7 {
			t.Errorf("again: %v, %d steps, %d unchanged", err, len(d.Steps), d.Unchanged)
		}
	}
}

type failing struct {
	server
	err   error
	after int
}

func (f *failing) Put(ctx context.Context, r caldav.Resource) error {
	if f.after--; f.after < 0 {
		return f.err
	}
	return f.server.Put(ctx, r)
}
