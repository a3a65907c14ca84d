package when

import (
	"fmt"
	"strings"
	"time"
)

// Workweek is a fixed and regularly recurring period of seven civil days (29
// CFR 778.105). It begins on a weekday at a local time of day, and so does
// each of its workdays begin at WorkdayStart. Civil: a week across a clock
// change has 167 or 169 hours.
type Workweek struct {
	Loc          *time.Location
	Weekday      time.Weekday
	Start        time.Duration // local time of day at which the week begins
	WorkdayStart time.Duration // local time of day at which each workday begins
}

// Span is a half-open stretch of time [From, To), with the civil date it is
// called by.
type Span struct {
	Date     Date
	From, To time.Time
}

// Holds says whether the instant lies in the span.
func (s Span) Holds(t time.Time) bool { return !t.Before(s.From) && t.Before(s.To) }

// Day gives the workday that holds an instant.
func (w Workweek) Day(t time.Time) Span { return civilDay(t, w.Loc, w.WorkdayStart) }

// civilDay finds the last date that has begun by an instant. A date that a
// country skipped begins when the next does, and so is never found.
func civilDay(t time.Time, loc *time.Location, start time.Duration) Span {
	d := DateOf(t, loc) + 1
	to := d.At(start, loc)
	for !to.After(t) {
		d++
		to = d.At(start, loc)
	}
	for {
		d--
		from := d.At(start, loc)
		if !from.After(t) {
			return Span{d, from, to}
		}
		to = from
	}
}

// Week gives the workweek that holds an instant, named by its first date.
func (w Workweek) Week(t time.Time) Span {
	first := w.FirstDay(civilDay(t, w.Loc, w.Start).Date)
	return Span{first, first.At(w.Start, w.Loc), (first + 7).At(w.Start, w.Loc)}
}

// FirstDay gives the first date of the workweek that holds a date.
func (w Workweek) FirstDay(d Date) Date {
	return d - Date((int(d.Weekday())-int(w.Weekday)+7)%7)
}

var weekdays = map[string]time.Weekday{
	"sun": time.Sunday, "mon": time.Monday, "tue": time.Tuesday, "wed": time.Wednesday,
	"thu": time.Thursday, "fri": time.Friday, "sat": time.Saturday,
}

// ParseWeekStart reads a weekday and a local time such as "Sun 00:00".
func ParseWeekStart(s string) (time.Weekday, time.Duration, error) {
	day, clock, ok := strings.Cut(s, " ")
	weekday, known := weekdays[strings.ToLower(day)]
	at, err := ParseTimeOfDay(clock)
	if !ok || !known || err != nil {
		return 0, 0, fmt.Errorf(`%q is not a weekday and a time; write it as "Sun 00:00"`, s)
	}
	return weekday, at, nil
}

// TimeOfDay writes a local time of day as [ParseTimeOfDay] reads it.
func TimeOfDay(d time.Duration) string {
	return fmt.Sprintf("%02d:%02d", d/time.Hour, d/time.Minute%60)
}

// ParseTimeOfDay reads a local time of day written HH:MM, 00:00 to 23:59.
func ParseTimeOfDay(s string) (time.Duration, error) {
	t, err := time.Parse("15:04", s)
	if err != nil || len(s) != len("15:04") {
		return 0, fmt.Errorf("%q is not a time of day; write it as HH:MM, 00:00 to 23:59", s)
	}
	return time.Duration(t.Hour())*time.Hour + time.Duration(t.Minute())*time.Minute, nil
}
