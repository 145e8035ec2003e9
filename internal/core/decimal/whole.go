package decimal

import (
	"encoding/binary"
	"math/big"
)

// Decimals is with how many decimals d is written; that of a fraction is [QuotientDigits].
func (d Decimal) Decimals() int {
	switch {
	case d.isFraction():
		return QuotientDigits
	case d.wide != nil:
		return d.wide.scale
	}
	return d.small.Trim(0).Scale()
}

// AppendKey appends bytes that differ wherever numbers that end do; a number may have several. It ends by itself, so
// that keys can be joined.
func (d Decimal) AppendKey(b []byte) []byte {
	if d.wide != nil {
		return append(d.Append(append(b, 'w'), 0), ' ')
	}
	sign := byte(d.small.Scale())
	if d.small.IsNeg() {
		sign |= 0x40
	}
	return binary.LittleEndian.AppendUint64(append(b, 's', sign), d.small.Coef())
}

// Whole returns d × 10^digits as a whole number, rounded up or down where it is none; at most max. d is not negative.
func (d Decimal) Whole(digits int, up bool, max int64) int64 {
	if d.wide == nil {
		by := digits - d.small.Scale()
		if coef := d.small.Coef(); by >= 0 && by < len(powers) && coef <= uint64(max/powers[by]) {
			return int64(coef) * powers[by]
		}
	}
	r := d.rat()
	q, rest := new(big.Int).QuoRem(new(big.Int).Mul(r.Num(), pow10(digits)), r.Denom(), new(big.Int))
	if up && rest.Sign() > 0 {
		q.Add(q, big.NewInt(1))
	}
	if !q.IsInt64() || q.Int64() > max {
		return max
	}
	return q.Int64()
}
