package hours

import (
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/card"
	"manudex/core/clock"
	"manudex/store"
)

// Proposal is what would put a card right as far as the plan and the crew can
// tell: offered, and never made by itself.
type Proposal struct {
	For     card.Code // the flag that it answers
	At      time.Time // when what runs ended; zero for others
	Until   time.Time
	From    string // what it goes by: "crew" or "plan"
	Changes []Change
}

// propose works out what the page proposes, the likeliest first.
func (p *CardPage) propose() (found []Proposal) {
	if !p.May.Amend && !p.May.End {
		return nil
	}
	has := func(code card.Code) bool {
		return slices.ContainsFunc(p.Row.Flags, func(f card.Flag) bool { return f.Code == code })
	}
	if s := p.unended(); s != nil && (has(card.LongOpen) || has(card.PastPlan)) {
		found = ends(p.Row, s, p.Crew, p.Now)
	}
	if p.May.Amend && has(card.Missing) {
		found = append(found, p.planned()...)
	}
	if p.May.Amend && has(card.MealDue) {
		found = append(found, p.crewsMeal()...)
	}
	return found
}

// ends proposes when a stint of a row that nobody ended did: when the crew left,
// and when it was planned to.
func ends(r DayRow, s *store.Stint, crew []DayRow, now time.Time) (found []Proposal) {
	propose := func(at time.Time, from string) {
		if !at.After(s.Start) || at.After(now) || !s.Open() && at.After(s.End) || len(found) > 0 && found[0].At.Equal(at) {
			return
		}
		found = append(found, Proposal{For: card.LongOpen, At: at, From: from,
			Changes: []Change{{Employment: r.Employment, Does: clock.EndRunning, Of: s.ID, At: at}}})
	}
	propose(crewLeft(crew), "crew")
	propose(r.ShiftTo, "plan")
	return found
}

// crewLeft is when half of a crew had left, zero where nobody has.
func crewLeft(crew []DayRow) time.Time {
	var left []time.Time
	for _, r := range crew {
		if !r.Running() && !r.Last.IsZero() && !slices.ContainsFunc(r.Stints, func(s store.Stint) bool { return !s.Counted }) {
			left = append(left, r.Last)
		}
	}
	return half(left)
}

// planned proposes the shifts of a day on which nothing was clocked, those that
// are over and say on which job.
func (p *CardPage) planned() (found []Proposal) {
	for _, s := range p.Row.Shifts {
		if s.End.After(p.Now) || s.Job == nil {
			continue
		}
		found = append(found, Proposal{For: card.Missing, At: s.Start, Until: s.End, From: "plan", Changes: []Change{{
			Employment: p.Row.Employment, Does: clock.AddStint, At: s.Start, Until: s.End, Kind: clock.Work,
			On: clock.Assignment{Job: *s.Job, Task: store.IDOrNil(s.Task)}}}})
	}
	return found
}

// crewsMeal proposes the meal that most of the crew took, where the person
// worked through it.
func (p *CardPage) crewsMeal() []Proposal {
	type meal struct{ from, to time.Time }
	taken := map[meal]int{}
	var best meal
	for _, r := range p.Crew {
		for _, s := range r.Stints {
			if s.Kind != clock.Meal || s.Open() {
				continue
			}
			m := meal{s.Start.Truncate(15 * time.Minute), s.Start.Truncate(15 * time.Minute).Add(p.Limits.Breaks.UnpaidMealFrom)}
			if taken[m]++; taken[m] > taken[best] || taken[m] == taken[best] && m.from.Before(best.from) {
				best = m
			}
		}
	}
	for _, s := range p.Row.Stints {
		if best.from.IsZero() || s.Kind != clock.Work || !best.from.After(s.Start) || s.Open() || !best.to.Before(s.End) {
			continue
		}
		middle := uuid.Must(uuid.NewV7())
		return []Proposal{{For: card.MealDue, At: best.from, Until: best.to, From: "crew", Changes: []Change{
			{ID: middle, Employment: p.Row.Employment, Does: clock.Split, Of: s.ID, At: best.from, Kind: clock.Meal, On: s.On},
			{Employment: p.Row.Employment, Does: clock.Split, Of: middle, At: best.to, Kind: clock.Work, On: s.On}}}}
	}
	return nil
}
