package hours

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// CrewSheet is what the lead of a crew, or the office in their place, fills on a day.
type CrewSheet struct {
	Around     *app.Frame
	Now        time.Time
	Loc        *time.Location // of the place
	Day, Today when.Date
	Crew       store.Named
	Crews      []store.Named // whose sheets the actor fills
	Rows       []SheetLine
	Choices    []store.ClockOption
	Classes    map[uuid.UUID][]store.ClassOf // of those that are public work
	Quantities []store.Quantity
	Unsigned   []store.UnsignedDay // other days of the crew that wait to be signed
	Found      []store.SheetPerson // whom the crew can borrow, by what was looked for
	Looked     bool                // somebody was looked for
	OneBreak   bool                // a meal and a rest are the same here
	AutoMeal   int64               // seconds that are taken out where nobody says that there was no meal; 0 for none
	SaysTimes  bool                // times that the actor writes count
	MayAdd     bool                // the actor may add somebody who isn't there yet
	Signs      bool                // cards are signed here
	ToSign     []CardRef           // finished cards that nobody signed
	Running    int                 // on the clock
}

// SheetLine is somebody on the sheet, with their day.
type SheetLine struct {
	store.SheetPerson
	DayRow
}

// ReadCrewSheet reads the sheet of a crew on a day; without a crew that of the first that
// the actor leads, or may fill. Look finds whom the crew can borrow.
func ReadCrewSheet(ctx context.Context, a *app.App, actor app.Actor, unit uuid.UUID, day when.Date, look string) (*CrewSheet, error) {
	if !actor.May("clock.other") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	s := &CrewSheet{Now: a.Now(), Loc: place.Loc, Today: place.Today(a.Now()), Day: day, Signs: place.SignRequired,
		SaysTimes: place.LeadTimes || actor.May("time.edit"), MayAdd: actor.May("people.add")}
	if s.Day == 0 {
		s.Day = s.Today
	}
	if s.Around, err = a.ReadFrame(ctx, actor, when.Period{From: s.Day, To: s.Day}); err != nil {
		return nil, err
	}
	if err := s.crews(ctx, a, actor, unit); err != nil || s.Crew.ID == uuid.Nil {
		return s, err
	}
	limits := place.LimitsOn(s.Day)
	s.OneBreak = limits.Breaks.Alike()
	s.AutoMeal = place.RulesOn(s.Day).AutomaticMeal.Length
	if err := s.lines(ctx, a, actor, place); err != nil {
		return nil, err
	}
	if err := s.work(ctx, a); err != nil {
		return nil, err
	}
	if s.Quantities, err = store.Quantities(ctx, a.DB, s.Crew.ID, s.employments(), s.Day); err != nil {
		return nil, err
	}
	if s.Signs {
		if s.Unsigned, err = store.UnsignedDays(ctx, a.DB, s.Crew.ID, when.Period{From: s.Today - lookBack, To: s.Today}); err != nil {
			return nil, err
		}
		s.Unsigned = slices.DeleteFunc(s.Unsigned, func(u store.UnsignedDay) bool { return u.Date == s.Day })
	}
	if look = strings.TrimSpace(look); look != "" {
		s.Looked = true
		s.Found, err = store.Borrowable(ctx, a.DB, s.Crew.ID, s.Day, look, 8)
	}
	return s, err
}

// crews reads whose sheets the actor fills, and picks one.
func (s *CrewSheet) crews(ctx context.Context, a *app.App, actor app.Actor, unit uuid.UUID) error {
	all, err := store.Units(ctx, a.DB)
	if err != nil {
		return err
	}
	for _, u := range all {
		if !actor.Reaches("clock.other", uuid.Nil, u.ID) {
			continue
		}
		s.Crews = append(s.Crews, u)
		first := s.Crew.ID == uuid.Nil || slices.Contains(actor.LeadsUnits, u.ID) && !slices.Contains(actor.LeadsUnits, s.Crew.ID)
		if u.ID == unit || unit == uuid.Nil && first {
			s.Crew = u
		}
	}
	if unit != uuid.Nil && s.Crew.ID != unit {
		return app.ErrNotFound
	}
	return nil
}

