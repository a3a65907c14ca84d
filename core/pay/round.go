package pay

import "time"

// round rounds edges, or whole days, to the nearest minutes of the local
// clock, a tie going later (29 CFR 785.48). An attendance moves with its
// spans.
func round(spans []span, attendances []attendance, c *civil) {
	switch every := c.rules.Rounding.Every; {
	case every == 0 || len(spans) == 0:
	case c.rules.Rounding.WholeDay:
		roundDays(spans, attendances, every, c)
		follow(attendances, spans)
	default:
		roundEdges(spans, every, c.rules.Week.Loc)
		follow(attendances, spans)
	}
}

func follow(attendances []attendance, spans []span) {
	for i := range attendances {
		a := &attendances[i]
		a.begin, a.end = spans[a.first].from, spans[a.last-1].to
	}
}

// roundEdges moves every edge. Where rounding closes a gap, the hours worked
// go on without one.
func roundEdges(spans []span, every int64, loc *time.Location) {
	var merged int32 // runs that rounding made one with the run before
	given := spans[0].run
	for i := range spans {
		s := &spans[i]
		length := s.length()
		if !s.whole {
			s.from, s.to = nearest(s.from, every, loc), nearest(s.to, every, loc)
		}
		if s.counted {
			s.to = s.from + length
		}
		if i == 0 {
			continue
		}
		last := &spans[i-1]
		if last.counted {
			s.from = last.to
		}
		s.from = max(s.from, last.to) // a zone whose offset changes by odd minutes
		s.to = max(s.to, s.from)
		if s.run != given {
			given = s.run
			if s.from == last.to && (last.how == workTime || last.meal) {
				merged++
			}
		}
		s.run -= merged
	}
}

// nearest gives the nearest instant at which the local clock shows a multiple
// of every seconds since midnight.
func nearest(t, every int64, loc *time.Location) int64 {
	_, offset := time.Unix(t, 0).In(loc).Zone()
	return roundTo(t+int64(offset), every) - int64(offset)
}

// roundTo gives the nearest multiple, a tie going up.
func roundTo(n, every int64) int64 {
	n += every / 2
	return n - ((n%every)+every)%every
}

// roundDays rounds the hours worked of each workday, those of the attendances
// that began on it; the difference sits on the last work of the day.
func roundDays(spans []span, attendances []attendance, every int64, c *civil) {
	for i := 0; i < len(attendances); {
		day := c.workdays.Day(attendances[i].begin)
		j := i + 1
		for j < len(attendances) && c.workdays.Day(attendances[j].begin) == day {
			j++
		}
		roundDay(spans[attendances[i].first:attendances[j-1].last], every)
		i = j
	}
}

func roundDay(day []span, every int64) {
	var total int64
	for _, s := range day {
		if s.whole {
			return
		}
		if s.how == workTime {
			total += s.length()
		}
	}
	difference := roundTo(total, every) - total
	for i := len(day) - 1; i >= 0 && difference != 0; i-- {
		if s := &day[i]; s.how == workTime {
			change := max(difference, -s.length())
			s.to += change
			difference -= change
		}
	}
}
