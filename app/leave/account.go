package leave

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/leave"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// AdjustLeave grants somebody hours, or puts their balance right. Nobody does so for themselves.
type AdjustLeave struct {
	ID         uuid.UUID
	Employment uuid.UUID
	Kind       uuid.UUID
	Date       when.Date
	Amount     string
	Why        string
}

// Permission is what the act takes.
func (AdjustLeave) Permission() string { return "leave.manage" }

func (a AdjustLeave) Do(ctx context.Context, t *app.Turn) error {
	who, err := store.LockEmployment(ctx, t, a.Employment)
	if err != nil {
		return err
	}
	why, today := strings.TrimSpace(a.Why), t.Company.Today(t.Now)
	amount, wrong := leave.ParseAmount(a.Amount)
	switch {
	case !t.Actor.Reaches(t.Act, who.Person, who.Unit):
		return app.ErrNotFound
	case who.Person == t.Actor.ID:
		return refusal.New("who", "That is your own leave", "Somebody else puts it right")
	case wrong != nil || amount == 0:
		return refusal.New("amount", "That is no number of hours", "Write hours such as 8 or -4.5")
	case why == "" || utf8.RuneCountInString(why) > longestNote:
		return refusal.New("why", "There is no reason", "Say in a few words why, in at most 500 characters")
	case a.Date < today-mostBack || a.Date > today+ahead:
		return refusal.New("date", "That is too far away", "Choose a day nearer to today")
	}
	if _, err := store.GetLeaveKind(ctx, t, a.Kind); err != nil {
		return err
	}
	fresh, err := store.AdjustLeave(ctx, t, a.ID, who.ID, a.Kind, a.Date, amount.Exact(), why, t.Actor.ID, t.Now)
	if err != nil || !fresh {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, a.ID, map[string]any{"leave": amount.String()})
	return bookDue(ctx, t, who.Lock(), []uuid.UUID{who.ID})
}

// Account is somebody's account of a kind: what it is worked out from, and how it stands.
type Account struct {
	store.LeaveAccount
	Input   leave.Input
	Now     leave.State
	Ledger  []leave.Line  // until today
	Asked   []leave.Event // what is asked for and not decided
	Pending leave.Amount  // hours that nobody has approved, by which more will be earned
	Until   when.Date     // the end of next year
}

// accounts works out the accounts of some employments as they stand on a day.
func accounts(ctx context.Context, q store.Q, employments []uuid.UUID, today when.Date) (map[uuid.UUID][]Account, error) {
	given, err := store.LeaveAccounts(ctx, q, employments)
	if err != nil || len(given) == 0 {
		return nil, err
	}
	first := given[0].From
	var byHours, byOvertime []uuid.UUID
	all := make([]Account, len(given))
	for i, g := range given {
		first = min(first, g.From)
		if all[i], err = newAccount(g, today); err != nil {
			return nil, err
		}
		switch all[i].Input.Policy.Earn.Every {
		case leave.HoursWorked:
			byHours = append(byHours, g.Employment)
		case leave.Overtime:
			byOvertime = append(byOvertime, g.Employment)
		}
	}
	events, err := store.LeaveEvents(ctx, q, employments, byHours, byOvertime, first)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID][]store.LeaveEvent{}
	for _, e := range events {
		of[e.Employment] = append(of[e.Employment], e)
	}
	found := map[uuid.UUID][]Account{}
	for _, a := range all {
		if err := a.take(of[a.Employment]); err != nil {
			return nil, err
		}
		w := leave.Work(a.Input, today, max(today, a.From))
		a.Now, a.Ledger = w.States[0], w.Ledger
		found[a.Employment] = append(found[a.Employment], a)
	}
	return found, nil
}

func newAccount(g store.LeaveAccount, today when.Date) (Account, error) {
	a := Account{LeaveAccount: g, Until: when.NewDate(today.Year()+1, 12, 31)}
	p, wrong := files.ParseLeavePolicy(g.Policy)
	if len(wrong) > 0 {
		return a, fmt.Errorf("the policy %s: %v", g.PolicyName, wrong)
	}
	var err error
	a.Input = leave.Input{Policy: p, Hired: g.Hired, From: g.From, Ends: g.Ends}
	if a.Input.Opening, err = leave.ParseAmount(trimmed(g.Opening)); err != nil {
		return a, fmt.Errorf("the opening balance %s: %w", g.Opening, err)
	}
	return a, nil
}

// take sorts out what of somebody's events is of the account.
func (a *Account) take(events []store.LeaveEvent) error {
	for _, e := range events {
		byHours := e.What == string(leave.Worked) || e.What == "pending"
		ofAll := byHours || e.What == string(leave.WorkedOvertime)
		if e.Date <= a.From || e.Kind != a.Kind && !ofAll {
			continue
		}
		amount, err := leave.ParseAmount(trimmed(e.Amount))
		if err != nil {
			return fmt.Errorf("%s of leave: %w", e.Amount, err)
		}
		switch {
		case byHours && a.Input.Policy.Earn.Every != leave.HoursWorked:
		case e.What == "pending":
			a.Pending += amount
		case e.What == "asked":
			a.Asked = append(a.Asked, leave.Event{Date: e.Date, Kind: leave.Taken, Amount: amount})
		default:
			a.Input.Events = append(a.Input.Events, leave.Event{Date: e.Date, Kind: leave.Kind(e.What), Amount: amount})
		}
	}
	return nil
}

// lately is of how many days the hours worked are looked at for those to come.
const lately = 12 * 7

// Ahead is the account with hours to come, where it is earned by hours: what nobody has approved
// yet as if it were, and each week as many as in the last twelve, or since it began.
func (a Account) Ahead(today when.Date) leave.Input {
	in := a.Input
	if in.Policy.Earn.Every != leave.HoursWorked {
		return in
	}
	in.Events = slices.Clone(in.Events)
	since, sum := max(a.From, today-lately), a.Pending
	for _, e := range in.Events {
		if e.Kind == leave.Worked && e.Date > since && e.Date <= today {
			sum += e.Amount
		}
	}
	if a.Pending > 0 {
		in.Events = append(in.Events, leave.Event{Date: today + 1, Kind: leave.Worked, Amount: a.Pending})
	}
	if days := leave.Amount(today - since); days >= 7 && sum > 0 {
		for d := today + 7; d <= a.Until; d += 7 {
			in.Events = append(in.Events, leave.Event{Date: d, Kind: leave.Worked, Amount: sum * 7 / days})
		}
	}
	return in
}

// hoursOf is seconds as hours, to the millionth.
func hoursOf(seconds int64) leave.Amount { return leave.Amount((seconds*2500 + 4) / 9) }

// trimmed is a kept amount with no more decimals than it needs.
func trimmed(text string) string {
	if !strings.Contains(text, ".") {
		return text
	}
	return strings.TrimSuffix(strings.TrimRight(text, "0"), ".")
}
