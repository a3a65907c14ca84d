package hours

import (
	"cmp"
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/job"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// Matter is a kind of thing that wants a decision.
type Matter string

// The matters, the most pressing first.
const (
	NotCounted Matter = "not_counted" // on the clock past the longest shift, or ended by nobody
	NotHere    Matter = "missing"     // planned, and not clocked
	Disputed   Matter = "objection"
	Wanted     Matter = "request"
	Claimed    Matter = "claim"
	AfterPaid  Matter = "after_pay" // a paid day that changed
	Unsigned   Matter = "unsigned"  // of a day whose signatures are due
	Looks      Matter = "flagged"   // cards of a day with flags
	Ready      Matter = "clear"     // cards of a day that one key approves
)

var pressing = map[Matter]int{NotCounted: 0, NotHere: 1, Disputed: 2, Wanted: 3, Claimed: 4, AfterPaid: 5, Unsigned: 6, Looks: 7, Ready: 8}

// Decision is one thing that waits for somebody: of a person, or of so many cards
// of a day.
type Decision struct {
	Matter  Matter
	Since   time.Time
	Name    string // of the person; "" where it is about several
	Card    CardRef
	Cards   int // of the day
	Words   string
	Claim   *store.Claim
	Request *store.Request
	Loc     *time.Location
	Ends    []Proposal // when they may have left, of what nobody ended and the actor may end
	Seen    string     // digest of the cards that one key approves

	row *DayRow // of the person
}

// Overtime is somebody who comes to overtime this week, and when.
type Overtime struct {
	store.ComingOvertime
	At      time.Time // when the threshold is passed, as planned
	Passed  bool      // it is
	Beyond  int64
	Working *time.Location
}

// Ending is a job whose hours come to their end, and on which date at the pace
// of the last fortnight.
type Ending struct {
	store.RunningOut
	On   when.Date
	Over int64 // used beyond, seconds
}

// Decisions are what wants a decision now, the most pressing first, and what is
// coming.
type Decisions struct {
	List     []Decision
	More     int         // that are not listed
	Week     when.Period // by which overtime is counted
	Overtime []Overtime
	Endings  []Ending
	Now      time.Time
	Loc      *time.Location
	Today    when.Date
}

const (
	decisionsShown = 14
	decisionDays   = 42 // before today
	comingShown    = 6
)

// ReadDecisions reads what wants a decision of those whom the actor sees on
// Today.
func ReadDecisions(ctx context.Context, a *app.App, actor app.Actor) (*Decisions, error) {
	if !actor.May("today.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	d := &Decisions{Now: a.Now(), Loc: place.Loc, Today: place.Today(a.Now())}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: d.Today - decisionDays, To: d.Today, Units: actor.Units("today.see"),
		Undone: true})
	if err != nil {
		return nil, err
	}
	rows := rowsOf(cards)
	if err := judge(rows, actor, place, d.Now); err != nil {
		return nil, err
	}
	d.cards(rows, actor, place)
	if actor.May("time.edit") {
		if err := d.asked(ctx, a, actor); err != nil {
			return nil, err
		}
	}
	slices.SortStableFunc(d.List, func(x, y Decision) int {
		return cmp.Or(cmp.Compare(pressing[x.Matter], pressing[y.Matter]), x.Since.Compare(y.Since))
	})
	if d.More = len(d.List) - decisionsShown; d.More > 0 {
		d.List = d.List[:decisionsShown]
	}
	if err := d.ends(ctx, a, actor); err != nil {
		return nil, err
	}
	if err := d.overtime(ctx, a, actor, place); err != nil {
		return nil, err
	}
	return d, d.endings(ctx, a, actor)
}

// cards finds what wants a decision on cards: of single ones, and of the rest of
// a day together.
func (d *Decisions) cards(rows []DayRow, actor app.Actor, place *app.Company) {
	type day struct {
		matter Matter
		date   when.Date
	}
	of := map[day][]CardRef{}
	approves := actor.May("card.approve")
	for i, r := range rows {
		ref := CardRef{r.Employment, r.Date}
		one := Decision{Name: r.Name(), Card: ref, Loc: r.Loc, Since: r.Date.At(0, r.Loc), row: &rows[i]}
		has := func(code card.Code) bool {
			return slices.ContainsFunc(r.Flags, func(f card.Flag) bool { return f.Code == code })
		}
		switch {
		case r.Own:
			continue
		case has(card.LongOpen):
			one.Matter, one.Since = NotCounted, r.OpenSince
			for _, f := range r.Flags {
				if f.Code == card.LongOpen {
					one.Since = *f.At
				}
			}
		case r.Date == d.Today && has(card.Missing):
			one.Matter, one.Since = NotHere, r.ShiftFrom
		case r.Objections > 0 && approves:
			one.Matter, one.Since = Disputed, latest(r)
		case r.Pending() && approves:
			one.Matter, one.Since = AfterPaid, latest(r)
		case r.Date < d.Today && approves:
			m := waiting(r)
			if m == "" || r.Requests > 0 || m == Unsigned && d.Now.Before(place.SignatureDue(r.Date, r.Loc)) ||
				m == Ready && !ready(card.Approve, r.Card, r.Class, actor, d.Now) {
				continue
			}
			of[day{m, r.Date}] = append(of[day{m, r.Date}], ref)
			continue
		default:
			continue
		}
		d.List = append(d.List, one)
	}
	for k, refs := range of {
		d.List = append(d.List, Decision{Matter: k.matter, Cards: len(refs), Card: CardRef{Date: k.date}, Seen: Digest(refs),
			Since: (k.date + 1).At(0, place.Loc), Loc: place.Loc})
	}
}

