package infer

import (
	"slices"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
)

// Column is a column of dates, of the rows of one series; None is a blank.
type Column struct {
	Name  string
	Days  []civil.Date
	Times []int // minutes after midnight; -1 for a date without a time
}

// Found is what explains a column.
type Found struct {
	Series string
	Of     string // the series beside whose dates the column stands, if it is one of its own
	What   string // `date`, or the column of a milestone
	Column string
	Own    bool         // the column is a series of its own, not what hangs on another
	Dates  int          // the column has, each once; of a milestone, rows
	Twice  int          // dates that are there once more
	Few    bool         // too few dates to be tried
	Why    error        // that no rule was looked for: ErrFar, ErrMany; nil for none
	Days   []civil.Date // its dates, rising, each once; of a milestone those of its rows
	Base   []civil.Date // of a milestone: the date of each row
	// At is the time that all its dates have, in minutes; -1 for none. Mixed says that they
	// have several.
	At    int
	Mixed bool
	Ranks []Rank  // best first; none if no phrase is shorter than the dates
	By    *Search // that found them
}

// Table explains the columns of a series: the first as its dates, each further one by steps
// from these, unless a rule of its own is shorter.
func (s *Search) Table(series string, columns []Column) (list []Found) {
	list = append(list, s.column(series, "date", columns[0]))
	first := &list[0]
	beside := s.besides(series, first, columns)
	if other := first.another(beside); other != "" {
		rules := first.Ranks[0].Rules
		first.Ranks[0].Alike = append([]string{rules[0].Calendar}, slices.DeleteFunc(first.Ranks[0].Alike,
			func(c string) bool { return c == other })...)
		rules[0].Calendar = other
		beside = s.besides(series, first, columns)
	}
	return append(list, beside...)
}

// another is a calendar that does as well for the dates of a series, and with which those
// beside them count; "" for none.
func (f *Found) another(beside []Found) (name string) {
	if len(f.Ranks) == 0 || len(f.Ranks[0].Rules) > 1 {
		return ""
	}
	for _, m := range beside {
		if m.Base == nil || len(m.Ranks) == 0 || m.Ranks[0].at == 0 {
			continue
		}
		if c := m.Ranks[0].Rules[0].Calendar; name == "" && slices.Contains(f.Ranks[0].Alike, c) {
			name = c
		} else if c != name {
			return ""
		}
	}
	return name
}

// besides explains the further columns.
func (s *Search) besides(series string, first *Found, columns []Column) (list []Found) {
	if s.programs == nil {
		s.programs = map[Rule]*eval.Program{}
	}
	base := *s
	if len(first.Ranks) > 0 {
		base.Calendars = s.from(last(first.Ranks[0]).Calendar)
	}
	for _, c := range columns[1:] {
		f := s.column(c.Name, "date", c)
		f.Own, f.Of = true, series
		beside := f
		beside.Series, beside.What, beside.Own, beside.Of = series, c.Name, false, ""
		if beside.Days, beside.Base = c.Days, columns[0].Days; !f.Few {
			beside.Ranks = base.Beside(columns[0].Days, c.Days, first.next())
			beside.Dates = count(c.Days)
			beside.Twice = 0
			if beside.Why == ErrFar {
				beside.Why = nil
			}
		}
		if len(f.Ranks) == 0 || len(beside.Ranks) > 0 && beside.Ranks[0].Bits <= f.Ranks[0].Bits {
			f = beside
		}
		list = append(list, f)
	}
	return list
}

func last(r Rank) Rule { return r.Rules[len(r.Rules)-1] }

// column explains a column by a rule.
func (s *Search) column(series, what string, c Column) Found {
	f := Found{Series: series, What: what, Column: c.Name, By: s}
	for _, d := range c.Days {
		if d != civil.None {
			f.Days = append(f.Days, d)
		}
	}
	slices.Sort(f.Days)
	all := len(f.Days)
	f.Days = slices.Compact(f.Days)
	f.Dates, f.Twice = len(f.Days), all-len(f.Days)
	f.Few = f.Dates < Fewest
	f.At, f.Mixed = constant(c)
	f.Ranks, f.Why = s.Rules(f.Days)
	return f
}

// from are the calendars with one in front, and without none if that isn't it: a phrase
// can't name it.
func (s *Search) from(name string) (list []Calendar) {
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

// next are dates that follow by the rule that was found.
func (f *Found) next() []civil.Date {
	if len(f.Ranks) == 0 {
		return nil
	}
	return f.Ranks[0].next
}

func count(days []civil.Date) (n int) {
	for _, d := range days {
		if d != civil.None {
			n++
		}
	}
	return n
}

// constant is the time that all dates of a column have.
func constant(c Column) (at int, mixed bool) {
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

// Phrases are the rules of a rank, or its steps, with the constant time behind them.
func (f *Found) Phrases(r Rank) (list []Rule) {
	for _, rule := range r.Rules {
		list = append(list, Rule{timed(rule.Phrase, f.At, f.What == "date"), rule.Calendar})
	}
	return list
}

// Exceptions are what a rank gives and the table lacks, or the other way round, and what
// differs in a row.
func (f *Found) Exceptions(r Rank) (off []Exception) {
	if f.Base == nil {
		_, off = Compare(f.Days, r.Given)
		return off
	}
	for i, d := range f.Days {
		if d != civil.None && f.Base[i] != civil.None && r.Given[i] != d {
			off = append(off, Exception{Rule: r.Given[i], Table: d, Of: f.Base[i]})
		}
	}
	return off
}
