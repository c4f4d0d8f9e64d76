package draft

import (
	"cmp"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/golden"
	"yoyaku/internal/plan"
)

// TestNewPlan_goldenPlans holds new plans to what a clerk should find in them: how each table is to be
// read, what names its rows, what to look at.
func TestNewPlan_goldenPlans(t *testing.T) {
	dir := t.TempDir()
	many := "n,day,until\n"
	for i := range 1001 {
		many += fmt.Sprintf("%d,%s,present\n", i, civil.Date(740000+i))
	}
	for name, text := range map[string]string{
		"people.csv":   "who,born,joined,grade\nAda,1980-02-29,2020-01-01,3\nBo,1990-05-05,,4\n",
		"leases.csv":   "Lease No;Begins;Ends;Rent\n17;13.02.2026;30.11.2028;1.200,50\n18;15.08.2025;present;980,00\n",
		"american.csv": "site,opened\nx,02/13/2026\ny,03/04/2026\n",
		"either.csv":   "site,opened\nx,02/03/2026\ny,03/04/2026\n",
		"titled.csv":   "Berths of the yard\n\nberth,since,until\nA1,2026-01-01,open\nA2,2026-02-01,open\n",
		"deep.csv":     strings.Repeat("A line\n", 9) + "berth,since,until\nA1,2026-01-01,open\n",
		"twice.csv":    "name,date,date\na,2026-01-01,2026-02-01\nb,2026-01-01,2026-02-01\n",
		"plain.csv":    "code,count\n7,1\n7,2\n",
		"1st list.csv": "a b,c\n2026-01-01,x\n2026-01-02,x\n",
		"many.csv":     many + "x,not a day,present\n",
		"sub/many.csv": "code,day\nq,2026-01-01\nr,2026-01-01\n",
	} {
		write(t, filepath.Join(dir, filepath.FromSlash(name)), text)
	}
	for _, name := range []string{"pay-2026.csv", "crews.csv", "changed.csv", "roll.csv", "drills.ics"} {
		write(t, filepath.Join(dir, name), read(t, filepath.Join("testdata/new", name)))
	}
	day, _, _ := civil.Parse("2026-11-25")
	set := plan.Settings{AsOf: day}
	for _, c := range []struct {
		golden string
		start  NewPlan
		found  string // what was found in the tables
		err    string
	}{
		{"bare", NewPlan{}, "", ""},
		{"calendar", NewPlan{ID: "crew", Calendar: "england-wales", Series: []string{"pay = monthly on 15, last", "night-pay = weekly on fri"}}, "", ""},
		{"tables", NewPlan{Tables: []string{"people.csv", "leases.csv", "american.csv"}},
			"people.csv: dates in born, joined\nleases.csv: dates in Begins (dmy), Ends (dmy)\namerican.csv: dates in opened (mdy)", ""},
		{"", NewPlan{Tables: []string{"either.csv"}}, "", "the dates in `opened` can be read as dmy or as mdy, which are different days; nothing was written. Say which:\n  yoyaku new"},
		{"either", NewPlan{Tables: []string{"either.csv"}, In: ask.TableOptions{ReadDates: []string{"opened=mdy"}}}, "either.csv: dates in opened (mdy)", ""},
		{"", NewPlan{Tables: []string{"plain.csv"}}, "", "plain.csv holds no dates that a plan could be made of; nothing was written"},
		{"messy", NewPlan{Tables: []string{"titled.csv", "deep.csv", "twice.csv", "1st list.csv"}},
			"titled.csv: dates in since\ndeep.csv: dates in since\ntwice.csv: dates in date, date_2\n1st list.csv: dates in a b", ""},
		{"many", NewPlan{Tables: []string{"many.csv", "sub/many.csv"}}, "many.csv: dates in day\nin `day`, not a day is neither a date nor a word that is known for one\nsub/many.csv: dates in day", ""},
		{"from-dates", NewPlan{Calendar: "target", Series: []string{"changed = monthly on 3"}, Tables: []string{"pay-2026.csv", "changed.csv"}},
			"pay-2026.csv: dates in pay_day, timesheets, bank_file; 1 series is made of it\npay-2026.timesheets: 3 other phrases fit as well, the first until 2026-12-22; `yoyaku infer` shows them with --alternatives\nchanged.csv: dates in day; 1 series is made of it", ""},
		{"by-key", NewPlan{Tables: []string{"crews.csv"}, Key: "who"}, "crews.csv: dates in paid, cut off; 2 series are made of it\n1 row without `who` left out\nFerry crew.cut off: 5 other phrases fit as well, the first until 2027-12-22; `yoyaku infer` shows them with --alternatives\n2nd yard.cut off: 6 other phrases fit as well, the first until 2028-05-04; `yoyaku infer` shows them with --alternatives", ""},
		{"pinned", NewPlan{Tables: []string{"roll.csv"}}, "roll.csv: dates in day; 1 series is made of it", ""},
		{"from-ics", NewPlan{Tables: []string{"drills.ics"}, Key: "summary"}, "drills.ics: a calendar file; 1 series is made of it\nDrill: 2 other phrases fit as well, the first until 2031-11-09; `yoyaku infer` shows them with --alternatives", ""},
		{"", NewPlan{Tables: []string{"crews.csv"}, Key: "whom"}, "", "crews.csv: key: unknown column `whom`"},
		{"", NewPlan{ID: "a b"}, "", "expected an id of letters a to z"},
		{"", NewPlan{Calendar: "isles"}, "", "unknown calendar `isles`"},
		{"", NewPlan{Tables: []string{"none.csv"}}, "", "none.csv"},
		{"", NewPlan{Series: []string{"pay = monthly on last", "Pay = monthly on 1"}}, "", "the series `Pay` was given twice"},
		{"", NewPlan{Series: []string{"a+b = monthly on last"}}, "", "can't be a name: a name starts with a letter"},
		{"", NewPlan{Series: []string{"pay = montly"}}, "", "expected a rule, which starts with a cadence"},
	} {
		folder := "skerry 2026 crew"
		c.start.Dir = filepath.Join(dir, folder)
		for i, name := range c.start.Tables {
			c.start.Tables[i] = filepath.Join(dir, filepath.FromSlash(name))
		}
		path, found, err := c.start.Create(set)
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%+v: %v, want %s", c.start, err, c.err)
			}
			continue
		}
		if err != nil {
			t.Fatalf("%s: %v", c.golden, err)
		}
		got, counts, _ := strings.Cut("\n"+strings.ReplaceAll(strings.Join(found, "\n"), "../", ""), "\nworking days")
		if got = strings.TrimPrefix(got, "\n"); got != c.found {
			t.Errorf("%s: found\n%s\nwant\n%s", c.golden, got, c.found)
		}
		if want := cmp.Or(countsWith[c.golden], ": office, which has no holidays yet; add yours in the plan"); counts != want {
			t.Errorf("%s: counts with%s\nwant%s", c.golden, counts, want)
		}
		golden.Compare(t, filepath.Join("testdata", "new", c.golden+".yaml"), read(t, path))
		if _, _, err := c.start.Create(set); err == nil || !strings.Contains(err.Error(), "already exists and was left as it is") {
			t.Errorf("%s a second time: %v", c.golden, err)
		}
		if read(t, filepath.Join(c.start.Dir, schemaFile)) == "" {
			t.Errorf("%s: no schema", c.golden)
		}
		if err := os.RemoveAll(c.start.Dir); err != nil {
			t.Fatal(err)
		}
	}
}

