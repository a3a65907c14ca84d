package words

import (
	"fmt"
	"strings"
	"time"

	"manudex/core/card"
	"manudex/core/when"
)

func Plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Grouped writes a decimal with its thousands apart: 39,378.67.
func Grouped(amount string) string {
	whole, cents, point := strings.Cut(amount, ".")
	sign := ""
	if digits, negative := strings.CutPrefix(whole, "-"); negative {
		sign, whole = "−", digits
	}
	for i := len(whole) - 3; i > 0; i -= 3 {
		whole = whole[:i] + "," + whole[i:]
	}
	if point {
		whole += "." + cents
	}
	return sign + whole
}

// Signed writes a difference with its sign: +0:36, −8:00, 0:00.
func Signed(seconds int64) string {
	if seconds/60 > 0 {
		return "+" + card.HoursMinutes(seconds)
	}
	if seconds/60 == 0 {
		return "0:00"
	}
	return card.HoursMinutes(seconds)
}

// Decimal writes hours as payroll wants them, to two decimals.
func Decimal(seconds int64) string { return Grouped(fmt.Sprintf("%.2f", float64(seconds)/3600)) }

// Span writes a span of days: "8–21 Nov", "25 Oct – 7 Nov".
func Span(p when.Period) string {
	switch {
	case p.From == p.To:
		return p.From.Format("Mon 2 Jan")
	case p.From.Format("Jan 2006") == p.To.Format("Jan 2006"):
		return p.From.Format("2") + "–" + p.To.Format("2 Jan")
	}
	return p.From.Format("2 Jan") + " – " + p.To.Format("2 Jan")
}

// Clock is a moment in a zone, to the second.
func Clock(t time.Time, loc *time.Location) string {
	if t.IsZero() {
		return "none"
	}
	return t.In(loc).Format("15:04:05")
}

// ISODay writes a date that is kept as YYYY-MM-DD as pages do: "2 Jan 2006".
func ISODay(text string) string {
	d, err := when.ParseDate(text)
	if err != nil {
		return text
	}
	return d.Format("2 Jan 2006")
}

// DayFrom writes a day as a heading: "Friday 13 November", with its year where that
// is not today's.
func DayFrom(d, today when.Date) string {
	if d.Year() != today.Year() {
		return d.Format("Monday 2 January 2006")
	}
	return d.Format("Monday 2 January")
}

// SpanFrom writes a span of days, with its year where that is not today's.
func SpanFrom(p when.Period, today when.Date) string {
	if p.From.Year() != p.To.Year() {
		return p.From.Format("2 Jan 2006") + " – " + p.To.Format("2 Jan 2006")
	}
	if p.From.Year() != today.Year() {
		return Span(p) + p.To.Format(" 2006")
	}
	return Span(p)
}
