package phrase

import (
	"strings"
)

// foreignWords maps expressions of other tools and of everyday English to the phrase to write.
// Patterns: # number or ordinal, @ weekday, $ month. They are offered only where a phrase can't
// be read or a name isn't known.
var foreignWords = []struct{ words, write string }{
	// cadences
	{"biweekly on @", "fortnightly on @ from DATE"}, {"bi-weekly on @", "fortnightly on @ from DATE"},
	{"biweekly", "fortnightly on fri from DATE"}, {"bi-weekly", "fortnightly on fri from DATE"},
	{"every other @", "fortnightly on @ from DATE, or every 2 weeks on @ from DATE"},
	{"every second @", "fortnightly on @ from DATE"},
	{"every two weeks", "every 2 weeks on fri from DATE"}, {"every other week", "fortnightly on fri from DATE"},
	{"every second week", "fortnightly on fri from DATE"},
	{"every other month", "every 2 months on 15 from DATE"}, {"every second month", "every 2 months on 15 from DATE"},
	{"every other", "every 2 weeks on fri from DATE, or every 2 months on 15 from DATE"},
	{"every fortnight", "fortnightly on fri from DATE"}, {"fortnight", "fortnightly on fri from DATE"},
	{"semi-weekly", "weekly on mon, thu"}, {"twice a week", "weekly on mon, thu"}, {"twice weekly", "weekly on mon, thu"},
	{"semi-monthly", "monthly on 15, last"}, {"semimonthly", "monthly on 15, last"},
	{"twice a month", "monthly on 15, last"}, {"twice monthly", "monthly on 15, last"},
	{"twice-monthly", "monthly on 15, last"}, {"bimonthly", "every 2 months on 15 from DATE, or monthly on 15, last"},
	{"bi-monthly", "every 2 months on 15 from DATE, or monthly on 15, last"},
	{"semi-annually", "half-yearly on last"}, {"semiannually", "half-yearly on last"},
	{"semi-annual", "half-yearly on last"}, {"biannually", "half-yearly on last"},
	{"twice a year", "half-yearly on last"},
	{"half yearly", "half-yearly on last"}, {"annually", "yearly on 25 dec"}, {"annual", "yearly on 25 dec"},
	{"once a year", "yearly on 25 dec"}, {"once a month", "monthly on 15"}, {"once a week", "weekly on fri"},
	{"bi-annually", "half-yearly on last"}, {"biennially", "every 2 years on 25 dec from DATE"},
	{"everyday", "daily"}, {"every day", "daily"}, {"each day", "daily"}, {"every single day", "daily"},
	{"every weekday", "weekly on mon-fri, or every working day"},
	{"weekdays", "weekly on mon-fri, or every working day"}, {"workdays", "every working day, or +5 working days"},
	{"every business day", "every working day"}, {"every workday", "every working day"},
	{"every week", "weekly on fri"}, {"every month", "monthly on 15"}, {"every quarter", "quarterly on last"},
	{"every half-year", "half-yearly on last"}, {"every year", "yearly on 25 dec"}, {"every @", "weekly on @"},
	{"each @", "weekly on @"}, {"every $", "yearly on 1 $"}, {"on mondays", "weekly on mon"},
	// days of a month
	{"the # of each month", "monthly on #"}, {"the # of every month", "monthly on #"},
	{"the # of the month", "monthly on #"}, {"# of each month", "monthly on #"}, {"# of every month", "monthly on #"},
	{"# of the month", "monthly on #, or #th day of month"}, {"# day of each month", "monthly on #"},
	{"every # of the month", "monthly on #"},
	{"1st and 15th of month", "monthly on 1, 15"}, {"1st and 15th of the month", "monthly on 1, 15"},
	{"1st and 15th", "monthly on 1, 15"}, {"15th and last", "monthly on 15, last"}, {"the #", "monthly on #"},
	{"last @ of every month", "monthly on last @"}, {"last @ of each month", "monthly on last @"},
	{"last @ of the month", "monthly on last @, or last @ of month"},
	{"first @ of every month", "monthly on 1st @"}, {"first @ of each month", "monthly on 1st @"},
	{"first @ of the month", "monthly on 1st @, or 1st @ of month"}, {"# @ of every month", "monthly on #th @"},
	{"# @ of each month", "monthly on #th @"},
	{"last day of every month", "monthly on last"}, {"last day of each month", "monthly on last"},
	{"last day of the month", "monthly on last, or last day of month"},
	{"first day of the month", "monthly on 1, or start of month"},
	{"first of the month", "monthly on 1, or start of month"}, {"first of every month", "monthly on 1"},
	{"first of each month", "monthly on 1"}, {"last business day of the month", "monthly on last working day"},
	{"last business day", "last working day of month"}, {"first business day", "1st working day of month"},
	{"last working day of the month", "monthly on last working day, or last working day of month"},
	{"month end", "monthly on last, or end of month"}, {"month-end", "monthly on last, or end of month"},
	{"end of the month", "end of month"}, {"eom", "end of month, or monthly on last"},
	{"mid-month", "monthly on 15, or middle of month"},
	{"mid month", "monthly on 15, or middle of month"}, {"beginning of the month", "start of month"},
	{"beginning of", "start of month"}, {"beginning", "start of month"}, {"begin", "start of month"},
	{"mid", "middle of month"},
	// quarters and years
	{"quarter end", "quarterly on last, or end of quarter"}, {"quarter-end", "quarterly on last, or end of quarter"},
	{"end of the quarter", "end of quarter"}, {"eoq", "end of quarter, or quarterly on last"},
	{"year end", "yearly on last day of dec, or end of year"},
	{"year-end", "yearly on last day of dec, or end of year"}, {"end of the year", "end of year"},
	{"eoy", "end of year"}, {"half year", "half-year"},
	{"end of this", "end of month, or end of quarter"}, {"christmas", "25 dec"}, {"new year", "1 jan"},
	// terms and shifts
	{`net #`, "invoiced, +# days"}, {"# days after invoice", "invoiced, +# days"}, {"# days after", "NAME, +# days"},
	{"# days before", "NAME, -# days"}, {"# months after", "NAME, +# months"}, {"# months before", "NAME, -# months"},
	{"# weeks after", "NAME, +# weeks"}, {"# weeks before", "NAME, -# weeks"},
	{"# working days after", "NAME, +# working days"}, {"# working days before", "NAME, -# working days"},
	{"# business days after", "NAME, +# working days"},
	{"# business days before", "NAME, -# working days"}, {"# business days", "# working days"},
	{"# workdays", "# working days"}, {"t + #", "NAME, +# working days"}, {"# days from now", "today, +# days"},
	{"in # days", "today, +# days"}, {"# days ago", "today, -# days"},
	{"next business day", "next working day, or +1 working day"}, {"previous business day", "previous working day"},
	{"prior business day", "previous working day"}, {"next workday", "next working day"}, {"business day", "working day"},
	{"business days", "working days"}, {"business", "working day"}, {"workday", "working day"},
	{"weekday", "working day, or fri"}, {"tomorrow", "today, +1 day"}, {"yesterday", "today, -1 day"}, {"now", "today"},
	{"prior", "previous working day"}, {"following business day", "roll following"},
	{"following", "next working day, or roll following"}, {"preceding", "previous working day, or roll preceding"},
	{"modified following", "roll modified following"},
	{"plus # days", "+# days"}, {"minus # days", "-# days"}, {"plus", "+1 month"}, {"minus", "-1 month"},
	{"add", "+1 month"}, {"subtract", "-1 month"}, {"move back", "roll preceding"}, {"move forward", "roll following"},
	{"last month", "start of previous month"}, {"next month", "start of next month, or +1 month"},
	{"last week", "start of previous week"}, {"next week", "start of next week, or +1 week"},
	{"the end of", "end of month"},
}

