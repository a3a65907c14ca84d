package files

import (
	"io"
	"time"

	ics "github.com/arran4/golang-ical"
)

// Event is one of a calendar. What was called off stays in it for a while, so that calendars
// that hold it take it out.
type Event struct {
	ID       string // kept for as long as it is the same, also when it changes
	From, To time.Time
	Days     bool // whole days: of From and To the dates alone, To the day after the last
	Summary  string
	Note     string
	Sequence int       // counts up with each change
	Changed  time.Time // last
	Off      bool      // called off
}

// WriteCalendar writes a calendar (RFC 5545): one VEVENT an event, times in UTC.
func WriteCalendar(w io.Writer, name string, now time.Time, events []Event) error {
	cal := ics.NewCalendarFor("Manudex")
	cal.SetProductId("-//Manudex//Shifts//EN")
	cal.SetMethod(ics.MethodPublish)
	cal.SetXWRCalName(name)
	for _, e := range events {
		v := cal.AddEvent(e.ID)
		v.SetDtStampTime(now.UTC())
		if e.Days {
			v.SetAllDayStartAt(e.From)
			v.SetAllDayEndAt(e.To)
		} else {
			v.SetStartAt(e.From.UTC())
			v.SetEndAt(e.To.UTC())
		}
		v.SetSummary(e.Summary)
		v.SetSequence(e.Sequence)
		if e.Note != "" {
			v.SetDescription(e.Note)
		}
		if !e.Changed.IsZero() {
			v.SetModifiedAt(e.Changed.UTC())
		}
		v.SetStatus(ics.ObjectStatusConfirmed)
		if e.Off {
			v.SetStatus(ics.ObjectStatusCancelled)
		}
	}
	return cal.SerializeTo(w, ics.WithNewLineWindows) // lines end so whatever the machine (§3.1)
}
