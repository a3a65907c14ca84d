package roster

import (
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// A place of a shift is open until somebody has it. Whoever may work there, is free and has
// the tags sees it, and asks; a lead gives it. Whoever hands a shift over, or can't come,
// opens it too: until somebody has it, it stays theirs, and they are missing if nobody comes.

// OpenPlace opens places of a shift that nobody has.
type OpenPlace struct {
	ID     uuid.UUID
	Unit   uuid.UUID // whose work it is
	When   When      // with a date
	On     clock.Assignment
	Less   int
	Note   string
	Wanted int
}

// ClosePlace closes one again.
type ClosePlace struct{ Place uuid.UUID }

// AskForPlace asks for a place for oneself, or agrees to take a colleague's shift.
type AskForPlace struct {
	ID    uuid.UUID
	Place uuid.UUID
}

// GivePlace gives a place to somebody who asked for it: it is planned, and told, at once.
type GivePlace struct{ Ask uuid.UUID }

// DeclineAsk says that somebody doesn't have it, and why.
type DeclineAsk struct {
	Ask uuid.UUID
	Why string
}

// Permission is what the act takes.
func (OpenPlace) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (ClosePlace) Permission() string { return "roster.plan" }

// Permission is what the act takes: it is for oneself.
func (AskForPlace) Permission() string { return "clock.see" }

// Permission is what the act takes.
func (GivePlace) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (DeclineAsk) Permission() string { return "roster.plan" }

func (p OpenPlace) Do(ctx context.Context, t *app.Turn) error {
	if !t.Actor.Reaches(t.Act, uuid.Nil, p.Unit) {
		return app.ErrNotFound
	}
	loc, err := locOf(ctx, t, p.Unit)
	if err != nil {
		return err
	}
	o := store.OpenPlace{ID: p.ID, Unit: p.Unit, Less: p.Less, Note: strings.TrimSpace(p.Note), Wanted: p.Wanted, MadeAt: t.Now,
		MadeBy: t.Actor.ID, Job: idOrNone(p.On.Job), Task: idOrNone(p.On.Task)}
	o.Start, o.End, o.Date = p.When.in(loc, cutOver(t))
	if o.Wanted < 1 || o.Wanted > 200 {
		return refusal.New("wanted", "That is no number of people", "Write how many are wanted, 1 to 200")
	}
	d := draft{}
	shift := o.Shift(uuid.Nil, uuid.Nil)
	if err := d.fits(t, roster.Change{Is: &shift}); err != nil {
		return err
	}
	d.changes = []roster.Change{{Is: &shift}}
	if err := d.works(ctx, t); err != nil {
		return err
	}
	fresh, err := store.InsertOpening(ctx, t, o)
	if err != nil || !fresh {
		return err
	}
	if o, err = store.LockOpening(ctx, t, p.ID); err != nil {
		return err
	}
	t.Record(store.Event{Unit: o.Unit, Act: t.Act}, o.ID, map[string]any{"open": o.Wanted, "date": o.Date})
	return tellOpen(ctx, t, o, loc)
}

func idOrNone(id uuid.UUID) *uuid.UUID {
	if id == uuid.Nil {
		return nil
	}
	return &id
}

// tellOpen tells those who could have a place that it is open.
func tellOpen(ctx context.Context, t *app.Turn, o store.OpenPlace, loc *time.Location) error {
	free, err := free(ctx, t, t.Company, t.Company.Today(t.Now), o)
	if err != nil {
		return err
	}
	for _, p := range free {
		t.Tell(app.Notice{Person: p.Person, Kind: notice.PlaceOpen, Key: o.ID.String(), Words: []string{spanWords(o.Shift(o.ID,
			uuid.Nil), loc),
			o.UnitName}, Link: "/shifts#open", About: o.Start})
	}
	return nil
}

// bars are the findings by which somebody can't have an open place, whatever comes of them
// where a lead plans.
var bars = []roster.Code{roster.Twice, roster.NotHere, roster.OnLeave, roster.TagLacks, roster.NotOpen}

// free lists who could have a place: nothing bars them, and no rule refuses it. Whoever it is
// from is left out.
func free(ctx context.Context, q store.Q, place *app.Company, today when.Date, o store.OpenPlace) ([]store.RosterPerson, error) {
	filter := store.RosterFilter{Days: when.Period{From: o.Date, To: o.Date}}
	if o.To != nil {
		filter.Among = []uuid.UUID{*o.To}
	}
	rules, err := barring(ctx, q)
	if err != nil {
		return nil, err
	}
	f, err := readFacts(ctx, q, place, today, rules, filter)
	if err != nil {
		return nil, err
	}
	id := uuid.New()
	for _, p := range f.People {
		f.rules[p.Employment] = append(f.rules[p.Employment], o.Shift(id, p.Employment))
	}
	if err := f.readWork(ctx, q); err != nil {
		return nil, err
	}
	var found []store.RosterPerson
	for _, p := range f.People {
		if o.From != nil && p.Employment == *o.From {
			continue
		}
		barred := false
		for _, finding := range f.against(p, rules) {
			barred = barred || finding.Shift == id && finding.Does == roster.Refuses
		}
		if !barred {
			found = append(found, p)
		}
	}
	return found, nil
}

// couldHave says which open places somebody could have, read at once for all of them.
func couldHave(ctx context.Context, q store.Q, place *app.Company, today when.Date, employment uuid.UUID, open []store.OpenPlace,
	days when.Period) (
	map[uuid.UUID]bool, error) {
	could := map[uuid.UUID]bool{}
	if len(open) == 0 {
		return could, nil
	}
	rules, err := barring(ctx, q)
	if err != nil {
		return nil, err
	}
	f, err := readFacts(ctx, q, place, today, rules, store.RosterFilter{Days: days, Among: []uuid.UUID{employment}})
	if err != nil || len(f.People) == 0 {
		return could, err
	}
	planned := f.rules[employment]
	for _, o := range open {
		f.rules[employment] = append(slices.Clone(f.rules[employment]), o.Shift(o.ID, employment))
	}
	if err := f.readWork(ctx, q); err != nil {
		return nil, err
	}
	for _, o := range open {
		if o.To != nil && *o.To != employment || o.From != nil && *o.From == employment {
			continue
		}
		f.rules[employment] = append(slices.Clone(planned), o.Shift(o.ID, employment))
		could[o.ID] = !slices.ContainsFunc(f.against(f.People[0], rules), func(found roster.Finding) bool {
			return found.Shift == o.ID && found.Does == roster.Refuses
		})
	}
	return could, nil
}

// barring are the rules by which somebody can't have an open place.
func barring(ctx context.Context, q store.Q) ([]roster.Rule, error) {
	rules, err := RulesOf(ctx, q)
	for i := range rules {
		if slices.Contains(bars, rules[i].Code) {
			rules[i].Does = roster.Refuses
		}
	}
	return rules, err
}

// reachable reads an open place that a planner reaches, locked.
func reachable(ctx context.Context, t *app.Turn, id uuid.UUID) (store.OpenPlace, error) {
	o, err := store.LockOpening(ctx, t, id)
	if err == nil && !t.Actor.Reaches(t.Act, uuid.Nil, o.Unit) {
		err = app.ErrNotFound
	}
	return o, err
}

func (c ClosePlace) Do(ctx context.Context, t *app.Turn) error {
	o, err := reachable(ctx, t, c.Place)
	if err != nil {
		return err
	}
	if !o.Open() {
		return nil
	}
	var whose []uuid.UUID
	if o.From != nil { // it stays theirs
		from, err := store.GetEmployment(ctx, t, *o.From)
		if err != nil {
			return err
		}
		whose = append(whose, from.Person)
	}
	t.Record(store.Event{Unit: o.Unit, Act: t.Act}, o.ID, map[string]any{"open": 0})
	return closePlace(ctx, t, o, whose)
}

// locOf is the zone in which a crew's times are told.
func locOf(ctx context.Context, q store.Q, unit uuid.UUID) (*time.Location, error) {
	zone, err := store.ZoneOfUnit(ctx, q, unit)
	if err != nil {
		return nil, err
	}
	return time.LoadLocation(zone)
}

// closePlace closes one, and tells those who asked for it and have no answer, and others.
func closePlace(ctx context.Context, t *app.Turn, o store.OpenPlace, others []uuid.UUID) error {
	if err := store.CloseOpening(ctx, t, o.ID, t.Actor.ID, t.Now); err != nil {
		return err
	}
	left, err := store.DropOpeningAsks(ctx, t, o.ID, t.Actor.ID, t.Now)
	if err != nil {
		return err
	}
	loc, err := locOf(ctx, t, o.Unit)
	if err != nil {
		return err
	}
	for _, a := range left {
		others = append(others, a.Person)
	}
	for _, who := range others {
		t.Tell(app.Notice{Person: who, Kind: notice.PlaceGone, Key: o.ID.String(), Words: []string{spanWords(o.Shift(o.ID, uuid.Nil), loc)},
			Link: "/shifts", About: o.Start})
	}
	return nil
}

func (a AskForPlace) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.Employment == nil {
		return app.ErrNotFound
	}
	o, err := store.LockOpening(ctx, t, a.Place)
	if err != nil {
		return err
	}
	mine := *t.Actor.Employment
	if o.To != nil && *o.To != mine {
		return app.ErrNotFound
	}
	if !o.Open() || !o.Start.After(t.Now) && !o.Sick || !o.End.After(t.Now) {
		return refusal.New("place", "This shift isn’t open any more", "Look at the list again")
	}
	o.To = &mine
	could, err := free(ctx, t, t.Company, t.Company.Today(t.Now), o)
	if err != nil {
		return err
	}
	if len(could) == 0 {
		return refusal.New("place", "You can’t have this shift: you are planned, on leave, or lack what it needs", "Ask your lead")
	}
	fresh, err := store.AskForOpening(ctx, t, a.ID, o.ID, mine, t.Now)
	if err != nil || !fresh {
		return err
	}
	loc, err := time.LoadLocation(could[0].Zone)
	if err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Unit: o.Unit, Act: t.Act}, o.ID, map[string]any{"asks": o.Date})
	paid, err := store.PaidByPlan(ctx, t, []uuid.UUID{mine})
	if err != nil {
		return err
	}
	if o.OfShift != nil && !o.Sick && t.Company.HandoverFree && len(paid) == 0 { // whose plan is paid, somebody else plans
		return give(ctx, t, o, store.OpeningAsk{ID: a.ID, Opening: o.ID, Employment: mine, Person: t.Actor.ID, Name: t.Actor.Name()})
	}
	return tellPlanners(ctx, t, o.Unit, app.Notice{Kind: notice.PlaceAsked, Key: a.ID.String(),
		Words: []string{t.Actor.Name(), spanWords(o.Shift(o.ID, mine), loc)}, Link: rosterLink(o.Date), About: o.Start})
}

