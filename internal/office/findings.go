package office

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

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
)

// expectations are the fails of what the plan expects of its series and records.
func (w *Work) expectations() (list []plan.Finding, err error) {
	p, place := w.Plan, w.placeOf("records")
	all, err := w.ofSeries(w.Series...)
	for _, f := range all {
		if strings.HasPrefix(f.Key, "expect.") && !f.Note {
			list = append(list, p.Placed(f))
		}
	}
	if err == nil {
		var apart []plan.Finding
		apart, err = w.apart()
		list = append(list, apart...)
	}
	if err == nil {
		var many []plan.Finding
		many, err = w.tooMany()
		list = append(list, many...)
	}
	if err != nil {
		return nil, err
	}
	for _, r := range p.Records {
		if r.Expects == nil {
			continue
		}
		found, err := ofRows(p, r, place)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			if !f.Note {
				list = append(list, f)
			}
		}
	}
	return list, nil
}

// ofSeries are the findings of series.
func (w *Work) ofSeries(series ...*schedule.Series) (list []schedule.Finding, err error) {
	for _, s := range series {
		found, err := s.Check(w.Span)
		if err != nil {
			return nil, fmt.Errorf("series %s: %w", s.Name, err)
		}
		list = append(list, found...)
	}
	return list, nil
}

// apart finds dates on one day that must stay apart.
func (w *Work) apart() (list []plan.Finding, err error) {
	for _, a := range w.Plan.Apart {
		of := slices.DeleteFunc(slices.Clone(a.Of), func(c schedule.Column) bool {
			return !slices.Contains(w.Series,
				c.Series)
		})
		found, err := schedule.Meetings(of, w.Span)
		if err != nil {
			return nil, err
		}
		for _, f := range found {
			list = append(list, a.At.Found(f))
		}
	}
	return list, nil
}

// mostRows is how many rows that break one expectation are reported one by one.
const mostRows = 20

