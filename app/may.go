package app

import (
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/store"
)

// Scope is how far a permission reaches.
type Scope uint8

// The scopes, each holding the one before.
const (
	None Scope = iota
	Own        // one's own
	Crew       // one's own and the crews one leads
	All
)

func (s Scope) String() string { return [...]string{"none", "own", "crew", "all"}[s] }

// Levels, in the order of the table's columns. An auditor sees what an owner
// sees and changes nothing; an owner adds one, until a day.
var Levels = []string{"worker", "lead", "manager", "owner", "auditor"}

// RankOf says which level stands above which. An auditor is known by as much as
// an owner, and so is touched by owners alone.
func RankOf(level string) int {
	return slices.Index([]string{"worker", "lead", "manager", "auditor", "owner"}, level)
}

// permissions is the one answer to "who may?". Every act and every read has a
// row; every route names one. What no row says nobody may. Nobody approves
// their own card, whatever stands here: see the acts.
var permissions = map[string][5]Scope{
	//                 worker lead  manager owner auditor
	"clock.see":       {Own, Own, Own, Own, None},
	"clock.punch":     {Own, Own, Own, Own, None},
	"clock.other":     {None, Crew, All, All, None}, // of others, beside whom one stands
	"sheet.sign":      {None, Crew, All, All, None}, // the cards on a crew's sheet, by its lead or in their place
	"hours.report":    {Own, Own, All, All, None},   // by hand; of others, who may change their time
	"day.say":         {Own, Crew, All, All, None},  // what the place asks of a day beside the hours
	"note.add":        {Own, Own, Own, Own, None},
	"expense.drop":    {Own, Own, All, All, None}, // one's own, or one that isn't paid
	"undo":            {Own, Own, Own, Own, None}, // what a batch did takes its own permission beside
	"card.see":        {Own, Crew, All, All, All},
	"card.sign":       {Own, Crew, Own, Own, None},
	"card.approve":    {None, None, All, All, None},
	"card.take_back":  {None, None, All, All, None},
	"card.send_back":  {Own, Crew, All, All, None},
	"card.remind":     {None, Crew, All, All, None},
	"card.object":     {Own, Own, Own, Own, None},
	"time.ask":        {Own, Crew, All, All, None},
	"today.see":       {None, Crew, All, All, All},
	"roster.see":      {None, Crew, All, All, All},
	"roster.plan":     {None, Crew, All, All, None},
	"timecards.see":   {None, Crew, All, All, All},
	"timecards.find":  {None, Crew, All, All, None}, // keep what one looks for
	"find":            {None, Crew, All, All, All},
	"live.follow":     {Own, Crew, All, All, All},
	"payrun.see":      {None, None, None, All, All},
	"payrun.close":    {None, None, None, All, None},
	"payrun.answer":   {None, None, None, All, None},
	"payrun.check":    {None, None, None, All, None},
	"payrun.task":     {None, None, None, All, None},
	"payrun.adjust":   {None, None, None, All, None},
	"payrun.layout":   {None, None, None, All, None},
	"payrun.accounts": {None, None, None, All, None},
	"payrun.turn":     {None, None, None, All, None},
	"payrun.download": {None, None, None, All, All},
	"rates.see":       {None, None, None, All, All},
	"people.see":      {None, Crew, All, All, All},
	"people.add":      {None, Crew, All, All, None},
	"people.change":   {None, None, All, All, None},
	"people.import":   {None, None, All, All, None},
	"people.grant":    {None, None, All, All, None}, // no more than one's own: see GrantRight
	"people.erase":    {None, None, None, All, None},
	"jobs.see":        {None, All, All, All, All},
	"jobs.change":     {None, None, All, All, None},
	"customers.share": {None, None, All, All, None},
	"setup.see":       {None, None, All, All, All},
	"setup.change":    {None, None, All, All, None},
	"audit.see":       {None, None, All, All, All},
	"time.edit":       {None, None, All, All, None},
	"time.say":        {None, Crew, All, All, None}, // of others; by leads where the company lets them: see EndStint
	"leave.manage":    {None, None, All, All, None},
	"pay.own":         {Own, Own, Own, Own, Own},  // where the place lets people see it
	"leave.ask":       {Own, Own, Own, Own, None}, // of others by whom manages leave: see leave.AskLeave
	"self":            {Own, Own, Own, Own, Own},  // sign out, look, keys: what everybody has
}

