package query_test

import "testing"

func TestTally(t *testing.T) {
	answers(t, casesIn(t, "testdata/tally.cases"))
}
