package leave

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/leave"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// PutLeavePolicy adds a policy of a kind: it never changes, who shall have another is given
// another.
type PutLeavePolicy struct {
	ID     uuid.UUID
	Kind   uuid.UUID
	Name   string
	Policy []byte // JSON, as manudex accrue reads it
}

// GiveLeavePolicy gives a policy to those who work in some crews, from the day after a date on,
// with the balance at its end.
type GiveLeavePolicy struct {
	ID      uuid.UUID
	Policy  uuid.UUID
	Unit    uuid.UUID // zero for everybody
	From    when.Date
	Opening string
}

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
func (PutLeavePolicy) Permission() string { return "setup.change" }

// Permission is what the act takes.
func (GiveLeavePolicy) Permission() string { return "setup.change" }

// Permission is what the act takes.
func (AdjustLeave) Permission() string { return "leave.manage" }

// Alone as all that changes settings.
func (PutLeavePolicy) Alone() {}

// Alone as all that changes settings.
func (GiveLeavePolicy) Alone() {}

func (p PutLeavePolicy) Do(ctx context.Context, t *app.Turn) error {
	name := strings.TrimSpace(p.Name)
	if name == "" || utf8.RuneCountInString(name) > 80 {
		return refusal.New("name", "The policy needs a name", "Write at most 80 characters")
	}
	kind, err := store.GetLeaveKind(ctx, t, p.Kind)
	if err != nil {
		return err
	}
	policy, wrong := files.ParseLeavePolicy(p.Policy)
	switch {
	case len(wrong) > 0:
		return refusal.New("policy", "The policy says "+wrong[0].Field+" "+wrong[0].Value, "For it "+wrong[0].Right)
	case policy.Earn.Every == leave.Overtime:
		return refusal.New("policy", "Overtime alone isn’t counted for leave here", "Choose hours_worked, or a period")
	}
	fresh, err := store.InsertLeavePolicy(ctx, t, store.LeavePolicy{ID: p.ID, Kind: kind.ID, Name: name, Policy: p.Policy}, t.Actor.ID,
		t.Now)
	switch {
	case store.Violates(err, "leave_policy_kind_id_name_key"):
		return refusal.New("name", kind.Name+" has a policy “"+name+"” already", "Choose another name")
	case err != nil:
		return err
	}
	if fresh { // sent again it is there already
		t.RecordSetting(p.ID, map[string]any{"field": "Policy of " + kind.Name, "to": name})
	}
	return nil
}

func (g GiveLeavePolicy) Do(ctx context.Context, t *app.Turn) error {
	p, err := store.GetLeavePolicy(ctx, t, g.Policy)
	if err != nil {
		return err
	}
	today := t.Company.Today(t.Now)
	opening, wrong := leave.ParseAmount(g.Opening)
	switch {
	case wrong != nil:
		return refusal.New("opening", "That is no balance", "Write hours such as 24 or 7.5")
	case g.From < today-mostBack || g.From > today:
		return refusal.New("from", "That is no day on which a balance stands", "Choose one of the last three years, up to today")
	}
	var units []uuid.UUID
	if g.Unit != uuid.Nil {
		units = []uuid.UUID{g.Unit}
	}
	of, err := store.HereOn(ctx, t, units, today, t.Actor.ID)
	if err != nil {
		return err
	}
	if len(of) == 0 {
		return refusal.New("unit", "Nobody but yourself works there", "Choose another crew; somebody else gives you yours")
	}
	if err := store.GiveLeavePolicy(ctx, t, g.ID, p, of, g.From, opening.String(), t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Policy " + p.Name + " given", "to": fmt.Sprint(len(of))})
	return nil
}

// mostBack is for how many days back an account begins at the most.
const mostBack = 3 * 366

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
	fresh, err := store.AdjustLeave(ctx, t, a.ID, who.ID, a.Kind, a.Date, amount.String(), why, t.Actor.ID, t.Now)
	if fresh {
		t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, a.ID, map[string]any{"leave": amount.String()})
	}
	return err
}

// Account is somebody's account of a kind: what it is worked out from, and how it stands.
type Account struct {
	store.LeaveAccount
	Input  leave.Input
	Now    leave.State
	Asked  []leave.Event // what is asked for and not decided
	Ledger []leave.Line  // until the end of next year
	Until  when.Date
}

