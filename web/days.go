package web

import (
	"html/template"
	"slices"
	"time"

	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/web/draw"
	"manudex/web/words"
)

// axisOf is the axis that all ribbons of a day share.
func axisOf(d when.Date, loc *time.Location) draw.Axis {
	return draw.DayAxis(d.At(4*time.Hour, loc))
}

// ribbon draws the day of a row on an axis.
func ribbon(a draw.Axis, r hours.DayRow, now time.Time) template.HTML {
	d := draw.Day{Words: words.Day(r, now)}
	if now.Before(a.From.Add(time.Duration(a.Hours * float64(time.Hour)))) {
		d.Now = now
	}
	for _, s := range r.Shifts {
		d.Plans = append(d.Plans, [2]time.Time{s.Start, s.End})
	}
	d.Blocks = blocks(r, now)
	if r.Leave > 0 {
		d.Leave, d.Band = leaveBand(r)
	}
	return template.HTML(draw.Ribbon(nil, a, d))
}

// leaveBand is where leave stands on a ribbon, and its words.
func leaveBand(r hours.DayRow) (words string, band [2]time.Time) {
	from := r.Date.At(6*time.Hour, r.Loc)
	return r.LeaveName + " · " + card.HoursMinutes(r.Leave),
		[2]time.Time{from, from.Add(time.Duration(r.Leave)*time.Second + 30*time.Minute)}
}

func blocks(r hours.DayRow, now time.Time) []draw.Block {
	list := make([]draw.Block, len(r.Stints))
	for i, s := range r.Stints {
		end := s.End
		if s.Open() {
			end = now
		}
		list[i] = draw.Block{From: s.Start, To: end, Kind: s.Kind, Running: s.Open(), Title: words.Stint(s, r.Loc, now)}
		list[i].Soft, list[i].Ticks = restsOnWord(s.Stint, end)
		list[i].Lost = !s.Counted || s.Open() && slices.ContainsFunc(r.Flags, func(f card.Flag) bool { return f.Code == card.LongOpen })
		if s.Kind == clock.Work && s.JobNumber != "" {
			list[i].Labels = words.Labels(s)
		}
	}
	return list
}

// restsOnWord gives the parts of a stint up to an instant that rest on what somebody
// said, from the last clocked moment on, and where the clock had its edges.
func restsOnWord(s clock.Stint, end time.Time) (soft [][2]time.Time, ticks []time.Time) {
	from, to := s.Start, end // what is sure lies between
	word := func(by clock.Provenance) bool { return by != clock.Clocked && by != clock.Delayed && by != "" }
	if word(s.StartBy) {
		if from = s.ClockedStart; from.IsZero() {
			from = end
		}
	}
	if word(s.EndBy) {
		if to = s.ClockedEnd; to.IsZero() {
			to = s.Start
		}
	}
	for _, at := range []time.Time{s.ClockedStart, s.ClockedEnd} {
		if !at.IsZero() {
			ticks = append(ticks, at)
		}
	}
	if !from.Before(to) {
		return [][2]time.Time{{s.Start, end}}, ticks
	}
	if from.After(s.Start) {
		soft = append(soft, [2]time.Time{s.Start, from})
	}
	if to.Before(end) {
		soft = append(soft, [2]time.Time{to, end})
	}
	return soft, ticks
}

// dayOver says whether a day's hours are all there, so that their difference
// from what was expected means something: it was clocked out, or its shift has
// ended.
func dayOver(r hours.DayRow, now time.Time) bool {
	return r.Class != card.ToCome && !r.Running() && (r.Worked > 0 || r.ShiftTo.Before(now))
}

func cardHref(r hours.DayRow) string {
	return "/cards/" + r.Employment.String() + "/" + r.Date.String()
}

// stintRow is a stint in a table.
type stintRow struct{ From, To, What, Length, By string }

func stintRows(r hours.DayRow, now time.Time) []stintRow {
	rows := make([]stintRow, len(r.Stints))
	for i, s := range r.Stints {
		rows[i] = stintRow{From: s.Start.In(r.Loc).Format("15:04:05"), To: "running", What: words.What(s),
			Length: card.HoursMinutes(s.Length(now)), By: words.RestsOn(s)}
		if !s.Open() {
			rows[i].To = s.End.In(r.Loc).Format("15:04:05")
		}
	}
	return rows
}
