package roster

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// around is for how many days before a span shifts count at least towards what speaks against
// one: rest and the week; days in a row take as many as their rule says.
const around = 8

// facts are what is known of some people who are planned in a span, read for all of them at
// once.
type facts struct {
	People []store.RosterPerson
	Shifts map[uuid.UUID][]store.PlannedShift // of the plan, with those around the span
	Leave  []store.LeaveOn
	days   when.Period
	place  *app.Company
	leave  map[uuid.UUID]map[when.Date]string
	asked  map[uuid.UUID]map[when.Date]string // leave that nobody has decided
	closed map[uuid.UUID]map[uuid.UUID]string
	needs  map[uuid.UUID][]string
	rules  map[uuid.UUID][]roster.Shift
	today  when.Date
	reach  when.Period                       // of the days that are read for it
	hours  map[uuid.UUID]map[when.Date]int64 // for the weekly average, where it is looked for
}

// readFacts reads them, as rules look for: seven statements, however many people there are, and
// two for the weekly average.
func readFacts(ctx context.Context, q store.Q, place *app.Company, today when.Date, rules []roster.Rule, filter store.RosterFilter) (
	*facts, error) {
	f := &facts{days: filter.Days, place: place, today: today, Shifts: map[uuid.UUID][]store.PlannedShift{},
		rules: map[uuid.UUID][]roster.Shift{},
		leave: map[uuid.UUID]map[when.Date]string{}, asked: map[uuid.UUID]map[when.Date]string{},
		closed: map[uuid.UUID]map[uuid.UUID]string{}}
	var err error
	if f.People, err = store.RosterPeople(ctx, q, filter); err != nil || len(f.People) == 0 {
		return f, err
	}
	ids := make([]uuid.UUID, len(f.People))
	for i, p := range f.People {
		ids[i] = p.Employment
	}
	wide := weeks(place, filter.Days)
	wide = when.Period{From: min(wide.From, filter.Days.From-around), To: max(wide.To, filter.Days.To+1)}
	if i := slices.IndexFunc(rules, func(r roster.Rule) bool { return r.Code == roster.InARow && r.Does != roster.Off }); i >= 0 {
		wide.From = min(wide.From, filter.Days.From-when.Date(rules[i].Figure)-1)
	}
	shifts, err := store.PlannedIn(ctx, q, store.Draft, ids, wide)
	if err != nil {
		return nil, err
	}
	for _, s := range shifts {
		f.Shifts[s.Employment] = append(f.Shifts[s.Employment], s)
		f.rules[s.Employment] = append(f.rules[s.Employment], s.Rule())
	}
	if i := slices.IndexFunc(rules, func(r roster.Rule) bool { return r.Code == roster.OnAverage && r.Does != roster.Off }); i >= 0 {
		if err := f.readHours(ctx, q, ids, wide, when.Date(rules[i].Span*7)); err != nil {
			return nil, err
		}
	}
	away := filter.Days
	if f.hours != nil {
		away = f.reach
	}
	leave, err := store.LeaveIn(ctx, q, ids, away)
	if err != nil {
		return nil, err
	}
	for _, l := range leave {
		if f.leave[l.Employment] == nil {
			f.leave[l.Employment] = map[when.Date]string{}
		}
		f.leave[l.Employment][l.Date] = l.Name
		if filter.Days.Holds(l.Date) {
			f.Leave = append(f.Leave, l)
		}
	}
	asked, err := store.LeaveAskedIn(ctx, q, ids, filter.Days)
	if err != nil {
		return nil, err
	}
	for _, l := range asked {
		if f.asked[l.Employment] == nil {
			f.asked[l.Employment] = map[when.Date]string{}
		}
		f.asked[l.Employment][l.Date] = l.Name
	}
	return f, f.readWork(ctx, q)
}

// readHours reads what the weekly average counts besides the shifts that are read: so many
// days before the span and after it.
func (f *facts) readHours(ctx context.Context, q store.Q, ids []uuid.UUID, read when.Period, days when.Date) error {
	f.hours, f.reach = map[uuid.UUID]map[when.Date]int64{}, when.Period{From: f.days.From - days, To: f.days.To + days + 7}
	worked, err := store.WorkedByDay(ctx, q, ids, when.Period{From: f.reach.From, To: min(f.today-1, f.reach.To)})
	if err != nil {
		return err
	}
	planned, err := store.PlannedByDay(ctx, q, ids, when.Period{From: max(f.today, f.reach.From), To: f.reach.To})
	if err != nil {
		return err
	}
	planned = slices.DeleteFunc(planned, func(d store.WorkedDay) bool { return read.Holds(d.Date) })
	for _, d := range append(worked, planned...) {
		if f.hours[d.Employment] == nil {
			f.hours[d.Employment] = map[when.Date]int64{}
		}
		f.hours[d.Employment][d.Date] += d.Seconds
	}
	return nil
}

