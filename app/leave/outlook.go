package leave

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/leave"
	"manudex/core/when"
	"manudex/store"
)

// Cost is what a day costs: what is expected on it and isn't leave yet.
type Cost struct {
	Date    when.Date
	Seconds int64
	Amount  leave.Amount // in the unit of the kind
	Why     string       // why it costs nothing, "" where it does
}

// Against is what speaks against leave on a day.
type Against struct {
	Date    when.Date
	Text    string
	Bars    bool // else it is only to be thought of
	Refuses bool
}

// Weighed is what becomes of asking for some days.
type Weighed struct {
	Days    when.Period
	Costs   []Cost
	Seconds int64
	Amount  leave.Amount
	Account *Account     // nil where there is none of the kind
	After   leave.Amount // the balance after them, with what is asked for already
	Lowest  leave.Line   // from then until the end of next year
	Against []Against    // by date
	Left    []CrewLeft   // of the crew, on days that cost something
	Fewer   when.Period  // of them, what would go: zero for none
	Later   when.Period  // as many days, which would go
	PerDay  int64        // seconds of an average day of late, where neither shift nor pattern says how long it is
}

// CrewLeft is how many of a crew would be left to work on a day.
type CrewLeft struct {
	Date  when.Date
	Left  int
	Least int // 0 where nothing says so
}

// refused gives the first thing that refuses, nil for none.
func (w Weighed) refused() *Against { return w.first(func(a Against) bool { return a.Refuses }) }

// barred gives the first that isn't only to be thought of.
func (w Weighed) barred() *Against { return w.first(func(a Against) bool { return a.Bars }) }

func (w Weighed) first(is func(Against) bool) *Against {
	if i := slices.IndexFunc(w.Against, is); i >= 0 {
		return &w.Against[i]
	}
	return nil
}

// outlook is what is known of the days of a span for which somebody asks.
type outlook struct {
	who     store.Employment
	kind    store.LeaveKind
	plans   map[when.Date]card.Plan
	asked   map[when.Date]bool
	each    bool  // nothing says how long a day is but who asks
	perDay  int64 // then: what an average day of late is
	account *Account
	windows []store.LeaveWindow
	shifts  []store.Shift
	near    *staffing // of the crew, and of the site where a number is wanted there
	least   map[uuid.UUID]int
	loc     *time.Location
}

// asker is somebody who asks for days of a kind.
type asker struct {
	who  store.Employment
	kind store.LeaveKind
	days when.Period // of which it is read who is away
}

// readOutlooks reads what is known of a span for some who ask, in their order.
func readOutlooks(ctx context.Context, q store.Q, place *app.Company, today when.Date, askers []asker, days when.Period) ([]*outlook,
	error) {
	var of []uuid.UUID
	around := store.Near{}
	least, all := map[uuid.UUID]int{}, make([]*outlook, len(askers))
	numbers, err := store.LeastLeft(ctx, q)
	if err != nil {
		return nil, err
	}
	for _, l := range numbers {
		least[l.ID] = l.Least
	}
	for i, a := range askers {
		all[i] = &outlook{who: a.who, kind: a.kind, plans: map[when.Date]card.Plan{}, asked: map[when.Date]bool{}, least: least}
		if all[i].loc, err = a.who.Loc(); err != nil {
			return nil, err
		}
		of, around.Units = append(of, a.who.ID), append(around.Units, a.who.Unit)
		if least[a.who.Site] > 0 {
			around.Sites = append(around.Sites, a.who.Site)
		}
	}
	near, err := readStaffing(ctx, q, place, store.RosterFilter{Days: days, Near: &around}, func(p store.RosterPerson, d when.Date) bool {
		return slices.ContainsFunc(askers, func(a asker) bool {
			return a.days.From <= d && d <= a.days.To && (a.who.Unit == p.Unit || a.who.Site == p.Site && least[p.Site] > 0)
		})
	})
	if err != nil {
		return nil, err
	}
	own, err := readOwn(ctx, q, place, today, of, days)
	if err != nil {
		return nil, err
	}
	for _, o := range all {
		o.near = near
		own.of(o)
	}
	return all, nil
}

// owned is what is known of some people for themselves.
type owned struct {
	plans    []store.Planned
	asked    []store.LeaveOn
	averages []store.AverageDay
	accounts map[uuid.UUID][]Account
	windows  []store.LeaveWindow
	shifts   []store.Shift
}

func readOwn(ctx context.Context, q store.Q, place *app.Company, today when.Date, of []uuid.UUID, days when.Period) (w owned, err error) {
	on := make([]store.EmploymentDate, 0, len(of)*days.Days())
	for _, e := range of {
		for _, d := range days.Dates() {
			on = append(on, store.EmploymentDate{Employment: e, Date: d})
		}
	}
	if w.plans, err = store.PlansOf(ctx, q, on, place.Holiday); err != nil {
		return w, err
	}
	if w.asked, err = store.LeaveAskedIn(ctx, q, of, days); err != nil {
		return w, err
	}
	if w.averages, err = store.AverageDays(ctx, q, of, today-lately); err != nil {
		return w, err
	}
	if w.accounts, err = accounts(ctx, q, of, today); err != nil {
		return w, err
	}
	if w.windows, err = store.LeaveWindows(ctx, q, days); err != nil {
		return w, err
	}
	w.shifts, err = store.ShiftsOn(ctx, q, of, days.Dates())
	return w, err
}

