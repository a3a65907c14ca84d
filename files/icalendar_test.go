package files

import (
	"bytes"
	"strings"
	"testing"
	"time"

	ics "github.com/arran4/golang-ical"
)

// A calendar is one that others read: ids, times in UTC, what is called off, and words that
// its own marks can't break.
func TestWriteCalendar(t *testing.T) {
	ny, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	at := time.Date(2026, 11, 16, 7, 0, 0, 0, ny)
	var b bytes.Buffer
	if err := WriteCalendar(&b, "Shifts of Dao Pham", at, []Event{
		{ID: "a@manudex", From: at, To: at.Add(8 * time.Hour), Summary: "2231, gantry; Hollin", Note: "two\nlines", Sequence: 2,
			Changed: at},
		{ID: "b@manudex", From: at, To: at.Add(time.Hour), Summary: "gone", Off: true},
	}); err != nil {
		t.Fatal(err)
	}
	text := b.String()
	for _, want := range []string{"UID:a@manudex\r\n", "DTSTART:20261116T120000Z\r\n", "DTEND:20261116T200000Z\r\n", "SEQUENCE:2\r\n",
		`SUMMARY:2231\, gantry\; Hollin`, `DESCRIPTION:two\nlines`, "STATUS:CANCELLED\r\n", "METHOD:PUBLISH\r\n"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q is not in\n%s", want, text)
		}
	}
	back, err := ics.ParseCalendar(strings.NewReader(text))
	if err != nil || len(back.Events()) != 2 {
		t.Fatalf("read back: %v", err)
	}
	if from, err := back.Events()[0].GetStartAt(); err != nil || !from.Equal(at) {
		t.Errorf("it begins %v, %v", from, err)
	}
}
