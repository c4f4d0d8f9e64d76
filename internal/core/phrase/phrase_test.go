package phrase

import (
	"errors"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"yoyaku/internal/golden"
)

// Phrases and their canonical forms; each form parses to itself again.
func TestCanonical(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/canonical.cases", 2) {
		p, err := Parse(c[0])
		if (err != nil) != (c[1] == "") {
			t.Errorf("%q: %v", c[0], err)
		}
		if err != nil {
			continue
		}
		if got := p.Canonical(); got != c[1] {
			t.Errorf("%q prints as\n  %q, want\n  %q", c[0], got, c[1])
		}
		if again, err := Parse(p.Canonical()); err != nil || again.Canonical() != p.Canonical() {
			t.Errorf("%q doesn't parse to itself: %v", p.Canonical(), err)
		}
	}
}

// Wrong phrases: the part under the caret, and words of the advice.
func TestErrors(t *testing.T) {
	for _, c := range [][3]string{
		{"monthly on 15, lst", "lst", `"last"`},
		{"monthly on 32", "32", "1 to 31"},
		{"fiscal-monthly on fri", "fri", "1st fri"},
		{"fiscal-monthly on 43", "43", "1 to 42"},
		{"fiscal-monthly on 15th", "15th", "day 15"},
		{"fiscal-quarterly on 15", "15", "day 15"},
		{"fiscal-yearly on 25 dec", "25", "day 25"},
		{"fiscal-yearly on 1st mon of jan", "of", "whole period"},
		{"fiscal-monthly", "fiscal-monthly", "on last"},
		{"weekly on fri leaving out 2027-07-01..", "2027-07-01..", "2027-08-15"},
		{"weekly on fri leaving out 2027-07-01..2027-13", "2027-13", "FY2027"},
		{"weekly on fri plus 2027-07-01..2027-08-01", "2027-07-01..2027-08-01", "`leaving out` alone"},
		{"monthly from start until times", "times", "double quotes"},
		{"every other weeks from start 2 times", "other", "every 2 weeks"},
		{"every term from start", "term", "every term months"},
		{"start, end of fiscal day", "day", ""},
		{"monthly on 0", "0", "1 to 31"},
		{"monthly on 0th fri", "0th", "1st"},
		{"monthly on 1st last", "1st last", "last"},
		{"weekly on fryday", "fryday", "friday"},
		{"weekly on 15", "15", "monthly"},
		{"yearly on 30 feb", "30 feb", "February"},
		{"yearly on 25 decembre", "25", "december"},
		{"yearly on dec 25", "dec", "25 dec"},
		{"quarterly on 15", "15", "15 of month 2"},
		{"quarterly on 15 of month 4", "4", "1 to 3"},
		{"monthly on mon-fri", "mon-fri", "weekly"},
		{"monthly fri", "fri", "`on`"},
		{"monthly", "monthly", "on last"},
		{"fortnightly on fri", "fortnightly", "from"},
		{"weekly on fri 3 times", "weekly", "from"},
		{"daily on mon", "on", "weekly on mon-fri"},
		{"monthly on 15, then roll preceding", "then", ""},
		{"monthly on 15 from 2027-01-01, until 2028-01-01", ",", "comma"},
		{"monthly on 15 roll preceding", "roll", "then roll preceding"},
		{"monthly on 15 from 2027-01-01 from 2027-02-01", "from", "once"},
		{"monthly on 15 from 2027-02-30", "2027-02-30", ""},
		{"monthly on 15 from 2027-2-1", "2027-2-1", "2027-03-31"},
		{"monthly on 15 in janury", "janury", "january"},
		{"monthly on 15 then rol preceding", "rol", "roll"},
		{"monthly on 15 then roll preceeding", "preceeding", "preceding"},
		{"monthly on 15 then roll modified", "modified", "modified following"},
		{"monthly on 15 then roll back", "back", "roll preceding"},
		{"monthly on 15 then anniversary on or after today", "anniversary on or after today", "rows"},
		{"monthly on 15 then at 16:30, +1 day", ",", ""},
		{"monthly on 15 then +1 day using bank", "using bank", "behind the step"},
		{"montly on 15", "montly", "monthly"},
		{"biweekly on fri", "biweekly", "fortnightly"},
		{"semi-monthly on 15", "semi-monthly", "monthly on 15, last"},
		{"every friday", "friday", "weekly on fri"},
		{"every month on 15", "month", "monthly"},
		{"every other friday", "other", "every 2 weeks"},
		{"every 0 weeks on fri from today", "0", "1 or more"},
		{"start-5 days", "start-5 days", "start, -5 days"},
		{"today, +5 dais", "dais", "days"},
		{"today, +5 business days", "business", "working day"},
		{"today, +2.5 months", "2.5", "whole"},
		{"today, lasting 0 days", "0", "1 or more"},
		{"today, +1 month 2 working days", "+1 month 2 working days", "two steps"},
		{"today, +5 days keep month end", "keep month end", "months"},
		{"today, 30 feb", "30 feb", "February"},
		{"today, dec 25", "dec", "25 dec"},
		{"monthly on 2nd teu", "teu", "tue"},
		{"31.3.2027, +1 day", "31.3.2027", "2027-03-31"},
		{"today, sun", "sun", "next sun"},
		{"today, next month", "next month", "start of next month"},
		{"today, end of the month", "the", "end of month"},
		{"today, end of last month", "last", "previous"},
		{"today, end of march", "march", "last day of mar"},
		{"today, end of montg", "montg", "month"},
		{"today, 1st munday of month", "munday", "monday"},
		{"today, at 25:00", "25:00", "09:00"},
		{"today, +3dyas", "3dyas", "neither"},
		{"today; tomorrow", ";", ""},
		{"tomorrow at 16:30", "at", "today, +1 day"},
		{"start date, +1 day", "date", `"start date"`},
		{"Starts on, +1 day", "Starts", `"Starts on"`},
		{"(Starts on), +1 day", "on", `"Starts on"`},
		{"later of Starts on and today", "on", `"Starts on"`},
		{"Start date < today", "date", `"Start date"`},
		{"a < Left date", "date", `"Left date"`},
		{"days from Start date to b", "date", `"Start date"`},
		{"days from today b", "b", "leaves the first day out"},
		{"if Hired on < today then 1 else 2", "on", `"Hired on"`},
		{"round Yearly rent to 0", "rent", `"Yearly rent"`},
		{"weekday of Paid on = 1", "on", `"Paid on"`},
		{"today x", "x", "steps are separated by commas"},
		{"2027-03-31-5 days", "2027-03-31-5", "2027-03-31"},
		{"a = ''", "''", "is blank"},
		{"12-31-2027", "12-31-2027", "2027-03-31"},
		{strings.Repeat("(", 300) + "a", "(", "inside each other"},
		{strings.Repeat("not ", 300) + "a = 1", "not", "inside each other"},
		{"a = 1" + strings.Repeat(" or a = 1", 3000), "or", "in (…)"},
		{"'text", "'text", "close"},
		{"(today, +1 day", "", "`)`"},
		{"30/360 days from a to b", "30/360", "30/360 US"},
		{"ACT/360 days from a to b", "days", "days from A to B"},
		{"days from a until b", "until", "through"},
		{"round a to 11", "11", "0 to 10"},
		{"if today then b", "today", "neither"},
		{"if a = 1 then b, +1 day", ",", ""},
		{"month of", "", "a date"},
		{"a = b = c", "=", "between"},
		{"today and a = b", "today", "neither true nor false"},
		{"a is empty", "empty", "blank"},
		{"a in 'x'", "'x'", "parentheses"},
		{"rrule FREQ=DALY", "FREQ=DALY", "DAILY"},
		{"rrule", "", "FREQ="},
		{"rrule FREQ=MONTHLY", "rrule", "first date"},
		{"rrule FREQ=HOURLY from 2027-01-01", "rrule", "times of day"},
		{"rrule FREQ=DAILY until 2027-01-01", "rrule", "UNTIL"},
		{"rrule FREQ=DAILY on fri", "on", "BYMONTHDAY"},
		{"", "", "monthly on 15"},
	} {
		_, err := Parse(c[0])
		var e *Error
		if !errors.As(err, &e) {
			t.Errorf("%q: no phrase error but %v", c[0], err)
			continue
		}
		at := e.Phrase[min(e.Span.Start, len(e.Phrase)):min(e.Span.End, len(e.Phrase))]
		if at != c[1] || !strings.Contains(e.Message+" "+e.Hint, c[2]) {
			t.Errorf("%.80q: caret under %q, want %q; %s | %s, want %q", c[0], at, c[1], e.Message, e.Hint, c[2])
		}
	}
}

