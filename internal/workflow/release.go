package workflow

import (
	"fmt"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/plan"
)

// ReleaseRequest is a release: through a day, by somebody.
type ReleaseRequest struct {
	Window           string // instead of the plan's; "" for that
	Through          string // the last day
	By, Note         string
	Series           []string // names, those of series that are no more too; nil for all
	AllowProvisional bool     // provisional dates too
}

// ReleaseResult is what a release changes.
type ReleaseResult struct {
	Changes   []schedule.Breach
	ledger    *ledger
	data      []byte // of the file; nil if nothing changes
	unchanged int
}

// Release works out what a release fixes; Put writes it.
func Release(p *plan.Plan, r ReleaseRequest, reporter Reporter) (*ReleaseResult, error) {
	s, err := newSession(p, Request{Window: r.Window}, reporter)
	if err != nil {
		return nil, err
	}
	through, err := eval.ComputeDate(r.Through, p.Env)
	if err != nil {
		return nil, rows.WrapOption("through", err)
	}
	if s.Span == civil.AllDays || !s.Span.Contains(through) {
		return nil, &rows.OptionError{Option: "through", IsPredicate: true,
			Err: fmt.Errorf("must lie in the window, %s to %s; found %s", s.Span.First, s.Span.Last, through)}
	}
	if err := s.ledger.register(); err != nil {
		return nil, err
	}
	return s.ledger.release(r, civil.Span{First: s.Span.First, Last: through})
}

// release works out what is released in a stretch, and what the file then holds.
func (l *ledger) release(r ReleaseRequest, stretch civil.Span) (*ReleaseResult, error) {
	ownRows, err := l.rows()
	if err != nil {
		return nil, err
	}
	series, named, err := l.selectNamed(r.Series, ownRows)
	if err != nil {
		return nil, err
	}
	entries, _, err := schedule.Entries(series, stretch)
	if err != nil {
		return nil, err
	}
	if !r.AllowProvisional {
		if err := checkProvisional(entries); err != nil {
			return nil, err
		}
	}
	breaches, err := l.breaches(ownRows, named, stretch)
	if err != nil {
		return nil, err
	}
	as := schedule.Released{Plan: l.plan.ID, ReleasedOn: l.plan.Env.Today, From: stretch.First, Through: stretch.Last,
		By: r.By, Note: r.Note}
	rows, changes := schedule.Release(l.all, entries, l.withOverridden(ownRows, breaches, named, stretch), as)
	made := &ReleaseResult{Changes: changes, ledger: l, unchanged: len(entries) - len(changes)}
	if len(changes) > 0 {
		made.data, err = formatLedger(rows)
	}
	return made, err
}

// selectNamed are the series that names say, nil for all, and who else of them was released.
func (l *ledger) selectNamed(names []string, ownRows []schedule.Released) (series []*schedule.Series,
	named func(string) bool, err error) {
	p := l.plan
	if names == nil {
		return p.Series, func(name string) bool { return p.FindSeries(name) != nil }, nil
	}
	gone := map[string]bool{} // series that are no more
	for _, name := range names {
		if p.FindAllSeries(name) == nil {
			gone[name] = slices.ContainsFunc(ownRows, func(row schedule.Released) bool { return row.Series == name })
			if !gone[name] {
				return nil, nil, CheckNames([]*plan.Plan{p}, []string{name}, false)
			}
		}
	}
	series, _ = selectNamed(p, names)
	return series, func(name string) bool { return gone[name] || containsSeries(series, name) }, nil
}

// checkProvisional refuses dates that may still move.
func checkProvisional(entries []schedule.Entry) error {
	n, why := 0, ""
	for _, e := range entries {
		if e.Provenance.Uncovered.IsSet() {
			n, why = n+1, e.Provenance.Uncovered.Message()
		}
	}
	if n == 0 {
		return nil
	}
	return &NegativeError{Text: fmt.Sprintf(
		"%s provisional (%s) and may still move. Wait until the holidays are known, or release them anyway with --provisional", phrase.CountIs(n, "date"), why)}
}

// withOverridden adds to breaches what a person moved, which they let pass: a release takes it
// up.
func (l *ledger) withOverridden(rows []schedule.Released, breaches []schedule.Breach, named func(string) bool,
	stretch civil.Span) []schedule.Breach {
	for i := range rows {
		r := &rows[i]
		s := l.plan.FindSeries(r.Series)
		if !r.IsCurrent() || s == nil || !named(r.Series) || s.OverrideOf("date", r.ID) == nil && s.OverrideOf(r.What, r.ID) == nil {
			continue
		}
		now, reason, err := s.CurrentValue(r)
		if in := stretch.Contains(r.At.Day) || now.Kind != eval.Blank && stretch.Contains(now.Day); in && err == nil &&
			!now.SameTime(r.At) {
			breaches = append(breaches, schedule.Breach{Series: r.Series, What: r.What, ID: r.ID, Released: r.At, Now: now,
				Reason: reason, Row: r})
		}
	}
	return breaches
}

