package demo

import (
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/geo"
	"manudex/core/when"
	"manudex/store"
)

// history is what happened to one employee: what was planned, what they
// recorded, and what was said and done about it.
type history struct {
	shifts  []store.Shift
	leaves  []leaveDay
	punches []store.Punch
	notes   []store.Note
	acts    []store.CardAct
	stints  []store.Stint
	cards   []store.Card
}

type leaveDay struct {
	id      uuid.UUID
	date    when.Date
	name    string
	code    string
	seconds int
}

func (w *World) spec(e *employee) unitSpec { return unitSpecs[w.unitOf[e.unit]] }

func (w *World) worksOn(e *employee, d when.Date) bool {
	return w.spec(e).workdays[d.Weekday()] != '-'
}

// lastWorkday is the last weekday before now: the day whose cards are on the
// desk.
func (w *World) lastWorkday() when.Date {
	d := w.Place.Today(w.Now) - 1
	for d.Weekday() == time.Saturday || d.Weekday() == time.Sunday {
		d--
	}
	return d
}

// patternOf gives the expected seconds of the employee's weekdays.
func (w *World) patternOf(e *employee) [7]int {
	var p [7]int
	for i, c := range w.spec(e).workdays {
		if c != '-' {
			p[i] = 8 * 3600
		}
	}
	return p
}

// happened makes the history of an employee up to now, and what is planned to
// the end of the next pay period.
func (w *World) happened(e *employee) *history {
	h := &history{}
	plans := map[when.Date]card.Plan{}
	away := 0 // days of leave to come
	for d := w.from; d <= w.open.To+14; d++ {
		r := w.rng(e.number + d.String())
		plan := card.Plan{Expected: int64(w.patternOf(e)[d.Weekday()])}
		if !w.worksOn(e, d) {
			if extra := w.extraShift(e, d, r, h); extra != nil {
				plan.ShiftFrom, plan.ShiftTo = extra.Start, extra.End
				plan.Expected = int64(extra.End.Sub(extra.Start) / time.Second)
			}
		} else {
			if away > 0 {
				away--
			} else if r.chance(0.008) {
				away = 1 + r.IntN(5)
			}
			h.leave(w, e, d, away > 0, r)
			if n := len(h.leaves); n > 0 && h.leaves[n-1].date == d {
				plan.Leave, plan.LeaveName = int64(h.leaves[n-1].seconds), h.leaves[n-1].name
			} else {
				s := w.shift(e, d, r)
				h.shifts = append(h.shifts, s)
				plan.ShiftFrom, plan.ShiftTo = s.Start, s.End
				h.clockDay(w, e, d, s, r)
			}
		}
		plans[d] = plan
	}
	h.cutAtNow(w.Now)
	var cards []card.Card
	h.stints, cards = hours.WorkDays(e.who, e.loc, w.Place, h.punches, plans)
	for _, c := range cards {
		h.cards = append(h.cards,
			store.Card{Card: c, Standing: card.Start, Employment: e.who.ID, Person: e.who.Person, Unit: e.who.Unit, Given: e.who.Given})
	}
	h.settle(w, e)
	return h
}

// shift plans the usual shift of a day on one of the unit's jobs.
func (w *World) shift(e *employee, d when.Date, r rng) store.Shift {
	spec := w.spec(e)
	s := store.Shift{ID: r.id(d.At(0, e.loc)), Employment: e.who.ID, Date: d, Start: w.minute(e, d, spec.hours.from),
		End: w.minute(e, d, spec.hours.to), Less: max(0, (spec.hours.to-spec.hours.from)*60-w.patternOf(e)[d.Weekday()])}
	// A crew works on one job for some days, and all of it on the same.
	plan := w.rng(spec.name + when.Date(int(d)/4).String())
	s.Job, s.Task = w.assign(e, spec.jobs[plan.IntN(len(spec.jobs))], r)
	return s
}

// minute gives the instant of a local minute of the day, which may be past
// midnight.
func (w *World) minute(e *employee, d when.Date, minute int) time.Time {
	return (d + when.Date(minute/1440)).At(time.Duration(minute%1440)*time.Minute, e.loc)
}