// ends proposes when those left of whom nobody said so, where the actor may say
// it.
func (d *Decisions) ends(ctx context.Context, a *app.App, actor app.Actor) error {
	var open []DayRow
	var at []int // of the list
	var units []uuid.UUID
	var on []when.Date
	for i, o := range d.List {
		if o.Matter == NotCounted && actor.Reaches("time.edit", o.row.Person, o.row.Unit) {
			open, at, units, on = append(open, *o.row), append(at, i), append(units, o.row.Unit), append(on, o.row.Date)
		}
	}
	if len(open) == 0 {
		return nil
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: slices.Min(on), To: slices.Max(on), On: on, Units: units})
	if err != nil {
		return err
	}
	crews := rowsOf(cards)
	if err := fill(ctx, a, open); err != nil {
		return err
	}
	if err := fill(ctx, a, crews); err != nil {
		return err
	}
	for i := range open {
		r := &open[i]
		crew := pickRows(crews, func(c *DayRow) bool {
			return c.Unit == r.Unit && c.Date == r.Date && c.Employment != r.Employment
		})
		if s := r.unended(); s != nil {
			d.List[at[i]].Ends = ends(*r, s, crew, d.Now)
		}
	}
	return nil
}

// latest is when the last of a card's hours were recorded, as far as the card
// itself tells.
func latest(r DayRow) time.Time {
	if !r.Last.IsZero() {
		return r.Last
	}
	return r.Date.At(0, r.Loc)
}

// waiting says what a card of a day that is over waits for, "" for nothing.
func waiting(r DayRow) Matter {
	switch r.Class {
	case card.Flagged:
		return Looks
	case card.Clear:
		return Ready
	case card.NotSigned:
		if r.Worked > 0 || r.Leave > 0 {
			return Unsigned
		}
	}
	return ""
}

// asked adds the requests and claims that wait.
func (d *Decisions) asked(ctx context.Context, a *app.App, actor app.Actor) error {
	units := actor.Units("time.edit")
	requests, err := store.OpenRequests(ctx, a.DB, units)
	if err != nil {
		return err
	}
	for i, q := range requests {
		loc, err := time.LoadLocation(q.Zone)
		if err != nil {
			return err
		}
		if q.Person != actor.ID && q.By != actor.ID {
			d.List = append(d.List, Decision{Matter: Wanted, Since: q.MadeAt, Name: q.Name(), Card: CardRef{q.Employment, q.Date},
				Request: &requests[i], Loc: loc})
		}
	}
	claims, err := store.OpenClaims(ctx, a.DB, units)
	if err != nil {
		return err
	}
	for i, c := range claims {
		loc, err := time.LoadLocation(c.Zone)
		if err != nil {
			return err
		}
		if c.Person != actor.ID {
			d.List = append(d.List, Decision{Matter: Claimed, Since: c.Received, Name: c.Name(), Card: CardRef{c.Employment, c.Date},
				Claim: &claims[i], Loc: loc})
		}
	}
	return nil
}

// overtime finds who comes to overtime this week, and when: by the weekly
// threshold of the rules in force.
func (d *Decisions) overtime(ctx context.Context, a *app.App, actor app.Actor, place *app.Company) error {
	set := place.RuleSetOn(d.Today)
	if set == nil || set.Rules.WeeklyOvertime == pay.NotInForce || set.Rules.WeekDays() != 7 {
		return nil
	}
	d.Week.From = set.Rules.FirstDay(d.Today)
	d.Week.To = d.Week.From + 6
	found, err := store.OvertimeAhead(ctx, a.DB, d.Week, d.Today, set.Rules.WeeklyOvertime, actor.Units("today.see"), comingShown)
	if err != nil {
		return err
	}
	for _, o := range found {
		over, err := passes(o, d.Today, set.Rules.WeeklyOvertime)
		if err != nil {
			return err
		}
		d.Overtime = append(d.Overtime, over)
	}
	return nil
}

// passes says when somebody's week passes a threshold, if all goes as planned.
func passes(o store.ComingOvertime, today when.Date, threshold int64) (Overtime, error) {
	loc, err := time.LoadLocation(o.Zone)
	if err != nil {
		return Overtime{}, err
	}
	begin := o.Date.At(7*time.Hour, loc)
	if o.ShiftFrom != nil {
		begin = *o.ShiftFrom
	}
	return Overtime{ComingOvertime: o, At: begin.Add(time.Duration(threshold-o.Before) * time.Second),
		Passed: o.Date < today || o.Date == today && o.Before+o.Worked > threshold, Beyond: o.Total - threshold, Working: loc}, nil
}

// endings finds which jobs come to the end of their hours, and when at the pace
// of the last fortnight.
func (d *Decisions) endings(ctx context.Context, a *app.App, actor app.Actor) error {
	if !actor.May("jobs.see") {
		return nil
	}
	jobs, err := store.JobsRunningOut(ctx, a.DB)
	if err != nil {
		return err
	}
	for _, j := range jobs {
		b := job.Budget{Hours: j.Budget, Used: j.Used, Lately: j.Lately}
		if days, known := b.Ends(); known && days <= job.Pace {
			d.Endings = append(d.Endings, Ending{RunningOut: j, On: d.Today + when.Date(days), Over: max(-b.Left(), 0)})
		}
	}
	slices.SortStableFunc(d.Endings, func(x, y Ending) int { return cmp.Compare(x.On, y.On) })
	d.Endings = d.Endings[:min(len(d.Endings), comingShown)]
	return nil
}
