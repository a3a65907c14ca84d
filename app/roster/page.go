package roster

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// Query is what a roster is asked for.
type Query struct {
	Days when.Period // zero: the workweek of today
	Unit uuid.UUID
	Site uuid.UUID
	Find string
	Skip int       // how many people are left out: those of the pages before
	Pick uuid.UUID // the open place that is picked
	By   By        // what rows stand under
	Want uuid.UUID // the job of which it is asked how many people it wants
}

// By is what the rows of a roster stand under.
type By string

// What they can stand under.
const (
	ByCrew By = ""
	ByJob  By = "job"
	BySite By = "site"
)

// shown is how many people one page has.
const shown = 150

// mostDays is how many days one roster shows.
const mostDays = 31

// Roster is the plan of some people in a span, beside what they were told and what they
// worked.
type Roster struct {
	Around  *app.Frame
	Now     time.Time
	Today   when.Date
	Days    when.Period
	Loc     *time.Location
	CutOver time.Duration
	People  []Row
	Units   []store.Named // that the reader plans or sees
	Sites   []store.Named
	Usual   []store.UsualWeek
	Changes []roster.Change // that nobody was told of, from today on
	Names   map[uuid.UUID]store.PlannedShift
	MayPlan bool
	Shifts  int
	Against int   // shifts that something speaks against
	Seconds int64 // planned
	Rules   []roster.Rule
	Skip    int // how many people stand on the pages before
	More    bool
	Open    []Place
	By      By
	Jobs    []JobPlan // where rows stand under jobs
	Costs   bool      // what is planned costs is shown
}

// Page is how many people one page has.
func (r *Roster) Page() int { return shown }

// Place is an open place with who asks for it and who could have it.
type Place struct {
	store.OpenPlace
	Loc     *time.Location
	Asks    []store.OpeningAsk
	Free    []store.RosterPerson // only of the one that is picked
	MayPlan bool
}

// Row is one person on it.
type Row struct {
	store.RosterPerson
	Loc       *time.Location
	Shifts    []Cell
	Gone      []store.PlannedShift // that they were told of, and that the plan has no more
	Stints    []store.Stint
	Leave     []store.LeaveOn
	Planned   int64  // seconds, in the span
	Worked    int64  // on its days that are over
	Overtime  int64  // of the weeks, worked and planned, double time among it
	Premium   string // for it, "" for none, or whom rates aren't to be seen
	PremiumIn string // its currency, "" for the company's
	Untold    []roster.Change
	MayPlan   bool
	Own       bool
}

// Cell is one shift of a row.
type Cell struct {
	store.PlannedShift
	Told     bool // as it stands here
	Seen     bool // and has seen it
	Findings []roster.Finding
}

// ReadRoster reads a roster, all of one instant. However many people are on it, it takes as
// many statements.
func ReadRoster(ctx context.Context, a *app.App, actor app.Actor, query Query) (*Roster, error) {
	if !actor.May("roster.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	r := &Roster{Now: a.Now(), Today: place.Today(a.Now()), Loc: place.Loc, Days: query.Days,
		CutOver: time.Duration(place.CutOver) * time.Second, MayPlan: actor.May("roster.plan"), Skip: max(0, query.Skip), By: query.By}
	if r.Days == (when.Period{}) {
		r.Days.From = (&facts{place: place}).weekOf(r.Today)
		r.Days.To = r.Days.From + 6
	}
	if r.Days.Days() < 1 || r.Days.Days() > mostDays {
		return nil, refusal.New("days", "That is no span of days that is shown", fmt.Sprintf("Choose at most %d", mostDays))
	}
	if r.Around, err = a.ReadFrame(ctx, actor, when.Period{From: r.Today, To: r.Today}); err != nil {
		return nil, err
	}
	err = a.DB.Snapshot(ctx, func(tx *sqlx.Tx) error { return r.read(ctx, tx, actor, place, query) })
	return r, err
}

