package payroll

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// told is what somebody was told of their plan, of the weeks of a run, a list for each shift.
type told struct {
	changes []store.ToldChange // in order of time; none where nobody told them
	shift   roster.Shift       // then it is this one
}

// at is the shift as it was known at an instant, nil where it wasn't.
func (w told) at(t time.Time) *roster.Shift {
	if len(w.changes) == 0 {
		return &w.shift
	}
	known := w.changes[0].Was
	for _, c := range w.changes {
		if c.Told.After(t) {
			break
		}
		known = c.Is
	}
	return known
}

// sick says whether they said that they were.
func (w told) sick() bool {
	return slices.ContainsFunc(w.changes, func(c store.ToldChange) bool { return c.Sick })
}

// paysPlans says whether a rule set pays by what was planned.
func paysPlans(sets []store.RuleSet) bool {
	return slices.ContainsFunc(sets, func(s store.RuleSet) bool { return s.Rules.ShowUp.Part > 0 || s.Rules.ShortNotice.Days > 0 })
}

// readTold reads what people were told of their plan, where it is paid.
func (p *Payroll) readTold(ctx context.Context, q store.Q, scope store.PayScope) error {
	if !paysPlans(p.Rules) {
		return nil
	}
	changes, err := store.ToldChanges(ctx, q, scope)
	if err != nil {
		return err
	}
	without, err := store.ToldWithout(ctx, q, scope)
	if err != nil {
		return err
	}
	p.told = map[uuid.UUID][]told{}
	for from := 0; from < len(changes); {
		to := from
		for to < len(changes) && changes[to].Shift == changes[from].Shift && changes[to].Employment == changes[from].Employment {
			to++
		}
		of := changes[from].Employment
		p.told[of] = append(p.told[of], told{changes: changes[from:to]})
		from = to
	}
	for _, s := range without {
		p.told[s.Employment] = append(p.told[s.Employment], told{shift: s.Rule()})
	}
	return nil
}

// planned puts onto the first stint of each attendance what was planned of it: of the shifts
// of its day, as they were known when it began, those that it is nearest to. Who left because
// they wanted to, or said that they were sick, wasn't let go.
func (p *Payroll) planned(share payShare, stints []pay.Stint) {
	shifts := p.told[share.id]
	if len(shifts) == 0 {
		return
	}
	attendances := p.attendances(share)
	for _, w := range shifts {
		if w.sick() {
			continue
		}
		best, of, by := -1, (*roster.Shift)(nil), time.Duration(0)
		for i, a := range attendances {
			s := w.at(a.from)
			if s == nil || s.Date != a.date {
				continue
			}
			if apart := a.from.Sub(s.Start).Abs() - a.overlap(s); best < 0 || apart < by {
				best, of, by = i, s, apart
			}
		}
		if best >= 0 && !attendances[best].left {
			stints[attendances[best].first].Planned += of.Seconds()
		}
	}
}

// attended is an attendance as it is found in the stints of a run.
type attended struct {
	first    int // its first stint
	date     when.Date
	from, to time.Time
	left     bool // they left because they wanted to
}

// overlap is how much of a shift lies in it.
func (a attended) overlap(s *roster.Shift) time.Duration {
	from, to := a.from, a.to
	if s.Start.After(from) {
		from = s.Start
	}
	if s.End.Before(to) {
		to = s.End
	}
	return max(0, to.Sub(from))
}

// attendances gathers the stints of a share, as its rules do.
func (p *Payroll) attendances(share payShare) (found []attended) {
	for i, s := range share.stints {
		gap := time.Duration(p.rulesOn(s.Date).NewAttendanceAfter) * time.Second
		if n := len(found); n == 0 || s.Start.Sub(found[n-1].to) >= gap || s.Marks.Has(clock.CalledIn) && s.Start.After(found[n-1].to) {
			found = append(found, attended{first: i, date: s.Date, from: s.Start})
		}
		a := &found[len(found)-1]
		a.to, a.left = s.End, a.left || s.Marks.Has(clock.LeftByChoice)
	}
	return found
}

// changes are what a share's plan was changed by.
func (p *Payroll) changes(share payShare) (changes []pay.Change) {
	for _, w := range p.told[share.id] {
		for _, c := range w.changes {
			changes = append(changes, pay.Change{Date: c.Date, Told: c.Told, Was: plannedOf(c.Was), Is: plannedOf(c.Is), Asked: c.Asked,
				Rate: p.Rates.Of(share.id, c.Date, "", "")})
		}
	}
	return changes
}

func plannedOf(s *roster.Shift) pay.Planned {
	if s == nil {
		return pay.Planned{}
	}
	return pay.Planned{Start: s.Start, End: s.End, Seconds: s.Seconds()}
}