// readWork reads what is to be known of the jobs that people are planned on.
func (f *facts) readWork(ctx context.Context, q store.Q) error {
	var of, jobs []uuid.UUID
	seen := map[[2]uuid.UUID]bool{}
	for employment, shifts := range f.rules {
		for _, s := range shifts {
			if pair := [2]uuid.UUID{employment, s.Job}; s.Job != uuid.Nil && !seen[pair] {
				seen[pair] = true
				of, jobs = append(of, employment), append(jobs, s.Job)
			}
		}
	}
	closed, err := store.ClosedToThem(ctx, q, of, jobs, f.days.From)
	if err != nil {
		return err
	}
	for _, c := range closed {
		if f.closed[c.Employment] == nil {
			f.closed[c.Employment] = map[uuid.UUID]string{}
		}
		f.closed[c.Employment][c.Job] = c.Number
	}
	f.needs, err = store.JobNeeds(ctx, q, jobs)
	return err
}

// change lays changes over the plan that was read.
func (f *facts) change(changes []roster.Change) {
	for _, c := range changes {
		if c.Was != nil {
			f.rules[c.Was.Employment] = slices.DeleteFunc(f.rules[c.Was.Employment], func(s roster.Shift) bool { return s.ID == c.Was.ID })
		}
		if c.Is != nil {
			f.rules[c.Is.Employment] = append(f.rules[c.Is.Employment], *c.Is)
		}
	}
}

// date is the day of a shift.
func (f *facts) date(shift uuid.UUID) when.Date {
	for _, shifts := range f.rules {
		for _, s := range shifts {
			if s.ID == shift {
				return s.Date
			}
		}
	}
	return 0
}

// against says what speaks against somebody's shifts.
func (f *facts) against(who store.RosterPerson, rules []roster.Rule) []roster.Finding {
	k := roster.Known{From: who.StartsOn, Leave: f.leave[who.Employment], Asked: f.asked[who.Employment],
		Holidays: map[when.Date]bool{}, Needs: f.needs,
		NotOpen: f.closed[who.Employment], WeekOf: f.weekOf, Today: f.today, Hours: f.hours[who.Employment]}
	if who.OptOut != nil {
		k.OptOut = *who.OptOut
	}
	if who.Young != nil {
		k.Young = *who.Young
		if loc, err := time.LoadLocation(who.Zone); err == nil {
			k.Loc = loc
		}
	}
	if who.EndsOn != nil {
		k.To = *who.EndsOn
	}
	tags, err := who.TagsOf()
	if err == nil {
		k.Tags = tags
	}
	patterns, err := who.PatternsOf()
	if err == nil && len(patterns) > 0 {
		k.Workdays = map[when.Date]bool{}
		for _, d := range f.days.Dates() {
			k.Workdays[d] = card.UsualOn(d, patterns, false, f.place.Loc).Seconds > 0
		}
	}
	for _, d := range f.days.Dates() {
		if f.place.Holiday(d) {
			k.Holidays[d] = true
		}
	}
	return roster.Against(k, f.rules[who.Employment], rules, f.days)
}

// weekOf is the first day of the workweek that holds a date.
func (f *facts) weekOf(d when.Date) when.Date {
	if set := f.place.RuleSetOn(d); set != nil {
		return set.Rules.FirstDay(d)
	}
	return d - when.Date(d.Weekday())
}

// RulesOf gives the rules of the plan as the company has them.
func RulesOf(ctx context.Context, q store.Q) ([]roster.Rule, error) {
	said, err := store.PlanRules(ctx, q)
	if err != nil {
		return nil, err
	}
	rules := slices.Clone(roster.Rules)
	for i := range rules {
		if s, is := said[rules[i].Code]; is {
			rules[i].Does, rules[i].Figure, rules[i].Span = s.Does, s.Figure, s.Span
		}
	}
	return rules, nil
}