// of gives an outlook what is its own.
func (w owned) of(o *outlook) {
	for _, p := range w.plans {
		if p.Employment == o.who.ID {
			o.plans[p.Date] = p.Plan
		}
	}
	for _, a := range w.asked {
		if a.Employment == o.who.ID {
			o.asked[a.Date] = true
		}
	}
	for _, a := range w.averages {
		if a.Employment == o.who.ID {
			o.each, o.perDay = !a.Pattern, a.Seconds
		}
	}
	for _, a := range w.accounts[o.who.ID] {
		if a.Kind == o.kind.ID {
			a.Input.Events = append(slices.Clone(a.Input.Events), a.Asked...)
			o.account = &a
		}
	}
	for _, x := range w.windows {
		if x.Unit == nil || *x.Unit == o.who.Unit {
			o.windows = append(o.windows, x)
		}
	}
	for _, s := range w.shifts {
		if s.Employment == o.who.ID {
			o.shifts = append(o.shifts, s)
		}
	}
}

// without leaves days out that were asked for, or booked.
func (o *outlook) without(days []store.LeaveDay) error {
	for _, d := range days {
		if plan, is := o.plans[d.Date]; is {
			if !o.asked[d.Date] {
				plan.Leave -= d.Seconds
			}
			o.plans[d.Date], o.asked[d.Date] = plan, false
		}
		if o.account == nil {
			continue
		}
		amount, err := leave.ParseAmount(trimmed(d.Amount))
		if err != nil {
			return fmt.Errorf("a day of leave, %s: %w", d.Amount, err)
		}
		in := &o.account.Input
		is := func(e leave.Event) bool { return e.Date == d.Date && e.Kind == leave.Taken && e.Amount == amount }
		if i := slices.IndexFunc(in.Events, is); i >= 0 {
			in.Events = slices.Delete(in.Events, i, i+1)
		}
	}
	return nil
}

// cost gives what a day costs, of which so many seconds are asked for, 0 for all.
func (o *outlook) cost(d when.Date, each int64, alone bool) Cost {
	c := Cost{Date: d}
	plan := o.plans[d]
	left := plan.Expected - plan.Leave
	switch {
	case o.asked[d]:
		c.Why = "asked for already"
	case plan.Leave > 0 && left <= 0:
		c.Why = "leave already"
	case plan.Expected == 0 && plan.Holiday:
		c.Why = "a holiday"
	case plan.Expected == 0 && each > 0 && (alone || o.each): // nothing says how long it is: they do
		c.Seconds = each
	case plan.Expected == 0 && o.each:
		c.Why = "say how many hours"
	case plan.Expected == 0:
		c.Why = "no working day"
	case each > 0:
		c.Seconds = min(each, left)
	default:
		c.Seconds = left
	}
	switch {
	case !o.kind.InDays:
		c.Amount = hoursOf(c.Seconds)
	case plan.Expected > 0: // a day is a day, however long it is
		c.Amount = leave.Amount((c.Seconds*2_000_000 + plan.Expected) / (2 * plan.Expected))
	case c.Seconds > 0:
		c.Amount = leave.Amount(1_000_000)
	}
	return c
}

// weigh says what becomes of asking for the days of a span.
func (o *outlook) weigh(days when.Period, each int64) Weighed {
	costs := make([]Cost, 0, days.Days())
	for _, d := range days.Dates() {
		costs = append(costs, o.cost(d, each, days.Days() == 1))
	}
	w := o.judge(costs)
	w.Days = days
	if o.each {
		w.PerDay = o.perDay
	}
	return w
}

// judge says what becomes of days that cost something.
func (o *outlook) judge(costs []Cost) Weighed {
	w := Weighed{Costs: costs, Account: o.account}
	var events []leave.Event
	for _, c := range costs {
		if c.Seconds == 0 {
			continue
		}
		w.Seconds, w.Amount = w.Seconds+c.Seconds, w.Amount+c.Amount
		if o.account != nil && c.Date > o.account.From {
			events = append(events, leave.Event{Date: c.Date, Kind: leave.Taken, Amount: c.Amount})
		}
		o.staffed(&w, c)
		for _, x := range o.windows {
			switch {
			case c.Date < x.From || c.Date > x.To:
			case x.Closed:
				w.Against = append(w.Against, Against{c.Date, "nobody takes leave then: " + x.Name, true, true})
			default:
				w.Against = append(w.Against, Against{Date: c.Date, Text: "then is " + x.Name})
			}
		}
		for _, s := range o.shifts {
			if s.Date == c.Date {
				w.Against = append(w.Against, Against{Date: c.Date, Text: fmt.Sprintf("a shift is planned from %s to %s",
					s.Start.In(o.loc).Format("15:04"), s.End.In(o.loc).Format("15:04"))})
			}
		}
	}
	if len(events) > 0 {
		got := leave.AskDays(o.account.Input, events, o.account.Until)
		w.After, w.Lowest = got.After, got.Lowest
		if !got.Accepted {
			w.Against = append(w.Against, Against{got.On, barred(got), true, o.kind.Low == refuse})
		}
	}
	slices.SortStableFunc(w.Against, func(a, b Against) int { return int(a.Date - b.Date) })
	return w
}

