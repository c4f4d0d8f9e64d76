package tabular

import (
	"fmt"
	"math/bits"
	"strings"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
)

// stretchKind is what a mark beside a number says that it counts.
type stretchKind byte

const (
	stretchWeek       stretchKind = 'W'
	stretchQuarter    stretchKind = 'Q'
	stretchHalf       stretchKind = 'H'
	stretchMonth      stretchKind = 'M' // a fiscal one
	stretchFiscalYear stretchKind = 'F'
	stretchUnclear    stretchKind = '?' // a week in one language, a half-year in another
)

// stretchMarks are what stands before or behind the number of a period.
var stretchMarks = map[string]stretchKind{"w": stretchWeek, "wk": stretchWeek, "week": stretchWeek, "woche": stretchWeek, "kw": stretchWeek, "semaine": stretchWeek,
	"semana": stretchWeek, "settimana": stretchWeek, "uke": stretchWeek, "uge": stretchWeek, "v": stretchWeek, "vecka": stretchWeek, "viikko": stretchWeek,
	"vk": stretchWeek, "tydz": stretchWeek, "tydzień": stretchWeek, "týden": stretchWeek, "hét": stretchWeek, "nädal": stretchWeek,
	"q": stretchQuarter, "qtr": stretchQuarter, "quarter": stretchQuarter, "quartal": stretchQuarter, "t": stretchQuarter, "trimestre": stretchQuarter,
	"trim": stretchQuarter, "kwartał": stretchQuarter, "h": stretchHalf, "hy": stretchHalf, "half": stretchHalf, "halbjahr": stretchHalf, "semester": stretchHalf, "semestre": stretchHalf,
	"p": stretchMonth, "period": stretchMonth, "fy": stretchFiscalYear, "s": stretchUnclear, "sem": stretchUnclear}

// labelParts are the parts of a label.
type labelParts struct {
	numbers, digits [2]int
	numNumbers      int
	fiscalAt        int  // the number behind FY; -1 for none
	afterMonth      bool // the first number stands behind a month
	mark            stretchKind
	month           int
	weekdays        uint8
}

// scanLabel finds the parts of a label; ok is false where something else is in it.
func scanLabel(s string, first *language.Language) (p labelParts, ok bool) {
	p.fiscalAt = -1
	for i := 0; i < len(s); {
		if c := s[i]; c >= '0' && c <= '9' {
			from, v := i, 0
			for ; i < len(s) && s[i] >= '0' && s[i] <= '9'; i++ {
				v = min(v*10+int(s[i]-'0'), 1<<20)
			}
			if p.numNumbers == len(p.numbers) {
				return p, false
			}
			p.numbers[p.numNumbers], p.digits[p.numNumbers] = v, i-from
			p.afterMonth = p.afterMonth || p.numNumbers == 0 && p.month != 0
			p.numNumbers++
			continue
		}
		n := letterCount(s[i:])
		if n == 0 {
			r, size := utf8.DecodeRuneInString(s[i:])
			if !strings.ContainsRune(" /.-,'’\u00a0–", r) {
				return p, false
			}
			i += size
			continue
		}
		if !p.word(strings.ToLower(s[i:i+n]), first) {
			return p, false
		}
		i += n
	}
	return p, true
}

// word takes a word of a label.
func (p *labelParts) word(word string, first *language.Language) (ok bool) {
	w := language.Lookup(word, first)
	switch mark := stretchMarks[word]; {
	case mark == stretchFiscalYear && p.fiscalAt < 0:
		p.fiscalAt = p.numNumbers
	case mark != 0 && mark != stretchFiscalYear && p.mark == 0 && p.month == 0:
		p.mark = mark
	case w.Month != 0 && p.month == 0 && p.mark == 0:
		p.month = w.Month
	case w.Weekdays != 0 && p.weekdays == 0:
		p.weekdays = w.Weekdays
	default:
		return fillerWords[word]
	}
	return true
}

// readLabel reads the label of a stretch of time: 2027-W23, KW 23/2027, Q1 2027, 2027/03, Mar-27,
// P03 FY27, 2027; a weekday beside a week is that day. ok is false for what means two things,
// isn't there or has no year.
func readLabel(s string, c DateContext) (civil.Span, bool) {
	s = strings.TrimSpace(s)
	if span, ok := c.Fiscal.ParseSpan(s); ok && span.First != span.Last {
		return span, true
	}
	p, ok := scanLabel(s, c.Language)
	if !ok {
		return civil.Span{}, false
	}
	year, number, ok := p.yearAndNumber()
	if !ok {
		return civil.Span{}, false
	}
	return p.span(year, number, c)
}

// yearAndNumber are the year of a label and the number of what it names, 0 if it is all of the
// year: the year has four digits, or two behind what it is a year of.
func (p *labelParts) yearAndNumber() (year, number int, ok bool) {
	at := -1
	switch two := p.numNumbers == 2; {
	case p.fiscalAt >= 0:
		at = p.fiscalAt
	case two && p.digits[1] == 4, two && p.digits[0] != 4 && p.digits[1] == 2 && p.mark != 0:
		at = 1
	case two && p.digits[0] == 4:
		at = 0
	case p.numNumbers == 1 && p.month != 0 && (p.afterMonth || p.digits[0] == 4): // 29 Jan is a day
		at = 0
	}
	if at < 0 || at >= p.numNumbers || p.digits[at] != 4 && p.digits[at] != 2 {
		return 0, 0, false
	}
	if year = p.numbers[at]; p.digits[at] == 2 {
		year += 2000
	}
	if p.numNumbers == 2 {
		if number = p.numbers[1-at]; p.digits[1-at] > 2 || number == 0 {
			return 0, 0, false
		}
	}
	return year, number, true
}

// span is the stretch that a label names.
func (p *labelParts) span(year, number int, c DateContext) (civil.Span, bool) {
	fiscal := ""
	if p.fiscalAt >= 0 {
		fiscal = "FY"
	}
	text := ""
	switch mark := p.mark; {
	case mark == stretchUnclear && number <= 2, p.weekdays != 0 && mark != stretchWeek && mark != stretchUnclear,
		p.month != 0 && (number != 0 || fiscal != ""):
		return civil.Span{}, false
	case p.weekdays != 0:
		d, ok := civil.FromISOWeek(year, number, civil.Weekday(bits.TrailingZeros8(p.weekdays)+1))
		return civil.Span{First: d, Last: d}, ok && bits.OnesCount8(p.weekdays) == 1
	case p.month != 0:
		text = fmt.Sprintf("%04d-%02d", year, p.month)
	case mark == stretchWeek, mark == stretchUnclear:
		text = fmt.Sprintf("%s%04d-W%02d", fiscal, year, number)
	case mark == stretchMonth && fiscal == "":
		return civil.Span{}, false
	case mark == stretchMonth:
		text = fmt.Sprintf("FY%04d-M%02d", year, number)
	case mark != 0:
		text = fmt.Sprintf("%s%04d-%c%d", fiscal, year, mark, number)
	case fiscal != "" && number == 0:
		text = fmt.Sprintf("FY%04d", year)
	case fiscal == "" && number != 0:
		text = fmt.Sprintf("%04d-%02d", year, number)
	default:
		return civil.Span{}, false
	}
	return c.Fiscal.ParseSpan(text)
}

// AreLabels reports whether all of some cells name stretches of time.
func AreLabels(cells []string, c DateContext) bool {
	for _, s := range cells {
		if _, ok := readLabel(s, c); !ok || len(strings.TrimSpace(s)) == 4 { // a year alone is a number
			return false
		}
	}
	return len(cells) > 0
}
