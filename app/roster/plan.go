package roster

import (
	"context"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// When is when a shift is: from an instant to another, or, with a date, from a local time of
// that day to another, which is on the next day where it isn't later.
type When struct {
	Start, End time.Time
	Date       when.Date
	From, To   time.Duration
}

// in gives the instants and the worked date in a zone.
func (w When) in(loc *time.Location, cutOver time.Duration) (start, end time.Time, date when.Date) {
	if w.Date == 0 {
		return w.Start.Truncate(time.Second), w.End.Truncate(time.Second), when.WorkedDate(w.Start, loc, cutOver)
	}
	start = w.Date.At(w.From, loc)
	if end = w.Date.At(w.To, loc); w.To <= w.From {
		end = (w.Date + 1).At(w.To, loc)
	}
	return start, end, w.Date
}

// PlanShift plans a shift.
type PlanShift struct {
	ID         uuid.UUID // of the shift, and of the batch that plans it
	Employment uuid.UUID
	When       When
	On         clock.Assignment
	Like       bool      // with the breaks of what the person was planned on last, and on it where On says nothing
	Of         uuid.UUID // on what this shift is, with its breaks and note: a copy
	Less       int       // seconds of unpaid breaks
	Note       string
}

// ChangeShift changes one: when it is, whose, on what. What is nil stays.
type ChangeShift struct {
	Batch      uuid.UUID
	Shift      uuid.UUID
	Seen       time.Time  // when the one that was shown was changed last; zero: whenever
	Employment *uuid.UUID // whose it is now
	When       *When
	On         *clock.Assignment
	Less       *int
	Note       *string
}

// DropShifts takes shifts out of the plan.
type DropShifts struct {
	Batch  uuid.UUID
	Shifts []uuid.UUID
}

// CopyDays plans what is planned in a span again, a number of days later, for the same
// people. What is planned there stays, or where Replace is set makes room.
type CopyDays struct {
	Batch       uuid.UUID
	Days        when.Period
	To          when.Date // of the first day
	Employments []uuid.UUID
	Replace     bool
}

// Permission is what the act takes.
func (PlanShift) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (ChangeShift) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (DropShifts) Permission() string { return "roster.plan" }

// Permission is what the act takes.
func (CopyDays) Permission() string { return "roster.plan" }

const (
	mostShifts  = 5000 // in one act
	ahead       = 400  // days, for which one plans
	longestText = 200
	longest     = 24 * time.Hour
	longestLess = 4 * 3600
)

func (p PlanShift) Do(ctx context.Context, t *app.Turn) error {
	d := draft{batch: p.ID}
	if again, err := d.sentBefore(ctx, t); again || err != nil {
		return err
	}
	if err := d.lock(ctx, t, []uuid.UUID{p.Employment}); err != nil {
		return err
	}
	s := roster.Shift{ID: p.ID, Employment: p.Employment, Job: p.On.Job, Task: p.On.Task, Less: p.Less, Note: strings.TrimSpace(p.Note)}
	s.Start, s.End, s.Date = p.When.in(d.zone(p.Employment), cutOver(t))
	if p.Of != uuid.Nil {
		of, err := store.GetPlanned(ctx, t, p.Of)
		if err != nil {
			return err
		}
		who, err := store.GetEmployment(ctx, t, of.Employment)
		if err != nil {
			return err
		}
		if !t.Actor.Reaches(t.Act, uuid.Nil, who.Unit) {
			return app.ErrNotFound
		}
		s.Job, s.Task, s.Less, s.Note = store.IDOrNil(of.Job), store.IDOrNil(of.Task), of.Less, of.Note
	}
	if p.Like {
		before, err := store.PlannedLike(ctx, t, p.Employment, s.Date)
		if err != nil {
			return err
		}
		if before != nil {
			if p.On.Job == uuid.Nil {
				s.Job, s.Task = store.IDOrNil(before.Job), store.IDOrNil(before.Task)
			}
			if s.End.Sub(s.Start) >= before.End.Sub(before.Start) {
				s.Less = before.Less
			}
		}
	}
	d.is(s)
	return d.write(ctx, t)
}

func (c ChangeShift) Do(ctx context.Context, t *app.Turn) error {
	d := draft{batch: c.Batch}
	if again, err := d.sentBefore(ctx, t); again || err != nil {
		return err
	}
	before, err := store.GetPlanned(ctx, t, c.Shift)
	if err != nil {
		return err
	}
	of := []uuid.UUID{before.Employment}
	if c.Employment != nil {
		of = append(of, *c.Employment)
	}
	if err := d.lock(ctx, t, of); err != nil {
		return err
	}
	if before, err = store.GetPlanned(ctx, t, c.Shift); err != nil { // as it is now that nobody else plans
		return err
	}
	if !c.Seen.IsZero() && !before.Changed.Equal(c.Seen) {
		return refusal.New("shift", "Somebody else changed this shift meanwhile", "Look at it again")
	}
	was := before.Rule()
	is := was
	if c.Employment != nil && *c.Employment != was.Employment { // who has it not is told so, and who has it: it is another
		is.Employment, is.ID = *c.Employment, uuid.NewSHA1(c.Batch, c.Shift[:])
		is.Series, is.SeriesOn = uuid.Nil, 0
	}
	if c.When != nil {
		is.Start, is.End, is.Date = c.When.in(d.zone(is.Employment), cutOver(t))
	}
	if c.On != nil {
		is.Job, is.Task = c.On.Job, c.On.Task
	}
	if c.Less != nil {
		is.Less = *c.Less
	}
	if c.Note != nil {
		is.Note = strings.TrimSpace(*c.Note)
	}
	d.was(was)
	d.is(is)
	return d.write(ctx, t)
}

func (c DropShifts) Do(ctx context.Context, t *app.Turn) error {
	d := draft{batch: c.Batch}
	if again, err := d.sentBefore(ctx, t); again || err != nil {
		return err
	}
	if len(c.Shifts) > mostShifts {
		return refusal.New("shift", "That is too much at once", "Choose fewer")
	}
	shifts, err := store.PlannedByID(ctx, t, c.Shifts)
	if err != nil {
		return err
	}
	var of []uuid.UUID
	for _, s := range shifts {
		of = append(of, s.Employment)
	}
	if len(shifts) == 0 {
		return app.ErrNotFound
	}
	if err := d.lock(ctx, t, of); err != nil {
		return err
	}
	if shifts, err = store.PlannedByID(ctx, t, c.Shifts); err != nil {
		return err
	}
	for _, s := range shifts {
		d.was(s)
	}
	return d.write(ctx, t)
}

func (c CopyDays) Do(ctx context.Context, t *app.Turn) error {
	d := draft{batch: c.Batch}
	if again, err := d.sentBefore(ctx, t); again || err != nil {
		return err
	}
	switch {
	case len(c.Employments) > mostShifts:
		return refusal.New("copy", "That is too much at once", "Choose fewer crews")
	case len(c.Employments) == 0 || c.Days.To < c.Days.From || c.Days.Days() > 31:
		return refusal.New("copy", "There is nothing to copy", "Choose days, at most 31, and a crew")
	case c.To >= c.Days.From && c.To <= c.Days.To:
		return refusal.New("copy", "Days can’t be copied onto themselves", "Choose days after them")
	}
	if err := d.lock(ctx, t, c.Employments); err != nil {
		return err
	}
	from, err := store.PlannedIn(ctx, t, store.Draft, c.Employments, c.Days)
	if err != nil {
		return err
	}
	later := c.To - c.Days.From
	onto := when.Period{From: c.To, To: c.To + c.Days.To - c.Days.From}
	if err := d.room(ctx, t, c.Employments, onto, c.Replace); err != nil {
		return err
	}
	for _, s := range from {
		loc := d.zone(s.Employment)
		is := s.Rule()
		is.ID, is.Series, is.SeriesOn = uuid.NewSHA1(c.Batch, s.ID[:]), uuid.Nil, 0
		is.Date += later
		is.Start, is.End = moved(is.Start, later, loc), moved(is.End, later, loc)
		d.copied(is)
	}
	if len(d.changes) == 0 {
		return refusal.New("copy", "There is nothing to copy", "Plan these days first, or choose others")
	}
	return d.write(ctx, t)
}

// moved is an instant's local time some days later: 07:00 stays 07:00 over a clock change.
func moved(at time.Time, days when.Date, loc *time.Location) time.Time {
	local := at.In(loc)
	of := time.Duration(local.Hour())*time.Hour + time.Duration(local.Minute())*time.Minute + time.Duration(local.Second())*time.Second
	return (when.DateOf(at, loc) + days).At(of, loc)
}

func cutOver(t *app.Turn) time.Duration { return time.Duration(t.Company.CutOver) * time.Second }

// draft is one batch of changes of the plan while it is made.
type draft struct {
	batch   uuid.UUID
	people  map[uuid.UUID]store.Employment // that are locked
	zones   map[uuid.UUID]*time.Location
	changes []roster.Change
	before  map[uuid.UUID]roster.Shift // of what was
	taken   []roster.Shift             // what stays where something is copied to
	undoes  bool                       // of people who may have left since, and of days that are over
	any     bool                       // whoever is planned: they agreed, and somebody gave it to them
	by      uuid.UUID                  // who plans, where it isn't the actor
	series  bool                       // what it changes are no exceptions of a series
}

// sentBefore says whether the batch is there already: sent twice it is answered as before.
func (d *draft) sentBefore(ctx context.Context, t *app.Turn) (bool, error) {
	before, by, err := store.PlanBatch(ctx, t, d.batch)
	if err == nil && len(before) > 0 && by != t.Actor.ID {
		return false, app.ErrConflict
	}
	return len(before) > 0, err
}

// lock locks those whose plan changes, and refuses whoever can't be planned by the actor.
func (d *draft) lock(ctx context.Context, t *app.Turn, employments []uuid.UUID) error {
	of := slices.Clone(employments)
	slices.SortFunc(of, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
	of = slices.Compact(of)
	whose, err := store.LockEmployments(ctx, t, of)
	if err != nil {
		return err
	}
	if len(whose) < len(of) {
		return app.ErrNotFound
	}
	paid, err := store.PaidByPlan(ctx, t, of)
	if err != nil {
		return err
	}
	d.people, d.zones, d.before = map[uuid.UUID]store.Employment{}, map[uuid.UUID]*time.Location{}, map[uuid.UUID]roster.Shift{}
	for _, who := range whose {
		switch {
		case !d.any && !t.Actor.Reaches("roster.plan", uuid.Nil, who.Unit):
			return app.ErrNotFound
		case !d.any && who.Person == t.Actor.ID && slices.Contains(paid, who.ID):
			return refusal.New("shift", "You are paid by your plan", "Somebody else plans you")
		}
		d.people[who.ID] = who
		if d.zones[who.ID], err = who.Loc(); err != nil {
			return err
		}
	}
	return nil
}

func (d *draft) zone(employment uuid.UUID) *time.Location { return d.zones[employment] }

// was notes a shift that is changed, or taken out.
func (d *draft) was(s roster.Shift) {
	d.before[s.ID] = s
	d.changes = append(d.changes, roster.Change{Was: &s})
}

// is notes a shift as it is now.
func (d *draft) is(s roster.Shift) {
	if _, changed := d.before[s.ID]; !changed {
		d.changes = append(d.changes, roster.Change{Is: &s})
		return
	}
	i := slices.IndexFunc(d.changes, func(c roster.Change) bool { return c.Was != nil && c.Was.ID == s.ID })
	d.changes[i].Is = &s
}

// room makes room in a span, or notes what stays there.
func (d *draft) room(ctx context.Context, t *app.Turn, employments []uuid.UUID, onto when.Period, replace bool) error {
	there, err := store.PlannedIn(ctx, t, store.Draft, employments, onto)
	if err != nil {
		return err
	}
	for _, s := range there {
		if replace {
			d.was(s.Rule())
		} else {
			d.taken = append(d.taken, s.Rule())
		}
	}
	return nil
}

// copied notes a copy, but where something stays at its time, or the same stood there.
func (d *draft) copied(s roster.Shift) {
	for _, o := range d.taken {
		if o.Employment == s.Employment && o.Start.Before(s.End) && s.Start.Before(o.End) {
			return
		}
	}
	for i, c := range d.changes {
		if same := c.Was; same != nil && c.Is == nil && same.Employment == s.Employment && same.Start.Equal(s.Start) {
			s.ID = same.ID // changed, and not another: who was told of it hears of the difference alone
			d.changes[i].Is = &s
			return
		}
	}
	d.is(s)
}

// write checks what the batch makes of the plan, writes it, and notes it for the audit list.
func (d *draft) write(ctx context.Context, t *app.Turn) error {
	d.changes = slices.DeleteFunc(d.changes, func(c roster.Change) bool { return c.Was != nil && c.Is != nil && c.Was.Same(*c.Is) })
	if len(d.changes) == 0 {
		return nil
	}
	for _, c := range d.changes {
		if err := d.fits(t, c); err != nil {
			return err
		}
	}
	if err := d.works(ctx, t); err != nil {
		return err
	}
	if err := d.refused(ctx, t); err != nil {
		return err
	}
	by := t.Actor.ID
	if d.by != uuid.Nil {
		by = d.by
	}
	if err := store.ChangePlan(ctx, t, d.batch, by, t.Now, d.changes); err != nil {
		return err
	}
	if err := d.exceptions(ctx, t); err != nil {
		return err
	}
	of := map[uuid.UUID]int{}
	for _, c := range d.changes {
		of[c.Of()]++
	}
	for _, who := range d.people {
		if n := of[who.ID]; n > 0 {
			t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: "roster.plan"}, who.ID, map[string]any{"shifts": n,
				"batch": d.batch})
		}
	}
	return nil
}

