package workflow

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
)

// Comparison compares plans and files, two at a time.
type Comparison struct {
	Key   string // the column that names rows of tables that are no schedules
	Files *files.Registry
	// Load reads a plan, with the days that are tried or without; HasWhatIf says that there are
	// some.
	Load      func(path string, tried bool) (*plan.Plan, error)
	HasWhatIf bool
	Reporter  Reporter

	plans     []*plan.Plan    // whose calendars may not know enough
	seenNotes map[string]bool // notes of the plan as it is
}

// Compare compares two sides, the old and the new, each a plan or a file; or of one, a plan,
// the outputs as they are with what it makes now.
func (c *Comparison) Compare(names []string, put func(schedule.Difference) error) (t schedule.Tally, err error) {
	var sides [2]query.Side
	if len(names) == 1 && c.HasWhatIf {
		for i, tried := range []bool{false, true} {
			if sides[i], err = c.planSide(names[0], tried); err != nil {
				return t, err
			}
		}
		return query.Compare(sides[0], sides[1], c.Key, c.Reporter.Note, put)
	}
	if len(names) == 1 {
		p, err := c.load(names[0], false)
		if err != nil {
			return t, err
		}
		return compareOutputs(p, c.Reporter, put)
	}
	for i, name := range names {
		if sides[i], err = c.side(name); err != nil {
			return t, err
		}
	}
	return query.Compare(sides[0], sides[1], c.Key, c.Reporter.Note, put)
}

func (c *Comparison) load(path string, tried bool) (*plan.Plan, error) {
	p, err := c.Load(path, tried)
	if err == nil {
		c.plans = append(c.plans, p)
	}
	return p, err
}

// side is a plan or a file.
func (c *Comparison) side(name string) (s query.Side, err error) {
	if err := c.Files.AddInput(name); err != nil {
		return s, err
	}
	if !plan.IsPlanName(name) {
		_, err := os.Stat(name)
		return query.Side{Name: name, Open: func() (io.ReadCloser, error) { return os.Open(name) }}, err
	}
	return c.planSide(name, false)
}

// planSide is a plan, with the days that are tried or without.
func (c *Comparison) planSide(name string, tried bool) (s query.Side, err error) {
	p, err := c.load(name, tried)
	if err != nil {
		return s, err
	}
	wide, err := c.Load(name, tried)
	if err != nil {
		return s, err
	}
	reporter := c.Reporter
	if tried {
		name += whatIf
		reporter.Note = func(format string, args ...any) { // what the plan as it is tells, too, was told of that
			text := fmt.Sprintf(format, args...)
			if _, of, _ := strings.Cut(text, ": "); !c.seenNotes[of] {
				c.Reporter.Note("%s", text)
			}
		}
	} else if c.HasWhatIf {
		c.seenNotes = map[string]bool{}
		reporter.Note = func(format string, args ...any) {
			text := fmt.Sprintf(format, args...)
			_, of, _ := strings.Cut(text, ": ")
			c.seenNotes[of] = true
			c.Reporter.Note("%s", text)
		}
	}
	return planSide(name, p, wide, reporter)
}

// ReportWarnings reports what may be wrong with the dates of the plans that were compared.
func (c *Comparison) ReportWarnings() error {
	reporter := c.Reporter.Once()
	for _, p := range c.plans {
		if p.Window != nil {
			if err := newLedger(p).warnBreaches(nil, *p.Window, reporter); err != nil {
				return err
			}
		}
		reporter.Warnings(p)
	}
	return nil
}

