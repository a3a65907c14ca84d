package hours

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// ClockPage is a worker's own page: where they are, what they can do next,
// and what their hours come to.
type ClockPage struct {
	Person    store.Person
	Lacking   []store.LackingTag // tags that their shifts to come need
	Positions []store.Named      // more than one: they choose in which they clock
	Location  string             // when where they are is taken: "off", "punch" or "along"
	Interval  int                // seconds between places along the way
	Around    *app.Frame
	Now       time.Time
	Loc       *time.Location
	Day       DayRow       // the worked day they are on
	Last      *store.Stint // the latest stint, open or closed
	Choices   []store.ClockOption
	All       bool                          // there are no others to choose
	Classes   map[uuid.UUID][]store.ClassOf // of the choices that are public work
	LastOn    clock.Assignment              // what was worked on last, to be chosen first

	Today   int64 // seconds worked on the day, up to now
	Period  int64 // seconds worked in the pay period, up to now
	Planned int64 // seconds expected in the pay period
	Next    *store.Shift
	ToSign  []store.Card // finished days that want the worker's signature
	Notes   []store.Note
	Limits  card.Limits
	Claims  []store.Claim // of theirs that wait, or were answered in the last weeks
	Asked   []store.Request
	Changed []AmendedLine               // what others changed of their hours in the last weeks
	Names   map[uuid.UUID]string        // of the jobs and tasks in those
	Asks    map[when.Date]store.CardAct // who asked last for the signature of a day
	Without []store.CardAct             // approvals of days that they had not signed
	Forgot  *Forgotten                  // what they did not clock out of

	Travel    *store.ClockOption // what travel between sites is clocked on, nil for nothing
	AskMeal   time.Time          // from when on they are asked whether they had their meal; zero for never
	CallOut   bool               // whoever is called in is paid a least: they may say that they were
	MealTaken int64              // seconds that are taken out where they don't say no
	OneBreak  bool               // a meal and a rest are the same here
	Expenses  []app.ExpenseKind  // that they may put on the day; none, and they are not asked
	Currency  string
	Spent     []store.Expense
	Photos    []store.Photo

	Left *time.Time // when they say they left what is running, and nobody has taken it yet
}

// Forgotten is a stint whose end nobody said, with what may be known of it.
type Forgotten struct {
	store.Stint
	Planned, Crew time.Time // when it was planned to end, and when half of the crew had left; zero where it isn't known
}

// OnClock says whether something is running.
func (p *ClockPage) OnClock() bool { return p.Last != nil && p.Last.Open() && p.Left == nil }

// Attendance gives the seconds worked, and of breaks, since the person came.
func (p *ClockPage) Attendance() (worked, breaks int64) {
	for _, s := range p.Day.Stints {
		switch n := s.Length(p.Now); {
		case p.Last == nil || !s.Attendance.Equal(p.Last.Attendance):
		case s.Kind == clock.Work:
			worked += n
		default:
			breaks += n
		}
	}
	return worked, breaks
}

const (
	ownChoices  = 8   // that are offered before one searches
	mostChoices = 500 // that a device keeps
	fewChoices  = 10  // up to which all there are are offered
)

