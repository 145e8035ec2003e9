// Package decimal has the one decimal type of Diadrom: money, weights, lengths, distances and percents are exact.
//
// A Decimal is an immutable value; its zero value is 0. Addition, subtraction and multiplication never round.
// Nearly all numbers of a shop fit the 19 digits of github.com/govalues/decimal, which does the work then; that
// package rounds what does not fit, so a result beyond 19 digits is carried by math/big instead. A quotient
// that does not end, such as 1 ÷ 3, is a fraction, exact like all else until it is rounded; written out it has
// [QuotientDigits] decimals.
//
// Numbers are written as in the store file: digits, with an optional minus sign and an optional decimal point with
// digits on both sides ("12", "0.5", "-4.90"), at most [MaxInteger] digits before and [MaxFraction] after the point.
// There is no exponent, no plus sign and no grouping.
package decimal

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"strings"

	"github.com/govalues/decimal"
)

// Limits of what Parse accepts, in digits. Results of arithmetic may be longer.
const (
	MaxInteger  = 15
	MaxFraction = 12
)

// QuotientDigits is the number of decimals with which a number that does not end is written.
const QuotientDigits = 12

// Decimal is an exact decimal number.
type Decimal struct {
	small decimal.Decimal // the value, unless wide is set
	wide  *wide
}

// wide is coef × 10^-scale or, where it is set, a fraction that no decimal equals.
type wide struct {
	coef     *big.Int
	scale    int
	fraction *big.Rat
}

// Zero is 0; One is 1; Hundred is 100.
var (
	Zero    = Decimal{}
	One     = FromInt(1)
	Hundred = FromInt(100)
	percent = New(1, 2)
)

// ErrSyntax and ErrLong are what Parse finds wrong.
var (
	ErrSyntax = errors.New("write a plain number such as 12.50")
	ErrLong   = fmt.Errorf("at most %d digits before and %d after the point", MaxInteger, MaxFraction)
)

// ParseError keeps the text that is not a number, and why.
type ParseError struct {
	Text string
	Err  error
}

// Error says what is wrong.
func (e *ParseError) Error() string {
	text := e.Text
	if r := []rune(text); len(r) > 40 {
		text = string(r[:40]) + "…"
	}
	return fmt.Sprintf("%q is not a number that can be used here: %v", text, e.Err)
}

// Unwrap gives the reason.
func (e *ParseError) Unwrap() error { return e.Err }

// Parse reads a number as the package comment describes; its errors are of type [*ParseError].
func Parse(s string) (Decimal, error) {
	if err := checkSyntax(s); err != nil {
		return Decimal{}, &ParseError{s, err}
	}
	if len(s) <= 19 { // at most 19 digits, whatever their place
		d, err := decimal.Parse(s)
		if err != nil {
			return Decimal{}, &ParseError{s, ErrSyntax}
		}
		return Decimal{small: d}, nil
	}
	whole, fraction, _ := strings.Cut(s, ".")
	coef, ok := new(big.Int).SetString(whole+fraction, 10)
	if !ok {
		return Decimal{}, &ParseError{s, ErrSyntax}
	}
	return fromBig(coef, len(fraction)), nil
}

func checkSyntax(s string) error {
	digits := strings.TrimPrefix(s, "-")
	whole, fraction, point := strings.Cut(digits, ".")
	if !allDigits(whole) || point && !allDigits(fraction) {
		return ErrSyntax
	}
	if len(whole) > MaxInteger || len(fraction) > MaxFraction {
		return ErrLong
	}
	return nil
}

func allDigits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}

// MustParse is Parse for numbers that are known to be right; it panics on others.
func MustParse(s string) Decimal {
	d, err := Parse(s)
	if err != nil {
		panic(err)
	}
	return d
}

// New returns coef × 10^-scale; scale is 0 to 19.
func New(coef int64, scale int) Decimal { return Decimal{small: decimal.MustNew(coef, scale)} }

// FromInt returns n.
func FromInt(n int64) Decimal { return New(n, 0) }

