package question_test

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// asked is a question asked in a folder, as of 2027-03-10.
type asked struct {
	dir, format string
	calendar    string
}

// ask asks a question: options are NAME=VALUE, in is standard input. said is what
// was told beside the answer.
func (a asked) ask(name, in string, options []string, args ...string) (out, said string, err error) {
	p, err := plan.Empty(plan.Settings{AsOf: day("2027-03-10")})
	if err != nil {
		return "", "", err
	}
	if a.calendar != "" {
		if p.Env.Calendar, err = p.Calendar(a.calendar); err != nil {
			return "", "", err
		}
	}
	var q *question.Question
	for _, one := range question.All() {
		if one.Name == name {
			q = one
		}
	}
	var told, b bytes.Buffer
	place := p.Place()
	place.Stdin, place.Flags = strings.NewReader(in), true
	place.Note = func(format string, args ...any) { fmt.Fprintf(&told, format+"\n", args...) }
	place.Warn = place.Note
	place.Create = func(_, path string) (io.Writer, error) { return os.Create(filepath.Join(a.dir, path)) }
	job := &question.Job{Place: &place, Question: q, Args: args}
	all := append(append(q.Options, job.In.Options()...), job.Shape.Options()...)
	for _, o := range all {
		o.Reset()
	}
	for _, text := range options {
		name, value, _ := strings.Cut(text, "=")
		for _, o := range all {
			if o.Name == name {
				if err := o.Set(value); err != nil {
					return "", "", err
				}
			}
		}
	}
	for _, o := range all {
		if err := o.Check(p.Env); err != nil {
			return "", "", err
		}
	}
	if err := job.In.Check(); err != nil {
		return "", "", err
	}
	f, _ := report.Find(a.format)
	if job.To, err = f.Sink(&b, report.Look{AsOf: p.Env.Today, Safe: job.Shape.Safe}); err == nil {
		err = job.Answer()
	}
	for _, w := range p.Warnings() {
		fmt.Fprintln(&told, w)
	}
	return b.String(), told.String(), err
}

func day(s string) civil.Date { d, _, _ := civil.Parse(s); return d }

