package pay

import "manudex/core/when"

// Reason says which rule gave an hour its class.
type Reason uint8

// The reasons. An hour without one is regular.
const (
	NoReason Reason = iota
	ByDay
	ByDayDouble
	BySeventhDay
	BySeventhDayDouble
	ByConsecutive
	ByWeek // or by the overtime period
	ByWeekDouble
)

// threshold makes hours overtime or double beyond a limit.
type threshold struct {
	after   int64 // seconds
	class   Class
	because Reason
	run     func(*piece) int32 // counting begins anew when this changes
	counts  func(*piece) bool
}

func byDay(p *piece) int32  { return int32(p.day) }
func byWeek(p *piece) int32 { return int32(p.week) }
func byRun(p *piece) int32  { return p.run }

func everyHour(*piece) bool      { return true }
func stillRegular(p *piece) bool { return p.class == Regular && !p.settled }
func onSeventhDay(p *piece) bool { return p.seventh }

// classify gives every hour worked one class. Earliest hours are regular; a
// piece that crosses a threshold is cut there. Daily classes come first, then
// weekly overtime on the hours still regular: the latest of the week (29 CFR
// 778.101). Weekly double time counts all hours worked. It returns the pieces
// and the slice that is free now.
func classify(pieces, spare []piece, rules *Rules) (classified, free []piece) {
	apply := func(after int64, class Class, because Reason, run func(*piece) int32, counts func(*piece) bool) {
		if after != NotInForce {
			t := threshold{after, class, because, run, counts}
			pieces, spare = t.apply(spare[:0], pieces), pieces
		}
	}
	apply(rules.DailyOvertime, Overtime, ByDay, byDay, everyHour)
	apply(rules.DailyDouble, Double, ByDayDouble, byDay, everyHour)
	if rules.SeventhDay != NotInForce {
		markSeventhDays(pieces)
		apply(0, Overtime, BySeventhDay, byDay, onSeventhDay)
		apply(rules.SeventhDay, Double, BySeventhDayDouble, byDay, onSeventhDay)
	}
	apply(rules.ConsecutiveOvertime, Overtime, ByConsecutive, byRun, everyHour)
	if rules.GreaterOf {
		takeTheGreater(pieces, rules.overtimeAfter(), rules.WeeklyDouble)
	}
	apply(rules.overtimeAfter(), Overtime, ByWeek, byWeek, stillRegular)
	apply(rules.WeeklyDouble, Double, ByWeekDouble, byWeek, everyHour)
	return pieces, spare
}

// apply raises the hours beyond the threshold to its class. An hour that has
// a higher one already keeps it.
func (t threshold) apply(out, pieces []piece) []piece {
	var run int32
	var sum int64
	begun := false
	for i := range pieces {
		p := &pieces[i]
		if p.paidOnly || !t.counts(p) {
			out = append(out, *p)
			continue
		}
		if r := t.run(p); !begun || r != run {
			run, sum, begun = r, 0, true
		}
		left := max(0, t.after-sum)
		sum += p.seconds
		if p.class >= t.class || left >= p.seconds {
			out = append(out, *p)
			continue
		}
		if left > 0 {
			head := *p
			head.seconds = left
			out = append(out, head)
		}
		tail := *p
		tail.from, tail.seconds = p.from+left, p.seconds-left
		tail.class, tail.because = t.class, t.because
		out = append(out, tail)
	}
	return out
}

// weeksOf calls f with the pieces of each week in turn.
func weeksOf(pieces []piece, f func(week []piece)) {
	for i := 0; i < len(pieces); {
		j := i + 1
		for j < len(pieces) && pieces[j].week == pieces[i].week {
			j++
		}
		f(pieces[i:j])
		i = j
	}
}

// markSeventhDays marks the hours of a workweek's last workday where work was
// done on all seven (California Labor Code 510).
func markSeventhDays(pieces []piece) {
	weeksOf(pieces, func(week []piece) {
		days := 0
		last := when.Date(-1 << 31)
		for _, p := range week {
			if !p.paidOnly && p.day != last {
				days, last = days+1, p.day
			}
		}
		if days < 7 {
			return
		}
		for i := range week {
			week[i].seventh = week[i].day == week[i].week+6
		}
	})
}

// takeTheGreater compares each week's overtime counted by the day with its
// excess over the weekly threshold. Where the week's is larger, the daily
// classes go, so that only its latest hours are overtime; otherwise, a tie
// included, the daily ones stand and the week adds none. Weekly double time
// counts on the side of the days too, as it is due either way.
func takeTheGreater(pieces []piece, after, double int64) {
	if after == NotInForce {
		return
	}
	weeksOf(pieces, func(week []piece) {
		var worked, byDays int64
		for _, p := range week {
			if p.paidOnly {
				continue
			}
			before := worked
			worked += p.seconds
			switch {
			case p.class != Regular:
				byDays += p.seconds
			case double != NotInForce:
				byDays += max(0, worked-max(double, before))
			}
		}
		weekly := worked-after > byDays
		for i := range week {
			if weekly {
				week[i].class, week[i].because = Regular, NoReason
			} else {
				week[i].settled = true
			}
		}
	})
}
