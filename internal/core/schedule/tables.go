package schedule

import (
	"cmp"
	"container/heap"
	"iter"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// ColumnName is the column that a name of a plan gives: lower case, words
// joined by underscores.
func ColumnName(name string) string {
	return strings.ReplaceAll(phrase.FoldName(name), " ", "_")
}

// WeekdayOf is the cell beside a date; blank if the date is.
func WeekdayOf(v eval.Value) eval.Value {
	if v.Kind != eval.Date && v.Kind != eval.DateTime {
		return eval.Value{}
	}
	return eval.Str(v.Day.Weekday().Abbrev())
}

// RuleColumns are the columns of the dates of rules.
var RuleColumns = []string{"date", "weekday", "nominal", "reason", "id"}

// RuleRows makes the rows of RuleColumns.
type RuleRows struct{ texts eval.TextArena }

// Row appends the cells of one date of a rule.
func (r *RuleRows) Row(cells []eval.Value, m *MovedDate) []eval.Value {
	n := len(cells)
	cells = slices.Grow(cells, len(RuleColumns))[:n+len(RuleColumns)]
	when := cells[n:]
	if m.plain() {
		when[0].SetDay(m.MovedTo)
		when[0].Provisional = m.Uncovered.IsSet()
		when[1].SetText(m.MovedTo.Weekday().Abbrev())
	} else {
		when[0] = m.Value()
		when[1] = WeekdayOf(when[0])
	}
	when[2].SetDay(m.Date.Date)
	reason := ""
	if len(m.Moves) > 0 || m.Override != nil || m.Uncovered.IsSet() {
		reason = r.texts.Store(m.appendReason(r.texts.Buffer()))
	}
	when[3].SetText(reason)
	when[4].SetText(r.texts.Store(m.appendID(r.texts.Buffer())))
	return cells
}

// occurrenceHeader and agendaHeader begin the tables of one series and of several.
var (
	occurrenceHeader = RuleColumns[:4]
	agendaHeader     = []string{"date", "weekday", "title", "series", "what"}
)

// IsScheduleTable reports whether a table begins like one that is made of series.
func IsScheduleTable(columns []string) bool {
	return slices.ContainsFunc([][]string{occurrenceHeader, agendaHeader}, func(head []string) bool {
		return len(columns) >= len(head) && slices.Equal(columns[:len(head)], head)
	})
}

// OccurrenceTable is the wide table of one series: a row an occurrence, its period, where the
// series says one, and its milestones beside it.
func OccurrenceTable(s *Series, window civil.Span) (columns []string, lines Lines) {
	columns = slices.Clone(occurrenceHeader)
	periods := s.Start != nil || s.End != nil
	if periods {
		columns = append(columns, "period_start", "period_end")
	}
	for _, m := range s.Milestones {
		name := ColumnName(m.Name)
		columns = append(columns, name, name+"_weekday")
	}
	return append(columns, "id"), func(yield func([]eval.Value, error) bool) {
		var cells []eval.Value
		for o, err := range s.Occurrences(window) {
			if err != nil {
				yield(nil, err)
				return
			}
			o.recordUncovered()
			cells = append(cells[:0], o.Value(), WeekdayOf(o.Value()), eval.Day(o.Date.Date), eval.Str(o.Reason()))
			if periods {
				cells = append(cells, o.Row[slotPeriodStart], o.Row[slotPeriodEnd])
			}
			for i := range s.Milestones {
				v := o.Milestone(i)
				cells = append(cells, v, WeekdayOf(v))
			}
			if !yield(append(cells, eval.Str(o.ID)), nil) {
				return
			}
		}
	}
}

// Agenda is the table of several series: a row a date, milestone or event. Where tasks
// have owners, or times several zones, it has a column of those.
type Agenda struct{ Owner, Zone bool }

// NewAgenda is the agenda of some series. home is the zone that "" stands for.
func NewAgenda(list []*Series, home string) (a Agenda) {
	zone, timed := "", false
	of := func(own string) {
		if own == "" {
			own = home
		}
		a.Zone = a.Zone || timed && own != zone
		zone, timed = own, true
	}
	see := func(chain *eval.Chain) {
		if chain == nil || chain.Minutes < 0 {
			return
		}
		of(chain.Zone)
	}
	for _, s := range list {
		a.Owner = a.Owner || s.Owner != ""
		for _, r := range s.Rules {
			see(r.Recurrence.Chain)
		}
		for _, m := range s.Milestones {
			a.Owner = a.Owner || m.Owner != ""
			if own := m.Program.Zone(); own != "" {
				of(own)
				continue
			}
			for _, from := range m.Program.Sources() {
				for _, chain := range from.Chains {
					see(chain)
				}
			}
		}
	}
	return a
}

// Columns are the columns of the agenda.
func (a Agenda) Columns() []string {
	list := slices.Clone(agendaHeader)
	if a.Owner {
		list = append(list, "owner")
	}
	if a.Zone {
		list = append(list, "zone")
	}
	return append(list, "nominal", "reason", "id")
}

// Row appends the cells of Columns for one date, milestone or event; home is the zone
// of times that name none.
func (a Agenda) Row(cells []eval.Value, e Event, home string) []eval.Value {
	cells = append(cells, e.At, WeekdayOf(e.At), eval.Str(e.Summary), eval.Str(e.Series), eval.Str(e.What))
	if a.Owner {
		cells = append(cells, eval.Str(e.Owner))
	}
	if a.Zone {
		zone := eval.Value{}
		if e.At.Kind == eval.DateTime {
			if zone = eval.Str(e.Zone()); e.Zone() == "" {
				zone = eval.Str(home)
			}
		}
		cells = append(cells, zone)
	}
	return append(cells, e.Nominal, eval.Str(e.Description), eval.Str(e.ID))
}

// Lines are the rows of events.
func (a Agenda) Lines(events []Event, home string) Lines {
	return func(yield func([]eval.Value, error) bool) {
		var cells []eval.Value
		for _, e := range events {
			if cells = a.Row(cells[:0], e, home); !yield(cells, nil) {
				return
			}
		}
	}
}

// SeriesDate is a date of one of several series.
type SeriesDate struct {
	*MovedDate
	Series *Series
}

// MergeDates yields the dates of several series in a window, sorted by moved, then
// nominal, then the order of the series; each is valid until the next one is asked for.
func MergeDates(list []*Series, window civil.Span) iter.Seq2[SeriesDate, error] {
	return func(yield func(SeriesDate, error) bool) {
		if len(list) == 1 {
			for m, err := range list[0].movedDates(window) {
				if !yield(SeriesDate{m, list[0]}, err) {
					return
				}
			}
			return
		}
		var h mergeHeap
		for i, s := range list {
			next, stop := iter.Pull2(s.movedDates(window))
			defer stop()
			m, err, ok := next()
			if err != nil {
				yield(SeriesDate{}, err)
				return
			}
			if ok {
				h = append(h, &mergeHead{m, i, next})
			}
		}
		heap.Init(&h)
		for len(h) > 0 {
			first := h[0]
			if !yield(SeriesDate{first.MovedDate, list[first.at]}, nil) {
				return
			}
			m, err, ok := first.next()
			switch {
			case err != nil:
				yield(SeriesDate{}, err)
				return
			case ok:
				first.MovedDate = m
				heap.Fix(&h, 0)
			default:
				heap.Pop(&h)
			}
		}
	}
}

// mergeHead is the next date of the series at a place in a list.
type mergeHead struct {
	*MovedDate
	at   int
	next func() (*MovedDate, error, bool)
}

// mergeHeap are a heap, the first date of all on top.
type mergeHeap []*mergeHead

func (h mergeHeap) Len() int      { return len(h) }
func (h mergeHeap) Swap(i, j int) { h[i], h[j] = h[j], h[i] }
func (h mergeHeap) Less(i, j int) bool {
	return cmp.Or(cmp.Compare(h[i].MovedTo, h[j].MovedTo), cmp.Compare(h[i].Date.Date, h[j].Date.Date),
		cmp.Compare(h[i].at, h[j].at)) < 0
}
func (h *mergeHeap) Push(x any) { *h = append(*h, x.(*mergeHead)) }
func (h *mergeHeap) Pop() any {
	last := (*h)[len(*h)-1]
	*h = (*h)[:len(*h)-1]
	return last
}

// MergeOccurrences yields the occurrences of several series in a window, in the order of
// MergeDates.
func MergeOccurrences(list []*Series, window civil.Span) iter.Seq2[Entry, error] {
	return func(yield func(Entry, error) bool) {
		next := make(map[*Series]func() (*Occurrence, error, bool))
		for _, s := range list {
			pull, stop := iter.Pull2(s.Occurrences(window))
			defer stop()
			next[s] = pull
		}
		for d, err := range MergeDates(list, window) {
			if err != nil {
				yield(Entry{}, err)
				return
			}
			o, err, _ := next[d.Series]()
			if err != nil {
				yield(Entry{}, err)
				return
			}
			o.recordUncovered()
			if !yield(o.dateEntry(d.Series), nil) {
				return
			}
		}
	}
}

// Summary is what a run tells about one series.
type Summary struct {
	Series            *Series
	Dates, Moved      int
	First, Last, Next civil.Date // Next: the first on or after the as-of day
	Blank             int        // nominal dates for which `then` gives none
	Provisional       int        // dates and milestones that asked a calendar beyond what it knows
	Warnings          int        // kinds of them: calendars that know too little, blanks
}

// SummaryColumns are the columns of what a run tells.
var SummaryColumns = []string{"series", "dates", "first", "last", "next", "moved", "warnings"}

// Cells are the cells of SummaryColumns.
func (s Summary) Cells() []eval.Value {
	return []eval.Value{eval.Str(s.Series.Name), eval.Int(s.Dates), eval.Day(s.First), eval.Day(s.Last), eval.Day(s.Next),
		eval.Int(s.Moved), eval.Int(s.Warnings)}
}

// Summarise counts the dates of a series in a window.
func Summarise(s *Series, window civil.Span, today civil.Date) (Summary, error) {
	sum := Summary{Series: s, Blank: s.Blanks(window)}
	var beyond []*workdays.Calendar
	for o, err := range s.Occurrences(window) {
		if err != nil {
			return sum, err
		}
		if sum.Dates++; sum.Dates > maxDates {
			return sum, &TooManyError{s, window}
		}
		o.recordUncovered()
		if o.AnyUncovered.IsSet() && !slices.Contains(beyond, o.AnyUncovered.Calendar) {
			beyond = append(beyond, o.AnyUncovered.Calendar)
		}
		sum.Provisional += o.provisional()
		if o.isMoved() {
			sum.Moved++
		}
		if sum.First == civil.None {
			sum.First = o.MovedTo
		}
		sum.Last = o.MovedTo
		if sum.Next == civil.None && o.MovedTo >= today {
			sum.Next = o.MovedTo
		}
	}
	if sum.Warnings = len(beyond); sum.Blank > 0 {
		sum.Warnings++
	}
	return sum, nil
}