// rosterLink is where the plan of a day is.
func rosterLink(d when.Date) string {
	return "/roster?from=" + d.String() + "&to=" + d.String() + "#open"
}

// tellPlanners tells those who lead a crew, or where nobody does, those who plan it.
func tellPlanners(ctx context.Context, t *app.Turn, unit uuid.UUID, n app.Notice) error {
	all, err := t.Those(ctx, "roster.plan")
	if err != nil {
		return err
	}
	for _, who := range app.LeadOf(all, "roster.plan", unit) {
		n.Person = who
		t.Tell(n)
	}
	return nil
}

// openAsk reads an ask that a planner may answer, with its place locked. Nobody gives
// themselves a shift.
func openAsk(ctx context.Context, t *app.Turn, id uuid.UUID) (a store.OpeningAsk, o store.OpenPlace, err error) {
	if a, err = store.GetOpeningAsk(ctx, t, id); err != nil {
		return a, o, err
	}
	if o, err = reachable(ctx, t, a.Opening); err != nil {
		return a, o, err
	}
	if a, err = store.GetOpeningAsk(ctx, t, id); err != nil { // as it is now that nobody else answers
		return a, o, err
	}
	switch {
	case a.Person == t.Actor.ID:
		return a, o, refusal.New("ask", "You asked for this yourself", "Somebody else gives it to you")
	case a.AnsweredAt != nil:
		return a, o, refusal.New("ask", "This is answered already", "Look at the list again")
	}
	return a, o, nil
}

