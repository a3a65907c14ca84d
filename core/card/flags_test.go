package card

import (
	"strings"
	"testing"
	"time"

	"manudex/core/clock"
)

// strict are limits by which everything is flagged that can be: two meals, as in
// California Labor Code 512.
func strict() Limits {
	l := lim
	l.EarlyAfter, l.LeftEarly, l.LeftLate = 30*time.Minute, 15*time.Minute, 30*time.Minute
	l.UnderPlan, l.MostADay, l.ShortStint = time.Hour, 12*time.Hour, 4*time.Minute
	l.Meals = clock.Meals{First: 5 * 3600, FirstWaived: 6 * 3600, Second: 10 * 3600, SecondWaived: 12 * 3600, Length: 1800}
	l.Loc = time.UTC
	return l
}

// Each flag at its threshold and a second, or a minute, beyond.
func TestFlags(t *testing.T) {
	off := Plan{ShiftFrom: at("06:00"), ShiftTo: at("14:30"), Expected: 28800}
	unplanned := Plan{Expected: 28800}
	after := at("20:00")
	for _, c := range []struct {
		name, stints string
		plan         Plan
		ev           Evidence
		want         string
	}{
		{"early by what is allowed", "work 05:30-10:00, meal 10:00-10:30, work 10:30-14:15", off, Evidence{}, ""},
		{"earlier", "work 05:29-10:00, meal 10:00-10:30, work 10:30-14:15", off, Evidence{}, "31 min early"},
		{"left early by what is allowed", "work 06:00-10:00, meal 10:00-10:30, work 10:30-14:15", off, Evidence{}, ""},
		{"earlier than that", "work 06:00-10:00, meal 10:00-10:30, work 10:30-14:14", off, Evidence{}, "Left 16 min early"},
		{"left late", "work 06:00-10:00, meal 10:00-10:30, work 10:30-15:01", off, Evidence{}, "Left 31 min late"},
		{"under plan by what is allowed", "work 06:30-10:00, meal 10:00-10:30, work 10:30-14:00",
			Plan{ShiftFrom: at("06:30"), ShiftTo: at("14:00"), Expected: 28800}, Evidence{}, ""},
		{"under plan", "work 06:30-10:00, meal 10:00-10:30, work 10:30-13:59",
			Plan{ShiftFrom: at("06:30"), ShiftTo: at("14:00"), Expected: 28800}, Evidence{}, "1:01 under plan"},
		{"more than is allowed in a day", "work 05:45-10:00, meal 10:00-10:30, work 10:30-15:00, meal 15:00-15:30, work 15:30-18:46",
			unplanned,
			Evidence{}, "4:01 over plan; 12:01 in one day"},
		{"hardly a stint", "work 06:00-10:00, meal 10:00-10:30, work 10:30-14:26, work 14:26-14:29", off, Evidence{}, "A stint of 3 min"},
		{"a meal of four minutes is no short stint",
			"work 06:00-10:00, meal 10:00-10:30, work 10:30-14:00, rest 14:00-14:03, work 14:03-14:30",
			off, Evidence{}, ""},
		{"no meal", "work 06:00-14:30", off, Evidence{}, "No meal by 11:00"},
		{"a meal after five hours worked", "work 06:00-11:00, meal 11:00-11:30, work 11:30-14:30", off, Evidence{}, ""},
		{"a minute late", "work 06:00-11:01, meal 11:01-11:31, work 11:31-14:30", off, Evidence{}, "Meal 1 min late"},
		{"too short", "work 06:00-10:00, meal 10:00-10:22, work 10:22-14:30", off, Evidence{}, "Meal of only 22 min"},
		{"the second, never", "work 05:45-10:00, meal 10:00-10:30, work 10:30-18:46", unplanned, Evidence{},
			"4:31 over plan; 12:31 in one day; No second meal by 16:15"},
		{"the second, waived up to twelve hours", "work 06:00-10:00, meal 10:00-10:30, work 10:30-18:30", unplanned, Evidence{},
			"4:00 over plan"},
		{"clocked, not planned", "work 06:00-10:00", Plan{}, Evidence{}, "Clocked, not planned"},
		{"on a holiday", "work 06:00-10:00", Plan{Holiday: true}, Evidence{}, "Worked on a holiday"},
		{"planned on a holiday", "work 06:00-10:00", Plan{Holiday: true, ShiftFrom: at("06:00"), ShiftTo: at("10:00")}, Evidence{}, ""},
		{"no place", "work 06:00-10:00", Plan{ShiftFrom: at("06:00"), ShiftTo: at("10:00")}, Evidence{NoPlace: true}, "Location missing"},
		{"odd jobs", "work 06:00-10:00", Plan{ShiftFrom: at("06:00"), ShiftTo: at("10:00")}, Evidence{Odd: []Code{ClosedJob, NotTheirs}},
			"On a closed job; On a job not open to them"},
		{"expected, and nothing", "", unplanned, Evidence{}, ""}, // the next noon, see below
		{"on leave, and nothing", "", Plan{Expected: 28800, Leave: 28800}, Evidence{}, ""},
	} {
		got := Work(date, day(c.stints), c.plan, c.ev, strict())
		if f := words(got.FlagsAt(after, strict())); f != c.want {
			t.Errorf("%s: %q, want %q", c.name, f, c.want)
		}
	}
	none := Work(date, nil, unplanned, Evidence{}, strict())
	for at, want := range map[time.Time]string{(date + 1).At(12*time.Hour, time.UTC): "",
		(date + 1).At(12*time.Hour+time.Second, time.UTC): "Expected, nothing clocked"} {
		if f := words(none.FlagsAt(at, strict())); f != want {
			t.Errorf("nothing planned or clocked, at %s: %q, want %q", at, f, want)
		}
	}
}

