package leave_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"manudex/core/leave"
	"manudex/core/when"
)

func amount(s string) leave.Amount {
	a, err := leave.ParseAmount(s)
	if err != nil {
		panic(err)
	}
	return a
}

func limit(s string) *leave.Amount { a := amount(s); return &a }

func day(s string) when.Date {
	d, err := when.ParseDate(s)
	if err != nil {
		panic(err)
	}
	return d
}

// balances says how an account stands on some days: "2024-02-29 16.00".
func balances(in leave.Input, until string, on ...string) string {
	days := make([]when.Date, len(on))
	for i, d := range on {
		days[i] = day(d)
	}
	var said []string
	for _, s := range leave.Work(in, day(until), days...).States {
		said = append(said, s.Date.String()+" "+s.Balance.String())
	}
	return strings.Join(said, ", ")
}

// ledger says the lines of an account: "2024-01-31 earn 8.00 8.00".
func ledger(in leave.Input, until string, kinds ...leave.Kind) string {
	var said []string
	for _, l := range leave.Work(in, day(until)).Ledger {
		if len(kinds) == 0 || slices.Contains(kinds, l.Kind) {
			said = append(said, fmt.Sprintf("%s %s %s %s", l.Date, l.Kind, l.Amount, l.Balance))
		}
	}
	return strings.Join(said, "; ")
}

