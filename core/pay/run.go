package pay

import (
	"cmp"
	"slices"

	"manudex/core/when"
)

// Key is what lines are added up by in a pay run: two lines alike in all of
// it become one entry. Date is the workday.
type Key struct {
	Week, Date                    when.Date
	Job, Task, WorkClass, PayCode string
	Kind                          LineKind
	Class                         Class
	Rate                          Rate
	Account                       string // that somebody said, "" for that of the job or the person
}

// Entry is what a run pays, or has paid, under a key.
type Entry struct {
	Key
	Seconds int64
	Amount  Amount
}

// Credited is what an entry of what is banked comes to as time off, in seconds.
func (e Entry) Credited() int64 { return ratio{e.Seconds, int64(e.Rate), 1, rateScale}.scaled(1) }

// Entries adds up a result's lines by key, in order of [Key].
func (r Result) Entries() []Entry {
	entries := make([]Entry, 0, len(r.Lines)+len(r.Plan)+len(r.Kept))
	add := func(l Line) {
		e := Entry{Key: Key{Week: l.Week, Date: l.Date, PayCode: l.PayCode, Kind: l.Kind, Class: l.Class, Rate: l.Rate},
			Seconds: l.Seconds, Amount: l.Amount}
		if l.Stint >= 0 {
			s := r.Stints[l.Stint]
			e.Job, e.Task, e.WorkClass, e.Account = s.Job, s.Task, s.WorkClass, s.Account
		}
		entries = append(entries, e)
	}
	for _, l := range r.Lines {
		add(l)
	}
	for _, l := range r.Plan {
		l.Kind = FringePlan
		add(l)
	}
	for _, l := range r.Kept {
		add(l)
	}
	return compact(entries)
}

// Gross says whether an entry is part of gross: not what goes into a plan, nor what is kept from
// the pay.
func (k Key) Gross() bool { return k.Kind != FringePlan && k.Kind != Deducted }

// Premium says whether an entry is paid in the period where its week ends,
// not that of its day: it depends on the whole week.
func (k Key) Premium() bool {
	return k.Kind == OvertimePremium || k.Kind == DoublePremium || k.Kind == MealPay || k.Kind == BonusPremium
}

// Due says whether an entry is paid by the run of a period that ends on a
// date: a premium waits until its week, or overtime period, has ended.
func (r Rules) Due(k Key, to when.Date) bool {
	return !k.Premium() || k.Week+r.WeekDays()-1 <= to
}

// Owed gives what a run has to pay: what is worked out now and due less what
// earlier runs paid, entry by entry. Paying what Owed returns makes paid equal
// to worked out, whatever happened before.
func Owed(workedOut, paid []Entry) []Entry {
	all := make([]Entry, 0, len(workedOut)+len(paid))
	all = append(all, workedOut...)
	for _, e := range paid {
		e.Seconds, e.Amount = -e.Seconds, -e.Amount
		all = append(all, e)
	}
	return slices.DeleteFunc(compact(all), func(e Entry) bool { return e.Seconds == 0 && e.Amount == 0 })
}

// compact sorts entries and makes one of those with one key.
func compact(entries []Entry) []Entry {
	slices.SortStableFunc(entries, func(a, b Entry) int { return compareKeys(&a.Key, &b.Key) })
	out := entries[:0]
	for _, e := range entries {
		if n := len(out); n > 0 && out[n-1].Key == e.Key {
			out[n-1].Seconds += e.Seconds
			out[n-1].Amount += e.Amount
			continue
		}
		out = append(out, e)
	}
	return out
}

func compareKeys(a, b *Key) int {
	if c := cmp.Compare(a.Date, b.Date); c != 0 {
		return c
	}
	return cmp.Or(cmp.Compare(a.Job, b.Job), cmp.Compare(a.Task, b.Task), cmp.Compare(a.WorkClass, b.WorkClass),
		cmp.Compare(kindOrder(a.Kind), kindOrder(b.Kind)), cmp.Compare(a.Class, b.Class), cmp.Compare(a.PayCode, b.PayCode),
		cmp.Compare(a.Rate, b.Rate), cmp.Compare(a.Week, b.Week), cmp.Compare(a.Account, b.Account))
}

func kindOrder(k LineKind) int {
	return slices.Index([]LineKind{Straight, PaidNotWorked, OvertimePremium, DoublePremium, DifferentialPay, HolidayPremium, Fringe,
		FringePlan, CalloutPay, MealPay, LeavePay, ExtraPay, Banked, BonusPremium, SalaryPay, Deducted}, k)
}
