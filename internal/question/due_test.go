package question_test

import "testing"

func TestDue(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is told whatever asks
		{"due|-", "d\n2029-03-01\n", "date=d @england-wales columns=working_left", "working_left|500", "1 date lies"},
		// blanks
		{"due|-", blank, "date=d columns=id", "id|1|3", "Left out: 1 row"},
		// options once, lists added up, rows left out are never bad
		{"due|-", "a,k\nx,1\n2027-04-01,2\n", "date=a;where=k = 2;columns=left", "left|22", ""},
		// totals stay last, and what counts as nothing is told
		{"due|-", "a,b\n2027-04-01,\n,\n", "date=a;date=b;columns=what", "what|a", "Left out: 1 row of - without a date.|Left out: 1 blank date of other rows of -."},
		{"due|-", "when\nx\n", "date=when", "line 2, `when`:", ""},
		// bands ahead and behind, of one day too
		{"due|-", "d\n2027-03-08\n2027-03-10\n2027-03-11\n2027-03-12\n2027-04-30\n", "date=d;bands=1,2,30;columns=band", "band|overdue|today|1|2|over 30", ""},
		{"due|-", "d\n2026-11-10\n2026-12-20\n2027-02-01\n2027-03-08\n2027-03-09\n2027-03-10\n2027-04-01\n2027-05-01\n", "date=d;bands=-90,-60,-30,-1,30;columns=band", "band|over 90 ago|61 to 90 ago|31 to 60 ago|2 to 30 ago|1 ago|today|1 to 30|over 30", ""},
		{"due|-", "d\n2027-03-08\n2027-03-20\n", "date=d;bands=-30;columns=band", "band|1 to 30 ago|ahead", ""},
		{"due|-", "d\n", "date=d;bands=-30,0", "rising numbers of days other than 0", ""},
		{"due|-", "d\n", "date=d;bands=-30;upcoming=yes", "upcoming leaves that out", ""},
		// nothing is passed over in silence
		{"due|-", blank, "date=d;within=soon", "within is a stretch", ""},
		{"due|-", blank, "date=d;within=3 days;window=2027", "use one of the two", ""},
	})
}
