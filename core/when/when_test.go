package when

import (
	"testing"
	"time"
)

func zone(t testing.TB, name string) *time.Location {
	t.Helper()
	loc, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return loc
}

func TestDateRoundTrip(t *testing.T) {
	for _, s := range []string{"1970-01-01", "1969-12-31", "2026-11-08", "2028-02-29", "2100-03-01"} {
		d, err := ParseDate(s)
		if err != nil {
			t.Fatal(err)
		}
		if d.String() != s {
			t.Errorf("ParseDate(%q).String() = %q", s, d)
		}
	}
	for _, bad := range []string{"", "2026-2-3", "2026-02-30", "08.11.2026"} {
		if _, err := ParseDate(bad); err == nil {
			t.Errorf("ParseDate(%q) gave no error", bad)
		}
	}
}

func TestWorkedDate(t *testing.T) {
	ny := zone(t, "America/New_York")
	cut := 4 * time.Hour
	for _, c := range []struct{ name, begin, want string }{
		{"day shift", "2026-11-12T06:00:00-05:00", "2026-11-12"},
		{"just before the cut-over belongs to the evening before", "2026-11-12T03:59:59-05:00", "2026-11-11"},
		{"at the cut-over a new day begins", "2026-11-12T04:00:00-05:00", "2026-11-12"},
		{"late evening", "2026-11-12T23:59:59-05:00", "2026-11-12"},
		{"clocks went forward at 02:00", "2026-03-08T03:30:00-04:00", "2026-03-07"},
		{"clocks went back, second 01:30", "2026-11-01T01:30:00-05:00", "2026-10-31"},
	} {
		at, err := time.Parse(time.RFC3339, c.begin)
		if err != nil {
			t.Fatal(err)
		}
		if got := WorkedDate(at, ny, cut); got.String() != c.want {
			t.Errorf("%s: WorkedDate(%s) = %s, want %s", c.name, c.begin, got, c.want)
		}
	}
}

func TestWeekLengthAcrossClockChanges(t *testing.T) {
	w := Workweek{Loc: zone(t, "America/New_York"), Weekday: time.Sunday}
	for _, c := range []struct {
		day   string
		hours float64
	}{{"2026-03-10", 167}, {"2026-11-03", 169}, {"2026-11-12", 168}} {
		d, _ := ParseDate(c.day)
		week := w.Week(d.At(12*time.Hour, w.Loc))
		if got := week.To.Sub(week.From).Hours(); got != c.hours {
			t.Errorf("week of %s has %v h, want %v", c.day, got, c.hours)
		}
		if week.Date.Weekday() != time.Sunday {
			t.Errorf("week of %s begins on %s", c.day, week.Date.Weekday())
		}
	}
}

// Every instant lies in exactly the workday and workweek that say they hold
// it, whatever the zone and the starts.
func TestDayAndWeekHoldTheInstant(t *testing.T) {
	for _, name := range []string{"America/New_York", "Asia/Kathmandu", "Europe/Berlin", "Pacific/Apia"} {
		for _, start := range []time.Duration{0, 6 * time.Hour, 22*time.Hour + 30*time.Minute} {
			w := Workweek{Loc: zone(t, name), Weekday: time.Wednesday, Start: start, WorkdayStart: start}
			from := NewDate(2026, 1, 1).At(0, w.Loc)
			for h := range 24 * 400 {
				at := from.Add(time.Duration(h)*time.Hour + 17*time.Minute)
				day, week := w.Day(at), w.Week(at)
				if !day.Holds(at) || !week.Holds(at) {
					t.Fatalf("%s: %s outside its day %v or week %v", name, at, day, week)
				}
				if day.Date < week.Date || day.Date > week.Date+6 {
					t.Fatalf("%s: day %s lies outside week of %s", name, day.Date, week.Date)
				}
			}
		}
	}
}

// The same where a whole day was skipped or lived twice, and where clocks
// change at midnight: days follow one another without a gap.
func TestDaysAcrossGreatChanges(t *testing.T) {
	for _, c := range []struct{ zone, around string }{
		{"Pacific/Apia", "2011-12-30"}, {"Pacific/Kwajalein", "1993-08-21"}, {"Pacific/Kiritimati", "1994-12-31"},
		{"Pacific/Enderbury", "1994-12-31"},
		{"America/Havana", "2026-03-08"}, {"America/Havana", "2026-11-01"}, {"Asia/Beirut", "2026-03-29"},
		{"Australia/Lord_Howe", "2026-04-05"}, {"Africa/Monrovia", "1972-01-07"},
	} {
		loc := zone(t, c.zone)
		d, err := ParseDate(c.around)
		if err != nil {
			t.Fatal(err)
		}
		for _, start := range []time.Duration{0, 30 * time.Minute, 2*time.Hour + 30*time.Minute, 23 * time.Hour} {
			w := Workweek{Loc: loc, Weekday: d.Weekday(), Start: start, WorkdayStart: start}
			at := (d - 10).At(start, loc)
			day := w.Day(at)
			for !at.After((d + 10).At(start, loc)) {
				if day = w.Day(at); !day.Holds(at) || !w.Week(at).Holds(at) {
					t.Fatalf("%s, days from %s: %s lies outside its day %s to %s or week", c.zone, start, at, day.From, day.To)
				}
				if next := w.Day(day.To); !next.From.Equal(day.To) || next.Date <= day.Date {
					t.Fatalf("%s, days from %s: after %s comes %s from %s", c.zone, start, day.Date, next.Date, next.From)
				}
				at = at.Add(17 * time.Minute)
			}
		}
	}
}

