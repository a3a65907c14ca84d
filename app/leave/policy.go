package leave

import (
	"context"
	"encoding/json"
	"fmt"
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

// GiveLeavePolicy gives a policy to those who work in a crew, or to one, from the day after a
// date on, with the balance at its end.
type GiveLeavePolicy struct {
	ID         uuid.UUID
	Policy     uuid.UUID
	Unit       uuid.UUID // zero for everybody
	Employment uuid.UUID // not zero for one alone
	From       when.Date
	Opening    string // "" for the balance that each has then, where they have one
	Own        []byte // fields of the policy that are others for one alone; nil for none
}

// Permission is what the act takes.
func (PutLeavePolicy) Permission() string { return "setup.change" }

// Permission is what the act takes.
func (GiveLeavePolicy) Permission() string { return "setup.change" }

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
	if err := rightPolicy(p.Policy); err != nil {
		return err
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
	switch {
	case g.From < today-mostBack || g.From > today:
		return refusal.New("from", "That is no day on which a balance stands", "Choose one of the last three years, up to today")
	case len(g.Own) > 0 && g.Employment == uuid.Nil:
		return refusal.New("own", "Figures of one’s own are one person’s", "Say whose")
	}
	if len(g.Own) > 0 {
		whole, err := withOwn(p.Policy, g.Own)
		if err != nil {
			return err
		}
		if err := rightPolicy(whole); err != nil {
			return err
		}
	}
	of, err := g.whom(ctx, t, today)
	if err != nil {
		return err
	}
	lock, err := store.LockPeople(ctx, t, of)
	if err != nil {
		return err
	}
	openings, err := g.openings(ctx, t, p, of)
	if err != nil {
		return err
	}
	given := make([]store.GivenPolicy, len(of))
	for i, e := range of {
		given[i] = store.GivenPolicy{Employment: e, From: g.From, Opening: openings[e].Exact(), Own: g.Own}
	}
	if err := store.GiveLeavePolicy(ctx, t, g.ID, p, given, t.Actor.ID, t.Now); err != nil {
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Policy " + p.Name + " given", "to": fmt.Sprint(len(of))})
	return bookDue(ctx, t, lock, of)
}

// withOwn is a policy with fields in the place of its own.
func withOwn(policy, own []byte) ([]byte, error) {
	fields := map[string]json.RawMessage{}
	if err := json.Unmarshal(policy, &fields); err != nil {
		return nil, fmt.Errorf("a policy of leave: %w", err)
	}
	if err := json.Unmarshal(own, &fields); err != nil {
		return nil, refusal.New("own", "These figures can’t be read", `Write fields of the policy, such as {"cap": "120"}`)
	}
	return json.Marshal(fields)
}

// rightPolicy refuses what is no policy.
func rightPolicy(raw []byte) error {
	if _, wrong := files.ParseLeavePolicy(raw); len(wrong) > 0 {
		return refusal.New("policy", "The policy says "+wrong[0].Field+" "+wrong[0].Value, "For it "+wrong[0].Right)
	}
	return nil
}

// whom lists whom it is given to: never whoever gives it.
func (g GiveLeavePolicy) whom(ctx context.Context, t *app.Turn, today when.Date) ([]uuid.UUID, error) {
	if g.Employment != uuid.Nil {
		who, err := store.GetEmployment(ctx, t, g.Employment)
		if err == nil && who.Person == t.Actor.ID {
			err = refusal.New("who", "That is your own leave", "Somebody else gives you yours")
		}
		return []uuid.UUID{g.Employment}, err
	}
	var units []uuid.UUID
	if g.Unit != uuid.Nil {
		units = []uuid.UUID{g.Unit}
	}
	of, err := store.HereOn(ctx, t, units, today, t.Actor.ID)
	if err == nil && len(of) == 0 {
		err = refusal.New("unit", "Nobody but yourself works there", "Choose another crew; somebody else gives you yours")
	}
	return of, err
}

// openings gives with what each begins: what is written, or the balance that they have then.
func (g GiveLeavePolicy) openings(ctx context.Context, t *app.Turn, p store.LeavePolicy, of []uuid.UUID) (map[uuid.UUID]leave.Amount,
	error) {
	found := map[uuid.UUID]leave.Amount{}
	if text := strings.TrimSpace(g.Opening); text != "" {
		opening, wrong := leave.ParseAmount(text)
		if wrong != nil {
			return nil, refusal.New("opening", "That is no balance", "Write hours such as 24 or 7.5, or nothing for what each has")
		}
		for _, e := range of {
			found[e] = opening
		}
		return found, nil
	}
	has, err := accounts(ctx, t, of, g.From)
	if err != nil {
		return nil, err
	}
	for e, all := range has {
		for _, a := range all {
			if a.Kind == p.Kind && a.From <= g.From {
				found[e] = a.Now.Balance
			}
		}
	}
	return found, nil
}

// mostBack is for how many days back an account begins at the most.
const mostBack = 3 * 366

// Trial is somebody made up, on whom a policy is tried before it holds.
type Trial struct {
	Policy  []byte // JSON, as manudex accrue reads it
	Hired   when.Date
	From    when.Date // at whose end they have Opening
	Opening leave.Amount
	Until   when.Date
	Weekly  leave.Amount // hours worked in each week, on Mondays to Fridays
	Takes   leave.Amount // on the fifteenth of each month
}

// Tried is what became of it.
type Tried struct {
	Policy leave.Policy
	leave.Account
}

// Try works out the account of somebody made up.
func (t Trial) Try() (Tried, error) {
	p, wrong := files.ParseLeavePolicy(t.Policy)
	if len(wrong) > 0 {
		return Tried{}, rightPolicy(t.Policy)
	}
	in := leave.Input{Policy: p, Hired: t.Hired, From: t.From, Opening: t.Opening}
	for d := t.From + 1; d <= t.Until; d++ {
		if day := d.Weekday(); day != time.Saturday && day != time.Sunday && t.Weekly > 0 {
			in.Events = append(in.Events, leave.Event{Date: d, Kind: leave.Worked, Amount: t.Weekly / 5})
		}
		if d.Format("2") == "15" && t.Takes > 0 {
			in.Events = append(in.Events, leave.Event{Date: d, Kind: leave.Taken, Amount: t.Takes})
		}
	}
	return Tried{p, leave.Work(in, t.Until)}, nil
}

// fullWeek is what somebody works a week whose year a policy is tried on.
const fullWeek = leave.Amount(40_000_000)

// YearOf says what the next year of a policy comes to, for somebody who begins on a date and
// works eight hours on five days of each week.
func YearOf(raw []byte, from when.Date) (leave.Amount, error) {
	tried, err := Trial{Policy: raw, Hired: from, From: from - 1, Until: from + 364, Weekly: fullWeek}.Try()
	var earned leave.Amount
	for _, l := range tried.Ledger {
		if l.Kind == leave.Earned || l.Kind == leave.LostToCap {
			earned += l.Amount
		}
	}
	return earned, err
}
