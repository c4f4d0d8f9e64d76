package cli_test

import (
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/golden"
)

// Rows with a life of their own: rules, steps and calendars in cells, terms that renew,
// series looked into by their milestones, periods with what falls into them.
func TestRowRules_perRow(t *testing.T) {
	t.Parallel()
	dir := demo(t)
	for name, text := range map[string]string{
		"filings.csv": "place,rule,terms,site\nNorth,\"monthly on last then 25th day of next month, roll following\",\"+2 working days\",isles\nSouth,dates 2027-01-30,,yard\nEast,monthly on fry,roll folowing,isles\nWest,\"monthly on last from 2027-01-01 2 times\",\"end of month, +1 working day\",\n",
		"good.csv":    "place,rule,terms,site\nNorth,\"monthly on last then 25th day of next month, roll following\",\"+2 working days\",isles\nSouth,dates 2027-01-30,,yard\nWest,\"monthly on last from 2027-01-01 2 times\",\"end of month, +1 working day\",\n",
		"leases.csv":  "id,start,first,renew,notice,given\nA,2024-02-29,12,12,3,\nB,2025-01-31,24,6,6,\nC,2020-07-01,36,1,3,2027-02-10\nD,2026-01-01,12,,3,\nE,2025-03-15,,12,3,\n",
		"hires.csv":   "who,hired\nx,2027-02-08\ny,2027-02-09\nz,2027-12-24\n",
		"away.csv":    "who,a,b,site\nx,2027-05-14,2027-05-18,isles\ny,2027-05-14,2027-05-18,yard\nz,2027-05-14,2027-05-18,\n",
		"bands.csv":   "unit,from_years,weeks\nHarbour,0,2\nHarbour,2,6\nYard,-1,1\nYard,5,9\n",
		"counts.csv":  "start,n,site\n2027-01-04,\"5,0\",isles\n2027-01-04,\"5,0\",yard\n",
		"twice.csv":   "unit,from_years,weeks\nHarbour,0,2\nHarbour,0,6\n",
	} {
		write(t, filepath.Join(dir, name), text)
	}
	const term = "ends = start, lasting first months renewing every renew months noticed (-notice months, roll preceding) on or after (given otherwise today)"
	type row struct {
		args string
		code int
		want string
	}
	for _, c := range golden.Sample([]row{
		{"spread|good.csv|--dates|rule in rule|--window|2027-Q1|--columns|place,date,number", 0, "place,date,number\nNorth,2027-01-25,12\nNorth,2027-02-25,1\nNorth,2027-03-25,2\nSouth,2027-01-30,1\nWest,2027-01-31,1\nWest,2027-02-28,2\n"},
		{"spread|filings.csv|--dates|rule in rule|--window|2027-Q1", 2, "line 4, `dates`: expected a day, found `fry`\n    monthly on fry\n               ^^^\n"},
		{"spread|good.csv|--dates|rule in rule", 2, "line 2, `dates`: the row's rule has no end"},
		{"spread|good.csv|--dates|rule in rule then roll following", 2, "`rule in` takes no clause"},
		{"dates|rule in rule", 2, "`rule in` is for tables, whose rows have rules of their own"},
		{"derive|good.csv|--add|d = 2027-01-01, steps in terms, at 12:00|--columns|place,d", 0, "place,d\nNorth,2027-01-05T12:00\nSouth,\nWest,2027-02-01T12:00\n"},
		{"derive|filings.csv|--add|d = 2027-01-01, steps in terms", 2, "    roll folowing\n         ^^^^^^^^\n"},
		{"derive|counts.csv|--read-numbers|1.234,5|--add|e = start, +n working days using (site)|--columns|site,e", 0, "site,e\nisles,2027-01-11\nyard,2027-01-09\n"},
		{"derive|counts.csv|--add|e = start, +nn working days using (site)", 2, "--add: unknown name `nn`"},
		{"derive|good.csv|--calendar|(site)|--add|n = working days from 2027-05-14 through 2027-05-17|--columns|place,n", 0, "place,n\nNorth,2\nSouth,3\nWest,\n"},
		{"spread|away.csv|--calendar|(site)|--start|a|--end|b|--by|month|--where|site is not blank|--columns|who,working_days", 0, "who,working_days\nx,3\ny,4\n"},
		{"spread|away.csv|--calendar|(site)|--start|a|--end|b|--by|month|--columns|who,days,working_days", 0, "who,days,working_days\nx,5,3\ny,5,4\nz,5,\n"},
		{"spread|away.csv|--calendar|(site)|--start|a|--end|b|--by|month", 0, "1 cell that should name a calendar is blank"},
		{"grid|away.csv|--calendar|(site)|--name|who|--start|a|--end|b|--window|2027-05-14..2027-05-16", 0, "y,x,x,,2\nz,,,,0\n"},
		{"spread|away.csv|--calendar|(site)|--dates|monthly on last working day from a 1 times|--columns|who,date", 0, "who,date\nx,2027-05-31\ny,2027-05-31\n"},
		{"due|away.csv|--calendar|(site)|--date|b|--as-of|2027-05-13|--columns|who,working_left", 0, "who,working_left\nx,3\ny,4\nz,\n"},
		{"grid|away.csv|--calendar|(site)|--name|who|--start|a|--end|b|--window|2027-05-14..2027-05-16|--where|who != 'z'", 0, "x,x,,,1\ny,x,x,,2\n"},
		{"derive|away.csv|--calendar|(sight)|--add|n = a, +1 working day", 2, "unknown name `sight`"},
		{"dates|monthly on last|--calendar|(site)|--count|1", 2, "this command reads no table"},
		{"derive|leases.csv|--as-of|2027-04-20|--add|" + term + "|--columns|id,ends", 0, "id,ends\nA,2028-02-28\nB,2028-01-30\nC,2027-05-31\nD,2026-12-31\nE,\n"},
		{"derive|leases.csv|--add|" + strings.Replace(term, "every renew", "every notice", 1) + "|--as-of|2027-04-20|--columns|id,ends", 0, "D,2027-09-30\n"},
		{"value|2027-03-01, next weekly-pay|--rule|weekly-pay = fortnightly on fri from 2027-01-08", 0, "2027-03-05"},
		{"value|weekly-pay dates from 2027-01-01 through 2027-12-31|--rule|weekly-pay = fortnightly on fri from 2027-01-08", 0, "26"},
		{"value|2027-01-10, next b|--rule|a = weekly on mon|--rule|b = monthly on 1 leaving out a", 0, "2027-04-01"},
		{"spread|absences.csv|--start|first|--end|last|--open-words|present|--by|p|--rule|p = every 2 weeks on fri from 2027-01-08|--where|kind = 'course'|--columns|period,days", 0, "period,days\n2027-W23/fri,8\n2027-W25/fri,5"},
		{"why|p|2027-01-22|--rule|p = every 2 weeks on fri from 2027-01-08", 0, "id 2027-W03/fri"},
		{"value|today|--rule|crew-pay = daily", 2, "yoyaku: --rule: `crew-pay` is a series of the plan; give the rule another name"},
		{"value|today|--rule|Month = daily", 2, "yoyaku: --rule: `Month` is a period of `by`; give the rule another name"},
		{"value|today|--rule|a = daily|--rule|a = daily", 2, "yoyaku: --rule: `a` is a rule before it; give the rule another name"},
		{"value|today|--rule|daily", 2, "expected NAME = RULE"},
		{"value|today|--rule|b = monthly from first", 2, "a rule may name series, but no columns"},
		{"derive|absences.csv|--add|a = first, next kind|--rule|kind = daily", 2, "yoyaku: --rule: `kind` is a column of absences.csv too; give the rule another name"},
		{"value|2024-02-29, lasting 12 months renewing every 0 months on or after today", 2, "a renewal must last 1 or more"},
		{"value|2024-02-29, lasting 12 months renewing every 2 weeks on or after today", 2, "need the same kind of unit"},
		{"value|2024-02-29, lasting 12 months renewing every 1 month noticed (end of month) on or after today", 2, "a notice takes only `+` and `-` steps and rolls"},
		{"value|2024-02-29, anniversary on or after today +30 days", 2, "write `, +30 days` to shift the result, or `(today +30 days)` to shift the date before it"},
		{"derive|leases.csv|--add|e = start, anniversary on or after given otherwise today", 2, "write `(given otherwise today)`"},
		{"why|2024-02-29, lasting 12 months renewing every 12 months noticed (-3 months) on or after 2026-12-01|--base|2024-02-29", 0, "term 3 ends 2027-02-28, notice by 2026-11-28 (passed); term 4 ends 2028-02-28, notice by 2027-11-28; wanted on or after 2026-12-01"},
		{"derive|hires.csv|--add|pay = hired, crew-pay by timesheets on or after|--add|last = hired, previous crew-pay by timesheets", 0, "who,hired,pay,last\nx,2027-02-08,2027-02-15,2027-01-29\ny,2027-02-09,2027-02-26,2027-02-15\nz,2027-12-24,2028-01-14,2027-12-31\n"},
		{"value|2027-02-08, next crew-pay by bank", 2, "did you mean `bank-file`?"},
		{"value|crew-pay dates from 2027-01-15 to 2027-01-29", 0, "1\n"},
		{"value|crew-pay dates from 2027-01-15 through 2027-01-29", 0, "2\n"},
		{"value|crew dates from 2027-01-15 through 2027-01-29", 2, "unknown series `crew`"},
		{"match|crew-contracts.csv|bands.csv|--key|unit|--value|years from start to 2028-10-01|--start|from_years|--take|weeks|--columns|contract,weeks|--where|unit in ('Harbour', 'Yard')", 0, "contract,weeks\nC-101,2\nC-103,1\n"},
		{"match|crew-contracts.csv|twice.csv|--key|unit|--value|1|--start|from_years", 2, "twice.csv: the ranges in lines 2 and 3 of \"Harbour\" both start at 0"},
		{"match|away.csv|crew-contracts.csv|--key|who=person|--take|unit", 0, "3 rows of away.csv have a key that crew-contracts.csv lacks."},
		{"match|incidents.csv|harbour-masters.csv|--key|harbour|--take|master", 2, "two rows hold \"Northhaven\", those in lines 2 and 3; use --several first or all"},
		{"match|absences.csv|crew-contracts.csv|--key|person|--date|first|--value|1|--start|start", 2, "use --date or --value, not both"},
		{"match|absences.csv|crew-contracts.csv", 2, "--key is required"},
		{"match|absences.csv|crew-contracts.csv|--key|person|--take|unitt", 2, "did you mean `unit`?"},
		{"match|incidents.csv|harbour-masters.csv|--key|harbour|--date|day|--start|since|--take|master", 0, "incident"},
		{"periods|2027-H1|--by|month|--count|wages|--where|deckhand_pay = 3|--columns|period,deckhand_pay_dates,galley_pay", 0, "period,deckhand_pay_dates,galley_pay\n2027-04,2027-04-02 2027-04-16 2027-04-30,2\n"},
		{"periods|2027-02|--by|crew-pay", 0, "2027-02/15,3,2027-02-01,2027-02-15,,15,11,4\n2027-02/last,4,2027-02-16,2027-02-28,,13,9,4\n"},
		{"periods|FY2028-Q1|--by|fiscal-month|--fiscal-end|last sat of jan", 0, "FY2028-M03,3,2027-03-28,2027-05-01,5,35,24,11\n"},
		{"periods|2026-12-30..2027-01-10|--by|week", 0, "2026-W53,53,2026-12-28,2027-01-03,1,7,3,4\n2027-W01,1,2027-01-04,2027-01-10,1,7,5,2\n"},
		{"periods|2027|--by|mont", 2, "did you mean `month`?"},
		{"periods|2027|--by|month|--count|crew", 2, "unknown series `crew`"},
		{"dates|monthly on last then (if month of nominal = 12 then 20 dec else nominal), roll preceding|--window|2027-12", 0, "2027-12-20,Mon,2027-12-31,20 dec,2027-12/last\n"},
		{"dates|monthly on 15, last then (if day of nominal = 15 then (nominal, +20 days) else nominal)|--window|2027-02|--columns|date,id", 0, "date,id\n2027-02-04,2027-01/15\n2027-02-28,2027-02/last\n"},
		{"dates|monthly on last then (if month of nominal = 12 then today else nominal)|--window|2027", 2, "expected nominal, previous_nominal"},
		{"dates|monthly on last then (if date = nominal then nominal)|--window|2027", 2, "unknown name `date`"},
	}, 6) {
		out, errs, code := yoyaku(t, dir, strings.Split(c.args, "|")...)
		if code != c.code || !strings.Contains(out+errs, c.want) {
			t.Errorf("%s: %d\n%.900s%s, want %d %s", c.args, code, out, errs, c.code, c.want)
		}
	}
}

