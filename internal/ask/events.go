package ask

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/heap"
	"yoyaku/internal/ical"
)

// EventQuery lists the events of a calendar file.
type EventQuery struct {
	Window, Zone           string // texts of the options; "" for all, and for each event's own
	Cancelled, Raw, Strict bool
	table                  string // the file, where another query reads it; "" where it is asked itself
}

// readColumns are the columns of the answer; rawColumns follow them with raw.
var (
	readColumns = []string{"start", "end", "zone", "days", "weekday", "summary", "location", "categories", "status",
		"uid", "instance", "sequence", "line"}
	rawColumns = []string{"component", "rrule"}
)

// Answer lists the events that the job asks for.
func (q *EventQuery) Answer(j *Job) error {
	span, err := j.ParseWindow("window", q.Window)
	if err != nil {
		return err
	}
	var zone *time.Location
	if q.Zone != "" {
		if zone, err = ical.Zone(q.Zone); err != nil {
			return rows.WrapOption("zone", err)
		}
	}
	defer heap.Bound(30)()
	name, root, err := q.open(j)
	if err != nil {
		return err
	}
	var list []ical.Instance
	var problems []*ical.Error
	if q.Raw {
		list, problems, err = rawInstances(name, root)
	} else {
		list, problems, err = q.instances(j, name, root, span)
	}
	if err != nil {
		return err
	}
	if err := q.reportProblems(j, problems); err != nil {
		return err
	}
	for n := range list {
		i := &list[n]
		if zone == nil {
			continue
		}
		i.From, i.To = i.From.In(zone), i.To.In(zone)
		if i.RecurrenceID != nil {
			id := i.RecurrenceID.In(zone)
			i.RecurrenceID = &id
		}
	}
	list = slices.DeleteFunc(list, func(i ical.Instance) bool {
		return span != civil.AllDays && (i.From.Day > span.Last || i.Last() < span.First)
	})
	order := orderOfInstances(list)
	if len(order) == 0 {
		j.Note("%s has no events there", name)
	}
	head := readColumns
	if q.Raw {
		head = append(slices.Clone(head), rawColumns...)
	}
	return j.FillRows(head, func(put rows.PutRow) error {
		for _, n := range order {
			if err := put(q.cells(&list[n])); err != nil {
				return err
			}
		}
		return nil
	})
}

// orderOfInstances returns the indexes of instances by their instants, then their lines.
func orderOfInstances(list []ical.Instance) []int32 {
	instants, order := make([]int64, len(list)), make([]int32, len(list))
	for n, i := range list {
		instants[n], order[n] = i.From.Instant(), int32(n)
	}
	slices.SortFunc(order, func(a, b int32) int {
		return cmp.Or(cmp.Compare(instants[a], instants[b]), cmp.Compare(list[a].Line, list[b].Line), cmp.Compare(a, b))
	})
	return order
}

// open reads the file.
func (q *EventQuery) open(j *Job) (name string, root *ical.Component, err error) {
	var in io.Reader = j.Stdin
	if name = j.Args[0]; name == "-" {
		name = "standard input"
	} else {
		f, err := j.Files.Open(name)
		if err != nil {
			return name, nil, err
		}
		defer f.Close()
		in = f
	}
	root, err = ical.Read(name, in)
	return name, root, err
}