// Answers over small tables: the options, the input, the answer's lines and a
// part of what is told beside them; or the error.
func TestAnswers(t *testing.T) {
	const dirty = "id,left,hired\n1,05/01/2027,2026-12-01\n2,15/12/2026,1999-03-12\n3,,2027-01-01\n"
	const blank = "id,d,site\n1,2027-01-01,target\n2,,target\n3,2027-06-01,\n"
	dir := t.TempDir()
	for name, text := range map[string]string{"ranges.csv": "who,role,a,b\n007,pilot,2027-01-01,2027-01-31\n007,master,2027-02-01,\n", "phrases.txt": "# a comment\nx = hired, +1 day\n\ny = x, +1 day\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	ranges, phrases := filepath.Join(dir, "ranges.csv"), filepath.Join(dir, "phrases.txt")
	for _, c := range []struct{ ask, in, options, want, said string }{
		// what a calendar doesn't know, or no calendar at all, is told whatever asks
		{"value|2029-12-25, roll following", "", "@england-wales", "2029-12-27", "england-wales knows no holidays after 2028-12-31, and 1 date lies"},
		{"value|2027-12-25, roll following", "", "@england-wales", "2027-12-29", "-"},
		{"value|2027-12-25, roll following", "", "", "2027-12-27", "counted without a calendar"},
		{"value|2027-12-25, +1 month", "", "", "2028-01-25", "-"},
		{"between|2029-01-01|2029-02-01", "", "@england-wales where=measure starts with 'working'", "measure,result|working days from 2029-01-01 to 2029-02-01,23|working days from 2029-01-01 through 2029-02-01,23", "2 dates lie"},
		{"why|roll following", "", "@england-wales base=2029-12-25 columns=date", "date|2029-12-25|2029-12-27", "1 date lies"},
		{"days|2029-01-01..2029-01-03", "", "@england-wales columns=date", "date|2029-01-01|2029-01-02|2029-01-03", "3 dates lie"},
		{"holidays|england-wales", "", "@england-wales window=2029-01 columns=date", "date|2029-01-01", "31 dates lie"},
		{"dates|monthly on last working day", "", "@england-wales window=2029-01 columns=date", "date|2029-01-31", "1 date lies"},
		{"dates|monthly on 15", "", "window=2029-01 add=x = date, +2 working days columns=x @england-wales", "x|2029-01-17", "1 date lies"},
		{"dates|monthly on last working day", "", "window=2028..2029 counts=year @england-wales", "year,nominal,moved|2028,12,12|2029,12,12", "12 dates lie"},
		{"derive|-", blank, "add=x = d, roll following using england-wales + target columns=x", "x|2027-01-04|\"\"|2027-06-01", "-"},
		{"due|-", "d\n2029-03-01\n", "date=d @england-wales columns=working_left", "working_left|500", "1 date lies"},
		{"spread|-", "a,b\n2029-01-01,2029-01-31\n", "start=a end=b by=month columns=working_days @england-wales", "working_days|22", "1 date lies"},
		{"tally|-", blank, "rows=working day of d", "working day of d,count|true,2|(blank),1|total,3", "without a calendar"},
		{"grid|-", "n,a\nx,2029-01-02\n", "name=n start=a end=a window=2029-01-01..2029-01-02 @england-wales", "n,2029-01-01,2029-01-02,total|x,,x,1|total,0,1,1", "knows no holidays after"},
		// declared dates are dates wherever they stand
		{"derive|-", dirty, "read-dates=dmy where=left < hired columns=id", "id", ""},
		{"derive|-", dirty, "read-dates=dmy sort=left", "id,left,hired|2,2026-12-15,1999-03-12|1,2027-01-05,2026-12-01|3,,2027-01-01", ""},
		{"derive|-", dirty, "read-dates=dmy sort=-left columns=id", "id|3|1|2", ""},
		{"derive|-", dirty, "read-dates=left=dmy add=x = left otherwise hired columns=x", "x|2027-01-05|2026-12-15|2027-01-01", ""},
		{"derive|-", dirty, "read-dates=dmy add=x = if id = 1 then left else hired columns=x", "x|2027-01-05|1999-03-12|2027-01-01", ""},
		{"derive|-", dirty, "where=left < hired", "line 2, `left`: \"05/01/2027\" is a text and \"2026-12-01\" is a date: they can't be compared", ""},
		{"derive|-", dirty, "where=left < hired", "the dates of `left` read as dmy: --read-dates \"left=dmy\"", ""},
		{"derive|-", dirty, "read-dates=dmy keep-text=yes sort=left columns=left", "left|15/12/2026|05/01/2027|\"\"", ""},
		{"derive|-", "a,n\n2027-01-15 00:00:00,10\n2027-01-02,9\n", "sort=a columns=n", "n|9|10", ""},
		{"derive|-", "a\nTBC\n-\n31/12/2027\n", "add=x = a, +1 day", "read as dmy: --read-dates \"a=dmy\"\n  where such a word", ""},
		{"derive|-", "a\nTBC\n", "add=x = a, +1 day", "where such a word means that a range is still open: --open-words TBC", ""},
		{"match|-|" + ranges, "who,d\n007,2027-01-15\n7,2027-01-15\n007,2030-01-01\n007,\n", "key=who date=d start=a end=b columns=who,role", "who,role|007,pilot|7,|007,master|007,", "1 row of - falls into no range|1 row of - without a date"},
		{"match|-|" + ranges, "day,who\n2027-01-15 00:00:00,x\n", "key=day=a date=day start=a end=b columns=role", "role|\"\"", ""},
		// blanks
		{"derive|-", blank, "add=b = if d < 2027-03-01 then 'old' else 'new' columns=b", "b|old|\"\"|new", ""},
		{"derive|-", blank, "where=not (d < 2027-03-01) columns=id", "id|3", ""},
		{"derive|-", blank, "where=d is blank or id = 1 columns=id", "id|1|2", ""},
		{"derive|-", blank, "where=d < 2027-03-01 and id = 1 columns=id", "id|1", ""},
		{"derive|-", blank, "where=d < 2027-03-01 or id = 2 columns=id", "id|1|2", ""},
		{"derive|-", blank, "where=not (d < 2027-03-01 and id = 9) columns=id", "id|1|2|3", ""},
		{"derive|-", blank, "where=not d in (2027-01-01) columns=id", "id|3", ""},
		{"derive|-", blank, "where=d not between 2027-02-01 and 2027-03-01 columns=id", "id|1|3", ""},
		{"derive|-", blank, "where=not working day of d columns=id", "id", ""},
		{"derive|-", blank, "add=x = d, +1 working day using (site) columns=x", "x|2027-01-04|\"\"|\"\"", "1 cell to name a calendar"},
		{"due|-", blank, "date=d columns=id", "id|1|3", "Left out: 1 row"},
		{"derive|-", "a,b\nx,1\n  ,2\n", "where=a is blank columns=b", "b|2", ""},
		{"derive|-", "f\ntrue\nfalse\n", "where=f = 'true' and not f != 'true'", "f|true", ""},
		// options once, lists added up, rows left out are never bad
		{"derive|-", blank, "where=id = 1;where=id = 3;columns=id", "id", ""},
		{"derive|-", blank, "columns=id;columns=d;where=id = 1", "id,d|1,2027-01-01", ""},
		{"tally|-", blank, "rows=id;rows=d", "rows stands twice; it takes one value", ""},
		{"derive|-", blank, "columns=-id,-d,-site", "no column at all", ""},
		{"derive|-", "a,k\nx,1\n2027-01-01,2\n", "add=b = a, +1 day;where=k = 2;columns=b", "b|2027-01-02", ""},
		{"due|-", "a,k\nx,1\n2027-04-01,2\n", "date=a;where=k = 2;columns=left", "left|22", ""},
		{"derive|-", "a\nx\n2027-01-01\n", "add=b = a, +1 day;bad-rows=blank", "a,b|x,|2027-01-01,2027-01-02", "1 cell is wrong"},
		{"derive|-", "a\nx\n2027-01-01\n", "add=b = a, +1 day;bad-rows=aside=side.csv", "a,b|2027-01-01,2027-01-02", "1 cell is wrong"},
		{"derive|-", dirty, "add=@" + phrases + ";columns=y;where=id = 3", "y|2027-01-03", ""},
		{"tally|-", "Lease no,n\nL1,1.50\nL1,2\n", "rows=\"Lease no\";sum=n", "Lease no,sum|L1,3.5|total,3.5", ""},
		{"derive|-", "Yearly rent\n12.345\n", "add=r = round \"Yearly rent\" to 1;columns=r", "r|12.3", ""},
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
		// rules
		{"dates|monthly on 31 from 2027-01-31 3 times", "", "columns=date", "date|2027-01-31|2027-02-28|2027-03-31", ""},
		{"dates|monthly on 15 then 5th fri of month", "", "window=2027-Q1;columns=date", "date|2027-01-29", "2 nominal dates for which"},
		{"dates|monthly on 1", "", "count=2;columns=date", "date|2027-04-01|2027-05-01", ""},
		{"dates|dates 2020-01-01", "", "columns=date", "date|2020-01-01", ""},
		{"dates|monthly on last, 31", "", "window=2027-01;columns=id", "id|2027-01/31", ""},
		{"derive|-", "Monthly,daily\n5,2027-01-01\n", "add=y = Monthly * 12;add=z = daily;columns=y,z", "y,z|60,2027-01-01", ""},
		// series by name, fiscal years of weeks
		{"dates|pay", "", "", "unknown series `pay`", ""},
		{"dates|fiscal-monthly on last", "", "window=FY2027-Q1;columns=date,id", "date,id|2027-01-31,FY2027-M01/last|2027-02-28,FY2027-M02/last|2027-03-31,FY2027-M03/last", ""},
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
		// messy sheets
		{"derive|-", "a,b,a\nx,,1\n,2\n", "repair=yes;fill-down=a;rename=n=a_2,who=a;add=c = who & n", "fill-down: unknown column `a`", ""},
		{"derive|-", "a,b,a\nx,,1\n,2\n", "repair=yes;fill-down=who;rename=n=a_2,who=a;add=c = who & n", "who,b,n,c|x,,1,x1|x,2,,x", "repaired: 1 heading numbered (a_2), 1 short row filled with blanks, 1 blank cell filled from above"},
		{"derive|-", "a,b\n1,2\n", "rename=b=a", "there would be two columns `b`", ""},
		{"derive|-", "a,b\n1,2\n", "rename=b=a,a=b;columns=a", "a|2", ""},
		{"derive|-", "a,b\n1,2\n", "rename=x=a,y=a", "renamed twice", ""},
		{"derive|-", "n,t\n\"1.234,50 €\",x\n", "read-numbers=1.234,56;add=m = n * 2;where=t = 'x'", "n,t,m|\"1.234,50 €\",x,2469", ""},
		{"derive|-", "n\n\"1.234,50 €\"\n", "where=n > 1000;read-numbers=n=1.234,56", "n|\"1.234,50 €\"", ""},
		{"derive|-", "n\n\"1.234,50 €\"\n", "add=m = n * 2", "the numbers of `n` read as 1.234,56: --read-numbers \"n=1.234,56\"", ""},
		{"derive|-", "n\n12.5\n", "add=m = n * 2;read-numbers=1.234,56", "\"12.5\" is not a number as 1.234,56", ""},
		{"match|-|" + ranges, "person,d\n007,2027-01-15\n", "rename=who=person;key=who;date=d;start=a;end=b;columns=role", "role|pilot", ""},
		{"match|-|" + ranges, "who,d\n007,2027-01-15\n", "rename=x=nobody;key=who;date=d;start=a;end=b", "unknown column `nobody`", ""},
		// safe for spreadsheets, heads and full-width forms too
		{"derive|-", "=a,b\n＝1+1,-5\n", "spreadsheet-safe=yes", "'=a,b|'＝1+1,'-5", ""},
		{"derive|-", "a\n1.50\n", "add=b = a * 2", "a,b|1.50,3", ""},
		{"derive|-", "a\n\u00a0=1+1\n\ufeff\t@x\n - x\n=\n", "spreadsheet-safe=yes", "a|'\u00a0=1+1|'\ufeff\t@x|' - x|=", ""},
		// totals stay last, and what counts as nothing is told
		{"tally|-", "u,n\nz,1\na,5\na,\n", "rows=u;sum=n;sort=-sum", "u,sum|a,5|z,1|total,6", "1 cell of `n` is blank and counted as 0."},
		{"tally|-", "u,n\nz,1\na,5\n", "rows=u;cols=n;sort=u;columns=-5", "u,1,total|a,,1|z,1,1|total,1,2", "-"},
		{"grid|-", "n,a\nx,2027-01-04\ny,2027-01-04\ny,2027-01-05\n", "name=n;start=a;end=a;window=2027-01-04..2027-01-05;sort=-total", "n,2027-01-04,2027-01-05,total|y,x,x,2|x,x,,1|total,2,1,3", ""},
		{"due|-", "a,b\n2027-04-01,\n,\n", "date=a;date=b;columns=what", "what|a", "Left out: 1 row of - without a date.|Left out: 1 blank date of other rows of -."},
		{"spread|-", "a,b,pay\n2027-01-30,2027-02-02,x\n", "start=a;end=b;by=month;share=pay", "line 2, `pay`:", ""},
		{"due|-", "when\nx\n", "date=when", "line 2, `when`:", ""},
		{"derive|-", "y,m,d\n2027,3,\n", "join-dates=due=y,m,d;add=x = due", "line 2, `due`: a date of year \"2027\", month \"3\", day \"\" lacks a part", ""},
		{"derive|-", "y,m,d\n,, \n", "join-dates=due=y,m,d;columns=due", "due|\"\"", ""},
		// bands ahead and behind, of one day too
		{"due|-", "d\n2027-03-08\n2027-03-10\n2027-03-11\n2027-03-12\n2027-04-30\n", "date=d;bands=1,2,30;columns=band", "band|overdue|today|1|2|over 30", ""},
		{"due|-", "d\n2026-11-10\n2026-12-20\n2027-02-01\n2027-03-08\n2027-03-09\n2027-03-10\n2027-04-01\n2027-05-01\n", "date=d;bands=-90,-60,-30,-1,30;columns=band", "band|over 90 ago|61 to 90 ago|31 to 60 ago|2 to 30 ago|1 ago|today|1 to 30|over 30", ""},
		{"due|-", "d\n2027-03-08\n2027-03-20\n", "date=d;bands=-30;columns=band", "band|1 to 30 ago|ahead", ""},
		{"due|-", "d\n", "date=d;bands=-30,0", "rising numbers of days other than 0", ""},
		{"due|-", "d\n", "date=d;bands=-30;upcoming=yes", "upcoming leaves that out", ""},
		{"tally|-", "b\nahead\n1 to 30 ago\nover 90 ago\ntoday\n31 to 90 ago\n1 to 30\n31 ago\n", "rows=b;columns=b", "b|over 90 ago|31 to 90 ago|31 ago|1 to 30 ago|today|1 to 30|ahead|total", ""},
		// the ends of all time
		{"periods|9999-12", "", "by=week", "the week 9999-W52 reaches beyond the years 0001 to 9999", ""},
		{"periods|0001-01", "", "by=month;columns=period,days", "period,days|0001-01,31", ""},
		// words
		{"derive|-", "start date,x\n2027-01-01,1\n", "add=y = start date, +1 day", `double quotes: "start date"`, ""},
		{"derive|-", "Starts on\n2027-01-01\n", "add=y = Starts on, +1 day", `double quotes: "Starts on"`, ""},
		{"derive|-", "a\n1\n", "add=y = 'a', +1 day", `double quotes: "a"`, ""},
		{"derive|-", "a\n1\n", "where='a' < 1", "a text and a number can't be compared", ""},
		{"derive|-", "a\n1\n", "where=a = ''", "write `is blank`", ""},
		{"value|foo", "", "", "no names stand for anything here", ""},
		{"holidays", "", "window=2027", "goes with the name of a calendar", ""},
		// nothing is passed over in silence
		{"spread|-", "a,n\n2027-01-31,1\n", "dates=monthly from a n times;by=month", "by means nothing beside dates", ""},
		{"spread|-", "a,n\n2027-01-31,1\n", "dates=monthly from a n times;working=yes", "working means nothing beside dates", ""},
		{"spread|-", "a,n\n2027-01-31,1\n", "dates=monthly from a n times;working=no;columns=date", "date|2027-01-31", ""},
		{"spread|-", "a,n\n2027-01-31,1\n", "start=a;end=a;overlaps=count", "overlaps goes with per", ""},
		{"dates|monthly on 1", "", "window=2027;counts=year;add=x = date", "counts means nothing beside add", ""},
		{"derive|-", "a\n1\n", "add=b = a;sheet=Foo", "sheet: this means nothing here: standard input is no workbook", ""},
		{"derive|-", "{\"a\": 1}\n", "add=b = a;header-row=3", "standard input is JSON, which names the columns itself", ""},
		{"match|-|" + ranges, "who,d\n007,2027-01-15\n", "key=who;date=d;start=a;end=b;sheet=Foo", "no workbook", ""},
		{"why|monthly on 1|2027-01-01", "", "base=2027-01-01", "a record or a rule has its own dates", ""},
		{"why|pay", "", "", "unknown series `pay`", ""},
		{"dates|monthly on 1", "", "window=2027..", "an end of this stretch is missing", ""},
		{"due|-", blank, "date=d;within=soon", "within is a stretch", ""},
		{"due|-", blank, "date=d;within=3 days;window=2027", "use one of the two", ""},
		{"derive|-", blank, "read-dates=x=dmy", "unknown column `x`", ""},
		{"derive|-", blank, "add=x = d, +1 day;read-dates=x=dmy", "added by a phrase", ""},
		{"derive|-", blank, "read-dates=d=dmy;read-dates=d=mdy", "declared twice", ""},
		{"derive|-", "y,m,d\n2027,3,31\n", "join-dates=due=y,m,d;add=x = due, +1 day;columns=x", "x|2027-04-01", ""},
	} {
		a := asked{dir: dir, format: "csv"}
		sep := ";"
		if !strings.Contains(c.options, ";") {
			sep = " "
		}
		var options []string
		for _, o := range splitOptions(c.options, sep) {
			if cal, ok := strings.CutPrefix(o, "@"); ok {
				a.calendar = cal
			} else {
				options = append(options, o)
			}
		}
		args := strings.Split(c.ask, "|")
		out, said, err := a.ask(args[0], c.in, options, args[1:]...)
		got := strings.TrimSuffix(strings.ReplaceAll(out, "\n", "|"), "|")
		if args[0] == "value" {
			got = strings.TrimPrefix(got, "value|")
		}
		if err != nil {
			if !strings.Contains(err.Error(), c.want) {
				t.Errorf("%s %s: %v, want %s", c.ask, c.options, err, c.want)
			}
			continue
		}
		if got != c.want {
			t.Errorf("%s %s:\n  %s, want\n  %s", c.ask, c.options, got, c.want)
		}
		if c.said == "-" && said != "" {
			t.Errorf("%s %s: %s", c.ask, c.options, said)
		}
		for _, part := range strings.Split(strings.Trim(c.said, "-"), "|") {
			if !strings.Contains(said, part) {
				t.Errorf("%s %s tells %q, want %q", c.ask, c.options, said, part)
			}
		}
	}
	side, _ := os.ReadFile(filepath.Join(dir, "side.csv"))
	if !strings.HasPrefix(string(side), "a,reason\nx,\"a: a date is wanted") {
		t.Errorf("rows put aside: %q", side)
	}
}

// splitOptions splits NAME=VALUE pairs: at semicolons, or at spaces in front of a
// name with = or of @.
func splitOptions(s, sep string) (list []string) {
	if sep == ";" {
		return strings.Split(s, ";")
	}
	for _, w := range strings.Fields(s) {
		name, _, ok := strings.Cut(w, "=")
		if len(list) > 0 && !strings.HasPrefix(w, "@") && (!ok || name == "" || strings.ContainsAny(name, "'(<>!") || w == "=") {
			list[len(list)-1] += " " + w
			continue
		}
		list = append(list, w)
	}
	return list
}

// Every question's options are declared whole: a kind that fits the field, help
// with a word for the value, a name once; and defaults are good.
func TestDeclarations(t *testing.T) {
	p, err := plan.Empty(plan.Settings{AsOf: day("2027-03-10")})
	if err != nil {
		t.Fatal(err)
	}
	for _, q := range question.All() {
		var in question.TableIn
		var shape question.Shape
		seen := map[string]bool{}
		for _, o := range append(append(q.Options, in.Options()...), shape.Options()...) {
			o.Reset()
			_, yes := o.Into.(*bool)
			_, number := o.Into.(*int)
			list, isList := o.Into.(*[]string)
			switch {
			case seen[o.Name]:
				t.Errorf("%s: %s is declared twice", q.Name, o.Name)
			case yes != (o.Kind == question.Yes), number != (o.Kind == question.Number), isList != (o.Repeat || o.List), o.Kind == question.Choice && o.Choices == nil:
				t.Errorf("%s: the field of %s doesn't fit", q.Name, o.Name)
			case !yes && strings.Count(o.Help, "`") != 2, o.Describe() == "":
				t.Errorf("%s: the help of %s has no word for the value", q.Name, o.Name)
			}
			seen[o.Name] = true
			if err := o.Check(p.Env); err != nil && !o.Needed {
				t.Errorf("%s: %v", q.Name, err)
			}
			if isList && o.Default != "" {
				if err := o.Set("7"); err != nil || len(*list) != 1 {
					t.Errorf("%s: a given %s adds to the default: %v", q.Name, o.Name, *list)
				}
			}
		}
		if q.Examples == "" || q.Short == "" {
			t.Errorf("%s is without help", q.Name)
		}
	}
	if _, err := question.New("deu"); err == nil || !strings.Contains(err.Error(), "did you mean `due`?") {
		t.Errorf("an unknown question: %v", err)
	}
}