// assign picks a task of a job that the employee's unit does.
func (w *World) assign(e *employee, number string, r rng) (job, task *uuid.UUID) {
	ref := w.jobs[number]
	var fit []int
	for i, code := range ref.codes {
		if strings.Contains(w.spec(e).codes, code[:1]) {
			fit = append(fit, i)
		}
	}
	if len(fit) > 0 {
		task = &ref.tasks[fit[r.IntN(len(fit))]]
	} else if len(ref.tasks) > 0 {
		task = &ref.tasks[r.IntN(len(ref.tasks))]
	}
	return &ref.id, task
}

// extraShift is a Saturday morning that some are asked for.
func (w *World) extraShift(e *employee, d when.Date, r rng, h *history) *store.Shift {
	if d.Weekday() != time.Saturday || !r.chance(0.07) {
		return nil
	}
	s := w.shift(e, d, r)
	s.Start, s.End, s.Less = w.minute(e, d, 420), w.minute(e, d, 720), 0
	h.shifts = append(h.shifts, s)
	h.clockDay(w, e, d, s, r)
	return &s
}

// leave books a day off: in a row, for a cold, or as the cast has it.
func (h *history) leave(w *World, e *employee, d when.Date, away bool, r rng) {
	l := leaveDay{id: r.id(d.At(0, e.loc)), date: d, seconds: 8 * 3600}
	switch {
	case e.who.Name() == "Solveig Marsh" && (d == w.lastWorkday() || d == w.Place.Today(w.Now)), away && !w.starring(e, d):
		l.name, l.code = "Annual leave", "PTO"
	case r.chance(0.008) && !w.starring(e, d):
		l.name, l.code = "Sick leave", "SICK"
	default:
		return
	}
	h.leaves = append(h.leaves, l)
}

// starring says whether somebody has a part to play on the desk's day.
func (w *World) starring(e *employee, d when.Date) bool {
	if d < w.lastWorkday() || d > w.Place.Today(w.Now) {
		return false
	}
	for _, names := range cast {
		for _, n := range names {
			if n == e.who.Name() {
				return true
			}
		}
	}
	return false
}

// clockDay makes the punches of one shift.
func (h *history) clockDay(w *World, e *employee, d when.Date, s store.Shift, r rng) {
	day := dayMaker{w: w, e: e, r: r, on: w.onJob(e, s.Job, s.Task)}
	if w.starring(e, d) && day.starring(d, s) {
		h.punches = append(h.punches, day.punches...)
		return
	}
	if r.chance(0.004) {
		return // planned, never clocked
	}
	in := s.Start.Add(r.between(-6, 4))
	if r.chance(0.025) {
		in = s.Start.Add(r.between(16, 50))
	}
	out := s.End.Add(r.between(-2, 7))
	if r.chance(0.10) {
		out = s.End.Add(r.between(45, 150))
	}
	day.usual(in, out, s)
	switch {
	case r.chance(0.006):
		day.forgotOut(w.minute(e, d+1, w.spec(e).hours.from-8))
	case r.chance(0.004):
		day.byHand(out.Add(40 * time.Minute))
	case w.spec(e).field && r.chance(0.05):
		day.delayed()
	case w.spec(e).field && r.chance(0.006):
		day.offSite(len(day.punches)-1, 3100)
	}
	h.punches = append(h.punches, day.punches...)
	if r.chance(0.01) {
		h.notes = append(h.notes,
			store.Note{ID: r.id(out), Employment: e.who.ID, Date: d, By: e.who.Person, MadeAt: out, Body: remarks[r.IntN(len(remarks))]})
	}
}

var remarks = []string{
	"Waited forty minutes for the lift.", "Lorry was late, started on the small plates instead.",
	"Rain from eleven, moved under the bridge.",
	"Ran out of primer.", "Showed the new hand the winding bench.", "Road closed, drove round by Fennick.",
}

// dayMaker makes punches of one employee's day.
type dayMaker struct {
	w       *World
	e       *employee
	r       rng
	on      clock.Assignment
	punches []store.Punch
}

// onJob gives the assignment of a job and task, with the class where the job
// is public work.
func (w *World) onJob(e *employee, job, task *uuid.UUID) clock.Assignment {
	on := clock.Assignment{Job: *job}
	if task != nil {
		on.Task = *task
	}
	for _, ref := range w.jobs {
		if ref.id == *job && ref.public {
			class := w.spec(e).class
			if class == "" {
				class = "LAB"
			}
			on.Class = w.classes[class]
		}
	}
	return on
}