// lines reads who is on the sheet, and their days.
func (s *CrewSheet) lines(ctx context.Context, a *app.App, actor app.Actor, place *app.Company) error {
	people, err := store.SheetPeople(ctx, a.DB, s.Crew.ID, s.Day)
	if err != nil {
		return err
	}
	ids := make([]uuid.UUID, len(people))
	for i, p := range people {
		ids[i] = p.Employment
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: s.Day, To: s.Day, Among: ids, OrRunning: s.Day == s.Today})
	if err != nil {
		return fmt.Errorf("read the cards of a crew's sheet: %w", err)
	}
	rows := rowsOf(cards)
	if err := judge(rows, actor, place, s.Now); err != nil {
		return err
	}
	if err := fill(ctx, a, rows); err != nil {
		return err
	}
	for _, p := range people {
		l := SheetLine{SheetPerson: p}
		loc, err := time.LoadLocation(p.Zone)
		if err != nil {
			return err
		}
		l.DayRow = DayRow{Card: store.Card{Card: card.Card{Date: s.Day}, Employment: p.Employment, Person: p.Person, Unit: p.Unit,
			Given: p.Given, Family: p.Family, UnitName: p.UnitName, Standing: card.Start}, Loc: loc}
		for _, r := range rows {
			// Who is on the clock since the evening before is on today's sheet with that.
			if r.Employment == p.Employment && (r.Date == s.Day || r.Running()) && (!l.Running() || r.Running()) {
				l.DayRow = r
			}
		}
		if l.Running() {
			s.Running++
		}
		if l.State == card.Open && !l.Running() && l.Worked > 0 {
			s.ToSign = append(s.ToSign, CardRef{l.DayRow.Employment, l.Date})
		}
		s.Rows = append(s.Rows, l)
	}
	return nil
}

func (s *CrewSheet) employments() []uuid.UUID {
	ids := make([]uuid.UUID, len(s.Rows))
	for i, l := range s.Rows {
		ids[i] = l.SheetPerson.Employment
	}
	return ids
}

// crewChoices is how many jobs and tasks the sheet offers before one searches.
const crewChoices = 12

// work reads what the crew can be put on.
func (s *CrewSheet) work(ctx context.Context, a *app.App) (err error) {
	ids := s.employments()
	if s.Choices, err = store.CrewOptions(ctx, a.DB, ids, s.Day, crewChoices); err != nil {
		return err
	}
	if len(s.Choices) < 3 { // a new crew has no habits yet
		all, err := store.OpenOptions(ctx, a.DB, "", ids, s.Day, crewChoices)
		if err != nil {
			return err
		}
		for _, o := range all {
			if !slices.ContainsFunc(s.Choices, func(c store.ClockOption) bool { return sameChoice(c, o) }) {
				s.Choices = append(s.Choices, o)
			}
		}
	}
	s.Classes, err = classes(ctx, a, s.Choices, s.Day)
	return err
}

// CrewChoices finds jobs and tasks that a crew can be put on, with their classifications.
// Without a text it gives all that a device keeps.
func CrewChoices(ctx context.Context, a *app.App, actor app.Actor, unit uuid.UUID, day when.Date, text string) ([]store.ClockOption,
	map[uuid.UUID][]store.ClassOf, error) {
	if !actor.Reaches("clock.other", uuid.Nil, unit) {
		return nil, nil, app.ErrNotFound
	}
	people, err := store.SheetPeople(ctx, a.DB, unit, day)
	if err != nil {
		return nil, nil, err
	}
	ids := make([]uuid.UUID, len(people))
	for i, p := range people {
		ids[i] = p.Employment
	}
	limit := crewChoices
	if text == "" {
		limit = mostChoices
	}
	found, err := store.OpenOptions(ctx, a.DB, text, ids, day, limit)
	if err != nil {
		return nil, nil, err
	}
	byJob, err := classes(ctx, a, found, day)
	return found, byJob, err
}

