package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
)

// outputs makes the plan's files and stages them, so that all are right before the first
// is put in place.
func (r *run) outputs() error {
	type made struct {
		path string
		data []byte
	}
	var list []made
	for _, out := range r.plan.Outputs {
		path := r.path(out)
		if err := files.Inside(r.folder(), path); err != nil {
			return err
		}
		if err := r.plan.Files.Write(path); err != nil {
			return out.Fault(err)
		}
	}
	for _, rec := range r.plan.Records {
		if err := r.keyOf(rec); err != nil {
			return err
		}
	}
	r.readAhead()
	var making []*making
	room := make(chan struct{}, runtime.GOMAXPROCS(0))
	for _, out := range r.plan.Outputs {
		of := slices.DeleteFunc(slices.Clone(out.Of), func(s *schedule.Series) bool { return !slices.Contains(r.series, s) })
		if len(of) > 0 || len(out.Of) == 0 && len(r.series) == len(r.plan.Series) {
			making = append(making, r.start(out, of, room))
		}
	}
	for _, m := range making {
		<-m.done
	}
	for _, m := range making {
		for _, text := range m.notes {
			r.note(m.out, text)
		}
		r.cut = max(r.cut, m.cut)
		switch {
		case errors.Is(m.err, ical.ErrEmpty):
			if m.out.Owner == "" {
				r.told = append(r.told, told{of: m.out.File, text: "not written, since there is no event in it"})
			}
			continue
		case m.err != nil:
			return m.out.Fault(m.err)
		case m.out.Owner != "" && m.listed == 0 && files.Missing(m.path):
			continue
		}
		r.told = append(r.told, told{of: m.out.File, text: m.became})
		r.noteMoved(m.out, m.moved, m.data.Bytes())
		if !files.Same(m.path, m.data.Bytes()) {
			list = append(list, made{m.path, m.data.Bytes()})
		}
	}
	old, err := r.gone()
	if err != nil {
		return err
	}
	for _, m := range old {
		r.told = append(r.told, told{of: m.out.File, text: m.became})
		r.noteMoved(m.out, m.moved, m.data.Bytes())
		list = append(list, made{m.path, m.data.Bytes()})
	}
	for _, m := range list {
		if err := os.MkdirAll(filepath.Dir(m.path), 0o777); err != nil {
			return err
		}
		w, err := r.stage.Create(m.path)
		if err == nil {
			_, err = w.Write(m.data)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// making is an output that is being made beside others: what comes of it.
type making struct {
	out         *plan.Output
	path        string
	data        bytes.Buffer
	err         error
	listed, cut int
	became      string
	moved       []schedule.Difference
	notes       []string
	done        chan struct{}
}

// start begins to make an output, as soon as there is room.
func (r *run) start(out *plan.Output, of []*schedule.Series, room chan struct{}) *making {
	m := &making{out: out, path: r.path(out), done: make(chan struct{})}
	one := *r
	one.cut, one.note = 0, func(_ *plan.Output, text string) { m.notes = append(m.notes, text) }
	go func() {
		defer close(m.done)
		room <- struct{}{}
		defer func() { <-room }()
		if m.err = one.output(&m.data, out, of); m.err == nil {
			m.became, m.moved = became(m.path, out, m.data.Bytes(), one.listed)
		}
		m.listed, m.cut = one.listed, one.cut
	}()
	return m
}

// counted is a sink that counts rows.
type counted struct {
	rows.Sink
	n int
}

// Row implements rows.Sink.
func (c *counted) Row(cells []eval.Value) error {
	c.n++
	return c.Sink.Row(cells)
}

// output makes one output.
func (r *run) output(w io.Writer, out *plan.Output, of []*schedule.Series) error {
	r.listed = -1
	l, err := look(&out.Shape, r.plan)
	if err != nil {
		return err
	}
	if out.Format.Events {
		l.Title = r.plan.Title
	}
	sink, err := out.Format.Sink(w, l)
	if err != nil {
		return err
	}
	if out.Record != nil {
		job := r.plan.Job(out.Record, r.place(out))
		if job.Shape, job.To = out.Shape, sink; out.Make != nil {
			job.Question = out.Make
		}
		return job.Answer()
	}
	if out.Drawn() {
		place := r.place(out)
		place.Window = &r.span
		job := &question.Job{Place: &place, Question: out.Make, Shape: out.Shape, To: sink}
		for _, s := range out.Of {
			job.Args = append(job.Args, s.Name)
		}
		return job.Answer()
	}
	if out.Days() {
		place := r.place(out)
		job := &question.Job{Place: &place, Question: out.Make, Args: []string{out.Window}, Shape: out.Shape, To: sink}
		if out.Window == "" {
			job.Args[0] = r.span.First.String() + ".." + r.span.Last.String()
		}
		return job.Answer()
	}
	count := &counted{Sink: sink}
	if !out.Format.Events {
		defer func() { r.listed = count.n }()
	}
	result := rows.Result{Where: out.Shape.Where, Sort: out.Shape.Sort, Columns: out.Shape.Columns, To: count}
	if out.Format.Events {
		result.To = sink
	}
	if out.Wide() { // a table of one series is wide, however many --series leaves
		columns, lines := schedule.Wide(of[0], r.span)
		return result.Lines(columns, r.plan.Env, lines)
	}
	if out.Format.Events {
		return r.calendar(out, of, sink, result)
	}
	events, err := r.events(out, of)
	if err == nil {
		a := r.agenda(out)
		err = result.Lines(a.Columns(), r.plan.Env, a.Lines(events, r.plan.ZoneName()))
	}
	return err
}

// calendar makes a calendar file of series and of rows.
func (r *run) calendar(out *plan.Output, of []*schedule.Series, sink rows.Sink, result rows.Result) error {
	entries, err := r.entries(out, of)
	if err != nil {
		return err
	}
	a := r.agenda(out)
	if entries, err = rows.Kept(result, entries, a.Columns(), r.plan.Env, func(e schedule.Entry) []eval.Value { return a.Row(nil, r.plan.Event(e), r.plan.ZoneName()) }); err != nil {
		return err
	}
	id := func(*schedule.Series) string { return r.plan.ID }
	list, err := out.Form.Events(entries, id, r.plan.Event)
	if err != nil {
		return err
	}
	if len(of) == len(out.Of) { // what others have stays by following the earlier calendar
		of, err := r.ofRows(out)
		if err != nil {
			return err
		}
		if of, err = rows.Kept(result, of, a.Columns(), r.plan.Env, func(e schedule.Event) []eval.Value { return a.Row(nil, e, r.plan.ZoneName()) }); err != nil {
			return err
		}
		for _, e := range of {
			list = append(list, out.Form.Of(e))
		}
	}
	schedule.SortEvents(list, order(out), r.plan.Midnight())
	if err := r.follow(out, of, sink); err != nil {
		return err
	}
	if err := sink.(question.Events).Events(list); err != nil {
		return err
	}
	if doubts := sink.(*ical.Sink).Doubts(); doubts != "" {
		r.note(out, doubts)
	}
	r.listed = sink.(*ical.Sink).Count()
	return nil
}

// readAhead reads the calendars that stand in the places of new ones, while those are made.
func (r *run) readAhead() {
	r.earlier = map[string]func() (*ical.Earlier, error){}
	for _, out := range r.plan.Outputs {
		if path := r.path(out); out.Format.Events {
			read := sync.OnceValues(func() (*ical.Earlier, error) { return ical.Earliest(path) })
			r.earlier[path] = read
			go func() { _, _ = read() }()
		}
	}
}

// follow makes a calendar follow the file that stands in its place: what is as it was
// stays, what changed is told so, what is gone is cancelled.
func (r *run) follow(out *plan.Output, of []*schedule.Series, sink rows.Sink) error {
	read, ahead := r.earlier[r.path(out)]
	if !ahead {
		read = func() (*ical.Earlier, error) { return ical.Earliest(r.path(out)) }
	}
	earlier, err := read()
	if err != nil || earlier == nil {
		return err
	}
	narrowed := len(of) < len(out.Of)
	named := func(series string) bool {
		return slices.ContainsFunc(of, func(s *schedule.Series) bool { return s.Name == series })
	}
	elsewhere := schedule.Elsewhere(of, r.span, out.Whole, func(*schedule.Series) string { return r.plan.ID })
	f := r.follower(out, earlier)
	f.Left = func(series string) bool { return narrowed && !named(series) || r.keep && r.plan.Lost(series) }
	f.Elsewhere = func(uid string) (e schedule.Event, _ bool) {
		entry, ok := elsewhere(uid)
		if ok = ok && out.Has(r.plan.Event(entry)); ok {
			e = out.Form.Of(r.plan.Event(entry))
		}
		return e, ok
	}
	f.Within = func(uid string, at eval.Value) bool { return r.plan.Within(uid, at, r.span, out.Whole) }
	sink.(*ical.Sink).Follow(f)
	return nil
}

// follower is what follows the calendar that stands in the place of an output.
func (r *run) follower(out *plan.Output, earlier *ical.Earlier) *ical.Follow {
	return &ical.Follow{Earlier: earlier, Window: r.span, Today: r.plan.Env.Today, Plans: []string{r.plan.ID}, Order: order(out)}
}

// entries are the dates and milestones of series that an output has.
func (r *run) entries(out *plan.Output, of []*schedule.Series) (entries []schedule.Entry, err error) {
	cut := 0
	if out.Whole {
		entries, err = schedule.Whole(of, r.span)
	} else {
		entries, cut, err = schedule.Entries(of, r.span)
	}
	r.cut = max(r.cut, cut)
	if out.Owner != "" {
		entries = slices.DeleteFunc(entries, func(e schedule.Entry) bool { return !out.Has(r.plan.Event(e)) })
	}
	return entries, err
}

// events are the dates, milestones and events of rows that an agenda shows, by date.
func (r *run) events(out *plan.Output, of []*schedule.Series) (events []schedule.Event, err error) {
	entries, err := r.entries(out, of)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		events = append(events, r.plan.Event(e))
	}
	var more []schedule.Event
	if len(of) < len(out.Of) {
		more, err = r.others(out, of)
	} else {
		more, err = r.ofRows(out)
	}
	events = append(events, more...)
	schedule.SortEvents(events, order(out), r.plan.Midnight())
	return events, err
}

// agenda is how an output lists its events.
func (r *run) agenda(out *plan.Output) schedule.Agenda {
	return schedule.AgendaOf(out.Of, r.plan.ZoneName())
}

// ofRows are the events of an output's records.
func (r *run) ofRows(out *plan.Output) (events []schedule.Event, err error) {
	for _, rec := range out.Rows {
		list, err := r.plan.Events(rec, r.span, r.place(out))
		if err != nil {
			return nil, err
		}
		events = append(events, list...)
	}
	return events, nil
}

// order is that of an output's series and records on one day.
func order(out *plan.Output) (list []string) {
	for _, s := range out.Of {
		list = append(list, s.Name)
	}
	for _, rec := range out.Rows {
		list = append(list, rec.Name)
	}
	return list
}

// others are the dates of series that --series left out, as they stand in the file
// that they share.
func (r *run) others(out *plan.Output, of []*schedule.Series) ([]schedule.Event, error) {
	var named []string
	for _, s := range of {
		named = append(named, s.Name)
	}
	path := r.path(out)
	list, err := question.OfOthers(path, named)
	if err != nil {
		return nil, fmt.Errorf("%s: what the other series have in it can't be read, so it isn't written over: %w", out.File, err)
	}
	for i := range list {
		if list[i].UID == "" {
			list[i].UID = schedule.UID(list[i], r.plan.ID)
		}
		if list[i].Category == "" {
			list[i].Category = list[i].Series
		}
	}
	return list, nil
}

// place is what a record's rows are asked from; notes are told with the output.
func (r *run) place(out *plan.Output) question.Place {
	place := r.plan.Place()
	place.Hold = nil // which is looked at once for all outputs
	place.Stdin = strings.NewReader("")
	place.Note = func(format string, args ...any) { r.note(out, fmt.Sprintf(format, args...)) }
	place.Warn = place.Note
	// What one output sets aside of a record, the others would set aside too.
	place.Reserve = func(asker, file string) error {
		path := filepath.Join(r.folder(), file)
		if !filepath.IsLocal(file) {
			return fmt.Errorf("%s lies outside the output folder; outputs stay inside it", file)
		}
		if err := files.Inside(r.folder(), path); err != nil {
			return err
		}
		r.staging.Lock()
		defer r.staging.Unlock()
		if of, set := r.asides[path]; set && of == asker {
			return nil
		}
		if err := r.plan.Files.Write(path); err != nil {
			return err
		}
		r.asides[path] = asker
		return nil
	}
	place.Create = func(asker, file string) (io.Writer, error) {
		if r.firstOf(asker) != out {
			return io.Discard, nil
		}
		r.staging.Lock()
		defer r.staging.Unlock()
		return r.stage.Create(filepath.Join(r.folder(), file))
	}
	return place
}

// firstOf is the first output that shows a record, itself or in what it makes; nil for
// none.
func (r *run) firstOf(record string) *plan.Output {
	for _, out := range r.plan.Outputs {
		if out.Record != nil && out.Record.Name == record || slices.ContainsFunc(out.Rows, func(rec *plan.Record) bool { return rec.Name == record }) {
			return out
		}
	}
	return nil
}

// keyOf checks that the key of a record is there, filled and names one row.
func (r *run) keyOf(rec *plan.Record) error {
	if rec.Key == "" {
		return nil
	}
	return rec.Fault(r.plan.Job(rec, r.place(&plan.Output{File: rec.Name})).CheckKey(rec.Key))
}

// became tells what becomes of an output: how it differs from the file that
// stands there, date by date.
func became(path string, out *plan.Output, data []byte, listed int) (text string, list []schedule.Difference) {
	f, err := files.OpenOld(path)
	isNew := err != nil
	if !isNew {
		defer f.Close()
	}
	wide := out.Wide()
	dates := ""
	switch {
	case out.Format.Events:
		dates = ", " + phrase.Several(listed, "date")
	case listed >= 0 && out.Record == nil && out.Make == nil && question.Readable(out.File):
		dates = ", " + phrase.Several(listed, "date")
	}
	switch {
	case isNew:
		return "new" + dates, nil
	case files.Same(path, data):
		return "unchanged" + dates, nil
	}
	now, err := question.ReadEvents(out.File, "", bytes.NewReader(data))
	switch {
	case out.Record != nil:
		return "changed", nil
	case err != nil:
		return "made", nil
	}
	was, err := question.ReadEvents(path, "", f)
	if err != nil {
		return "replaced" + dates, nil
	}
	list, t := schedule.Differences(was, now, func(schedule.Event) bool { return true })
	if wide {
		t = schedule.Occurrences(list)
	}
	return "changed (" + t.Words() + ")" + dates, list
}