// The law's own figures.
func TestLaws(t *testing.T) {
	federal := func(first string) leave.Policy {
		return leave.Policy{Earn: leave.Earn{Every: leave.TwoWeeks, Amount: amount("4"), Start: day(first), LastOfYear: nil},
			Steps: []leave.Step{{AfterMonths: 36, Amount: amount("6")}, {AfterMonths: 180, Amount: amount("8")}},
			Reset: &leave.Reset{Month: time.January, Day: 1, Carry: amount("240")}}
	}
	year := func(p leave.Policy, hired string) string {
		return balances(leave.Input{Policy: p, Hired: day(hired), From: day("2023-12-31")}, "2024-12-31", "2024-12-31")
	}
	// 5 USC 6303: half a day for each full biweekly pay period with less than three years of
	// service, three quarters of a day with less than 15 (and a day and a quarter in the last
	// full pay period of the year), one day with 15 or more: 13, 20 and 26 days in a year.
	if got := year(federal("2024-01-13"), "2023-06-01"); got != "2024-12-31 104.00" {
		t.Errorf("5 USC 6303(a)(3), 13 days of 8 hours: %s", got)
	}
	last := federal("2024-01-13")
	last.Earn.LastOfYear = limit("10")
	if got := year(last, "2015-06-01"); got != "2024-12-31 160.00" {
		t.Errorf("5 USC 6303(a)(2), 20 days: %s", got)
	}
	if got := year(federal("2024-01-13"), "2001-06-01"); got != "2024-12-31 208.00" {
		t.Errorf("5 USC 6303(a)(1), 26 days: %s", got)
	}
	// 5 CFR 630.302: what is beyond 240 hours at the begin of the leave year is forfeited.
	in := leave.Input{Policy: federal("2024-01-13"), Hired: day("2001-06-01"), From: day("2023-12-30"), Opening: amount("250")}
	if got := ledger(in, "2024-01-13", leave.LostAtReset,
		leave.Earned); got != "2024-01-01 lost_at_reset -10.00 240.00; 2024-01-13 earn 8.00 248.00" {
		t.Errorf("5 USC 6304: %s", got)
	}
	// The step holds from the first full period after three years on.
	in = leave.Input{Policy: federal("2024-01-13"), Hired: day("2021-01-10"), From: day("2023-12-31")}
	if got := ledger(in, "2024-02-10", leave.Earned); got !=
		"2024-01-13 earn 4.00 4.00; 2024-01-27 earn 6.00 10.00; 2024-02-10 earn 6.00 16.00" {
		t.Errorf("three years on 10 January, within the period to the 13th: %s", got)
	}

	// Working Time Regulations 1998, reg. 15A: in the first year a twelfth of 28 days at the
	// begin of each month, rounded up to the half day: 7 days after three months.
	in = leave.Input{From: day("2024-03-31"), Policy: leave.Policy{Earn: leave.Earn{Every: leave.StartOfMonth, Amount: amount("2.333333")},
		Round: leave.Round{To: amount("0.5"), Up: true}}}
	in.Policy.Reset = &leave.Reset{Month: time.April, Day: 1, All: true} // when its leave year begins
	if got := balances(in, "2025-03-31", "2024-04-01", "2024-05-01", "2024-06-01", "2025-03-31"); got !=
		"2024-04-01 2.50, 2024-05-01 5.00, 2024-06-01 7.00, 2025-03-31 28.00" {
		t.Errorf("reg. 15A: %s", got)
	}
	// Reg. 15B: irregular hours earn 12.07 % of those worked, to the nearest hour: 68 hours in a
	// month are 8.2, and so 8.
	in = leave.Input{From: day("2024-03-31"), Policy: leave.Policy{Earn: leave.Earn{Every: leave.HoursWorked, Percent: amount("12.07")},
		Round: leave.Round{To: amount("1")}}, Events: []leave.Event{{Date: day("2024-04-30"), Kind: leave.Worked, Amount: amount("68")},
		{Date: day("2024-05-31"), Kind: leave.Worked, Amount: amount("70.5")}}}
	if got := balances(in, "2024-05-31", "2024-04-30", "2024-05-31"); got != "2024-04-30 8.00, 2024-05-31 17.00" {
		t.Errorf("reg. 15B: %s", got)
	}
	// California Labor Code 246: an hour for every 30 worked, use of 40 a year, a cap of 80.
	sick := leave.Policy{Earn: leave.Earn{Every: leave.HoursWorked, Amount: amount("1"), Per: amount("30")}, UseLimit: limit("40"),
		Cap: limit("80")}
	in = leave.Input{Policy: sick, From: day("2024-01-01"), Opening: amount("79")}
	for i, hours := range []string{"10", "10", "10", "60"} {
		in.Events = append(in.Events, leave.Event{Date: day("2024-01-05") + when.Date(7*i), Kind: leave.Worked, Amount: amount(hours)})
	}
	if got := ledger(in, "2024-02-01"); got != "2024-01-01 opening 79.00 79.00; 2024-01-05 earn 0.3333 79.3333; "+
		"2024-01-12 earn 0.3333 79.6667; 2024-01-19 earn 0.3333 80.00; 2024-01-26 earn 2.00 82.00; 2024-01-26 lost_to_cap -2.00 80.00" {
		t.Errorf("Labor Code 246(b)(1), (j): %s", got)
	}
	in.Events = append(in.Events, leave.Event{Date: day("2024-01-27"), Kind: leave.Taken, Amount: amount("32")})
	s := leave.Work(in, day("2024-02-01"), day("2024-02-01")).States[0]
	if s.Balance.String() != "48.00" || s.Usable.String() != "8.00" {
		t.Errorf("246(d), 40 hours a year: %s, usable %s", s.Balance, s.Usable)
	}
	if a := leave.Ask(in, day("2024-02-01"), amount("8.01"), day("2024-12-31")); a.Accepted || !strings.Contains(a.Why, "40.01") {
		t.Errorf("an hour beyond: %+v", a)
	}
	if a := leave.Ask(in, day("2025-01-02"), amount("40"), day("2025-12-31")); !a.Accepted {
		t.Errorf("in the next year: %+v", a)
	}
}

