package schedule

import (
	"fmt"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
)

// Texts of events with names in braces: what they are filled with, and what is wrong with them.
func TestTemplates(t *testing.T) {
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()}
	other, err := NewSeries("other", "", "monthly on 5", env)
	if err != nil {
		t.Fatal(err)
	}
	s, err := NewSeries("pay", "Crew pay", "monthly on 15 then roll preceding", env)
	if err != nil {
		t.Fatal(err)
	}
	env.FindRelated = func(name, what string) (eval.RelatedDate, error) {
		if name != "other" {
			return eval.RelatedDate{}, fmt.Errorf("there is no series `%s`", name)
		}
		return s.Related(other, what)
	}
	o, err := s.findOccurrence("2027-05/15")
	if err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]string{"": "", "Pay": "Pay", "{date}": "2027-05-14", "{nominal}: {Title}{number}!": "2027-05-15: Crew pay5!", "{other.date} to {date}": "2027-05-05 to 2027-05-14", "{period_start}}": "2027-04-16}",
		"{date": "`{date` is not closed", "{daet}": "did you mean `{date}`?", "{quayside}": "unknown name `{quayside}`; the names are nominal", "{elsewhere.date}": "there is no series `elsewhere`", "{other.day}": "`other` has no milestone `day`",
		strings.Repeat("é", 1000): strings.Repeat("é", 1000), strings.Repeat("é", 1001): "at most 1000 characters, found 1001"} {
		tmpl, err := s.NewTemplate(text, env)
		got := ""
		if err != nil {
			got = err.Error()
		} else {
			got, _ = tmpl.FillRow(o.Row)
		}
		if err == nil && got != want || err != nil && !strings.Contains(got, want) {
			t.Errorf("%.40q: %.200s, want %.200s", text, got, want)
		}
	}
}

// What is expected of a rule holds while it does, and nothing of a period in which it changes.
func TestExpectedOfChangingRules(t *testing.T) {
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: weekend()}
	rule := func(text, first, last string, n, gap int) EffectiveRule {
		s, err := NewSeries("", "", text, env)
		if err != nil {
			t.Fatal(err)
		}
		a, _, _ := civil.Parse(first)
		b, _, _ := civil.Parse(last)
		return EffectiveRule{Recurrence: s.Rules[0].Recurrence, Text: text, Span: civil.Span{First: a, Last: b}, Expects: &Expectations{Counts: map[string]Bounds{"per-month": {n, n}}, Gap: &Bounds{1, gap}}}
	}
	for _, c := range []struct {
		n, m, gap int
		want      string
	}{
		{1, 2, 31, ""}, {2, 2, 31, "per-month: 2027-01 has 1 date, expected 2; per-month: 2027-02 has 1 date, expected 2; per-month: 2027-03 has 1 date, expected 2"}, {1, 3, 31, "per-month: 2027-05 has 2 dates, expected 3; per-month: 2027-06 has 2 dates, expected 3"},
		{1, 2, 16, "gap: 17 days after 2027-05-28, expected 1..16"},
	} {
		s, err := NewSeries("s", "", "monthly on 3", env)
		if err == nil {
			err = s.SetRules([]EffectiveRule{rule("monthly on 3", "2027-01-01", "2027-04-10", c.n, 31), rule("monthly on 14, 28", "2027-04-11", "2027-12-31", c.m, c.gap)})
		}
		if err != nil {
			t.Fatal(err)
		}
		found, err := s.Check(civil.Span{First: 739982, Last: 740162}) // January to June 2027
		var got []string
		changes := 0
		for _, f := range found {
			if strings.Contains(f.Text, "changes") {
				changes++
			} else if strings.HasPrefix(f.Key, "expect.per") || strings.HasPrefix(f.Key, "expect.gap") && len(got) == 0 {
				got = append(got, f.Text)
			}
		}
		if text := strings.Join(got, "; "); err != nil || changes != 1 || text != c.want {
			t.Errorf("%d and %d a month, %d days: %s, %d changes, want %s; %v", c.n, c.m, c.gap, text, changes, c.want, err)
		}
	}
}

// Short days stand among the holidays, with what counts of them and when they end.
func TestHolidaysWithShortDays(t *testing.T) {
	cal := weekend().WithHolidays(workdays.HolidayList{{Date: 740000, Name: "Ropes", Nominal: 740000}, {Date: 740002, Name: "Eve", Nominal: 740002, Weight: 50, Until: 720}, {Date: 740001, Name: "Half", Nominal: 740001, Weight: 25}})
	columns, lines := Holidays(cal, civil.Span{First: 739990, Last: 740010})
	var got []string
	for cells := range lines {
		var row []string
		for _, c := range cells {
			row = append(row, c.String())
		}
		got = append(got, strings.Join(row, "|"))
	}
	if text, want := strings.Join(columns, ",")+"; "+strings.Join(got, "; "), "date,weekday,name,nominal,reason,counts,until; 2027-01-19|Tue|Ropes|2027-01-19||0|; 2027-01-20|Wed|Half|2027-01-20||0.25|; 2027-01-21|Thu|Eve|2027-01-21||0.5|12:00"; text != want {
		t.Errorf("%s, want\n%s", text, want)
	}
}
