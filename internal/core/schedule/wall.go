package schedule

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Wall is months at a glance, with the days of series marked in them.
type Wall struct {
	Title     string
	Letter    bool // printed on Letter, not A4
	Months    []civil.Span
	WeekStart civil.Weekday
	Series    []WallSeries
	// Closures are the named closed days: of each name its days.
	Closures []WallClosure
	// Parts stand on paper of their own behind the months.
	Parts []WallPart

	marks    map[civil.Date][]WallMark
	calendar *workdays.Calendar
	names    map[civil.Date]string
}

// WallSeries is a line of the legend.
type WallSeries struct {
	Title        string
	Count, Moved int
}

// WallMark is a date of a series on a day.
type WallMark struct {
	Series int // place among Series
	Moved  bool
	Text   string // what it is, and the reason where it moved
}

// WallClosure is a holiday and its days.
type WallClosure struct {
	Name string
	Days []civil.Date
}

// maxWallMonths is how many months a wall has at most.
const maxWallMonths = 24

// NewWall marks the dates of series, with milestones each of them too, in the months
// that a span touches.
func NewWall(series []*Series, span civil.Span, milestones bool, frame civil.FiscalCalendar,
	cal *workdays.Calendar) (*Wall, error) {
	w := &Wall{WeekStart: frame.WeekStart, marks: map[civil.Date][]WallMark{}, names: map[civil.Date]string{}, calendar: cal}
	first, last := frame.PeriodIndex(civil.Month, span.First), frame.PeriodIndex(civil.Month, span.Last)
	if n := last - first + 1; n > maxWallMonths {
		return nil, fmt.Errorf("a wall has at most %d months; this window has %d", maxWallMonths, n)
	}
	for i := first; i <= last; i++ {
		month, _ := frame.Period(civil.Month, i)
		w.Months = append(w.Months, month)
	}
	span = civil.Span{First: w.Months[0].First, Last: w.Months[len(w.Months)-1].Last}
	at := map[string]int{}
	for _, s := range series { // in the order of the plan, whatever comes first
		whats := []string{"date"}
		for _, m := range s.Milestones {
			if milestones {
				whats = append(whats, m.Name)
			}
		}
		for _, what := range whats {
			title := s.Title
			if what != "date" {
				title += ": " + what
			}
			at[s.Name+"\x00"+what] = len(w.Series)
			w.Series = append(w.Series, WallSeries{Title: title})
		}
	}
	if err := w.addMarks(series, span, at); err != nil {
		return nil, err
	}
	w.addClosures(span)
	return w, nil
}

// addMarks marks the dates and milestones of series; lines are the legend's, by series and what.
func (w *Wall) addMarks(series []*Series, span civil.Span, lines map[string]int) error {
	entries, _, err := Entries(series, span)
	if err != nil {
		return err
	}
	for _, e := range entries {
		i, shown := lines[e.Series.Name+"\x00"+e.What]
		if !shown {
			continue
		}
		m := WallMark{Series: i, Moved: e.What == "date" && e.Occurrence.isMoved(), Text: w.Series[i].Title + ": " +
			WeekdayOf(e.At).String() + " " + e.At.String()}
		w.Series[i].Count++
		if m.Moved {
			w.Series[i].Moved++
		}
		if reason := e.Reason(); reason != "" {
			m.Text += "; " + reason
		}
		w.marks[e.At.Day] = append(w.marks[e.At.Day], m)
	}
	for _, marks := range w.marks {
		slices.SortStableFunc(marks, func(a, b WallMark) int { return a.Series - b.Series })
	}
	return nil
}

// addClosures names the closed days, those of one name together.
func (w *Wall) addClosures(span civil.Span) {
	for d := span.First; d <= span.Last; d++ {
		name := eval.HolidayNames(w.calendar, d)
		if name == "" || w.calendar.IsWorkday(d) {
			continue
		}
		w.names[d] = name
		i := slices.IndexFunc(w.Closures, func(s WallClosure) bool { return s.Name == name })
		if i < 0 {
			i, w.Closures = len(w.Closures), append(w.Closures, WallClosure{Name: name})
		}
		w.Closures[i].Days = append(w.Closures[i].Days, d)
	}
}

// Marks are those of a day, in the order of the series.
func (w *Wall) Marks(d civil.Date) []WallMark { return w.marks[d] }

// Closed reports whether a day is closed, and by which holiday; "" for a weekend.
func (w *Wall) Closed(d civil.Date) (closed bool, name string) {
	return !w.calendar.IsWorkday(d), w.names[d]
}

// Weeks are the weeks of a month, each of seven days from the week's start; some of
// them are of its neighbours.
func (w *Wall) Weeks(month civil.Span) (weeks []civil.Date) {
	for d := month.First.OnOrBefore(w.WeekStart); d <= month.Last; d += 7 {
		weeks = append(weeks, d)
	}
	return weeks
}

// ISOWeekOf is the ISO week of a row: that of its Thursday.
func (w *Wall) ISOWeekOf(first civil.Date) int {
	_, n := first.OnOrAfter(civil.Thursday).ISOWeek()
	return n
}

// CrowdedDays are the days with more than one mark, in order.
func (w *Wall) CrowdedDays() (days []civil.Date) {
	for d, marks := range w.marks {
		if len(marks) > 1 {
			days = append(days, d)
		}
	}
	slices.Sort(days)
	return days
}

// Span is all of its days.
func (w *Wall) Span() civil.Span {
	return civil.Span{First: w.Months[0].First, Last: w.Months[len(w.Months)-1].Last}
}

// DaysText writes days of a holiday with stretches drawn together: 2027-12-27..2027-12-31.
func (s WallClosure) DaysText() string {
	var parts []string
	for i := 0; i < len(s.Days); {
		j := i
		for j+1 < len(s.Days) && s.Days[j+1] == s.Days[j]+1 {
			j++
		}
		text := s.Days[i].String()
		if j > i {
			text += ".." + s.Days[j].String()
		}
		parts = append(parts, text)
		i = j + 1
	}
	return strings.Join(parts, ", ")
}
