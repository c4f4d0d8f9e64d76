package infer

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
)

// FiscalWeeks is a fiscal year of whole weeks that dates go by, as a plan says it; blank for none.
type FiscalWeeks struct{ End, Pattern string }

// hasWeekGaps reports whether dates lie 28 and 35 days apart, as months of whole weeks do, and
// not all alike.
func hasWeekGaps(days []civil.Date) bool {
	four, five := 0, 0
	for i := 1; i < len(days); i++ {
		switch days[i] - days[i-1] {
		case 28:
			four++
		case 35:
			five++
		case 42: // a 53rd week joins the last month
		default:
			return false
		}
	}
	return four > 0 && five > 0
}

// fiscalWeeks are the fiscal years of whole weeks in which some day of each month gives the dates:
// the commoner ends first. The phrase is the rule in that year.
func (s *Search) fiscalWeeks(days []civil.Date) (found []FiscalWeeks, searches []*Search, phrases []string) {
	table := civil.Span{First: days[0], Last: days[len(days)-1]}
	for _, text := range []string{"fiscal-monthly on 1", "fiscal-monthly on last"} {
		weekday := days[0].Weekday() // the year ends the day before a first day
		if strings.HasSuffix(text, " 1") {
			weekday = (weekday+5)%7 + 1
		}
		for _, p := range civil.WeekPatterns {
			for _, day := range []int{0, 31, 30, 28} {
				for m := range 12 {
					month := (m+11)%12 + 1 // December, January and on
					if day > civil.DaysIn(2027, month) {
						continue
					}
					own := *s
					own.Env.Fiscal.YearEnd, own.Env.Fiscal.Pattern = civil.FiscalYearEnd{Weekday: weekday, Month: month, Day: day}, p.WeekPattern
					own.Env.Fiscal.FiscalMonth, own.Env.Fiscal.FiscalDay = civil.DefaultFiscalCalendar.FiscalMonth, civil.DefaultFiscalCalendar.FiscalDay
					own.HasFiscalYear = true
					g := &searchState{Search: &own}
					if !slices.Equal(g.datesOf(text, 0, table), days) {
						continue
					}
					found, searches, phrases = append(found, FiscalWeeks{yearEndText(own.Env.Fiscal.YearEnd), p.Name}), append(searches, &own), append(phrases, text)
				}
			}
		}
	}
	return found, searches, phrases
}

// explainWeeks explains dates that go by months of whole weeks, where they do.
func (f *ColumnResult) explainWeeks() {
	if f.Search.Env.Fiscal.IsWeekBased() || f.TooFew || !hasWeekGaps(f.Days) {
		return
	}
	found, searches, phrases := f.Search.fiscalWeeks(f.Days)
	if len(found) == 0 {
		return
	}
	f.Search, f.Fiscal, f.OtherFiscal = searches[0], found[0], found[1:]
	g, err := f.Search.newState(f.Days)
	if err != nil {
		return
	}
	text, given, ok := g.canonical(phrases[0], 0)
	if !ok {
		return
	}
	r := Explanation{Rules: []Rule{{text, ""}}, Dates: given, words: 12, knownUntil: g.horizonSpan().Last, next: g.datesOf(text, 0, g.horizonSpan())}
	g.score(&r)
	f.Explanations = append([]Explanation{r}, f.Explanations...)
	for i := 1; i < len(f.Explanations); i++ {
		f.Explanations[i].AgreesUntil = ranksAgreeUntil(r, f.Explanations[i])
	}
}

// yearEndText is the end of a fiscal year of whole weeks as a plan says it.
func yearEndText(e civil.FiscalYearEnd) string {
	name, month := strings.ToLower(e.Weekday.Abbrev()), strings.ToLower(civil.MonthNames[e.Month][:3])
	if e.Day == 0 {
		return fmt.Sprintf("last %s of %s", name, month)
	}
	return fmt.Sprintf("%s nearest %d %s", name, e.Day, month)
}
