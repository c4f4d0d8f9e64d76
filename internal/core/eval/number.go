package eval

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"math/bits"
	"strconv"
	"strings"
)

// Numbers are exact fractions: Num / Den in lowest terms, Den 0 standing for 1.
// One that doesn't fit is held as text "num/den" in Text, and worked on with
// math/big.

// maxSmall is the bound under which products of two numbers fit an int64.
const maxSmall = 1 << 31

func (v Value) den() int64 {
	if v.Den == 0 {
		return 1
	}
	return v.Den
}

// Fraction makes the number num / den; den is above zero.
func Fraction(num, den int64) Value {
	if den != 1 {
		if g := gcd(uint64(max(num, -num)), uint64(den)); g > 1 {
			num, den = num/int64(g), den/int64(g)
		}
	}
	v := Value{Kind: Number, Num: num}
	if den != 1 {
		v.Den = den
	}
	return v
}

func gcd(a, b uint64) uint64 {
	if a == 0 {
		return b
	}
	shift := bits.TrailingZeros64(a | b)
	for a >>= bits.TrailingZeros64(a); b != 0; {
		b >>= bits.TrailingZeros64(b)
		if a > b {
			a, b = b, a
		}
		b -= a
	}
	return a << shift
}

func (v Value) rat() *big.Rat {
	if v.Text != "" {
		r, _ := new(big.Rat).SetString(v.Text)
		return r
	}
	return big.NewRat(v.Num, v.den())
}

func fromRat(r *big.Rat) Value {
	if r.Num().IsInt64() && r.Denom().IsInt64() {
		return Fraction(r.Num().Int64(), r.Denom().Int64())
	}
	return Value{Kind: Number, Text: r.String()}
}

func (v Value) isSmall() bool {
	return v.Text == "" && v.Num < maxSmall && v.Num > -maxSmall && v.Den < maxSmall
}

// What arithmetic can't give.
var (
	errDivideByZero  = errors.New("division by zero")
	errTooManyDigits = fmt.Errorf("the exact result has more than %d digits; round earlier", maxDigits)
	errTooMuchWork   = errors.New("too many exact results have hundreds of digits; round earlier")
	errNotInteger    = fmt.Errorf("expected an exponent from -%d to %d, a whole number", maxPower, maxPower)
)

const (
	maxDigits  = 1000 // above or below the line of a fraction
	maxPower   = 1000
	smallWords = 16         // of 64 bits, above and below the line
	maxWords   = 40_000_000 // of all longer numbers of a table
)

// exactNumber is an intermediate result: an int64 fraction, or big if it doesn't fit. It stays
// a *big.Rat along a chain of operators.
type exactNumber struct {
	Value
	big *big.Rat
}

func (n *exactNumber) rat() *big.Rat {
	if n.big != nil {
		return n.big
	}
	return n.Value.rat()
}

// value is the number in the form that values have.
func (n *exactNumber) value() Value {
	if n.big == nil {
		return n.Value
	}
	v := fromRat(n.big)
	v.Rounded, v.Places = n.Rounded, n.Places
	return v
}

// arith is n op b in place of n. A sum or difference of two rounded numbers is rounded as they
// are.
func (n *exactNumber) arith(op byte, b *Value) error {
	rounded, places := (op == '+' || op == '-') && n.Rounded && b.Rounded, max(n.Places, b.Places)
	if err := n.arithBig(op, b); err != nil {
		return err
	}
	if n.big != nil && (n.big.Num().CmpAbs(tooLong) >= 0 || n.big.Denom().CmpAbs(tooLong) >= 0) {
		return errTooManyDigits
	}
	if rounded {
		n.Rounded, n.Places = true, places
	}
	return nil
}

// tooLong is the least number of more than maxDigits.
var tooLong = new(big.Int).Exp(big.NewInt(10), big.NewInt(maxDigits), nil)

// countBig counts a number that takes long to work on; of those with some 150 digits or less there
// may be any number.
func (c *compiler) countBig(n *exactNumber) error {
	words := (n.big.Num().BitLen() + n.big.Denom().BitLen()) / 64
	if c.BigWords != nil && words > smallWords && c.BigWords.Add(int64(words)) > maxWords {
		return errTooMuchWork
	}
	return nil
}

