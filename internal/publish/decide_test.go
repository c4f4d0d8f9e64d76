package publish

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"

	"yoyaku/internal/caldav"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
)

// event is that of a day of April 2027, by the plan's name for it.
func event(id string, day int, summary string) schedule.Event {
	first, _ := civil.NewDate(2027, 4, 1)
	e := schedule.Event{Series: "pay", What: "date", ID: id, Summary: summary, At: eval.Day(first + civil.Date(day-1))}
	e.UID = schedule.UID(e, "plan")
	return e
}

// there is an event as a plan put it on a server, changed by old and new.
func there(t *testing.T, e schedule.Event, plan, etag, old, new string) caldav.Resource {
	t.Helper()
	_, data, err := ical.Calendar{}.Object(e, plan, nil)
	if err != nil {
		t.Fatal(err)
	}
	if old != "" && !strings.Contains(data, old) {
		t.Fatalf("%q isn't in %s", old, data)
	}
	return caldav.Resource{Name: ical.ResourceName(e.UID), ETag: etag, Data: strings.Replace(data, old, new, 1)}
}

// TestDecide is what becomes of one event: wanted or not, as it is there, and by whom.
func TestDecide(t *testing.T) {
	e := event("1", 10, "Pay")
	const hand, by = "SUMMARY:Pay", "SUMMARY:Mine"
	for _, c := range []struct {
		what             string
		wanted           []schedule.Event
		there            []caldav.Resource
		overwrite, adopt bool
		today            int
		want             string // result, note and days of each
		left, unchanged  int
	}{
		{what: "new", wanted: []schedule.Event{e}, want: "added: 2027-04-10 "},
		{what: "as it is", wanted: []schedule.Event{e}, there: []caldav.Resource{there(t, e, "plan", "1", "", "")}, unchanged: 1},
		{what: "another title", wanted: []schedule.Event{event("1", 10, "Pay day")}, there: []caldav.Resource{there(t, e, "plan", "1", "", "")}, want: "changed: summary 2027-04-10 "},
		{what: "another day", wanted: []schedule.Event{event("1", 12, "Pay")}, there: []caldav.Resource{there(t, e, "plan", "1", "", "")}, want: "moved: date 2027-04-12 2027-04-10"},
		{what: "the largest SEQUENCE", wanted: []schedule.Event{event("1", 12, "Pay")}, there: []caldav.Resource{there(t, e, "plan", "1", "SEQUENCE:0", "SEQUENCE:2147483647")}, want: "moved: date; its SEQUENCE can't rise, so calendar programs may not take the change 2027-04-12 2027-04-10"},
		{what: "by hand", wanted: []schedule.Event{e}, there: []caldav.Resource{there(t, e, "plan", "1", hand, by)}, want: "edited: changed by hand, left alone: summary 2027-04-10 ", left: 1},
		{what: "by hand, taken back", wanted: []schedule.Event{e}, there: []caldav.Resource{there(t, e, "plan", "1", hand, by)}, overwrite: true, want: "changed: changed by hand, overwritten: summary 2027-04-10 "},
		{what: "by both", wanted: []schedule.Event{event("1", 12, "Pay")}, there: []caldav.Resource{there(t, e, "plan", "1", hand, by)}, want: "conflict: changed by hand and in the plan: date, summary 2027-04-12 2027-04-10", left: 1},
		{what: "by both, taken back", wanted: []schedule.Event{event("1", 12, "Pay")}, there: []caldav.Resource{there(t, e, "plan", "1", hand, by)}, overwrite: true, want: "moved: changed by hand, overwritten: date, summary 2027-04-12 2027-04-10"},
		{what: "of another plan", wanted: []schedule.Event{e}, there: []caldav.Resource{there(t, e, "other", "1", "", "")}, want: "foreign: from the plan other 2027-04-10 ", left: 1},
		{what: "without a mark", wanted: []schedule.Event{event("1", 12, "Pay")}, there: []caldav.Resource{there(t, e, "plan", "1", "X-YOYAKU-HASH", "X-OLD")}, want: "foreign: not from this plan; --adopt takes it over 2027-04-12 2027-04-10", left: 1},
		{what: "adopted", wanted: []schedule.Event{event("1", 12, "Pay")}, there: []caldav.Resource{there(t, e, "plan", "1", "X-YOYAKU-HASH", "X-OLD")}, adopt: true, want: "moved: adopted: date 2027-04-12 2027-04-10"},
		{what: "gone", there: []caldav.Resource{there(t, e, "plan", "1", "", "")}, want: "gone:   2027-04-10"},
		{what: "gone, by hand", there: []caldav.Resource{there(t, e, "plan", "1", hand, by)}, want: "conflict: changed by hand and no longer in the plan  2027-04-10", left: 1},
		{what: "gone, by hand, taken back", there: []caldav.Resource{there(t, e, "plan", "1", hand, by)}, overwrite: true, want: "gone: changed by hand, removed  2027-04-10"},
		{what: "gone before today", there: []caldav.Resource{there(t, e, "plan", "1", "", "")}, today: 11},
		{what: "gone today", there: []caldav.Resource{there(t, e, "plan", "1", "", "")}, today: 10, want: "gone:   2027-04-10"},
		{what: "gone beyond the window", there: []caldav.Resource{there(t, event("9", 31, "Pay"), "plan", "1", "", "")}},
		{what: "gone of another", there: []caldav.Resource{there(t, e, "other", "1", "", "")}},
		{what: "gone without a mark", there: []caldav.Resource{there(t, e, "plan", "1", "X-YOYAKU-HASH", "X-OLD")}},
		{what: "no ETag, changed", wanted: []schedule.Event{event("1", 10, "Day")}, there: []caldav.Resource{there(t, e, "plan", "", "", "")}, want: "failed: " + noETagNote + " 2027-04-10 ", left: 1},
		{what: "no ETag, gone", there: []caldav.Resource{there(t, e, "plan", "", "", "")}, want: "failed: " + noETagNote + "  2027-04-10", left: 1},
		{what: "no ETag, gone, by hand", there: []caldav.Resource{there(t, e, "plan", "", hand, by)}, want: "conflict: changed by hand and no longer in the plan  2027-04-10", left: 1},
		{what: "no ETag, gone, by hand, taken back", there: []caldav.Resource{there(t, e, "plan", "", hand, by)}, overwrite: true, want: "failed: " + noETagNote + "  2027-04-10", left: 1},
		{what: "by date, the gone ones by where they were", wanted: []schedule.Event{event("2", 20, "Pay"), event("3", 5, "Pay")}, there: []caldav.Resource{there(t, e, "plan", "1", "", "")},
			want: "added: 2027-04-05 |gone:   2027-04-10|added: 2027-04-20 "},
	} {
		first, _ := civil.NewDate(2027, 4, 1)
		w := Desired{Plan: "plan", Events: c.wanted, Today: first + civil.Date(c.today-1), Overwrite: c.overwrite, Adopt: c.adopt, Scope: ical.Scope{Window: civil.Span{First: first, Last: first + 29}}}
		d, err := decide(w, append(c.there, caldav.Resource{Name: "x", Data: "nothing"}))
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, s := range d.Steps {
			cells := s.Cells()
			note := cells[6].String()
			if note != "" {
				note += " "
			}
			got = append(got, fmt.Sprintf("%s: %s%s %s", cells[0], note, cells[4], cells[5]))
		}
		if strings.ReplaceAll(strings.Join(got, "|"), "gone:  ", "gone:   ") != c.want || d.Undone() != c.left || d.Unchanged != c.unchanged || d.Unread != 1 || (d.Failure() != nil) != strings.HasPrefix(c.want, "failed") {
			t.Errorf("%s: %q, %d left, %d unchanged, %d unread; want %q", c.what, strings.Join(got, "|"), d.Undone(), d.Unchanged, d.Unread, c.want)
		}
	}
	d := &Decision{Unchanged: 3, Steps: []*Step{{Result: resultGone}, {Result: resultAdded}, {Result: resultAdded}, {Result: resultFailed}}}
	if d.String() != "2 added, 1 gone, 1 failed, 3 unchanged." {
		t.Errorf("counted: %s", d)
	}
}

