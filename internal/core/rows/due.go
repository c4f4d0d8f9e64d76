package rows

import (
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Due lists what runs out, or comes round, and when.
type Due struct {
	Today        civil.Date
	Span         civil.Span // dates shown; those before Today are overdue
	UpcomingOnly bool       // leaves the overdue out
	Yearly       bool       // looks at anniversaries
	Bands        []int      // ends in days, rising; those below 0 age what is past
	// Calendar is that of a row; nil if it is blank. PerRow says that rows differ in it.
	Calendar       func(row []eval.Value) *workdays.Calendar
	PerRow         bool
	HidesWorkdays  bool     // what is left of working days can't matter to what is written
	LeapDayToMarch bool     // keeps 29 February on 1 March
	names          []string // of the bands
}

// DueColumns are the columns that Due adds; years with Yearly only.
var DueColumns = []string{"what", "date", "weekday", "left", "working_left", "band"}

// Columns returns the columns that are added.
func (d *Due) Columns() []string {
	if d.Yearly {
		return append(slices.Clone(DueColumns), "years")
	}
	return DueColumns
}

// Dates returns the dates to show for a base date: itself, or its anniversaries
// in the span, never before the base itself.
func (d *Due) Dates(base civil.Date) (list []civil.Date) {
	if !d.Yearly {
		if d.Span.Contains(base) && !(d.UpcomingOnly && base < d.Today) {
			list = append(list, base)
		}
		return list
	}
	from := max(d.Span.First, base)
	if d.Span.First <= civil.Min || d.UpcomingOnly {
		from = max(from, d.Today)
	}
	for y := max(from.Year(), base.Year()); y <= civil.MaxYear; y++ {
		day := eval.AnniversaryIn(base, y, d.LeapDayToMarch)
		if day > d.Span.Last {
			break
		}
		if day >= from {
			list = append(list, day)
			if d.Span.Last == civil.Max {
				break // without a bound, the next one
			}
		}
	}
	return list
}

// Cells returns, in room, what is added to a row for one date and the working days left.
func (d *Due) Cells(room []eval.Value, what string, base, day civil.Date, worked eval.Value) []eval.Value {
	left := int(day - d.Today)
	cells := append(room[:0], eval.Str(what), eval.Day(day), eval.Str(day.Weekday().Abbrev()), eval.Int(left),
		worked, eval.Str(d.Band(left)))
	if d.Yearly {
		cells = append(cells, eval.Int(day.Year()-base.Year()))
	}
	return cells
}

// Band names the band that so many days left fall into.
func (d *Due) Band(left int) string {
	if d.names == nil {
		d.nameBands()
	}
	switch past := sort.SearchInts(d.Bands, 0); {
	case left == 0:
		return "today"
	case left < 0:
		return d.names[sort.SearchInts(d.Bands[:past], left+1)]
	default:
		return d.names[past+1+sort.SearchInts(d.Bands[past:], left)]
	}
}

// nameBands makes the names of the bands: what is past, its last band ending at today, and
// what is to come.
func (d *Due) nameBands() {
	stretch := func(from, to int) string {
		if from == to {
			return strconv.Itoa(from)
		}
		return fmt.Sprintf("%d to %d", from, to)
	}
	past := sort.SearchInts(d.Bands, 0)
	if past == 0 {
		d.names = []string{"overdue"}
	} else {
		d.names = []string{fmt.Sprintf("over %d ago", -d.Bands[0])}
		for i, n := range d.Bands[:past] {
			to := 1
			if i+1 < past {
				to = -d.Bands[i+1] + 1
			}
			d.names = append(d.names, stretch(to, -n)+" ago")
		}
	}
	if past == len(d.Bands) {
		d.names = append(d.names, "ahead")
		return
	}
	from := 1
	for _, end := range d.Bands[past:] {
		d.names = append(d.names, stretch(from, end))
		from = end + 1
	}
	d.names = append(d.names, fmt.Sprintf("over %d", from-1))
}

// Emphasis returns how a row with so many days left stands out: what is past, and what falls
// into the first band from today.
func (d *Due) Emphasis(left int) Emphasis {
	switch {
	case left < 0:
		return OverdueRow
	case left == 0 || d.Band(left) == d.Band(1):
		return NearRow
	}
	return NoEmphasis
}

// ParseBands reads 30, 60, 90, or -90, -30, 30.
func ParseBands(texts []string) (list []int, err error) {
	for _, f := range texts {
		n, err := strconv.Atoi(strings.TrimSpace(f))
		if err != nil || n == 0 || n < -maxBandDays || n > maxBandDays || len(list) > 0 && n <= list[len(list)-1] {
			return nil, fmt.Errorf("expected rising numbers of days other than 0, such as 30,60,90 or -30,30, found %q",
				eval.Truncate(strings.Join(texts, ",")))
		}
		list = append(list, n)
	}
	return list, nil
}

// maxBandDays is how many days off a band may end.
const maxBandDays = 10_000_000

// bandRank orders bands by their text; ok is false for other texts.
func bandRank(s string) (n int, ok bool) {
	switch s {
	case "overdue":
		return -maxBandDays, true
	case "today":
		return 0, true
	case "ahead":
		return maxBandDays + 1, true
	}
	number, past := strings.CutSuffix(s, " ago")
	over := 0
	if rest, ok := strings.CutPrefix(number, "over "); ok {
		number, over = rest, 1
	}
	from, to, ranged := strings.Cut(number, " to ")
	if !ranged {
		to = from
	}
	n, err := strconv.Atoi(from)
	m, err2 := strconv.Atoi(to)
	if err != nil || err2 != nil || n < 1 || m < n || over > 0 && ranged {
		return 0, false
	}
	if past {
		return -m - over, true
	}
	return n + over, true
}

// compareHeadings orders the headings of a tally: bands, months, weekdays, numbers and
// dates in their own order, other texts by their letters, a blank last.
func compareHeadings(a, b string) int {
	if a == "" || b == "" {
		return cmp.Compare(len(b), len(a)) * boolToInt(a == "" != (b == ""))
	}
	for _, rank := range []func(string) (int, bool){bandRank, monthRank, weekdayRank} {
		x, aok := rank(a)
		y, bok := rank(b)
		if aok && bok {
			return cmp.Compare(x, y)
		}
	}
	return eval.CompareCells(eval.Str(a), eval.Str(b))
}

func boolToInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

func monthRank(s string) (int, bool) {
	for m := 1; m <= 12; m++ {
		if strings.EqualFold(s, civil.MonthNames[m]) || strings.EqualFold(s, civil.MonthNames[m][:3]) {
			return m, true
		}
	}
	return 0, false
}

func weekdayRank(s string) (int, bool) {
	for w := 1; w <= 7; w++ {
		if strings.EqualFold(s, civil.WeekdayNames[w]) || strings.EqualFold(s, civil.WeekdayNames[w][:3]) {
			return w, true
		}
	}
	return 0, false
}
