package workflow

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"maps"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
)

// expectationFindings are the fails of what the plan expects of its series and records.
func (s *Session) expectationFindings() (list []plan.Finding, err error) {
	p, ws := s.Plan, s.workspace("records")
	all, err := s.seriesFindings(s.Series...)
	for _, f := range all {
		if strings.HasPrefix(f.Key, "expect.") && !f.IsNote {
			list = append(list, p.Locate(f))
		}
	}
	if err == nil {
		var apart []plan.Finding
		apart, err = s.separationFindings()
		list = append(list, apart...)
	}
	if err == nil {
		var many []plan.Finding
		many, err = s.perDayFindings()
		list = append(list, many...)
	}
	if err != nil {
		return nil, err
	}
	for _, r := range p.Records {
		if r.Expects == nil {
			continue
		}
		found, err := s.recordFindings(r, ws)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			if !f.IsNote {
				list = append(list, f)
			}
		}
	}
	return list, nil
}

// seriesFindings are the findings of series.
func (w *Session) seriesFindings(series ...*schedule.Series) (list []schedule.Finding, err error) {
	for _, s := range series {
		found, err := s.Check(w.Span)
		if err != nil {
			return nil, fmt.Errorf("series %s: %w", s.Name, err)
		}
		list = append(list, found...)
	}
	return list, nil
}

// separationFindings finds dates on one day that must stay apart.
func (s *Session) separationFindings() (list []plan.Finding, err error) {
	for _, a := range s.Plan.Separations {
		of := slices.DeleteFunc(slices.Clone(a.Columns), func(c schedule.Column) bool {
			return !slices.Contains(s.Series,
				c.Series)
		})
		found, err := schedule.Coincidences(of, s.Span)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			list = append(list, a.Pos.WithPos(f))
		}
	}
	return list, nil
}

// maxListedRows is how many rows that break one expectation are reported one by one.
const maxListedRows = 20