func (n *exactNumber) arithBig(op byte, b *Value) error {
	if n.big == nil && op != '^' && n.isSmall() && b.isSmall() {
		x, y, p, q := n.Num, b.Num, n.den(), b.den()
		switch {
		case op == '/' && y == 0:
			return errDivideByZero
		case op == '/' && y < 0:
			n.Value = Fraction(-x*q, -p*y)
			return nil
		case op == '/':
			n.Value = Fraction(x*q, p*y)
			return nil
		case op == '*':
			n.Value = Fraction(x*y, p*q)
			return nil
		case p == 1 && q == 1 && op == '+':
			n.Value = Value{Kind: Number, Num: x + y}
			return nil
		case p == 1 && q == 1:
			n.Value = Value{Kind: Number, Num: x - y}
			return nil
		}
	}
	x, y := n.rat(), (*big.Rat)(nil)
	if op != '^' {
		y = b.rat()
	}
	switch op {
	case '+':
		x.Add(x, y)
	case '-':
		x.Sub(x, y)
	case '*':
		x.Mul(x, y)
	case '/':
		if y.Sign() == 0 {
			return errDivideByZero
		}
		x.Quo(x, y)
	case '^':
		var err error
		if x, err = power(x, b); err != nil {
			return err
		}
	}
	*n = exactNumber{Value{Kind: Number}, x}
	if x.Num().IsInt64() && x.Denom().IsInt64() {
		*n = exactNumber{Value: fromRat(x)}
	}
	return nil
}

// power works out r ^ n exactly; 0 ^ 0 is 1.
func power(r *big.Rat, b *Value) (*big.Rat, error) {
	if b.Den != 0 || b.Text != "" || b.Num > maxPower || b.Num < -maxPower {
		return nil, errNotInteger
	}
	n := b.Num
	if n < 0 {
		if r.Sign() == 0 {
			return nil, errDivideByZero
		}
		r, n = r.Inv(r), -n
	}
	if int64(max(r.Num().BitLen(), r.Denom().BitLen())-1)*n > 4*maxDigits { // nothing so long is worked out
		return nil, errTooManyDigits
	}
	e := big.NewInt(n)
	return new(big.Rat).SetFrac(new(big.Int).Exp(r.Num(), e, nil), new(big.Int).Exp(r.Denom(), e, nil)), nil
}

// compareNumbers orders two numbers.
func compareNumbers(a, b Value) int {
	if a.Den == 0 && b.Den == 0 && a.Text == "" && b.Text == "" {
		switch {
		case a.Num < b.Num:
			return -1
		case a.Num > b.Num:
			return 1
		}
		return 0
	}
	return a.rat().Cmp(b.rat())
}

// round rounds a number to places, halves away from zero.
func round(v Value, places int) Value {
	if v.Den != 0 || v.Text != "" {
		r, _ := new(big.Rat).SetString(v.rat().FloatString(places)) // which rounds so
		v = fromRat(r)
	}
	v.Places, v.Rounded, v.Format = int8(places), true, NoFormat
	return v
}

// roundTo rounds a number to multiples of step, which is above zero: with way above 0 away from
// zero, below 0 towards it, else to the nearest, halves away from zero. It is printed with so
// many places.
func roundTo(v Value, step *big.Rat, way, places int) Value {
	r := v.rat()
	r.Quo(r, step)
	num, den := new(big.Int).Abs(r.Num()), r.Denom()
	whole, rest := new(big.Int).QuoRem(num, den, new(big.Int))
	more := way > 0 && rest.Sign() > 0
	if way == 0 {
		more = rest.Lsh(rest, 1).Cmp(den) >= 0
	}
	if more {
		whole.Add(whole, big.NewInt(1))
	}
	if r.Sign() < 0 {
		whole.Neg(whole)
	}
	n := fromRat(r.Mul(new(big.Rat).SetInt(whole), step))
	n.Places, n.Rounded = int8(places), true
	return n
}

// maxPrintedPlaces is how many decimal places a number is printed with.
const maxPrintedPlaces = 10

// AppendNumber appends a Number as it is printed.
func (v *Value) AppendNumber(b []byte) []byte {
	if v.Den == 0 && v.Text == "" && v.Places == 0 {
		return AppendInt(b, v.Num)
	}
	return append(b, v.decimal()...)
}

// AppendInt appends a whole number as it is printed.
func AppendInt(b []byte, n int64) []byte {
	if n >= 0 && n < 10_000 { // nearly all of them
		return appendSmall(b, uint(n))
	}
	return strconv.AppendInt(b, n, 10)
}

// appendSmall appends a number of four digits at most.
func appendSmall(b []byte, n uint) []byte {
	switch {
	case n < 10:
		return append(b, byte('0'+n))
	case n < 100:
		return append(b, byte('0'+n/10), byte('0'+n%10))
	case n < 1000:
		return append(b, byte('0'+n/100), byte('0'+n/10%10), byte('0'+n%10))
	}
	return append(b, byte('0'+n/1000), byte('0'+n/100%10), byte('0'+n/10%10), byte('0'+n%10))
}