// Whatever the bytes, the parser gives a tree with a stable form or an error
// with a place inside the phrase.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"monthly on 15, last then roll preceding", "start, +1 year 6 months keep month end using (x)",
		"every 3 months back from 2028-05-31 from 2027-02-10", `"a ""b" otherwise later of c and 2027-W01-1, at 16:30`,
		"yearly on 25 dec, last fri of nov, mon of week 20 skipping short months", "dates 2027-01-01 then next 29 feb", "\xff'", "1st", "rrule", "rrule FREQ=YEARLY;BYDAY=20MO;WKST=SU from 2027-01-01 leaving out 2028-01-01"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		p, err := Parse(s)
		if err != nil {
			var e *Error
			if !errors.As(err, &e) || e.Span.Start < 0 || e.Span.Start > e.Span.End || e.Span.End > len(e.Phrase)+1 {
				t.Fatalf("%q: %#v", s, err)
			}
			return
		}
		c := p.Canonical()
		again, err := Parse(c)
		if err != nil || again.Canonical() != c {
			t.Fatalf("%q prints as %q, which parses with %v", s, c, err)
		}
	})
}

// What a phrase says in plain words.
func TestReading(t *testing.T) {
	for _, c := range golden.Cases(t, "testdata/reading.cases", 2) {
		p, err := Parse(c[0])
		if err != nil {
			t.Fatal(err)
		}
		if got := p.Reading(); got != c[1] {
			t.Errorf("%s reads\n  %s, want\n  %s", c[0], got, c[1])
		}
	}
}