func (r *Roster) read(ctx context.Context, q store.Q, actor app.Actor, place *app.Company, query Query) error {
	all, err := store.Units(ctx, q)
	if err != nil {
		return err
	}
	for _, u := range all {
		if actor.Reaches("roster.see", uuid.Nil, u.ID) {
			r.Units = append(r.Units, u)
		}
	}
	if r.Sites, err = store.Sites(ctx, q); err != nil {
		return err
	}
	if r.Usual, err = store.UsualWeeks(ctx, q, actor.Units("roster.see")); err != nil {
		return err
	}
	if r.Rules, err = RulesOf(ctx, q); err != nil {
		return err
	}
	if err := r.places(ctx, q, actor, place, query); err != nil {
		return err
	}
	f, err := readFacts(ctx, q, place, r.Today, r.Rules, store.RosterFilter{Days: r.Days, Units: actor.Units("roster.see"),
		Unit: query.Unit,
		Site: query.Site, Find: query.Find, Skip: r.Skip, Most: shown + 1, Sites: r.By == BySite})
	if err != nil || len(f.People) == 0 {
		return err
	}
	if r.More = len(f.People) > shown; r.More {
		f.People = f.People[:shown]
	}
	ids := make([]uuid.UUID, len(f.People))
	for i, p := range f.People {
		ids[i] = p.Employment
	}
	asPlanned, err := store.ToldAsPlanned(ctx, q, ids, r.Days)
	if err != nil {
		return err
	}
	otherwise, err := store.ToldOtherwise(ctx, q, ids, r.Days)
	if err != nil {
		return err
	}
	stints, err := store.StintsBetween(ctx, q, ids, weeks(place, r.Days))
	if err != nil {
		return err
	}
	worked, err := store.WorkedByDay(ctx, q, ids, r.Days)
	if err != nil {
		return err
	}
	var changes []roster.Change
	if changes, r.Names, err = differ(ctx, q, r.untold(f, asPlanned), slices.DeleteFunc(slices.Clone(otherwise),
		func(s store.PlannedShift) bool { return s.Date < r.Today })); err != nil {
		return err
	}
	if err := r.rows(f, asPlanned, otherwise, changes, stints, worked, actor); err != nil {
		return err
	}
	if r.By == ByJob {
		if err := r.readJobs(ctx, q, query.Want); err != nil {
			return err
		}
	}
	return r.weigh(ctx, q, place, actor, f, stints)
}

// untold are the shifts of the plan that people can be told of, and weren't: of the span, from
// today on.
func (r *Roster) untold(f *facts, asPlanned map[uuid.UUID]store.ToldAs) (shifts []store.PlannedShift) {
	for _, p := range f.People {
		for _, s := range f.Shifts[p.Employment] {
			if _, told := asPlanned[s.ID]; !told && r.Days.Holds(s.Date) && s.Date >= r.Today {
				shifts = append(shifts, s)
			}
		}
	}
	return shifts
}

// places reads the open places of the span.
func (r *Roster) places(ctx context.Context, q store.Q, actor app.Actor, place *app.Company, query Query) error {
	units := actor.Units("roster.see")
	if query.Unit != uuid.Nil {
		if units != nil && !slices.Contains(units, query.Unit) {
			return nil
		}
		units = []uuid.UUID{query.Unit}
	}
	open, err := store.Openings(ctx, q, r.Days, units)
	if err != nil || len(open) == 0 {
		return err
	}
	ids := make([]uuid.UUID, len(open))
	for i, o := range open {
		ids[i] = o.ID
	}
	asks, err := store.OpeningAsks(ctx, q, ids)
	if err != nil {
		return err
	}
	for _, o := range open {
		p := Place{OpenPlace: o, Loc: r.Loc, MayPlan: actor.Reaches("roster.plan", uuid.Nil, o.Unit)}
		for _, a := range asks {
			if a.Opening == o.ID {
				p.Asks = append(p.Asks, a)
			}
		}
		if o.ID == query.Pick {
			if p.Free, err = free(ctx, q, place, r.Today, o); err != nil {
				return err
			}
		}
		r.Open = append(r.Open, p)
	}
	return nil
}

