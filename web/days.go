package web

import (
	"fmt"
	"html/template"
	"strings"
	"time"

	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
)

// axisOf is the axis that all ribbons of a day share.
func axisOf(d when.Date, loc *time.Location) draw.Axis {
	return draw.DayAxis(d.At(4*time.Hour, loc))
}

// ribbon draws the day of a row on an axis.
func ribbon(a draw.Axis, r hours.DayRow, now time.Time) template.HTML {
	d := draw.Day{Words: dayWords(r, now)}
	if now.Before(a.From.Add(time.Duration(a.Hours * float64(time.Hour)))) {
		d.Now = now
	}
	for _, s := range r.Shifts {
		d.Plans = append(d.Plans, [2]time.Time{s.Start, s.End})
	}
	d.Blocks = blocks(r, now)
	if r.Leave > 0 {
		from := r.Date.At(6*time.Hour, r.Loc)
		d.Leave = r.LeaveName + " · " + card.HoursMinutes(r.Leave)
		d.Band = [2]time.Time{from, from.Add(time.Duration(r.Leave)*time.Second + 30*time.Minute)}
	}
	return template.HTML(draw.Ribbon(nil, a, d))
}

func blocks(r hours.DayRow, now time.Time) []draw.Block {
	list := make([]draw.Block, len(r.Stints))
	for i, s := range r.Stints {
		end := s.End
		if s.Open() {
			end = now
		}
		list[i] = draw.Block{From: s.Start, To: end, Kind: s.Kind, Running: s.Open(),
			Hand: s.StartBy == clock.ByHand || s.EndBy == clock.ByHand, Title: stintWords(s, r.Loc, now)}
		if s.Kind == clock.Work && s.JobNumber != "" {
			list[i].Labels = labels(s)
		}
	}
	return list
}

// labels are what may stand in a stint's block, the longest first.
func labels(s store.Stint) []string {
	l := []string{s.JobNumber + " " + s.JobName}
	if s.TaskName != "" {
		l = append([]string{l[0] + " · " + s.TaskName}, l[0], s.JobNumber+" "+s.TaskName)
	}
	return append(l, s.JobNumber)
}

func stintWords(s store.Stint, loc *time.Location, now time.Time) string {
	to := "now"
	if !s.Open() {
		to = s.End.In(loc).Format("15:04")
	}
	return fmt.Sprintf("%s–%s %s, %s", s.Start.In(loc).Format("15:04"), to, whatOf(s), card.HoursMinutes(s.Length(now)))
}

// whatOf says what a stint was spent on.
func whatOf(s store.Stint) string {
	switch s.Kind {
	case clock.Meal:
		return "Meal"
	case clock.Rest:
		return "Rest"
	}
	what := strings.TrimSpace(s.JobNumber + " " + s.JobName)
	for _, more := range []string{s.TaskName, s.ClassName} {
		if more != "" {
			what += " · " + more
		}
	}
	return what
}

// dayWords says a whole ribbon in words.
func dayWords(r hours.DayRow, now time.Time) string {
	var parts []string
	for _, s := range r.Shifts {
		parts = append(parts, "planned "+s.Start.In(r.Loc).Format("15:04")+" to "+s.End.In(r.Loc).Format("15:04"))
	}
	if r.Leave > 0 {
		parts = append(parts, r.LeaveName+" "+card.HoursMinutes(r.Leave))
	}
	for _, s := range r.Stints {
		parts = append(parts, stintWords(s, r.Loc, now))
	}
	if len(parts) == 0 {
		return "nothing planned, nothing clocked"
	}
	return strings.Join(parts, "; ")
}

// provenanceWords say what the edges of a stint rest on.
func provenanceWords(s store.Stint) string {
	words := map[clock.Provenance]string{clock.Clocked: "clocked", clock.Delayed: "sent later", clock.ByHand: "by hand"}
	switch {
	case s.Open():
		return "running, " + words[s.StartBy]
	case s.StartBy == s.EndBy:
		return words[s.StartBy]
	}
	return "start " + words[s.StartBy] + ", end " + words[s.EndBy]
}

func flagWords(flags []card.Flag, loc *time.Location) []string {
	words := make([]string, len(flags))
	for i, f := range flags {
		words[i] = f.Words(loc)
	}
	return words
}

// stateWords says how far a card is.
func stateWords(r hours.DayRow, signRequired bool) string {
	switch {
	case r.State == card.Approved:
		return "approved"
	case r.Pending():
		return "paid, a change waits"
	case r.State == card.Paid:
		return "paid"
	case r.Class == card.ToCome:
		return "to come"
	case r.Running():
		return "running"
	case r.State == card.Signed && r.Class == card.Clear:
		return "signed, clear"
	case r.State == card.Signed:
		return "signed"
	case signRequired:
		return "not signed"
	case r.Class == card.Clear:
		return "clear"
	}
	return "open"
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
		rows[i] = stintRow{From: s.Start.In(r.Loc).Format("15:04:05"), To: "running", What: whatOf(s),
			Length: card.HoursMinutes(s.Length(now)), By: provenanceWords(s)}
		if !s.Open() {
			rows[i].To = s.End.In(r.Loc).Format("15:04:05")
		}
	}
	return rows
}
