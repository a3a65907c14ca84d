package hours

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/when"
	"manudex/store"
)

// CardPage is one card in full: stints, punches, amendments, moves and notes,
// with what decides it.
type CardPage struct {
	Row        DayRow
	Around     *app.Frame
	Punches    []store.Punch
	Amended    []AmendedLine
	Requests   []store.Request
	Objections []store.Objection
	Acts       []store.CardAct
	Notes      []store.Note
	Spent      []store.Expense
	Photos     []store.Photo
	Kinds      []app.ExpenseKind // that may be spent; none, and none is asked for
	Currency   string
	Hold       *store.Hold          // that has not lapsed
	Names      map[uuid.UUID]string // of the jobs and tasks that it names
	People     map[uuid.UUID]string // who pressed, or watched where somebody did
	Fences     []store.Fence        // of those jobs, and of the site
	Seen       []store.TrackPoint   // along the way
	Map        []geo.Shape          // drawn beneath
	Crew       []DayRow             // the others of the crew on that day
	Proposals  []Proposal
	Choices    []store.ClockOption           // to put hours on
	Classes    map[uuid.UUID][]store.ClassOf // of those that are public work
	Prior      *DayRow                       // on the desk of the day
	Following  *DayRow
	Wanting    *DayRow // the next that wants a look
	Others     int     // how many more want one
	May        CardMoves
	WhyNot     string // why it can't be approved now
	Now        time.Time
	Limits     card.Limits

	Asked  []AskedOf // beside the hours
	MaySay bool      // the actor may answer

	AsksLeft              bool // who came and was let go is paid by the rules of the day
	AsksCallOut, AsksMeal bool // the rules of the day pay a call-out its least, or take meals out by themselves
}

// CardMoves says which acts the actor can do on a card now.
type CardMoves struct {
	Remind                                                     bool
	Sign, Approve, Unsigned, TakeBack, SendBack, Hold, Release bool // Unsigned: approve what nobody signed, with a reason
	End, Amend, Ask, Object, Answer                            bool
}

// AmendedLine is an amendment with what it made of the stints that it changed.
type AmendedLine struct {
	store.Amendment
	Was, Is []clock.Stint
	Back    bool // somebody took it back
}

// ReadCardPage reads a card that the actor may see.
func ReadCardPage(ctx context.Context, a *app.App, actor app.Actor, ref CardRef) (*CardPage, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: ref.Date, To: ref.Date, Employment: ref.Employment})
	if err != nil {
		return nil, err
	}
	if len(cards) == 0 {
		if cards, err = emptyCard(ctx, a, place, ref); err != nil {
			return nil, err
		}
	}
	if len(cards) == 0 || !actor.Reaches("card.see", cards[0].Person, cards[0].Unit) {
		return nil, app.ErrNotFound
	}
	p := &CardPage{Now: a.Now(), Limits: place.Limits, Names: map[uuid.UUID]string{}, Map: place.Map}
	rows := rowsOf(cards)
	if err := judge(rows, actor, place, p.Now); err != nil {
		return nil, err
	}
	if err := fill(ctx, a, rows); err != nil {
		return nil, err
	}
	p.Row = rows[0]
	if p.Around, err = a.ReadFrame(ctx, actor, when.Period{From: ref.Date, To: ref.Date}); err != nil {
		return nil, err
	}
	if err := cardHistory(ctx, a, place, p, ref); err != nil {
		return nil, err
	}
	fields, said, err := readAsked(ctx, a, ref.Employment, when.Period{From: ref.Date, To: ref.Date})
	if err != nil {
		return nil, err
	}
	p.Asked = askedOf(fields, said, p.Row.Unit, ref.Date, p.Row.Stints)
	p.MaySay = actor.Reaches("day.say", p.Row.Person, p.Row.Unit) &&
		(!p.Row.Own || p.Row.State != card.Approved && p.Row.State != card.Paid)
	if err := p.desk(ctx, a, actor, place); err != nil {
		return nil, err
	}
	p.allow(actor, place)
	if err := p.choices(ctx, a); err != nil {
		return nil, err
	}
	p.Proposals = p.propose()
	return p, nil
}