// rows puts what was read together, person by person.
func (r *Roster) rows(f *facts, asPlanned map[uuid.UUID]store.ToldAs, otherwise []store.PlannedShift, changes []roster.Change,
	stints []store.Stint, worked []store.WorkedDay, actor app.Actor) error {
	byPerson := map[uuid.UUID][]store.PlannedShift{}
	for _, s := range otherwise {
		byPerson[s.Employment] = append(byPerson[s.Employment], s)
	}
	untold := map[uuid.UUID][]roster.Change{}
	for _, c := range changes {
		untold[c.Of()] = append(untold[c.Of()], c)
	}
	blocks := map[uuid.UUID][]store.Stint{}
	for _, s := range stints {
		if r.Days.Holds(s.Date) {
			blocks[s.Employment] = append(blocks[s.Employment], s)
		}
	}
	leave := map[uuid.UUID][]store.LeaveOn{}
	for _, l := range f.Leave {
		leave[l.Employment] = append(leave[l.Employment], l)
	}
	done := map[uuid.UUID]int64{}
	for _, w := range worked {
		if w.Date < r.Today {
			done[w.Employment] += w.Seconds
		}
	}
	zones := map[string]*time.Location{}
	for _, p := range f.People {
		row := Row{RosterPerson: p, Worked: done[p.Employment], Stints: blocks[p.Employment], Leave: leave[p.Employment],
			Own:     p.Person == actor.ID,
			MayPlan: actor.Reaches("roster.plan", uuid.Nil, p.Unit) && !(p.Person == actor.ID && p.Reporting == "pattern")}
		var err error
		if row.Loc = zones[p.Zone]; row.Loc == nil {
			if row.Loc, err = time.LoadLocation(p.Zone); err != nil {
				return err
			}
			zones[p.Zone] = row.Loc
		}
		against := map[uuid.UUID][]roster.Finding{}
		for _, found := range f.against(p, r.Rules) {
			against[found.Shift] = append(against[found.Shift], found)
		}
		planned := map[uuid.UUID]bool{}
		for _, s := range f.Shifts[p.Employment] {
			if !r.Days.Holds(s.Date) {
				continue
			}
			told, is := asPlanned[s.ID]
			c := Cell{PlannedShift: s, Told: is, Seen: told.Seen}
			if s.Date >= r.Today { // of what is over it is too late to say
				c.Findings = against[s.ID]
			}
			row.Shifts, planned[s.ID] = append(row.Shifts, c), true
			row.Planned += s.Rule().Seconds()
			if len(c.Findings) > 0 {
				r.Against++
			}
		}
		for _, s := range byPerson[p.Employment] {
			if !planned[s.ID] {
				row.Gone = append(row.Gone, s)
			}
		}
		if row.MayPlan {
			row.Untold = untold[p.Employment]
			r.Changes = append(r.Changes, row.Untold...)
		}
		r.Shifts, r.Seconds = r.Shifts+len(row.Shifts), r.Seconds+row.Planned
		r.People = append(r.People, row)
	}
	return nil
}

// Whom is how the row's changes are told, as they are shown.
func (w Row) Whom() Whom { return Whom{Employment: w.Employment, Seen: Digest(w.Untold)} }

// Words says what the row's changes are.
func (w Row) Words(r *Roster) []string {
	var said []string
	for _, c := range w.Untold {
		said = append(said, changeWords(c, r.Names, w.Loc))
	}
	return said
}

// Choices are the jobs and tasks that somebody can be planned on, on a day.
func Choices(ctx context.Context, a *app.App, actor app.Actor, employment uuid.UUID, on when.Date) ([]store.ClockOption, error) {
	who, err := store.GetEmployment(ctx, a.DB, employment)
	if store.NotFound(err) || err == nil && !actor.Reaches("roster.plan", uuid.Nil, who.Unit) {
		return nil, app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	return store.OpenOptions(ctx, a.DB, "", []uuid.UUID{employment}, on, mostChoices)
}

// CrewChoices are the jobs and tasks that somebody of a crew can be planned on, on a day.
func CrewChoices(ctx context.Context, a *app.App, actor app.Actor, unit uuid.UUID, on when.Date) ([]store.ClockOption, error) {
	if !actor.Reaches("roster.plan", uuid.Nil, unit) {
		return nil, app.ErrNotFound
	}
	people, err := store.RosterPeople(ctx, a.DB, store.RosterFilter{Days: when.Period{From: on, To: on}, Unit: unit})
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(people))
	for i, p := range people {
		ids[i] = p.Employment
	}
	return store.OpenOptions(ctx, a.DB, "", ids, on, mostChoices)
}

// mostChoices is how many jobs and tasks the form of a shift offers.
const mostChoices = 400

// OwnShifts is what somebody is planned for, as they were told.
type OwnShifts struct {
	Now     time.Time
	Today   when.Date
	Loc     *time.Location
	Shifts  []store.PlannedShift
	Leave   []store.LeaveOn
	Open    []OwnPlace
	Others  []store.RosterPerson          // of the crew, to whom a shift can be handed over
	Free    bool                          // who agrees has a shift that is handed over at once
	All     bool                          // the shifts of everybody can be seen
	Handed  map[uuid.UUID]store.OpenPlace // by which shifts are offered
	Feed    *store.PlanFeed               // by which a calendar reads them, nil for none
	Changes []OwnChange                   // at short notice, that they may agree to
	Crew    []CrewShift                   // of the others, a week ahead, where the place lets people see them
}

