package query_test

import "testing"

func TestMatch(t *testing.T) {
	answers(t, casesIn(t, "testdata/match.cases"))
}
