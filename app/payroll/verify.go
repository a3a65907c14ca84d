package payroll

import (
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"manudex/core/pay"
	"manudex/store"
)

// RunVerdict is what holding closed runs against what was kept of them found.
type RunVerdict struct {
	Runs  int
	Older int // closed before what they went by was kept
	Lines int
	Wrong []string
	Last  []byte // digest of the last, nil for none
}

// VerifyRuns works out every closed run anew from what was kept with it alone, holds the lines against
// what it paid, and follows the chain of digests.
func VerifyRuns(ctx context.Context, q store.Q) (RunVerdict, error) {
	var v RunVerdict
	runs, err := store.Runs(ctx, q, 1<<30)
	if err != nil {
		return v, err
	}
	slices.SortFunc(runs, func(a, b store.Run) int { return a.Number - b.Number })
	for i, run := range runs {
		v.Runs++
		c := store.Closing{Run: run}
		if c.Basis, err = store.RunBasis(ctx, q, run.ID); err != nil {
			return v, err
		}
		if run.Digest == nil {
			v.Older++
			continue
		}
		if c.People, err = store.RunPeople(ctx, q, run.ID); err != nil {
			return v, err
		}
		decimals, err := v.paid(ctx, q, &c)
		if err != nil {
			return v, err
		}
		var before []byte
		if i > 0 {
			before = runs[i-1].Digest
		}
		if !slices.Equal(digest(before, c, decimals), run.Digest) {
			v.Wrong = append(v.Wrong, fmt.Sprintf("run %d is not what its digest was made of", run.Number))
		}
		v.Last = run.Digest
	}
	return v, nil
}

// paid reads what a run paid into it, and says where that isn't what comes of what was kept.
func (v *RunVerdict) paid(ctx context.Context, q store.Q, c *store.Closing) (decimals int, err error) {
	if c.Kind == store.ReversalRun {
		turned, err := store.GetRun(ctx, q, *c.Reverses)
		if err != nil {
			return 0, fmt.Errorf("read the run that run %d turns: %w", c.Number, err)
		}
		if turned.Currency != c.Currency {
			v.Wrong = append(v.Wrong, fmt.Sprintf("run %d is in another currency than run %d", c.Number, c.Turns))
		}
		if decimals, err = decimalsOf(ctx, q, turned); err != nil {
			return 0, err
		}
		if c.Lines, err = store.KeptLines(ctx, q, c.ID, decimals); err != nil {
			return 0, err
		}
		v.Lines += len(c.Lines)
		was, err := store.KeptLines(ctx, q, *c.Reverses, decimals)
		if err != nil {
			return 0, err
		}
		if !slices.EqualFunc(was, c.Lines, func(a, b store.PayLine) bool {
			return a.Key == b.Key && a.Seconds == -b.Seconds && a.Amount == -b.Amount && a.Employment == b.Employment
		}) {
			v.Wrong = append(v.Wrong, fmt.Sprintf("run %d doesn't hold the lines of run %d turned", c.Number, c.Turns))
		}
		return decimals, nil
	}
	var basis keptBasis
	if err := unpack(c.Basis, &basis); err != nil {
		v.Wrong = append(v.Wrong, fmt.Sprintf("run %d: %s", c.Number, err))
		return 0, nil
	}
	if basis.Currency != c.Currency {
		v.Wrong = append(v.Wrong, fmt.Sprintf("run %d isn't in the currency that was kept with it", c.Number))
	}
	decimals = basis.Decimals
	if c.Lines, err = store.KeptLines(ctx, q, c.ID, decimals); err != nil {
		return decimals, err
	}
	v.Lines += len(c.Lines)
	people := make([]keptPerson, len(c.People))
	scope := store.PayScope{From: basis.First}
	for i, p := range c.People {
		if p.Input == nil {
			continue // left out
		}
		if err := unpack(p.Input, &people[i]); err != nil {
			v.Wrong = append(v.Wrong, fmt.Sprintf("run %d, %s: %s", c.Number, p.Employment, err))
		}
		for _, w := range people[i].Earlier {
			scope.Earlier = append(scope.Earlier, store.EmploymentWeek{Employment: p.Employment, Week: w, Last: w})
		}
	}
	before, err := store.PaidBefore(ctx, q, scope, c.Number, decimals)
	if err != nil {
		return decimals, err
	}
	payroll, err := basis.payroll()
	if err != nil {
		return decimals, err
	}
	paid, lines := map[uuid.UUID][]pay.Entry{}, map[uuid.UUID][]pay.Entry{}
	for _, l := range before {
		paid[l.Employment] = append(paid[l.Employment], l.Entry)
	}
	for _, l := range c.Lines {
		lines[l.Employment] = append(lines[l.Employment], l.Entry)
	}
	var reckoner pay.Reckoner
	coder := payroll.coder()
	for i, p := range c.People {
		all, err := payroll.entries(&reckoner, coder, people[i].input(payroll.Zone), people[i].Person, people[i].Earlier)
		if err != nil {
			v.Wrong = append(v.Wrong, fmt.Sprintf("run %d, %s: %s", c.Number, p.Employment, err))
			continue
		}
		var owed []pay.Entry
		if p.Input != nil {
			owed = pay.Owed(all, paid[p.Employment])
		}
		if !slices.Equal(owed, lines[p.Employment]) {
			v.Wrong = append(v.Wrong, fmt.Sprintf("run %d, %s: %s were paid, %s come of what was kept", c.Number, p.Employment,
				sumOf(lines[p.Employment]).Decimal(decimals), sumOf(owed).Decimal(decimals)))
		}
		delete(lines, p.Employment)
	}
	for id := range lines {
		v.Wrong = append(v.Wrong, fmt.Sprintf("run %d, %s: what was paid has nothing behind it", c.Number, id))
	}
	return decimals, nil
}

// decimalsOf gives how many decimals the sums of a closed run have, by what was kept with it.
func decimalsOf(ctx context.Context, q store.Q, run store.Run) (int, error) {
	packed, err := store.RunBasis(ctx, q, run.ID)
	if err != nil {
		return 0, err
	}
	if packed == nil { // closed before it was kept
		company, err := store.GetCompany(ctx, q)
		return company.CurrencyDecimals, err
	}
	var basis keptBasis
	err = unpack(packed, &basis)
	return basis.Decimals, err
}

func sumOf(entries []pay.Entry) (sum pay.Amount) {
	for _, e := range entries {
		if e.Key.Gross() {
			sum += e.Amount
		}
	}
	return sum
}