// emptyCard is the card of a day of an employment on which nothing is planned,
// expected or recorded: hours can be put on it. There is none of days to come, or
// before the first or after the last.
func emptyCard(ctx context.Context, a *app.App, place *app.Company, ref CardRef) ([]store.Card, error) {
	who, err := store.GetEmployment(ctx, a.DB, ref.Employment)
	if store.NotFound(err) || ref.Date > place.Today(a.Now()) || ref.Date < who.StartsOn || who.EndsOn != nil && ref.Date > *who.EndsOn {
		return nil, nil
	}
	return []store.Card{{Card: card.Card{Date: ref.Date}, Standing: card.Start, Employment: who.ID, Person: who.Person, Unit: who.Unit,
		Given: who.Given, Family: who.Family, UnitName: who.UnitName, Zone: who.Zone}}, err
}

func cardHistory(ctx context.Context, a *app.App, place *app.Company, p *CardPage, ref CardRef) (err error) {
	if p.Spent, err = store.ExpensesOf(ctx, a.DB, ref.Employment, ref.Date); err != nil {
		return err
	}
	if p.Photos, err = store.Photos(ctx, a.DB, ref.Employment, ref.Date); err != nil {
		return err
	}
	paid, err := place.For(ctx, a.DB, ref.Employment, ref.Date)
	if err != nil {
		return err
	}
	p.Kinds, p.Currency = place.Expenses(), paid.Currency
	rules := place.RulesOn(ref.Date)
	p.AsksLeft = rules.ShowUp.Part > 0
	p.AsksCallOut, p.AsksMeal = rules.MinimumCallout > 0, rules.AutomaticMeal.Length > 0
	day := when.Period{From: ref.Date, To: ref.Date}
	who, err := store.GetEmployment(ctx, a.DB, ref.Employment)
	if err != nil {
		return err
	}
	amended, err := store.AmendmentsOn(ctx, a.DB, ref.Employment, day)
	if err != nil {
		return err
	}
	if err := p.recorded(ctx, a, place, who, amended); err != nil {
		return err
	}
	if err := p.named(ctx, a); err != nil {
		return err
	}
	if err := p.places(ctx, a, who); err != nil {
		return err
	}
	if p.Acts, err = store.CardActs(ctx, a.DB, ref.Employment, ref.Date); err != nil {
		return err
	}
	requests, err := store.RequestsOf(ctx, a.DB, ref.Employment, ref.Date)
	if err != nil {
		return err
	}
	p.Requests = slices.DeleteFunc(requests, func(r store.Request) bool { return r.Date != ref.Date })
	if p.Objections, err = store.ObjectionsOn(ctx, a.DB, ref.Employment, day); err != nil {
		return err
	}
	holds, err := store.Holds(ctx, a.DB, cardsOf(ref.Employment, day.Dates()), p.Now)
	if err != nil {
		return err
	}
	if len(holds) > 0 {
		p.Hold = &holds[0]
	}
	p.Notes, err = store.Notes(ctx, a.DB, ref.Employment, ref.Date)
	return err
}

// recorded reads the punches of the card, where they were along the way, and
// what each amendment made of its stints.
func (p *CardPage) recorded(ctx context.Context, a *app.App, place *app.Company, who store.Employment, amended []store.Amendment) error {
	from, to := p.span(amended)
	if from.IsZero() {
		return nil
	}
	punches, err := store.PunchesOf(ctx, a.DB, who.ID, from, to.Add(24*time.Hour))
	if err != nil {
		return fmt.Errorf("read punches: %w", err)
	}
	amendments, err := store.AmendmentsAroundAll(ctx, a.DB, []store.At{{Employment: who.ID, At: from}})
	if err != nil {
		return err
	}
	loc, err := who.Loc()
	if err != nil {
		return err
	}
	book := NewDayBook(who, loc, place, punches, amendments)
	for _, m := range punches {
		if d, ok := book.dateOf(m.Punch); ok && d == p.Row.Date || !ok && !m.Claimed.Before(from) && !m.Claimed.After(to) {
			p.Punches = append(p.Punches, m)
		}
	}
	p.Amended = book.lines(amended, p.Now)
	if p.Seen, err = store.TrackPoints(ctx, a.DB, who.ID, from, to); err != nil {
		return fmt.Errorf("read places along the way: %w", err)
	}
	return nil
}

