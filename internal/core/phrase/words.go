package phrase

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
)

var (
	weekdays = map[string]civil.Weekday{}
	months   = map[string]int{}
	ordinals = map[string]int{"first": 1, "second": 2, "third": 3, "fourth": 4, "fifth": 5, "last": -1}

	// cadences has a row for each cadence with a word of its own: the unit of its
	// periods, every how many of them, and a day that may follow `on`.
	cadences = []cadence{
		{"daily", civil.Day, 1, ""}, {"weekly", civil.Week, 1, "fri"}, {"fortnightly", civil.Week, 2, "fri"},
		{"monthly", civil.Month, 1, "last"}, {"quarterly", civil.Quarter, 1, "last"}, {"half-yearly", civil.Half, 1, "last"},
		{"yearly", civil.Year, 1, "25 dec"},
		{"fiscal-monthly", civil.FiscalMonth, 1, "last"}, {"fiscal-quarterly", civil.FiscalQuarter, 1, "last"},
		{"fiscal-yearly", civil.FiscalYear, 1, "last"},
	}
	// cadenceWords are what a rule begins with: those, and the words below.
	cadenceWords []string

	units       = map[string]Unit{}       // by their words, without working days
	periodUnits = map[string]civil.Unit{} // periods that a step may name

	// reserved words are always the language's own; so are weekdays and months.
	reserved = map[string]bool{}
	// reservedInRules are those that are its own inside rules.
	reservedInRules = map[string]bool{"until": true, "times": true, "plus": true, "leaving": true, "skipping": true, "back": true}
	// neverNames precede a unit in words that people bring, never as a name.
	neverNames = map[string]bool{"other": true, "second": true, "last": true, "single": true, "each": true}
)

// cadence is a row of the table of cadences.
type cadence struct {
	word       string
	unit       civil.Unit
	every      int
	defaultDay string
}

// cadenceOf returns the cadence of a word; nil if it is none.
func cadenceOf(word string) *cadence {
	for i := range cadences {
		if cadences[i].word == word {
			return &cadences[i]
		}
	}
	return nil
}

func init() {
	for _, c := range cadences {
		cadenceWords = append(cadenceWords, c.word)
	}
	cadenceWords = append(cadenceWords, "every", "dates", "rrule")
	for u, row := range unitTable {
		if Unit(u) != WorkingDays && Unit(u) != CellUnit {
			units[row.word] = Unit(u)
		}
	}
	for _, u := range []civil.Unit{civil.Week, civil.Month, civil.Quarter, civil.Half, civil.Year} {
		periodUnits[civil.UnitNames[u]] = u
	}
	for w := civil.Monday; w <= civil.Sunday; w++ {
		full := strings.ToLower(civil.WeekdayNames[w])
		for _, name := range []string{full, full + "s", full[:3], full[:3] + "s"} {
			weekdays[name] = w
		}
	}
	for _, short := range []string{"tues", "wednes", "thurs", "thur"} {
		weekdays[short] = weekdays[short[:3]]
	}
	delete(weekdays, "wednes")
	for m := 1; m <= 12; m++ {
		full := strings.ToLower(civil.MonthNames[m])
		months[full], months[full[:3]] = m, m
	}
	months["sept"] = 9
	for _, w := range strings.Fields(
		"today and or not if then else is in between of from to through as on at using otherwise") {
		reserved[w] = true
	}
	for w := range weekdays {
		reserved[w] = true
	}
	for m := range months {
		reserved[m] = true
	}
}

// singular drops the plural s of a unit or period word.
func singular(w string) string { return strings.TrimSuffix(w, "s") }

// ParseWeekdays reads a list such as "sat, sun" or "mon-fri"; bad is the first
// word that is no weekday.
func ParseWeekdays(list string) (days []civil.Weekday, bad string) {
	for _, word := range strings.FieldsFunc(strings.ToLower(list), func(r rune) bool { return r == ',' || r == ' ' }) {
		if word == "and" {
			continue
		}
		from, to, ranged := weekdayRange(word)
		if from == 0 {
			return nil, word
		}
		for w := from; ; w = w%7 + 1 {
			days = append(days, w)
			if !ranged || w == to {
				break
			}
		}
	}
	return days, ""
}

// ParseMonth reads an English month name, short or full; 0 when it is none.
func ParseMonth(word string) int { return months[strings.ToLower(word)] }

// weekdayRange reads "fri" or "mon-fri"; from is 0 when it is neither.
func weekdayRange(word string) (from, to civil.Weekday, ranged bool) {
	if a, b, ok := strings.Cut(word, "-"); ok {
		if weekdays[a] != 0 && weekdays[b] != 0 {
			return weekdays[a], weekdays[b], true
		}
		return 0, 0, false
	}
	return weekdays[word], 0, false
}

// WeekdayWords and monthWords are the short names, for suggestions.
var (
	WeekdayWords = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun",
		"monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"}
	monthWords = []string{"jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec",
		"january", "february", "march", "april", "june", "july", "august", "september", "october", "november", "december"}
)

// NamesEqual reports whether two names are one: case is ignored, and space,
// underscore and hyphen count alike.
func NamesEqual(a, b string) bool { return FoldName(a) == FoldName(b) }

// Normalise brings a text to Unicode's normal form NFC. The program sets it when it starts, since
// the core has no such tables; without it, names compare as they are written.
var Normalise = func(s string) string { return s }

// FoldName returns the form of a name that decides whether two are the same.
func FoldName(s string) string {
	if strings.ContainsFunc(s, func(r rune) bool { return r >= utf8.RuneSelf }) {
		s = Normalise(s)
	}
	return strings.Map(func(r rune) rune {
		if r == '_' || r == '-' {
			return ' '
		}
		return r
	}, strings.ToLower(s))
}

// maxListedNames is how many names a hint lists.
const maxListedNames = 30

// ListNames lists names, the first of them if there are many.
func ListNames(list []string) string {
	more := ""
	if n := len(list) - maxListedNames; n > 0 {
		list, more = list[:maxListedNames], fmt.Sprintf(" and %d more", n)
	}
	return strings.Join(list, ", ") + more
}

// Plural counts things in words: 1 row, 2 rows; 2 days, 2 entries.
func Plural(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	if stem, ok := strings.CutSuffix(what, "y"); ok && !strings.ContainsAny(stem[len(stem)-1:], "aeou") {
		what = stem + "ie"
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// CountVerb counts something with its own verb: 1 period overlaps, 2 periods overlap.
func CountVerb(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// CountIs is Plural with the verb: "1 row is", "2 rows are".
func CountIs(n int, what string) string {
	return Plural(n, what) + map[bool]string{true: " is", false: " are"}[n == 1]
}
