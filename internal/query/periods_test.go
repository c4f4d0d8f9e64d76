package query_test

import "testing"

func TestPeriods(t *testing.T) {
	answers(t, []answerOf{
		// the ends of all time
		{"periods|9999-12", "", "by=week", "the week 9999-W52 goes beyond the years 0001 to 9999", ""},
		{"periods|0001-01-01..9999-12-31", "", "by=year;count=a = daily;count=b = daily;count=c = daily;count=d = daily;count=e = daily;count=f = daily", "count: 6 rules over 3652059 days could give more than 20000000 dates; use a narrower window", ""},
		{"periods|0001-01", "", "by=month;columns=period,days", "period,days|0001-01,31", ""},
	})
}
