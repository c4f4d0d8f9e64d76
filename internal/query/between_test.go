package query_test

import "testing"

func TestBetween(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is reported, whatever asks
		{"between|2029-01-01|2029-02-01", "", "@england-wales where=measure starts with 'working'", "measure,result|working days from 2029-01-01 to 2029-02-01,23|working days from 2029-01-01 through 2029-02-01,23", "2 dates may move"},
	})
}
