package pay

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"manudex/core/clock"
	"manudex/core/when"
)

func zone(t testing.TB, name string) *time.Location {
	t.Helper()
	loc, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return loc
}

func rate(s string) Rate {
	r, err := ParseRate(s)
	if err != nil {
		panic(s + ": " + err.Error())
	}
	return r
}

var monday = when.NewDate(2026, 3, 2)

// worked makes one stint a day from Monday 2 March 2026, 07:00, of the hours
// given, each at its rate: "8@12 8@12 6.5@14".
func worked(t testing.TB, loc *time.Location, text string) []Stint {
	t.Helper()
	var stints []Stint
	for i, part := range strings.Fields(text) {
		hours, r, _ := strings.Cut(part, "@")
		n := int64(rate(hours)) * 3600 / rateScale
		start := (monday + when.Date(i)).At(7*time.Hour, loc)
		stints = append(stints,
			Stint{ID: fmt.Sprint("s", i), Start: start, End: start.Add(time.Duration(n) * time.Second), Kind: clock.Work, Rate: rate(r),
				PayCode: "REG", Job: "2231"})
	}
	return stints
}

func us(t testing.TB) Rules {
	r := DefaultRules(zone(t, "America/New_York"))
	r.WeeklyOvertime = 40 * 3600
	return r
}

func TestThresholdCutsAStint(t *testing.T) {
	res, err := Reckon(Input{Rules: us(t), Stints: worked(t, zone(t, "America/New_York"), "10@20 10@20 10@20 9@20 2.5@20")})
	if err != nil {
		t.Fatal(err)
	}
	last := res.Lines[len(res.Lines)-3:]
	if last[0].Seconds != 3600 || last[0].Class != Regular || last[1].Seconds != 5400 || last[1].Class != Overtime ||
		last[2].Kind != OvertimePremium || last[2].Amount != 1500 {
		t.Errorf("Friday's lines: %+v", last)
	}
	if w := res.Weeks[0]; w.Regular != 40*3600 || w.Overtime != 5400 {
		t.Errorf("week %+v", w)
	}
}

func TestBreaksAndOverrides(t *testing.T) {
	loc := zone(t, "America/New_York")
	at := func(h, m int) time.Time {
		return monday.At(time.Duration(h)*time.Hour+time.Duration(m)*time.Minute, loc)
	}
	stint := func(id string, kind clock.Kind, from, to time.Time, paid Override) Stint {
		return Stint{ID: id, Kind: kind, Start: from, End: to, Rate: rate("20"), PayCode: "REG", Paid: paid}
	}
	for _, c := range []struct {
		name   string
		kind   clock.Kind
		min    int
		paid   Override
		worked int64
		gross  string
	}{
		{"785.18 a rest of 20 min is work", clock.Rest, 20, ByKind, 2*3600 + 1200, "46.67"},
		{"785.18 a rest of 21 min is not", clock.Rest, 21, ByKind, 2 * 3600, "40.00"},
		{"785.19 a meal of 30 min is not", clock.Meal, 30, ByKind, 2 * 3600, "40.00"},
		{"785.19 a meal of 29 min is work", clock.Meal, 29, ByKind, 2*3600 + 29*60, "49.67"},
		{"a meal worked through", clock.Meal, 30, AsWork, 2*3600 + 1800, "50.00"},
		{"778.320 a meal paid and not worked", clock.Meal, 30, NotAsWork, 2 * 3600, "50.00"},
	} {
		back := at(8, 0).Add(time.Duration(c.min) * time.Minute)
		res, err := Reckon(Input{Rules: us(t), Stints: []Stint{
			stint("a", clock.Work, at(7, 0), at(8, 0), ByKind), stint("b", c.kind, at(8, 0), back, c.paid),
			stint("c", clock.Work, back, back.Add(time.Hour), ByKind)}})
		if err != nil {
			t.Fatal(err)
		}
		if res.Worked != c.worked || res.Gross.Decimal(2) != c.gross {
			t.Errorf("%s: worked %d for %s, want %d for %s", c.name, res.Worked, res.Gross.Decimal(2), c.worked, c.gross)
		}
	}
}