// TestCandidates looks through a folder before there is a plan, beside one, and with a name
// that needs quotes.
func TestCandidates(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	write(t, "Bad list.csv", "a,b\n1,\"2\n")
	write(t, "ends.csv", "who,End of term\nAda,31/03/2027\nBo,present\nCy,30/04/2027\n")
	write(t, "pay.csv", "pay\n2026-01-30\n2026-02-27\n2026-03-31\n2026-04-30\n2026-05-29\n2026-06-30\n2026-07-31\n2026-08-31\n")
	write(t, "notes.txt", "x")
	told := func() string {
		list, err := NewPlan{Dir: "."}.Candidates(plan.Settings{Now: time.Now()})
		if err != nil {
			t.Fatal(err)
		}
		var b strings.Builder
		for _, c := range list {
			fmt.Fprintf(&b, "%s %v\n%s\n", c.Text, c.Err, strings.Join(c.Commands, "\n"))
		}
		return b.String()
	}
	want := `Bad list.csv: can't be read Bad list.csv:2: a quote is opened in this row and never closed

ends.csv: dates in End of term (dmy) <nil>
yoyaku new --table ends.csv
yoyaku due ends.csv --date end_of_term --rename "end_of_term=End of term" --read-dates end_of_term=dmy --open-words present
pay.csv: dates in pay; 1 rule found <nil>
yoyaku new --table pay.csv
`
	if got := told(); got != want {
		t.Errorf("got\n%s", got)
	}
	write(t, plan.FileName, aPlan)
	if got := told(); got != strings.ReplaceAll(want, "new --table", "new next --table") {
		t.Errorf("beside a plan\n%s", got)
	}
}

// countsWith is what the plans of TestNewPlan_goldenPlans say about their calendars, where it
// isn't the one to fill in.
var countsWith = map[string]string{
	"calendar":   ": england-wales, as told",
	"pinned":     ": none: Saturday and Sunday closed and no holidays, as the dates found have it",
	"from-dates": ": target, as told",
	"by-key":     ": none: Saturday and Sunday closed and no holidays, as the dates found have it",
}