// What lacks is said once the day is over, not while a meal is clocked out for.
func TestWhatLacksIsSaidAfterwards(t *testing.T) {
	half := Work(date, day("work 06:00-10:00"), shift, Evidence{}, strict())
	if f := words(half.FlagsAt(at("10:15"), strict())); f != "" {
		t.Errorf("clocked out for a meal: %q", f)
	}
	if f := words(half.FlagsAt(at("14:31"), strict())); f != "Left 4:30 early; 4:00 under plan" {
		t.Errorf("did not come back: %q", f)
	}
}

// A hand-set edge says by how much it is off what was clocked, and a punch that
// was sent later by how much.
func TestHowFarOff(t *testing.T) {
	stints := day("work 06:00-10:00, meal 10:00-10:30, work 10:30-14:31!")
	for clocked, want := range map[string]string{"": "End by hand", "13:31": "End by hand, 1:00 later",
		"14:41": "End by hand, 10 min earlier"} {
		stints[2].ClockedEnd = at(clocked)
		if f := words(Work(date, stints, shift, Evidence{}, lim).Flags); f != want {
			t.Errorf("clocked at %q: %q, want %q", clocked, f, want)
		}
	}
	stints[2].EndBy = clock.Delayed
	if f := words(Work(date, stints, shift, Evidence{Delay: 200 * time.Minute}, lim).Flags); f != "Sent 3:20 later" {
		t.Errorf("sent later: %q", f)
	}
}

// A flag that is off where somebody works isn't raised, and keeps no card from
// being clear; what blocks an approval does.
func TestFlagsThatAreOff(t *testing.T) {
	l := strict()
	l.SignRequired = false
	c := Work(date, day("work 06:30-10:00, meal 10:00-10:30, work 10:30-14:30"), Plan{ShiftFrom: at("06:00"), ShiftTo: at("14:30"),
		Expected: 27000}, Evidence{}, l)
	if c.ClassAt(Start, at("20:00"), l) != Flagged {
		t.Errorf("late, and %s", c.ClassAt(Start, at("20:00"), l))
	}
	c.Off = []Code{Late}
	if c.ClassAt(Start, at("20:00"), l) != Clear {
		t.Errorf("late where that is not flagged, and %s: %v", c.ClassAt(Start, at("20:00"), l), c.FlagsAt(at("20:00"), l))
	}
	c.NoClass = true
	if f := words(c.FlagsAt(at("20:00"), l)); f != "No classification on public work" {
		t.Errorf("without a classification: %q", f)
	}
}