// exceptions keeps which dates of series were changed by hand: they aren't made again.
func (d *draft) exceptions(ctx context.Context, t *app.Turn) error {
	if d.series {
		return nil
	}
	var are []store.SeriesDate
	for _, c := range d.changes {
		if c.Was != nil && c.Was.Series != uuid.Nil {
			are = append(are, store.SeriesDate{Series: c.Was.Series, On: c.Was.SeriesOn})
		}
	}
	return store.PutSeriesExceptions(ctx, t, are, nil)
}

// fits refuses a shift that can't be one, whoever it is of.
func (d *draft) fits(t *app.Turn, c roster.Change) error {
	today := t.Company.Today(t.Now)
	if d.undoes {
		return nil
	}
	for _, s := range []*roster.Shift{c.Was, c.Is} {
		if s != nil && s.Date < today {
			return refusal.New("when", "What is over isn’t planned any more", "Change the hours on the card instead")
		}
	}
	if c.Is == nil {
		return nil
	}
	s := *c.Is
	switch {
	case !s.End.After(s.Start):
		return refusal.New("when", "The shift ends before it begins", "Write when it ends")
	case s.End.Sub(s.Start) > longest:
		return refusal.New("when", "The shift is longer than a day", "Plan two")
	case s.Date > today+ahead:
		return refusal.New("when", "That is more than a year ahead", "Plan it later")
	case s.Less < 0 || s.Less > longestLess || int64(s.Less) >= int64(s.End.Sub(s.Start)/time.Second):
		return refusal.New("less", "The unpaid breaks are as long as the shift", "Write how many minutes of it are unpaid")
	case utf8.RuneCountInString(s.Note) > longestText:
		return refusal.New("note", "The note is too long", "Write at most 200 characters")
	}
	return nil
}

