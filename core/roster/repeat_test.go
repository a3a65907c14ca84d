package roster_test

import (
	"strings"
	"testing"
	"time"

	"manudex/core/roster"
	"manudex/core/when"
)

func dates(t *testing.T, r roster.Repeat, span when.Period) string {
	t.Helper()
	found, err := r.Dates(span)
	if err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, d := range found {
		said = append(said, d.Format("2006-01-02"))
	}
	return strings.Join(said, " ")
}

// The examples of RFC 5545 §3.8.5.3, those of days: DTSTART is 2 September 1997, or as each
// says. Of those without an end the first dates are held.
func TestRepeatsOfTheStandard(t *testing.T) {
	day := when.NewDate
	for _, row := range []struct {
		name, rule string
		from       when.Date
		until      when.Date
		want       string
	}{
		{"daily for 10 occurrences", "FREQ=DAILY;COUNT=10", day(1997, 9, 2), 0, "1997-09-02 1997-09-03 1997-09-04 1997-09-05 1997-09-06 " +
			"1997-09-07 1997-09-08 1997-09-09 1997-09-10 1997-09-11"},
		{"every other day", "FREQ=DAILY;INTERVAL=2", day(1997, 9, 2), day(1997, 9, 10),
			"1997-09-02 1997-09-04 1997-09-06 1997-09-08 1997-09-10"},
		{"every 10 days, 5 occurrences", "FREQ=DAILY;INTERVAL=10;COUNT=5", day(1997, 9, 2), 0,
			"1997-09-02 1997-09-12 1997-09-22 1997-10-02 1997-10-12"},
		{"weekly for 10 occurrences", "FREQ=WEEKLY;COUNT=10", day(1997, 9, 2), 0,
			"1997-09-02 1997-09-09 1997-09-16 1997-09-23 1997-09-30 " +
				"1997-10-07 1997-10-14 1997-10-21 1997-10-28 1997-11-04"},
		{"every other week, Sunday first", "FREQ=WEEKLY;INTERVAL=2;WKST=SU", day(1997, 9, 2), day(1997, 10, 14),
			"1997-09-02 1997-09-16 1997-09-30 1997-10-14"},
		{"weekly on Tuesday and Thursday for five weeks", "FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH", day(1997, 9, 2), 0,
			"1997-09-02 1997-09-04 1997-09-09 1997-09-11 1997-09-16 1997-09-18 1997-09-23 1997-09-25 1997-09-30 1997-10-02"},
		{"every other week on three days until a date", "FREQ=WEEKLY;INTERVAL=2;UNTIL=19971224T000000Z;WKST=SU;BYDAY=MO,WE,FR",
			day(1997, 9, 1), day(1997, 10, 3),
			"1997-09-01 1997-09-03 1997-09-05 1997-09-15 1997-09-17 1997-09-19 1997-09-29 1997-10-01 1997-10-03"},
		{"monthly on the first Friday", "FREQ=MONTHLY;COUNT=10;BYDAY=1FR", day(1997, 9, 5), 0,
			"1997-09-05 1997-10-03 1997-11-07 1997-12-05 " +
				"1998-01-02 1998-02-06 1998-03-06 1998-04-03 1998-05-01 1998-06-05"},
		{"every other month on the first and last Sunday", "FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU", day(1997, 9, 7), 0,
			"1997-09-07 1997-09-28 1997-11-02 1997-11-30 1998-01-04 1998-01-25 1998-03-01 1998-03-29 1998-05-03 1998-05-31"},
		{"monthly on the second-to-last Monday", "FREQ=MONTHLY;COUNT=6;BYDAY=-2MO", day(1997, 9, 22), 0,
			"1997-09-22 1997-10-20 1997-11-17 1997-12-22 1998-01-19 1998-02-16"},
		{"monthly on the third-to-the-last day", "FREQ=MONTHLY;BYMONTHDAY=-3", day(1997, 9, 28), day(1998, 2, 28),
			"1997-09-28 1997-10-29 1997-11-28 1997-12-29 1998-01-29 1998-02-26"},
		{"monthly on the 2nd and 15th", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15", day(1997, 9, 2), 0, "1997-09-02 1997-09-15 1997-10-02 " +
			"1997-10-15 1997-11-02 1997-11-15 1997-12-02 1997-12-15 1998-01-02 1998-01-15"},
		{"yearly in June and July", "FREQ=YEARLY;COUNT=10;BYMONTH=6,7", day(1997, 6, 10), 0,
			"1997-06-10 1997-07-10 1998-06-10 1998-07-10 " +
				"1999-06-10 1999-07-10 2000-06-10 2000-07-10 2001-06-10 2001-07-10"},
		{"every 20th Monday of the year", "FREQ=YEARLY;BYDAY=20MO", day(1997, 5, 19), day(1999, 12, 31),
			"1997-05-19 1998-05-18 1999-05-17"},
		{"Monday of week 20", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO", day(1997, 5, 12), day(1999, 12, 31), "1997-05-12 1998-05-11 1999-05-17"},
		{"every Friday the 13th", "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13", day(1997, 9, 2), day(2000, 12, 31),
			"1998-02-13 1998-03-13 1998-11-13 1999-08-13 2000-10-13"},
		{"the third of Tuesday, Wednesday, Thursday, for three months", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", day(1997,
			9, 4), 0,
			"1997-09-04 1997-10-07 1997-11-06"},
		{"the second-to-last weekday of the month", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2", day(1997, 9, 29), day(1998, 1, 31),
			"1997-09-29 1997-10-30 1997-11-27 1997-12-30 1998-01-29"},
		{"WKST changes the days: Monday", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", day(1997, 8, 5), 0,
			"1997-08-05 1997-08-10 1997-08-19 1997-08-24"},
		{"WKST changes the days: Sunday", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", day(1997, 8, 5), 0,
			"1997-08-05 1997-08-17 1997-08-19 1997-08-31"},
		{"a date that doesn't exist is left out", "FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5", day(2007, 1, 15), 0,
			"2007-01-15 2007-01-30 2007-02-15 2007-03-15 2007-03-30"},
	} {
		span := when.Period{From: row.from, To: row.from + 3000}
		if got := dates(t, roster.Repeat{Rule: row.rule, From: row.from, Until: row.until}, span); got != row.want {
			t.Errorf("%s: %s\n  want %s", row.name, got, row.want)
		}
	}
}