// instances are the times that events take place.
func (q *EventQuery) instances(j *Job, name string, root *ical.Component, span civil.Span) (list []ical.Instance,
	problems []*ical.Error, err error) {
	sets, problems, err := ical.ReadSets(name, root)
	if err != nil {
		return nil, nil, err
	}
	wide := span
	if span != civil.AllDays { // another zone's days
		wide = span.Widen(2, 2)
	}
	gone := 0
	budget, beside := ical.NewBudget(), ical.NewBudget()
	for _, s := range sets {
		more, err := s.Instances(wide, q.Cancelled, budget)
		if fault := (*ical.Error)(nil); errors.As(err, &fault) {
			fault.File = name
			if fault.Message == ical.ErrEndless.Error() {
				return nil, nil, fmt.Errorf("%w: %s", fault, j.OptionText("window", "2027"))
			}
			problems = append(problems, fault)
		}
		if list = append(list, more...); len(list) == len(more) {
			list = more // one large event isn't held twice
		}
		if !q.Cancelled && slices.ContainsFunc(s.Entries(), func(e *ical.Entry) bool { return e.Cancelled }) {
			with, _ := s.Instances(wide, true, beside)
			gone += len(with) - len(more)
		}
	}
	if gone > 0 {
		j.Note("%s left out; %s lists them too", phrase.Plural(gone, "cancelled event"), q.with("cancelled"))
	}
	other := map[string]int{}
	for _, cal := range root.Subs {
		for _, c := range cal.Subs {
			other[c.Name]++
		}
	}
	for _, kind := range [][2]string{{"VTODO", "to-do"}, {"VJOURNAL", "journal entry"}} {
		if n := other[kind[0]]; n > 0 {
			j.Note("%s left out, which %s no event; %s lists them", phrase.Plural(n, kind[1]),
				map[bool]string{true: "is", false: "are"}[n == 1], q.with("raw"))
		}
	}
	return list, problems, nil
}

// rawInstances is a row for each component.
func rawInstances(name string, root *ical.Component) (list []ical.Instance, problems []*ical.Error, err error) {
	entries, problems, err := ical.Entries(name, root)
	for _, e := range entries {
		list = append(list, e.AsInstance())
	}
	return list, problems, err
}

// maxListedProblems is how many problems of a file are reported one by one.
const maxListedProblems = 10

// reportProblems warns of what can't be read.
func (q *EventQuery) reportProblems(j *Job, problems []*ical.Error) error {
	slices.SortStableFunc(problems, func(a, b *ical.Error) int { return cmp.Compare(a.Line, b.Line) })
	for n, p := range problems {
		switch {
		case q.Strict:
			return &ical.Error{File: p.File, Line: p.Line, Message: strings.TrimSuffix(p.Message, "; left out")}
		case n == maxListedProblems:
			j.Warn("and %d more", len(problems)-n)
			return nil
		}
		j.Warn("%v", p)
	}
	return nil
}

// cells are the cells of a row.
func (q *EventQuery) cells(i *ical.Instance) []eval.Value {
	zone, end, days := "", eval.Value{}, i.Days
	start := stampCell(i.From)
	switch {
	case i.From.Day == civil.None:
		start = eval.Value{}
		if i.To.Day != civil.None {
			end = stampCell(i.To)
		}
	case i.AllDay():
		end = eval.Day(i.Last())
	default:
		if days = int(i.Last()-i.From.Day) + 1; !i.IsOpenEnded {
			end = stampCell(i.To)
		}
	}
	if i.From.HasTime && i.From.Zone != nil {
		zone = i.From.Zone.String()
	}
	instance, weekday, length := eval.Value{}, eval.Value{}, eval.Value{}
	if i.RecurrenceID != nil {
		instance = stampCell(*i.RecurrenceID)
	}
	if i.From.Day != civil.None {
		weekday, length = eval.Str(i.From.Day.Weekday().Abbrev()), eval.Int(days)
	}
	cells := []eval.Value{start, end, eval.Str(zone), length, weekday, eval.Str(i.Summary), eval.Str(i.Location),
		eval.Str(i.Categories),
		eval.Str(i.Status), eval.Str(i.UID), instance, eval.Int(i.Sequence), eval.Int(i.Line)}
	if q.Raw {
		cells = append(cells, eval.Str(i.Component), eval.Str(i.Entry.Rule))
	}
	return cells
}

// stampCell is a date, or a time to the minute; to the second it is a text.
func stampCell(s ical.TimeValue) eval.Value {
	v := s.Value()
	if s.Second%60 != 0 {
		return eval.Str(fmt.Sprintf("%s:%02d", v, s.Second%60))
	}
	return v
}

// with is how to read the file with an option.
func (q *EventQuery) with(option string) string {
	if q.table == "" {
		return "--" + option
	}
	return "`yoyaku read " + ShellWord(q.table) + " --" + option + "`"
}
