package hours

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// CrewPunches records, on the sheet of a crew, what its lead says of some people at one
// time: one step or several, such as a whole day that is written down afterwards. Each
// is a punch of each of them, by whoever leads them; what can't be done to one of them
// holds nobody else up.
type CrewPunches struct {
	ID     uuid.UUID // those of the punches follow from it
	Unit   uuid.UUID // whose sheet
	Day    when.Date // of the sheet
	People []uuid.UUID
	Steps  []CrewStep
	Moment clock.Moment // when the device was pressed, as it says; zero for now
	Queued bool         // it waited at the device
	Tell   func([]CrewTold)
}

// CrewStep is one act of all of them.
type CrewStep struct {
	Act     clock.Act
	Break   clock.Kind
	On      clock.Assignment
	Planned bool // on what each of them is planned on, and on On who isn't
	Marks   clock.Marks
	At      SaidTime // when it was, as somebody says; zero: when the device was pressed
}

// SaidTime is a time that somebody says: what the clocks showed where the hours are whose
// it is about.
type SaidTime struct {
	Date when.Date
	Of   time.Duration // of the day
}

// IsZero says that nobody said a time.
func (s SaidTime) IsZero() bool { return s == SaidTime{} }

// In is the instant that it was in a zone, to the second.
func (s SaidTime) In(loc *time.Location) time.Time {
	if s.IsZero() {
		return time.Time{}
	}
	return s.Date.At(s.Of.Truncate(time.Second), loc)
}

// CrewTold is what became of somebody's punches: recorded, kept as claims with why, or
// refused.
type CrewTold struct {
	Employment uuid.UUID
	Name       string
	Claim      string // why they are claims, "" where they aren't
	Refused    *refusal.Refusal
}

// Permission is the act's name in the permission table.
func (CrewPunches) Permission() string { return "clock.other" }

// mostOnSheet is for how many one act is.
const mostOnSheet = 300

// mostSteps is how many steps one act has.
const mostSteps = 12

// PunchID is the id of the punch that a step makes of somebody.
func (c CrewPunches) PunchID(employment uuid.UUID, step int) uuid.UUID {
	return uuid.NewSHA1(c.ID, fmt.Appendf(nil, "%s %d", employment, step))
}

func (c CrewPunches) Do(ctx context.Context, t *app.Turn) error {
	switch {
	case len(c.People) == 0 || len(c.Steps) == 0:
		return refusal.New("people", "Nobody is ticked", "Tick whom it is about")
	case len(c.People) > mostOnSheet || len(c.Steps) > mostSteps:
		return refusal.New("people", "That is too much at once", fmt.Sprintf("Tick at most %d", mostOnSheet))
	}
	sheet, err := c.read(ctx, t)
	if err != nil {
		return err
	}
	var told []CrewTold
	var changes []rebuilt
	var came []uuid.UUID
	for _, who := range sheet.whose {
		one, err := sheet.one(ctx, t, c, who)
		if err != nil {
			return err
		}
		told = append(told, one.CrewTold)
		if one.change != nil {
			changes, came = append(changes, *one.change), append(came, who.ID)
			t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, c.PunchID(who.ID, 0),
				map[string]any{"act": c.Steps[0].Act, "sheet": c.Unit})
		}
	}
	if len(changes) > 0 {
		if err := write(ctx, t, changes...); err != nil {
			return err
		}
		if err := store.SayThere(ctx, t, came, c.Day, t.Actor.ID, t.Now); err != nil {
			return err
		}
	}
	if c.Tell != nil {
		c.Tell(told)
	}
	return nil
}

// crewSheet is what some people's punches go by, read for all of them at once.
type crewSheet struct {
	whose   []store.Employment
	zones   map[uuid.UUID]*time.Location // of where they work
	books   map[uuid.UUID]*dayBook
	others  map[uuid.UUID][]clock.Stint // of the person, in other positions
	same    map[uuid.UUID]store.Punch   // that were sent before, by id
	planned map[uuid.UUID]clock.Assignment
	works   map[clock.Assignment]map[uuid.UUID]store.Clockable
}

// read locks them, refuses who isn't on the sheet, and reads the rest.
func (c CrewPunches) read(ctx context.Context, t *app.Turn) (*crewSheet, error) {
	people := slices.Clone(c.People)
	slices.SortFunc(people, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
	people = slices.Compact(people)
	s := &crewSheet{works: map[clock.Assignment]map[uuid.UUID]store.Clockable{}, zones: map[uuid.UUID]*time.Location{}}
	var err error
	if s.whose, err = store.LockEmployments(ctx, t, people); err != nil {
		return nil, err
	}
	if len(s.whose) < len(people) {
		return nil, app.ErrNotFound
	}
	if err := onSheet(ctx, t, c.Unit, c.Day, s.whose); err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, 0, len(people)*len(c.Steps))
	changes := make([]Change, 0, len(people))
	for _, who := range s.whose {
		at := t.Now
		if s.zones[who.ID], err = who.Loc(); err != nil {
			return nil, err
		}
		for i := range c.Steps {
			made := c.made(t, who, i, s.zones[who.ID])
			at = minTime(at, made.Claimed)
			ids = append(ids, made.ID)
		}
		changes = append(changes, Change{Employment: who.ID, At: at})
	}
	look := scene{Actor: t.Actor, place: t.Company, now: t.Now}
	if s.books, s.others, err = look.read(ctx, t, s.whose, changes); err != nil {
		return nil, err
	}
	if s.same, err = store.PunchesByID(ctx, t, ids); err != nil {
		return nil, err
	}
	if s.planned, err = store.PlannedWork(ctx, t, people, c.Day); err != nil {
		return nil, err
	}
	return s, nil
}