// Pieces of a span give what the whole gives, wherever it is cut.
func TestRepeatsInPieces(t *testing.T) {
	for _, rule := range []string{"FREQ=DAILY;INTERVAL=3", "FREQ=WEEKLY;INTERVAL=2;BYDAY=MO,FR", "FREQ=MONTHLY;BYMONTHDAY=31",
		"FREQ=DAILY;COUNT=40"} {
		r := roster.Repeat{Rule: rule, From: monday}
		whole := dates(t, r, when.Period{From: monday - 10, To: monday + 400})
		for _, cut := range []when.Date{monday, monday + 1, monday + 60, monday + 399} {
			pieces := strings.TrimSpace(dates(t, r, when.Period{From: monday - 10, To: cut - 1}) + " " +
				dates(t, r, when.Period{From: cut, To: monday + 400}))
			if pieces != whole {
				t.Errorf("%s cut at %s: %s\n  want %s", rule, cut, pieces, whole)
			}
		}
	}
}

// A local time stays what it is over clock changes, in three zones: one that is skipped is that
// by the offset before it, one that is repeated the first (RFC 5545 §3.3.5).
func TestRepeatsOverClockChanges(t *testing.T) {
	for _, row := range []struct {
		zone string
		date when.Date
		from int
		want string // in UTC
	}{
		{"America/New_York", when.NewDate(2027, 3, 13), 7 * 3600, "12:00"},
		{"America/New_York", when.NewDate(2027, 3, 14), 7 * 3600, "11:00"},
		{"America/New_York", when.NewDate(2027, 3, 14), 2*3600 + 1800, "07:30"},   // skipped: 02:30 EST is 03:30 EDT
		{"America/New_York", when.NewDate(2026, 11, 1), 1*3600 + 1800, "05:30"},   // twice: the first, in EDT
		{"Europe/Berlin", when.NewDate(2027, 3, 28), 2*3600 + 1800, "01:30"},      // skipped
		{"Europe/Berlin", when.NewDate(2026, 10, 25), 2*3600 + 1800, "00:30"},     // twice
		{"Europe/Berlin", when.NewDate(2026, 10, 26), 7 * 3600, "06:00"},          //
		{"Australia/Lord_Howe", when.NewDate(2026, 10, 4), 2*3600 + 900, "15:45"}, // half an hour is skipped
		{"Australia/Lord_Howe", when.NewDate(2027, 4, 4), 1*3600 + 2700, "14:45"}, // and repeated
	} {
		loc, err := time.LoadLocation(row.zone)
		if err != nil {
			t.Fatal(err)
		}
		start, end := roster.At(row.date, row.from, row.from+24*3600, loc)
		if got := start.UTC().Format("15:04"); got != row.want {
			t.Errorf("%s %s: %s, not %s", row.zone, row.date, got, row.want)
		}
		if d := when.DateOf(end, loc); d != row.date+1 {
			t.Errorf("%s %s: past midnight is %s", row.zone, row.date, d)
		}
	}
}

// A rule that can't be one says why.
func TestRepeatsRefused(t *testing.T) {
	for rule, why := range map[string]string{"x": "no rule", "FREQ=HOURLY": "by days", "FREQ=DAILY;BYHOUR=9": "times of day",
		"": "no rule"} {
		_, err := roster.Repeat{Rule: rule, From: monday}.Check()
		if err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%q: %v", rule, err)
		}
	}
	if _, err := (roster.Repeat{Rule: "FREQ=DAILY", From: monday, Until: monday - 1}).Check(); err == nil {
		t.Error("it ends before it begins")
	}
	if text, err := (roster.Repeat{Rule: " rrule:freq=weekly;byday=mo ", From: monday}).Check(); text != "FREQ=WEEKLY;BYDAY=MO" {
		t.Errorf("kept as %q, %v", text, err)
	}
}
