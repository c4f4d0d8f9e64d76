package plan

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/question"
)

// frameKeys say how time is cut, in a plan and on a command. Each sets its part
// of a frame.
var frameKeys = []struct {
	name, help             string // of the option
	about, unless, example string // of the key
	oneOf                  []string
	set                    func(f *civil.Frame, text string) error
}{
	{"week-start", "`WEEKDAY` that weeks start on (default mon)", "the weekday that weeks start on", "mon", "sun",
		nil, setWeekStart},
	{"fiscal-start", "`DAY` the fiscal year starts on: apr, 6 apr (default 1 jan)",
		"the day that the fiscal year starts on", "1 jan", "6 apr", nil, setFiscalStart},
	{"fiscal-end", "`RULE` of the day that fiscal years of whole weeks end on:\nlast sat of jan, sat nearest 31 jan",
		"the day that fiscal years of whole weeks end on", "", "last sat of jan", nil, setFiscalEnd},
	{"fiscal-pattern", "`WEEKS` of a fiscal quarter's months: 4-4-5, 4-5-4 or 5-4-4\n(default 4-4-5)",
		"the weeks of a fiscal quarter's months", "4-4-5", "4-5-4", []string{"4-4-5", "4-5-4", "5-4-4"}, setFiscalPattern},
	{"fiscal-named", "`WHICH` calendar year names a fiscal year: that of its start\nor its end (default end)",
		"which calendar year names a fiscal year", "end", "start", []string{"start", "end"}, setFiscalNamed},
}

// FrameOptions are those keys as options of a command, which fill texts.
func FrameOptions(texts map[string]*string) (list []*question.Option) {
	for _, k := range frameKeys {
		if k.name != "fiscal-named" { // which is the plan's to say
			texts[k.name] = new(string)
			list = append(list, &question.Option{Name: k.name, Help: k.help, Into: texts[k.name]})
		}
	}
	return list
}

// setFrame applies what one place says to a frame; key is the one that is wrong.
// The start of fiscal years of months and the end of those of weeks replace each
// other.
func setFrame(f *civil.Frame, texts map[string]string) (key string, err error) {
	if texts["fiscal-start"] != "" && texts["fiscal-end"] != "" {
		return "fiscal-end", errors.New(
			"a fiscal year is of months, with `fiscal-start`, or of whole weeks, with `fiscal-end`, not both")
	}
	if texts["fiscal-start"] != "" {
		f.End, f.Pattern = civil.FiscalEnd{}, civil.Pattern{}
	}
	for _, k := range frameKeys {
		if text := texts[k.name]; text != "" {
			if err := k.set(f, text); err != nil {
				return k.name, err
			}
		}
	}
	return "", nil
}

func setWeekStart(f *civil.Frame, text string) error {
	days, bad := phrase.ParseWeekdays(text)
	if bad != "" || len(days) != 1 {
		return fmt.Errorf("a week starts on one weekday, mon to sun, not %q", text)
	}
	f.WeekStart = days[0]
	return nil
}

func setFiscalStart(f *civil.Frame, text string) error {
	words := strings.Fields(text)
	day := 1
	var err error
	if len(words) == 2 {
		day, err = strconv.Atoi(words[0])
		words = words[1:]
	}
	if len(words) != 1 || err != nil || phrase.ParseMonth(words[0]) == 0 || day < 1 ||
		day > civil.DaysIn(2028, phrase.ParseMonth(words[0])) {
		return fmt.Errorf("a fiscal year starts with a month or a day, such as apr or 6 apr, not %q", text)
	}
	f.FiscalMonth, f.FiscalDay = phrase.ParseMonth(words[0]), day
	return nil
}

// setFiscalEnd reads `last sat of jan` or `sat nearest 31 jan`.
func setFiscalEnd(f *civil.Frame, text string) error {
	bad := fmt.Errorf("a fiscal year of whole weeks ends on a day such as `last sat of jan` or `sat nearest 31 jan`, not %q", text)
	words := strings.Fields(strings.ToLower(text))
	if len(words) != 4 {
		return bad
	}
	end := civil.FiscalEnd{Month: phrase.ParseMonth(words[3])}
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
	f.FiscalMonth, f.FiscalDay = civil.DefaultFrame.FiscalMonth, civil.DefaultFrame.FiscalDay
	if f.End = end; f.Pattern == (civil.Pattern{}) {
		f.Pattern = civil.Patterns[0].Pattern
	}
	return nil
}

// setFiscalPattern reads 4-4-5 and its kin.
func setFiscalPattern(f *civil.Frame, text string) error {
	if !f.OfWeeks() {
		return errors.New("weeks make up fiscal months where a fiscal year is of whole weeks; say when it ends with `fiscal-end`: last sat of jan")
	}
	var names []string
	for _, p := range civil.Patterns {
		if p.Name == strings.ReplaceAll(strings.TrimSpace(text), " ", "") {
			f.Pattern = p.Pattern
			return nil
		}
		names = append(names, p.Name)
	}
	return fmt.Errorf("the months of a fiscal quarter have %s weeks, not %q", strings.Join(names, ", "), text)
}

func setFiscalNamed(f *civil.Frame, text string) error {
	if text != "start" && text != "end" {
		return fmt.Errorf("a fiscal year is named by the calendar year of its `start` or its `end`, not %q", text)
	}
	f.FiscalNamedStart = text == "start"
	return nil
}
