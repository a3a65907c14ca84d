package pay

import (
	"fmt"
	"math/bits"
	"strconv"
	"strings"
)

// Rate is money per hour, or a sum not yet rounded, in millionths of the
// currency unit. Six decimals are more than any wage determination prints.
type Rate int64

// Amount is a rounded sum in the currency's minor unit (cents).
type Amount int64

const (
	rateScale    = 1_000_000
	rateDecimals = 6
	maxRate      = 1_000_000 * rateScale
)

// ParseRate reads a decimal such as "22.00" or "-3.125": at most six decimals,
// at most a million.
func ParseRate(s string) (Rate, error) {
	bad := fmt.Errorf(`write a decimal such as "22.00", with at most six decimals and at most a million`)
	digits, negative := strings.CutPrefix(s, "-")
	whole, frac, point := strings.Cut(digits, ".")
	if whole == "" || len(whole) > 7 || len(frac) > rateDecimals || point && frac == "" {
		return 0, bad
	}
	var r Rate
	for _, c := range whole + frac + "000000"[len(frac):] {
		if c < '0' || c > '9' {
			return 0, bad
		}
		r = r*10 + Rate(c-'0')
	}
	if r > maxRate {
		return 0, bad
	}
	if negative {
		r = -r
	}
	return r, nil
}

// String writes the rate with two decimals, or as many more as it needs.
func (r Rate) String() string {
	s := strings.TrimRight(fixed(int64(r), rateDecimals), "0")
	for strings.IndexByte(s, '.') > len(s)-3 {
		s += "0"
	}
	return s
}

// Minor gives the amount in a currency with that many decimals, rounded half
// away from zero.
func (r Rate) Minor(decimals int) Amount {
	return Amount(ratio{int64(r), 1, 1, rateScale}.scaled(pow10(decimals)))
}

// Decimal writes the amount with the currency's decimals.
func (a Amount) Decimal(decimals int) string { return fixed(int64(a), decimals) }

func fixed(n int64, decimals int) string {
	sign := ""
	if n < 0 {
		sign, n = "-", -n
	}
	s := strconv.FormatInt(n, 10)
	if pad := decimals + 1 - len(s); pad > 0 {
		s = strings.Repeat("0", pad) + s
	}
	if decimals == 0 {
		return sign + s
	}
	return sign + s[:len(s)-decimals] + "." + s[len(s)-decimals:]
}

func pow10(n int) int64 {
	p := int64(1)
	for range n {
		p *= 10
	}
	return p
}

// ratio is the exact number a × b × c ÷ d, kept apart until it is rounded
// once. d is positive; a × b must fit 63 bits.
type ratio struct{ a, b, c, d int64 }

// scaled gives the ratio times scale, rounded half away from zero. The
// product is taken in 128 bits.
func (r ratio) scaled(scale int64) int64 {
	negative := (r.a < 0) != (r.b < 0) != (r.c < 0)
	ab := abs(r.a) * abs(r.b)
	// Scale cancels into the divisor where it can, to keep the product small.
	d := uint64(r.d)
	if g := gcd(uint64(scale), d); g > 1 {
		scale, d = scale/int64(g), d/g
	}
	hi, lo := bits.Mul64(ab, abs(r.c))
	if scale > 1 {
		top, low := bits.Mul64(lo, uint64(scale))
		hi, lo = hi*uint64(scale)+top, low
	}
	// Half of an odd d is rounded down, where a tie can't arise.
	lo, carry := bits.Add64(lo, d/2, 0)
	q, _ := bits.Div64(hi+carry, lo, d)
	if negative {
		return -int64(q)
	}
	return int64(q)
}

func abs(n int64) uint64 {
	if n < 0 {
		return uint64(-n)
	}
	return uint64(n)
}

func gcd(a, b uint64) uint64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// Decimals writes the rate rounded to n decimals, half away from zero.
func (r Rate) Decimals(n int) string { return fixed(int64(r.Minor(n)), n) }