// Borrow puts somebody of another crew on the sheet of a crew for a day. Its lead can then
// clock them as one of theirs, for that day.
type Borrow struct {
	ID         uuid.UUID
	Unit       uuid.UUID // whose sheet
	Day        when.Date
	Employment uuid.UUID
}

// GiveBack takes somebody off a sheet again, who has no hours by it.
type GiveBack struct {
	Unit       uuid.UUID
	Day        when.Date
	Employment uuid.UUID
}

// NotThere keeps that somebody on a sheet didn't come, or that they did.
type NotThere struct {
	ID         uuid.UUID
	Unit       uuid.UUID
	Day        when.Date
	Employment uuid.UUID
	There      bool
}

// CountWork keeps how much a crew did on a day of what is counted on a job or a task.
type CountWork struct {
	ID        uuid.UUID
	Unit      uuid.UUID
	Day       when.Date
	Job, Task uuid.UUID
	Amount    string // a decimal number
}

// SignSheet signs every card on a sheet that is over and not signed. Seen is the digest of
// those that were shown.
type SignSheet struct {
	ID   uuid.UUID // of the batch
	Unit uuid.UUID
	Day  when.Date
	Seen string
}

// Permission is what the act takes.
func (Borrow) Permission() string { return "clock.other" }

// Permission is what the act takes.
func (GiveBack) Permission() string { return "clock.other" }

// Permission is what the act takes.
func (NotThere) Permission() string { return "clock.other" }

// Permission is what the act takes.
func (CountWork) Permission() string { return "clock.other" }

// Permission is what the act takes.
func (SignSheet) Permission() string { return "sheet.sign" }

// borrowDays is for how many days back somebody is put on a sheet.
const borrowDays = 14

func (b Borrow) Do(ctx context.Context, t *app.Turn) error {
	today := t.Company.Today(t.Now)
	if b.Day > today || b.Day < today-borrowDays {
		return refusal.New("day", "Nobody is put on the sheet of that day", fmt.Sprintf("Choose one of the last %d days", borrowDays))
	}
	if !t.Actor.Reaches(t.Act, uuid.Nil, b.Unit) {
		return app.ErrNotFound
	}
	who, err := store.LockEmployment(ctx, t, b.Employment)
	switch {
	case store.NotFound(err):
		return app.ErrNotFound
	case err != nil:
		return err
	case who.Unit == b.Unit:
		return refusal.New("employment", who.Name()+" is of this crew", "They are on its sheet already")
	case b.Day < who.StartsOn || who.EndsOn != nil && b.Day > *who.EndsOn:
		return refusal.New("employment", who.Name()+" doesn’t work here on that day", "Choose somebody else")
	}
	if err := store.Borrow(ctx, t, b.ID, b.Unit, b.Employment, b.Day, t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, b.Employment, map[string]any{"borrowed": b.Unit, "date": b.Day})
	return nil
}

func (g GiveBack) Do(ctx context.Context, t *app.Turn) error {
	who, err := lockOnSheet(ctx, t, g.Unit, g.Day, g.Employment)
	if err != nil {
		return err
	}
	gone, err := store.GiveBack(ctx, t, g.Unit, g.Employment, g.Day, t.Actor.ID, t.Now)
	if err != nil {
		return err
	}
	if !gone {
		return refusal.New("employment", who.Name()+" is of this crew", "Say that they didn’t come instead")
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, g.Employment, map[string]any{"given_back": g.Unit, "date": g.Day})
	return nil
}

// lockOnSheet locks somebody on a sheet that the actor fills.
func lockOnSheet(ctx context.Context, t *app.Turn, unit uuid.UUID, day when.Date, employment uuid.UUID) (store.Employment, error) {
	who, err := store.LockEmployment(ctx, t, employment)
	if store.NotFound(err) {
		return who, app.ErrNotFound
	}
	if err != nil {
		return who, err
	}
	return who, onSheet(ctx, t, unit, day, []store.Employment{who})
}

