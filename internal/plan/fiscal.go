package plan

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/declare"
)

// fiscalKeys say how time is cut, in a plan and on a command. Each sets its part
// of a frame.
var fiscalKeys = []struct {
	name, help             string // of the option
	about, unless, example string // of the key
	oneOf                  []string
	set                    func(f *civil.FiscalCalendar, text string) error
}{
	{"week-start", "start weeks on `WEEKDAY` (default mon)", "the first day of the week", "mon", "sun",
		nil, setWeekStart},
	{"fiscal-start", "start the fiscal year on `DAY`, such as \"6 apr\" (default 1 jan)",
		"the first day of the fiscal year", "1 jan", "6 apr", nil, setFiscalStart},
	{"fiscal-end", "end fiscal years of whole weeks on the day of `RULE`, such as\n\"last sat of jan\" or \"sat nearest 31 jan\"",
		"the last day of fiscal years made of whole weeks", "", "last sat of jan", nil, setFiscalEnd},
	{"fiscal-pattern", "give the months of a fiscal quarter `WEEKS`: 4-4-5, 4-5-4 or\n5-4-4 (default 4-4-5)",
		"the number of weeks in the months of a fiscal quarter", "4-4-5", "4-5-4", []string{"4-4-5", "4-5-4", "5-4-4"}, setFiscalPattern},
	{"fiscal-named", "name a fiscal year after the calendar year of its `WHICH`:\nstart or end (default end)",
		"name a fiscal year after the calendar year it starts or ends in", "end", "start", []string{"start", "end"}, setFiscalNamed},
}

// FiscalOptions are those keys as options of a command, which fill texts.
func FiscalOptions(texts map[string]*string) (list []*declare.Key) {
	for _, k := range fiscalKeys {
		if k.name != "fiscal-named" { // which is the plan's to say
			texts[k.name] = new(string)
			list = append(list, &declare.Key{Name: k.name, Help: k.help, Value: declare.Text.Into(texts[k.name])})
		}
	}
	return list
}

// setFiscal applies what one place says to a frame; key is the one that is wrong.
// The start of fiscal years of months and the end of those of weeks replace each
// other.
func setFiscal(f *civil.FiscalCalendar, texts map[string]string) (key string, err error) {
	if texts["fiscal-start"] != "" && texts["fiscal-end"] != "" {
		return "fiscal-end", errors.New(
			"use `fiscal-start`, for fiscal years of months, or `fiscal-end`, for those of whole weeks, not both")
	}
	if texts["fiscal-start"] != "" {
		f.YearEnd, f.Pattern = civil.FiscalYearEnd{}, civil.WeekPattern{}
	}
	for _, k := range fiscalKeys {
		if text := texts[k.name]; text != "" {
			if err := k.set(f, text); err != nil {
				return k.name, err
			}
		}
	}
	return "", nil
}

func setWeekStart(f *civil.FiscalCalendar, text string) error {
	days, bad := phrase.ParseWeekdays(text)
	if bad != "" || len(days) != 1 {
		return fmt.Errorf("expected a weekday, mon to sun, found %q", text)
	}
	f.WeekStart = days[0]
	return nil
}

func setFiscalStart(f *civil.FiscalCalendar, text string) error {
	words := strings.Fields(text)
	day := 1
	var err error
	if len(words) == 2 {
		day, err = strconv.Atoi(words[0])
		words = words[1:]
	}
	if len(words) != 1 || err != nil || phrase.ParseMonth(words[0]) == 0 || day < 1 ||
		day > civil.DaysIn(2028, phrase.ParseMonth(words[0])) {
		return fmt.Errorf("expected a month or a day, such as apr or 6 apr, found %q", text)
	}
	f.FiscalMonth, f.FiscalDay = phrase.ParseMonth(words[0]), day
	return nil
}

// setFiscalEnd reads `last sat of jan` or `sat nearest 31 jan`.
func setFiscalEnd(f *civil.FiscalCalendar, text string) error {
	bad := fmt.Errorf("expected a day such as `last sat of jan` or `sat nearest 31 jan`, found %q", text)
	words := strings.Fields(strings.ToLower(text))
	if len(words) != 4 {
		return bad
	}
	end := civil.FiscalYearEnd{Month: phrase.ParseMonth(words[3])}
	name := words[0]
	if words[0] == "last" && words[2] == "of" {
		name = words[1]
	} else if n, err := strconv.Atoi(words[2]); words[1] == "nearest" && err == nil && end.Month > 0 && n >= 1 &&
		n <= civil.DaysIn(2028, end.Month) {
		end.Day = n
	} else {
		return bad
	}
	days, wrong := phrase.ParseWeekdays(name)
	if wrong != "" || len(days) != 1 || end.Month == 0 {
		return bad
	}
	end.Weekday = days[0]
	f.FiscalMonth, f.FiscalDay = civil.DefaultFiscalCalendar.FiscalMonth, civil.DefaultFiscalCalendar.FiscalDay
	if f.YearEnd = end; f.Pattern == (civil.WeekPattern{}) {
		f.Pattern = civil.WeekPatterns[0].WeekPattern
	}
	return nil
}

// setFiscalPattern reads 4-4-5 and its kin.
func setFiscalPattern(f *civil.FiscalCalendar, text string) error {
	if !f.IsWeekBased() {
		return errors.New("fiscal months of whole weeks need `fiscal-end`, such as last sat of jan")
	}
	var names []string
	for _, p := range civil.WeekPatterns {
		if p.Name == strings.ReplaceAll(strings.TrimSpace(text), " ", "") {
			f.Pattern = p.WeekPattern
			return nil
		}
		names = append(names, p.Name)
	}
	return fmt.Errorf("expected the weeks of a fiscal quarter's months, %s, found %q", strings.Join(names, ", "), text)
}

func setFiscalNamed(f *civil.FiscalCalendar, text string) error {
	if text != "start" && text != "end" {
		return fmt.Errorf("expected `start` or `end`, found %q", text)
	}
	f.NamedByStartYear = text == "start"
	return nil
}