// FromFloat rounds f half up to scale decimals (0 to 6). It is the way from geometry, which works in floats, to
// measures.
func FromFloat(f float64, scale int) Decimal {
	return New(int64(math.Floor(f*math.Pow10(scale)+0.5)), scale)
}

func fromBig(coef *big.Int, scale int) Decimal {
	if scale > 0 { // trailing zeros carry no value and would grow with each product
		ten, rest := big.NewInt(10), new(big.Int)
		for scale > 0 {
			q, r := new(big.Int).QuoRem(coef, ten, rest)
			if r.Sign() != 0 {
				break
			}
			coef, scale = q, scale-1
		}
	}
	if coef.IsInt64() && scale <= 19 {
		if d, err := decimal.New(coef.Int64(), scale); err == nil {
			return Decimal{small: d}
		}
	}
	return Decimal{wide: &wide{coef: coef, scale: scale}}
}

// fromRat returns r, as a decimal where one equals it. The caller must not change r afterwards.
func fromRat(r *big.Rat) Decimal {
	if r.IsInt() {
		return fromBig(r.Num(), 0)
	}
	// A fraction in lowest terms ends when its denominator has no prime factors but 2 and 5.
	rest := new(big.Int).Set(r.Denom())
	digits := max(factors(rest, 2), factors(rest, 5))
	if rest.Cmp(big.NewInt(1)) != 0 {
		return Decimal{wide: &wide{fraction: r}}
	}
	coef := new(big.Int).Mul(r.Num(), pow10(digits))
	return fromBig(coef.Quo(coef, r.Denom()), digits)
}

// isFraction says whether no decimal equals d.
func (d Decimal) isFraction() bool { return d.wide != nil && d.wide.fraction != nil }

// rat returns d as a fraction; the caller must not change it.
func (d Decimal) rat() *big.Rat {
	if d.isFraction() {
		return d.wide.fraction
	}
	coef, scale := d.big()
	return new(big.Rat).SetFrac(coef, pow10(scale))
}

// big returns the coefficient and the scale of d, which is not a fraction; the caller must not change the
// coefficient.
func (d Decimal) big() (*big.Int, int) {
	if d.wide != nil {
		return d.wide.coef, d.wide.scale
	}
	coef := new(big.Int).SetUint64(d.small.Coef())
	if d.small.IsNeg() {
		coef.Neg(coef)
	}
	return coef, d.small.Scale()
}

func pow10(n int) *big.Int { return new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(n)), nil) }

// aligned returns the coefficients of d and e at their larger scale.
func aligned(d, e Decimal) (x, y *big.Int, scale int) {
	x, sx := d.big()
	y, sy := e.big()
	switch {
	case sx < sy:
		x, sx = new(big.Int).Mul(x, pow10(sy-sx)), sy
	case sy < sx:
		y = new(big.Int).Mul(y, pow10(sx-sy))
	}
	return x, y, sx
}

func (d Decimal) isSmall(e Decimal) bool { return d.wide == nil && e.wide == nil }

// Add returns d + e.
func (d Decimal) Add(e Decimal) Decimal {
	if d.isSmall(e) {
		if sum, err := d.small.AddExact(e.small, max(d.small.Scale(), e.small.Scale())); err == nil {
			return Decimal{small: sum}
		}
	}
	if d.isFraction() || e.isFraction() {
		return fromRat(new(big.Rat).Add(d.rat(), e.rat()))
	}
	x, y, scale := aligned(d, e)
	return fromBig(new(big.Int).Add(x, y), scale)
}

// Sub returns d − e.
func (d Decimal) Sub(e Decimal) Decimal { return d.Add(e.Neg()) }

// Neg returns −d.
func (d Decimal) Neg() Decimal {
	if d.wide == nil {
		return Decimal{small: d.small.Neg()}
	}
	if d.isFraction() {
		return fromRat(new(big.Rat).Neg(d.wide.fraction))
	}
	return Decimal{wide: &wide{coef: new(big.Int).Neg(d.wide.coef), scale: d.wide.scale}}
}

