package query_test

import (
	"strings"
	"testing"
)

func TestDates(t *testing.T) {
	answers(t, casesIn(t, "testdata/dates.cases"))
}

// A long window, whose dates are made a stretch at a time on all processors, has the dates that
// a condition looks at one after the other.
func TestDatesOfLongWindows(t *testing.T) {
	for _, rule := range []string{"yearly on easter then roll following", "monthly on 2nd tue", "quarterly on last from 1990-01-31"} {
		var got [2]string
		for i, options := range [][]string{nil, {"where=date is not blank"}} {
			out, said, err := asked{format: "csv", calendar: "scotland"}.ask("dates", "", append(options, "window=0600..2900"), rule)
			if err != nil {
				t.Fatal(err)
			}
			got[i] = said + out
		}
		if got[0] != got[1] || strings.Count(got[0], "\n") < 2300 {
			t.Errorf("%s: %d lines, one after the other %d", rule, strings.Count(got[0], "\n"), strings.Count(got[1], "\n"))
		}
	}
}
