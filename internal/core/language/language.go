// Package language knows what months and weekdays are called in 28 languages, as Unicode CLDR has
// it and as people write them.
package language

import (
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
)

// Language is one of them. Each list of names has blanks between them, in the order of the
// calendar, from January and from Monday; those of other forms have their number in front.
type Language struct {
	Code          string // ISO 639-1
	months        string // within a date
	shortMonths   string
	standalone    string // months without a day, where that differs
	otherMonths   string
	weekdays      string
	shortWeekdays string
	otherWeekdays string
}

// Find finds a language by its code, case aside; the error names all.
func Find(code string) (*Language, error) {
	for i := range all {
		if strings.EqualFold(all[i].Code, strings.TrimSpace(code)) {
			return &all[i], nil
		}
	}
	return nil, fmt.Errorf("expected the code of a language, such as de or fr, found %q; known are %s", code, strings.Join(Codes(), ", "))
}

// Codes are the codes of all languages, sorted.
func Codes() (list []string) {
	for _, l := range all {
		list = append(list, l.Code)
	}
	slices.Sort(list)
	return list
}

// Month is the name of a month, 1 to 12, as a date has it, whole or short.
func (l *Language) Month(m int, short bool) string {
	if short {
		return strings.Fields(l.shortMonths)[m-1]
	}
	return strings.Fields(l.months)[m-1]
}

// MonthAlone is the name of a month without a day.
func (l *Language) MonthAlone(m int) string {
	if l.standalone == "" {
		return l.Month(m, false)
	}
	return strings.Fields(l.standalone)[m-1]
}

// Weekday is the name of a weekday, whole or short.
func (l *Language) Weekday(d civil.Weekday, short bool) string {
	if short {
		return strings.Fields(l.shortWeekdays)[d-1]
	}
	return strings.Fields(l.weekdays)[d-1]
}