// Each parameter by itself: when it is earned, what is lost, what expires, in which order.
func TestPolicies(t *testing.T) {
	monthly := func(change func(*leave.Policy)) leave.Policy {
		p := leave.Policy{Earn: leave.Earn{Every: leave.Month, Amount: amount("8"), Day: 31}}
		if change != nil {
			change(&p)
		}
		return p
	}
	every := func(e leave.Every, on int, start string) leave.Policy {
		p := leave.Policy{Earn: leave.Earn{Every: e, Amount: amount("8"), Day: on}}
		if start != "" {
			p.Earn.Start = day(start)
		}
		return p
	}
	take := func(d, a string) leave.Event { return leave.Event{Date: day(d), Kind: leave.Taken, Amount: amount(a)} }
	for _, row := range []struct {
		name    string
		policy  leave.Policy
		from    string
		opening string
		events  []leave.Event
		until   string
		want    string
	}{
		{"the month's last day, in a leap year", monthly(nil), "2023-12-31", "0", nil, "2024-03-01",
			"2024-01-31 earn 8.00 8.00; 2024-02-29 earn 8.00 16.00"},
		{"and in another", monthly(nil), "2025-01-31", "0", nil, "2025-03-01", "2025-02-28 earn 8.00 8.00"},
		{"on the 30th, which February hasn't", every(leave.Month, 30, ""), "2025-01-01", "0", nil, "2025-03-30",
			"2025-01-30 earn 8.00 8.00; 2025-02-28 earn 8.00 16.00; 2025-03-30 earn 8.00 24.00"},
		{"half months", every(leave.HalfMonth, 31, ""), "2024-01-31", "0", nil, "2024-03-15",
			"2024-02-15 earn 8.00 8.00; 2024-02-29 earn 8.00 16.00; 2024-03-15 earn 8.00 24.00"},
		{"half months on the 5th and 20th", every(leave.HalfMonth, 5, ""), "2024-01-31", "0", nil, "2024-02-29",
			"2024-02-05 earn 8.00 8.00; 2024-02-20 earn 8.00 16.00"},
		{"weeks that end on Sunday", every(leave.Week, 0, "2026-01-04"), "2026-03-01", "0", nil, "2026-03-15",
			"2026-03-08 earn 8.00 8.00; 2026-03-15 earn 8.00 16.00"},
		{"two weeks, counted back from a later date", every(leave.TwoWeeks, 0, "2027-01-03"), "2026-12-01", "0", nil, "2027-01-03",
			"2026-12-06 earn 8.00 8.00; 2026-12-20 earn 8.00 16.00; 2027-01-03 earn 8.00 24.00"},
		{"a year at its begin", every(leave.Year, 0, ""), "2024-06-01", "0", nil, "2026-01-01",
			"2025-01-01 earn 8.00 8.00; 2026-01-01 earn 8.00 16.00"},
		{"a year from 29 February", every(leave.Year, 0, "2024-02-29"), "2024-02-29", "0", nil, "2028-03-01",
			"2025-02-28 earn 8.00 8.00; 2026-02-28 earn 8.00 16.00; 2027-02-28 earn 8.00 24.00; 2028-02-29 earn 8.00 32.00"},
		{"a cap: what passes it is lost, and said to be", monthly(func(p *leave.Policy) { p.Cap = limit("12") }), "2024-01-01", "0", nil,
			"2024-03-31", "2024-01-31 earn 8.00 8.00; 2024-02-29 earn 8.00 16.00; 2024-02-29 lost_to_cap -4.00 12.00; " +
				"2024-03-31 earn 8.00 20.00; 2024-03-31 lost_to_cap -8.00 12.00"},
		{"room under the cap is used again", monthly(func(p *leave.Policy) { p.Cap = limit("12") }), "2024-01-01", "12",
			[]leave.Event{take("2024-02-10", "4")}, "2024-02-29",
			"2024-01-31 earn 8.00 20.00; 2024-01-31 lost_to_cap -8.00 12.00; 2024-02-10 take -4.00 8.00; 2024-02-29 earn 8.00 16.00; " +
				"2024-02-29 lost_to_cap -4.00 12.00"},
		{"most in a year", monthly(func(p *leave.Policy) { p.EarnLimit = limit("12") }), "2024-10-31", "0", nil, "2025-01-31",
			"2024-11-30 earn 8.00 8.00; 2024-12-31 earn 4.00 12.00; 2025-01-31 earn 8.00 20.00"},
		{"none is carried over", monthly(func(p *leave.Policy) { p.Reset = &leave.Reset{Month: time.January, Day: 1} }), "2024-11-30", "3",
			nil, "2025-01-31", "2024-12-31 earn 8.00 11.00; 2025-01-01 lost_at_reset -11.00 0.00; 2025-01-31 earn 8.00 8.00"},
		{"all is", monthly(func(p *leave.Policy) { p.Reset = &leave.Reset{Month: time.January, Day: 1, All: true} }), "2024-11-30", "3",
			nil, "2025-01-31", "2024-12-31 earn 8.00 11.00; 2025-01-31 earn 8.00 19.00"},
		{"a debt isn't forgiven", monthly(func(p *leave.Policy) { p.Reset = &leave.Reset{Month: time.July, Day: 1} }), "2024-06-30", "-5",
			nil, "2024-07-31", "2024-07-31 earn 8.00 3.00"},
		{"reset before what is earned that day", every(leave.StartOfMonth, 0, ""), "2024-11-30", "3", nil, "2025-01-01",
			"2024-12-01 earn 8.00 11.00; 2025-01-01 earn 8.00 19.00"},
		{"a lot expires the day after its last", monthly(func(p *leave.Policy) { p.ExpiresAfter = 1 }), "2024-01-01", "0", nil,
			"2024-04-01", "2024-01-31 earn 8.00 8.00; 2024-02-29 earn 8.00 16.00; 2024-03-01 expire -8.00 8.00; " +
				"2024-03-30 expire -8.00 0.00; 2024-03-31 earn 8.00 8.00"},
		{"the oldest is taken first", monthly(func(p *leave.Policy) { p.ExpiresAfter = 2 }), "2024-01-01", "0",
			[]leave.Event{take("2024-03-30", "12")}, "2024-05-01",
			"2024-01-31 earn 8.00 8.00; 2024-02-29 earn 8.00 16.00; 2024-03-30 take -12.00 4.00; 2024-03-31 earn 8.00 12.00; " +
				"2024-04-30 expire -4.00 8.00; 2024-04-30 earn 8.00 16.00"},
		{"what is taken beyond is paid by what is earned", monthly(nil), "2024-01-01", "0", []leave.Event{take("2024-01-10", "12")},
			"2024-03-31",
			"2024-01-10 take -12.00 -12.00; 2024-01-31 earn 8.00 -4.00; 2024-02-29 earn 8.00 4.00; 2024-03-31 earn 8.00 12.00"},
		{"earned before taken on one day", monthly(nil), "2024-01-01", "0", []leave.Event{take("2024-01-31", "8")}, "2024-01-31",
			"2024-01-31 earn 8.00 8.00; 2024-01-31 take -8.00 0.00"},
		{"given, received, adjusted", leave.Policy{}, "2024-01-01", "10", []leave.Event{
			{Date: day("2024-02-01"), Kind: leave.Given, Amount: amount("4")}, {Date: day("2024-02-02"), Kind: leave.Received,
				Amount: amount("1")},
			{Date: day("2024-02-03"), Kind: leave.Adjusted, Amount: amount("-2.5")}}, "2024-03-01",
			"2024-02-01 give -4.00 6.00; 2024-02-02 receive 1.00 7.00; 2024-02-03 adjust -2.50 4.50"},
		{"overtime hours earn time in lieu", leave.Policy{Earn: leave.Earn{Every: leave.Overtime, Amount: amount("1.5"), Per: amount("1")}},
			"2024-01-01", "0", []leave.Event{{Date: day("2024-02-01"), Kind: leave.WorkedOvertime, Amount: amount("3")},
				{Date: day("2024-02-02"), Kind: leave.Worked, Amount: amount("8")}}, "2024-03-01", "2024-02-01 earn 4.50 4.50"},
		{"nothing is earned", leave.Policy{}, "2024-01-01", "0", nil, "2030-01-01", ""},
	} {
		in := leave.Input{Policy: row.policy, From: day(row.from), Opening: amount(row.opening), Events: row.events}
		_, got, _ := strings.Cut(ledger(in, row.until), "; ")
		if got != row.want {
			t.Errorf("%s:\n got %s\nwant %s", row.name, got, row.want)
		}
	}
}