// works refuses a job or task that there isn't.
func (d *draft) works(ctx context.Context, t *app.Turn) error {
	var works []clock.Assignment
	for _, c := range d.changes {
		if c.Is != nil && c.Is.Job != uuid.Nil && !d.undoes {
			on := clock.Assignment{Job: c.Is.Job, Task: c.Is.Task}
			if !slices.Contains(works, on) {
				works = append(works, on)
			}
		}
		if c.Is != nil && c.Is.Job == uuid.Nil && c.Is.Task != uuid.Nil {
			return app.ErrNotFound
		}
	}
	missing, err := store.NoSuchWork(ctx, t, works)
	if err == nil && missing {
		return app.ErrNotFound
	}
	return err
}

// refused refuses what a rule doesn't let be planned: findings of the batch's own shifts.
func (d *draft) refused(ctx context.Context, t *app.Turn) error {
	rules, err := RulesOf(ctx, t)
	if err != nil || d.undoes || t.Actor.ID == uuid.Nil {
		return err
	}
	var of []uuid.UUID
	span := when.Period{}
	mine := map[uuid.UUID]bool{}
	for _, c := range d.changes {
		if c.Is == nil {
			continue
		}
		if !slices.Contains(of, c.Is.Employment) {
			of = append(of, c.Is.Employment)
		}
		if span.From == 0 || c.Is.Date < span.From {
			span.From = c.Is.Date
		}
		span.To, mine[c.Is.ID] = max(span.To, c.Is.Date), true
	}
	if len(of) == 0 {
		return nil
	}
	f, err := readFacts(ctx, t, t.Company, t.Company.Today(t.Now), rules, store.RosterFilter{Days: span, Among: of})
	if err != nil {
		return err
	}
	f.change(d.changes)
	for _, who := range f.People {
		for _, found := range f.against(who, rules) {
			if found.Does == roster.Refuses && mine[found.Shift] {
				return refusal.New("shift", who.Name()+", "+f.date(found.Shift).Format("Mon 2 Jan")+": "+found.Words(),
					"Choose another time, day or person")
			}
		}
	}
	return nil
}

