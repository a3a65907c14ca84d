// Package when answers questions about civil time: which calendar date an
// instant falls on in a zone, which workweek it belongs to, which pay period
// holds a date.
//
// Instants are [time.Time]; civil dates are [Date]. The two never mix: going
// from one to the other always names a zone.
package when

import (
	"fmt"
	"time"
)

// Date is a civil date, held as days since 1970-01-01. The zero value is that
// day. Dates compare with < and ==, and differ by subtraction in days.
type Date int32

const (
	secondsPerDay = 24 * 60 * 60
	dateLayout    = "2006-01-02"
)

// NewDate gives the date of a year, month and day; out-of-range values are
// carried over as in [time.Date].
func NewDate(year int, month time.Month, day int) Date {
	return Date(time.Date(year, month, day, 0, 0, 0, 0, time.UTC).Unix() / secondsPerDay)
}

// DateOf gives the civil date of an instant in a zone.
func DateOf(t time.Time, loc *time.Location) Date {
	y, m, d := t.In(loc).Date()
	return NewDate(y, m, d)
}

// ParseDate reads a date written YYYY-MM-DD (ISO 8601), from 1900 to 2200.
func ParseDate(s string) (Date, error) {
	t, err := time.Parse(dateLayout, s)
	if err != nil || t.Year() < 1900 || t.Year() > 2200 {
		return 0, fmt.Errorf("%q is not a date; write it as YYYY-MM-DD", s)
	}
	return Date(t.Unix() / secondsPerDay), nil
}

func (d Date) utc() time.Time { return time.Unix(int64(d)*secondsPerDay, 0).UTC() }

// String writes the date as YYYY-MM-DD.
func (d Date) String() string { return d.utc().Format(dateLayout) }

// Format writes the date by a layout of package time.
func (d Date) Format(layout string) string { return d.utc().Format(layout) }

// Weekday gives the day of the week.
func (d Date) Weekday() time.Weekday { return d.utc().Weekday() }

// Year gives the year.
func (d Date) Year() int { return d.utc().Year() }

// AddYears gives the same day some years on; of 29 February it is 1 March where there
// is none.
func (d Date) AddYears(n int) Date {
	y, m, day := d.parts()
	return NewDate(y+n, m, day)
}

func (d Date) parts() (int, time.Month, int) { return d.utc().Date() }

// At gives the instant of a local time of day on this date in a zone. A time
// that a clock change skips is moved forward by what was skipped, be it an
// hour or, where a country changed sides of the date line, a whole day; of one that
// it repeats, it is the first (RFC 5545 §3.3.5 on both).
func (d Date) At(timeOfDay time.Duration, loc *time.Location) time.Time {
	y, m, day := d.parts()
	s := int(timeOfDay / time.Second)
	t := time.Date(y, m, day, s/3600, s/60%60, s%60, 0, loc)
	_, now := t.Zone()
	_, before := t.Add(-36 * time.Hour).Zone()
	is := t.Day() == day && t.Hour() == s/3600 && t.Minute() == s/60%60
	if is && now >= before { // no change near, or one that repeats nothing
		return t
	}
	// By the offset from before the change: what is skipped lies after it, and of what is
	// repeated this is the first, where it shows the same.
	first := time.Unix(int64(d)*secondsPerDay+int64(s-before), 0).In(loc)
	if is && (first.Hour() != t.Hour() || first.Minute() != t.Minute() || !first.Before(t)) {
		return t
	}
	return first
}

// MarshalText and UnmarshalText carry the date as YYYY-MM-DD.
func (d Date) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// beginning is the date from which something holds that always did, as databases hand it over.
const beginning = "0001-01-01"

// UnmarshalText reads YYYY-MM-DD.
func (d *Date) UnmarshalText(text []byte) (err error) {
	if string(text) == beginning {
		*d = NewDate(1, 1, 1)
		return nil
	}
	*d, err = ParseDate(string(text))
	return err
}

// Scan takes a date from a database column, which drivers hand over as the
// midnight of that date or as text.
func (d *Date) Scan(src any) error {
	switch v := src.(type) {
	case time.Time:
		y, m, day := v.Date()
		*d = NewDate(y, m, day)
		return nil
	case string:
		return d.UnmarshalText([]byte(v))
	}
	return fmt.Errorf("a date column gave %T", src)
}

// WorkedDate gives the date a stretch of attendance belongs to: the local date
// at which it began, or the day before when that is earlier than the cut-over
// (a local time of day; 04:00 puts a 02:30 start on the evening before).
func WorkedDate(begin time.Time, loc *time.Location, cutOver time.Duration) Date {
	d := DateOf(begin, loc)
	if begin.Before(d.At(cutOver, loc)) {
		return d - 1
	}
	return d
}
