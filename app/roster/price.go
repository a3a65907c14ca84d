package roster

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// weeks are the workweeks, or overtime periods, that a span of days touches.
func weeks(place *app.Company, days when.Period) when.Period {
	from := place.RulesOn(days.From).FirstDay(days.From)
	rules := place.RulesOn(days.To)
	return when.Period{From: from, To: rules.FirstDay(days.To) + rules.WeekDays() - 1}
}

// weighed is what somebody's weeks come to by the rules of pay: what was worked before today,
// and what is planned from today on.
type weighed struct {
	Overtime int64                    // seconds, double time among them
	Premium  pay.Amount               // for them, on top of straight pay
	Jobs     map[uuid.UUID]pay.Amount // what the shifts of days that are shown cost, by job
}

// scales weigh people's weeks, one after another.
type scales struct {
	reckoner pay.Reckoner
	place    *app.Company
	rates    store.Rates          // none where they aren't to be seen
	paidIn   map[uuid.UUID]string // of those who are paid in another currency than the company's
	today    when.Date
	days     when.Period // that are shown
	span     when.Period // of their weeks
}

// weigh works out what the weeks of somebody come to. Time that is planned twice counts once.
func (s *scales) weigh(employment uuid.UUID, worked []store.Stint, shifts []store.PlannedShift) (weighed, error) {
	w := weighed{Jobs: map[uuid.UUID]pay.Amount{}}
	place, rates := s.place.PaidIn(s.paidIn[employment]), s.rates
	if place.Elsewhere {
		rates = rates.WithoutDeterminations()
	}
	byWeek := map[when.Date][]pay.Stint{}
	put := func(d when.Date, st pay.Stint) {
		if !s.span.Holds(d) {
			return
		}
		week := place.RulesOn(d).FirstDay(d)
		st.Rate = rates.Of(employment, d, st.Job, st.WorkClass)
		byWeek[week] = append(byWeek[week], st)
	}
	for _, st := range worked {
		if st.Date < s.today && !st.Open() && st.Counted {
			put(st.Date, pay.Stint{Start: st.Start, End: st.End, Kind: st.Kind, Callout: st.Marks.Has(clock.CalledIn),
				NoMeal: st.Marks.Has(clock.NoMeal), Job: textOf(st.On.Job), WorkClass: textOf(st.On.Class)})
		}
	}
	shown := map[string]uuid.UUID{} // the shifts that are shown, by id, and their jobs
	for _, sh := range shifts {
		if sh.Date < s.today {
			continue
		}
		if s.days.Holds(sh.Date) {
			shown[sh.ID.String()] = store.IDOrNil(sh.Job)
		}
		put(sh.Date, pay.Stint{ID: sh.ID.String(), Start: sh.Start, End: sh.End.Add(-time.Duration(sh.Less) * time.Second),
			Kind: clock.Work,
			Job:  textOf(store.IDOrNil(sh.Job))})
	}
	for week, stints := range byWeek {
		res, err := s.reckoner.Reckon(pay.Input{Rules: place.RulesOn(week), Stints: once(stints)})
		if err != nil {
			return w, fmt.Errorf("weigh the week of %s: %w", week, err)
		}
		for _, sum := range res.Weeks {
			w.Overtime += sum.Overtime + sum.Double
		}
		for _, l := range res.Lines {
			if l.Kind == pay.OvertimePremium || l.Kind == pay.DoublePremium {
				w.Premium += l.Amount
			}
			if l.Stint >= 0 {
				if job, is := shown[res.Stints[l.Stint].ID]; is {
					w.Jobs[job] += l.Amount
				}
			}
		}
	}
	return w, nil
}

// once leaves out the time that lies on a stint before.
func once(stints []pay.Stint) []pay.Stint {
	slices.SortStableFunc(stints, func(a, b pay.Stint) int { return a.Start.Compare(b.Start) })
	var kept []pay.Stint
	for _, st := range stints {
		if n := len(kept); n > 0 && st.Start.Before(kept[n-1].End) {
			st.Start = kept[n-1].End
		}
		if st.End.After(st.Start) {
			kept = append(kept, st)
		}
	}
	return kept
}