func (g GivePlace) Do(ctx context.Context, t *app.Turn) error {
	a, o, err := openAsk(ctx, t, g.Ask)
	if err != nil {
		return err
	}
	return give(ctx, t, o, a)
}

// give plans and tells what was asked for, as both sides know: of whose shift it was, it is
// taken out.
func give(ctx context.Context, t *app.Turn, o store.OpenPlace, a store.OpeningAsk) error {
	d := draft{batch: a.ID, any: true}
	of := []uuid.UUID{a.Employment}
	if o.From != nil {
		of = append(of, *o.From)
	}
	if err := d.lock(ctx, t, of); err != nil {
		return err
	}
	o.To = &a.Employment
	could, err := free(ctx, t, t.Company, t.Company.Today(t.Now), o) // once nobody else plans them
	if err != nil {
		return err
	}
	if len(could) == 0 {
		return refusal.New("ask", a.Name+" can’t have this shift any more", "Look at their plan, or give it to somebody else")
	}
	shift := o.Shift(uuid.NewSHA1(o.ID, a.Employment[:]), a.Employment)
	if o.OfShift != nil {
		now, err := store.PlannedByID(ctx, t, []uuid.UUID{*o.OfShift})
		if err != nil {
			return err
		}
		was, planned := now[*o.OfShift]
		if offered := o.Shift(was.ID, *o.From); !planned || was.Employment != offered.Employment || !was.Start.Equal(offered.Start) ||
			!was.End.Equal(offered.End) || was.Job != offered.Job {
			return refusal.New("place", "This shift was changed since it was offered", "Close the place; it is offered again as it is now")
		}
		d.was(was)
	}
	d.is(shift)
	if err := d.write(ctx, t); err != nil {
		return err
	}
	if err := store.AnswerOpeningAsk(ctx, t, a.ID, t.Actor.ID, t.Now, &shift.ID, ""); err != nil {
		return err
	}
	if o.Left() == 1 {
		if err := closePlace(ctx, t, o, nil); err != nil {
			return err
		}
	}
	return d.tellGiven(ctx, t, o, a)
}