// A request is judged by its own day and by every day after it: what sinks leave that is booked
// isn't accepted, and says which.
func TestAsk(t *testing.T) {
	booked := leave.Input{Policy: leave.Policy{Earn: leave.Earn{Every: leave.Month, Amount: amount("8"), Day: 31}}, From: day("2024-01-01"),
		Opening: amount("20"), Events: []leave.Event{{Date: day("2024-04-10"), Kind: leave.Taken, Amount: amount("40")}}}
	for _, row := range []struct {
		name, on, amount string
		change           func(*leave.Policy)
		want             string
	}{
		{"what fits", "2024-03-01", "4", nil, "true 32.00 2024-04-10 0.00 "},
		{"an hour too much", "2024-03-01", "5", nil,
			"false 31.00 2024-04-10 -1.00 leave booked on 2024-04-10 would bring the balance to -1.00, and it may not be below 0.00"},
		{"more than there is", "2024-01-15", "21", nil,
			"false -1.00 2024-04-10 -17.00 the balance would be -1.00, and may not be below 0.00"},
		{"as far below zero as may be", "2024-03-01", "20", func(p *leave.Policy) { p.Floor = amount("-16") },
			"true 16.00 2024-04-10 -16.00 "},
		{"after it", "2024-05-01", "8", nil, "true 4.00 2024-05-01 4.00 "},
		{"while one waits", "2024-03-01", "1", func(p *leave.Policy) { p.WaitingUntil = day("2024-03-02") },
			"false 35.00 2024-04-10 3.00 nothing can be taken before 2024-03-02"},
	} {
		in := booked
		if row.change != nil {
			row.change(&in.Policy)
		}
		a := leave.Ask(in, day(row.on), amount(row.amount), day("2024-12-31"))
		if got := fmt.Sprint(a.Accepted, " ", a.After, " ", a.Lowest.Date, " ", a.Lowest.Balance, " ", a.Why); got != row.want {
			t.Errorf("%s:\n got %s\nwant %s", row.name, got, row.want)
		}
	}
}