// A stint across midnight, the week's edge and both clock changes is paid for
// the time that really passed.
func TestEdges(t *testing.T) {
	loc := zone(t, "America/New_York")
	for _, c := range []struct {
		name, start, end string
		days             string
	}{
		{"across midnight", "2026-03-03T22:00:00-05:00", "2026-03-04T06:00:00-05:00", "2026-03-03 7200, 2026-03-04 21600"},
		{"across the workweek's edge", "2026-03-14T22:00:00-04:00", "2026-03-15T06:00:00-04:00", "2026-03-14 7200, 2026-03-15 21600"},
		{"clocks go forward: an hour less", "2026-03-07T22:00:00-05:00", "2026-03-08T06:00:00-04:00", "2026-03-07 7200, 2026-03-08 18000"},
		{"clocks go back: an hour more", "2026-10-31T22:00:00-04:00", "2026-11-01T06:00:00-05:00", "2026-10-31 7200, 2026-11-01 25200"},
	} {
		start, _ := time.Parse(time.RFC3339, c.start)
		end, _ := time.Parse(time.RFC3339, c.end)
		rules := us(t)
		rules.Week.Loc = loc
		res, err := Reckon(Input{Rules: rules, Stints: []Stint{{ID: "n", Start: start, End: end, Kind: clock.Work, Rate: rate("20")}}})
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, d := range res.Days {
			got = append(got, fmt.Sprintf("%s %d", d.Date, d.Worked))
		}
		if s := strings.Join(got, ", "); s != c.days {
			t.Errorf("%s: %s, want %s", c.name, s, c.days)
		}
	}
}

func TestLeaveIsNeitherWorkedNorInTheRegularRate(t *testing.T) {
	rules := us(t)
	res, err := Reckon(Input{Rules: rules, Stints: worked(t, rules.Week.Loc, "10@20 10@20 10@20 10@20"),
		Leave: []Leave{{Date: monday + 4, Seconds: 8 * 3600, Rate: rate("20"), PayCode: "PTO"},
			{Date: monday + 14, Seconds: 8 * 3600, Rate: rate("20"), PayCode: "PTO"}}})
	if err != nil {
		t.Fatal(err)
	}
	if len(res.Weeks) != 2 || res.Weeks[0].Overtime != 0 || res.Weeks[0].Gross != 96000 ||
		res.Weeks[1].Gross != 16000 || res.Weeks[1].Worked != 0 {
		t.Errorf("weeks %+v", res.Weeks)
	}
}

func TestRefusals(t *testing.T) {
	loc := zone(t, "America/New_York")
	a := worked(t, loc, "8@20")[0]
	b := a
	b.ID, b.Start = "later", a.End.Add(-time.Second)
	b.End = b.Start.Add(time.Hour)
	if _, err := Reckon(Input{Rules: us(t), Stints: []Stint{b, a}}); err == nil || !strings.Contains(err.Error(), "stint later starts at") {
		t.Errorf("overlap: %v", err)
	}
	a.End = a.Start
	if _, err := Reckon(Input{Rules: us(t), Stints: []Stint{a}}); err == nil ||
		!strings.Contains(err.Error(), "ends at or before its start") {
		t.Errorf("no length: %v", err)
	}
}

func TestParseRate(t *testing.T) {
	for s, want := range map[string]string{"22": "22.00", "22.00": "22.00", "22.125": "22.125", "0.000001": "0.000001",
		"-3.5": "-3.50", "1000000": "1000000.00"} {
		if r, err := ParseRate(s); err != nil || r.String() != want {
			t.Errorf("ParseRate(%q) = %s, %v; want %s", s, r, err, want)
		}
	}
	for _, s := range []string{"", ".", "1.", ".5", "1e3", "1.0000001", "1000000.000001", "99999999", "١٢", "+1", "--1", "1,5"} {
		if r, err := ParseRate(s); err == nil {
			t.Errorf("ParseRate(%q) took it as %s", s, r)
		}
	}
}

// scaled agrees with big.Rat rounded half away from zero.
func TestScaled(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 20000 {
		x := ratio{r.Int64N(1e9) - 5e8, r.Int64N(1e5), r.Int64N(1e14) - 5e13, r.Int64N(1e17) + 1e13}
		scale := pow10(r.IntN(4))
		exact := new(big.Rat).SetFrac64(x.a, 1)
		for _, f := range []int64{x.b, x.c, scale} {
			exact.Mul(exact, new(big.Rat).SetInt64(f))
		}
		exact.Quo(exact, new(big.Rat).SetInt64(x.d))
		if got := fmt.Sprint(x.scaled(scale)); got != strings.Replace(exact.FloatString(0), "-0", "0", 1) &&
			exact.FloatString(0) != "-"+got {
			t.Fatalf("%v × %d = %s, exactly %s", x, scale, got, exact.FloatString(0))
		}
	}
	if got := (Rate(125)).Decimals(4); got != "0.0001" {
		t.Errorf("0.000125 to four decimals: %s", got)
	}
	if got := (Rate(-150)).Decimals(4); got != "-0.0002" {
		t.Errorf("half goes away from zero: %s", got)
	}
}

