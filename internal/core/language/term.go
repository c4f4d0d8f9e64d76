package language

import (
	"errors"
	"fmt"
	"math/big"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Term is a length of time as a cell states it, such as 3 years, 1y6m or P18M. It comes out in whole
// months and whole days; either may be below zero.
type Term struct {
	Months, Days int
	// HasMonths and HasDays say which units it was written in.
	HasMonths, HasDays bool
}

// TermError is a text that is no term, or no exact one.
type TermError struct {
	Message string
	// Languages are those in which a word of it is different units.
	Languages []string
	// UnclearComma says that a comma may stand before decimals or behind thousands.
	UnclearComma bool
}

// Error says what is wrong with it.
func (e *TermError) Error() string { return e.Message }

// ErrNotTerm is a text that isn't written as a term at all.
var ErrNotTerm = errors.New("expected a term such as 12, 18 months or P18M")

const (
	maxTermDigits = 9         // of each number, before the point and behind it
	maxTerm       = 4_000_000 // days or months, which is beyond every calendar
)

// ParseTerm reads a term: numbers with units, the largest first, or an ISO 8601 duration of dates.
// Units are those of English, German, French and Spanish; where a word is several, that of first
// holds. A lone m is months behind years, or anywhere if the place counts in months. Errors are
// ErrNotTerm and *TermError.
func ParseTerm(text string, first *Language, months bool) (t Term, err error) {
	text = strings.Join(strings.Fields(text), " ") // of whatever width
	rest, negative := text, false
	if r, size := utf8.DecodeRuneInString(rest); r == '-' || r == '−' || r == '+' {
		negative, rest = r != '+', strings.TrimSpace(rest[size:])
	}
	p := termParser{text: text, first: first, months: months}
	if iso, ok := strings.CutPrefix(strings.ToUpper(rest), "P"); ok && iso != "" && (iso[0] >= '0' && iso[0] <= '9') {
		err = p.iso(iso)
	} else {
		err = p.parts(rest)
	}
	if err != nil {
		return t, err
	}
	if t.Months, err = p.whole(&p.inMonths, "months"); err != nil {
		return t, err
	}
	if t.Days, err = p.whole(&p.inDays, "days"); err != nil {
		return t, err
	}
	t.HasMonths, t.HasDays = p.hasMonths, p.hasDays
	if negative {
		t.Months, t.Days = -t.Months, -t.Days
	}
	return t, nil
}

// termParser adds up the parts of a term.
type termParser struct {
	text               string
	first              *Language
	months             bool
	last               TermUnit // the unit before
	inMonths, inDays   big.Rat
	hasMonths, hasDays bool
}

// add adds a number of a unit, which must be smaller than the one before.
func (p *termParser) add(n *big.Rat, unit TermUnit) error {
	if unit == WorkingDayUnit {
		return &TermError{Message: fmt.Sprintf("%q: no cell has working days; the phrase says them, and the cell holds the number alone", p.text)}
	}
	if unit <= p.last {
		return &TermError{Message: fmt.Sprintf("%q: joined units stand largest first, each once", p.text)}
	}
	p.last = unit
	of := termUnits[unit]
	if of.months > 0 {
		p.hasMonths = true
		p.inMonths.Add(&p.inMonths, n.Mul(n, big.NewRat(of.months, 1)))
		return nil
	}
	p.hasDays = true
	p.inDays.Add(&p.inDays, n.Mul(n, big.NewRat(of.days, 1)))
	return nil
}

// whole is a sum that must have come out in whole ones.
func (p *termParser) whole(sum *big.Rat, unit string) (int, error) {
	if !sum.IsInt() {
		n := strings.TrimRight(sum.FloatString(6), "0")
		return 0, &TermError{Message: fmt.Sprintf("%q is %s %s; a term must come out in whole %s", p.text, n, unit, unit)}
	}
	if sum.Num().CmpAbs(big.NewInt(maxTerm)) > 0 {
		return 0, &TermError{Message: fmt.Sprintf("%q is longer than any calendar", p.text)}
	}
	return int(sum.Num().Int64()), nil
}

// isoUnits are the designators of ISO 8601 (4.2.7) before the T.
var isoUnits = map[byte]TermUnit{'Y': YearUnit, 'M': MonthUnit, 'W': WeekUnit, 'D': DayUnit}

// iso reads what follows the P of a duration.
func (p *termParser) iso(rest string) error {
	for rest != "" {
		n, after, err := p.number(rest)
		if err != nil {
			return err
		}
		if after == "" || isoUnits[after[0]] == 0 {
			return ErrNotTerm
		}
		if err := p.add(n, isoUnits[after[0]]); err != nil {
			return err
		}
		rest = after[1:]
	}
	return nil
}

// joiners stand between two parts of a term.
var joiners = []string{"and", "et", "und", "y", "e", "en", "i", "och"}

// parts reads numbers with their units.
func (p *termParser) parts(rest string) error {
	if rest == "" {
		return ErrNotTerm
	}
	for rest != "" {
		n, after, err := p.number(rest)
		if err != nil {
			return err
		}
		end := strings.IndexFunc(after, func(r rune) bool { return unicode.IsDigit(r) || vulgar[r] != 0 })
		if end < 0 {
			end = len(after)
		}
		word := strings.TrimRight(strings.TrimSpace(after[:end]), " .")
		if rest = after[end:]; rest != "" {
			word = cutJoiner(word)
		}
		unit, of := lookupUnit(word, p.first)
		switch {
		case of != nil:
			return &TermError{fmt.Sprintf("%q: `%s` is different units in %s", p.text, word, strings.Join(of, " and ")), of, false}
		case unit == 0:
			return ErrNotTerm
		case strings.EqualFold(word, "m") && !p.months && p.last != YearUnit:
			return &TermError{Message: fmt.Sprintf("%q: a lone m is too little to be sure that it means months; write mths", p.text)}
		}
		if err := p.add(n, unit); err != nil {
			return err
		}
	}
	return nil
}

// cutJoiner drops what joins a unit to the part behind it: a comma, or a word such as and.
func cutJoiner(word string) string {
	for _, j := range joiners {
		if i := strings.LastIndexByte(word, ' '); i > 0 && strings.EqualFold(word[i+1:], j) {
			word = word[:i]
			break
		}
	}
	return strings.TrimRight(word, " .,")
}

// vulgar are the fractions that are one sign, in quarters.
var vulgar = map[rune]int64{'¼': 1, '½': 2, '¾': 3}

// number reads a number in front: digits with a point or comma, a fraction of one sign, or both.
func (p *termParser) number(text string) (n *big.Rat, rest string, err error) {
	whole := len(text) - len(strings.TrimLeft(text, "0123456789"))
	n, rest = new(big.Rat), text[whole:]
	if whole > maxTermDigits {
		return nil, "", &TermError{Message: fmt.Sprintf("%q is longer than any calendar", p.text)}
	}
	if whole > 0 {
		n.SetString(text[:whole])
		if rest != "" && (rest[0] == '.' || rest[0] == ',') {
			if d := len(rest[1:]) - len(strings.TrimLeft(rest[1:], "0123456789")); d > 0 {
				if rest[0] == ',' && d == 3 {
					return nil, "", &TermError{Message: fmt.Sprintf("%q: the comma could stand before decimals or behind thousands", p.text), UnclearComma: true}
				}
				if d > maxTermDigits {
					return nil, "", ErrNotTerm
				}
				n.SetString(text[:whole] + "." + rest[1:1+d])
				return n, rest[1+d:], nil
			}
		}
	}
	trimmed := strings.TrimLeft(rest, " ")
	if r, size := utf8.DecodeRuneInString(trimmed); vulgar[r] != 0 {
		return n.Add(n, big.NewRat(vulgar[r], 4)), trimmed[size:], nil
	}
	if whole == 0 {
		return nil, "", ErrNotTerm
	}
	return n, rest, nil
}
