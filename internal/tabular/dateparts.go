package tabular

import (
	"fmt"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/language"
)

// fillerWords stand between the parts of a date and say nothing of it: 3 de mayo de 2027, den 3.
// maj, le 3 mai, 3rd of May, 3 maja 2027 r., 2027. gada 3. maijs.
var fillerWords = map[string]bool{"de": true, "d": true, "del": true, "di": true, "dia": true, "of": true, "the": true,
	"den": true, "der": true, "dem": true, "am": true, "le": true, "il": true, "el": true, "r": true, "m": true, "г": true, "р": true, "п": true, "gada": true}

// ordinals are what stands right behind the number of a day.
var ordinals = map[string]bool{"st": true, "nd": true, "rd": true, "th": true, "er": true, "re": true, "ère": true, "e": true,
	"ème": true, "eme": true, "o": true, "a": true, "º": true, "ª": true, "ος": true}

// daySigns follow the numbers of a year, a month and a day in Japanese.
const daySigns = "年月日"

// dateParts are the parts of a date as it is written.
type dateParts struct {
	numbers     [3]int // in their order
	digits      [3]int // of each
	wordsBefore [3]int // how many words stand before each
	numNumbers  int
	words       [2]language.Word
	texts       [2]string // the words as they are written
	numWords    int
	signed      [3]int // year, month and day by their signs; all 0 without any
	// isDayAndMonth says that two numbers aren't one with decimals.
	isDayAndMonth bool
}

// datePartScanner cuts a date into its parts.
type datePartScanner struct {
	dateParts
	text  string
	at    int
	first *language.Language // whose words go before all others'
}

// letterCount is the length of the letters that a text begins with, and of their marks, in bytes.
func letterCount(s string) (n int) {
	for n < len(s) {
		r, size := utf8.DecodeRuneInString(s[n:])
		if !unicode.IsLetter(r) && !unicode.Is(unicode.Mn, r) {
			break
		}
		n += size
	}
	return n
}

// scanDateParts finds the parts of a date; ok is false where something else is in it.
func scanDateParts(text string, first *language.Language) (_ dateParts, ok bool) {
	s := datePartScanner{text: text, first: first}
	for s.at < len(text) {
		switch c := text[s.at]; {
		case c >= '0' && c <= '9':
			ok = s.number()
		case strings.IndexByte(" /.,-'()", c) >= 0:
			s.at, ok = s.at+1, true
		default:
			if n := letterCount(text[s.at:]); n > 0 {
				ok = s.word(n)
				break
			}
			r, size := utf8.DecodeRuneInString(text[s.at:])
			s.at, ok = s.at+size, strings.ContainsRune("\u00a0\u2007\u202f\u2009’–°", r)
		}
		if !ok {
			return dateParts{}, false
		}
	}
	return s.dateParts, true
}

// number takes a number and what is joined to it.
func (s *datePartScanner) number() (ok bool) {
	from, v := s.at, 0
	for ; s.at < len(s.text) && s.text[s.at] >= '0' && s.text[s.at] <= '9'; s.at++ {
		v = min(v*10+int(s.text[s.at]-'0'), 1<<20)
	}
	if s.numNumbers == len(s.numbers) || s.at-from > 4 {
		return false
	}
	n := letterCount(s.text[s.at:])
	if n >= 3 {
		if sign := strings.Index(daySigns, s.text[s.at:s.at+3]); sign >= 0 {
			s.signed[sign/3] = v
			s.at += 3
			return true
		}
	}
	s.numbers[s.numNumbers], s.digits[s.numNumbers], s.wordsBefore[s.numNumbers] = v, s.at-from, s.numWords
	s.numNumbers++
	if n > 0 && ordinals[strings.ToLower(s.text[s.at:s.at+n])] {
		s.at += n
	}
	return true
}

// word takes a word of so many bytes, of which a date has two at most besides fillers.
func (s *datePartScanner) word(n int) (ok bool) {
	text := s.text[s.at : s.at+n]
	s.at += n
	w := language.Lookup(text, s.first)
	if w.Month == 0 && s.at < len(s.text) && s.text[s.at] == '-' { // segunda-feira
		if k := letterCount(s.text[s.at+1:]); k > 0 {
			if whole := language.Lookup(text+s.text[s.at:s.at+1+k], s.first); whole.Weekdays != 0 {
				w = whole
				s.at += 1 + k
			}
		}
	}
	switch isMonth := w.Month != 0 || w.Conflict != ""; {
	case !isMonth && len(text) < 6 && fillerWords[strings.ToLower(text)] && (s.numNumbers > 0 || s.numWords > 0 || w.Weekdays == 0):
		return true
	case !isMonth && w.Weekdays == 0, s.numWords == len(s.words):
		return false
	}
	s.words[s.numWords], s.texts[s.numWords] = w, text
	s.numWords++
	return true
}

// dayAndMonth is a day and a month in numbers, which 7.5 and 7,5 aren't.
var dayAndMonth = regexp.MustCompile(`^\d{1,2}(?:[/-]\d{1,2}|\. ?\d{1,2}\.)$`)

// dateOrder is an order of day, month and year, and the year of dates that have none, or 0.
type dateOrder struct {
	letters string // dmy, mdy or ymd
	year    int
	context DateContext
}

