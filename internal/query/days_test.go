package query_test

import "testing"

func TestDays(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is reported, whatever asks
		{"days|2029-01-01..2029-01-03", "", "@england-wales columns=date", "date|2029-01-01|2029-01-02|2029-01-03", "3 dates may move"},
	})
}
