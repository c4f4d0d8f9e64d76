package workflow

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

// previousCalendars are the calendars that are in the places of new ones, by path.
type previousCalendars map[string]func() (*ical.Previous, error)

// get is the calendar at a path; nil for none.
func (e previousCalendars) get(path string) (*ical.Previous, error) {
	if read := e[path]; read != nil {
		return read()
	}
	return ical.OpenPrevious(path)
}

// prefetchPrevious reads the earlier calendars while the new ones are made.
func (s *Session) prefetchPrevious() {
	s.previous = previousCalendars{}
	for _, out := range s.Plan.Outputs {
		if path := s.path(out); out.Format.HoldsEvents() {
			read := sync.OnceValues(func() (*ical.Previous, error) { return ical.OpenPrevious(path) })
			s.previous[path] = read
			go func() { _, _ = read() }()
		}
	}
}

// updatePrevious makes a calendar follow the file that is in its place: what is as it was
// stays, what changed is reported so, what is gone is cancelled.
func (m *outputBuild) updatePrevious(sink *ical.Sink) error {
	before, err := m.previous.get(m.path(m.out))
	if err != nil || before == nil {
		return err
	}
	scope := m.scopeOf(m.series, m.out.WholeOccurrences)
	scope.Order = seriesOrder(m.out)
	asked := scope.IsExcluded
	narrowed := len(m.series) < len(m.out.Series)
	scope.IsExcluded = func(series string) bool { return asked(series) || narrowed && !containsSeries(m.series, series) }
	elsewhere := scope.FindOutside
	scope.FindOutside = func(uid string) (schedule.Event, bool) {
		e, ok := elsewhere(uid)
		return m.out.EventForm.Apply(e), ok && m.out.Has(e)
	}
	sink.SetUpdate(&ical.Update{Previous: before, Today: m.Plan.Env.Today, Scope: scope})
	return nil
}

// scopeOf says of which schedule the events of series are, and what of it isn't there.
func (s *Session) scopeOf(of []*schedule.Series, whole bool) ical.Scope {
	elsewhere := schedule.FindOutside(of, s.Span, whole, func(*schedule.Series) string { return s.Plan.ID })
	return ical.Scope{Window: s.Span, Plans: []string{s.Plan.ID},
		IsExcluded: func(series string) bool { return s.request.KeepReleased && s.ledger.hasOrphans(series) },
		FindOutside: func(uid string) (e schedule.Event, ok bool) {
			entry, ok := elsewhere(uid)
			if ok {
				e = s.Plan.Event(entry)
			}
			return e, ok
		},
		InWindow: func(uid string, when eval.Value) bool { return s.Plan.IsInWindow(uid, when, s.Span, whole) }}
}

// containsSeries reports whether a series of this very name is among some.
func containsSeries(list []*schedule.Series, name string) bool {
	for _, s := range list {
		if s.Name == name {
			return true
		}
	}
	return false
}

// UpdateOptions says what a calendar follows that answers a query, and where what it cancels
// goes.
type UpdateOptions struct {
	Output        string // the file in whose place the calendar comes; "" for standard output
	Previous      string // an earlier calendar; "" for that of In
	Cancellations string // a file for calendar objects that cancel what is gone; "" for none
	Organizer     string // who cancels; "" for that of the plan
}

// Run has answer write into a calendar that follows the earlier one, and stages what that
// cancels. If to is nil rows are written, and it is an error to ask for either.
func (f UpdateOptions) Run(p *plan.Plan, stage *files.Stage, to *ical.Sink, reporter Reporter, answer func() error) error {
	if to == nil {
		if f.Previous != "" || f.Cancellations != "" {
			return errors.New("--follows and --cancellations need --as ics")
		}
		return answer()
	}
	organizer, err := f.organizer(p)
	if err != nil {
		return err
	}
	follow, err := f.openPrevious(p)
	if err != nil {
		return err
	}
	if follow != nil {
		to.SetUpdate(follow)
	}
	if err := answer(); err != nil {
		return err
	}
	if doubts := to.Warnings(); doubts != "" {
		reporter.Warn("%s", doubts)
	}
	if f.Cancellations == "" {
		return nil
	}
	if err := p.Files.AddOutput(f.Cancellations); err != nil {
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
		reporter.Note("nothing was cancelled, so %s was not written", f.Cancellations)
		return nil
	}
	w, err := stage.Create(f.Cancellations)
	if err == nil {
		_, err = w.Write(b.Bytes())
	}
	return err
}

// openPrevious opens the calendar that is followed; nil for none.
func (f UpdateOptions) openPrevious(p *plan.Plan) (*ical.Update, error) {
	path := f.Previous
	if path == "" {
		path = f.Output
	} else if _, err := os.Stat(path); err != nil {
		return nil, err
	} else if path != f.Output { // in whose place it may come
		if err := p.Files.AddInput(path); err != nil {
			return nil, err
		}
	}
	if path == "" {
		return nil, nil
	}
	before, err := ical.OpenPrevious(path)
	if err != nil || before == nil {
		return nil, err
	}
	return &ical.Update{Previous: before, Today: p.Env.Today}, nil
}

// organizer is who cancels, where something is to be cancelled.
func (f UpdateOptions) organizer(p *plan.Plan) (o ical.Organizer, err error) {
	switch {
	case f.Cancellations == "":
		return o, nil
	case f.Organizer != "":
		o, err = ical.ParseOrganizer(f.Organizer)
		return o, rows.WrapOption("organizer", err)
	case p.Organizer.Mail != "":
		return p.Organizer, nil
	}
	return o, rows.WrapOption("cancellations",
		errors.New("a cancellation needs an organizer: use --organizer \"NAME <mail>\", or write `organizer: {name: NAME, mail: MAIL}` in the plan"))
}
