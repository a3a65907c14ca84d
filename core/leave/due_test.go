package leave_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"manudex/core/leave"
	"manudex/core/when"
)

// Whatever is learned late, and on whichever nights it is booked, with some left out and some
// done twice: what is booked comes to what one booking of all days from the start would book.
func TestBookedOnceHoweverLate(t *testing.T) {
	r := rand.New(rand.NewPCG(20, 26))
	for range 400 {
		in := random(r)
		if r.IntN(3) == 0 {
			in.Policy.PaidOut, in.Ends = true, in.From+1+when.Date(r.IntN(900))
		}
		learned := make([]when.Date, len(in.Events)) // a day may be corrected long after
		for i, e := range in.Events {
			learned[i] = e.Date + when.Date(r.IntN(60)-30)
		}
		var booked []leave.Entry
		for night := in.From; night < in.From+1000; night += when.Date(1 + r.IntN(40)) {
			known := in
			known.Events = nil
			for i, e := range in.Events {
				if learned[i] <= night {
					known.Events = append(known.Events, e)
				}
			}
			booked = append(booked, leave.Due(leave.Work(known, night).Ledger, booked, night)...)
			if again := leave.Due(leave.Work(known, night).Ledger, booked, night); len(again) > 0 {
				t.Fatalf("booked twice on %s: %+v of %+v", night, again, known)
			}
		}
		end := in.From + 1000
		booked = append(booked, leave.Due(leave.Work(in, end).Ledger, booked, end)...)
		whole := leave.Work(in, end).Ledger
		if rest := leave.Due(whole, booked, end); len(rest) > 0 {
			t.Fatalf("there is left %+v of %+v", rest, in)
		}
		var sum leave.Amount
		for _, b := range booked {
			sum += b.Amount
		}
		if last := whole[len(whole)-1].Balance; sum != last {
			t.Fatalf("the sum of what is booked is %s, the balance %s: %+v", sum, last, in)
		}
		once := leave.Due(whole, nil, end)
		if !slices.IsSortedFunc(once, func(a, b leave.Entry) int { return int(a.Date - b.Date) }) {
			t.Fatalf("not by date: %+v", once)
		}
	}
}

// What is booked for a day is corrected by the difference, and stays.
func TestACorrectionIsADifference(t *testing.T) {
	in := leave.Input{Policy: leave.Policy{Earn: leave.Earn{Every: leave.HoursWorked, Amount: amount("1"), Per: amount("30")}},
		From: day("2026-01-01"), Events: []leave.Event{{Date: day("2026-01-05"), Kind: leave.Worked, Amount: amount("30")},
			{Date: day("2026-01-06"), Kind: leave.Worked, Amount: amount("60")}}}
	booked := leave.Due(leave.Work(in, day("2026-01-31")).Ledger, nil, day("2026-01-31"))
	in.Events[0].Amount = amount("15")
	due := leave.Due(leave.Work(in, day("2026-02-01")).Ledger, booked, day("2026-02-01"))
	if len(due) != 1 || due[0] != (leave.Entry{Date: day("2026-01-05"), Kind: leave.Earned, Amount: amount("-0.5")}) {
		t.Errorf("half of 30 hours worked that were counted too much come to %+v", due)
	}
}

// Who leaves is owed what is left at the end of their last day, where the policy says so; after
// it nothing is earned, lost or taken.
func TestLeaving(t *testing.T) {
	p := leave.Policy{Earn: leave.Earn{Every: leave.Month, Amount: amount("8"), Day: 31}, PaidOut: true,
		Reset: &leave.Reset{Month: 1, Day: 1}}
	in := leave.Input{Policy: p, From: day("2026-08-31"), Opening: amount("10"), Ends: day("2026-10-15"),
		Events: []leave.Event{{Date: day("2026-10-15"), Kind: leave.Taken, Amount: amount("4")},
			{Date: day("2026-11-02"), Kind: leave.Granted, Amount: amount("5")}}}
	if got, want := ledger(in, "2027-12-31"), "2026-08-31 opening 10.00 10.00; 2026-09-30 earn 8.00 18.00; "+
		"2026-10-15 take -4.00 14.00; 2026-10-15 paid_out -14.00 0.00"; got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
	in.Policy.PaidOut = false
	if got := balances(in, "2027-12-31", "2027-12-31"); got != "2027-12-31 14.00" {
		t.Errorf("where nothing is owed there stays %s", got)
	}
	in.Policy.PaidOut, in.Opening = true, amount("-40")
	if got := balances(in, "2027-12-31", "2027-12-31"); got != "2027-12-31 -36.00" {
		t.Errorf("a debt is not owed the other way: %s", got)
	}
}