// planSide is a plan as one side of a comparison. wide is the same plan, read once more, whose
// calendars are asked further than the answer goes.
func planSide(name string, p, wide *plan.Plan, reporter Reporter) (s query.Side, err error) {
	w, err := newSession(p, Request{}, noReports)
	if err != nil {
		return s, err
	}
	note := func(text string) { reporter.Note("%s: %s", name, text) }
	s = query.Side{Name: name, Window: &w.Span}
	s.Dates = func(span, around civil.Span) ([]schedule.Event, error) {
		list := func(records *recordMaker, span civil.Span, note func(string)) ([]schedule.Event, error) {
			p := records.plan
			return planListing{series: p.Series, records: p.Records, window: span, overdue: span.First}.events(records, w.workspaceFor(nil, note))
		}
		if _, err := list(w.recordMaker, span, note); err != nil {
			return nil, err
		}
		return list(newRecordMaker(wide), around, func(string) {}) // which was told already
	}
	return s, nil
}

// compareOutputs compares a plan's outputs as they are with what it makes now. What
// several files tell alike is reported once.
func compareOutputs(p *plan.Plan, reporter Reporter, put func(schedule.Difference) error) (t schedule.Tally, err error) {
	s, err := newSession(p, Request{}, noReports)
	if err != nil {
		return t, err
	}
	told := map[string]bool{}
	once := func(d schedule.Difference) error {
		line := "" // a title that went along is reported by one file and not by another
		for _, c := range d.Cells()[1:6] {
			line += phrase.FoldName(c.String()) + "\x00"
		}
		if told[line] {
			return nil
		}
		told[line] = true
		t.Count(d)
		return put(d)
	}
	var left []string
	defer func() {
		if left != nil {
			reporter.Note("not compared, because their rows have no key or compare can't read the format: %s", strings.Join(left, ", "))
		}
	}()
	list := slices.Clone(p.Outputs) // tables of one series last: they don't tell why a milestone moved
	slices.SortStableFunc(list, func(a, b *plan.Output) int { return compareBool(isSeriesTable(a), isSeriesTable(b)) })
	for _, out := range list {
		if _, err := os.Stat(s.path(out)); err != nil {
			reporter.Note("%s doesn't exist yet; run the plan to write it", out.File)
			continue
		}
		key, ok := rowKey(out)
		if !ok {
			left = append(left, out.File)
			continue
		}
		same, err := s.compare(out, key, once)
		if err != nil {
			return t, err
		}
		t.Same = max(t.Same, same)
	}
	return t, nil
}

// compare compares an output as it is with what it is now, and counts what is the same.
func (s *Session) compare(out *plan.Output, key string, put func(schedule.Difference) error) (same int, err error) {
	path := s.path(out)
	if err := s.Plan.Files.AddInput(path); err != nil {
		return 0, err
	}
	var b bytes.Buffer
	_, err = s.writeOutput(&b, out)
	empty := errors.Is(err, ical.ErrEmpty)
	if err != nil && !empty {
		return 0, out.WrapError(err)
	}
	old := query.Side{Name: path, Open: func() (io.ReadCloser, error) { return os.Open(path) }}
	now := query.Side{Name: path, Window: &s.Span, Open: func() (io.ReadCloser, error) {
		return io.NopCloser(bytes.NewReader(b.Bytes())), nil
	}}
	if out.IsOccurrenceTable() {
		old.Series, now.Series = out.Series[0].Name, out.Series[0].Name
	}
	if empty { // a calendar without events isn't written
		now.Dates = func(civil.Span, civil.Span) ([]schedule.Event, error) { return nil, nil }
	}
	t, err := query.Compare(old, now, key, noReports.Note, put)
	return t.Same, err
}

// rowKey is the column that names an output's rows; "" if its dates do. ok is false
// if nothing does, or the file can't be read again.
func rowKey(out *plan.Output) (key string, ok bool) {
	switch {
	case out.IsDayTable():
		key = "date"
	case out.Record != nil && out.Query == nil:
		key = out.Record.Key
	}
	return key, (out.Record == nil || key != "") && query.Readable(out.File)
}

// isSeriesTable reports whether an output is the table of one series.
func isSeriesTable(o *plan.Output) bool { return len(o.Series) == 1 && !o.Format.HoldsEvents() }
