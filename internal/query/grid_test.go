package query_test

import "testing"

func TestGrid(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is reported, whatever asks
		{"grid|-", "n,a\nx,2029-01-02\n", "name=n start=a end=a window=2029-01-01..2029-01-02 @england-wales", "n,2029-01-01,2029-01-02,total|x,,x,1|total,0,1,1", "are unknown after"},
		// totals stay last, and what counts as nothing is reported
		{"grid|-", "n,a\nx,2027-01-04\ny,2027-01-04\ny,2027-01-05\n", "name=n;start=a;end=a;window=2027-01-04..2027-01-05;sort=-total", "n,2027-01-04,2027-01-05,total|y,x,x,2|x,x,,1|total,2,1,3", ""},
	})
}