func textOf(id uuid.UUID) string {
	if id == uuid.Nil {
		return ""
	}
	return id.String()
}

// weigh works out what the weeks of those who are shown come to, and what is planned on the
// jobs that are. Money is for whoever sees everybody's rates.
func (r *Roster) weigh(ctx context.Context, q store.Q, place *app.Company, actor app.Actor, f *facts, stints []store.Stint) error {
	s := &scales{place: place, today: r.Today, days: r.Days, span: weeks(place, r.Days)}
	r.Costs = actor.Scope("rates.see") == app.All
	if r.Costs {
		if err := s.readRates(ctx, q, employmentsOf(r.People)); err != nil {
			return err
		}
	}
	worked := map[uuid.UUID][]store.Stint{}
	for _, st := range stints {
		worked[st.Employment] = append(worked[st.Employment], st)
	}
	for i := range r.People {
		row := &r.People[i]
		w, err := s.weigh(row.Employment, worked[row.Employment], f.Shifts[row.Employment])
		if err != nil {
			return err
		}
		row.Overtime = w.Overtime
		if r.Costs && w.Premium != 0 {
			paid := place.PaidIn(s.paidIn[row.Employment])
			if row.Premium = w.Premium.Decimal(paid.CurrencyDecimals); paid.Elsewhere {
				row.PremiumIn = paid.Currency
			}
		}
	}
	if !r.Costs || len(r.Jobs) == 0 {
		return nil
	}
	return r.priceJobs(ctx, q, s)
}

// readRates reads what some people are paid.
func (s *scales) readRates(ctx context.Context, q store.Q, of []uuid.UUID) (err error) {
	if s.rates, err = store.RatesOf(ctx, q, of); err != nil {
		return err
	}
	s.paidIn, err = store.CurrenciesOf(ctx, q, of)
	return err
}

func employmentsOf(rows []Row) []uuid.UUID {
	ids := make([]uuid.UUID, len(rows))
	for i, r := range rows {
		ids[i] = r.Employment
	}
	return ids
}

// priceJobs works out what is planned from today on on the jobs that are shown, by whoever it
// is.
func (r *Roster) priceJobs(ctx context.Context, q store.Q, s *scales) error {
	jobs := make([]uuid.UUID, len(r.Jobs))
	for i, j := range r.Jobs {
		jobs[i] = j.ID
	}
	of, err := store.PlannedOnJobs(ctx, q, jobs, r.Days)
	if err != nil {
		return err
	}
	shifts, err := store.PlannedIn(ctx, q, store.Draft, of, s.span)
	if err != nil {
		return err
	}
	stints, err := store.StintsBetween(ctx, q, of, s.span)
	if err != nil {
		return err
	}
	if err := s.readRates(ctx, q, of); err != nil {
		return err
	}
	planned, worked := map[uuid.UUID][]store.PlannedShift{}, map[uuid.UUID][]store.Stint{}
	for _, sh := range shifts {
		planned[sh.Employment] = append(planned[sh.Employment], sh)
	}
	for _, st := range stints {
		worked[st.Employment] = append(worked[st.Employment], st)
	}
	type inCurrency struct {
		job      uuid.UUID
		currency string
	}
	cost := map[inCurrency]pay.Amount{}
	for _, id := range of {
		w, err := s.weigh(id, worked[id], planned[id])
		if err != nil {
			return err
		}
		for job, amount := range w.Jobs {
			cost[inCurrency{job, s.paidIn[id]}] += amount
		}
	}
	others := slices.Compact(slices.Sorted(maps.Values(s.paidIn)))
	for i := range r.Jobs {
		j := &r.Jobs[i]
		j.Cost = cost[inCurrency{j.ID, ""}].Decimal(s.place.CurrencyDecimals)
		for _, other := range others {
			if sum := cost[inCurrency{j.ID, other}]; sum != 0 {
				j.Others = append(j.Others, Sum{sum.Decimal(pay.CurrencyDecimals(other)), other})
			}
		}
	}
	return nil
}
