package question_test

import "testing"

func TestSpread(t *testing.T) {
	answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is told whatever asks
		{"spread|-", "a,b\n2029-01-01,2029-01-31\n", "start=a end=b by=month columns=working_days @england-wales", "working_days|22", "1 date lies"},
		// open ranges
		{"spread|-", "a,b\n2027-03-01,\n2027-04-01,\n", "start=a;end=b;by=month;columns=days", "days|10", "1 open range runs through 2027-03-10; --open-through DATE says another day.\n1 open range starts after 2027-03-10"},
		{"spread|-", "a,b\n2027-03-01,\n2027-04-01,\n", "start=a;end=b;by=month;columns=days;window=2027-03..2027-04;open-through=window", "days|31|30|30", "2 open ranges run through 2027-04-30."},
		{"spread|-", "a,b\n2027-03-01,\n", "start=a;end=b;open-through=window", "window is needed", ""},
		{"spread|-", "a,e\n2027-01-31,2027-03-31\n", "dates=monthly on 1 until e from a;columns=date,number", "date,number|2027-02-01,1|2027-03-01,2", ""},
		{"spread|-", "a,w\n2027-01-31,3\n", "dates=monthly on last then +w working days;window=2027-05;columns=date,number", "date,number|2027-05-05,4", ""},
		{"spread|-", "w\n2\n", "dates=dates 2027-02-01 then lasting w months;columns=date", "date|2027-03-31", ""},
		{"spread|-", "e\n2027-03-31\n", "dates=every 2 months back from e 2 times;columns=date", "date|2027-01-31|2027-03-31", ""},
		{"spread|-", "p,a,b\nx,2027-03-01,2027-03-05\nx,2027-03-04,2027-03-06\n", "start=a;end=b;by=month;per=p;overlaps=merge;columns=days", "days|6", ""},
		{"spread|-", "p,a,b\nx,2027-03-01,2027-03-05\nx,2027-03-04,2027-03-06\n", "start=a;end=b;by=month;per=p", "two ranges of \"x\" overlap", ""},
		// series by name, fiscal years of weeks
		{"spread|-", "a,b\n2027-01-30,2027-02-02\n", "start=a;end=b;by=fiscal-month;columns=period,days", "period,days|FY2027-M01,2|FY2027-M02,2", ""},
		// amounts that add up
		{"spread|-", "a,b,n\n2027-01-30,2027-02-02,-10\n", "start=a;end=b;by=month;share=n;columns=n", "n|-5.00|-5.00", ""},
		{"spread|-", "a,b,n\n2027-01-30,2027-02-02,10\n", "start=a;end=b;by=month;share=n;working=yes;columns=n,working_days", "n,working_days|0.00,0|10.00,2", ""},
		{"spread|-", "a,b,n\n2027-01-30,2027-01-31,10\n", "start=a;end=b;by=month;share=n;working=yes", "nothing in the range to share the amount over: 10", ""},
		{"spread|-", "a,b,n\n2027-01-30,2027-02-02,\n", "start=a;end=b;by=month;share=n;columns=n,days", "n,days|,2|,2", ""},
		{"spread|-", "a,b,n\n2027-01-15,2027-03-14,10\n", "start=a;end=b;by=month;share=n;balance=yes;window=2027-02-10..2027-02-12;columns=first_day,n,before,after", "first_day,n,before,after|2027-02-01,4.75,7.12,2.37", ""},
		{"spread|-", "a,b,n\n2027-01-30,,10\n", "start=a;end=b;by=month;share=n", "open-through says where it ends", ""},
		{"spread|-", "a,b,n\n2027-01-30,,10\n", "start=a;end=b;by=month;share=n;per=n;overlaps=merge", "no amount of their own", ""},
		{"spread|-", "a,n\n2027-01-31,100\n", "dates=monthly from a 3 times;share=n;columns=date,n,number", "date,n,number|2027-01-31,33.34,1|2027-02-28,33.33,2|2027-03-31,33.33,3", ""},
		{"spread|-", "a,n\n2027-01-31,100\n", "dates=monthly from a 3 times;share=n;share-by=DAYS;decimals=0;columns=n", "n|35|31|34", ""},
		{"spread|-", "a,n\n2027-01-31,100\n", "dates=monthly from a;share=n;window=2027", "there is no whole to share", ""},
		{"spread|-", "a,n\n2027-01-31,1\n", "dates=monthly from a n times;balance=yes", "balance goes with share", ""},
		{"spread|-", "a,n\n2027-01-31,\n2027-01-31,0\n", "dates=monthly from a n times;columns=date;bad-rows=blank", "date", "1 row left out: a date or number in the rule is blank there|this number is 1 or more"},
		{"spread|-", "a,b\n,2027-01-31\n", "start=a;end=b", "a,b,day", "1 row without a start"},
		// totals stay last, and what counts as nothing is told
		{"spread|-", "a,b,pay\n2027-01-30,2027-02-02,x\n", "start=a;end=b;by=month;share=pay", "line 2, `pay`:", ""},
		// nothing is passed over in silence
		{"spread|-", "a,n\n2027-01-31,1\n", "dates=monthly from a n times;by=month", "by means nothing beside dates", ""},
		{"spread|-", "a,n\n2027-01-31,1\n", "dates=monthly from a n times;working=yes", "working means nothing beside dates", ""},
		{"spread|-", "a,n\n2027-01-31,1\n", "dates=monthly from a n times;working=no;columns=date", "date|2027-01-31", ""},
		{"spread|-", "a,n\n2027-01-31,1\n", "start=a;end=a;overlaps=count", "overlaps goes with per", ""},
	})
}