// span is all that a card's stints and amendments rest on, zero where there is
// nothing.
func (p *CardPage) span(amended []store.Amendment) (from, to time.Time) {
	widen := func(at time.Time) {
		switch {
		case at.IsZero():
		case from.IsZero():
			from, to = at, at
		default:
			from, to = minTime(from, at), maxTime(to, at)
		}
	}
	for _, s := range p.Row.Stints {
		for _, at := range []time.Time{s.Base, s.Start, s.End, s.ClockedEnd} {
			widen(at)
		}
		if s.Open() {
			widen(p.Now)
		}
	}
	for _, a := range amended {
		widen(a.From)
		widen(a.To)
	}
	return from, to
}

// lines says what each amendment of a card made of the stints.
func (b *dayBook) lines(amended []store.Amendment, now time.Time) []AmendedLine {
	punches, all := b.bare()
	force := clock.InForce(all)
	slices.SortFunc(all, func(x, y clock.Amendment) int {
		return cmp.Or(x.Made.Compare(y.Made), slices.Compare(x.ID[:], y.ID[:]))
	})
	var lines []AmendedLine
	for _, a := range amended {
		i := slices.IndexFunc(all, func(x clock.Amendment) bool { return x.ID == a.ID })
		if i < 0 {
			continue
		}
		_, was, _ := clock.Lay(punches, all[:i])
		_, is, _ := clock.Lay(punches, all[:i+1])
		line := AmendedLine{Amendment: a, Is: clock.Compare(was, is, now).Put,
			Back: a.Does != clock.TakeBack && !slices.ContainsFunc(force, func(x clock.Amendment) bool { return x.ID == a.ID })}
		line.Was = clock.Compare(is, was, now).Put
		lines = append(lines, line)
	}
	return lines
}

// named reads the names of the jobs and tasks on the card and in its amendments.
func (p *CardPage) named(ctx context.Context, a *app.App) (err error) {
	var ids []uuid.UUID
	on := func(w clock.Assignment) { ids = append(ids, w.Job, w.Task) }
	for _, s := range p.Row.Stints {
		on(s.On)
	}
	for _, l := range p.Amended {
		for _, s := range append(slices.Clone(l.Was), l.Is...) {
			on(s.On)
		}
	}
	for _, m := range p.Punches {
		on(m.On)
	}
	if p.Names, err = store.WorkNames(ctx, a.DB, ids); err != nil {
		return err
	}
	var people []uuid.UUID
	for _, m := range p.Punches {
		people = append(people, m.By, m.Watched)
	}
	p.People, err = store.PeopleNames(ctx, a.DB, people)
	return err
}

// places reads where the jobs of a card are, and the site whose fence holds for
// jobs without a place.
func (p *CardPage) places(ctx context.Context, a *app.App, who store.Employment) (err error) {
	if p.Fences, err = store.Fences(ctx, a.DB, slices.Collect(maps.Keys(p.Names))); err != nil {
		return err
	}
	if f := who.SiteFence(); f.Radius > 0 && !slices.ContainsFunc(p.Fences, func(j store.Fence) bool {
		return geo.Metres(geo.Point{Lat: j.Lat, Lon: j.Lon}, f.Point) < 1
	}) {
		p.Fences = append(p.Fences, store.Fence{Number: who.SiteName, Lat: f.Lat, Lon: f.Lon, Fence: f.Radius})
	}
	return nil
}

// desk reads what else stands on the desk of the day: the crew, the cards before
// and after, and the next that wants a look.
func (p *CardPage) desk(ctx context.Context, a *app.App, actor app.Actor, place *app.Company) error {
	if !actor.May("timecards.see") {
		return nil
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: p.Row.Date, To: p.Row.Date, Units: actor.Units("timecards.see")})
	if err != nil {
		return err
	}
	rows := rowsOf(cards)
	if err := judge(rows, actor, place, p.Now); err != nil {
		return err
	}
	slices.SortStableFunc(rows, func(x, y DayRow) int { return cmp.Compare(urgency[x.Class], urgency[y.Class]) })
	at := slices.IndexFunc(rows, func(r DayRow) bool { return r.Employment == p.Row.Employment })
	if at > 0 {
		p.Prior = &rows[at-1]
	}
	if at+1 < len(rows) {
		p.Following = &rows[at+1]
	}
	for i := range rows {
		r := &rows[(at+1+i)%len(rows)]
		if r.Employment == p.Row.Employment || r.Own || r.Class != card.Flagged {
			continue
		}
		if p.Others++; p.Wanting == nil {
			p.Wanting = r
		}
	}
	p.Crew = pickRows(rows, func(r *DayRow) bool { return r.Unit == p.Row.Unit && r.Employment != p.Row.Employment && !r.Empty() })
	slices.SortFunc(p.Crew, func(x, y DayRow) int { return x.Before(y.Card) })
	p.Crew = p.Crew[:min(len(p.Crew), crewShown)]
	return fill(ctx, a, p.Crew)
}