// Every word that people bring gets its advice, and what is advised can be
// written.
func TestBroughtWords(t *testing.T) {
	fill := strings.NewReplacer("#", "3", "@", "fridays", "$", "june")
	for _, b := range brought {
		text := fill.Replace(b.words)
		write := Brought(text, Span{0, len(text)})
		if want := strings.NewReplacer("#th", "3rd", "#", "3", "@", "fri", "$", "jun").Replace(b.write); write != want {
			t.Errorf("%q gets %q, want %q", text, write, want)
		}
		for _, one := range strings.Split(write, ", or ") {
			one = strings.NewReplacer("DATE", "2027-01-08", "NAME", "start").Replace(one)
			fits := false
			for _, around := range []string{"", "today, ", "today, next ", "today, +", "today, start of "} {
				_, err := Parse(around + one)
				fits = fits || err == nil
			}
			if !fits {
				t.Errorf("%q is advised for %q and can't be written", one, text)
			}
		}
	}
	if len(brought) < 80 {
		t.Errorf("%d words", len(brought))
	}
}

// Words near and far: what is left out, put in, another letter, two that changed places.
func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"", "", 0}, {"fri", "fri", 0}, {"fri", "fr", 1}, {"fri", "frid", 1}, {"fri", "fry", 1}, {"firday", "friday", 1}, {"ab", "ba", 1}, {"abcd", "badc", 2}, {"last", "first", 3}, {"ca", "abc", 3}} {
		if got := distance([]rune(c.a), []rune(c.b)); got != c.want || distance([]rune(c.b), []rune(c.a)) != got {
			t.Errorf("%s to %s: %d, want %d", c.a, c.b, got, c.want)
		}
	}
}

