package office

import (
	"bytes"
	"errors"
	"os"
	"sync"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
)

// earlier are the calendars that are in the places of new ones, by path.
type earlier map[string]func() (*ical.Earlier, error)

// of is the calendar at a path; nil for none.
func (e earlier) of(path string) (*ical.Earlier, error) {
	if read := e[path]; read != nil {
		return read()
	}
	return ical.OpenEarlier(path)
}

// readAhead reads the earlier calendars while the new ones are made.
func (w *Work) readAhead() {
	w.earlier = earlier{}
	for _, out := range w.Plan.Outputs {
		if path := w.path(out); out.Format.Events {
			read := sync.OnceValues(func() (*ical.Earlier, error) { return ical.OpenEarlier(path) })
			w.earlier[path] = read
			go func() { _, _ = read() }()
		}
	}
}

// follow makes a calendar follow the file that is in its place: what is as it was
// stays, what changed is reported so, what is gone is cancelled.
func (m *making) follow(sink *ical.Sink) error {
	before, err := m.earlier.of(m.path(m.out))
	if err != nil || before == nil {
		return err
	}
	scope := m.scopeOf(m.of, m.out.Whole)
	scope.Order = order(m.out)
	asked := scope.Left
	narrowed := len(m.of) < len(m.out.Of)
	scope.Left = func(series string) bool { return asked(series) || narrowed && !has(m.of, series) }
	elsewhere := scope.Elsewhere
	scope.Elsewhere = func(uid string) (schedule.Event, bool) {
		e, ok := elsewhere(uid)
		return m.out.Form.Of(e), ok && m.out.Has(e)
	}
	sink.Follow(&ical.Follow{Earlier: before, Today: m.Plan.Env.Today, Scope: scope})
	return nil
}

// scopeOf says of which schedule the events of series are, and what of it isn't there.
func (w *Work) scopeOf(of []*schedule.Series, whole bool) ical.Scope {
	elsewhere := schedule.Elsewhere(of, w.Span, whole, func(*schedule.Series) string { return w.Plan.ID })
	return ical.Scope{Window: w.Span, Plans: []string{w.Plan.ID},
		Left: func(series string) bool { return w.asked.Keep && w.ledger.lost(series) },
		Elsewhere: func(uid string) (e schedule.Event, ok bool) {
			entry, ok := elsewhere(uid)
			if ok {
				e = w.Plan.Event(entry)
			}
			return e, ok
		},
		Within: func(uid string, at eval.Value) bool { return w.Plan.Within(uid, at, w.Span, whole) }}
}

// has reports whether a series of this very name is among some.
func has(list []*schedule.Series, name string) bool {
	for _, s := range list {
		if s.Name == name {
			return true
		}
	}
	return false
}

// Following says what a calendar follows that answers a question, and where what it cancels
// goes.
type Following struct {
	In            string // the file in whose place the calendar comes; "" for standard output
	Follows       string // an earlier calendar; "" for that of In
	Cancellations string // a file for calendar objects that cancel what is gone; "" for none
	Organizer     string // who cancels; "" for that of the plan
}

// Answer has answer write into a calendar that follows the earlier one, and stages what that
// cancels.
func (f Following) Answer(p *plan.Plan, stage *files.Stage, sink rows.Sink, tell Tell, answer func() error) error {
	to, events := sink.(*ical.Sink)
	if !events {
		if f.Follows != "" || f.Cancellations != "" {
			return errors.New("--follows and --cancellations need --as ics")
		}
		return answer()
	}
	organizer, err := f.organizer(p)
	if err != nil {
		return err
	}
	follow, err := f.earlier(p)
	if err != nil {
		return err
	}
	if follow != nil {
		to.Follow(follow)
	}
	if err := answer(); err != nil {
		return err
	}
	if doubts := to.Doubts(); doubts != "" {
		tell.Warn("%s", doubts)
	}
	if f.Cancellations == "" {
		return nil
	}
	if err := p.Files.Write(f.Cancellations); err != nil {
		return err
	}
	var b bytes.Buffer
	any := false
	if follow != nil {
		if any, err = follow.Cancellations(&b, organizer); err != nil {
			return err
		}
	}
	if !any {
		tell.Note("nothing was cancelled, so %s was not written", f.Cancellations)
		return nil
	}
	w, err := stage.Create(f.Cancellations)
	if err == nil {
		_, err = w.Write(b.Bytes())
	}
	return err
}

// earlier opens the calendar that is followed; nil for none.
func (f Following) earlier(p *plan.Plan) (*ical.Follow, error) {
	path := f.Follows
	if path == "" {
		path = f.In
	} else if _, err := os.Stat(path); err != nil {
		return nil, err
	} else if path != f.In { // in whose place it may come
		if err := p.Files.Read(path); err != nil {
			return nil, err
		}
	}
	if path == "" {
		return nil, nil
	}
	before, err := ical.OpenEarlier(path)
	if err != nil || before == nil {
		return nil, err
	}
	return &ical.Follow{Earlier: before, Today: p.Env.Today}, nil
}

// organizer is who cancels, where something is to be cancelled.
func (f Following) organizer(p *plan.Plan) (o ical.Organizer, err error) {
	switch {
	case f.Cancellations == "":
		return o, nil
	case f.Organizer != "":
		o, err = ical.ParseOrganizer(f.Organizer)
		return o, rows.In("organizer", err)
	case p.Organizer.Mail != "":
		return p.Organizer, nil
	}
	return o, rows.In("cancellations",
		errors.New("a cancellation needs an organizer: use --organizer \"NAME <mail>\", or write `organizer: {name: NAME, mail: MAIL}` in the plan"))
}