// ReadClockPage reads the actor's own clock page.
func ReadClockPage(ctx context.Context, a *app.App, actor app.Actor) (*ClockPage, error) {
	if actor.Scope("clock.see") == app.None {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &ClockPage{Person: actor.Person, Now: a.Now(), Loc: place.Loc, Limits: place.Limits,
		Around: &app.Frame{Company: place.Name, AskWhom: place.WhomToAsk, Word: app.JobWord(place.JobWord), Today: place.Today(a.Now())}}
	if actor.Employment == nil {
		return p, nil
	}
	if actor.Zone != nil {
		if p.Loc, err = time.LoadLocation(*actor.Zone); err != nil {
			return nil, err
		}
	}
	id := *actor.Employment
	if p.Last, err = store.LastStint(ctx, a.DB, id); err != nil {
		return nil, fmt.Errorf("read the last stint: %w", err)
	}
	if err := p.forgotten(ctx, a, place, actor); err != nil {
		return nil, err
	}
	today := when.WorkedDate(p.Now, p.Loc, time.Duration(place.CutOver)*time.Second)
	day := today
	if p.OnClock() {
		day = p.Last.Date
	}
	if err := ownHours(ctx, a, actor, place, p, day); err != nil {
		return nil, err
	}
	if p.Positions, err = store.Positions(ctx, a.DB, actor.ID, today); err != nil {
		return nil, err
	}
	who, err := store.GetEmployment(ctx, a.DB, id)
	if err != nil {
		return nil, err
	}
	p.Location, p.Interval = who.Location, place.LocationInterval
	if err := p.atWork(ctx, a, place, id, day); err != nil {
		return nil, err
	}
	if p.Lacking, err = store.LackingTags(ctx, a.DB, TagsLookAhead(today), actor.ID, nil); err != nil {
		return nil, err
	}
	if p.Next, err = store.NextShift(ctx, a.DB, id, p.Now); err != nil {
		return nil, err
	}
	if p.Notes, err = store.Notes(ctx, a.DB, id, day); err != nil {
		return nil, err
	}
	if p.Last != nil {
		p.LastOn = p.Last.On
	}
	if p.Claims, err = store.ClaimsOf(ctx, a.DB, id, today-21); err != nil {
		return nil, err
	}
	if err := p.changed(ctx, a, place, id, today); err != nil {
		return nil, err
	}
	if p.Asks, err = store.Reminders(ctx, a.DB, id, today-lookBack); err != nil {
		return nil, err
	}
	if p.Without, err = store.UnsignedApprovals(ctx, a.DB, id, today-lookBack); err != nil {
		return nil, err
	}
	if err := p.choices(ctx, a, id, today); err != nil {
		return nil, fmt.Errorf("read jobs: %w", err)
	}
	p.Classes, err = classes(ctx, a, p.Choices, today)
	return p, err
}

// atWork reads what goes with the day beside its hours: what they spent, photos, what
// travel is clocked on, and whether they are asked for their meal.
func (p *ClockPage) atWork(ctx context.Context, a *app.App, place *app.Company, employment uuid.UUID, day when.Date) (err error) {
	travel, err := store.TravelOptions(ctx, a.DB, employment, place.Today(p.Now))
	if err != nil {
		return fmt.Errorf("read what travel is clocked on: %w", err)
	}
	if len(travel) > 0 {
		p.Travel = &travel[0]
	}
	breaks := place.LimitsOn(day).Breaks
	p.OneBreak = breaks.Alike()
	rules := place.RulesOn(day)
	p.CallOut = rules.MinimumCallout > 0
	if rule := rules.AutomaticMeal; rule.Length > 0 {
		var attendance []clock.Stint
		for _, s := range p.Day.Stints {
			if p.Last != nil && s.Attendance.Equal(p.Last.Attendance) {
				attendance = append(attendance, s.Stint)
			}
		}
		p.AskMeal, p.MealTaken = clock.Unfed(attendance, time.Duration(rule.After)*time.Second, breaks), rule.Length
	}
	if p.Expenses = place.Expenses(); len(p.Expenses) > 0 {
		paid, err := place.For(ctx, a.DB, employment, day)
		if err != nil {
			return err
		}
		p.Currency = paid.Currency
	}
	if p.Spent, err = store.ExpensesOf(ctx, a.DB, employment, day); err != nil {
		return err
	}
	p.Photos, err = store.Photos(ctx, a.DB, employment, day)
	return err
}

// choices reads what can be clocked to: everything, where that is not much;
// otherwise what is planned, what the crew is on, and what was worked on lately.
func (p *ClockPage) choices(ctx context.Context, a *app.App, employment uuid.UUID, today when.Date) (err error) {
	if p.Choices, err = store.OwnOptions(ctx, a.DB, employment, today, ownChoices); err != nil {
		return err
	}
	all, err := store.SearchOptions(ctx, a.DB, "", employment, today, fewChoices+1)
	if err != nil || len(all) > fewChoices {
		return err
	}
	p.All = true
	for _, o := range all {
		if !slices.ContainsFunc(p.Choices, func(c store.ClockOption) bool { return sameChoice(c, o) }) {
			p.Choices = append(p.Choices, o)
		}
	}
	return nil
}

func sameChoice(a, b store.ClockOption) bool {
	return a.Job == b.Job && store.IDOrNil(a.Task) == store.IDOrNil(b.Task)
}

// lookBack is for how many days a worker is told what became of their hours.
const lookBack = 21

// changed reads what others changed of the person's hours in the last weeks, and
// was not taken back.
func (p *ClockPage) changed(ctx context.Context, a *app.App, place *app.Company, employment uuid.UUID, today when.Date) error {
	days := when.Period{From: today - lookBack, To: today}
	amended, err := store.AmendmentsOn(ctx, a.DB, employment, days)
	if err != nil || len(amended) == 0 {
		return err
	}
	who, err := store.GetEmployment(ctx, a.DB, employment)
	if err != nil {
		return err
	}
	from := amended[0].From
	for _, m := range amended {
		from = minTime(from, m.From)
	}
	punches, _, err := store.PunchesAround(ctx, a.DB, employment, from, uuid.Nil)
	if err != nil {
		return err
	}
	all, err := store.AmendmentsAroundAll(ctx, a.DB, []store.At{{Employment: employment, At: from}})
	if err != nil {
		return err
	}
	var ids []uuid.UUID
	for _, l := range NewDayBook(who, p.Loc, place, punches, all).lines(amended, p.Now) {
		// A file brings many days at once: they are told of where they stand.
		if l.By == p.Person.ID || l.Back || l.Does == clock.TakeBack || l.Does.Untimed() {
			continue
		}
		p.Changed = append(p.Changed, l)
		for _, s := range append(slices.Clone(l.Was), l.Is...) {
			ids = append(ids, s.On.Job, s.On.Task)
		}
	}
	p.Names, err = store.WorkNames(ctx, a.DB, ids)
	return err
}

// forgotten finds what the person did not clock out of: what runs well past its
// plan or the longest shift, or was only ended by what they began next. Asked
// once, they are not asked again.
func (p *ClockPage) forgotten(ctx context.Context, a *app.App, place *app.Company, actor app.Actor) (err error) {
	id := *actor.Employment
	since := place.Today(p.Now) - lookBack
	if p.Asked, err = store.RequestsOf(ctx, a.DB, id, since); err != nil {
		return err
	}
	lost, err := store.UnendedStint(ctx, a.DB, id, since)
	if err != nil || lost == nil {
		return err
	}
	for _, q := range p.Asked {
		if q.Does == clock.EndRunning && store.IDOrNil(q.Of) == lost.ID && !q.Answered() {
			if lost.Open() {
				p.Left = q.At
			}
			return nil
		}
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: lost.Date, To: lost.Date, Units: []uuid.UUID{*actor.Unit}})
	if err != nil {
		return err
	}
	f := Forgotten{Stint: *lost}
	var left []time.Time
	var planned time.Time
	for _, c := range cards {
		switch {
		case c.Employment == id:
			planned = c.ShiftTo
		case !c.Running() && !c.Last.IsZero():
			left = append(left, c.Last)
		}
	}
	lim := place.LimitsOn(lost.Date)
	if lost.Open() && lim.Counted(lost.Stint, p.Now) && (planned.IsZero() || p.Now.Sub(planned) <= card.PastPlanAfter) {
		return nil
	}
	fits := func(at time.Time) time.Time {
		if !at.After(lost.Start) || at.After(p.Now) || !lost.Open() && at.After(lost.End) {
			return time.Time{}
		}
		return at
	}
	f.Planned, f.Crew = fits(planned), fits(half(left))
	p.Forgot = &f
	return nil
}

