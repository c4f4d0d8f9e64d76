package query_test

import "testing"

func TestHolidays(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is reported, whatever asks
		{"holidays|england-wales", "", "@england-wales window=2029-01 columns=date", "date|2029-01-01", "31 dates may move"},
		// words
		{"holidays", "", "window=2027", "needs the name of a calendar", ""},
	})
}
