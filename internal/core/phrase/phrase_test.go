package phrase

import (
	"errors"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
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
	for _, c := range append(golden.Cases(t, "testdata/errors.cases", 3), [][]string{
		{strings.Repeat("(", 300) + "a", "(", "levels of parentheses"},
		{strings.Repeat("not ", 300) + "a = 1", "not", "levels of parentheses"},
		{"a = 1" + strings.Repeat(" or a = 1", 3000), "or", "use a table with match"},
		{"2027-01-01" + strings.Repeat(", +1 day", 3000), "+", "at most 2000 steps"}}...) {
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
func TestForeignHint(t *testing.T) {
	fill := strings.NewReplacer("#", "3", "@", "fridays", "$", "june")
	for _, b := range foreignWords {
		text := fill.Replace(b.words)
		write := ForeignHint(text, Span{0, len(text)})
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
	if len(foreignWords) < 80 {
		t.Errorf("%d words", len(foreignWords))
	}
}

// Words near and far: what is left out, put in, another letter, two that changed places.
func TestEditDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"", "", 0}, {"fri", "fri", 0}, {"fri", "fr", 1}, {"fri", "frid", 1}, {"fri", "fry", 1}, {"firday", "friday", 1}, {"ab", "ba", 1}, {"abcd", "badc", 2}, {"last", "first", 3}, {"ca", "abc", 3}} {
		var room [3][]int
		for limit := range 7 { // from which on it may be any more
			got, back := editDistance([]rune(c.a), []rune(c.b), limit, &room), editDistance([]rune(c.b), []rune(c.a), limit, &room)
			if c.want < limit && (got != c.want || back != c.want) || c.want >= limit && (got < limit || back < limit) {
				t.Errorf("%s to %s: %d and %d, want %d, limit %d", c.a, c.b, got, back, c.want, limit)
			}
		}
	}
	many := make([]string, maxNamesForFullSearch)
	for i := range many {
		many[i] = "pier" + strconv.Itoa(i)
	}
	for word, want := range map[string]string{"peir7": "pier7", "qier7": "pier7", "pier99": "pier99", "Pier 7": "pier7"} {
		if got := Nearest(word, many); got != want {
			t.Errorf("nearest to %s is %s, want %s", word, got, want)
		}
		if got := Nearest(word, append(many, "qx")); (got == want) != (word[0] != 'q') {
			t.Errorf("among many, nearest to %s is %s", word, got)
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
	for text, want := range map[string]string{"monthly on 1 then at 09:00, +1 day": "`at` must be the last step", "rrule FREQ=MONTHLY until 2027-12-31": "takes only the clauses", "rrule FREQ=MONTHLY 3 times": "takes only the clauses",
		"rrule FREQ=MONTHLY;BYMONTHDAY=31 skipping short months": "takes only the clauses", "rrule FREQ=MONTHLY back from 2027-12-31": "takes only the clauses", "round pay to 11": "0 to 10", "monthly on 2nd qqqq": "an ordinal needs a weekday", "monthly on first qqqq": "an ordinal needs a weekday"} {
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
	call, literal := regexp.MustCompile(`\b(?:isWord|accept|expect)\(((?:"[a-z0-9-]+"(?:, )?)+)`), regexp.MustCompile(`[a-z0-9-]+`)
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
				if seen++; !IsReserved(w) {
					t.Errorf("%s: a pattern may take `%s`", f, w)
				}
			}
		}
	}
	if seen < 100 {
		t.Errorf("only %d words were found", seen)
	}
	for _, w := range []string{"lead", "begins", "cut-off", "site", "cal"} {
		if IsReserved(w) {
			t.Errorf("a pattern can't take `%s`", w)
		}
	}
}

func TestPlural(t *testing.T) {
	for want, got := range map[string]string{"1 entry": Plural(1, "entry"), "2 entries": Plural(2, "entry"), "0 days": Plural(0, "day"),
		"3 nominal dates": Plural(3, "nominal date"), "1 row is": CountIs(1, "row"), "2 rows are": CountIs(2, "row")} {
		if got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
}
