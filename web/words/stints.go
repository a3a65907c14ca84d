package words

import (
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/store"
)

// Labels are what may stand in a stint's block, the longest first.
func Labels(s store.Stint) []string {
	l := []string{s.JobNumber + " " + s.JobName}
	if s.TaskName != "" {
		l = append([]string{l[0] + " · " + s.TaskName}, l[0], s.JobNumber+" "+s.TaskName)
	}
	return append(l, s.JobNumber)
}

func Stint(s store.Stint, loc *time.Location, now time.Time) string {
	to := "now"
	if !s.Open() {
		to = s.End.In(loc).Format("15:04")
	}
	return fmt.Sprintf("%s–%s %s, %s", s.Start.In(loc).Format("15:04"), to, What(s), card.HoursMinutes(s.Length(now)))
}

// What says what a stint was spent on.
func What(s store.Stint) string {
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
	return what + Marks(s.Marks)
}

// Marks says what somebody said of a stint, each after a comma, "" for nothing.
func Marks(m clock.Marks) (text string) {
	for _, w := range []struct {
		mark  clock.Marks
		words string
	}{{clock.CalledIn, "called in"}, {clock.NoMeal, "had no meal"}, {clock.HadMeal, "had their meal"}, {clock.Billed, "billed"},
		{clock.NotBilled, "not billed"}, {clock.LeftByChoice, "left by choice"}} {
		if m.Has(w.mark) {
			text += ", " + w.words
		}
	}
	return text
}

// Day says a whole ribbon in words.
func Day(r hours.DayRow, now time.Time) string {
	var parts []string
	for _, s := range r.Shifts {
		parts = append(parts, "planned "+s.Start.In(r.Loc).Format("15:04")+" to "+s.End.In(r.Loc).Format("15:04"))
	}
	if r.Leave > 0 {
		parts = append(parts, r.LeaveName+" "+card.HoursMinutes(r.Leave))
	}
	for _, s := range r.Stints {
		parts = append(parts, Stint(s, r.Loc, now))
	}
	if len(parts) == 0 {
		return "nothing planned, nothing clocked"
	}
	return strings.Join(parts, "; ")
}

// RestsOn say what the edges of a stint rest on.
func RestsOn(s store.Stint) string {
	words := map[clock.Provenance]string{clock.Clocked: "clocked", clock.Delayed: "sent later", clock.ByHand: "by hand",
		clock.BroughtIn: "brought in", clock.Reported: "reported, without times", clock.ByPlan: "by plan"}
	switch {
	case s.Open():
		return "running, " + words[s.StartBy]
	case s.StartBy == s.EndBy:
		return words[s.StartBy]
	}
	return "start " + words[s.StartBy] + ", end " + words[s.EndBy]
}

func Punch(p store.Punch, names map[uuid.UUID]string) string {
	switch p.Act {
	case clock.In:
		return "in, " + names[p.On.Job]
	case clock.Switch:
		return "switch to " + names[p.On.Job]
	case clock.BreakStart:
		return string(p.Break) + " started"
	case clock.BreakEnd:
		return "back from break"
	}
	return "out"
}

func Point(p store.Punch) string {
	words := map[clock.Point]string{clock.OwnPhone: "own phone", clock.Browser: "browser", clock.HandEntry: "hand entry",
		clock.DelayQueue: "phone, sent later",
		clock.AtPoint:    "device at the site", clock.PointQueue: "device at the site, sent later",
		clock.AtTerminal: "shared terminal", clock.TerminalQueue: "shared terminal, sent later",
		clock.AtLine: "phone line", clock.OnSheet: "crew sheet", clock.SheetQueue: "crew sheet, sent later"}[p.Point]
	switch {
	case p.OffSite >= 1000:
		words += fmt.Sprintf(", %.1f km off site", p.OffSite/1000)
	case p.OffSite > 0:
		words += fmt.Sprintf(", %.0f m off site", p.OffSite)
	}
	if p.Ahead {
		words += ", its clock was ahead"
	}
	return words
}