func TestParseWeekStart(t *testing.T) {
	day, at, err := ParseWeekStart("Mon 06:30")
	if err != nil || day != time.Monday || at != 6*time.Hour+30*time.Minute {
		t.Errorf("got %v %v %v", day, at, err)
	}
	for _, bad := range []string{"", "Sun", "Sun 24:00", "Sonntag 00:00", "Sun 6:00", "Sun 00:00 "} {
		if _, _, err := ParseWeekStart(bad); err == nil {
			t.Errorf("%q was taken", bad)
		}
	}
}

func TestPayPeriods(t *testing.T) {
	anchor, _ := ParseDate("2026-11-08")
	for _, c := range []struct {
		kind          PeriodKind
		day, from, to string
	}{
		{Fortnight, "2026-11-08", "2026-11-08", "2026-11-21"},
		{Fortnight, "2026-11-21", "2026-11-08", "2026-11-21"},
		{Fortnight, "2026-11-07", "2026-10-25", "2026-11-07"},
		{Weekly, "2026-11-14", "2026-11-08", "2026-11-14"},
		{TwiceMonth, "2026-02-15", "2026-02-01", "2026-02-15"},
		{TwiceMonth, "2028-02-16", "2028-02-16", "2028-02-29"},
		{Monthly, "2026-12-31", "2026-12-01", "2026-12-31"},
	} {
		d, _ := ParseDate(c.day)
		p, err := PayPeriods{c.kind, anchor}.Of(d)
		if err != nil || p.From.String() != c.from || p.To.String() != c.to {
			t.Errorf("%s of %s = %s..%s (%v), want %s..%s", c.kind, c.day, p.From, p.To, err, c.from, c.to)
		}
	}
	if _, err := (PayPeriods{Kind: "lunar"}).Of(0); err == nil {
		t.Error("an unknown kind was taken")
	}
}

// Periods of one kind tile the calendar: each date in one, neighbours meet.
func TestPayPeriodsTile(t *testing.T) {
	for _, kind := range []PeriodKind{Weekly, Fortnight, TwiceMonth, Monthly} {
		pp := PayPeriods{kind, 3}
		first, _ := pp.Of(NewDate(1969, 1, 1))
		for d := first.From; d < NewDate(1974, 1, 1); {
			p, err := pp.Of(d)
			if err != nil || p.From != d || p.Days() < 7 {
				t.Fatalf("%s: period of %s is %s..%s (%v)", kind, d, p.From, p.To, err)
			}
			for _, day := range p.Dates() {
				if q, _ := pp.Of(day); q != p {
					t.Fatalf("%s: %s is in %v and %v", kind, day, p, q)
				}
			}
			d = p.To + 1
		}
	}
}

// Of a local time that a clock change repeats it is the first, wherever the change is by an
// hour or half of one, and on the days around it the time is what it is.
func TestARepeatedTimeIsTheFirst(t *testing.T) {
	for _, row := range []struct {
		zone string
		date Date
		of   time.Duration
		want string
	}{
		{"America/New_York", NewDate(2026, 11, 1), 90 * time.Minute, "05:30"},
		{"America/New_York", NewDate(2026, 11, 1), 30 * time.Minute, "04:30"},
		{"America/New_York", NewDate(2026, 11, 1), 150 * time.Minute, "07:30"},
		{"America/New_York", NewDate(2026, 11, 2), 90 * time.Minute, "06:30"},
		{"Europe/Berlin", NewDate(2026, 10, 25), 150 * time.Minute, "00:30"},
		{"Europe/Berlin", NewDate(2026, 10, 25), 3 * time.Hour, "02:00"},
		{"Australia/Lord_Howe", NewDate(2027, 4, 4), 105 * time.Minute, "14:45"},
	} {
		loc, err := time.LoadLocation(row.zone)
		if err != nil {
			t.Fatal(err)
		}
		if got := row.date.At(row.of, loc).UTC().Format("15:04"); got != row.want {
			t.Errorf("%s of %s in %s is %s UTC, not %s", row.of, row.date, row.zone, got, row.want)
		}
	}
}
