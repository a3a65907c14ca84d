package pay

import (
	"time"

	"manudex/core/when"
)

// civil places instants on the workdays and workweeks of a rule set.
type civil struct {
	rules    *Rules
	workdays *when.Calendar
	weeks    *when.Calendar // days as workweeks see them: from the time of day at which a week begins
	windows  []window
}

// window is a differential's stretch of local time on each civil date.
type window struct{ from, to *when.Calendar }

// calendars keeps calendars for the next person of the same place.
type calendars struct {
	loc  *time.Location
	days map[time.Duration]*when.Calendar
}

func (c *calendars) of(rules *Rules) *civil {
	if c.loc != rules.Week.Loc {
		c.loc, c.days = rules.Week.Loc, map[time.Duration]*when.Calendar{}
	}
	place := &civil{rules: rules, workdays: c.from(rules.Week.WorkdayStart), weeks: c.from(rules.Week.Start)}
	for _, d := range rules.Differentials {
		place.windows = append(place.windows, window{c.from(d.From), c.from(d.To)})
	}
	return place
}

func (c *calendars) from(start time.Duration) *when.Calendar {
	days := c.days[start]
	if days == nil {
		days = when.NewCalendar(c.loc, start)
		c.days[start] = days
	}
	return days
}

// week gives the workweek, or overtime period, that holds an instant: its
// first date, and its edges.
func (c *civil) week(t int64) (first when.Date, from, to int64) {
	first = c.rules.FirstDay(c.weeks.Day(t))
	return first, c.weeks.Begin(first), c.weeks.Begin(first + c.rules.WeekDays())
}

// inWindow gives the seconds of [from, to) inside a differential's window.
func (c *civil) inWindow(n int, from, to int64) int64 {
	w, d := c.windows[n], &c.rules.Differentials[n]
	over := when.Date(0)
	if d.To <= d.From {
		over = 1 // over midnight
	}
	var sum int64
	for date := w.from.Day(from) - 1; ; date++ {
		begin := w.from.Begin(date)
		if begin >= to {
			return sum
		}
		if begin == w.from.Begin(date+1) || !d.on(date) {
			continue // a date the country skipped, or one it isn't paid on
		}
		sum += max(0, min(to, w.to.Begin(date+over))-max(from, begin))
	}
}

// insideWindows gives, piece by piece, the seconds inside each differential's
// window.
func insideWindows(out []int64, pieces []piece, c *civil) []int64 {
	for i := range pieces {
		for n := range c.windows {
			out = append(out, c.inWindow(n, pieces[i].from, pieces[i].to()))
		}
	}
	return out
}

// piece is a part of a stint within one workday and one workweek, and so of
// one class once [classify] is through.
type piece struct {
	from, seconds int64
	day, week     when.Date
	stint         int32
	attendance    int32
	run           int32
	class         Class
	because       Reason
	paidOnly      bool
	seventh       bool // worked on the seventh day of a week worked through
	settled       bool // daily overtime decided this week
	salaried      bool // a salary pays it
}

func (p piece) to() int64 { return p.from + p.seconds }

// place splits what is paid at the edges of workdays and workweeks. Where
// hours are kept with their attendance, only a workweek's edge splits.
func place(out []piece, spans []span, attendances []attendance, c *civil) []piece {
	var day, week when.Date
	var dayFrom, dayTo, weekFrom, weekTo int64
	for _, s := range spans {
		if s.how == unpaidTime {
			continue
		}
		for from := s.from; from < s.to; {
			if from < weekFrom || from >= weekTo {
				week, weekFrom, weekTo = c.week(from)
			}
			to := min(s.to, weekTo)
			if c.rules.KeepWithAttendance {
				day = c.workdays.Day(max(weekFrom, attendances[s.attendance].begin))
			} else {
				if from < dayFrom || from >= dayTo {
					day = c.workdays.Day(from)
					dayFrom, dayTo = c.workdays.Begin(day), c.workdays.Begin(day+1)
				}
				to = min(to, dayTo)
			}
			out = append(out,
				piece{from: from, seconds: to - from, day: day, week: week, stint: s.stint, attendance: s.attendance, run: s.run,
					paidOnly: s.how == paidTime})
			from = to
		}
	}
	return out
}

// days adds up the workdays with work.
func days(pieces []piece) []Day {
	var out []Day
	for _, p := range pieces {
		if p.paidOnly {
			continue
		}
		if len(out) == 0 || out[len(out)-1].Date != p.day {
			out = append(out, Day{Date: p.day})
		}
		d := &out[len(out)-1]
		addHours(&d.Worked, [...]*int64{&d.Regular, &d.Overtime, &d.Double}, p)
	}
	return out
}

func addHours(worked *int64, byClass [3]*int64, p piece) {
	*worked += p.seconds
	*byClass[p.class] += p.seconds
}