// Write writes the released dates, whole or not at all.
func (r *ReleaseResult) Write() error {
	if r.data == nil {
		return nil
	}
	return r.ledger.write(r.data)
}

// String counts what became of the dates.
func (r *ReleaseResult) String() string {
	count := map[string]int{}
	for _, h := range r.Changes {
		count[h.Change()]++
	}
	return fmt.Sprintf("%d released, %d moved, %d gone, %d unchanged.", count["released"],
		count["moved"]+count["renamed"], count["gone"], r.unchanged)
}

// Breaches are the dates of series that aren't as they were released, in a window: nil are
// all series, those that are no more among them.
func (l *ledger) Breaches(series []*schedule.Series, window civil.Span) (list []schedule.Breach, err error) {
	for _, one := range append([]*ledger{l}, l.others...) {
		of := series
		if len(l.others) > 0 { // each holds its own
			of = slices.DeleteFunc(slices.Clone(series), func(s *schedule.Series) bool { return !one.isOwn(s) })
		}
		ownRows, err := one.rows()
		if err != nil {
			return nil, err
		}
		if len(ownRows) == 0 {
			continue
		}
		found, err := one.breaches(ownRows, func(name string) bool { return of == nil || containsSeries(of, name) }, window)
		if err != nil {
			return nil, err
		}
		list = append(list, found...)
	}
	return list, nil
}

func (l *ledger) breaches(rows []schedule.Released, named func(string) bool,
	window civil.Span) ([]schedule.Breach, error) {
	return schedule.Breaches(rows, named, func(name string) *schedule.Series {
		if s := l.plan.FindSeries(name); s != nil && s.Name == name {
			return s
		}
		return nil
	}, window)
}

// isOwn reports whether a series is of the ledger's plan itself, not of one beside it.
func (l *ledger) isOwn(s *schedule.Series) bool {
	return !slices.ContainsFunc(l.others, func(o *ledger) bool { return o.isOwn(s) }) && l.plan.FindSeries(s.Name) == s
}

// maxRestorePasses is how often what was released is put in place: a date that goes back takes
// its milestones along, which may have been released otherwise.
const maxRestorePasses = 6

// restore puts what was released in the place of what the plan gives now; it returns what
// it put back.
func (l *ledger) restore(series []*schedule.Series, window civil.Span) (restored []schedule.Breach, err error) {
	for range maxRestorePasses {
		list, err := l.Breaches(series, window)
		if err != nil {
			return nil, err
		}
		todo := false
		for _, b := range list {
			s := l.plan.FindSeries(b.Series)
			if s == nil {
				continue
			}
			if old := s.OverrideOf(b.What, b.ID); old != nil && old.FromRelease {
				continue // nothing more can be done
			}
			if err := b.Restore(s); err != nil {
				return nil, err
			}
			restored, todo = append(restored, b), true
		}
		if !todo {
			break
		}
	}
	return restored, nil
}

// findings are what isn't as it was released, at the lines of the file.
func (l *ledger) findings(window civil.Span) (list []plan.Finding) {
	if err := l.load(); err != nil {
		return []plan.Finding{plan.FindingFromError(l.path, err)}
	}
	if len(l.faults) > 0 {
		return l.faults
	}
	breaches, err := l.Breaches(nil, window)
	if err != nil {
		return []plan.Finding{plan.FindingFromError(l.plan.Path, err)}
	}
	for _, b := range breaches {
		f := plan.Finding{Finding: schedule.Finding{Subject: b.Series, At: b.Now, Text: b.String()}, File: l.path}
		if b.Now.Kind == eval.Blank {
			f.At = b.Released
		}
		if b.Row != nil {
			f.Line = b.Row.Line
		}
		list = append(list, f)
	}
	return list
}

// warnBreaches says how many dates of series aren't as they were released; nil are all.
func (l *ledger) warnBreaches(series []*schedule.Series, window civil.Span, reporter Reporter) error {
	list, err := l.Breaches(series, window)
	if len(list) > 0 {
		reporter.Warn("%s; `yoyaku check` lists them", schedule.CountBreaches(list))
	}
	return err
}