// randomRules makes a rule set in which every rule may be in force.
func randomRules(t testing.TB, r *rand.Rand) Rules {
	rules := DefaultRules(zone(t, []string{"America/New_York", "UTC", "Asia/Kolkata"}[r.IntN(3)]))
	some := func(into *int64, hours int) {
		if r.IntN(3) == 0 {
			*into = int64(r.IntN(hours*4)) * 900
		}
	}
	rules.Week.Weekday = time.Weekday(r.IntN(7))
	rules.Week.Start = time.Duration(r.IntN(3)) * 6 * time.Hour
	if r.IntN(2) == 0 {
		rules.Week.WorkdayStart = rules.Week.Start
		some(&rules.SeventhDay, 10)
	}
	if r.IntN(4) == 0 {
		rules.Period = OvertimePeriod{Days: 1 + r.IntN(20), Start: monday + when.Date(r.IntN(30)), After: int64(r.IntN(24)) * 3600}
		rules.SeventhDay = NotInForce
	} else {
		rules.WeeklyOvertime = int64(r.IntN(60)) * 3600
		some(&rules.WeeklyDouble, 70)
		rules.WeeklyDouble = max(rules.WeeklyDouble, min(rules.WeeklyDouble+1, 1)*rules.WeeklyOvertime)
	}
	some(&rules.DailyOvertime, 12)
	some(&rules.DailyDouble, 14)
	if rules.DailyDouble != NotInForce {
		rules.DailyDouble = max(rules.DailyDouble, rules.DailyOvertime)
	}
	some(&rules.ConsecutiveOvertime, 14)
	rules.GreaterOf = r.IntN(2) == 0
	rules.RateInEffect = r.IntN(3) == 0
	rules.FlatSumOverRegular = r.IntN(2) == 0
	rules.KeepWithAttendance = r.IntN(3) == 0
	if r.IntN(3) == 0 {
		rules.AutomaticMeal = AutomaticMeal{After: int64(4+r.IntN(5)) * 3600, Length: 1800}
	}
	if r.IntN(3) == 0 {
		rules.Rounding = Rounding{Every: []int64{300, 360, 900}[r.IntN(3)], WholeDay: r.IntN(2) == 0}
	}
	if r.IntN(3) == 0 {
		rules.Differentials = []Differential{{Name: "night", From: 20 * time.Hour, To: 4 * time.Hour, PerHour: rate("1.50")},
			{Name: "late", From: 14 * time.Hour, To: 22 * time.Hour, Percent: 725}}
	}
	if r.IntN(3) == 0 {
		rules.Holidays = []Holiday{{monday + 2, rate("1.5")}, {monday + 8, rate("1.25")}}
	}
	if r.IntN(3) == 0 {
		rules.MealPremium = MealPremium{First: 5 * 3600, Second: 10 * 3600, FirstWaived: 6 * 3600, SecondWaived: 12 * 3600, Length: 1800}
	}
	if r.IntN(3) == 0 {
		rules.MinimumCallout = 4 * 3600
	}
	if r.IntN(3) == 0 {
		rules.ShowUp = ShowUp{rateScale / 2, 2 * 3600, 4 * 3600}
		rules.ShortNotice = ShortNotice{Days: 7, Changed: 3600, Lost: rateScale / 2, Over: 1800}
	}
	return rules
}