// onSheet refuses whoever is not on the sheet of a crew that the actor fills: theirs by
// their crew, or borrowed for the day.
func onSheet(ctx context.Context, t *app.Turn, unit uuid.UUID, day when.Date, whose []store.Employment) error {
	if !t.Actor.Reaches(t.Act, uuid.Nil, unit) {
		return app.ErrNotFound
	}
	borrowed, err := store.BorrowedOn(ctx, t, unit, day)
	if err != nil {
		return err
	}
	for _, who := range whose {
		if who.Unit != unit && !slices.Contains(borrowed, who.ID) {
			return app.ErrNotFound
		}
	}
	return nil
}

// made is the punch of somebody that a step makes, when it arrives. One's own comes
// through one's own device, whatever page it was pressed on.
func (c CrewPunches) made(t *app.Turn, who store.Employment, step int, loc *time.Location) clock.Punch {
	s := c.Steps[step]
	p := Punch{ID: c.PunchID(who.ID, step), Act: s.Act, Break: s.Break, On: s.On, Marks: s.Marks, Queued: c.Queued, Moment: c.Moment}
	made := p.tidied().made(t)
	if who.Person != t.Actor.ID {
		if made.Point = clock.OnSheet; c.Queued {
			made.Point = clock.SheetQueue
		}
	}
	if !s.At.IsZero() {
		if made.Device.IsZero() {
			made.Device = t.Now
		}
		made.Point, made.Claimed = clock.OnSheet, s.At.In(loc)
	}
	return made
}

// crewPunched is what becomes of one person.
type crewPunched struct {
	CrewTold
	change *rebuilt
}

// one works out somebody's punches. Its error is about all; what can't be done to this
// one is told.
func (s *crewSheet) one(ctx context.Context, t *app.Turn, c CrewPunches, who store.Employment) (crewPunched, error) {
	done := crewPunched{CrewTold: CrewTold{Employment: who.ID, Name: who.Name()}}
	punches := make([]clock.Punch, len(c.Steps))
	for i, step := range c.Steps {
		punches[i] = c.made(t, who, i, s.zones[who.ID])
		if on, planned := s.planned[who.ID]; planned && step.Planned && (step.Act == clock.In || step.Act == clock.Switch) {
			punches[i].On = on
		}
		if before, sent := s.same[punches[i].ID]; sent { // sent again: answered as before
			again := clock.Punch{Act: step.Act, Break: punches[i].Break, On: punches[i].On, Marks: punches[i].Marks,
				Claimed: step.At.In(s.zones[who.ID])}
			if step.Planned {
				again.On = before.On
			}
			if !before.Punch.Same(again) {
				return done, app.ErrConflict
			}
			return done, nil
		}
	}
	why, err := s.claimed(t, c, who, punches)
	if err == nil && why == "" {
		done.change, err = s.record(ctx, t, who, punches)
	}
	var refused *refusal.Refusal
	if errors.As(err, &refused) && (c.Queued || errors.Is(err, errNotLetIn)) {
		why, err = refused.Error(), nil // it can't be pressed again
	}
	if errors.As(err, &done.Refused) {
		return done, nil
	}
	if err != nil || why == "" {
		return done, err
	}
	done.Claim = why
	code, words := why, ""
	if !slices.Contains([]string{"late", "before", "after"}, why) {
		code, words = "refused", why
	}
	for _, p := range punches {
		if err := keepClaim(ctx, t, who, p, code, words); err != nil {
			return done, err
		}
	}
	return done, nil
}

