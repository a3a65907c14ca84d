package leave

import (
	"context"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// DecideLeave approves requests, or declines them with a reason. Nobody decides their own.
type DecideLeave struct {
	Requests []uuid.UUID
	Approve  bool
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
	for _, r := range asked {
		if !r.Open() {
			return refusal.New("request", "The leave of "+r.Name+" is decided already", "Look at the list again")
		}
	}
	if d.Approve {
		return lay(ctx, t, lock, approve, "", asked)
	}
	return lay(ctx, t, lock, decline, why, asked)
}

func (b ReopenLeave) Do(ctx context.Context, t *app.Turn) error {
	asked, lock, err := toDecide(ctx, t, b.Requests)
	if err != nil {
		return err
	}
	for _, r := range asked {
		if r.Does != approve && r.Does != decline {
			return refusal.New("request", "The leave of "+r.Name+" isn’t decided", "Look at the list again")
		}
	}
	return lay(ctx, t, lock, takeBack, "", asked)
}

func (w WithdrawLeave) Do(ctx context.Context, t *app.Turn) error {
	found, err := store.LeaveByID(ctx, t, []uuid.UUID{w.Request})
	if err != nil {
		return err
	}
	if len(found) == 0 || found[0].Person != t.Actor.ID {
		return app.ErrNotFound
	}
	lock, err := store.LockPeople(ctx, t, []uuid.UUID{found[0].Employment})
	if err != nil {
		return err
	}
	if found, err = store.LeaveByID(ctx, t, []uuid.UUID{w.Request}); err != nil { // as it is now that nobody decides
		return err
	}
	switch r := found[0]; {
	case r.Does == withdraw:
		return nil
	case !r.Open() && !r.Booked():
		return refusal.New("request", "This was declined", "There is nothing to take back")
	case r.Booked() && r.First <= t.Company.Today(t.Now):
		return refusal.New("request", "This leave has begun", "Talk to your lead")
	}
	return lay(ctx, t, lock, withdraw, "", found)
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
	lock, err := store.LockPeople(ctx, t, of)
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
	ids := make([]uuid.UUID, len(requests))
	booked := does == approve
	for i, r := range requests {
		ids[i] = r.ID
		booked = booked || r.Booked()
	}
	if err := store.InsertLeaveActs(ctx, t, requests, does, why, t.Actor.ID, t.Now); err != nil {
		return err
	}
	if booked {
		if err := book(ctx, t, lock, does, requests, ids); err != nil {
			return err
		}
	}
	for _, r := range requests {
		t.Record(store.Event{Person: r.Person, Unit: r.Unit, Act: t.Act}, r.ID, map[string]any{"leave": does})
		if word := map[string]string{approve: "approved", decline: "declined"}[does]; word != "" {
			t.Tell(app.Notice{Person: r.Person, Kind: notice.LeaveDecided, Key: r.ID.String() + does,
				Words: []string{spanWords(r.First, r.Last), word}, Link: "/leave"})
		}
	}
	return nil
}

// book makes the days of requests leave, or takes them away where they were.
func book(ctx context.Context, t *app.Turn, lock store.Locked, does string, requests []store.LeaveRequest, ids []uuid.UUID) error {
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
	if does == approve {
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
	return hours.PlanTold(ctx, t, lock, slices.CompactFunc(on, func(a, b store.EmploymentDate) bool { return a == b }))
}

// isPaid refuses a day that a run paid: it is changed on its card.
func isPaid(d when.Date) error {
	return refusal.New("days", d.Format("Mon 2 January")+" is paid already", "Choose days after the last closed pay run")
}