// randomInput makes a few weeks of one person's time.
func randomInput(t testing.TB, r *rand.Rand) Input {
	in := Input{Rules: randomRules(t, r)}
	at := (monday - 2).At(5*time.Hour, in.Rules.Week.Loc)
	for i := range r.IntN(60) {
		at = at.Add(time.Duration(r.IntN(2)*r.IntN(12*3600)) * time.Second)
		s := Stint{ID: fmt.Sprint("s", i), Start: at,
			Kind: []clock.Kind{clock.Work, clock.Work, clock.Work, clock.Meal, clock.Rest}[r.IntN(5)],
			Rate: Rate(r.Int64N(60e6)), Job: fmt.Sprint(r.IntN(3)), PayCode: "REG", Paid: Override(r.IntN(12) / 10),
			PremiumPerHour: Rate(r.IntN(5)/4) * 1_250_000, FringeCash: Rate(r.IntN(5)/4) * 4_100_000,
			FringePlan: Rate(r.IntN(5)/4) * 3_000_000, Callout: r.IntN(9) == 0, Planned: r.Int64N(2) * r.Int64N(12*3600)}
		at = at.Add(time.Duration(1+r.IntN(9*3600)) * time.Second)
		s.End = at
		in.Stints = append(in.Stints, s)
	}
	for range r.IntN(3) {
		start := (monday + when.Date(r.IntN(14))).At(time.Duration(r.IntN(20))*time.Hour, in.Rules.Week.Loc)
		was := Planned{start, start.Add(4 * time.Hour), 4 * 3600}
		is := Planned{start, start.Add(time.Duration(1+r.IntN(8)) * time.Hour), int64(1+r.IntN(8)) * 3600}
		in.Changes = append(in.Changes, Change{Date: when.DateOf(start, in.Rules.Week.Loc),
			Told: start.Add(-time.Duration(r.IntN(300)) * time.Hour),
			Was:  was, Is: is, Asked: r.IntN(3) == 0, Rate: Rate(r.Int64N(60e6)), PayCode: "NOTICE"})
	}
	for range r.IntN(3) {
		in.Extras = append(in.Extras,
			Extra{WeekOf: monday + when.Date(r.IntN(14)), Amount: Rate(r.Int64N(1e8)), PayCode: "BONUS",
				InRegularRate: r.IntN(2) == 0, FlatSum: r.IntN(2) == 0})
	}
	return in
}

func mustReckon(t testing.TB, in Input) Result {
	t.Helper()
	res, err := Reckon(in)
	if err != nil {
		t.Fatal(err)
	}
	return res
}

// The laws of the computation on random input.
func TestLaws(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	for range 800 {
		in := randomInput(t, r)
		res := mustReckon(t, in)

		var paid, worked, straight, onPremium int64
		var gross Amount
		for _, s := range res.Stints {
			n := int64(s.End.Sub(s.Start) / time.Second)
			if s.Paid != ByKind || in.Rules.Breaks.Counted(s.Kind, n) == n {
				paid += n
			}
		}
		for _, m := range res.Meals {
			paid -= m.Seconds
		}
		for _, l := range res.Lines {
			gross += l.Amount
			switch l.Kind {
			case Straight:
				straight += l.Seconds
				worked += l.Seconds
			case PaidNotWorked:
				if l.why == byOverride {
					straight += l.Seconds
				}
			case OvertimePremium, DoublePremium:
				onPremium += l.Seconds
			}
		}
		if straight != paid && in.Rules.Rounding.Every == 0 {
			t.Fatalf("lines pay %d s of %d", straight, paid)
		}
		if worked != res.Worked || gross != res.Gross {
			t.Fatalf("totals %d %d are not the sums of lines %d %d", res.Worked, res.Gross, worked, gross)
		}
		var overtime int64
		var weeks, days Day
		for _, w := range res.Weeks {
			overtime += w.Overtime + w.Double
			if w.Regular+w.Overtime+w.Double != w.Worked {
				t.Fatalf("week %+v: a second is in two classes or none", w)
			}
			weeks.Worked, weeks.Regular, weeks.Overtime, weeks.Double = weeks.Worked+w.Worked, weeks.Regular+w.Regular,
				weeks.Overtime+w.Overtime, weeks.Double+w.Double
		}
		for _, d := range res.Days {
			days.Worked, days.Regular, days.Overtime, days.Double = days.Worked+d.Worked, days.Regular+d.Regular,
				days.Overtime+d.Overtime, days.Double+d.Double
		}
		if days != weeks {
			t.Fatalf("days %+v, weeks %+v", days, weeks)
		}
		if onPremium > overtime {
			t.Fatalf("premium on %d s of %d overtime", onPremium, overtime)
		}

		shuffled := in
		shuffled.Stints = slices.Clone(in.Stints)
		r.Shuffle(len(shuffled.Stints), func(i, j int) {
			shuffled.Stints[i], shuffled.Stints[j] = shuffled.Stints[j], shuffled.Stints[i]
		})
		if again := mustReckon(t, shuffled); !slices.Equal(again.Lines, res.Lines) {
			t.Fatal("the order of the input matters")
		}

		if len(in.Stints) > 0 { // a stint cut in two, joined again, changes no cent
			i := r.IntN(len(in.Stints))
			s := in.Stints[i]
			if n := int64(s.End.Sub(s.Start) / time.Second); n > 1 {
				cut := s.Start.Add(time.Duration(1+r.Int64N(n-1)) * time.Second)
				first, second := s, s
				first.End, second.Start = cut, cut
				split := in
				split.Stints = slices.Replace(slices.Clone(in.Stints), i, i+1, first, second)
				if again := mustReckon(t, split); !slices.Equal(again.Lines, res.Lines) {
					t.Fatal("cutting a stint in two changed its lines")
				}
			}
		}
	}
}

