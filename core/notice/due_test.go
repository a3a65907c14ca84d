package notice_test

import (
	"testing"
	"time"

	"manudex/core/notice"
)

func at(t *testing.T, text string) time.Time {
	t.Helper()
	v, err := time.Parse(time.RFC3339, text)
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func zone(t *testing.T, name string) *time.Location {
	t.Helper()
	loc, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return loc
}

var nights = notice.Quiet{From: 21 * 3600, To: 6 * 3600}

// A message waits for the end of the reader's quiet hours and for what is gathered, but
// for what happens before they would hear of it.
func TestDue(t *testing.T) {
	ny, ber := zone(t, "America/New_York"), zone(t, "Europe/Berlin")
	some := []notice.Waiting{{}}
	for _, row := range []struct {
		name    string
		now     string
		quiet   notice.Quiet
		loc     *time.Location
		last    string // of the last message
		waiting []notice.Waiting
		want    bool
	}{
		{"nothing waits", "2026-11-13T10:00:00-05:00", nights, ny, "", nil, false},
		{"by day", "2026-11-13T10:00:00-05:00", nights, ny, "", some, true},
		{"as quiet hours begin", "2026-11-13T21:00:00-05:00", nights, ny, "", some, false},
		{"a second before", "2026-11-13T20:59:59-05:00", nights, ny, "", some, true},
		{"after midnight", "2026-11-14T02:00:00-05:00", nights, ny, "", some, false},
		{"as they end", "2026-11-14T06:00:00-05:00", nights, ny, "", some, true},
		{"in the reader's zone, not another", "2026-11-13T21:30:00-05:00", nights, ber, "", some, false},
		{"which is where it is day", "2026-11-13T02:00:00-05:00", nights, ber, "", some, true},
		{"no quiet hours", "2026-11-14T02:00:00-05:00", notice.Quiet{}, ny, "", some, true},
		{"within a day", "2026-11-13T13:00:00-05:00", notice.Quiet{From: 12 * 3600, To: 14 * 3600}, ny, "", some, false},
		{"after one a minute ago", "2026-11-13T10:00:00-05:00", nights, ny, "2026-11-13T09:59:00-05:00", some, false},
		{"ten minutes after one", "2026-11-13T10:00:00-05:00", nights, ny, "2026-11-13T09:50:00-05:00", some, true},
		{"a shift that begins before they end", "2026-11-14T02:00:00-05:00", nights, ny, "",
			[]notice.Waiting{{}, {About: at(t, "2026-11-14T05:30:00-05:00")}}, true},
		{"a shift that begins after", "2026-11-14T02:00:00-05:00", nights, ny, "",
			[]notice.Waiting{{About: at(t, "2026-11-14T07:00:00-05:00")}}, false},
		{"a shift in five minutes, after a message", "2026-11-13T10:00:00-05:00", nights, ny, "2026-11-13T09:59:00-05:00",
			[]notice.Waiting{{About: at(t, "2026-11-13T10:05:00-05:00")}}, true},
	} {
		var last time.Time
		if row.last != "" {
			last = at(t, row.last)
		}
		if got := notice.Due(at(t, row.now), row.quiet, row.loc, last, row.waiting); got != row.want {
			t.Errorf("%s: %v", row.name, got)
		}
	}
}

// Quiet hours end at the local time they are said to end at, over both clock changes.
func TestQuietHoursOverClockChanges(t *testing.T) {
	ny := zone(t, "America/New_York")
	for _, row := range []struct{ now, ends string }{
		{"2026-10-31T23:00:00-04:00", "2026-11-01T06:00:00-05:00"},
		{"2026-03-07T23:00:00-05:00", "2026-03-08T06:00:00-04:00"},
	} {
		ends, within := nights.At(at(t, row.now), ny)
		if !within || !ends.Equal(at(t, row.ends)) {
			t.Errorf("from %s they end %s, not %s", row.now, ends, row.ends)
		}
	}
}

// Every kind is there once, says a sentence, and comes by ways that can be chosen.
func TestKinds(t *testing.T) {
	seen := map[string]bool{}
	for _, k := range notice.Kinds {
		if seen[k.Key] || k.Name == "" || k.Words() == 0 {
			t.Errorf("%q is there twice, or says nothing", k.Key)
		}
		seen[k.Key] = true
		if _, ok := notice.Choice(string(k.Ways)); !ok || k.Ways == "" {
			t.Errorf("%s comes by %q, which nobody could choose", k.Key, k.Ways)
		}
	}
	if _, ok := notice.Of("nothing"); ok || notice.Ways("page, mail").Has(notice.Text) || !notice.Ways("page, mail").Has(notice.Mail) {
		t.Error("ways and kinds are not told apart")
	}
	for _, row := range []struct {
		ways       notice.Ways
		mail, text bool
		want       notice.Ways
	}{{"page, mail, text", true, true, "page, mail, text"}, {"page, mail, text", false, true, "page, text"},
		{"page, mail", false, true, "page"}, {"page", true, true, "page"}, {"", true, true, ""}} {
		if got := row.ways.Reaching(row.mail, row.text); got != row.want {
			t.Errorf("of %q reach %q, not %q", row.ways, got, row.want)
		}
	}
	if _, ok := notice.Choice("mail"); ok {
		t.Error("mail without the page can be chosen")
	}
}