func init() { app.Undoes("roster.plan", undo) }

// undo takes a batch of changes of the plan back, but for what was changed since.
func undo(ctx context.Context, t *app.Turn, batch uuid.UUID) (done app.Undone, found bool, err error) {
	made, _, err := store.PlanBatch(ctx, t, batch)
	if err != nil || len(made) == 0 {
		return done, false, err
	}
	d := draft{batch: uuid.Must(uuid.NewV7()), undoes: true}
	var of, ids []uuid.UUID
	for _, c := range made {
		for _, s := range []*roster.Shift{c.Was, c.Is} {
			if s != nil {
				of, ids = append(of, s.Employment), append(ids, s.ID)
			}
		}
	}
	if err := d.lock(ctx, t, of); err != nil {
		return done, false, err
	}
	now, err := store.PlannedByID(ctx, t, ids)
	if err != nil {
		return done, false, err
	}
	for _, c := range made {
		at, there := roster.Shift{}, false
		if c.Is != nil {
			at, there = now[c.Is.ID]
		}
		if c.Is == nil {
			_, again := now[c.Was.ID]
			there = !again
		} else {
			there = there && at.Same(*c.Is)
		}
		if !there {
			done.Left = append(done.Left, d.people[c.Of()].Name()+", "+c.Date().Format("2 January")+": changed meanwhile")
			continue
		}
		if c.Is != nil {
			d.was(*c.Is)
		}
		if c.Was != nil {
			d.is(*c.Was)
		}
	}
	if err := store.UndoSeries(ctx, t, batch); err != nil {
		return done, false, err
	}
	d.series = true
	done.Words = app.Several(len(d.changes), "change of the plan", "changes of the plan")
	if len(d.changes) == 0 {
		return done, true, refusal.New("batch", "All of it was changed since", "Look at the plan again")
	}
	return done, true, d.write(ctx, t)
}
