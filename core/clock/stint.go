package clock

import (
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Stint is one unbroken stretch of time [Start, End). A zero End means it is
// still running. Its ID is that of the punch that opened it. On a break, On
// is the work that was left.
type Stint struct {
	ID             uuid.UUID
	Kind           Kind
	On             Assignment
	Start, End     time.Time
	StartBy, EndBy Provenance
	ClockedStart   time.Time // where it was clocked to begin, when an amendment moved that
	ClockedEnd     time.Time
	Attendance     time.Time // when the attendance it belongs to began
	Date           when.Date // worked date: the card it is on
}

// Open says whether the stint is still running.
func (s Stint) Open() bool { return s.End.IsZero() }

// Length gives the stint's length in seconds, up to now while it is open.
func (s Stint) Length(now time.Time) int64 {
	end := s.End
	if s.Open() {
		end = now
	}
	return int64(end.Sub(s.Start) / time.Second)
}

// Finding is a punch that makes no sense in its place, with the reason.
type Finding struct {
	Punch  uuid.UUID
	Reason string
}

// Derive works out the stints of one employment from its punches, whatever
// their order in the slice, which is left as it is. Stints come out in order
// of time, don't overlap, and only the last can be open. Joining a stint to
// the same work again changes nothing; a stint of no length is left out.
func Derive(punches []Punch) ([]Stint, []Finding) {
	ordered := slices.Clone(punches)
	SortPunches(ordered)
	d := derivation{stints: make([]Stint, 0, len(ordered))}
	for _, p := range ordered {
		d.take(p)
	}
	if d.on {
		d.stints = append(d.stints, d.current)
	}
	return d.stints, d.findings
}

type derivation struct {
	stints   []Stint
	findings []Finding
	current  Stint
	on       bool
}

func (d *derivation) take(p Punch) {
	if reason := misplaced(d.on, d.current.Kind, p); reason != "" {
		d.findings = append(d.findings, Finding{p.ID, reason})
		if p.Act != Switch {
			return
		}
	}
	switch p.Act {
	case In, Switch:
		if d.on && d.current.Kind == Work && d.current.On == p.On {
			return
		}
		d.end(p)
		d.begin(p, Work, p.On)
	case BreakStart:
		left := d.current.On
		d.end(p)
		d.begin(p, p.Break, left)
	case BreakEnd:
		left := d.current.On
		d.end(p)
		d.begin(p, Work, left)
	case Out:
		d.end(p)
	}
}

func (d *derivation) begin(p Punch, kind Kind, on Assignment) {
	d.current = Stint{ID: p.ID, Kind: kind, On: on, Start: p.Claimed, StartBy: p.Provenance()}
	d.on = true
}

func (d *derivation) end(p Punch) {
	if d.on && p.Claimed.After(d.current.Start) {
		d.current.End, d.current.EndBy = p.Claimed, p.Provenance()
		d.stints = append(d.stints, d.current)
	}
	d.on = false
}

// misplaced says why a punch makes no sense where it stands, or "".
func misplaced(on bool, kind Kind, p Punch) string {
	onBreak := on && kind != Work
	switch p.Act {
	case In:
		return ""
	case Switch:
		if !on {
			return "switched job while off the clock"
		}
	case Out:
		if !on {
			return "clocked out while off the clock"
		}
	case BreakStart:
		switch {
		case !on:
			return "started a break while off the clock"
		case p.Break != Meal && p.Break != Rest:
			return "started a break that is neither meal nor rest"
		case kind == p.Break:
			return "started a break while on one"
		}
	case BreakEnd:
		if !onBreak {
			return "ended a break while on none"
		}
	default:
		return "unknown act " + string(p.Act)
	}
	return ""
}

// Rules that put stints on days.
type Rules struct {
	NewAttendanceAfter time.Duration // a gap this long begins a new attendance
	CutOver            time.Duration // local time of day; earlier begins belong to the day before
	Loc                *time.Location
}

// Place sets the attendance and worked date of each stint, which must be in
// order of time. A gap of NewAttendanceAfter or more begins a new attendance.
func (r Rules) Place(stints []Stint) {
	var attendance, last time.Time
	var date when.Date
	for i := range stints {
		s := &stints[i]
		if i == 0 || s.Start.Sub(last) >= r.NewAttendanceAfter {
			attendance, date = s.Start, when.WorkedDate(s.Start, r.Loc, r.CutOver)
		}
		s.Attendance, s.Date, last = attendance, date, s.End
	}
}