func (n NotThere) Do(ctx context.Context, t *app.Turn) error {
	who, err := lockOnSheet(ctx, t, n.Unit, n.Day, n.Employment)
	if err != nil {
		return err
	}
	if n.There {
		err = store.SayThere(ctx, t, []uuid.UUID{n.Employment}, n.Day, t.Actor.ID, t.Now)
	} else {
		err = store.SayNotThere(ctx, t, n.ID, n.Employment, n.Day, t.Actor.ID, t.Now)
	}
	if err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, n.Employment, map[string]any{"there": n.There, "date": n.Day})
	return nil
}

func (c CountWork) Do(ctx context.Context, t *app.Turn) error {
	if !t.Actor.Reaches(t.Act, uuid.Nil, c.Unit) {
		return app.ErrNotFound
	}
	amount, err := decimal.NewFromString(strings.Replace(strings.TrimSpace(c.Amount), ",", ".", 1))
	if err != nil || strings.ContainsAny(c.Amount, "eE") || amount.IsNegative() || amount.Exponent() < -2 ||
		amount.GreaterThan(decimal.New(9999999, 0)) {
		return refusal.New("amount", "That is no number", "Write how many, such as 12 or 3.5")
	}
	counted, err := store.CountedIn(ctx, t, c.Job, c.Task)
	switch {
	case store.NotFound(err):
		return app.ErrNotFound
	case err != nil:
		return err
	case counted == "":
		return refusal.New("amount", "Nothing is counted on this "+t.Company.JobWord, "The office says on its page what is counted")
	case c.Day > t.Company.Today(t.Now):
		return refusal.New("day", "This day has not come yet", "Wait until it is over")
	}
	of := store.Quantity{Job: c.Job, Task: c.Task, CountedIn: counted, Amount: &amount}
	if fresh, err := store.InsertQuantity(ctx, t, c.ID, c.Unit, c.Day, of, t.Actor.ID, t.Now); err != nil || !fresh {
		return err
	}
	t.Record(store.Event{Unit: c.Unit, Act: t.Act}, c.Job, map[string]any{"amount": amount, "of": counted, "date": c.Day})
	return nil
}

func (s SignSheet) Do(ctx context.Context, t *app.Turn) error {
	if !t.Actor.Reaches(t.Act, uuid.Nil, s.Unit) {
		return app.ErrNotFound
	}
	people, err := store.SheetPeople(ctx, t, s.Unit, s.Day)
	if err != nil {
		return err
	}
	refs := make([]CardRef, len(people))
	for i, p := range people {
		refs[i] = CardRef{p.Employment, s.Day}
	}
	if len(refs) == 0 {
		return refusal.New("cards", "No card is ready any more", "Look at the list again")
	}
	cards, err := lockCards(ctx, t, refs)
	if err != nil {
		return err
	}
	cards = pickCards(cards, func(c store.Card) bool { return c.State == card.Open && !c.Running() && c.Worked > 0 })
	switch {
	case len(cards) == 0:
		return refusal.New("cards", "No card is ready any more", "Look at the list again")
	case sheetDigest(refsOf(cards)) != s.Seen:
		return refusal.New("cards", "The list changed while you were looking", "Look at it again and press once more")
	}
	if cards, err = notHeld(ctx, t, cards); err != nil {
		return err
	}
	return move(ctx, t, cards, card.Sign, s.ID, "")
}

// SignDigest stands for the cards that signing the sheet would sign.
func (s *CrewSheet) SignDigest() string { return sheetDigest(s.ToSign) }

// sheetDigest is [Digest] of cards in whatever order.
func sheetDigest(refs []CardRef) string {
	refs = slices.Clone(refs)
	slices.SortFunc(refs, func(a, b CardRef) int { return slices.Compare(a.Employment[:], b.Employment[:]) })
	return Digest(refs)
}
