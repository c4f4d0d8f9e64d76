package question_test

import "testing"

func TestTally(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is told whatever asks
		{"tally|-", blank, "rows=working day of d", "working day of d,count|true,2|(blank),1|total,3", "without a calendar"},
		// options once, lists added up, rows left out are never bad
		{"tally|-", blank, "rows=id;rows=d", "rows stands twice; it takes one value", ""},
		{"tally|-", "Lease no,n\nL1,1.50\nL1,2\n", "rows=\"Lease no\";sum=n", "Lease no,sum|L1,3.5|total,3.5", ""},
		// totals stay last, and what counts as nothing is told
		{"tally|-", "u,n\nz,1\na,5\na,\n", "rows=u;sum=n;sort=-sum", "u,sum|a,5|z,1|total,6", "1 cell of `n` is blank and counted as 0."},
		{"tally|-", "u,n\nz,1\na,5\n", "rows=u;cols=n;sort=u;columns=-5", "u,1,total|a,,1|z,1,1|total,1,2", "-"},
		// bands ahead and behind, of one day too
		{"tally|-", "b\nahead\n1 to 30 ago\nover 90 ago\ntoday\n31 to 90 ago\n1 to 30\n31 ago\n", "rows=b;columns=b", "b|over 90 ago|31 to 90 ago|31 ago|1 to 30 ago|today|1 to 30|ahead|total", ""},
	})
}
