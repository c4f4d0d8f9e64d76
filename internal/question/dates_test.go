package question_test

import "testing"

func TestDates(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is told whatever asks
		{"dates|monthly on last working day", "", "@england-wales window=2029-01 columns=date", "date|2029-01-31", "1 date lies"},
		{"dates|monthly on 15", "", "window=2029-01 add=x = date, +2 working days columns=x @england-wales", "x|2029-01-17", "1 date lies"},
		{"dates|monthly on last working day", "", "window=2028..2029 counts=year @england-wales", "year,nominal,moved|2028,12,12|2029,12,12", "12 dates lie"},
		// rules
		{"dates|monthly on 31 from 2027-01-31 3 times", "", "columns=date", "date|2027-01-31|2027-02-28|2027-03-31", ""},
		{"dates|monthly on 15 then 5th fri of month", "", "window=2027-Q1;columns=date", "date|2027-01-29", "2 nominal dates for which"},
		{"dates|monthly on 1", "", "count=2;columns=date", "date|2027-04-01|2027-05-01", ""},
		{"dates|dates 2020-01-01", "", "columns=date", "date|2020-01-01", ""},
		{"dates|monthly on last, 31", "", "window=2027-01;columns=id", "id|2027-01/31", ""},
		// series by name, fiscal years of weeks
		{"dates|pay", "", "", "unknown series `pay`", ""},
		{"dates|fiscal-monthly on last", "", "window=FY2027-Q1;columns=date,id", "date,id|2027-01-31,FY2027-M01/last|2027-02-28,FY2027-M02/last|2027-03-31,FY2027-M03/last", ""},
		// nothing is passed over in silence
		{"dates|monthly on 1", "", "window=2027;counts=year;add=x = date", "counts means nothing beside add", ""},
		{"dates|monthly on 1", "", "window=2027..", "an end of this stretch is missing", ""},
	})
}