// ForeignHint returns what to write for words in a phrase that people bring from
// elsewhere: the longest that are at or around a place, or, if several, at the phrase's
// start; "" if there are none.
func ForeignHint(text string, span Span) string {
	words, places := bareWords(text)
	best, length := "", 0
	for _, b := range foreignWords {
		pattern := strings.Fields(b.words)
		if len(pattern) <= length {
			continue
		}
		for i := 0; i+len(pattern) <= len(words); i++ {
			if (i > 0 || len(pattern) == 1) && (places[i+len(pattern)-1].End+1 < span.Start || places[i].Start > span.End) {
				continue
			}
			if write, ok := fillPattern(pattern, words[i:], b.write); ok {
				best, length = write, len(pattern)
				break
			}
		}
	}
	return best
}

// bareWords splits a phrase into words and signs, with their places.
func bareWords(text string) (words []string, places []Span) {
	lower := strings.ToLower(text)
	for i := 0; i < len(lower); {
		c := lower[i]
		end := i + 1
		if c == ' ' || c == ',' || c == '\t' || c == '\n' {
			i++
			continue
		}
		if c != '+' {
			for end < len(lower) && !strings.ContainsRune(" ,+\t\n", rune(lower[end])) {
				end++
			}
		}
		words, places = append(words, lower[i:end]), append(places, Span{i, end})
		i = end
	}
	return words, places
}

// fillPattern matches words with a pattern and fills what its marks stand for into
// what is to be written.
func fillPattern(pattern, words []string, write string) (string, bool) {
	for i, p := range pattern {
		w := words[i]
		switch p {
		case "#":
			digits := strings.TrimRight(w, "sthndr")
			n, ok := toInt(digits)
			if digits == "" || !ok || n == 0 || strings.Trim(digits, "0123456789") != "" {
				return "", false
			}
			write = strings.ReplaceAll(strings.ReplaceAll(write, "#th", ordinalText(n)), "#", digits)
		case "@":
			if weekdays[w] == 0 {
				return "", false
			}
			write = strings.ReplaceAll(write, "@", shortWeekday(weekdays[w]))
		case "$":
			if months[w] == 0 {
				return "", false
			}
			write = strings.ReplaceAll(write, "$", shortMonth(months[w]))
		default:
			if p != w {
				return "", false
			}
		}
	}
	return write, true
}
