package leave

import (
	"context"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/roster"
	"manudex/core/leave"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// DecideLeave approves requests, or declines them with a reason. Nobody decides their own.
type DecideLeave struct {
	Requests []uuid.UUID
	Approve  bool
	Anyway   bool // though something bars it: too low a balance, too few left to work, days without leave
	Why      string
}

// ReopenLeave takes decisions back: the requests are asked as before.
type ReopenLeave struct{ Requests []uuid.UUID }

// Permission is what the act takes.
func (DecideLeave) Permission() string { return "leave.manage" }

// Permission is what the act takes.
func (ReopenLeave) Permission() string { return "leave.manage" }

// What becomes of a request.
const (
	approve  = "approve"
	decline  = "decline"
	withdraw = "withdraw"
	takeBack = "take_back"
	askBack  = "ask_back" // it is booked, and somebody asks to have it back
)

const mostAtOnce = 500

func (d DecideLeave) Do(ctx context.Context, t *app.Turn) error {
	why := strings.TrimSpace(d.Why)
	if !d.Approve && (why == "" || utf8.RuneCountInString(why) > longestNote) {
		return refusal.New("why", "There is no reason", "Say in a few words why, in at most 500 characters")
	}
	asked, lock, err := toDecide(ctx, t, d.Requests)
	if err != nil {
		return err
	}
	var open, back []store.LeaveRequest
	for _, r := range asked {
		switch {
		case r.Back():
			back = append(back, r)
		case r.Open():
			open = append(open, r)
		default:
			return refusal.New("request", "The leave of "+r.Name+" is decided already", "Look at the list again")
		}
	}
	if d.Approve && !d.Anyway {
		if err := nothingBars(ctx, t, open); err != nil {
			return err
		}
	}
	does, undoes := approve, withdraw
	if !d.Approve {
		does, undoes = decline, approve // what was asked back stays as it is
	}
	if err := lay(ctx, t, lock, undoes, why, back); err != nil {
		return err
	}
	return lay(ctx, t, lock, does, why, open)
}

func (b ReopenLeave) Do(ctx context.Context, t *app.Turn) error {
	asked, lock, err := toDecide(ctx, t, b.Requests)
	if err != nil {
		return err
	}
	var decided, back []store.LeaveRequest
	for _, r := range asked {
		switch {
		case r.Before == askBack && (r.Does == approve || r.Does == withdraw):
			back = append(back, r)
		case r.Does == approve || r.Does == decline:
			decided = append(decided, r)
		default:
			return refusal.New("request", "The leave of "+r.Name+" isn’t decided", "Look at the list again")
		}
	}
	if err := lay(ctx, t, lock, askBack, "", back); err != nil {
		return err
	}
	return lay(ctx, t, lock, takeBack, "", decided)
}

// lockPeople locks people, and before them the places that they open: leave that is taken back
// closes them.
func lockPeople(ctx context.Context, t *app.Turn, employments []uuid.UUID) (store.Locked, error) {
	if err := store.LockOpeningsFrom(ctx, t, employments); err != nil {
		return store.Locked{}, err
	}
	return store.LockPeople(ctx, t, employments)
}

// toDecide reads requests that the actor may decide, with their people locked.
func toDecide(ctx context.Context, t *app.Turn, ids []uuid.UUID) ([]store.LeaveRequest, store.Locked, error) {
	if len(ids) == 0 || len(ids) > mostAtOnce {
		return nil, store.Locked{}, refusal.New("request", "Nothing is chosen, or too much is", "Tick what you decide")
	}
	found, err := store.LeaveByID(ctx, t, ids)
	if err != nil {
		return nil, store.Locked{}, err
	}
	of := make([]uuid.UUID, len(found))
	for i, r := range found {
		of[i] = r.Employment
	}
	lock, err := lockPeople(ctx, t, of)
	if err != nil {
		return nil, lock, err
	}
	if found, err = store.LeaveByID(ctx, t, ids); err != nil { // as they are now that nobody else decides
		return nil, lock, err
	}
	if len(found) < len(ids) {
		return nil, lock, app.ErrNotFound
	}
	for _, r := range found {
		switch {
		case !t.Actor.Reaches(t.Act, r.Person, r.Unit):
			return nil, lock, app.ErrNotFound
		case r.Person == t.Actor.ID:
			return nil, lock, refusal.New("request", "You asked for this yourself", "Somebody else decides it")
		}
	}
	return found, lock, nil
}

// lay keeps what becomes of requests, books their days or takes them away, and works their
// cards anew. Whose they are is told.
func lay(ctx context.Context, t *app.Turn, lock store.Locked, does, why string, requests []store.LeaveRequest) error {
	if len(requests) == 0 {
		return nil
	}
	var changed []store.LeaveRequest // whose days become leave, or no leave
	for _, r := range requests {
		if books := does == approve || does == askBack; books != r.Booked() {
			changed = append(changed, r)
		}
	}
	if err := store.InsertLeaveActs(ctx, t, requests, does, why, t.Actor.ID, t.Now); err != nil {
		return err
	}
	if len(changed) > 0 {
		if err := book(ctx, t, lock, does, changed); err != nil {
			return err
		}
	}
	for _, r := range requests {
		t.Record(store.Event{Person: r.Person, Unit: r.Unit, Act: t.Act}, r.ID, map[string]any{"leave": does})
		word, key := map[string]string{approve: "approved", decline: "declined"}[does], r.ID.String()+does
		if r.Back() {
			word, key = map[string]string{approve: "kept as it was", withdraw: "taken back"}[does], key+"asked"
		}
		if word != "" {
			t.Tell(app.Notice{Person: r.Person, Kind: notice.LeaveDecided, Key: key,
				Words: []string{spanWords(r.First, r.Last), word}, Link: "/leave"})
		}
	}
	return nil
}

// book makes the days of requests leave, or takes them away where they were.
func book(ctx context.Context, t *app.Turn, lock store.Locked, does string, requests []store.LeaveRequest) error {
	ids := make([]uuid.UUID, len(requests))
	for i, r := range requests {
		ids[i] = r.ID
	}
	days, err := store.LeaveDays(ctx, t, ids)
	if err != nil {
		return err
	}
	of := map[uuid.UUID]uuid.UUID{}
	for _, r := range requests {
		of[r.ID] = r.Employment
	}
	on := make([]store.EmploymentDate, len(days))
	for i, d := range days {
		on[i] = store.EmploymentDate{Employment: of[d.Request], Date: d.Date}
	}
	paid, err := store.PaidDays(ctx, t, on)
	if err != nil {
		return err
	}
	if len(paid) > 0 {
		return isPaid(paid[0].Date)
	}
	books := does == approve || does == askBack
	if books {
		err = store.BookLeave(ctx, t, ids)
	} else {
		err = store.UnbookLeave(ctx, t, ids)
	}
	if store.Violates(err, "leave_day_employment_id_date_pay_code_key") {
		return refusal.New("request", "One of these days is leave already", "Look at their days, and decline this")
	}
	if err != nil {
		return err
	}
	if err := hours.PlanTold(ctx, t, lock, slices.CompactFunc(on, func(a, b store.EmploymentDate) bool { return a == b })); err != nil {
		return err
	}
	if err := shiftsFor(ctx, t, lock, books, days, of); err != nil {
		return err
	}
	people := slices.Collect(maps.Values(of))
	slices.SortFunc(people, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
	return bookDue(ctx, t, lock, slices.Compact(people))
}

// shiftsFor opens the shifts of days that are leave altogether, or closes them again.
func shiftsFor(ctx context.Context, t *app.Turn, lock store.Locked, books bool, days []store.LeaveDay, of map[uuid.UUID]uuid.UUID) error {
	by := map[store.EmploymentDate]uuid.UUID{}
	for _, d := range days {
		by[store.EmploymentDate{Employment: of[d.Request], Date: d.Date}] = d.Request
	}
	if !books {
		all, err := store.LeaveRequestsOn(ctx, t, slices.Collect(maps.Keys(by)))
		if err != nil {
			return err
		}
		return roster.CloseForLeave(ctx, t, lock, all)
	}
	plans, err := store.PlansOf(ctx, t, slices.Collect(maps.Keys(by)), t.Company.Holiday)
	if err != nil {
		return err
	}
	for _, p := range plans {
		if p.Plan.Leave < p.Plan.Expected {
			delete(by, p.EmploymentDate)
		}
	}
	return roster.OpenForLeave(ctx, t, lock, by)
}

// nothingBars refuses to approve where something bars it, by what its kind says.
func nothingBars(ctx context.Context, t *app.Turn, requests []store.LeaveRequest) error {
	all, err := judged(ctx, t, t.Company, t.Company.Today(t.Now), requests)
	if err != nil {
		return err
	}
	for _, r := range requests {
		if no := all[r.ID].Weighed.refused(); no != nil {
			return refusal.New("anyway", r.Name+", "+no.Date.Format("Mon 2 Jan")+": "+no.Text,
				"Decline it, or tick that it is approved even so")
		}
	}
	return nil
}

// Judged is what becomes of a request that waits, and who of the crew is away around its days.
type Judged struct {
	Weighed Weighed
	Near    Near
}

// Near is who of a crew is away around some days.
type Near struct {
	Days   when.Period
	Rows   []AwayRow
	Counts []Count // by day
	Least  int
	Off    map[when.Date]bool // holidays
}

// nearDays are shown before and after a request, and nearMost days altogether.
const (
	nearDays = 4
	nearMost = 35
)

// judged says of requests that wait what becomes of them.
func judged(ctx context.Context, q store.Q, place *app.Company, today when.Date, requests []store.LeaveRequest) (map[uuid.UUID]Judged,
	error) {
	if len(requests) == 0 {
		return nil, nil
	}
	askers, span, err := askersOf(ctx, q, requests)
	if err != nil {
		return nil, err
	}
	outlooks, err := readOutlooks(ctx, q, place, today, askers, span)
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(requests))
	for i, r := range requests {
		ids[i] = r.ID
	}
	days, err := store.LeaveDays(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID][]store.LeaveDay{}
	for _, d := range days {
		of[d.Request] = append(of[d.Request], d)
	}
	found := map[uuid.UUID]Judged{}
	for i, r := range requests {
		var costs []Cost
		for _, d := range of[r.ID] {
			amount, err := leave.ParseAmount(trimmed(d.Amount))
			if err != nil {
				return nil, err
			}
			costs = append(costs, Cost{Date: d.Date, Seconds: d.Seconds, Amount: amount})
		}
		if err := outlooks[i].without(of[r.ID]); err != nil { // as it would be without it, and then with it
			return nil, err
		}
		j := Judged{Near: outlooks[i].nearby(askers[i].days, place.Holiday)}
		if !r.Back() {
			j.Weighed = outlooks[i].judge(costs)
		}
		found[r.ID] = j
	}
	return found, nil
}

// askersOf reads who asks for what, and the span of all their days.
func askersOf(ctx context.Context, q store.Q, requests []store.LeaveRequest) (askers []asker, span when.Period, err error) {
	of := make([]uuid.UUID, len(requests))
	span = when.Period{From: requests[0].First - nearDays, To: requests[0].Last + nearDays}
	for i, r := range requests {
		of[i] = r.Employment
		span.From, span.To = min(span.From, r.First-nearDays), max(span.To, r.Last+nearDays)
	}
	whose, err := store.Employments(ctx, q, of)
	if err != nil {
		return nil, span, err
	}
	kinds, err := store.LeaveKinds(ctx, q)
	if err != nil {
		return nil, span, err
	}
	askers = make([]asker, len(requests))
	for i, r := range requests {
		askers[i].days = when.Period{From: r.First - nearDays, To: r.Last + nearDays}
		for _, e := range whose {
			if e.ID == r.Employment {
				askers[i].who = e
			}
		}
		for _, k := range kinds {
			if k.ID == r.Kind {
				askers[i].kind = k
			}
		}
	}
	return askers, span, nil
}

// nearby is who of the crew is away around some days.
func (o *outlook) nearby(days when.Period, holiday func(when.Date) bool) Near {
	days.To = min(days.To, days.From+nearMost-1)
	n := Near{Days: days, Least: o.least[o.who.Unit], Off: map[when.Date]bool{}}
	crew := func(p store.RosterPerson) bool { return p.Unit == o.who.Unit }
	for _, d := range days.Dates() {
		n.Counts, n.Off[d] = append(n.Counts, o.near.count(d, crew)), holiday(d)
	}
	for _, p := range o.near.people {
		if !crew(p) {
			continue
		}
		if bands := o.near.bandsOf(p, days); len(bands) > 0 {
			n.Rows = append(n.Rows, AwayRow{Employment: p.Employment, Name: p.Name(), Bands: bands})
		}
	}
	return n
}

// isPaid refuses a day that a run paid: it is changed on its card.
func isPaid(d when.Date) error {
	return refusal.New("days", d.Format("Mon 2 January")+" is paid already", "Choose days after the last closed pay run")
}
