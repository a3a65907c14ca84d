package leave

import (
	"time"

	"manudex/core/when"
)

// YearOf gives the first day of the leave year that holds a date: it begins with the reset, or
// on 1 January.
func (p Policy) YearOf(d when.Date) when.Date {
	y := d.Year()
	if first := p.yearIn(y); first <= d {
		return first
	}
	return p.yearIn(y - 1)
}

// nextYear gives the first day of the leave year after one.
func (p Policy) nextYear(first when.Date) when.Date { return p.yearIn(first.Year() + 1) }

// yearIn gives the first day of the leave year that begins in a calendar year.
func (p Policy) yearIn(year int) when.Date {
	if p.Reset == nil {
		return when.NewDate(year, time.January, 1)
	}
	return dayOf(year, p.Reset.Month, p.Reset.Day)
}

// dayOf is a day of a month, or its last where it has no such day.
func dayOf(year int, month time.Month, day int) when.Date {
	return min(when.NewDate(year, month, day), when.NewDate(year, month+1, 1)-1)
}

// AddMonths gives the same day of the month so many months later, or the last of that month
// where it has no such day.
func AddMonths(d when.Date, months int) when.Date {
	t := time.Unix(int64(d)*86400, 0).UTC()
	first := time.Date(t.Year(), t.Month()+time.Month(months), 1, 0, 0, 0, 0, time.UTC)
	return dayOf(first.Year(), first.Month(), t.Day())
}

// lastDay is the last on which what is earned on a date can be taken, 0 for ever.
func (p Policy) lastDay(earned when.Date) when.Date {
	if p.ExpiresAfter == 0 {
		return 0
	}
	return AddMonths(earned, p.ExpiresAfter)
}

// amountAt gives what a period that began on a date earns, by length of service.
func (p Policy) amountAt(hired, began when.Date) Amount {
	amount := p.Earn.Amount
	if hired == 0 {
		return amount
	}
	for _, s := range p.Steps {
		if AddMonths(hired, s.AfterMonths) <= began {
			amount = s.Amount
		}
	}
	return amount
}

// dates are those of a span on which a period of the calendar is up and earns.
func (e Earn) dates(span when.Period, p Policy) (dates []when.Date) {
	if span.To < span.From || !e.calendar() {
		return nil
	}
	for d := e.onOrAfter(span.From, p); d <= span.To; d = e.after(d, p) {
		dates = append(dates, d)
	}
	return dates
}

// calendar says whether it is earned by the calendar.
func (e Earn) calendar() bool {
	for _, p := range Periods {
		if e.Every == p {
			return true
		}
	}
	return false
}

// weekDays is how many days a period of whole weeks has, 0 for one of months.
func (e Earn) weekDays() when.Date {
	switch e.Every {
	case Week:
		return 7
	case TwoWeeks:
		return 14
	}
	return 0
}

// onOrAfter is the first date from one on that earns.
func (e Earn) onOrAfter(d when.Date, p Policy) when.Date {
	if n := e.weekDays(); n > 0 {
		return d + ((e.Start-d)%n+n)%n
	}
	for c := d; ; c++ {
		if e.earnsOn(c, p) {
			return c
		}
	}
}

// after is the next date that earns.
func (e Earn) after(d when.Date, p Policy) when.Date {
	if n := e.weekDays(); n > 0 {
		return d + n
	}
	return e.onOrAfter(d+1, p)
}

// earnsOn says whether a period of months is up on a date.
func (e Earn) earnsOn(d when.Date, p Policy) bool {
	t := time.Unix(int64(d)*86400, 0).UTC()
	year, month := t.Year(), t.Month()
	day := e.Day
	if day == 0 {
		day = 31
	}
	switch e.Every {
	case StartOfMonth:
		return t.Day() == 1
	case Month:
		return d == dayOf(year, month, day)
	case HalfMonth: // a month's half is its 15th day, or so many days before the other
		return d == dayOf(year, month, day) || d == dayOf(year, month, halfOf(day))
	case Year:
		if e.Start != 0 {
			s := time.Unix(int64(e.Start)*86400, 0).UTC()
			return d == dayOf(year, s.Month(), s.Day())
		}
		return d == p.YearOf(d)
	}
	return false
}

// halfOf is the other day of a month on which half a month is up.
func halfOf(day int) int {
	if day >= 30 {
		return 15
	}
	if day > 15 {
		return day - 15
	}
	return day + 15
}

// began is the first day of the period that is up on a date: of what is earned at a period's
// begin that date itself.
func (e Earn) began(d when.Date, p Policy) when.Date {
	switch {
	case e.weekDays() > 0:
		return d - e.weekDays() + 1
	case e.Every == StartOfMonth, e.Every == Year:
		return d
	}
	for c := d - 1; ; c-- {
		if e.earnsOn(c, p) {
			return c + 1
		}
	}
}