// What is known beyond the day's own stints raises flags: hours on no job, on one
// that is out of hours, and a week that goes beyond its limit.
func TestFlagsFromAround(t *testing.T) {
	l := strict()
	l.MostAWeek = 50 * time.Hour
	worked := Work(date, day("work 06:00-10:00, meal 10:00-10:30, work 10:30-14:30"), Plan{Expected: 28800}, Evidence{}, l)
	for name, c := range map[string]struct {
		around Around
		want   string
	}{
		"nothing":                     {Around{}, ""},
		"no job":                      {Around{NoJob: true}, "No job yet"},
		"a job that is out of hours":  {Around{OutOfHours: true}, "Job out of hours"},
		"all of a week's hours":       {Around{WeekWorked: 50 * 3600}, ""},
		"a second more":               {Around{WeekWorked: 50*3600 + 1}, "50:00 in one week"},
		"more, where it isn't raised": {Around{WeekWorked: 60 * 3600, Off: []Code{OverWeek}}, ""},
	} {
		of := worked
		of.Around = c.around
		if got := words(of.FlagsAt(at("20:00"), l)); got != c.want {
			t.Errorf("%s: %q, want %q", name, got, c.want)
		}
	}
	idle := Card{Date: date, Around: Around{WeekWorked: 60 * 3600}}
	if got := words(idle.FlagsAt(at("20:00"), l)); got != "" {
		t.Errorf("a day without work, in a long week: %q", got)
	}
	l.MostAWeek = 0
	worked.WeekWorked = 100 * 3600
	if got := words(worked.FlagsAt(at("20:00"), l)); got != "" {
		t.Errorf("no limit: %q", got)
	}
}

// The premium and the card read one answer: see also core/pay.
func TestMissed(t *testing.T) {
	m := strict().Meals
	h := func(hour float64) int64 { return int64(hour * 3600) }
	for _, c := range []struct {
		name   string
		day    []clock.Worked
		missed bool
		second bool
		due    float64
	}{
		{"six hours waive the first", []clock.Worked{{From: 0, To: h(6)}}, false, false, 0},
		{"a second more", []clock.Worked{{From: 0, To: h(6) + 1}}, true, false, 5},
		{"off for half an hour after five hours", []clock.Worked{{From: 0, To: h(5)}, {From: h(5.5), To: h(9)}}, false, false, 0},
		{"for a second less", []clock.Worked{{From: 0, To: h(5)}, {From: h(5.5) - 1, To: h(9)}}, true, false, 5},
		{"twelve hours waive the second", []clock.Worked{{From: 0, To: h(4)}, {From: h(5), To: h(13)}}, false, false, 0},
		{"a second more of those", []clock.Worked{{From: 0, To: h(4)}, {From: h(5), To: h(13) + 1}}, true, true, 11},
		{"two meals", []clock.Worked{{From: 0, To: h(4)}, {From: h(5), To: h(10)}, {From: h(11), To: h(15)}}, false, false, 0},
		{"nothing", nil, false, false, 0},
	} {
		got, missed := m.Missed(c.day)
		if missed != c.missed || missed && (got.Second != c.second || got.Due != h(c.due)) {
			t.Errorf("%s: %+v %v", c.name, got, missed)
		}
	}
	if _, missed := (clock.Meals{}).Missed([]clock.Worked{{From: 0, To: h(20)}}); missed {
		t.Error("missed where none is due")
	}
}

// Of a day that was recorded elsewhere only the hours are known: nothing is held
// against its plan, no meal is missed, and the most of a day still holds.
func TestBroughtInIsNotHeldAgainstThePlan(t *testing.T) {
	plan := Plan{ShiftFrom: at("06:00"), ShiftTo: at("14:30"), Expected: 28800}
	for length, want := range map[time.Duration]string{3 * time.Minute: "", 13 * time.Hour: "13:00 in one day"} {
		s := clock.Stint{Kind: clock.Work, Start: at("07:00"), End: at("07:00").Add(length), StartBy: clock.BroughtIn,
			EndBy: clock.BroughtIn}
		var got []string
		for _, f := range Work(0, []clock.Stint{s}, plan, Evidence{}, strict()).FlagsAt(at("20:00"), strict()) {
			got = append(got, f.Words(time.UTC))
		}
		if strings.Join(got, "; ") != want {
			t.Errorf("%s: %q, want %q", length, got, want)
		}
	}
}
