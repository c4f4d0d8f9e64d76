package language

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

// words of four languages for each unit, the longest first, with what one is in quarters of a month
// or of a day: written down apart from the table that is tested.
var termWords = []struct {
	months, days int
	words        map[string][]string
}{
	{48, 0, map[string][]string{"en": {"y", "yr", "yrs", "year", "years"}, "de": {"j", "Jahr", "Jahre"}, "fr": {"an", "ans", "année", "années"}, "es": {"año", "años"}}},
	{24, 0, map[string][]string{"en": {"half-year", "half years"}, "de": {"Halbjahr", "Halbjahre"}, "fr": {"semestre", "semestres"}, "es": {"semestre", "semestres"}}},
	{12, 0, map[string][]string{"en": {"quarter", "quarters"}, "de": {"Quartal", "Quartale"}, "fr": {"trimestre"}, "es": {"trimestres"}}},
	{4, 0, map[string][]string{"en": {"mo", "mos", "mth", "mths", "month", "months"}, "de": {"Mon", "Monat", "Monate", "Mt"}, "fr": {"mois"}, "es": {"mes", "meses"}}},
	{0, 28, map[string][]string{"en": {"w", "wk", "wks", "week", "weeks"}, "de": {"Wo", "Woche", "Wochen"}, "fr": {"sem", "semaine", "semaines"}, "es": {"sem", "semana", "semanas"}}},
	{0, 4, map[string][]string{"en": {"d", "day", "days"}, "de": {"Tag", "Tage"}, "fr": {"jour", "jours"}, "es": {"día", "días"}}},
}

// TestParseTerm_randomCells writes 20,000 cells in four languages, and as ISO 8601, beside what they
// add up to in quarters of a month and of a day: they are read so, or refused where that isn't whole.
func TestParseTerm_randomCells(t *testing.T) {
	rnd := rand.New(rand.NewPCG(38, 1))
	pick := func(list ...string) string { return list[rnd.IntN(len(list))] }
	refused := 0
	for range 20_000 {
		code := pick("en", "de", "fr", "es", "iso")
		var b strings.Builder
		sign := 1
		if rnd.IntN(8) == 0 {
			sign = -1
			b.WriteString(pick("-", "−", "- "))
		}
		if code == "iso" {
			b.WriteString("P")
		}
		months, days := 0, 0
		first := rnd.IntN(len(termWords))
		for at := first; at < len(termWords); at += 1 + rnd.IntN(3) {
			if code == "iso" && (at == 1 || at == 2) {
				continue
			}
			unit := termWords[at]
			n, quarters := rnd.IntN(40), 0
			if rnd.IntN(3) == 0 {
				quarters = rnd.IntN(4)
			}
			number := fmt.Sprint(n)
			if quarters > 0 {
				number += []string{pick(".", ",") + []string{"25", "5", "75"}[quarters-1], []string{"¼", "½", "¾"}[quarters-1]}[rnd.IntN(2)]
				if code == "iso" {
					number = fmt.Sprint(n) + "." + []string{"25", "5", "75"}[quarters-1]
				}
			}
			months += (4*n + quarters) * unit.months
			days += (4*n + quarters) * unit.days
			switch {
			case code == "iso":
				b.WriteString(number + string("Y--MWD"[at]))
				continue
			case at > first:
				b.WriteString(pick("", " ", ", ", " and ", " und ", " et ", " y "))
			}
			word := pick(unit.words[code]...)
			if rnd.IntN(4) == 0 {
				word = strings.ToUpper(word)
			}
			if len(word) < 5 && rnd.IntN(4) == 0 {
				word += "."
			}
			b.WriteString(number + pick("", " ", "\u00a0") + word)
		}
		text := b.String()
		if strings.Trim(text, "P-− ") == "" {
			continue
		}
		l, _ := Find(code)
		got, err := ParseTerm(text, l, false)
		if months%16 != 0 || days%16 != 0 {
			var wrong *TermError
			if refused++; !errors.As(err, &wrong) || !strings.Contains(err.Error(), "must come out in whole") {
				t.Fatalf("%q: %+v, %v, want a refusal: %d quarters of months, %d of days", text, got, err, months, days)
			}
			continue
		}
		if err != nil || got.Months != sign*months/16 || got.Days != sign*days/16 {
			t.Fatalf("%q: %+v, %v, want %d months %d days", text, got, err, sign*months/16, sign*days/16)
		}
	}
	if refused < 1000 {
		t.Errorf("%d cells refused", refused)
	}
}

// FuzzTerms: whatever a cell holds, a term that is read comes out the same as an ISO 8601 duration,
// and the date before a half is the beginning of its text.
func FuzzTerms(f *testing.F) {
	for _, text := range []string{"3 years", "1y6m", "P18M", "½ year", "-2w", "12 Monate und 3 Tage", "2027-06-01 PM", "7 juin 2027 (après-midi)", "1 Jun 2027 12:00 PM", "( ½", "P1Y2"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if term, err := ParseTerm(text, nil, true); err == nil {
			iso, sign := "P", 1
			if term.Months < 0 || term.Days < 0 {
				iso, sign = "-P", -1
			}
			if term.HasMonths {
				iso += fmt.Sprint(sign*term.Months) + "M"
			}
			if term.HasDays {
				iso += fmt.Sprint(sign*term.Days) + "D"
			}
			if again, err := ParseTerm(iso, nil, false); err != nil || again != term {
				t.Errorf("%q is %+v, %s is %+v, %v", text, term, iso, again, err)
			}
		}
		if date, h := CutHalf(text); !strings.HasPrefix(strings.TrimSpace(text), date) || h != WholeDay && date == "" {
			t.Errorf("%q: %q, %v", text, date, h)
		}
	})
}