// Mul returns d × e.
func (d Decimal) Mul(e Decimal) Decimal {
	if d.isSmall(e) {
		if scale := d.small.Scale() + e.small.Scale(); scale <= decimal.MaxScale {
			if product, err := d.small.MulExact(e.small, scale); err == nil {
				return Decimal{small: product}
			}
		}
	}
	if d.isFraction() || e.isFraction() {
		return fromRat(new(big.Rat).Mul(d.rat(), e.rat()))
	}
	x, sx := d.big()
	y, sy := e.big()
	return fromBig(new(big.Int).Mul(x, y), sx+sy)
}

// Percent returns p percent of d.
func (d Decimal) Percent(p Decimal) Decimal { return d.Mul(p).Mul(percent) }

// Quo returns d ÷ e, exactly. e is not 0.
func (d Decimal) Quo(e Decimal) Decimal {
	if e.Sign() == 0 {
		panic("exact: division by zero")
	}
	if e.Cmp(One) == 0 || d.IsZero() {
		return d
	}
	if d.isFraction() || e.isFraction() {
		return fromRat(new(big.Rat).Quo(d.rat(), e.rat()))
	}
	x, y, _ := aligned(d, e)
	return fromRat(new(big.Rat).SetFrac(x, y))
}

// factors divides n by prime as often as it goes, in place, and says how often that was.
func factors(n *big.Int, prime int64) int {
	p, count := big.NewInt(prime), 0
	for {
		q, r := new(big.Int).QuoRem(n, p, new(big.Int))
		if r.Sign() != 0 {
			return count
		}
		n.Set(q)
		count++
	}
}

// QuoRound returns d ÷ e rounded half up to scale decimals, in one step. e is not 0.
func (d Decimal) QuoRound(e Decimal, scale int) Decimal {
	if q, ok := quoRoundSmall(d, e, scale); ok {
		return q
	}
	if d.isFraction() || e.isFraction() {
		q := new(big.Rat).Quo(d.rat(), e.rat())
		return fromBig(halfUp(new(big.Int).Mul(q.Num(), pow10(scale)), q.Denom()), scale)
	}
	x, y, _ := aligned(d, e)
	return fromBig(halfUp(new(big.Int).Mul(x, pow10(scale)), y), scale)
}

// powers of ten that fit int64.
var powers = func() (p [19]int64) {
	p[0] = 1
	for i := 1; i < len(p); i++ {
		p[i] = 10 * p[i-1]
	}
	return p
}()

// quoRoundSmall is QuoRound for positive numbers whose scaled coefficients fit 63 bits, which is nearly always;
// it spares the big integers that would otherwise be half the cost of a quote's tax.
func quoRoundSmall(d, e Decimal, scale int) (Decimal, bool) {
	if !d.isSmall(e) || d.small.IsNeg() || !e.small.IsPos() {
		return Decimal{}, false
	}
	up := scale + e.small.Scale() - d.small.Scale() // x·10^up ÷ y
	x, y := d.small.Coef(), e.small.Coef()
	if up < 0 || up > 18 || y > math.MaxInt64/2 || x > uint64(math.MaxInt64/4/powers[up]) {
		return Decimal{}, false
	}
	x *= uint64(powers[up])
	return New(int64((2*x+y)/(2*y)), scale), true
}

// halfUp divides and rounds half away from zero.
func halfUp(x, y *big.Int) *big.Int {
	negative := x.Sign()*y.Sign() < 0
	x, y = new(big.Int).Abs(x), new(big.Int).Abs(y)
	x.Lsh(x, 1).Add(x, y)
	q := x.Quo(x, y.Lsh(y, 1))
	if negative {
		q.Neg(q)
	}
	return q
}

// Round returns d rounded half up to scale decimals.
func (d Decimal) Round(scale int) Decimal {
	if d.wide == nil && d.small.Scale() <= scale {
		return d
	}
	return d.QuoRound(One, scale)
}

