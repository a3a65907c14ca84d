package pay

import (
	"strings"
	"testing"

	"manudex/core/when"
)

// Leave is paid at the rate of its day, at the regular rate of its week with what is in it
// (29 CFR 778.109), or at what was paid in weeks before over the hours worked in them (Employment
// Rights Act 1996, s. 224; figures ours). It is never in the regular rate (29 CFR 778.218).
func TestRatesOfLeave(t *testing.T) {
	rules := parsed(t, `"weekly_overtime_after":"40"`)
	for _, row := range []struct {
		name  string
		hours string
		leave Leave
		want  string // the line
	}{
		{"of the day", "Mon 08:00-16:00 @20", Leave{Seconds: 8 * 3600, Rate: rate("21")}, "8:00 at 21.0000 = 168.00"},
		{"28 h at 15 and 12 h at 12: 14.10 an hour", "Mon 08:00-18:00 @15, Tue 08:00-18:00, Wed 08:00-16:00, Thu 08:00-20:00 @12",
			Leave{Seconds: 8 * 3600, Rate: rate("15"), By: AtRegularRate}, "8:00 at 14.1000 = 112.80"},
		{"nothing was worked in the week", "", Leave{Seconds: 8 * 3600, Rate: rate("15"), By: AtRegularRate}, "8:00 at 15.0000 = 120.00"},
		{"10,000.00 for 700 h of twelve weeks", "Mon 08:00-16:00 @20", Leave{Seconds: 7*3600 + 1800, Rate: rate("20"), By: AtPaidWeeks,
			Paid: 1_000_000, PaidSeconds: 700 * 3600, PaidWeeks: 12}, "7:30 at 14.2857 = 107.14"},
		{"no paid weeks", "Mon 08:00-16:00 @20", Leave{Seconds: 3600, Rate: rate("20"), By: AtPaidWeeks}, "1:00 at 20.0000 = 20.00"},
	} {
		in := Input{Rules: rules, Leave: []Leave{row.leave}}
		in.Leave[0].Date, in.Leave[0].PayCode = monday+4, "PTO"
		if row.hours != "" {
			in.Stints = timesheet(t, rules.Week.Loc, row.hours)
		}
		res := mustReckon(t, in)
		if got := linesText(res, LeavePay); got != "Fri "+row.want {
			t.Errorf("%s: %s, want Fri %s", row.name, got, row.want)
		}
		plain := in
		plain.Leave = nil
		if got, want := res.Weeks[0].RegularRate, mustReckon(t, plain); len(want.Weeks) > 0 && got != want.Weeks[0].RegularRate {
			t.Errorf("%s: the regular rate is %s with it and %s without", row.name, got, want.Weeks[0].RegularRate)
		}
	}
}

// What is banked is paid nothing and credited by its class, on the days alone that are named, and
// where the rule set lets it; the hours stay hours worked.
func TestBankedOvertime(t *testing.T) {
	const hours = "Mon 08:00-21:00 @20, Tue 08:00-18:00"
	const daily = `"daily_overtime_after":"8","daily_double_after":"12"`
	all := []when.Period{{From: monday, To: monday + 6}}
	for _, row := range []struct {
		name, rules string
		banks       []when.Period
		want        string
		gross       string
	}{
		{"nobody lets it", daily, all, "", "540.00"},
		{"nobody asks for it", daily + `,"bank_overtime":{"overtime":"1.5"}`, nil, "", "540.00"},
		{"overtime alone", daily + `,"bank_overtime":{"overtime":"1.5"}`, all,
			"Mon 4:00 at 1.5000 = 0.00; Tue 2:00 at 1.5000 = 0.00", "360.00"},
		{"double time too", daily + `,"bank_overtime":{"overtime":"1.5","double":"2"}`, all,
			"Mon 4:00 at 1.5000 = 0.00; Mon 1:00 at 2.0000 = 0.00; Tue 2:00 at 1.5000 = 0.00", "320.00"},
		{"of Tuesday", daily + `,"bank_overtime":{"overtime":"1.5"}`, []when.Period{{From: monday + 1, To: monday + 1}},
			"Tue 2:00 at 1.5000 = 0.00", "480.00"},
	} {
		rules := parsed(t, row.rules)
		res := mustReckon(t, Input{Rules: rules, Stints: timesheet(t, rules.Week.Loc, hours), Banks: row.banks})
		if got := linesText(res, Banked); got != row.want {
			t.Errorf("%s: %s, want %s", row.name, got, row.want)
		}
		if got := res.Gross.Decimal(2); got != row.gross || res.Worked != 23*3600 {
			t.Errorf("%s: gross %s of %d s, want %s of 23 hours", row.name, got, res.Worked, row.gross)
		}
	}
	if errs := func() []FieldError {
		_, errs := ParseRules([]byte(`{"bank_overtime":{"double":"2"}}`), nil)
		return errs
	}(); len(errs) == 0 || !strings.Contains(errs[0].Field, "bank_overtime") {
		t.Errorf("without what overtime is credited as: %v", errs)
	}
}
