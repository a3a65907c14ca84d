package leave

import (
	"context"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/leave"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Own is somebody's own leave.
type Own struct {
	Now      time.Time
	Today    when.Date
	Loc      *time.Location
	Kinds    []store.LeaveKind // that can be asked for
	Requests []store.LeaveRequest
	Gifts    []store.LeaveGift
	Weighed  *Weighed // what becomes of what is asked about, nil where nothing is
	Accounts []OwnAccount
	PaidTo   *when.Date // the last day of theirs that a closed run paid, nil for none
}

// OwnAccount is one's account of a kind with its lines.
type OwnAccount struct {
	Account
	Since    when.Date         // from which on it is drawn
	Forecast []leave.Line      // until the end of next year, with hours to come where they earn it
	WithAll  []leave.Line      // with what is asked for besides
	Lines    []store.LeaveLine // the newest first, as they are booked
	Due      []leave.Entry     // what isn't booked yet, and will be tonight
	More     leave.Amount      // what hours that nobody has approved will earn
}

// Question is what somebody asks about before they ask.
type Question struct {
	Kind    uuid.UUID
	Days    when.Period // zero where they ask about nothing
	Seconds int64       // of each day, 0 for all
	Instead uuid.UUID   // one's own request whose place it would take
}

const (
	ownBack   = 60  // for how many days back somebody sees their leave
	linesBack = 200 // lines of an account on the page
)

// ReadOwn reads one's own leave, and what the days of a question would come to.
func ReadOwn(ctx context.Context, a *app.App, actor app.Actor, asks Question) (*Own, error) {
	if !actor.May("leave.ask") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	o := &Own{Now: a.Now(), Today: place.Today(a.Now()), Loc: place.Loc}
	if o.Kinds, err = openKinds(ctx, a.DB); err != nil || actor.Employment == nil {
		return o, err
	}
	who, err := store.GetEmployment(ctx, a.DB, *actor.Employment)
	if err != nil {
		return nil, err
	}
	if o.Loc, err = who.Loc(); err != nil {
		return nil, err
	}
	if o.Requests, err = store.LeaveOf(ctx, a.DB, who.ID, o.Today-ownBack); err != nil {
		return nil, err
	}
	if o.Gifts, err = store.GiftsOf(ctx, a.DB, who.ID, o.Now.AddDate(0, 0, -ownBack)); err != nil {
		return nil, err
	}
	if o.PaidTo, err = store.PaidTo(ctx, a.DB, who.ID); err != nil {
		return nil, err
	}
	if o.Accounts, err = ownAccounts(ctx, a.DB, who.ID, o.Today); err != nil {
		return nil, err
	}
	return o, o.weigh(ctx, a, place, who, asks)
}

// weigh answers a question.
func (o *Own) weigh(ctx context.Context, a *app.App, place *app.Company, who store.Employment, asks Question) error {
	i := slices.IndexFunc(o.Kinds, func(k store.LeaveKind) bool { return k.ID == asks.Kind })
	if asks.Days == (when.Period{}) || asks.Days.To < asks.Days.From || asks.Days.Days() > mostDays || asks.Days.To > o.Today+ahead {
		return nil
	}
	if i < 0 {
		i = 0
	}
	if len(o.Kinds) == 0 {
		return nil
	}
	w, err := asking{asker{who, o.Kinds[i], asks.Days}, asks.Days, asks.Seconds, asks.Instead}.weighed(ctx, a.DB, place, o.Today)
	o.Weighed = &w
	return err
}

// ownAccounts reads somebody's accounts with their lines.
func ownAccounts(ctx context.Context, q store.Q, employment uuid.UUID, today when.Date) ([]OwnAccount, error) {
	of, err := accounts(ctx, q, []uuid.UUID{employment}, today)
	if err != nil {
		return nil, err
	}
	var found []OwnAccount
	for _, a := range of[employment] {
		o := OwnAccount{Account: a, Since: max(a.From, when.NewDate(today.Year()-1, 1, 1))}
		in := a.Ahead(today)
		o.Forecast = leave.Work(in, a.Until).Ledger
		in.Events = append(slices.Clone(in.Events), a.Asked...)
		o.WithAll = leave.Work(in, a.Until).Ledger
		booked, err := entries(ctx, q, []uuid.UUID{a.ID})
		if err != nil {
			return nil, err
		}
		o.Due = leave.Due(a.Ledger, booked[a.ID], today)
		if o.Lines, err = store.LeaveLines(ctx, q, a.ID, linesBack); err != nil {
			return nil, err
		}
		if a.Pending > 0 {
			more := a.Input
			more.Events = append(slices.Clone(more.Events), leave.Event{Date: today, Kind: leave.Worked, Amount: a.Pending})
			o.More = leave.Work(more, today, today).States[0].Balance - a.Now.Balance
		}
		found = append(found, o)
	}
	return found, nil
}

// openKinds lists the kinds that can be asked for.
func openKinds(ctx context.Context, q store.Q) ([]store.LeaveKind, error) {
	kinds, err := store.LeaveKinds(ctx, q)
	return slices.DeleteFunc(kinds, func(k store.LeaveKind) bool { return k.Closed }), err
}

// Asked is what waits to be decided.
type Asked struct {
	Now   time.Time
	Kinds []store.LeaveKind
	List  []AskedFor
	Gifts []store.LeaveGift
	More  bool
}

// AskedFor is one request of it.
type AskedFor struct {
	store.LeaveRequest
	Own bool
	Judged
}

// mostAsked is how many of them are listed.
const mostAsked = 200

// ReadAsked reads what waits to be decided by the actor, the oldest first.
func ReadAsked(ctx context.Context, a *app.App, actor app.Actor) (*Asked, error) {
	if !actor.May("leave.manage") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &Asked{Now: a.Now()}
	if p.Kinds, err = openKinds(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.Gifts, err = store.OpenGifts(ctx, a.DB, actor.Units("leave.manage")); err != nil {
		return nil, err
	}
	open, err := store.OpenLeave(ctx, a.DB, actor.Units("leave.manage"), mostAsked+1)
	if err != nil || len(open) == 0 {
		return p, err
	}
	if p.More = len(open) > mostAsked; p.More {
		open = open[:mostAsked]
	}
	weighed, err := judged(ctx, a.DB, place, place.Today(a.Now()), open)
	for _, r := range open {
		p.List = append(p.List, AskedFor{LeaveRequest: r, Own: r.Person == actor.ID, Judged: weighed[r.ID]})
	}
	return p, err
}

// ReadPaper reads the picture of a paper with a request: its own, or of whom one decides.
func ReadPaper(ctx context.Context, a *app.App, actor app.Actor, request uuid.UUID) ([]byte, error) {
	found, err := store.LeaveByID(ctx, a.DB, []uuid.UUID{request})
	if err != nil {
		return nil, err
	}
	if len(found) == 0 || found[0].Person != actor.ID && !actor.Reaches("leave.manage", found[0].Person, found[0].Unit) {
		return nil, app.ErrNotFound
	}
	jpeg, err := store.LeavePhoto(ctx, a.DB, request)
	if store.NotFound(err) {
		return nil, app.ErrNotFound
	}
	return jpeg, err
}

// Named finds the one position that a number or name stands for, of those whose leave the actor
// manages.
func Named(ctx context.Context, a *app.App, actor app.Actor, text string) (uuid.UUID, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return uuid.Nil, err
	}
	text = strings.TrimSpace(text)
	found, err := store.EmploymentsNamed(ctx, a.DB, text, actor.Units("leave.manage"), place.Today(a.Now()))
	switch {
	case err != nil:
		return uuid.Nil, err
	case len(found) == 0:
		return uuid.Nil, refusal.New("who", "Nobody here has that number or name", "Write the personnel number, or given and family name")
	case len(found) > 1:
		return uuid.Nil, refusal.New("who", "Several are called so", "Write the personnel number, such as "+found[0].Name)
	}
	return found[0].ID, nil
}