// half is the instant by which half of some had come, to the minute; zero where
// there are none.
func half(of []time.Time) time.Time {
	if len(of) == 0 {
		return time.Time{}
	}
	slices.SortFunc(of, time.Time.Compare)
	return of[len(of)/2].Truncate(time.Minute)
}

// ownHours reads the actor's cards of the pay period and adds them up.
func ownHours(ctx context.Context, a *app.App, actor app.Actor, place *app.Company, p *ClockPage, day when.Date) error {
	period, err := place.Periods().Of(day)
	if err != nil {
		return err
	}
	p.Around.Period = period
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: period.From - 7, To: period.To, Employment: *actor.Employment})
	if err != nil {
		return fmt.Errorf("read own cards: %w", err)
	}
	p.Day = DayRow{Card: store.Card{Card: card.Card{Date: day}, Employment: *actor.Employment, Standing: card.Start}, Loc: p.Loc, Own: true}
	for _, c := range cards {
		if place.SignRequired && c.State == card.Open && c.Date <= p.Around.Today && finished(c, p.Now) && c.Worked > 0 {
			p.ToSign = append(p.ToSign, c)
		}
		if !period.Holds(c.Date) {
			continue
		}
		p.Period += c.Worked
		p.Planned += c.Due()
		if c.Date == day {
			p.Day.Card = c
		}
	}
	rows := []DayRow{p.Day}
	if err := fill(ctx, a, rows); err != nil {
		return err
	}
	p.Day = rows[0]
	p.Today = p.Day.Live(p.Now, place.Limits)
	p.Period += p.Today - p.Day.Worked
	return nil
}

