package infer

import (
	"slices"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/workdays"
)

// Rules of forms that are rare: middles, days and weeks of the year, other working weeks, months
// of whole weeks. Each comes back from eight years of its dates, or gives the same.
func TestFindRules_rareForms(t *testing.T) {
	span := civil.Span{First: 737425, Last: 740346} // 2020 to 2027
	for _, c := range []struct {
		rule   string
		closed workdays.WeekdaySet
	}{
		{"quarterly on middle", workdays.Weekend}, {"half-yearly on middle then roll following", workdays.Weekend}, {"yearly on day 100", workdays.Weekend}, {"yearly on mon of week 20", workdays.Weekend},
		{"weekly on sat then roll modified preceding", workdays.WeekdaySet(0).With(civil.Friday).With(civil.Saturday)}, {"monthly on last working day", workdays.WeekdaySet(0).With(civil.Friday).With(civil.Saturday)},
		{"monthly on 15 then roll following", workdays.WeekdaySet(0).With(civil.Sunday)},
	} {
		s := search()
		s.Calendars = append(s.Calendars[:1:1], Calendar{Name: "own", Days: workdays.New("own", c.closed), Bits: 0.3})
		days := dates(s, c.rule, 1, span)
		found, err := s.findRules(days)
		if err != nil || len(found) == 0 {
			t.Errorf("%s: nothing found, %v", c.rule, err)
			continue
		}
		g := &searchState{Search: s}
		next := civil.Span{First: span.Last + 1, Last: span.Last + 800}
		rule := found[0].Rules[0]
		if got := g.datesOf(rule.Phrase, s.calendarIndex(rule.Calendar), next); !slices.Equal(got, dates(s, c.rule, 1, next)) {
			t.Errorf("%s: found %v, which gives other dates later", c.rule, rule)
		}
	}
	for _, end := range []civil.FiscalYearEnd{{Weekday: civil.Saturday, Month: 1}, {Weekday: civil.Sunday, Month: 12, Day: 31}} {
		for _, p := range civil.WeekPatterns {
			s := search()
			own := *s
			own.Env.Fiscal.YearEnd, own.Env.Fiscal.Pattern = end, p.WeekPattern
			for _, rule := range []string{"fiscal-monthly on 1", "fiscal-monthly on last"} {
				days := dates(&own, rule, 0, span)
				f := s.Table("x", []Column{{Name: "d", Days: days, Times: slices.Repeat([]int{-1}, len(days))}})[0]
				if len(f.Explanations) == 0 || f.Explanations[0].Misses > 0 || f.Fiscal.End == "" {
					t.Errorf("%s with %v, %s: %d explanations, %v of %d others", rule, end, p.Name, len(f.Explanations), f.Fiscal, len(f.OtherFiscal))
					continue
				}
				next := civil.Span{First: span.Last + 1, Last: span.Last + 800}
				if got := (&searchState{Search: f.Search}).datesOf(f.Explanations[0].Rules[0].Phrase, 0, next); !slices.Equal(got, dates(&own, rule, 0, next)) {
					t.Errorf("%s with %v, %s: found %s with %v, which gives other dates later", rule, end, p.Name, f.Explanations[0].Rules[0].Phrase, f.Fiscal)
				}
			}
		}
	}
}