// Rows that are written as they are in their file, with only the cells made that are looked
// at, come to the same as when every cell is made, as where blanks are filled down.
func TestDerive_rowsKeepTheirText(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := rand.New(rand.NewPCG(16, 1))
	one := func(list ...string) string { return list[r.IntN(len(list))] }
	table := "id,person,unit,start,term,site,terms,note\n"
	for i := range 1500 {
		day := civil.Date(738000 + r.IntN(4000))
		table += fmt.Sprintf("%d,%s,Unit %d,%s,%s,%s,%s,%s%s", i, one("Ada", ` Bo`, `"Cy, Jr"`, `"D ""x"""`, `\.`, `"Eve"`), r.IntN(9),
			one(day.String(), day.String(), day.String(), "", day.String()+" 10:00", `"`+day.String()+`"`), one("6", "12", "24", "", "6"), one("yard", "isles", ""),
			one(`"+3 days, roll following"`, "end of month", "+term months", ""), one("", "a  b", "\"two\nlines\"", "é"), one("\n", "\n", "\r\n"))
		if i%499 == 7 {
			table += fmt.Sprintf("%d,Bad,Unit 1,soon,many,isles,no step,x\n", i)
		}
	}
	write(t, filepath.Join(dir, "t.csv"), table)
	write(t, filepath.Join(dir, "r.csv"), "unit,head,since,least,wanted\nUnit 1,A,2020-01-01,0,6\nUnit 2,\"B, C\",2022-05-01,10,12\nUnit 3,D,2021-01-01,20,24\n")
	write(t, filepath.Join(dir, "yoyaku.yaml"), "plan: 1\ncalendars:\n  yard: {closed: sun}\n  isles: {closed: \"sat, sun\", holidays: [{name: May, day: yearly on 1 may}]}\ncalendar: isles\n")
	for _, c := range golden.Sample([]string{
		`derive t.csv|--add|end = start, +term working days using (site), roll following|--add|n = working days from start to end|--reasons`,
		`derive t.csv|--add|end = start, steps in terms|--where|unit != 'Unit 3' and end is not blank`,
		`derive t.csv|--add|end = start, +1 month|--columns|end,note,person`,
		`derive t.csv|--add|y = year of start & person|--calendar|(site)`,
		`due t.csv|--date|start|--as-of|2027-01-01`,
		`due t.csv|--date|a = start|--date|b = start, +term months|--yearly|--within|40 days|--as-of|2027-01-01|--calendar|(site)`,
		`match t.csv r.csv|--key|unit|--date|start|--start|since`,
		`match t.csv r.csv|--value|term|--start|least|--take|head`,
		`match t.csv r.csv|--key|term=wanted|--several|first`,
		`spread t.csv|--start|start|--end|start, +term weeks|--by|month|--calendar|(site)`,
		`spread t.csv|--dates|monthly on 1 from start term times|--window|2027`,
		`spread t.csv|--dates|monthly on 1 from start 3 times|--share|term`,
		`tally t.csv|--rows|unit|--cols|fiscal quarter of start|--where|person != 'Ada'`,
		`tally t.csv|--rows|person|--sum|term`,
		`grid t.csv|--name|person|--start|start|--end|start, +term weeks|--window|2027-06|--mark|unit`,
	}, 6) {
		run := func(more ...string) string {
			words := strings.Split(c, "|")
			args := append(strings.Fields(words[0]), words[1:]...)
			out, said, code := yoyaku(t, dir, append(args, append(more, "--bad-rows", "aside=aside.csv")...)...)
			if code != 0 {
				t.Fatalf("%s: %s", c, said)
			}
			return out + read(t, filepath.Join(dir, "aside.csv"))
		}
		if quick, whole := run(), run("--repair", "--fill-down", "id"); quick != whole || len(quick) < 300 {
			a, b := strings.Split(quick, "\n"), strings.Split(whole, "\n")
			for i := range min(len(a), len(b)) {
				if a[i] != b[i] {
					t.Errorf("%s: line %d is %q as it stands, %q of all cells", c, i+1, a[i], b[i])
					break
				}
			}
			t.Errorf("%s: %d bytes as they stand, %d of all cells", c, len(quick), len(whole))
		}
	}
}