// random makes a policy of any parameters and some years of events.
func random(r *rand.Rand) leave.Input {
	some := func() *leave.Amount {
		if r.IntN(3) > 0 {
			return nil
		}
		a := leave.Amount(r.IntN(200)) * 500_000
		return &a
	}
	p := leave.Policy{Earn: leave.Earn{Every: append(slices.Clone(leave.Periods), leave.HoursWorked)[r.IntN(7)],
		Amount: leave.Amount(r.IntN(20_000_000)), Day: 1 + r.IntN(31), Start: day("2024-01-06") + when.Date(r.IntN(30)), Per: amount("30"),
		LastOfYear: some()}, Cap: some(), EarnLimit: some(), UseLimit: some(), ExpiresAfter: r.IntN(3) * r.IntN(20),
		Floor: -leave.Amount(r.IntN(3)) * 8_000_000, Round: leave.Round{To: leave.Amount(r.IntN(2)) * 500_000, Up: r.IntN(2) == 0}}
	if r.IntN(2) == 0 {
		p.Reset = &leave.Reset{Month: time.Month(1 + r.IntN(12)), Day: 1 + r.IntN(31), All: r.IntN(3) == 0,
			Carry: leave.Amount(r.IntN(50)) * 1_000_000}
	}
	for months := r.IntN(30); months < 60 && r.IntN(2) == 0; months += 12 {
		p.Steps = append(p.Steps, leave.Step{AfterMonths: months, Amount: leave.Amount(r.IntN(20_000_000))})
	}
	in := leave.Input{Policy: p, Hired: day("2022-05-17"), From: day("2024-01-31"), Opening: leave.Amount(r.IntN(100)-20) * 1_000_000}
	kinds := []leave.Kind{leave.Taken, leave.Taken, leave.Granted, leave.Adjusted, leave.Given, leave.Received, leave.Worked}
	for range r.IntN(30) {
		e := leave.Event{Date: in.From + 1 + when.Date(r.IntN(900)), Kind: kinds[r.IntN(len(kinds))],
			Amount: leave.Amount(1+r.IntN(40)) * 250_000}
		if e.Kind == leave.Granted && r.IntN(2) == 0 {
			e.LastDay = e.Date + when.Date(r.IntN(200))
		}
		in.Events = append(in.Events, e)
	}
	return in
}