// accounts works out the accounts of some employments.
func accounts(ctx context.Context, q store.Q, employments []uuid.UUID, today when.Date) (map[uuid.UUID][]Account, error) {
	given, err := store.LeaveAccounts(ctx, q, employments)
	if err != nil || len(given) == 0 {
		return nil, err
	}
	first := given[0].From
	for _, g := range given {
		first = min(first, g.From)
	}
	events, err := store.LeaveEvents(ctx, q, employments, first)
	if err != nil {
		return nil, err
	}
	of := map[uuid.UUID][]store.LeaveEvent{}
	for _, e := range events {
		of[e.Employment] = append(of[e.Employment], e)
	}
	found := map[uuid.UUID][]Account{}
	for _, g := range given {
		a := Account{LeaveAccount: g, Until: when.NewDate(today.Year()+1, 12, 31)}
		p, wrong := files.ParseLeavePolicy(g.Policy)
		if len(wrong) > 0 {
			return nil, fmt.Errorf("the policy %s: %v", g.PolicyName, wrong)
		}
		a.Input.Policy = p
		a.Input.Hired, a.Input.From = g.Hired, g.From
		if a.Input.Opening, err = leave.ParseAmount(trimmed(g.Opening)); err != nil {
			return nil, fmt.Errorf("the opening balance %s: %w", g.Opening, err)
		}
		for _, e := range of[g.Employment] {
			if e.Date <= g.From || e.Kind != g.Kind && e.What != string(leave.Worked) {
				continue
			}
			amount, err := leave.ParseAmount(e.Amount)
			if err != nil {
				return nil, fmt.Errorf("%s hours of leave: %w", e.Amount, err)
			}
			if e.What == "asked" {
				a.Asked = append(a.Asked, leave.Event{Date: e.Date, Kind: leave.Taken, Amount: amount})
				continue
			}
			a.Input.Events = append(a.Input.Events, leave.Event{Date: e.Date, Kind: leave.Kind(e.What), Amount: amount})
		}
		w := leave.Work(a.Input, a.Until, max(today, g.From))
		a.Now, a.Ledger = w.States[0], w.Ledger
		found[g.Employment] = append(found[g.Employment], a)
	}
	return found, nil
}

// enough refuses days that the account of their kind hasn't hours for, with what is booked and
// asked for already. Who has no account asks for what they like: whoever decides judges.
func enough(ctx context.Context, t *app.Turn, employment uuid.UUID, kind store.LeaveKind, days []store.LeaveDay) error {
	of, err := accounts(ctx, t, []uuid.UUID{employment}, t.Company.Today(t.Now))
	if err != nil {
		return err
	}
	for _, a := range of[employment] {
		if a.Kind != kind.ID {
			continue
		}
		in := a.Input
		in.Events = append(slices.Clone(in.Events), a.Asked...)
		for _, d := range days {
			amount := hoursOf(d.Seconds)
			if got := leave.Ask(in, d.Date, amount, a.Until); d.Date > a.From && !got.Accepted {
				return refusal.New("days", "There is not enough "+kind.Name+" for "+d.Date.Format("Mon 2 Jan")+": "+got.Why,
					"Choose fewer or later days, or speak with whoever decides: they can put the balance right")
			}
			in.Events = append(in.Events, leave.Event{Date: d.Date, Kind: leave.Taken, Amount: amount})
		}
	}
	return nil
}

// hoursOf is seconds as hours, to the millionth.
func hoursOf(seconds int64) leave.Amount { return leave.Amount((seconds*2500 + 4) / 9) }

// TryPolicy says what the next year of a policy comes to, for somebody who begins on a date and
// works eight hours on five days of each week.
func TryPolicy(raw []byte, from when.Date) (leave.Amount, error) {
	p, wrong := files.ParseLeavePolicy(raw)
	if len(wrong) > 0 {
		return 0, fmt.Errorf("a policy of leave: %v", wrong)
	}
	in, until := leave.Input{Policy: p, Hired: from, From: from - 1}, from+364
	for d := from; d <= until; d++ {
		if day := d.Weekday(); day != time.Saturday && day != time.Sunday {
			in.Events = append(in.Events, leave.Event{Date: d, Kind: leave.Worked, Amount: hoursOf(8 * 3600)})
		}
	}
	var earned leave.Amount
	for _, l := range leave.Work(in, until).Ledger {
		if l.Kind == leave.Earned || l.Kind == leave.LostToCap {
			earned += l.Amount
		}
	}
	return earned, nil
}

// trimmed is a kept amount with no more decimals than it needs.
func trimmed(text string) string {
	if !strings.Contains(text, ".") {
		return text
	}
	return strings.TrimSuffix(strings.TrimRight(text, "0"), ".")
}
