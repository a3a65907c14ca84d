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

// AmendAct is what an amendment did, said of whoever made it.
func AmendAct(does clock.AmendAct) string {
	return map[clock.AmendAct]string{clock.MoveStart: "moved a begin", clock.MoveEnd: "moved an end",
		clock.EndRunning: "said when they left", clock.Reassign: "put hours on something else", clock.Mark: "marked a stint",
		clock.AddStint: "added a stint", clock.Split: "split a stint", clock.Join: "joined two stints", clock.Remove: "removed a stint",
		clock.TakeBack: "took a change back", clock.Bring: "brought hours in from a file",
		clock.Report: "reported hours", clock.FillPlan: "by plan"}[does]
}

// Bare says a stint with the names of jobs and tasks: "06:54–17:45 work on 2231
// Marker posts · Weld". Seconds stand where there are some.
func Bare(s clock.Stint, names map[uuid.UUID]string, loc *time.Location) string {
	what := string(s.Kind)
	if s.Kind == clock.Work {
		var on []string
		for _, id := range []uuid.UUID{s.On.Job, s.On.Task} {
			if name := names[id]; name != "" {
				on = append(on, name)
			}
		}
		if len(on) > 0 {
			what += " on " + strings.Join(on, " · ")
		}
	}
	to := "still running"
	if !s.Open() {
		to = exact(s.End, loc)
	}
	return exact(s.Start, loc) + "–" + to + " " + what + Marks(s.Marks)
}

// exact is a time of day, with its seconds where it has some.
func exact(t time.Time, loc *time.Location) string {
	t = t.In(loc)
	if t.Second() == 0 {
		return t.Format("15:04")
	}
	return t.Format("15:04:05")
}

// Bares says several stints.
func Bares(stints []clock.Stint, names map[uuid.UUID]string, loc *time.Location) string {
	if len(stints) == 0 {
		return "nothing"
	}
	words := make([]string, len(stints))
	for i, s := range stints {
		words[i] = Bare(s, names, loc)
	}
	return strings.Join(words, "; ")
}

// Proposed says what a page proposes.
func Proposed(p hours.Proposal, loc *time.Location) string {
	switch at, until := p.At.In(loc).Format("15:04"), p.Until.In(loc).Format("15:04"); {
	case p.For == card.LongOpen && p.From == "crew":
		return "End it at " + at + ", when the crew left"
	case p.For == card.LongOpen:
		return "End it at " + at + ", as planned"
	case p.For == card.MealDue:
		return "Put the crew’s meal in, " + at + " to " + until
	default:
		return "Add what was planned, " + at + " to " + until
	}
}

// ProposedWhy is the reason that is kept with what a page proposed.
func ProposedWhy(p hours.Proposal) string {
	switch {
	case p.For == card.LongOpen && p.From == "crew":
		return "forgot to clock out; left with the crew"
	case p.For == card.LongOpen:
		return "forgot to clock out; left as planned"
	case p.For == card.MealDue:
		return "meal taken with the crew, not clocked"
	}
	return "worked as planned, not clocked"
}

// Asked says what somebody asks for.
func Asked(r store.Request, loc *time.Location) string {
	at, until := "", ""
	if r.At != nil {
		at = r.At.In(loc).Format("15:04")
	}
	if r.Until != nil {
		until = r.Until.In(loc).Format("15:04")
	}
	on := ""
	if r.JobName != "" {
		on = " on " + r.JobName
	}
	kind := "work"
	if r.Kind != nil {
		kind = string(*r.Kind)
	}
	switch r.Does {
	case clock.MoveStart:
		return "begin at " + at
	case clock.MoveEnd:
		return "end at " + at
	case clock.EndRunning:
		return "left at " + at
	case clock.Reassign:
		return kind + on
	case clock.AddStint:
		return fmt.Sprintf("%s%s from %s to %s", kind, on, at, until)
	case clock.Split:
		return fmt.Sprintf("%s%s from %s on", kind, on, at)
	case clock.Join:
		return "one stint with the next"
	}
	return "remove a stint"
}