// What becomes of asking where something bars it.
const (
	refuse = "refuse"
	warn   = "warn"
)

// barred says why an account doesn't let one take what is asked for.
func barred(a leave.Asked) string {
	switch a.By {
	case leave.Waiting:
		return "nothing can be taken before then"
	case leave.Used:
		return fmt.Sprintf("%s would be taken in the leave year, and %s can be", a.Would, a.Bound)
	case leave.SinksLater:
		return fmt.Sprintf("leave that is booked would bring the balance to %s, and %s is the least", a.Would, a.Bound)
	}
	return fmt.Sprintf("the balance would be %s, and %s is the least", a.Would, a.Bound)
}

// staffed says whom a day leaves.
func (o *outlook) staffed(w *Weighed, c Cost) {
	half := c.Seconds*2 >= o.plans[c.Date].Expected
	leaves := func(least int, of func(store.RosterPerson) bool, text string) int {
		count := o.near.count(c.Date, of)
		left := count.Left()
		for _, p := range o.near.people {
			if expected, away, _ := o.near.on(p, c.Date); p.Employment == o.who.ID && expected && !away && half {
				left--
			}
		}
		if half && count.Short(left, least) {
			w.Against = append(w.Against, Against{c.Date, fmt.Sprintf(text, left, least), true, o.kind.Few == refuse})
		}
		return left
	}
	least := o.least[o.who.Unit]
	left := leaves(least, func(p store.RosterPerson) bool { return p.Unit == o.who.Unit },
		"%d of the crew would be left to work, and %d have to be")
	w.Left = append(w.Left, CrewLeft{Date: c.Date, Left: left, Least: least})
	if n := o.least[o.who.Site]; n > 0 {
		leaves(n, func(p store.RosterPerson) bool { return p.Site == o.who.Site },
			"%d at the site would be left to work, and %d have to be")
	}
}

const (
	lookedLater = 90 // days, among which as many days are looked for that would go
	triesFewer  = 60
)

// asking is what somebody asks about.
type asking struct {
	asker
	days    when.Period
	each    int64     // seconds of each day, 0 for all
	instead uuid.UUID // the request whose place it takes: as if it had not been made; zero for none
}

// read reads what is known of a span for it.
func (a asking) read(ctx context.Context, q store.Q, place *app.Company, today when.Date, span when.Period) (*outlook, error) {
	all, err := readOutlooks(ctx, q, place, today, []asker{{a.who, a.kind, span}}, span)
	if err != nil || a.instead == uuid.Nil {
		return one(all), err
	}
	was, err := store.LeaveDays(ctx, q, []uuid.UUID{a.instead})
	if err == nil {
		err = all[0].without(was)
	}
	return all[0], err
}

func one(all []*outlook) *outlook {
	if len(all) == 0 {
		return nil
	}
	return all[0]
}

// weighed says what becomes of it, and where something bars it, what would go that is nearest.
func (a asking) weighed(ctx context.Context, q store.Q, place *app.Company, today when.Date) (Weighed, error) {
	o, err := a.read(ctx, q, place, today, a.days)
	if err != nil {
		return Weighed{}, err
	}
	w := o.weigh(a.days, a.each)
	if w.barred() == nil || w.Seconds == 0 {
		return w, nil
	}
	for n, tries := a.days.To-1, 0; n >= a.days.From && tries < triesFewer; n, tries = n-1, tries+1 {
		some := when.Period{From: a.days.From, To: n}
		if got := o.weigh(some, a.each); got.barred() == nil && got.Seconds > 0 {
			w.Fewer = some
			break
		}
	}
	wide := when.Period{From: a.days.From, To: min(a.days.To+lookedLater, today+ahead)}
	if o, err = a.read(ctx, q, place, today, wide); err != nil {
		return w, err
	}
	for n := when.Date(1); a.days.To+n <= wide.To; n++ {
		later := when.Period{From: a.days.From + n, To: a.days.To + n}
		if got := o.weigh(later, a.each); got.barred() == nil && got.Seconds >= w.Seconds && got.Costs[0].Seconds > 0 {
			w.Later = later
			break
		}
	}
	return w, nil
}

// nearest says what would go, as a sentence of a refusal.
func (w Weighed) nearest() string {
	switch {
	case w.Fewer != (when.Period{}) && w.Later != (when.Period{}):
		return "These would go: " + spanWords(w.Fewer.From, w.Fewer.To) + ", or " + spanWords(w.Later.From, w.Later.To)
	case w.Fewer != (when.Period{}):
		return "This would go: " + spanWords(w.Fewer.From, w.Fewer.To)
	case w.Later != (when.Period{}):
		return "This would go: " + spanWords(w.Later.From, w.Later.To)
	}
	return "Speak with whoever decides: they can enter it"
}
