package query_test

import "testing"

func TestValue(t *testing.T) {
	answers(t, casesIn(t, "testdata/value.cases"))
}
