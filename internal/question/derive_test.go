package question_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestDerive(t *testing.T) {
	dir := answers(t, []answerOf{
		// what a calendar doesn't know, or no calendar at all, is told whatever asks
		{"derive|-", blank, "add=x = d, roll following using england-wales + target columns=x", "x|2027-01-04|\"\"|2027-06-01", "-"},
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
		{"derive|-", "a,b\nx,1\n  ,2\n", "where=a is blank columns=b", "b|2", ""},
		{"derive|-", "f\ntrue\nfalse\n", "where=f = 'true' and not f != 'true'", "f|true", ""},
		// options once, lists added up, rows left out are never bad
		{"derive|-", blank, "where=id = 1;where=id = 3;columns=id", "id", ""},
		{"derive|-", blank, "columns=id;columns=d;where=id = 1", "id,d|1,2027-01-01", ""},
		{"derive|-", blank, "columns=-id,-d,-site", "no column at all", ""},
		{"derive|-", "a,k\nx,1\n2027-01-01,2\n", "add=b = a, +1 day;where=k = 2;columns=b", "b|2027-01-02", ""},
		{"derive|-", "a\nx\n2027-01-01\n", "add=b = a, +1 day;bad-rows=blank", "a,b|x,|2027-01-01,2027-01-02", "1 cell is wrong"},
		{"derive|-", "a\nx\n2027-01-01\n", "add=b = a, +1 day;bad-rows=aside=side.csv", "a,b|2027-01-01,2027-01-02", "1 cell is wrong"},
		{"derive|-", dirty, "add=@PHRASES;columns=y;where=id = 3", "y|2027-01-03", ""},
		{"derive|-", "Yearly rent\n12.345\n", "add=r = round \"Yearly rent\" to 1;columns=r", "r|12.3", ""},
		// rules
		{"derive|-", "Monthly,daily\n5,2027-01-01\n", "add=y = Monthly * 12;add=z = daily;columns=y,z", "y,z|60,2027-01-01", ""},
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
		// safe for spreadsheets, heads and full-width forms too
		{"derive|-", "=a,b\n＝1+1,-5\n", "spreadsheet-safe=yes", "'=a,b|'＝1+1,'-5", ""},
		{"derive|-", "a\n1.50\n", "add=b = a * 2", "a,b|1.50,3", ""},
		{"derive|-", "a\n\u00a0=1+1\n\ufeff\t@x\n - x\n=\n", "spreadsheet-safe=yes", "a|'\u00a0=1+1|'\ufeff\t@x|' - x|=", ""},
		// totals stay last, and what counts as nothing is told
		{"derive|-", "y,m,d\n2027,3,\n", "join-dates=due=y,m,d;add=x = due", "line 2, `due`: a date of year \"2027\", month \"3\", day \"\" lacks a part", ""},
		{"derive|-", "y,m,d\n,, \n", "join-dates=due=y,m,d;columns=due", "due|\"\"", ""},
		// words
		{"derive|-", "start date,x\n2027-01-01,1\n", "add=y = start date, +1 day", `double quotes: "start date"`, ""},
		{"derive|-", "Starts on\n2027-01-01\n", "add=y = Starts on, +1 day", `double quotes: "Starts on"`, ""},
		{"derive|-", "a\n1\n", "add=y = 'a', +1 day", `double quotes: "a"`, ""},
		{"derive|-", "a\n1\n", "where='a' < 1", "a text and a number can't be compared", ""},
		{"derive|-", "a\n1\n", "where=a = ''", "write `is blank`", ""},
		// nothing is passed over in silence
		{"derive|-", "a\n1\n", "add=b = a;sheet=Foo", "sheet: this means nothing here: standard input is no workbook", ""},
		{"derive|-", "{\"a\": 1}\n", "add=b = a;header-row=3", "standard input is JSON, which names the columns itself", ""},
		{"derive|-", blank, "read-dates=x=dmy", "unknown column `x`", ""},
		{"derive|-", blank, "add=x = d, +1 day;read-dates=x=dmy", "added by a phrase", ""},
		{"derive|-", blank, "read-dates=d=dmy;read-dates=d=mdy", "declared twice", ""},
		{"derive|-", "y,m,d\n2027,3,31\n", "join-dates=due=y,m,d;add=x = due, +1 day;columns=x", "x|2027-04-01", ""},
	})
	side, _ := os.ReadFile(filepath.Join(dir, "side.csv"))
	if !strings.HasPrefix(string(side), "a,reason\nx,\"a: a date is wanted") {
		t.Errorf("rows put aside: %q", side)
	}
}
