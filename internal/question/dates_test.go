package question_test

import "testing"

func TestDates(t *testing.T) {
	answers(t, casesIn(t, "testdata/dates.cases"))
}