// A Reckoner gives the same answers however often it was used, and results
// given before stay as they were.
func TestReckonerAgain(t *testing.T) {
	r := rand.New(rand.NewPCG(15, 16))
	var again Reckoner
	var before Result
	var lines []Line
	for range 500 {
		in := randomInput(t, r)
		res, err := again.Reckon(in)
		if err != nil {
			t.Fatal(err)
		}
		if want := mustReckon(t, in); !slices.Equal(res.Lines, want.Lines) || !slices.Equal(res.Days, want.Days) ||
			!slices.Equal(res.Weeks, want.Weeks) {
			t.Fatal("a used reckoner answers otherwise")
		}
		if !slices.Equal(before.Lines, lines) {
			t.Fatal("an earlier result changed")
		}
		before, lines = res, slices.Clone(res.Lines)
	}
}

// In a zone without clock changes, moving everything by whole weeks changes
// nothing but dates.
func TestMovingByWeeks(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 300 {
		in := randomInput(t, r)
		in.Rules.Week.Loc = time.UTC
		moved := in
		moved.Stints, moved.Extras = slices.Clone(in.Stints), slices.Clone(in.Extras)
		for i := range moved.Stints {
			moved.Stints[i].Start = moved.Stints[i].Start.Add(5 * 7 * 24 * time.Hour)
			moved.Stints[i].End = moved.Stints[i].End.Add(5 * 7 * 24 * time.Hour)
		}
		for i := range moved.Extras {
			moved.Extras[i].WeekOf += 35
		}
		moved.Changes = slices.Clone(in.Changes)
		for i := range moved.Changes {
			c := &moved.Changes[i]
			c.Date += 35
			for _, at := range []*time.Time{&c.Told, &c.Was.Start, &c.Was.End, &c.Is.Start, &c.Is.End} {
				*at = at.Add(5 * 7 * 24 * time.Hour)
			}
		}
		moved.Rules.Holidays = slices.Clone(in.Rules.Holidays)
		for i := range moved.Rules.Holidays {
			moved.Rules.Holidays[i].Date += 35
		}
		moved.Rules.Period.Start += 35
		want := mustReckon(t, in).Lines
		for i := range want {
			want[i].Date += 35
			want[i].Week += 35
		}
		if got := mustReckon(t, moved).Lines; !slices.Equal(got, want) {
			t.Fatalf("five weeks later:\n%v\n%v", got, want)
		}
	}
}

// However cards are approved and runs are closed, what the runs paid adds up
// to what is worked out, and nothing is paid twice.
func TestOwed(t *testing.T) {
	r := rand.New(rand.NewPCG(13, 14))
	for range 400 {
		in := randomInput(t, r)
		approved := in
		approved.Stints = nil
		var paid []Entry
		rest := r.Perm(len(in.Stints))
		for run := range 4 {
			take := r.IntN(len(rest) + 1)
			if run == 3 {
				take = len(rest)
			}
			for _, i := range rest[:take] {
				approved.Stints = append(approved.Stints, in.Stints[i])
			}
			rest = rest[take:]
			period := when.Period{From: monday, To: monday + when.Date(7*run)}
			if run == 3 {
				period.To = monday + 365
			}
			due := func() []Entry {
				return slices.DeleteFunc(mustReckon(t, approved).Entries(), func(e Entry) bool { return !in.Rules.Due(e.Key, period.To) })
			}
			owed := Owed(due(), paid)
			for _, e := range owed {
				if e.Premium() && e.Amount > 0 && e.Week+in.Rules.WeekDays()-1 > period.To {
					t.Fatalf("premium of the week of %s paid in a period to %s", e.Week, period.To)
				}
			}
			paid = compact(append(paid, owed...))
			if again := Owed(due(), paid); len(again) != 0 {
				t.Fatalf("a second run right after pays again: %v", again)
			}
		}
		paid = slices.DeleteFunc(paid, func(e Entry) bool { return e.Seconds == 0 && e.Amount == 0 })
		want := slices.DeleteFunc(mustReckon(t, in).Entries(), func(e Entry) bool { return e.Seconds == 0 && e.Amount == 0 })
		if !slices.Equal(paid, want) {
			t.Fatalf("paid %v\nworked out %v", paid, want)
		}
	}
}
