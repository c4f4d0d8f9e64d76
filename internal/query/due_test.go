package query_test

import "testing"

func TestDue(t *testing.T) {
	answers(t, casesIn(t, "testdata/due.cases"))
}