// claimed says why what is written of somebody is a claim, "" where it isn't; its refusal
// is of what can't be.
func (s *crewSheet) claimed(t *app.Turn, c CrewPunches, who store.Employment, punches []clock.Punch) (why string, err error) {
	from, to := c.Day.At(0, s.zones[who.ID]), (c.Day+2).At(0, s.zones[who.ID])
	for i, p := range punches {
		switch {
		case p.Claimed.After(t.Now):
			return "", refusal.New("at", "That is still to come", "Write a time that is over")
		case p.Claimed.Before(from) || !p.Claimed.Before(to):
			return "", refusal.New("at", "That is not on the day of this sheet", "Open the sheet of its day")
		case i > 0 && !p.Claimed.After(punches[i-1].Claimed):
			return "", refusal.New("at", "The times don’t follow on one another", "Write them in their order")
		}
		why = cmp.Or(why, claimOf(t, who, p))
	}
	if why == "late" && !punches[0].Point.Queued() { // written down, however late
		why = ""
	}
	said := slices.ContainsFunc(c.Steps, func(s CrewStep) bool { return !s.At.IsZero() })
	switch {
	case why != "" || !said:
	case who.Person == t.Actor.ID:
		why = "Somebody else lets times count that one says of oneself"
	case !t.Actor.Reaches("time.edit", who.Person, who.Unit) && !t.Company.LeadTimes:
		why = "Crew leads don't say times here"
	case t.Company.ChangeDays > 0 && c.Day < t.Company.Today(t.Now)-when.Date(t.Company.ChangeDays) && t.Actor.Level != "owner":
		why = fmt.Sprintf("That is more than %d days ago", t.Company.ChangeDays)
	}
	return why, nil
}

// record works out what somebody's punches make of their days.
func (s *crewSheet) record(ctx context.Context, t *app.Turn, who store.Employment, punches []clock.Punch) (*rebuilt, error) {
	book := s.books[who.ID]
	loc, before, last := book.rules.Loc, book.stints, book.last()
	was, _ := book.bare()
	stored := make([]store.Punch, len(punches))
	for i, p := range punches {
		p = p.Settle(t.Now)
		begins := p.Act == clock.In || p.Act == clock.Switch
		if own := who.Person == t.Actor.ID; own && begins && (last == nil || !last.Open()) {
			if err := mayClockIn(who, p); err != nil {
				return nil, errors.Join(err, errNotLetIn)
			}
		}
		if p.Provenance() == clock.Clocked {
			switch err := clock.Check(last, p, loc); {
			case err != nil && last != nil && last.Open() && p.Act == clock.BreakStart:
				return nil, refusal.New("act", "They are on a break already", "End it first")
			case err != nil:
				return nil, offClock(p.Act, last, err, loc)
			case p.Act == clock.In && last != nil && last.Open():
				return nil, refusal.New("act", "They are on the clock already, since "+last.Start.In(loc).Format("15:04"),
					"Move them, to begin on something else")
			}
		}
		work, err := s.clockable(ctx, t, p)
		if err != nil {
			return nil, err
		}
		known := work[who.ID]
		if _, err := checkJob(ctx, t, who, &p, &known); err != nil {
			return nil, err
		}
		stored[i] = store.Punch{Punch: p, Employment: who.ID, By: t.Actor.ID}
	}
	change := book.punch(t.Now, stored...)
	for i := range stored {
		punches[i] = stored[i].Punch
	}
	if slices.ContainsFunc(punches, func(p clock.Punch) bool { return p.Provenance() == clock.ByHand }) {
		if err := clock.CheckWritten(before, book.stints, odd(was, book), punches, loc); err != nil {
			return nil, err
		}
	}
	if err := clock.Overlap(change.Put, s.others[who.Person], loc); err != nil {
		return nil, err
	}
	return &change, nil
}

// odd lists what makes no sense among the punches of a book that did among those before.
func odd(was []clock.Punch, book *dayBook) []clock.Finding {
	are, _ := book.bare()
	_, before := clock.Derive(was)
	_, found := clock.Derive(are)
	return slices.DeleteFunc(found, func(f clock.Finding) bool { return slices.Contains(before, f) })
}

// clockable reads for everybody on the sheet what a punch is to be clocked to, once.
func (s *crewSheet) clockable(ctx context.Context, t *app.Turn, p clock.Punch) (map[uuid.UUID]store.Clockable, error) {
	if p.On.Job == uuid.Nil {
		return nil, nil
	}
	if _, read := s.works[p.On]; !read {
		ids := make([]uuid.UUID, len(s.whose))
		for i, who := range s.whose {
			ids[i] = who.ID
		}
		found, err := store.ClockablesFor(ctx, t, p.On, ids, t.Company.Today(p.Claimed))
		if err != nil {
			return nil, err
		}
		s.works[p.On] = found
	}
	if len(s.works[p.On]) == 0 {
		return nil, refusal.New("job", "There is no such "+t.Company.JobWord, "Choose one from the list")
	}
	return s.works[p.On], nil
}

// offClock says of somebody else what [clock.Check] says to whoever presses.
func offClock(act clock.Act, last *clock.Stint, err error, loc *time.Location) error {
	switch {
	case last != nil && !last.Open():
		return refusal.New("act", "They are off the clock since "+last.End.In(loc).Format("15:04"), "Clock them in first")
	case last == nil:
		return refusal.New("act", "They are off the clock", "Clock them in first")
	case act == clock.BreakEnd:
		return refusal.New("act", "They are at work", "There is no break to end")
	}
	return err
}