func classes(ctx context.Context, a *app.App, choices []store.ClockOption, on when.Date) (map[uuid.UUID][]store.ClassOf, error) {
	var jobs []uuid.UUID
	for _, c := range choices {
		if c.PublicWork {
			jobs = append(jobs, c.Job)
		}
	}
	byJob := map[uuid.UUID][]store.ClassOf{}
	if len(jobs) == 0 {
		return byJob, nil
	}
	classes, err := store.ClassesOf(ctx, a.DB, jobs, on)
	for _, c := range classes {
		byJob[c.Job] = append(byJob[c.Job], c)
	}
	return byJob, err
}

// SearchChoices finds jobs and tasks to clock to, with their classifications.
func SearchChoices(ctx context.Context, a *app.App, actor app.Actor, text string) ([]store.ClockOption,
	map[uuid.UUID][]store.ClassOf, error) {
	if actor.Scope("clock.see") == app.None {
		return nil, nil, app.ErrForbidden
	}
	if actor.Employment == nil {
		return nil, nil, nil
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, nil, err
	}
	choices, err := store.SearchOptions(ctx, a.DB, text, *actor.Employment, place.Today(a.Now()), 12)
	if err != nil {
		return nil, nil, err
	}
	classes, err := classes(ctx, a, choices, place.Today(a.Now()))
	return choices, classes, err
}

// EveryChoice gives all that the actor can clock to, those offered first, with their
// classifications: for a device to know without a connection.
func EveryChoice(ctx context.Context, a *app.App, actor app.Actor, first []store.ClockOption) ([]store.ClockOption,
	map[uuid.UUID][]store.ClassOf, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, nil, err
	}
	today := place.Today(a.Now())
	all, err := store.SearchOptions(ctx, a.DB, "", *actor.Employment, today, mostChoices)
	if err != nil {
		return nil, nil, err
	}
	choices := slices.Clone(first)
	for _, o := range all {
		if !slices.ContainsFunc(choices, func(c store.ClockOption) bool { return sameChoice(c, o) }) {
			choices = append(choices, o)
		}
	}
	classes, err := classes(ctx, a, choices, today)
	return choices, classes, err
}

// KeepChoice puts a job and task first among the choices of the actor's page that is
// not there, such as one that was searched for when the punch was refused. What
// can't be clocked to is left out.
func (p *ClockPage) KeepChoice(ctx context.Context, a *app.App, actor app.Actor, job, task uuid.UUID) error {
	if actor.Employment == nil || slices.ContainsFunc(p.Choices, func(c store.ClockOption) bool {
		return c.Job == job && store.IDOrNil(c.Task) == task
	}) {
		return nil
	}
	today := p.Around.Today
	o, err := store.OneOption(ctx, a.DB, job, task, *actor.Employment, today)
	if store.NotFound(err) {
		return nil
	}
	if err != nil {
		return err
	}
	p.Choices = slices.Insert(p.Choices, 0, o)
	p.Classes, err = classes(ctx, a, p.Choices, today)
	return err
}

// SearchFor finds jobs and tasks to put hours of a card on, none for no text.
func SearchFor(ctx context.Context, a *app.App, actor app.Actor, ref CardRef, text string) ([]store.ClockOption, error) {
	who, err := store.GetEmployment(ctx, a.DB, ref.Employment)
	if store.NotFound(err) || err == nil && !actor.Reaches("card.see", who.Person, who.Unit) {
		return nil, app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	if text == "" {
		return nil, nil
	}
	return store.SearchOptions(ctx, a.DB, text, ref.Employment, ref.Date, 12)
}