// tellGiven makes what was given what both were told, and tells them so.
func (d *draft) tellGiven(ctx context.Context, t *app.Turn, o store.OpenPlace, a store.OpeningAsk) error {
	tellings := make([]store.Telling, len(d.changes))
	var on []store.EmploymentDate
	words := spanWords(o.Shift(o.ID, a.Employment), d.zone(a.Employment))
	for i, c := range d.changes {
		kind := notice.PlaceGiven
		if c.Is == nil {
			kind = notice.HandedOver
		}
		who := d.people[c.Of()]
		n := app.Notice{Person: who.Person, Kind: kind, Key: a.ID.String(), Words: []string{words}, Link: "/shifts", About: o.Start}
		if kind == notice.HandedOver {
			n.Words = []string{a.Name, words}
		}
		t.Tell(n)
		tellings[i] = store.Telling{Change: c, Notice: app.NoticeID(who.Person, kind, n.Key), Asked: a.Person, Agreed: a.Person}
		if o.From != nil {
			tellings[i].Asked = d.people[*o.From].Person
		}
		on = append(on, store.EmploymentDate{Employment: c.Of(), Date: c.Date()})
	}
	if err := store.TellShifts(ctx, t, t.Actor.ID, t.Now, tellings); err != nil {
		return err
	}
	of := make([]uuid.UUID, 0, len(d.people))
	for id := range d.people {
		of = append(of, id)
	}
	lock, err := store.LockPeople(ctx, t, of)
	if err != nil {
		return err
	}
	return hours.PlanTold(ctx, t, lock, on)
}

func (d DeclineAsk) Do(ctx context.Context, t *app.Turn) error {
	why := strings.TrimSpace(d.Why)
	if why == "" || utf8.RuneCountInString(why) > longestText {
		return refusal.New("why", "There is no reason", "Say in a few words why, in at most 200 characters")
	}
	a, o, err := openAsk(ctx, t, d.Ask)
	if err != nil {
		return err
	}
	if err := store.AnswerOpeningAsk(ctx, t, a.ID, t.Actor.ID, t.Now, nil, why); err != nil {
		return err
	}
	who, err := store.GetEmployment(ctx, t, a.Employment)
	if err != nil {
		return err
	}
	loc, err := who.Loc()
	if err != nil {
		return err
	}
	t.Tell(app.Notice{Person: a.Person, Kind: notice.PlaceNotGiven, Key: a.ID.String(),
		Words: []string{spanWords(o.Shift(o.ID, a.Employment), loc), "“" + why + "”"}, Link: "/shifts#open"})
	t.Record(store.Event{Person: a.Person, Unit: o.Unit, Act: t.Act}, o.ID, map[string]any{"declined": why})
	return nil
}
