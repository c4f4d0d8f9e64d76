package infer

import (
	"regexp"
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/workdays"
)

// Column is a column of dates, of the rows of one series; None is a blank.
type Column struct {
	Name  string
	Days  []civil.Date
	Times []int // minutes after midnight; -1 for a date without a time
	// Proofs are what the table says of each date, if it is one of a schedule; nil else.
	Proofs []Proof
}

// ColumnResult is what was found for a column: its explanations, or why there are none.
type ColumnResult struct {
	Series     string
	BaseSeries string // the series beside whose dates the column stands, if it is one of its own
	What       string // `date`, or the column of a milestone
	Column     string
	OwnSeries  bool         // the column is a series of its own, not what hangs on another
	Dates      int          // the column has, each once; of a milestone, rows
	Duplicates int          // dates that are there once more
	TooFew     bool         // too few dates to be tried
	Err        error        // that no rule was looked for: ErrSpanTooLong, ErrTooMuchWork; nil for none
	Days       []civil.Date // its dates, rising, each once; of a milestone those of its rows
	Base       []civil.Date // of a milestone: the date of each row
	// Time is the time that all its dates have, in minutes; -1 for none. MixedTimes says that they
	// have several.
	Time         int
	MixedTimes   bool
	Explanations []Explanation // best first; none if no phrase is shorter than the dates
	Search       *Search       // that found them
	IsProven     bool          // nominal dates and ids of the table are those of the rules
	// Fiscal is the fiscal year of whole weeks that the rule goes by, if it isn't that of the place;
	// OtherFiscal are others that give the same dates.
	Fiscal      FiscalWeeks
	OtherFiscal []FiscalWeeks
}

// Table explains the columns of a series: the first as its dates, each further one by steps
// from these, unless a rule of its own is shorter.
func (s *Search) Table(series string, columns []Column) (list []ColumnResult) {
	list = append(list, s.explainColumn(series, "date", columns[0]))
	first := &list[0]
	beside := s.explainOthers(series, first, columns)
	if other := first.betterCalendar(beside); other != "" {
		rules := first.Explanations[0].Rules
		first.Explanations[0].EquivalentCalendars = append([]string{rules[0].Calendar}, slices.DeleteFunc(first.Explanations[0].EquivalentCalendars,
			func(c string) bool { return c == other })...)
		rules[0].Calendar = other
		beside = s.explainOthers(series, first, columns)
	}
	return append(list, beside...)
}

// betterCalendar is a calendar that does as well for the dates of a series, and with which those
// beside them count; "" for none.
func (f *ColumnResult) betterCalendar(beside []ColumnResult) (name string) {
	if len(f.Explanations) == 0 || len(f.Explanations[0].Rules) > 1 {
		return ""
	}
	for _, m := range beside {
		if m.Base == nil || len(m.Explanations) == 0 || m.Explanations[0].calendarIndex == 0 {
			continue
		}
		if c := m.Explanations[0].Rules[0].Calendar; name == "" && slices.Contains(f.Explanations[0].EquivalentCalendars, c) {
			name = c
		} else if c != name {
			return ""
		}
	}
	return name
}

// explainOthers explains the further columns.
func (s *Search) explainOthers(series string, first *ColumnResult, columns []Column) (list []ColumnResult) {
	if s.programs == nil {
		s.programs, s.parsed = map[Rule]*eval.Program{}, map[string]phrase.Expr{}
	}
	base := *s
	if len(first.Explanations) > 0 {
		base.Calendars = s.withDefault(lastRule(first.Explanations[0]).Calendar)
	}
	for _, c := range columns[1:] {
		f := s.explainColumn(c.Name, "date", c)
		f.OwnSeries, f.BaseSeries = true, series
		beside := f
		beside.Series, beside.What, beside.OwnSeries, beside.BaseSeries = series, c.Name, false, ""
		if beside.Days, beside.Base = c.Days, columns[0].Days; !f.TooFew {
			beside.Explanations = base.explainOffsets(columns[0].Days, c.Days, first.nextDates())
			beside.Dates = countDates(c.Days)
			beside.Duplicates = 0
			if beside.Err == ErrSpanTooLong {
				beside.Err = nil
			}
		}
		if len(f.Explanations) == 0 || len(beside.Explanations) > 0 && beside.Explanations[0].Bits <= f.Explanations[0].Bits {
			f = beside
		}
		list = append(list, f)
	}
	return list
}