// CrewShift is a shift of somebody of one's crew, as they were told.
type CrewShift struct {
	Name string
	store.PlannedShift
	Loc *time.Location
}

// crewAhead is for how many days people see the shifts of their crew.
const crewAhead = 7

// readCrew reads the shifts of the crew beside one's own.
func (o *OwnShifts) readCrew(ctx context.Context, a *app.App) error {
	names, zones := map[uuid.UUID]string{}, map[uuid.UUID]*time.Location{}
	ids := make([]uuid.UUID, len(o.Others))
	for i, p := range o.Others {
		loc, err := time.LoadLocation(p.Zone)
		if err != nil {
			return err
		}
		ids[i], names[p.Employment], zones[p.Employment] = p.Employment, p.Name(), loc
	}
	shifts, err := store.PlannedIn(ctx, a.DB, store.Told, ids, when.Period{From: o.Today, To: o.Today + crewAhead - 1})
	for _, s := range shifts {
		o.Crew = append(o.Crew, CrewShift{names[s.Employment], s, zones[s.Employment]})
	}
	slices.SortStableFunc(o.Crew, func(a, b CrewShift) int { return a.Start.Compare(b.Start) })
	return err
}

// OwnPlace is an open place that somebody could have.
type OwnPlace struct {
	store.OpenPlace
	Mine *store.OpeningAsk // what they asked, nil for nothing
}

// ownAhead is for how many days somebody sees their shifts.
const ownAhead = 42

// ReadOwnShifts reads that of the actor.
func ReadOwnShifts(ctx context.Context, a *app.App, actor app.Actor) (*OwnShifts, error) {
	if !actor.May("clock.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	o := &OwnShifts{Now: a.Now(), Today: place.Today(a.Now()), Loc: place.Loc}
	if actor.Employment == nil {
		return o, nil
	}
	if actor.Zone != nil {
		if o.Loc, err = time.LoadLocation(*actor.Zone); err != nil {
			return nil, err
		}
		o.Today = when.WorkedDate(o.Now, o.Loc, time.Duration(place.CutOver)*time.Second)
	}
	mine, days := []uuid.UUID{*actor.Employment}, when.Period{From: o.Today, To: o.Today + ownAhead}
	if o.Shifts, err = store.PlannedIn(ctx, a.DB, store.Told, mine, days); err != nil {
		return nil, err
	}
	if o.Leave, err = store.LeaveIn(ctx, a.DB, mine, days); err != nil {
		return nil, err
	}
	o.Free, o.All = place.HandoverFree, place.PlanSeen == "all"
	if err := o.readChanges(ctx, a, place, *actor.Employment); err != nil {
		return nil, err
	}
	return o, o.readOpen(ctx, a, place, actor, days)
}

// readOpen reads the open places that the actor could have, and to whom they could hand a
// shift over.
func (o *OwnShifts) readOpen(ctx context.Context, a *app.App, place *app.Company, actor app.Actor, days when.Period) error {
	mine := *actor.Employment
	all, err := store.Openings(ctx, a.DB, days, nil)
	if err != nil {
		return err
	}
	ids := make([]uuid.UUID, len(all))
	o.Handed = map[uuid.UUID]store.OpenPlace{}
	for i, open := range all {
		ids[i] = open.ID
		if open.From != nil && *open.From == mine {
			o.Handed[*open.OfShift] = open
		}
	}
	asks, err := store.OpeningAsks(ctx, a.DB, ids)
	if err != nil {
		return err
	}
	could, err := couldHave(ctx, a.DB, place, o.Today, mine, all, days)
	if err != nil {
		return err
	}
	for _, open := range all {
		own := OwnPlace{OpenPlace: open}
		for _, ask := range asks {
			if ask.Opening == open.ID && ask.Employment == mine {
				own.Mine = &ask
			}
		}
		if own.Mine != nil || open.Open() && could[open.ID] && open.End.After(o.Now) {
			o.Open = append(o.Open, own)
		}
	}
	if o.Feed, err = store.GetPlanFeed(ctx, a.DB, actor.ID); err != nil || actor.Unit == nil {
		return err
	}
	o.Others, err = store.RosterPeople(ctx, a.DB, store.RosterFilter{Days: when.Period{From: o.Today, To: o.Today}, Unit: *actor.Unit})
	o.Others = slices.DeleteFunc(o.Others, func(p store.RosterPerson) bool { return p.Employment == mine })
	if err != nil || place.PlanSeen == "no" {
		return err
	}
	return o.readCrew(ctx, a)
}