func (m *dayMaker) punch(at time.Time, act clock.Act, kind clock.Kind, on clock.Assignment) {
	at = at.Truncate(time.Second)
	point := clock.Browser
	if m.w.spec(m.e).field {
		point = clock.OwnPhone
	}
	received := at.Add(time.Duration(200+m.r.IntN(700)) * time.Millisecond)
	m.punches = append(m.punches,
		store.Punch{Employment: m.e.who.ID, By: m.e.who.Person, Punch: clock.Punch{ID: m.r.id(at), Act: act, Break: kind, On: on,
			Point: point, Claimed: at, Device: received.Add(-time.Duration(m.r.IntN(3000)) * time.Millisecond), Received: received}})
}

// usual is a day with a meal, perhaps a rest, perhaps another job.
func (m *dayMaker) usual(in, out time.Time, s store.Shift) {
	none := clock.Assignment{}
	m.punch(in, clock.In, "", m.on)
	long := s.End.Sub(s.Start) > 6*time.Hour
	if m.r.chance(0.25) {
		rest := s.Start.Add(m.r.between(115, 140))
		m.punch(rest, clock.BreakStart, clock.Rest, none)
		m.punch(rest.Add(m.r.between(9, 15)), clock.BreakEnd, "", none)
	}
	if long && !m.r.chance(0.015) {
		meal := s.Start.Add(m.r.between(236, 268))
		m.punch(meal, clock.BreakStart, clock.Meal, none)
		m.punch(meal.Add(m.r.between(30, 33)), clock.BreakEnd, "", none)
	}
	if long && m.r.chance(0.35) {
		jobs := m.w.spec(m.e).jobs
		job, task := m.w.assign(m.e, jobs[m.r.IntN(len(jobs))], m.r)
		m.punch(s.Start.Add(m.r.between(320, 440)), clock.Switch, "", m.w.onJob(m.e, job, task))
	}
	m.punch(out, clock.Out, "", none)
}

// forgotOut has the clock-out said on the next morning.
func (m *dayMaker) forgotOut(said time.Time) {
	p := &m.punches[len(m.punches)-1]
	p.Device, p.Received = said, said.Add(300*time.Millisecond)
	p.Claimed = p.Claimed.Truncate(5 * time.Minute)
}

// byHand has the whole day written down by the lead afterwards.
func (m *dayMaker) byHand(said time.Time) {
	by := m.e.who.Person
	if lead := m.w.leads[m.e.unit]; lead != nil {
		by = lead.who.Person
	}
	for i := range m.punches {
		p := &m.punches[i]
		p.By, p.Point, p.Device, p.Received = by, clock.HandEntry, said, said.Add(300*time.Millisecond)
		p.Claimed = p.Claimed.Truncate(time.Minute)
	}
}

// delayed has a phone without signal send some punches later.
func (m *dayMaker) delayed() {
	from := m.r.IntN(len(m.punches))
	for i := from; i < min(from+2, len(m.punches)); i++ {
		p := &m.punches[i]
		p.Point, p.Device = clock.DelayQueue, p.Claimed
		p.Received = p.Claimed.Add(m.r.between(12, 70))
	}
}