// Words that mean something in rules can be names, in quotes; what is printed is read
// as the same again. Ordinals are read in words.
func TestWordsAsNames(t *testing.T) {
	for _, w := range []string{"until", "times", "plus", "leaving", "skipping", "back", "x-y", "a b", "on", "then"} {
		text := `monthly on 1 from "` + w + `"`
		r, err := ParseRule(text)
		if err != nil {
			t.Fatal(text, err)
		}
		if _, err := ParseRule("monthly on 1 from " + w); err == nil && w != "x-y" {
			t.Errorf("%s needs no quotes in a rule", w)
		}
		again, err := ParseRule(r.Canonical())
		if err != nil || again.Canonical() != r.Canonical() {
			t.Errorf("%s: %s, %v", text, r.Canonical(), err)
		}
	}
	for text, want := range map[string]string{"monthly on first mon": "1st mon", "monthly on second mon": "2nd mon", "monthly on third mon": "3rd mon", "monthly on fourth mon": "4th mon", "monthly on fifth mon": "5th mon"} {
		if r, err := ParseRule(text); err != nil || !strings.Contains(r.Canonical(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
	for text, want := range map[string]string{"x-y, +1 day": "x-y, +1 day", "round pay to 10": "round pay to 10", "3rd working day of next month using isles": "3rd working day of next month using isles", "next working day using isles": "next working day using isles", "x-y_z, +1 day": "x-y_z, +1 day", "fri on or after": "fri on or after"} {
		if e, err := ParseExpr(text); err != nil || ExprText(e) != want {
			t.Errorf("%s: %v", text, err)
		}
	}
	for text, want := range map[string]string{"monthly on 1 then at 09:00, +1 day": "`at` is the last step", "rrule FREQ=MONTHLY until 2027-12-31": "no clause but", "rrule FREQ=MONTHLY 3 times": "no clause but",
		"rrule FREQ=MONTHLY;BYMONTHDAY=31 skipping short months": "no clause but", "rrule FREQ=MONTHLY back from 2027-12-31": "no clause but", "round pay to 11": "0 to 10", "monthly on 2nd qqqq": "an ordinal goes with a weekday", "monthly on first qqqq": "an ordinal goes with a weekday"} {
		_, err := ParseRule(text)
		if !IsRule(text) {
			_, err = ParseExpr(text)
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %s", text, err, want)
		}
	}
}

// Whatever word the parser looks for can't be a word of a pattern, which would be filled
// in over it.
func TestReserved(t *testing.T) {
	files, err := filepath.Glob("*.go")
	if err != nil || len(files) < 10 {
		t.Fatal(files, err)
	}
	call, literal := regexp.MustCompile(`\b(?:is|accept|expect)\(((?:"[a-z0-9-]+"(?:, )?)+)`), regexp.MustCompile(`[a-z0-9-]+`)
	seen := 0
	for _, f := range files {
		source, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		if strings.HasSuffix(f, "_test.go") {
			continue
		}
		for _, m := range call.FindAllSubmatch(source, -1) {
			for _, w := range literal.FindAllString(string(m[1]), -1) {
				if seen++; !Reserved(w) {
					t.Errorf("%s: a pattern may take `%s`", f, w)
				}
			}
		}
	}
	if seen < 100 {
		t.Errorf("only %d words were found", seen)
	}
	for _, w := range []string{"lead", "begins", "cut-off", "site", "cal"} {
		if Reserved(w) {
			t.Errorf("a pattern can't take `%s`", w)
		}
	}
}

func TestCounted(t *testing.T) {
	for want, got := range map[string]string{"1 entry": Counted(1, "entry"), "2 entries": Counted(2, "entry"), "0 days": Counted(0, "day"),
		"3 nominal dates": Counted(3, "nominal date"), "1 row is": IsAre(1, "row"), "2 rows are": IsAre(2, "row")} {
		if got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
}
