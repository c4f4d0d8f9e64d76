package office

import (
	"path/filepath"
	"strings"
	"testing"
)

// Ways to break the demo plan, each found at its line with what broke it.
func TestCheck(t *testing.T) {
	t.Parallel()
	dir := demoFolder(t)
	path := filepath.Join(dir, "yoyaku.yaml")
	good := read(t, path)
	for _, c := range []struct{ old, new, want string }{
		// expectations of series
		{"per-year: 24", "per-year: 25", "fail,yoyaku.yaml:79,crew-pay,,\"per-year: 2027 has 24 dates, expected 25\""},
		{"per-year: 24", "per-month: 2\n      per-quarter: 5..7\n      per-fiscal-year: 23", "\"per-fiscal-year: FY2027 has 24 dates, expected 23\""},
		{"gap: 11..19 days", "gap: 14 days", "fail,yoyaku.yaml:80,crew-pay,2027-02-15,\"gap: 17 days after 2027-01-29, expected 14\""},
		{"- bank-file < date", "- bank-file > date", "crew-pay,2027-01-15,each: bank-file > date: 2027-01-13T16:30 is not after 2027-01-15"},
		{"to date >= 3", "to date >= 4", "working days from approval to date >= 4: 3 is less than 4"},
		{"- bank-file < date", "- weekday of date in ('Mon', 'Tue')", "each: weekday of date in ('Mon', 'Tue'): date is 2027-01-15"},
		{"{per-year: 26..27}", "{per-year: 27}", "2028 has 26 dates, expected 27"},
		// what is wrong with dates whatever is expected
		{"[crew-pay, fuel-duty]", "[crew-pay, deckhand-pay]", `"crew-pay, deckhand-pay",2027-04-30,crew-pay and deckhand-pay fall on one day and must stay apart`},
		{"rule: monthly on 2nd tue", "rule: monthly on 1, 2 then roll following", "two dates on one day: 2027-05/1 (nominal 2027-05-01) and 2027-05/2 (nominal 2027-05-02)"},
		{"rule: monthly on 2nd tue", "rule: dates 2020-01-01", "no date falls between 2027-01-01 and 2028-12-31"},
		{"rule: monthly on 2nd tue", "rule: monthly on last then roll preceding, -1 day", "is closed (weekend) in isles, after a roll"},
		// notes: what else to know of it
		{"approval: date, -3 working days", "approval: date, -3 working days\n      spare: 5th fri of month", "note,yoyaku.yaml:77,crew-pay,,spare is blank for 30 of 48 dates\n"},
		{"period: {start: \"previous_nominal, +1 day\"", "period: {start: \"previous_nominal, +2 days\"", "note,yoyaku.yaml:73,crew-pay,,47 stretches of days lie in no period; the first is 2027-01-16..2027-01-16\n"},
		{"end: nominal}", "end: \"nominal, +1 day\"}", "note,yoyaku.yaml:73,crew-pay,,48 periods overlap the one before; the first are 2026-12-16..2027-01-01 and 2027-01-01..2027-01-16\n"},
		{"date: 2028-05-03, why", "date: 2026-12-03, why", "note,yoyaku.yaml:113,slipway-survey,2026-12-03,\"the date by hand of 2028/1-may lies before the date before it, 2027-05-01 of 2027/1-may\"\n"},
		{"rule: monthly on 2nd tue", "rule: monthly on 2nd tue until 2026-12-31", "yoyaku.yaml:98,safety-drill,,\"the rule ends on 2026-12-31, before the window begins on 2027-01-01\"\n"},
		{"start: first, end: last, window: 2027-06", "start: first, end: last, window: 2026-06", "note,yoyaku.yaml:150,june.html,,\"its window ends on 2026-06-30, before the plan's begins on 2027-01-01\"\n"},
		// the file itself: all at once
		{"rule: monthly on 2nd tue", "rule: monthly on 2nd teu", "did you mean \"\"tue\"\"?"},
		{"bank-file: date, -2", "bank-file: date, -2 x", "fail,yoyaku.yaml:77,crew-pay,"},
		{"      ends: start, lasting term months", "      ends: start, lasting trem months", "unknown name `trem`"},
		{"table: absences.csv", "table: absnces.csv", "absnces.csv"},
		{"file: crew-pay.csv, of: crew-pay", "file: crew-pay.cvs, of: crew-pay", "the ending of `crew-pay.cvs` names no format"},
		{"{start: \"previous_nominal, +1 day\"", "{start: if number = 4 then date else nominal", "unknown name `number`"},
		{"file: crew-pay.csv, of: crew-pay", "file: crew-pay.csv, of: crew-pya", "unknown series or record `crew-pya`; did you mean `crew-pay`?"},
		{"rule: quarterly", "roole: quarterly", "unknown key `roole` in a series; did you mean `rule`?"},
		{"zone: Atlantic/Faroe", "zone: Atlantic/Faro", "did you mean Atlantic/Faroe?"},
		{"known-through: 2028-12-31", "known-through: 2027-12-31", "note,yoyaku.yaml:12,,,\"the calendar isles knows no holidays after 2027-12-31"},
		{"bank-file: date, -2 working days", "bank-file: date, +1 working day", "no holidays after 2028-12-31, and 2 dates lie there"},
		{"holidays/extra.csv", "holidays/none.csv", "none.csv"},
		{"id: skerry-crew", "id: skerry-2027", "note,yoyaku.yaml:4,,,\"the id holds a year"},
		{"calendar: isles\n\n", "calendar: islands\n\n", "unknown calendar `islands`"},
		// records
		{"rows: 1..500", "rows: 11..500", "rows: crew-contracts.csv has 10 rows, expected 11..500"},
		{"unique: contract", "unique: unit", "unique: C-104 (line 5): `unit` is \"\"Ferries\"\", as in line 3"},
		{"[ends >= start, notice < ends]", "[ends >= start, term < 20]", "each: term < 20: C-103 (line 4): 24 is not less than 20"},
		{"key: contract", "key: unit", "the key `unit` is \"\"Ferries\"\", as in line 3"},
		{"make: due, date: ends", "make: due, date: ends, within: 3 days", "use one of the two"},
	} {
		text := strings.Replace(good, c.old, c.new, 1)
		write(t, path, text)
		level := 1
		if strings.HasPrefix(c.want, "note,") {
			level = 0
		}
		if said, code := ask(t, dir, "check"); text == good || code != level || !strings.Contains(said, c.want) {
			t.Errorf("%s: %d %.600s, want %s", c.new, code, said, c.want)
		}
	}
}
