package clock

import (
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Stint is one unbroken stretch of time [Start, End). A zero End means it is
// still running. Its ID is that of the punch that opened it. On a break, On
// is the work that was left, and so is whether it is billed.
type Stint struct {
	ID             uuid.UUID
	Kind           Kind
	On             Assignment
	Marks          Marks
	Start, End     time.Time
	StartBy, EndBy Provenance
	ClockedStart   time.Time // where it was clocked to begin, when an amendment moved that
	ClockedEnd     time.Time
	Implied        bool      // nobody said that it ended: the next was begun
	Attendance     time.Time // when the attendance it belongs to began
	Date           when.Date // worked date: the card it is on
	Base           time.Time // since when punches and amendments count that make it; see [Rules.Place]
}

// Open says whether the stint is still running.
func (s Stint) Open() bool { return s.End.IsZero() }

// HoursOnly says whether only the length of the stint is known, and neither its times nor
// what breaks it was made of: it was recorded elsewhere, reported, or is the plan.
func (s Stint) HoursOnly() bool { return s.StartBy.hoursOnly() || s.EndBy.hoursOnly() }

func (p Provenance) hoursOnly() bool { return p == BroughtIn || p == Reported || p == ByPlan }

// Length gives the stint's length in seconds, up to now while it is open.
func (s Stint) Length(now time.Time) int64 {
	end := s.End
	if s.Open() {
		end = now
	}
	return int64(end.Sub(s.Start) / time.Second)
}

// Finding is a punch that makes no sense in its place, or an amendment that
// can't be laid over the stints as they are, with the reason.
type Finding struct {
	Of     uuid.UUID
	Reason string
}

// Derive works out the stints of one employment from its punches, whatever
// their order in the slice, which is left as it is. Stints come out in order
// of time, don't overlap, and only the last can be open. Clocking on to the same
// work again changes nothing, unless so late that it is another day's clocking
// in; a stint of no length is left out.
func Derive(punches []Punch) ([]Stint, []Finding) { return derive(punches, nil) }

// Lay works out the stints of one employment from its punches and the
// amendments laid over them, in whatever order. Raw are the stints that the
// punches alone tell of, with the ends that somebody said of what was running;
// what was clocked after an amendment goes by how the day then stood: a break
// that is ended leads back to the work as amended.
func Lay(punches []Punch, amendments []Amendment) (raw, stints []Stint, findings []Finding) {
	raw, _ = derive(punches, amendments)
	if len(amendments) == 0 {
		return raw, raw, nil
	}
	force := inForce(amendments)
	stints, findings = laid(raw, force)
	for _, a := range force {
		if a.Does == EndRunning && !slices.ContainsFunc(raw, func(s Stint) bool { return s.End.Equal(a.At) }) {
			findings = append(findings, Finding{a.ID, "It had ended by then"})
		}
	}
	return raw, stints, findings
}

func derive(punches []Punch, amendments []Amendment) ([]Stint, []Finding) {
	ordered := slices.Clone(punches)
	for _, a := range inForce(amendments) {
		if a.Does == EndRunning {
			ordered = append(ordered, Punch{ID: a.ID, Act: Out, Claimed: a.At.Truncate(time.Second), Received: a.Made, said: true})
		}
	}
	SortPunches(ordered)
	d := derivation{stints: make([]Stint, 0, len(ordered)), amendments: amendments}
	for _, p := range ordered {
		d.take(p)
	}
	if d.on {
		d.stints = append(d.stints, d.current)
	}
	return d.stints, d.findings
}

type derivation struct {
	stints     []Stint
	findings   []Finding
	current    Stint
	on         bool
	amendments []Amendment
}

// sameAgain is how long after a stint began clocking in on the same work is no
// slip of the finger: whoever does has been away, and forgot to clock out.
const sameAgain = 8 * time.Hour

// doing is what the person was doing when a punch arrived: what they had
// clocked, or what that had been amended to by then.
func (d *derivation) doing(p Punch) (Kind, Assignment, Marks) {
	var by []Amendment
	for _, a := range d.amendments {
		if a.Made.Before(p.Received) {
			by = append(by, a)
		}
	}
	if d.on && len(by) > 0 {
		stints, _ := laid(append(slices.Clone(d.stints), d.current), inForce(by))
		if last := stints[len(stints)-1]; last.Open() {
			return last.Kind, last.On, last.Marks.Billing()
		}
	}
	return d.current.Kind, d.current.On, d.current.Marks.Billing()
}

func (d *derivation) take(p Punch) {
	kind, on, billed := d.doing(p)
	if reason := misplaced(d.on, kind, p); reason != "" {
		d.findings = append(d.findings, Finding{p.ID, reason})
		if p.Act != Switch {
			return
		}
	}
	switch p.Act {
	case In, Switch:
		again := d.on && kind == Work && on == p.On && (p.Marks.Billing() == 0 || p.Marks.Billing() == billed)
		if again && !(p.Act == In && p.Claimed.Sub(d.current.Start) >= sameAgain) {
			return
		}
		d.end(p)
		d.begin(p, Work, p.On, p.Marks)
	case BreakStart:
		d.end(p)
		d.begin(p, p.Break, on, billed)
	case BreakEnd:
		d.end(p)
		d.begin(p, Work, on, billed)
	case Out:
		d.current.Marks |= p.Marks
		d.end(p)
	}
}

func (d *derivation) begin(p Punch, kind Kind, on Assignment, marks Marks) {
	d.current = Stint{ID: p.ID, Kind: kind, On: on, Marks: marks, Start: p.Claimed, StartBy: p.Provenance()}
	d.on = true
}

func (d *derivation) end(p Punch) {
	if d.on && p.Claimed.After(d.current.Start) {
		d.current.End, d.current.EndBy, d.current.Implied = p.Claimed, p.Provenance(), p.Act == In || p.Act == Switch
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
// order of time, and its base. A gap of NewAttendanceAfter or more begins a new
// attendance. Raw are the stints before amendments: before the base of a stint
// nothing was running, and nothing lies that it rests on, however far
// amendments moved it, those that were taken back included.
func (r Rules) Place(raw, stints []Stint, amendments []Amendment) {
	var attendance, last time.Time
	var date when.Date
	bases := r.bases(raw, stints, amendments)
	for i := range stints {
		s := &stints[i]
		if i == 0 || s.Start.Sub(last) >= r.NewAttendanceAfter {
			attendance, date = s.Start, when.WorkedDate(s.Start, r.Loc, r.CutOver)
		}
		s.Attendance, s.Date, last = attendance, date, s.End
		for len(bases) > 1 && !bases[1].After(s.Start) {
			bases = bases[1:]
		}
		s.Base = bases[0]
	}
}

// bases gives where the runs of stints and of what amendments touched begin
// that have gaps as long as those between attendances between them.
func (r Rules) bases(raw, stints []Stint, amendments []Amendment) []time.Time {
	type span struct{ from, to time.Time }
	spans := make([]span, 0, len(stints))
	for _, s := range stints {
		spans = append(spans, span{s.Start, s.End})
	}
	if len(amendments) > 0 {
		for _, s := range raw {
			spans = append(spans, span{s.Start, s.End})
		}
		for _, a := range amendments {
			spans = append(spans, span{a.From, a.To})
		}
		slices.SortFunc(spans, func(a, b span) int { return a.from.Compare(b.from) })
	}
	var bases []time.Time
	var end time.Time
	for _, s := range spans {
		if len(bases) == 0 || s.from.Sub(end) >= r.NewAttendanceAfter {
			bases = append(bases, s.from)
		}
		if s.to.After(end) {
			end = s.to
		}
	}
	return bases
}