// payPermissions are those by which pay is seen and made.
var payPermissions = []string{"payrun.see", "payrun.close", "payrun.answer", "payrun.check", "payrun.task", "payrun.adjust",
	"payrun.layout", "payrun.accounts", "payrun.turn",
	"payrun.download", "rates.see"}

// Right is something that may be granted to a single person beyond their
// level, for everyone or for named crews and sites. It brings what it can't
// be used without.
type Right struct {
	What   string
	Name   string // "Approve timecards"
	Brings []string
}

// Rights lists what may be granted.
var Rights = []Right{
	{"approve", "approve timecards",
		[]string{"card.approve", "card.take_back", "card.send_back", "card.remind", "card.see", "timecards.see", "timecards.find",
			"today.see", "find", "live.follow"}},
	{"amend_time", "change others' time",
		[]string{"time.edit", "hours.report", "day.say", "expense.drop", "time.say", "time.ask", "card.see", "timecards.see",
			"timecards.find",
			"today.see", "find",
			"live.follow"}},
	{"see_rates", "see pay rates", []string{"rates.see", "people.see"}},
	{"manage_leave", "manage leave", []string{"leave.manage", "people.see", "find"}},
	{"run_payroll", "run payroll",
		[]string{"payrun.see", "payrun.close", "payrun.answer", "payrun.check", "payrun.task", "payrun.adjust", "payrun.layout",
			"payrun.accounts", "payrun.turn",
			"payrun.download",
			"rates.see", "people.see", "card.see", "timecards.see", "timecards.find",
			"today.see", "find", "live.follow"}},
	{"manage_people", "manage people", []string{"people.see", "people.add", "people.change", "people.import", "find"}},
}

// brings says in words what a right brings with it, beyond its own name.
var brings = map[string]string{
	"approve": "seeing the timecards and the live board of those people",
	"amend_time": "seeing the timecards and the live board of those people, ending a day that somebody forgot to end, and taking or " +
		"declining claims",
	"see_rates":     "seeing the people themselves",
	"manage_leave":  "seeing the people themselves",
	"run_payroll":   "seeing pay rates, people and timecards of everyone",
	"manage_people": "adding people and bringing them in from a file",
}

// BringsWords says what a right brings with it.
func (r Right) BringsWords() string { return brings[r.What] }