// crewShown is how many of the crew a card shows beside it.
const crewShown = 12

// choices reads what hours can be put on: what is planned and was worked lately,
// by the person and by the crew that day.
func (p *CardPage) choices(ctx context.Context, a *app.App) (err error) {
	if !p.May.Amend && !p.May.Ask {
		return nil
	}
	if p.Choices, err = store.OwnOptions(ctx, a.DB, p.Row.Employment, p.Row.Date, ownChoices); err != nil {
		return fmt.Errorf("read jobs: %w", err)
	}
	for _, r := range append([]DayRow{p.Row}, p.Crew...) {
		for _, s := range r.Stints {
			c := store.ClockOption{Job: s.On.Job, Task: idOrNone(s.On.Task), Number: s.JobNumber, Name: s.JobName, TaskName: s.TaskName,
				Class: idOrNone(s.On.Class), PublicWork: s.On.Class != uuid.Nil}
			if c.Job != uuid.Nil && !slices.ContainsFunc(p.Choices, func(o store.ClockOption) bool { return sameChoice(o, c) }) {
				p.Choices = append(p.Choices, c)
			}
		}
	}
	p.Classes, err = classes(ctx, a, p.Choices, p.Row.Date)
	return err
}

// allow says which moves the actor can make on the card now.
func (p *CardPage) allow(actor app.Actor, place *app.Company) {
	c := p.Row.Card
	over := !c.Running() && c.Date <= place.Today(p.Now)
	held := p.Hold != nil && p.Hold.By != actor.ID
	reaches := func(name string) bool { return actor.Reaches(name, c.Person, c.Unit) }
	m := &p.May
	m.Sign = over && c.State == card.Open && reaches("card.sign")
	m.End = p.endable() && !p.Row.Own && maySay(actor, place, c.Person, c.Unit)
	m.Amend = !p.Row.Own && reaches("time.edit") && !held && c.Date <= place.Today(p.Now)
	m.Ask = !m.Amend && reaches("time.ask")
	m.Object = p.Row.Own && slices.ContainsFunc(p.Amended, func(a AmendedLine) bool { return a.By != actor.ID }) ||
		p.Row.Own && slices.ContainsFunc(p.Acts, func(a store.CardAct) bool { return a.Move == card.Approve })
	m.SendBack = c.State == card.Signed && !held && reaches("card.send_back")
	m.Remind = remindable(c, actor, place, p.Now) && reaches("card.remind")
	m.Answer = !p.Row.Own && reaches("card.approve")
	if !reaches("card.approve") {
		return
	}
	m.Hold = c.State == card.Signed && p.Hold == nil && !p.Row.Own
	m.Release = p.Hold != nil && p.Hold.By == actor.ID
	switch {
	case c.State == card.Approved, c.State == card.Paid && c.Adjust && !c.Late:
		m.TakeBack = !p.Row.Own
	case c.State == card.Paid && !c.Pending():
	case p.Row.Own:
		p.WhyNot = "This is your own card: somebody else approves it."
	case held:
		p.WhyNot = p.Hold.ByName + " is looking at it since " + p.Hold.Since.In(p.Row.Loc).Format("15:04") + "."
	case c.Running():
		p.WhyNot = "Still on the clock: it can be approved once the day is clocked out."
	case c.Objections > 0:
		p.WhyNot = c.Given + " objects to a change: somebody who didn’t make it answers that first."
	case c.Requests > 0:
		p.WhyNot = "A change is asked for: take or decline it first."
	case c.State == card.Open && place.SignRequired:
		m.Unsigned = over
	default:
		m.Approve = over
	}
}

// endable says whether something on the card has no end that anybody said.
func (p *CardPage) endable() bool { return p.unended() != nil }

// unended is the stint of the card whose end nobody said, nil where there is
// none.
func (p *CardPage) unended() *store.Stint { return p.Row.unended() }

func (r *DayRow) unended() *store.Stint {
	for i := range r.Stints {
		if s := &r.Stints[i]; s.Open() || !s.Counted {
			return s
		}
	}
	return nil
}
