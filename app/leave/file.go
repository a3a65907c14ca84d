package leave

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/hours"
	"manudex/core/leave"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// balancesFile is a file of who has which policy, with the balance at the end of a day: a row is
// a person and a policy.
type balancesFile struct {
	gives    map[int]given // what a row that does something gives, by its index
	policies []store.LeavePolicy
}

// given is a policy as a row gives it.
type given struct {
	policy store.LeavePolicy
	store.GivenPolicy
}

func init() {
	bringin.Register(bringin.LeaveFile, func(context.Context, store.Q) (bringin.RowKind, error) {
		return &balancesFile{gives: map[int]given{}}, nil
	})
	app.Undoes(bringin.TakeFile{Kind: bringin.LeaveFile}.Permission(), undoBalances)
}

// BalanceColumns are the columns that a file of balances can have.
var BalanceColumns = []bringin.Column{
	{Key: "number", Label: "Personnel number", Heads: []string{"number", "employee", "employeeid", "id", "personnel", "badge"}},
	{Key: "policy", Label: "Policy", Heads: []string{"policy", "leavepolicy", "plan", "rule"}},
	{Key: "from", Label: "At the end of", Form: bringin.DateForm, Heads: []string{"asof", "date", "from", "endof", "balancedate"}},
	{Key: "balance", Label: "Balance", Form: bringin.NumberForm, Heads: []string{"balance", "hours", "days", "available", "opening"}},
	{Key: "cap", Label: "Highest balance of their own", Form: bringin.NumberForm, Heads: []string{"cap", "maximum", "max", "highest"}},
	{Key: "waiting_until", Label: "Can’t be taken before, of their own", Form: bringin.DateForm,
		Heads: []string{"waitinguntil", "usablefrom", "eligible", "eligiblefrom"}},
}

// Columns are those of every file of balances.
func (*balancesFile) Columns(app.Actor) []bringin.Column { return BalanceColumns }

// Judge says of every row what it would do.
func (k *balancesFile) Judge(ctx context.Context, q store.Q, actor app.Actor, _ *app.Company, today when.Date,
	p *bringin.ImportPage) error {
	for _, c := range BalanceColumns[:4] {
		p.Need(c.Key, c.Label)
	}
	people, err := hours.Numbered(ctx, q, actor, today)
	if err != nil {
		return err
	}
	if k.policies, err = store.LeavePolicies(ctx, q); err != nil {
		return err
	}
	var of []uuid.UUID
	for _, s := range people {
		of = append(of, s.Employment)
	}
	accounts, err := store.LeaveAccounts(ctx, q, of)
	if err != nil {
		return err
	}
	type key struct{ of, kind uuid.UUID }
	there, seen := map[key]store.LeaveAccount{}, map[key]int{}
	for _, a := range accounts {
		there[key{a.Employment, a.Kind}] = a
	}
	p.Take(func(r *bringin.ImportRow, cells map[string]string) error {
		g, err := k.row(r, cells, people, actor, today)
		if err != nil {
			return err
		}
		of := key{g.Employment, g.policy.Kind}
		if before, twice := seen[of]; twice {
			return refusal.New("policy", fmt.Sprintf("Their %s stands in line %d already", g.policy.KindName, before),
				"Keep one of the two")
		}
		seen[of] = r.Line
		said := g.policy.Name + ", " + trimmed(g.Opening) + " on " + g.From.Format("2 January 2006")
		was, had := there[of]
		switch {
		case had && same(was, g):
			r.State = bringin.RowSame
			return nil
		case had:
			r.State, r.What = bringin.RowChanged,
				was.PolicyName+", "+trimmed(was.Opening)+" on "+was.From.Format("2 January 2006")+" → "+said
		default:
			r.State, r.What = bringin.RowNew, said
		}
		k.gives[r.Index] = g
		return nil
	})
	return nil
}

// same says whether somebody has a policy just so.
func same(was store.LeaveAccount, g given) bool {
	own := string(g.Own)
	if own == "" {
		own = "{}"
	}
	var a, b map[string]any
	if json.Unmarshal(was.Own, &a) != nil || json.Unmarshal([]byte(own), &b) != nil {
		return false
	}
	return was.PolicyID == g.policy.ID && was.From == g.From && trimmed(was.Opening) == trimmed(g.Opening) && fmt.Sprint(a) == fmt.Sprint(b)
}