// Permissions lists the names in the table.
func Permissions() []string {
	names := make([]string, 0, len(permissions))
	for n := range permissions {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// Actor is somebody signed in.
type Actor struct {
	store.Person
	Point    clock.Point // by which they act, "" for none that hours come through
	At       uuid.UUID   // the clock point at which they act, zero for none
	Watched  uuid.UUID   // who watches there in place of a PIN, zero for nobody
	Proved   bool        // has just typed their password, for this one act
	NeedCode bool        // one-time codes are required of them, and they have none yet
}

// HoldsPay says whether the actor is an owner, or may see or make pay.
func (a Actor) HoldsPay() bool {
	return a.Level == "owner" || slices.ContainsFunc(payPermissions, func(name string) bool { return a.scope(name) != None })
}

// byLevel says how far the actor's level alone reaches.
func (a Actor) byLevel(name string) Scope {
	row, ok := permissions[name]
	i := slices.Index(Levels, a.Level)
	if !ok || i < 0 {
		return None
	}
	return row[i]
}

// granted lists the actor's grants that bring a permission.
func (a Actor) granted(name string) []store.Grant {
	var found []store.Grant
	for _, g := range a.Grants {
		i := slices.IndexFunc(Rights, func(r Right) bool { return r.What == g.What })
		if i >= 0 && slices.Contains(Rights[i].Brings, name) {
			found = append(found, g)
		}
	}
	return found
}

// Scope says how far the actor may do or see what name stands for: by level
// or by a grant, whichever reaches further. Whoever lacks a code that is
// required of them neither sees nor makes pay until they have one.
func (a Actor) Scope(name string) Scope {
	if a.NeedCode && slices.Contains(payPermissions, name) {
		return None
	}
	return a.scope(name)
}

func (a Actor) scope(name string) Scope {
	scope := a.byLevel(name)
	for _, g := range a.granted(name) {
		if g.Everyone {
			return All
		}
		scope = max(scope, Crew)
	}
	return scope
}

// May says whether the actor may at all.
func (a Actor) May(name string) bool { return a.Scope(name) != None }

// Units gives the units that a permission reaches, nil for all of them. A
// scope of Own reaches no unit.
func (a Actor) Units(name string) []uuid.UUID {
	if a.Scope(name) == All {
		return nil
	}
	units := []uuid.UUID{}
	if a.byLevel(name) == Crew {
		units = append(units, a.LeadsUnits...)
	}
	for _, g := range a.granted(name) {
		units = append(units, g.Units...)
	}
	return units
}

// Reaches says whether a permission reaches a person in a unit.
func (a Actor) Reaches(name string, person, unit uuid.UUID) bool {
	switch {
	case a.Scope(name) == All:
		return true
	case person == a.ID && a.byLevel(name) >= Own:
		return true
	}
	return slices.Contains(a.Units(name), unit)
}

// Standing is all that decides what an actor may, but who they are: two actors
// of one standing may the same, each for themselves.
func (a Actor) Standing() string {
	return fmt.Sprint(a.Level, a.NeedCode, a.LeadsUnits, a.Grants)
}

// Actor reads who is signed in. ErrNotFound when they left.
func (a *App) Actor(ctx context.Context, id uuid.UUID) (Actor, error) {
	return a.ActorIn(ctx, id, uuid.Nil)
}

// ActorIn reads who is signed in and clocks in the position given, where they
// have several and are not on the clock in another.
func (a *App) ActorIn(ctx context.Context, id, position uuid.UUID) (Actor, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return Actor{}, err
	}
	p, err := store.GetPerson(ctx, a.DB, id, place.Today(a.Now()), position)
	if store.NotFound(err) {
		return Actor{}, ErrNotFound
	}
	return actorOf(place, p), err
}

// Actors reads some of those who are signed in, all at once: those who are
// still there.
func (a *App) Actors(ctx context.Context, ids []uuid.UUID) (map[uuid.UUID]Actor, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	people, err := store.GetPersons(ctx, a.DB, ids, place.Today(a.Now()))
	found := make(map[uuid.UUID]Actor, len(people))
	for _, p := range people {
		found[p.ID] = actorOf(place, p)
	}
	return found, err
}

// actorOf is a person as an actor. Who is on the clock past their last day can
// clock out, and nothing more.
func actorOf(place *Company, p store.Person) Actor {
	if p.Ended {
		p.Level, p.LeadsUnits, p.Grants = "worker", nil, nil
	}
	actor := Actor{Person: p}
	actor.NeedCode = place.CodesRequired && !p.HasCode && actor.HoldsPay()
	return actor
}

// UsedGrant notes that an actor used a right that they were given: what it
// brings is not theirs by level, or not for everyone.
func (a *App) UsedGrant(ctx context.Context, actor Actor, name string) error {
	if actor.byLevel(name) == All {
		return nil
	}
	var what []string
	for _, g := range actor.granted(name) {
		what = append(what, g.What)
	}
	if len(what) == 0 {
		return nil
	}
	return store.GrantUsed(ctx, a.DB, actor.ID, what, a.Now())
}