// ofRows checks what is expected of a record, and its key.
func ofRows(p *plan.Plan, r *plan.Record, place question.Place) (list []plan.Finding, err error) {
	fail := func(key, format string, args ...any) {
		list = append(list, r.At(key).Found(schedule.Finding{About: r.Name, Text: fmt.Sprintf(format, args...)}))
	}
	if r.Key != "" {
		var key *question.KeyFault
		if err := p.Job(r, place).CheckKey(r.Key); errors.As(err, &key) {
			fail("key", "%s", key)
			return list, nil
		} else if err != nil {
			return nil, r.Fault(err)
		}
	}
	e := r.Expects
	if e == nil {
		return list, nil
	}
	want := question.RowsExpected{Unique: e.Unique, Each: e.Each, Key: r.Key}
	for _, s := range e.Sums {
		want.Sum = append(want.Sum, s.Column)
	}
	got, err := p.Job(r, place).Expect(want)
	if err != nil {
		var at *rows.OptionError
		if errors.As(err, &at) && r.Says("expect."+at.Option) {
			return nil, r.Wrap("expect."+at.Option, at.Err)
		}
		return nil, r.Fault(err)
	}
	if e.Rows != nil && (got.Rows < e.Rows.Least || got.Rows > e.Rows.Most) {
		fail("expect.rows", "rows: %s has %s, expected %s", filepath.ToSlash(r.Table),
			phrase.Counted(got.Rows, "row"), e.Rows)
	}
	for _, key := range slices.Sorted(maps.Keys(got.Broken)) {
		broken := got.Broken[key]
		for i, text := range broken {
			if i == mostRows {
				fail("expect."+key, "and %d more rows", len(broken)-i)
				break
			}
			fail("expect."+key, "%s", text)
		}
	}
	for i, s := range e.Sums {
		text, err := sums(p, s, got.Sums[i], place)
		if err != nil {
			return nil, r.Wrap(fmt.Sprintf("expect.sum.%d", i), err)
		}
		if text != "" {
			fail(fmt.Sprintf("expect.sum.%d", i), "sum: %s", text)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(got.Blank)) {
		n := got.Blank[key]
		if at, sum := strings.CutPrefix(key, "sum."); sum {
			i, _ := strconv.Atoi(at)
			fail("expect."+key, "sum: %s is blank in %s of %d; blanks count as 0", e.Sums[i].Column, phrase.Counted(n, "row"), got.Rows)
			list[len(list)-1].Note = true
			continue
		}
		i, _ := strconv.Atoi(strings.TrimPrefix(key, "each."))
		fail("expect."+key, "each: %s is blank for %s of %d", e.Each[i], phrase.Counted(n, "row"), got.Rows)
		list[len(list)-1].Note = true
	}
	slices.SortStableFunc(list, func(a, b plan.Finding) int { return a.Line - b.Line })
	return list, nil
}

// sums says how the total of a column differs from what is expected; "" if it doesn't.
func sums(p *plan.Plan, s plan.RowsSum, is eval.Value, place question.Place) (string, error) {
	differ := func(from eval.Value) string {
		if d := eval.Less(is, from); eval.Order(d, eval.Int(0)) > 0 {
			return d.String() + " too much"
		}
		return eval.Less(from, is).String() + " too little"
	}
	if s.Record == "" {
		switch {
		case eval.Order(is, s.Least) < 0:
			return fmt.Sprintf("%s is %s, expected %s: %s", s.Column, is, s.Text, differ(s.Least)), nil
		case eval.Order(is, s.Most) > 0:
			return fmt.Sprintf("%s is %s, expected %s: %s", s.Column, is, s.Text, differ(s.Most)), nil
		}
		return "", nil
	}
	other := p.Record(s.Record)
	if other == nil {
		var known []string
		for _, r := range p.Records {
			known = append(known, r.Name)
		}
		hint := phrase.Meant(s.Record, known, "this plan has "+phrase.Names(known))
		return "", fmt.Errorf("unknown record `%s`; %s", s.Record, hint)
	}
	got, err := p.Job(other, place).Expect(question.RowsExpected{Sum: []string{s.Of}})
	if err != nil {
		var at *rows.OptionError
		if errors.As(err, &at) && at.Option == "sum.0" {
			err = fmt.Errorf("%s: %w", other.Name, at.Err)
		}
		return "", err
	}
	if eval.Order(is, got.Sums[0]) == 0 {
		return "", nil
	}
	return fmt.Sprintf("%s is %s, and %s is %s: %s", s.Column, is, s.Text, got.Sums[0], differ(got.Sums[0])), nil
}

// check looks at the whole plan; released are findings of released dates.
func (w *Work) check(released []plan.Finding) (list []plan.Finding) {
	p := w.Plan
	take := func(found []plan.Finding, err error) {
		if list = append(list, found...); err != nil {
			list = append(list, plan.FaultOf(p.Path, err))
		}
	}
	err := w.summarise()
	if err == nil {
		err = w.bounded()
	} else if !errors.As(err, new(*schedule.TooManyError)) && !errors.As(err, new(*boundsError)) { // which is found below
		err = nil
	}
	if err != nil {
		return []plan.Finding{plan.FaultOf(p.Path, err)}
	}
	for _, s := range p.Series {
		found, err := w.ofSeries(s)
		for _, f := range found {
			list = append(list, p.Placed(f))
		}
		if err != nil {
			f := p.Placed(schedule.Finding{About: s.Name})
			f.Text = plan.FaultOf(p.Path, err).Text
			list = append(list, f)
		}
	}
	take(w.apart())
	take(w.tooMany())
	take(released, nil)
	list = append(list, p.Counting()...)
	place := w.placeOf("")
	for _, r := range p.Records {
		before := len(p.Counting())
		_ = p.Watch(r.Name, r.At(""), func() error { take(ofRows(p, r, place)); return nil })
		list = append(list, p.Counting()[before:]...)
	}
	list = append(list, w.checkOutputs()...)
	return append(append(append(list, p.Faults()...), p.Slips()...), w.notes()...)
}

// inOrder puts findings in the order in which they are reported: the fails first, each in the
// order of the file. What is reported twice is reported once.
func inOrder(list []plan.Finding) []plan.Finding {
	slices.SortStableFunc(list, func(a, b plan.Finding) int {
		return cmp.Or(compareBool(a.Note, b.Note), strings.Compare(a.File, b.File), a.Line-b.Line)
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

// checkOutputs makes each output without writing it. What is noted of several alike is
// one finding that names them.
func (w *Work) checkOutputs() (list []plan.Finding) {
	p := w.Plan
	alike := map[string]int{}
	note := func(o *plan.Output, text string) {
		i, told := alike[text]
		if !told {
			alike[text] = len(list)
			list = append(list, o.At("").Found(schedule.Finding{Note: true, About: o.File, Text: text}))
			return
		}
		if names := strings.Split(list[i].About, ", "); !slices.Contains(names, o.File) {
			list[i].About = strings.Join(append(names, o.File), ", ")
		}
	}
	for _, o := range p.Outputs {
		if o.Faulty {
			continue
		}
		before := len(p.Counting())
		err := p.Watch(o.File, o.At(""), func() error {
			notes, err := w.Output(io.Discard, o)
			for _, n := range notes {
				note(o, n)
			}
			if errors.Is(err, ical.ErrEmpty) { // it isn't written, which is no fault
				err = nil
			}
			return err
		})
		for _, f := range p.Counting()[before:] {
			note(o, f.Text)
		}
		if span, ok := w.windowOf(o); ok && span.Last < w.Span.First {
			list = append(list, o.At("window").Found(schedule.Finding{Note: true, About: o.File,
				Text: fmt.Sprintf("its window ends on %s, before the plan's window starts on %s", span.Last, w.Span.First)}))
		}
		if err != nil {
			f := plan.FaultOf(p.Path, o.Fault(err))
			f.About = o.File
			list = append(list, f)
		}
	}
	return list
}

// windowOf is the window that an output has of its own.
func (w *Work) windowOf(o *plan.Output) (span civil.Span, ok bool) {
	if o.Own == "" {
		return span, false
	}
	span, err := eval.Window(o.Own, w.Plan.Env)
	return span, err == nil
}

// tooMany finds days on which an owner has more tasks than there may be, or fewer, over
// all series.
func (w *Work) tooMany() (list []plan.Finding, err error) {
	p := w.Plan
	if p.PerDay == nil {
		return nil, nil
	}
	entries, _, err := schedule.Entries(w.Series, w.Span)
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
		if n := len(tasks[k]); n < p.PerDay.Least || n > p.PerDay.Most {
			text := fmt.Sprintf("per-day: %s has %s on this day, expected %s: %s", k.owner, phrase.Counted(n, "task"),
				p.PerDay, strings.Join(tasks[k], ", "))
			list = append(list, p.PerDayAt.Found(schedule.Finding{About: k.owner, At: eval.Day(k.day), Text: text}))
		}
	}
	return list, nil
}

// notes tell what else there is to know of the plan: what its calendars didn't know, an id
// with a year in it.
func (w *Work) notes() (list []plan.Finding) {
	note := func(key, text string) {
		list = append(list, w.Plan.Key(key).Found(schedule.Finding{Note: true, Text: text}))
	}
	for _, text := range w.Plan.CalendarWarnings() {
		note("calendars", text)
	}
	if year.MatchString(w.Plan.ID) {
		note("id", "the id contains a year, so next year's events would be added beside this year's instead of updating them; remove the year and move the window on")
	}
	return list
}

// year finds a year in an id.
var year = regexp.MustCompile(`199\d|20\d\d`)