// answering is a store that answers as told; now is what is there.
type answering struct {
	put, del, get error
	now           string
}

func (a *answering) Put(context.Context, caldav.Resource) error    { return a.put }
func (a *answering) Delete(context.Context, caldav.Resource) error { return a.del }
func (a *answering) Get(_ context.Context, r caldav.Resource) (caldav.Resource, error) {
	r.Data = a.now
	return r, a.get
}

// TestApply is what a step comes to, by what the server answers.
func TestApply(t *testing.T) {
	status := func(code int, condition string) error { return &caldav.StatusError{Code: code, Condition: condition} }
	e, later := event("1", 10, "Pay"), event("1", 12, "Pay")
	mine, other := there(t, later, "plan", "2", "", "").Data, there(t, e, "plan", "2", "SUMMARY:Pay", "SUMMARY:Mine").Data
	first, _ := civil.NewDate(2027, 4, 1)
	for _, c := range []struct {
		what   string
		wanted []schedule.Event
		there  []caldav.Resource
		store  answering
		want   string // result and note
		fails  bool
	}{
		{"put", []schedule.Event{later}, nil, answering{}, "added ", false},
		{"put, seemed to fail", []schedule.Event{later}, nil, answering{put: status(412, ""), now: mine}, "added ", false},
		{"put, taken meanwhile", []schedule.Event{later}, nil, answering{put: status(412, ""), now: other}, "foreign something else is in its place: ", false},
		{"put, changed meanwhile", []schedule.Event{later}, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{put: status(412, ""), now: other}, "conflict changed on the server in the meantime", false},
		{"put, gone meanwhile", []schedule.Event{later}, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{put: status(412, ""), get: status(404, "")}, "conflict changed on the server in the meantime", false},
		{"put, and not to be read", []schedule.Event{later}, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{put: status(412, ""), get: status(500, "")}, "failed the server answered", false},
		{"put, UID of another", []schedule.Event{later}, nil, answering{put: status(409, "")}, "foreign the server has its UID under another name", false},
		{"put, full", []schedule.Event{later}, nil, answering{put: status(507, "")}, "failed the server answered", false},
		{"put, denied", []schedule.Event{later}, nil, answering{put: status(401, "")}, "failed the server rejected the user name or password", true},
		{"deleted", nil, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{}, "gone ", false},
		{"deleted, gone already", nil, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{del: status(404, "")}, "gone ", false},
		{"deleted, gone meanwhile", nil, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{del: status(412, ""), get: status(410, "")}, "gone ", false},
		{"deleted, changed meanwhile", nil, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{del: status(412, ""), now: other}, "conflict changed on the server in the meantime", false},
		{"deleted, refused", nil, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{del: status(500, "")}, "failed the server answered", false},
		{"deleted, out of reach", nil, []caldav.Resource{there(t, e, "plan", "1", "", "")}, answering{del: errors.New("broken pipe")}, "failed broken pipe", true},
	} {
		d, err := decide(Desired{Plan: "plan", Events: c.wanted, Today: first, Scope: ical.Scope{Window: civil.Span{First: first, Last: first + 29}}}, c.there)
		if err != nil || len(d.Steps) != 1 {
			t.Fatalf("%s: %v %v", c.what, err, d)
		}
		var done atomic.Int64
		err = d.Apply(context.Background(), &c.store, 2, &done)
		if got := d.Steps[0].Result + " " + d.Steps[0].Note; !strings.HasPrefix(got, c.want) || c.want == strings.Fields(c.want)[0]+" " && got != c.want || (err != nil) != c.fails || done.Load() != 1 {
			t.Errorf("%s: %q %v, %d done; want %q", c.what, got, err, done.Load(), c.want)
		}
	}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	d, _ := decide(Desired{Plan: "plan", Events: []schedule.Event{e}, Scope: ical.Scope{Window: civil.AllDays}}, nil)
	if err := d.Apply(ctx, &answering{}, 1, nil); !errors.Is(err, context.Canceled) || d.Steps[0].Result != resultFailed || d.Steps[0].Note != "not done" {
		t.Errorf("interrupted: %v %v", err, d.Steps[0])
	}
}