// read reads a date whose parts are set apart by signs, in this order, the month in digits or by
// its name; weekdays are those that stand beside it. With a name and a year of four digits the
// order says nothing.
func (o dateOrder) read(s string) (d civil.Date, weekdays uint8, ok bool) {
	text := dropTime(s)
	if o.letters == "ymd" && len(text) == 8 && strings.Trim(text, "0123456789") == "" {
		text = text[:4] + "-" + text[4:6] + "-" + text[6:]
	}
	p, ok := scanDateParts(text, o.context.Language)
	if !ok {
		return civil.None, 0, false
	}
	if p.signed != [3]int{} {
		return p.bySigns()
	}
	month, monthWord := 0, -1
	switch {
	case p.numWords == 0:
	case p.numWords == 1 && p.isOfNumbers(o): // three numbers and a word, which then is a weekday
		if weekdays = p.words[0].Weekdays; weekdays == 0 {
			return civil.None, 0, false
		}
	case p.numWords == 1:
		monthWord = 0
	case p.words[0].Weekdays != 0 && p.words[1].Month != 0:
		monthWord, weekdays = 1, p.words[0].Weekdays
	case p.words[0].Month != 0 && p.words[1].Weekdays != 0:
		monthWord, weekdays = 0, p.words[1].Weekdays
	default:
		return civil.None, 0, false
	}
	if monthWord >= 0 {
		if month = p.words[monthWord].Month; month == 0 {
			return civil.None, 0, false
		}
		d, ok = p.named(o, month, monthWord)
		return d, weekdays, ok
	}
	p.isDayAndMonth = dayAndMonth.MatchString(strings.TrimSpace(text)) || p.numWords > 0
	d, ok = p.numbered(o)
	return d, weekdays, ok
}

// isOfNumbers reports whether the month must be a number, since there are enough of them.
func (p *dateParts) isOfNumbers(o dateOrder) bool {
	return p.numNumbers == 3 || p.numNumbers == 2 && o.year != 0 && p.digits[0] <= 2 && p.digits[1] <= 2 && p.words[0].Month == 0
}

// bySigns is a date whose numbers have signs behind them.
func (p *dateParts) bySigns() (d civil.Date, weekdays uint8, ok bool) {
	if p.numWords == 1 {
		weekdays = p.words[0].Weekdays
	}
	if p.numNumbers > 0 || p.numWords > 1 || p.numWords == 1 && weekdays == 0 || p.signed[0] == 0 {
		return civil.None, 0, false
	}
	d, ok = civil.NewDate(p.signed[0], p.signed[1], p.signed[2])
	return d, weekdays, ok
}

// named is a date whose month is a word.
func (p *dateParts) named(o dateOrder, month, monthWord int) (civil.Date, bool) {
	switch {
	case p.numNumbers == 1 && o.year != 0 && p.digits[0] <= 2:
		return civil.NewDate(o.year, month, p.numbers[0])
	case p.numNumbers != 2:
		return civil.None, false
	case p.digits[0] == 4:
		return p.dateFrom(0, 1, month)
	case p.digits[1] == 4:
		return p.dateFrom(1, 0, month)
	}
	// The year has two digits, so the order must be that.
	before := p.wordsBefore[0] > monthWord
	between := !before && p.wordsBefore[1] > monthWord
	if o.letters == "dmy" && !between || o.letters == "mdy" && !before || o.letters == "ymd" {
		return civil.None, false
	}
	return p.dateFrom(1, 0, month)
}

// numbered is a date of numbers alone.
func (p *dateParts) numbered(o dateOrder) (civil.Date, bool) {
	letters := o.letters
	if p.numNumbers == 2 && o.year != 0 && p.isDayAndMonth {
		letters = strings.Replace(letters, "y", "", 1)
		m, d := strings.IndexByte(letters, 'm'), strings.IndexByte(letters, 'd')
		if p.digits[0] > 2 || p.digits[1] > 2 {
			return civil.None, false
		}
		return civil.NewDate(o.year, p.numbers[m], p.numbers[d])
	}
	y, m, d := strings.IndexByte(letters, 'y'), strings.IndexByte(letters, 'm'), strings.IndexByte(letters, 'd')
	if p.numNumbers != 3 || p.digits[m] > 2 || letters == "ymd" && p.digits[0] != 4 {
		return civil.None, false
	}
	return p.dateFrom(y, d, p.numbers[m])
}

// dateFrom makes a date of a month and of the numbers that are its year and its day.
func (p *dateParts) dateFrom(y, d, month int) (civil.Date, bool) {
	year := p.numbers[y]
	switch {
	case p.digits[d] > 2, p.digits[y] != 4 && p.digits[y] != 2:
		return civil.None, false
	case p.digits[y] == 2:
		year = century(year)
	}
	return civil.NewDate(year, month, p.numbers[d])
}

// century is a year of two digits as one of 1950 to 2049.
func century(year int) int {
	if year < 50 {
		return 2000 + year
	}
	return 1900 + year
}

// WhyNot says what is wrong with a text that is written as a date and can't be read as one by
// some forms; "" where there is no more to say.
func WhyNot(s string, forms []DateLayout, c DateContext) string {
	s, _ = language.CutHalf(s)
	for _, f := range forms {
		if d, _, ok := f.read(strings.TrimSpace(s)); ok { // so its weekday is another
			return fmt.Sprintf("%s is a %s", d, civil.WeekdayNames[d.Weekday()])
		}
	}
	p, ok := scanDateParts(dropTime(strings.TrimSpace(s)), c.Language)
	if !ok {
		return ""
	}
	for i, w := range p.words[:p.numWords] {
		if w.Month == 0 && w.Conflict != "" {
			return fmt.Sprintf("%q is %s; say which with --language", p.texts[i], w.Conflict)
		}
	}
	if p.numWords > 0 && p.words[p.numWords-1].Month != 0 && p.numNumbers == 1 && p.digits[0] <= 2 {
		return "it has no year"
	}
	return ""
}
