package tabular

import (
	"fmt"
	"strings"
	"unicode"
)

// NumberForm is how numbers are written: what is between thousands, 0 for
// nothing, and before the decimals.
type NumberForm struct{ thousands, decimalPoint rune }

// normalizeRune maps the blanks and apostrophes that stand between thousands to one of each.
func normalizeRune(r rune) rune {
	switch r {
	case '\u00a0', '\u202f', '\u2009':
		return ' '
	case '’':
		return '\''
	case '\u2212':
		return '-'
	}
	return r
}

// numberForms are the forms that are read, with an example of each.
var numberForms = []struct {
	example string
	form    NumberForm
}{{"1.234,56", NumberForm{'.', ','}}, {"1,234.56", NumberForm{',', '.'}}, {"1 234,56", NumberForm{' ', ','}},
	{"1 234.56", NumberForm{' ', '.'}},
	{"1'234.56", NumberForm{'\'', '.'}}, {"1234,56", NumberForm{0, ','}}, {"1234.56", NumberForm{0, '.'}}}

// ParseNumberForm takes the form of an example, such as 1.234,56.
func ParseNumberForm(example string) (f NumberForm, err error) {
	text := strings.Map(normalizeRune, strings.TrimSpace(example))
	if signs := strings.Trim(text, "0123456789"); len(signs) == 1 && len(text)-strings.Index(text, signs) == 4 {
		return f, fmt.Errorf("%q could be thousands or decimals; give an example that shows both, such as '1.234,56'", example)
	}
	for _, known := range numberForms {
		same := len(text) > 0
		i := 0
		for _, r := range text { // the same signs between runs of digits
			for i < len(known.example) && known.example[i] >= '0' && known.example[i] <= '9' && (r < '0' || r > '9') {
				i++
			}
			if r < '0' || r > '9' {
				same = same && i < len(known.example) && rune(known.example[i]) == r
				i++
			}
		}
		for i < len(known.example) && known.example[i] >= '0' && known.example[i] <= '9' {
			i++
		}
		if same && i == len(known.example) {
			if _, ok := known.form.Read(text); ok {
				return known.form, nil
			}
		}
	}
	return f, fmt.Errorf("expected an example of a number with decimals, such as '1.234,56', '1,234.56', '1 234,56' or '1234,56', found %q", example)
}

// Read reads a number of the form as plain digits: a currency sign or code before
// or behind it is dropped, and parentheses or a minus on either side make it
// negative. ok is false for other text.
func (f NumberForm) Read(s string) (plain string, ok bool) {
	s = strings.TrimSpace(strings.Map(normalizeRune, s))
	negative := false
	// Signs stand outside or inside of a currency: -€5, €-5, 5- €.
	for range 2 {
		if inner, yes := strings.CutPrefix(s, "("); yes && !negative {
			if s, yes = strings.CutSuffix(inner, ")"); !yes {
				return "", false
			}
			negative, s = true, strings.TrimSpace(s)
		}
		for _, cut := range []func(string, string) (string, bool){strings.CutPrefix, strings.CutSuffix} {
			if rest, yes := cut(s, "-"); yes {
				if negative {
					return "", false
				}
				negative, s = true, strings.TrimSpace(rest)
			}
		}
		s = dropCurrency(s)
	}
	var b strings.Builder
	if negative {
		b.WriteByte('-')
	}
	whole, decimals, pointed := strings.Cut(s, string(f.decimalPoint))
	groups := []string{whole}
	if f.thousands != 0 {
		groups = strings.Split(whole, string(f.thousands))
	}
	for i, g := range groups {
		if g == "" || !digitsOnly(g) || len(groups) > 1 && (i == 0 && len(g) > 3 || i > 0 && len(g) != 3) {
			return "", false
		}
		b.WriteString(g)
	}
	if pointed {
		if decimals == "" || !digitsOnly(decimals) {
			return "", false
		}
		b.WriteString("." + decimals)
	}
	return b.String(), true
}

// PlainUnits writes the numbers of a text with units, such as 1.500 Tage, as plain ones; ok is false
// for a text without letters.
func (f NumberForm) PlainUnits(s string) (plain string, ok bool) {
	s = strings.Map(normalizeRune, s)
	if strings.IndexFunc(s, unicode.IsLetter) < 0 {
		return "", false
	}
	part := func(r rune) bool { return r >= '0' && r <= '9' || r == f.thousands || r == f.decimalPoint }
	var b strings.Builder
	for s != "" {
		cut := strings.IndexAny(s, "0123456789")
		if cut < 0 {
			break
		}
		b.WriteString(s[:cut])
		s = s[cut:]
		end := len(s)
		if i := strings.IndexFunc(s, func(r rune) bool { return !part(r) }); i >= 0 {
			end = i
		}
		run := strings.TrimRight(s[:end], " .,'")
		if number, isNumber := f.Read(run); isNumber {
			b.WriteString(number)
		} else {
			b.WriteString(run)
		}
		s = s[len(run):]
	}
	return b.String() + s, true
}

// dropCurrency cuts a currency sign, or a code of three capitals, off a text.
func dropCurrency(s string) string {
	isSign := func(r rune) bool { return unicode.Is(unicode.Sc, r) }
	if cut := strings.TrimFunc(s, isSign); cut != s {
		return strings.TrimSpace(cut)
	}
	code := func(s string) bool {
		return len(s) == 3 && strings.Trim(s, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == ""
	}
	if len(s) > 3 && code(s[:3]) {
		return strings.TrimSpace(s[3:])
	}
	if len(s) > 3 && code(s[len(s)-3:]) {
		return strings.TrimSpace(s[:len(s)-3])
	}
	return s
}

func digitsOnly(s string) bool { return strings.Trim(s, "0123456789") == "" }

// FittingNumberForms returns the examples of the forms that read all cells; none
// where they are plain already.
func FittingNumberForms(cells []string) (list []string) {
	for _, known := range numberForms {
		fits := len(cells) > 0
		for _, c := range cells {
			_, ok := known.form.Read(c)
			fits = fits && ok
		}
		if fits {
			list = append(list, known.example)
		}
	}
	return list
}