func (v Value) decimal() string {
	if v.Places > 0 {
		return v.rat().FloatString(int(v.Places))
	}
	if v.Den == 0 && v.Text == "" {
		return strconv.FormatInt(v.Num, 10)
	}
	s := v.rat().FloatString(maxPrintedPlaces)
	s = strings.TrimRight(strings.TrimRight(s, "0"), ".")
	if s == "-0" || s == "" {
		return "0"
	}
	return s
}

// ParseNumber reads a plain decimal number.
func ParseNumber(s string) (Value, bool) { return parseNumber(s) }

// parseNumber reads digits with at most one point and a sign; nothing else is a
// number.
func parseNumber(s string) (Value, bool) {
	digits, sign := s, int64(1)
	if s != "" && (s[0] == '-' || s[0] == '+') {
		digits = s[1:]
		if s[0] == '-' {
			sign = -1
		}
	}
	var n, den int64 = 0, 0
	count := 0
	for i := range len(digits) {
		c := digits[i]
		switch {
		case c == '.' && den == 0:
			den = 1
			continue
		case c < '0' || c > '9':
			return Value{}, false
		}
		if count++; count <= 18 {
			n, den = n*10+int64(c-'0'), den*10
		}
	}
	if count == 0 || len(s) > 400 {
		return Value{}, false
	}
	if count > 18 {
		r, ok := new(big.Rat).SetString(s)
		return fromRat(r), ok
	}
	return Fraction(sign*n, max(den, 1)), true
}

// FromUnits makes the number units / 10^places, which is printed with all its places.
func FromUnits(units int64, places int) Value {
	den := int64(1)
	for range places {
		den *= 10
	}
	v := Fraction(units, den)
	v.Places, v.Rounded = int8(places), true
	return v
}

// Prorate is num / den of an amount, rounded to places, halves away from zero; den is above
// zero.
func Prorate(amount Value, num, den int64, places int) Value {
	r := amount.rat()
	return round(fromRat(r.Mul(r, big.NewRat(num, den))), places)
}

// Subtract returns a − b, exactly; both are Numbers.
func Subtract(a, b Value) Value {
	n := exactNumber{Value: a}
	_ = n.arith('-', &b) // of amounts, which are short
	return n.value()
}

// NotAmountError is a cell that was to be an amount and is no plain number.
type NotAmountError struct{ Text string }

// Error says so.
func (e *NotAmountError) Error() string {
	return fmt.Sprintf("expected an amount, found %q", Truncate(e.Text))
}

// ParseAmount takes a cell as a number; anything else but a blank is a *NotAmountError.
func ParseAmount(v Value) (n Value, blank bool, err error) {
	if isBlank(v) {
		return v, true, nil
	}
	if n = normalize(v); n.Kind != Number {
		err = &NotAmountError{v.String()}
	}
	return n, false, err
}

// ToUnits takes a cell as a whole number of units of 10^-places. It is an error
// where the cell is no number, has more places than that, or is too large.
func ToUnits(v Value, places int) (units int64, blank bool, err error) {
	n, blank, err := ParseAmount(v)
	if blank || err != nil {
		return 0, blank, err
	}
	scale := new(big.Rat).SetInt(new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(places)), nil))
	r := scale.Mul(scale, n.rat())
	switch {
	case !r.IsInt():
		return 0, false, fmt.Errorf("%s has more than %d decimal places, the places of a share", Truncate(v.String()), places)
	case !r.Num().IsInt64() || r.Num().Int64() == math.MinInt64:
		return 0, false, fmt.Errorf("the amount %s is too large to be shared exactly", Truncate(v.String()))
	}
	return r.Num().Int64(), false, nil
}

// Summand is a number as a sum takes it: printed with as many places as the cells that it was shown
// in, at most maxPrintedPlaces. A blank stays one.
func Summand(n Value, shown ...Value) Value {
	if n.Kind != Number {
		return n
	}
	places := 0
	for i := range shown {
		_, decimals, _ := strings.Cut(shown[i].String(), ".")
		places = max(places, min(len(decimals), maxPrintedPlaces))
	}
	n.Places, n.Rounded = int8(places), places > 0
	return n
}

// Add adds two numbers of a sum, which is printed with as many places as the one that has more; a
// blank counts as nothing.
func Add(a, b Value) Value {
	if a.Kind == Blank {
		return b
	}
	if b.Kind == Blank {
		return a
	}
	n := exactNumber{Value: a}
	places := max(a.Places, b.Places)
	_ = n.arithBig('+', &b) // which has no bound and never fails
	n.Places, n.Rounded = places, places > 0
	return n.value()
}