func maxTime(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// offSite puts a punch some metres east of the site.
func (m *dayMaker) offSite(i int, metres float64) {
	site := siteSpecs[m.w.spec(m.e).site]
	p := &m.punches[i]
	p.Place = &geo.Point{Lat: site.at.Lat, Lon: site.at.Lon + metres/85060}
	p.OffSite = geo.Fence{Point: site.at, Radius: site.fence}.Outside(*p.Place)
}

// starring makes the days that the desk is about. It is false where the part
// is an ordinary day.
func (m *dayMaker) starring(d when.Date, s store.Shift) bool {
	at := func(minute int) time.Time { return m.w.minute(m.e, d, minute) }
	none := clock.Assignment{}
	yesterday := d == m.w.lastWorkday()
	switch m.e.who.Name() {
	case "Tomasz Brandt":
		if !yesterday {
			return false
		}
		m.punch(at(414), clock.In, "", m.on)
		m.punch(at(690), clock.BreakStart, clock.Meal, none)
		m.punch(at(720), clock.BreakEnd, "", none)
		m.punch(at(1065), clock.Out, "", none)
		m.forgotOut(at(1118))
		m.offSite(3, 3100)
	case "Dao Pham":
		if !yesterday {
			return false
		}
		m.punch(at(390), clock.In, "", m.on)
		job, task := m.w.assign(m.e, "2224", m.r)
		m.punch(at(544), clock.Switch, "", m.w.onJob(m.e, job, task))
		m.punch(at(906), clock.Out, "", none)
	case "Ruth Adeyemi":
		return true // planned, never clocked, yesterday and today
	default:
		m.usual(s.Start.Add(m.r.between(-5, 1)), s.End.Add(m.r.between(0, 6)), s)
	}
	return true
}

// cutAtNow leaves out what has not been received by now.
func (h *history) cutAtNow(now time.Time) {
	kept := h.punches[:0]
	for _, p := range h.punches {
		if !p.Received.After(now) {
			kept = append(kept, p)
		}
	}
	h.punches = kept
	notes := h.notes[:0]
	for _, n := range h.notes {
		if !n.MadeAt.After(now) {
			notes = append(notes, n)
		}
	}
	h.notes = notes
}

// settle has cards signed and approved as a place does: everything of closed
// periods, most of the open one up to the desk's day, nothing of today.
func (h *history) settle(w *World, e *employee) {
	desk := w.lastWorkday()
	for i := range h.cards {
		c := &h.cards[i]
		r := w.rng("settle" + e.number + c.Date.String())
		if c.Date > desk || c.Running() {
			continue
		}
		flagged := len(c.FlagsAt(w.Now, w.Place.Limits)) > 0
		closed := c.Date < w.open.From
		signedAt := maxTime(c.Last.Add(4*time.Minute), w.minute(e, c.Date, 1020))
		approvedAt := w.minute(e, c.Date+1, 975)
		switch {
		case closed, c.Date < desk-1 && (!flagged || r.chance(0.85)):
			h.move(w, e, c, card.Sign, e.who.Person, signedAt, r)
			h.move(w, e, c, card.Approve, w.office[1].id, approvedAt, r)
			h.paid(w, e, c, r)
		case c.Date < desk:
			h.move(w, e, c, card.Sign, e.who.Person, signedAt, r)
			if !flagged && r.chance(0.94) {
				h.move(w, e, c, card.Approve, w.office[1].id, approvedAt, r)
			}
		case r.chance(0.93) && (c.Worked > 0 || c.Leave > 0):
			h.move(w, e, c, card.Sign, e.who.Person, signedAt, r)
		}
		if e.who.Name() == "Tomasz Brandt" && c.Date == desk {
			h.dispute(w, e, c.Date, r)
		}
	}
}

func (h *history) dispute(w *World, e *employee, d when.Date, r rng) {
	lead := w.leads[e.unit]
	at := w.minute(e, d, 1118)
	if lead == nil || at.After(w.Now) {
		return
	}
	h.notes = append(h.notes,
		store.Note{ID: r.id(at), Employment: e.who.ID, Date: d, By: e.who.Person, MadeAt: at,
			Body: "battery died on the lift, left at quarter to six"},
		store.Note{ID: r.id(at), Employment: e.who.ID, Date: d, By: lead.who.Person,
			MadeAt: at.Add(51 * time.Minute),
			Body:   "The rest of us left at half past three. Tomasz stayed to lock the lift, I don't know until when."})
}

func (h *history) move(w *World, e *employee, c *store.Card, m card.Move, by uuid.UUID, at time.Time, r rng) {
	at = minTime(at, w.Now)
	next, err := c.Standing.Next(m, true)
	if err != nil {
		return
	}
	c.Standing = next
	h.acts = append(h.acts, store.CardAct{ID: r.id(at), Employment: e.who.ID, Date: c.Date, Move: m, By: by, MadeAt: at, Batch: r.id(at)})
}

func minTime(a, b time.Time) time.Time {
	if b.Before(a) {
		return b
	}
	return a
}