// Ceil returns the smallest whole number that is not below d.
func (d Decimal) Ceil() Decimal {
	if d.wide == nil {
		return Decimal{small: d.small.Ceil(0)}
	}
	coef, p := d.wide.coef, pow10(d.wide.scale)
	if d.isFraction() {
		coef, p = d.wide.fraction.Num(), d.wide.fraction.Denom()
	}
	q, r := new(big.Int).QuoRem(coef, p, new(big.Int))
	if r.Sign() > 0 {
		q.Add(q, big.NewInt(1))
	}
	return fromBig(q, 0)
}

// Cmp compares: -1 where d < e, 0 where equal in value ("1.0" and "1"), 1 where d > e.
func (d Decimal) Cmp(e Decimal) int {
	if d.isSmall(e) {
		return d.small.Cmp(e.small)
	}
	if d.isFraction() || e.isFraction() {
		return d.rat().Cmp(e.rat())
	}
	x, y, _ := aligned(d, e)
	return x.Cmp(y)
}

// Less says whether d < e.
func (d Decimal) Less(e Decimal) bool { return d.Cmp(e) < 0 }

// Sign is -1, 0 or 1.
func (d Decimal) Sign() int {
	switch {
	case d.isFraction():
		return d.wide.fraction.Sign()
	case d.wide != nil:
		return d.wide.coef.Sign()
	}
	return d.small.Sign()
}

// IsZero says whether d is 0.
func (d Decimal) IsZero() bool { return d.Sign() == 0 }

// Float64 is the nearest float, for geometry and drawing only.
func (d Decimal) Float64() float64 {
	if d.wide == nil {
		f, _ := d.small.Float64()
		return f
	}
	f, _ := d.rat().Float64()
	return f
}

// String writes d as Parse reads it, without trailing zeros: "2", "0.5". What does not end is rounded half up
// to [QuotientDigits] decimals.
func (d Decimal) String() string { return string(d.Append(nil, 0)) }

// Fixed writes d with at least digits decimals, and more where the value has more: 6.9 as "6.90".
func (d Decimal) Fixed(digits int) string { return string(d.Append(nil, digits)) }

// Append appends what Fixed writes.
func (d Decimal) Append(b []byte, digits int) []byte {
	if d.wide == nil {
		s := d.small
		if s.Scale() > digits {
			s = s.Trim(digits)
		} else if s.Scale() < digits {
			if p := s.Pad(digits); p.Scale() == digits {
				s = p
			} else {
				return appendBig(b, d, digits)
			}
		}
		if s.IsZero() && s.IsNeg() {
			s = s.Neg()
		}
		b, _ = s.AppendText(b)
		return b
	}
	if d.isFraction() {
		return d.Round(QuotientDigits).Append(b, digits)
	}
	return appendBig(b, d, digits)
}

// Written returns d as it is written: rounded half up to [QuotientDigits] decimals where it does not end.
func (d Decimal) Written() Decimal {
	if d.isFraction() {
		return d.Round(QuotientDigits)
	}
	return d
}

func appendBig(b []byte, d Decimal, digits int) []byte {
	coef, scale := d.big()
	if scale < digits {
		coef, scale = new(big.Int).Mul(coef, pow10(digits-scale)), digits
	}
	if coef.Sign() < 0 {
		b = append(b, '-')
	}
	text := new(big.Int).Abs(coef).String()
	if len(text) <= scale {
		text = strings.Repeat("0", scale-len(text)+1) + text
	}
	b = append(b, text[:len(text)-scale]...)
	if scale > 0 {
		b = append(b, '.')
		b = append(b, text[len(text)-scale:]...)
	}
	return b
}

// MarshalText writes String; UnmarshalText reads what Parse does.
func (d Decimal) MarshalText() ([]byte, error) { return d.Append(nil, 0), nil }

// UnmarshalText is Parse.
func (d *Decimal) UnmarshalText(text []byte) (err error) {
	*d, err = Parse(string(text))
	return err
}
