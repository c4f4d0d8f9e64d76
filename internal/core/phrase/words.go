package phrase

import (
	"strings"

	"yoyaku/internal/core/civil"
)

var (
	weekdays = map[string]civil.Weekday{}
	months   = map[string]int{}
	ordinals = map[string]int{"first": 1, "second": 2, "third": 3, "fourth": 4, "fifth": 5, "last": -1}

	cadences = map[string]struct {
		unit  civil.Unit
		every int
	}{
		"daily": {civil.Day, 1}, "weekly": {civil.Week, 1}, "fortnightly": {civil.Week, 2}, "monthly": {civil.Month, 1},
		"quarterly": {civil.Quarter, 1}, "half-yearly": {civil.Half, 1}, "yearly": {civil.Year, 1},
	}
	cadenceWords = []string{"daily", "weekly", "fortnightly", "monthly", "quarterly", "half-yearly", "yearly", "every", "dates", "rrule"}

	units = map[string]Unit{"day": Days, "week": Weeks, "fortnight": Fortnights, "month": Months,
		"quarter": Quarters, "half-year": HalfYears, "year": Years}
	periodUnits = map[string]civil.Unit{"week": civil.Week, "month": civil.Month, "quarter": civil.Quarter,
		"half-year": civil.Half, "year": civil.Year}

	stepWords = []string{"lasting", "start", "middle", "end", "next", "previous", "roll", "anniversary", "at", "easter", "working"}

	// reserved words are always the language's own; so are weekdays and months.
	reserved = map[string]bool{}
)

func init() {
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
	for _, w := range strings.Fields("today and or not if then else is in between of from to through as on at using otherwise") {
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

// WeekdayWords and MonthWords are the short names, for suggestions.
var (
	WeekdayWords = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun",
		"monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"}
	MonthWords = []string{"jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec",
		"january", "february", "march", "april", "june", "july", "august", "september", "october", "november", "december"}
)

// SameName reports whether two names are one: case is ignored, and space,
// underscore and hyphen count alike.
func SameName(a, b string) bool { return FoldName(a) == FoldName(b) }

// FoldName returns the form of a name that decides whether two are the same.
func FoldName(s string) string {
	return strings.Map(func(r rune) rune {
		if r == '_' || r == '-' {
			return ' '
		}
		return r
	}, strings.ToLower(s))
}

// brought are words that people bring from elsewhere, and what to write.
var brought = map[string]string{
	"biweekly": "fortnightly on fri from DATE", "bi-weekly": "fortnightly on fri from DATE",
	"fortnight": "fortnightly on fri from DATE", "semi-weekly": "weekly on mon, thu",
	"semi-monthly": "monthly on 15, last", "semimonthly": "monthly on 15, last", "twice-monthly": "monthly on 15, last",
	"twice": "monthly on 15, last", "bimonthly": "every 2 months from DATE, or monthly on 15, last",
	"bi-monthly": "every 2 months from DATE, or monthly on 15, last",
	"annually":   "yearly", "annual": "yearly", "semi-annually": "half-yearly", "semiannually": "half-yearly",
	"biannually": "half-yearly", "half-year": "half-yearly", "weekdays": "weekly on mon-fri, or every working day",
	"everyday": "daily", "each": "monthly on …, weekly on …, every 2 weeks …",
	"tomorrow": "today, +1 day", "yesterday": "today, -1 day", "now": "today",
	"eom": "end of month", "month-end": "end of month", "eoq": "end of quarter", "eoy": "end of year",
	"business": "working day", "workday": "working day", "workdays": "working days", "weekday": "working day, or name the weekday",
	"prior": "previous", "following": "next, or roll following", "preceding": "previous, or roll preceding",
	"plus": "+", "minus": "-", "add": "+1 month", "beginning": "start of", "begin": "start of", "mid": "middle of",
}

// everyHint is what to write for "every WORD …".
func everyHint(word string) string {
	if w, ok := weekdays[word]; ok {
		return "weekly on " + strings.ToLower(w.Short())
	}
	switch word {
	case "day":
		return "daily"
	case "week":
		return "weekly on fri"
	case "fortnight":
		return "fortnightly on fri from DATE"
	case "month":
		return "monthly on 15"
	case "quarter":
		return "quarterly on last"
	case "half-year":
		return "half-yearly on last"
	case "year":
		return "yearly on 25 dec"
	case "weekday":
		return "weekly on mon-fri, or every working day"
	case "business", "workday":
		return "every working day"
	case "other", "second", "2nd":
		return "every 2 weeks on fri from DATE, every 2 months on 15 from DATE"
	}
	if m := months[word]; m != 0 {
		return "yearly on 1 " + word[:3]
	}
	return ""
}