// Names of months and weekdays are written in the language of the plan, of an output, or of the
// command, and read in that of a record before all others.
func TestLanguage(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, filepath.Join(dir, "leases.csv"), "id,ends\n1,3 lis 2027\n")
	write(t, filepath.Join(dir, "yoyaku.yaml"), "plan: 1\nid: own\nwindow: 2027-01\nlanguage: de\nseries:\n  pay: {rule: monthly on last}\nrecords:\n  leases: {table: leases.csv, language: hr, read-dates: dmy}\n"+
		"outputs:\n  - {file: de.csv, of: pay, show-dates: \"%A, %d. %B %Y\", columns: [date]}\n  - {file: fr.csv, of: pay, show-dates: \"%a %d %b %Y\", language: fr, columns: [date]}\n  - {file: leases-out.csv, of: leases}\n")
	if _, errs, code := yoyaku(t, dir, "run"); code != 0 {
		t.Fatalf("%d %s", code, errs)
	}
	for file, want := range map[string]string{"de.csv": "date\n\"Sonntag, 31. Januar 2027\"\n", "fr.csv": "date\ndim. 31 janv. 2027\n", "leases-out.csv": "id,ends\n1,2027-10-03\n"} {
		if got := read(t, filepath.Join(dir, file)); got != want {
			t.Errorf("%s: %q, want %q", file, got, want)
		}
	}
	for _, c := range [][2]string{
		{"derive|leases.csv|--read-dates|ends=dmy|--add|x = ends, +1 day|--language|pl|--show-dates|%d %B", "id,ends,x\n1,03 listopada,04 listopada\n"},
		{"dates|monthly on 15|--window|2027-03|--columns|date|--show-dates|%A %e %B|--language|pl", "date\nponiedziałek 15 marca\n"},
		{"dates|monthly on 15|--window|2027-03|--columns|date|--show-dates|%A %e %B", "date\nMontag 15 März\n"},
	} {
		if out, errs, code := yoyaku(t, dir, strings.Split(c[0], "|")...); code != 0 || out != c[1] {
			t.Errorf("%s: %d %q %s", c[0], code, out, errs)
		}
	}
	if _, errs, code := yoyaku(t, dir, "dates", "monthly", "--language", "xx"); code != 2 || !strings.Contains(errs, "bg, ca, cs, da, de") {
		t.Errorf("an unknown language: %d %s", code, errs)
	}
}
