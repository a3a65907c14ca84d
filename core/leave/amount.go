package leave

import (
	"fmt"
	"math/big"
	"strconv"
	"strings"
)

// Amount is hours or days of leave, in millionths.
type Amount int64

const (
	scale      = 1_000_000
	mostAmount = 1_000_000 * scale
)

// ParseAmount reads a decimal such as "8.00" or "-16": at most six decimals, at most a million.
func ParseAmount(s string) (Amount, error) {
	wrong := fmt.Errorf(`write a decimal in quotes such as "8.00", with at most six decimals and at most a million`)
	digits, negative := strings.CutPrefix(s, "-")
	whole, part, point := strings.Cut(digits, ".")
	if whole == "" || len(whole) > 7 || len(part) > 6 || point && part == "" {
		return 0, wrong
	}
	var a Amount
	for _, c := range whole + part + "000000"[len(part):] {
		if c < '0' || c > '9' {
			return 0, wrong
		}
		a = a*10 + Amount(c-'0')
	}
	if a > mostAmount {
		return 0, wrong
	}
	if negative {
		return -a, nil
	}
	return a, nil
}

// String writes the amount with two decimals, and with up to four where it has them: what is
// beyond is rounded half away from zero.
func (a Amount) String() string {
	sign, n := "", int64(a)
	if n < 0 {
		sign, n = "-", -n
	}
	n = (n + 50) / 100 // ten-thousandths
	if n == 0 {
		sign = ""
	}
	part := fmt.Sprintf("%04d", n%10_000)
	for len(part) > 2 && part[len(part)-1] == '0' {
		part = part[:len(part)-1]
	}
	return sign + strconv.FormatInt(n/10_000, 10) + "." + part
}

// Exact writes the amount with all six decimals, as it is kept.
func (a Amount) Exact() string {
	sign, n := "", int64(a)
	if n < 0 {
		sign, n = "-", -n
	}
	return fmt.Sprintf("%s%d.%06d", sign, n/scale, n%scale)
}

// of gives a × b ÷ c, rounded half away from zero. c isn't zero.
func (a Amount) of(b, c Amount) Amount {
	n := new(big.Int).Mul(big.NewInt(int64(a)), big.NewInt(int64(b)))
	d := big.NewInt(int64(c))
	twice := new(big.Int).Lsh(n, 1)
	half := new(big.Int).Abs(d)
	if twice.Sign()*d.Sign() < 0 {
		half.Neg(half)
	}
	if d.Sign() < 0 {
		half.Neg(half)
	}
	q := new(big.Int).Quo(twice.Add(twice, half), d.Lsh(d, 1))
	return Amount(q.Int64())
}

// to rounds to whole steps: to the nearest, a tie going up, or up.
func (a Amount) to(step Amount, up bool) Amount {
	if step == 0 {
		return a
	}
	add := step / 2
	if up {
		add = step - 1
	}
	n := a + add
	if n < 0 && n%step != 0 {
		return (n/step - 1) * step
	}
	return n / step * step
}