// recordFindings checks what is expected of a record, and its key.
func (w *Session) recordFindings(r *plan.Record, ws ask.Workspace) (list []plan.Finding, err error) {
	fail := func(key, format string, args ...any) {
		list = append(list, r.KeyPos(key).WithPos(schedule.Finding{Subject: r.Name, Text: fmt.Sprintf(format, args...)}))
	}
	if r.Key != "" {
		var key *query.KeyError
		if err := query.CheckKey(w.recordMaker.job(r, ws), r.Key); errors.As(err, &key) {
			fail("key", "%s", key)
			return list, nil
		} else if err != nil {
			return nil, r.WrapError(err)
		}
	}
	e := r.Expects
	if e == nil {
		return list, nil
	}
	want := query.RowExpectations{Unique: e.Unique, Each: e.Each, Key: r.Key}
	for _, s := range e.Sums {
		want.Sum = append(want.Sum, s.Column)
	}
	got, err := query.Expect(w.recordMaker.job(r, ws), want)
	if err != nil {
		var option *rows.OptionError
		if errors.As(err, &option) && r.HasKey("expect."+option.Option) {
			return nil, r.WrapKey("expect."+option.Option, option.Err)
		}
		return nil, r.WrapError(err)
	}
	if e.Rows != nil && (got.Rows < e.Rows.Min || got.Rows > e.Rows.Max) {
		fail("expect.rows", "rows: %s has %s, expected %s", filepath.ToSlash(r.Table),
			phrase.Plural(got.Rows, "row"), e.Rows)
	}
	for _, key := range slices.Sorted(maps.Keys(got.Broken)) {
		broken := got.Broken[key]
		for i, text := range broken {
			if i == maxListedRows {
				fail("expect."+key, "and %d more rows", len(broken)-i)
				break
			}
			fail("expect."+key, "%s", text)
		}
	}
	for i, s := range e.Sums {
		text, err := w.sumProblem(s, got.Sums[i], ws)
		if err != nil {
			return nil, r.WrapKey(fmt.Sprintf("expect.sum.%d", i), err)
		}
		if text != "" {
			fail(fmt.Sprintf("expect.sum.%d", i), "sum: %s", text)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(got.Blank)) {
		n := got.Blank[key]
		if at, sum := strings.CutPrefix(key, "sum."); sum {
			i, _ := strconv.Atoi(at)
			fail("expect."+key, "sum: %s is blank in %s of %d; blanks count as 0", e.Sums[i].Column, phrase.Plural(n, "row"), got.Rows)
			list[len(list)-1].IsNote = true
			continue
		}
		i, _ := strconv.Atoi(strings.TrimPrefix(key, "each."))
		fail("expect."+key, "each: %s is blank for %s of %d", e.Each[i], phrase.Plural(n, "row"), got.Rows)
		list[len(list)-1].IsNote = true
	}
	slices.SortStableFunc(list, func(a, b plan.Finding) int { return a.Line - b.Line })
	return list, nil
}

// sumProblem says how the total of a column differs from what is expected; "" if it doesn't.
func (w *Session) sumProblem(s plan.SumExpectation, is eval.Value, ws ask.Workspace) (string, error) {
	differ := func(from eval.Value) string {
		if d := eval.Subtract(is, from); eval.CompareCells(d, eval.Int(0)) > 0 {
			return eval.Summand(d, is, from).String() + " too much"
		}
		return eval.Summand(eval.Subtract(from, is), is, from).String() + " too little"
	}
	if s.Record == "" {
		switch {
		case eval.CompareCells(is, s.Min) < 0:
			return fmt.Sprintf("%s is %s, expected %s: %s", s.Column, is, s.Text, differ(s.Min)), nil
		case eval.CompareCells(is, s.Max) > 0:
			return fmt.Sprintf("%s is %s, expected %s: %s", s.Column, is, s.Text, differ(s.Max)), nil
		}
		return "", nil
	}
	p := w.Plan
	other := p.Record(s.Record)
	if other == nil {
		var known []string
		for _, r := range p.Records {
			known = append(known, r.Name)
		}
		hint := phrase.Meant(s.Record, known, "this plan has "+phrase.ListNames(known))
		return "", fmt.Errorf("unknown record `%s`; %s", s.Record, hint)
	}
	got, err := query.Expect(w.recordMaker.job(other, ws), query.RowExpectations{Sum: []string{s.OtherColumn}})
	if err != nil {
		var option *rows.OptionError
		if errors.As(err, &option) && option.Option == "sum.0" {
			err = fmt.Errorf("%s: %w", other.Name, option.Err)
		}
		return "", err
	}
	if eval.CompareCells(is, got.Sums[0]) == 0 {
		return "", nil
	}
	return fmt.Sprintf("%s is %s, and %s is %s: %s", s.Column, is, s.Text, got.Sums[0], differ(got.Sums[0])), nil
}

// allFindings looks at the whole plan; released are findings of released dates.
func (w *Session) allFindings(released []plan.Finding) (list []plan.Finding) {
	p := w.Plan
	take := func(found []plan.Finding, err error) {
		if list = append(list, found...); err != nil {
			list = append(list, plan.FindingFromError(p.Path, err))
		}
	}
	err := w.summarise()
	if err == nil {
		err = w.checkLimits()
	} else if !errors.As(err, new(*schedule.TooManyError)) && !errors.As(err, new(*limitError)) { // which is found below
		err = nil
	}
	if err != nil {
		return []plan.Finding{plan.FindingFromError(p.Path, err)}
	}
	for _, s := range p.Series {
		found, err := w.seriesFindings(s)
		for _, f := range found {
			list = append(list, p.Locate(f))
		}
		if err != nil {
			f := p.Locate(schedule.Finding{Subject: s.Name})
			f.Text = plan.FindingFromError(p.Path, err).Text
			list = append(list, f)
		}
	}
	take(w.separationFindings())
	take(w.perDayFindings())
	take(released, nil)
	list = append(list, p.UncalendaredCounts()...)
	ws := w.workspace("")
	for _, r := range p.Records {
		before := len(p.UncalendaredCounts())
		_ = p.WatchCounting(r.Name, r.KeyPos(""), func() error { take(w.recordFindings(r, ws)); return nil })
		list = append(list, p.UncalendaredCounts()[before:]...)
	}
	for _, f := range w.outputFindings() {
		// What is wrong with a record is told once, not again by each output of it.
		told := func(g plan.Finding) bool {
			return !g.IsNote && g.File == f.File && g.Line == f.Line && g.Text == f.Text
		}
		if f.IsNote || !slices.ContainsFunc(list, told) {
			list = append(list, f)
		}
	}
	return append(append(append(list, p.DeferredFaults()...), p.UnusedColumns()...), w.noteFindings()...)
}

// sortFindings puts findings in the order in which they are reported: the fails first, each in the
// order of the file. What is reported twice is reported once.
func sortFindings(list []plan.Finding) []plan.Finding {
	slices.SortStableFunc(list, func(a, b plan.Finding) int {
		return cmp.Or(compareBool(a.IsNote, b.IsNote), strings.Compare(a.File, b.File), a.Line-b.Line)
	})
	return slices.CompactFunc(list, func(a, b plan.Finding) bool { return a == b && a.Key == "" })
}

// compareBool puts false before true.
func compareBool(a, b bool) int {
	switch {
	case a == b:
		return 0
	case b:
		return -1
	}
	return 1
}

// outputFindings makes each output without writing it. What is noted of several alike is
// one finding that names them.
func (s *Session) outputFindings() (list []plan.Finding) {
	p := s.Plan
	alike := map[string]int{}
	note := func(o *plan.Output, text string) {
		i, told := alike[text]
		if !told {
			alike[text] = len(list)
			list = append(list, o.KeyPos("").WithPos(schedule.Finding{IsNote: true, Subject: o.File, Text: text}))
			return
		}
		if names := strings.Split(list[i].Subject, ", "); !slices.Contains(names, o.File) {
			list[i].Subject = strings.Join(append(names, o.File), ", ")
		}
	}
	for _, o := range p.Outputs {
		if o.IsBroken {
			continue
		}
		before := len(p.UncalendaredCounts())
		err := p.WatchCounting(o.File, o.KeyPos(""), func() error {
			notes, err := s.writeOutput(io.Discard, o)
			for _, n := range notes {
				note(o, n)
			}
			if errors.Is(err, ical.ErrEmpty) { // it isn't written, which is no fault
				err = nil
			}
			return err
		})
		for _, f := range p.UncalendaredCounts()[before:] {
			note(o, f.Text)
		}
		if span, ok := s.outputWindow(o); ok && span.Last < s.Span.First {
			list = append(list, o.KeyPos("window").WithPos(schedule.Finding{IsNote: true, Subject: o.File,
				Text: fmt.Sprintf("its window ends on %s, before the plan's window starts on %s", span.Last, s.Span.First)}))
		}
		if err != nil {
			f := plan.FindingFromError(p.Path, o.WrapError(err))
			f.Subject = o.File
			list = append(list, f)
		}
	}
	return list
}

// outputWindow is the window that an output has of its own.
func (s *Session) outputWindow(o *plan.Output) (span civil.Span, ok bool) {
	if o.OwnWindow == "" {
		return span, false
	}
	span, err := eval.ParseWindow(o.OwnWindow, s.Plan.Env)
	return span, err == nil
}

// perDayFindings finds days on which an owner has more tasks than there may be, or fewer, over
// all series.
func (s *Session) perDayFindings() (list []plan.Finding, err error) {
	p := s.Plan
	if p.PerDay == nil {
		return nil, nil
	}
	entries, _, err := schedule.Entries(s.Series, s.Span)
	if err != nil {
		return nil, err
	}
	type at struct {
		day   civil.Date
		owner string
	}
	tasks := map[at][]string{}
	var order []at
	for _, e := range entries {
		if owner := p.Event(e).Owner; owner != "" {
			k := at{e.At.Day, owner}
			if tasks[k] == nil {
				order = append(order, k)
			}
			tasks[k] = append(tasks[k], e.Series.Name+"."+e.What)
		}
	}
	for _, k := range order {
		if n := len(tasks[k]); n < p.PerDay.Min || n > p.PerDay.Max {
			text := fmt.Sprintf("per-day: %s has %s on this day, expected %s: %s", k.owner, phrase.Plural(n, "task"),
				p.PerDay, strings.Join(tasks[k], ", "))
			list = append(list, p.PerDayPos.WithPos(schedule.Finding{Subject: k.owner, At: eval.Day(k.day), Text: text}))
		}
	}
	return list, nil
}

// noteFindings tell what else there is to know of the plan: what its calendars didn't know, an id
// with a year in it.
func (s *Session) noteFindings() (list []plan.Finding) {
	note := func(key, text string) {
		list = append(list, s.Plan.KeyPos(key).WithPos(schedule.Finding{IsNote: true, Text: text}))
	}
	for _, text := range s.Plan.CalendarWarnings() {
		note("calendars", text)
	}
	list = append(list, s.Plan.LackingCalendars()...)
	for _, of := range s.Series {
		if text := of.TitledNote(); text != "" {
			list = append(list, s.Plan.Locate(schedule.Finding{IsNote: true, Subject: of.Name, Text: text}))
		}
	}
	if yearPattern.MatchString(s.Plan.ID) {
		note("id", "the id contains a year, so next year's events would be added beside this year's instead of updating them; remove the year and move the window on")
	}
	return list
}

// yearPattern finds a year in an id.
var yearPattern = regexp.MustCompile(`199\d|20\d\d`)