func lastRule(r Explanation) Rule { return r.Rules[len(r.Rules)-1] }

// explainColumn explains a column by a rule.
func (s *Search) explainColumn(series, what string, c Column) ColumnResult {
	f := ColumnResult{Series: series, What: what, Column: c.Name, Search: s}
	for _, d := range c.Days {
		if d != civil.None {
			f.Days = append(f.Days, d)
		}
	}
	slices.Sort(f.Days)
	all := len(f.Days)
	f.Days = slices.Compact(f.Days)
	f.Dates, f.Duplicates = len(f.Days), all-len(f.Days)
	f.TooFew = f.Dates < minDates
	f.Time, f.MixedTimes = commonTime(c)
	if c.Proofs != nil && !f.TooFew {
		if f.Explanations = s.findProven(c.Days, c.Proofs); f.Explanations != nil {
			f.IsProven = true
			return f
		}
	}
	f.Explanations, f.Err = s.findRules(f.Days)
	f.explainWeeks()
	f.countRepeated(c.Days)
	return f
}

// countRepeated counts the dates that stand several times as often as they do.
func (f *ColumnResult) countRepeated(days []civil.Date) {
	if f.Duplicates == 0 {
		return
	}
	f.Dates += f.Duplicates
	times := map[civil.Date]int{}
	for _, d := range days {
		times[d]++
	}
	for i := range f.Explanations {
		r := &f.Explanations[i]
		for _, d := range f.Days {
			if n := times[d] - 1; n > 0 {
				if _, ok := slices.BinarySearch(r.Dates, d); ok {
					r.Matched += n
				} else {
					r.Misses += n
				}
			}
		}
	}
}

// withDefault are the calendars with one in front, and without none if that isn't it: a phrase
// can't name it.
func (s *Search) withDefault(name string) (list []Calendar) {
	for _, c := range s.Calendars {
		if c.Name == name {
			c.Bits = 0
			list = append([]Calendar{c}, list...)
		} else if c.Name != "" {
			c.Bits++ // it is said with each step
			list = append(list, c)
		}
	}
	return list
}

// nextDates are dates that follow by the rule that was found.
func (f *ColumnResult) nextDates() []civil.Date {
	if len(f.Explanations) == 0 {
		return nil
	}
	return f.Explanations[0].next
}

func countDates(days []civil.Date) (n int) {
	for _, d := range days {
		if d != civil.None {
			n++
		}
	}
	return n
}

// commonTime is the time that all dates of a column have.
func commonTime(c Column) (at int, mixed bool) {
	at = -2
	for i, d := range c.Days {
		switch {
		case d == civil.None:
		case at == -2:
			at = c.Times[i]
		case c.Times[i] != at:
			return -1, true
		}
	}
	return max(at, -1), false
}

// Phrases are the rules of a rank, or its steps, with the constant time behind them, and the
// calendar that each counts with: none where it counts without holidays, "" where it needs none.
func (f *ColumnResult) Phrases(r Explanation) (list []Rule) {
	for _, rule := range r.Rules {
		if rule.Calendar == "" && (r.UsesCalendar || f.Base == nil && CountsWorkdays(rule.Phrase)) {
			rule.Calendar = workdays.NoneName
		}
		list = append(list, Rule{withTime(rule.Phrase, f.Time, f.What == "date"), rule.Calendar})
	}
	return list
}

// calendarWords are what a rule or its steps say where they count with a calendar.
var calendarWords = regexp.MustCompile(`\b(roll|working days?|closed days)\b`)

// CountsWorkdays reports whether a rule, as the language prints it, or steps behind it count with a
// calendar.
func CountsWorkdays(text string) bool { return calendarWords.MatchString(text) }

// Exceptions are what a rank gives and the table lacks, or the other way round, and what
// differs in a row.
func (f *ColumnResult) Exceptions(r Explanation) (off []Exception) {
	if f.Base == nil {
		_, off = compareDates(f.Days, r.Dates)
		return off
	}
	for i, d := range f.Days {
		if d != civil.None && f.Base[i] != civil.None && r.Dates[i] != d {
			off = append(off, Exception{Rule: r.Dates[i], Table: d, Nominal: f.Base[i]})
		}
	}
	return off
}
