package pay

import (
	"fmt"
	"math/big"
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

// mulDiv gives a × b ÷ d and what is left over; b is not more than d.
func mulDiv(a, b, d uint64) (q, rest uint64) {
	hi, lo := bits.Mul64(a, b)
	return bits.Div64(hi, lo, d)
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

// fine is money per hour in ten-thousandths of a [Rate]: a percentage with
// two decimals of a rate with six is exact in it.
type fine int64

const fineScale = 10_000

func (r Rate) fine() fine { return fine(r) * fineScale }

// times gives a multiple or a percentage, in ten-thousandths, of a rate.
func (r Rate) times(tenThousandths int64) fine { return fine(int64(r) * tenThousandths) }

// rate rounds to a [Rate], half away from zero.
func (f fine) rate() Rate { return Rate(ratio{int64(f), 1, 1, fineScale}.scaled(1)) }

// pay gives the sum for a length at the hourly sum, in minor units.
func (f fine) pay(seconds int64, decimals int) Amount {
	return Amount(ratio{seconds, 1, int64(f), 3600 * rateScale * fineScale}.scaled(pow10(decimals)))
}

// pay gives the sum for a length at the rate, in minor units.
func (r Rate) pay(seconds int64, decimals int) Amount {
	return Amount(ratio{seconds, int64(r), 1, 3600 * rateScale}.scaled(pow10(decimals)))
}

// over gives how far a multiplier exceeds one, in ten-thousandths.
func (r Rate) over() int64 { return int64(r-rateScale) / (rateScale / fineScale) }

// wide is a sum of 128 bits: seconds × hourly sums of a whole overtime period
// don't fit 64.
type wide struct{ hi, lo uint64 }

// add adds seconds × an hourly sum, both not negative.
func (w *wide) add(seconds int64, hourly fine) {
	hi, lo := bits.Mul64(uint64(seconds), uint64(hourly))
	var carry uint64
	w.lo, carry = bits.Add64(w.lo, lo, 0)
	w.hi += hi + carry
}

// set puts the sum into z.
func (w wide) set(z *big.Int) *big.Int {
	if w.hi == 0 {
		return z.SetUint64(w.lo)
	}
	low := new(big.Int).SetUint64(w.lo)
	return z.Add(z.Lsh(z.SetUint64(w.hi), 64), low)
}

// roundQuotient gives n ÷ d rounded half away from zero; d is positive. It
// uses n and rest.
func roundQuotient(n, d, rest *big.Int) int64 {
	negative := n.Sign() < 0
	n.QuoRem(n.Abs(n), d, rest)
	q := n.Int64()
	if rest.Lsh(rest, 1).Cmp(d) >= 0 {
		q++
	}
	if negative {
		return -q
	}
	return q
}