// row reads a row by itself; its error says all that is wrong with it.
func (k *balancesFile) row(r *bringin.ImportRow, cells map[string]string, people map[string]store.Sheet, actor app.Actor,
	today when.Date) (g given, err error) {
	var faults []error
	fault := func(field, wrong, right string) { faults = append(faults, refusal.New(field, wrong, right)) }
	var whose error
	if g.Employment, whose = hours.Meant(r, cells["number"], people, actor); whose != nil {
		faults = append(faults, whose)
	}
	name := strings.TrimSpace(cells["policy"])
	i := slices.IndexFunc(k.policies, func(p store.LeavePolicy) bool { return strings.EqualFold(p.Name, name) })
	if i < 0 {
		fault("policy", "There is no policy “"+name+"”", "Add it first, or write the name of one that is there")
	} else {
		g.policy = k.policies[i]
	}
	from, err := when.ParseDate(cells["from"])
	if err != nil || from > today || from < today-mostBack {
		fault("from", "That is no day on which a balance stands", "Write one of the last three years, up to today")
	}
	g.From = from
	balance, err := leave.ParseAmount(cells["balance"])
	if err != nil {
		fault("balance", "“"+cells["balance"]+"” is no balance", "Write it like 24 or 7.5")
	}
	g.Opening = balance.Exact()
	own := map[string]string{}
	for _, key := range []string{"cap", "waiting_until"} {
		if cells[key] != "" {
			own[key] = cells[key]
		}
	}
	if len(own) > 0 && i >= 0 {
		if g.Own, err = json.Marshal(own); err != nil {
			return g, err
		}
		whole, err := withOwn(g.policy.Policy, g.Own)
		if err == nil {
			err = rightPolicy(whole)
		}
		if err != nil {
			faults = append(faults, err)
		}
	}
	return g, errors.Join(faults...)
}

// BringIn gives the policies of some rows.
func (k *balancesFile) BringIn(ctx context.Context, t *app.Turn, p *bringin.ImportPage, rows []bringin.ImportRow) error {
	var all []uuid.UUID
	for _, g := range k.gives {
		all = append(all, g.Employment)
	}
	lock, err := store.LockPeople(ctx, t, all) // all of the file at once, whatever comes piece by piece
	if err != nil {
		return err
	}
	whose, err := store.Employments(ctx, t, all)
	if err != nil {
		return err
	}
	by := map[uuid.UUID][]store.GivenPolicy{}
	var of []uuid.UUID
	for _, r := range rows {
		g, does := k.gives[r.Index]
		if does && r.Does() {
			by[g.policy.ID], of = append(by[g.policy.ID], g.GivenPolicy), append(of, g.Employment)
		}
	}
	for _, policy := range k.policies {
		if len(by[policy.ID]) == 0 {
			continue
		}
		if err := store.GiveLeavePolicy(ctx, t, p.ID, policy, by[policy.ID], t.Actor.ID, t.Now); err != nil {
			return err
		}
		for _, g := range by[policy.ID] {
			i := slices.IndexFunc(whose, func(e store.Employment) bool { return e.ID == g.Employment })
			t.Record(store.Event{Person: whose[i].Person, Unit: whose[i].Unit, Act: t.Act}, g.Employment,
				map[string]any{"field": policy.KindName, "to": policy.Name + ", " + trimmed(g.Opening)})
		}
	}
	slices.SortFunc(of, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
	return bookDue(ctx, t, lock, slices.Compact(of))
}

// undoBalances takes a file of balances back: who had a policy before has it again, but for those
// that were given another since.
func undoBalances(ctx context.Context, t *app.Turn, file uuid.UUID) (done app.Undone, found bool, err error) {
	if found, err = bringin.ToUndo(ctx, t, bringin.LeaveFile, file); err != nil || !found {
		return done, found, err
	}
	of, err := store.GivenBy(ctx, t, file)
	if err != nil {
		return done, false, err
	}
	lock, err := store.LockPeople(ctx, t, of)
	if err != nil {
		return done, false, err
	}
	n, err := store.GiveLeaveBack(ctx, t, file, t.Actor.ID, t.Now)
	switch {
	case err != nil:
		return done, false, err
	case n == 0:
		return done, false, refusal.New("batch", "All of it was given otherwise since", "Give them what they shall have")
	}
	done.Words = "the balances of " + app.Several(n, "account", "accounts")
	t.Record(store.Event{Act: t.Act}, file, map[string]any{"people": n, "to": "taken back"})
	if err := bookDue(ctx, t, lock, of); err != nil {
		return done, false, err
	}
	return done, true, store.ImportUndone(ctx, t, file, t.Now)
}
