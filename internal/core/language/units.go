package language

import (
	"slices"
	"strings"
	"sync"
)

// TermUnit is a unit of terms.
type TermUnit uint8

// The units, the longest first.
const (
	YearUnit TermUnit = iota + 1
	HalfYearUnit
	QuarterUnit
	MonthUnit
	FortnightUnit
	WeekUnit
	DayUnit
	WorkingDayUnit // which no cell may hold
)

// termUnits say how many months or days one of a unit is.
var termUnits = [...]struct{ months, days int64 }{
	YearUnit: {months: 12}, HalfYearUnit: {months: 6}, QuarterUnit: {months: 3}, MonthUnit: {months: 1},
	FortnightUnit: {days: 14}, WeekUnit: {days: 7}, DayUnit: {days: 1},
}

// unitNames are what units are called, whole and short, by language; a blank or a hyphen within a
// name counts alike.
var unitNames = map[string]map[TermUnit]string{
	"en": {
		YearUnit: "y, yr, yrs, year, years", HalfYearUnit: "half year, half years", QuarterUnit: "quarter, quarters, qtr, qtrs",
		MonthUnit: "m, mo, mos, mth, mths, month, months", FortnightUnit: "fortnight, fortnights", WeekUnit: "w, wk, wks, week, weeks",
		DayUnit: "d, day, days, calendar day, calendar days", WorkingDayUnit: "working day, working days, business day, business days, workday, workdays",
	},
	"de": {
		YearUnit: "j, jahr, jahre, jahren", HalfYearUnit: "halbjahr, halbjahre, halbjahren", QuarterUnit: "quartal, quartale, quartalen",
		MonthUnit: "mon, mt, monat, monate, monaten", WeekUnit: "wo, woche, wochen", DayUnit: "tag, tage, tagen, kalendertag, kalendertage",
		WorkingDayUnit: "arbeitstag, arbeitstage, werktag, werktage",
	},
	"fr": {
		YearUnit: "an, ans, année, années", HalfYearUnit: "semestre, semestres", QuarterUnit: "trimestre, trimestres",
		MonthUnit: "mois", WeekUnit: "sem, semaine, semaines", DayUnit: "j, jour, jours", WorkingDayUnit: "jour ouvré, jours ouvrés, jour ouvrable, jours ouvrables",
	},
	"es": {
		YearUnit: "año, años, ano, anos", HalfYearUnit: "semestre, semestres", QuarterUnit: "trimestre, trimestres",
		MonthUnit: "mes, meses", WeekUnit: "sem, semana, semanas", DayUnit: "día, días", WorkingDayUnit: "día hábil, días hábiles, día laborable, días laborables",
	},
}

// unitWord is a word for units: the languages that have it, by what it is in them.
type unitWord map[TermUnit][]string

var unitWords = sync.OnceValue(func() map[string]unitWord {
	words := map[string]unitWord{}
	for code, names := range unitNames {
		for unit, list := range names {
			for _, name := range strings.Split(list, ", ") {
				for _, form := range forms(name) {
					if words[form] == nil {
						words[form] = unitWord{}
					}
					words[form][unit] = append(words[form][unit], code)
				}
			}
		}
	}
	return words
})

// lookupUnit finds a unit by its word; where languages differ, that of first holds. of are the
// languages that differ; nil if none do.
func lookupUnit(word string, first *Language) (unit TermUnit, of []string) {
	word = strings.Join(strings.FieldsFunc(word, func(r rune) bool { return r == ' ' || r == '-' }), " ")
	found := unitWords()[forms(word)[0]]
	for unit, codes := range found {
		if len(found) == 1 || first != nil && slices.Contains(codes, first.Code) {
			return unit, nil
		}
		of = append(of, codes...)
	}
	slices.Sort(of)
	return 0, of
}