// Laws of any account: its balance is the sum of its ledger, and of what is left of its lots
// less the debt; it is the same however far ahead it is worked out, so that what was booked by
// a day stays; earning never passes the cap, nor the year's limit; nothing that has expired is
// left.
func TestAccounts(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 16))
	for range 1500 {
		in := random(r)
		end := in.From + 1000
		mid := in.From + when.Date(r.IntN(1000))
		whole := leave.Work(in, end, mid, end)
		part := leave.Work(in, mid, mid)
		n := len(part.Ledger)
		if !slices.Equal(part.Ledger, whole.Ledger[:n]) || len(whole.Ledger) > n && whole.Ledger[n].Date <= mid ||
			!slices.Equal(part.States[0].Lots, whole.States[0].Lots) {
			t.Fatalf("worked out to %s it is otherwise than on the way to %s: %+v", mid, end, in)
		}
		var sum leave.Amount
		earned := map[when.Date]leave.Amount{}
		for i, l := range whole.Ledger {
			sum += l.Amount
			if sum != l.Balance || i > 0 && l.Date < whole.Ledger[i-1].Date {
				t.Fatalf("line %d of %+v: the sum is %s", i, whole.Ledger, sum)
			}
			if l.Kind == leave.Earned || l.Kind == leave.LostToCap {
				earned[in.Policy.YearOf(l.Date)] += l.Amount
			}
			if c := in.Policy.Cap; c != nil && l.Kind == leave.LostToCap && l.Balance > max(*c, whole.Ledger[i-2].Balance) {
				t.Fatalf("after what was lost to the cap of %s the balance is %s", *c, l.Balance)
			}
		}
		for year, sum := range earned {
			if m := in.Policy.EarnLimit; m != nil && sum > *m {
				t.Fatalf("%s is earned in the year of %s, of at most %s", sum, year, *m)
			}
		}
		for _, s := range whole.States {
			var left leave.Amount
			for _, l := range s.Lots {
				left += l.Left
				if l.LastDay != 0 && l.LastDay < s.Date || l.Left <= 0 || l.Left > l.Amount {
					t.Fatalf("on %s there is a lot %+v", s.Date, l)
				}
			}
			if left < s.Balance || s.Balance >= 0 && left != s.Balance || s.Usable > max(0, s.Balance) {
				t.Fatalf("on %s the balance is %s, its lots %s, usable %s", s.Date, s.Balance, left, s.Usable)
			}
		}
		on, asked := in.From+1+when.Date(r.IntN(900)), leave.Amount(1+r.IntN(60))*500_000
		a := leave.Ask(in, on, asked, end)
		with := in
		with.Events = append(slices.Clone(in.Events), leave.Event{Date: on, Kind: leave.Taken, Amount: asked})
		sinks := slices.ContainsFunc(leave.Work(with, end).Ledger, func(l leave.Line) bool {
			return l.Kind == leave.Taken && l.Date >= on && l.Balance < in.Policy.Floor
		})
		if a.Accepted && sinks || !a.Accepted && a.Why == "" {
			t.Fatalf("accepted %v, %q, and what is booked sinks: %v", a.Accepted, a.Why, sinks)
		}
	}
}

func TestAmounts(t *testing.T) {
	for text, want := range map[string]string{"8": "8.00", "8.5": "8.50", "-16.25": "-16.25", "0.3333": "0.3333", "0.333333": "0.3333",
		"0.99995": "1.00", "-0.00001": "0.00", "1000000": "1000000.00"} {
		if a, err := leave.ParseAmount(text); err != nil || a.String() != want {
			t.Errorf("%s is %s, %v, not %s", text, a, err, want)
		}
	}
	for _, text := range []string{"", "x", "1.", ".5", "1.2345678", "1000001", "1e3", "+1", "--1"} {
		if a, err := leave.ParseAmount(text); err == nil {
			t.Errorf("%q is taken as %s", text, a)
		}
	}
}

func BenchmarkForecast(b *testing.B) {
	policies := []leave.Policy{
		{Earn: leave.Earn{Every: leave.TwoWeeks, Amount: amount("4"), Start: day("2024-01-13")}, Cap: limit("240"),
			Reset: &leave.Reset{Month: time.January, Day: 1, Carry: amount("40")}},
		{Earn: leave.Earn{Every: leave.Month, Amount: amount("8"), Day: 31}, ExpiresAfter: 18},
		{Earn: leave.Earn{Every: leave.StartOfMonth, Amount: amount("2.333333")}, Round: leave.Round{To: amount("0.5"), Up: true}},
	}
	var takes []leave.Event
	for i := range 10 {
		takes = append(takes, leave.Event{Date: day("2024-02-01") + when.Date(60*i), Kind: leave.Taken, Amount: amount("8")})
	}
	n := 0
	b.ReportAllocs()
	for b.Loop() {
		leave.Work(leave.Input{Policy: policies[n%3], From: day("2023-12-31"), Opening: amount("24"), Events: takes}, day("2025-12-31"))
		n++
	}
	b.ReportMetric(float64(n)/b.Elapsed().Seconds(), "accounts/s")
}
