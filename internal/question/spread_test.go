package question_test

import "testing"

func TestSpread(t *testing.T) {
	answers(t, casesIn(t, "testdata/spread.cases"))
}
