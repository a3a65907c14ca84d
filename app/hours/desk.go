package hours

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// DayRow is a card with what a row of a page shows of it.
type DayRow struct {
	store.Card
	Stints []store.Stint
	Shifts []store.Shift
	Class  card.Class
	Flags  []card.Flag // as they stand now
	Own    bool        // the actor's own
	Loc    *time.Location
}

// Live gives the seconds worked up to now, what is running included. A meal
// that is running is not: most turn out unpaid, and hours shown must not fall.
// Nor is what runs past the longest shift.
func (r DayRow) Live(now time.Time, lim card.Limits) int64 {
	if !r.Running() || r.OpenKind == clock.Meal || len(r.Stints) == 0 {
		return r.Worked
	}
	last := r.Stints[len(r.Stints)-1]
	if !lim.Counted(last.Stint, now) {
		return r.Worked
	}
	return r.Worked + lim.Breaks.Counted(last.Kind, last.Length(now))
}

// rowsOf makes rows of cards; see judge and fill for what else they hold.
func rowsOf(cards []store.Card) []DayRow {
	rows := make([]DayRow, len(cards))
	for i, c := range cards {
		rows[i].Card = c
	}
	return rows
}

// DaysOf reads the days of some positions on a date, with those who are on the clock on
// another, to be drawn. Whoever asks has made sure that they may.
func DaysOf(ctx context.Context, a *app.App, employments []uuid.UUID, on when.Date) ([]DayRow, error) {
	if len(employments) == 0 {
		return nil, nil
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: on, To: on, Among: employments, OrRunning: true})
	if err != nil {
		return nil, fmt.Errorf("read days: %w", err)
	}
	rows := rowsOf(cards)
	if err := judge(rows, app.Actor{}, place, a.Now()); err != nil {
		return nil, err
	}
	return rows, fill(ctx, a, rows)
}

// judge says of rows what they want from a checker and their flags, now.
func judge(rows []DayRow, actor app.Actor, place *app.Company, now time.Time) error {
	zones := map[string]*time.Location{}
	today := place.Today(now)
	for i := range rows {
		r := &rows[i]
		loc, ok := zones[r.Zone]
		if !ok {
			var err error
			if loc, err = time.LoadLocation(r.Zone); err != nil {
				return fmt.Errorf("zone of %s: %w", r.UnitName, err)
			}
			zones[r.Zone] = loc
		}
		r.Loc, r.Own = loc, r.Person == actor.ID
		r.judge(place, now, today)
	}
	return nil
}

func (r *DayRow) judge(place *app.Company, now time.Time, today when.Date) {
	r.Class, r.Flags = r.ClassAt(r.Standing, now, place.Limits), r.FlagsAt(now, place.Limits)
	if r.Date > today && r.State == card.Open && !r.Running() {
		r.Class = card.ToCome
	}
	switch {
	case r.Pending():
		r.Flags = append(r.Flags, card.Flag{Code: card.AfterPay})
	case r.Late:
		r.Flags = append(r.Flags, card.Flag{Code: card.Reopened})
	}
}

// fill reads the stints and shifts of rows.
func fill(ctx context.Context, a *app.App, rows []DayRow) error {
	if len(rows) == 0 {
		return nil
	}
	at := map[CardRef]int{}
	var ids []uuid.UUID
	var on []when.Date
	for i, r := range rows {
		at[CardRef{r.Employment, r.Date}] = i
		if !slices.Contains(ids, r.Employment) {
			ids = append(ids, r.Employment)
		}
		if !slices.Contains(on, r.Date) {
			on = append(on, r.Date)
		}
	}
	stints, err := store.StintsOn(ctx, a.DB, ids, on)
	if err != nil {
		return fmt.Errorf("read stints: %w", err)
	}
	for _, s := range stints {
		if i, ok := at[CardRef{s.Employment, s.Date}]; ok {
			rows[i].Stints = append(rows[i].Stints, s)
		}
	}
	shifts, err := store.ShiftsOn(ctx, a.DB, ids, on)
	if err != nil {
		return fmt.Errorf("read shifts: %w", err)
	}
	for _, s := range shifts {
		if i, ok := at[CardRef{s.Employment, s.Date}]; ok {
			rows[i].Shifts = append(rows[i].Shifts, s)
		}
	}
	return nil
}

// Counts says how many cards want what.
type Counts struct {
	Cards, Clear, Flagged, NotSigned, Running, Done int // of days that have begun
	ToCome                                          int
	Worked                                          int64
}

func count(rows []DayRow, now time.Time, lim card.Limits) (c Counts) {
	for _, r := range rows {
		if r.Class == card.ToCome {
			c.ToCome++
			continue
		}
		c.Cards++
		c.Worked += r.Worked
		switch r.Class {
		case card.Clear:
			c.Clear++
		case card.Flagged:
			c.Flagged++
		case card.NotSigned:
			c.NotSigned++
		case card.Running:
			c.Running++
		case card.Done:
			c.Done++
		}
	}
	return c
}

// DeskQuery says what the timecard desk shows.
type DeskQuery struct {
	Days    when.Period
	Person  uuid.UUID
	Job     uuid.UUID
	Among   Among
	Sort    Sorting
	Show    card.Class // only these; "" for all
	Text    string     // see [Finding]
	Changed bool       // only what changed since the actor last looked
}

// persons are those that the query is restricted to, nil for everybody.
func (q DeskQuery) persons() []uuid.UUID {
	if q.Person == uuid.Nil {
		return nil
	}
	return []uuid.UUID{q.Person}
}

// Desk is the timecard desk.
type Desk struct {
	Query  DeskQuery
	Around *app.Frame
	About  string // the person or job the rows are restricted to
	Counts Counts
	Rows   []DayRow
	More   int // rows after this piece
	// What can be done in one move, with the digest that the form carries.
	ToApprove, ToSign         int
	ApproveDigest, SignDigest string
	Findings                  []store.Finding // the actor's own, and those that are shared
	Looker                    uuid.UUID
	Loc                       *time.Location   // of the place
	LookedAt                  *time.Time       // when the actor last looked at what changed
	Wrong                     *refusal.Refusal // of what was typed
	Places                    Places           // to choose from
	OwnWaiting                bool             // the actor's own clear card is among those shown
	SignRequired              bool
	Limits                    card.Limits
	Now                       time.Time
	Today                     when.Date

	all    []DayRow
	judged []DayRow // before any were left out
}

// ReadDesk reads the cards of a day or a span and judges them all. Its rows are
// the first piece; later ones are [Desk.Piece]'s.
func ReadDesk(ctx context.Context, a *app.App, actor app.Actor, q DeskQuery) (*Desk, error) {
	if !actor.May("timecards.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	if err := q.Sort.check(); err != nil {
		return nil, err
	}
	d := &Desk{Query: q, Now: a.Now(), SignRequired: place.SignRequired, Limits: place.Limits, Today: place.Today(a.Now()),
		Looker: actor.ID, Loc: place.Loc}
	if d.Around, err = a.ReadFrame(ctx, actor, q.Days); err != nil {
		return nil, err
	}
	if d.About, err = about(ctx, a, actor, q); err != nil {
		return nil, err
	}
	cards, err := store.Cards(ctx, a.DB,
		store.CardFilter{From: q.Days.From, To: q.Days.To, Units: actor.Units("timecards.see"), Persons: q.persons(), Job: q.Job})
	if err != nil {
		return nil, fmt.Errorf("read cards: %w", err)
	}
	rows := rowsOf(cards)
	if err := judge(rows, actor, place, d.Now); err != nil {
		return nil, err
	}
	if rows, err = d.narrow(ctx, a, actor, rows); err != nil {
		return nil, err
	}
	d.take(actor, place, rows)
	if q.Job != uuid.Nil { // the cards hold other jobs too
		d.Counts.Worked, err = store.WorkedOn(ctx, a.DB, q.Job, q.Days, actor.Units("timecards.see"), d.Now,
			place.Limits.LongestShift)
		if err != nil {
			return nil, err
		}
	}
	d.Rows, d.More, err = d.Piece(ctx, a, 0, app.PageRows)
	return d, err
}

// narrow leaves out what isn't looked for, and reads what one can look for.
func (d *Desk) narrow(ctx context.Context, a *app.App, actor app.Actor, rows []DayRow) (kept []DayRow, err error) {
	q := d.Query
	if d.Findings, err = store.Findings(ctx, a.DB, actor.ID); err != nil {
		return nil, err
	}
	if d.Places, err = readPlaces(ctx, a, actor, "timecards.see"); err != nil {
		return nil, err
	}
	if d.LookedAt, err = store.Looked(ctx, a.DB, actor.ID); err != nil {
		return nil, err
	}
	rows = d.Places.pick(rows, q.Among)
	if q.Changed && d.LookedAt != nil {
		changed, err := store.ChangedSince(ctx, a.DB, q.Days, *d.LookedAt)
		if err != nil {
			return nil, err
		}
		rows = pickRows(rows, func(r *DayRow) bool {
			return slices.Contains(changed, store.EmploymentDate{Employment: r.Employment, Date: r.Date})
		})
	}
	f, err := ParseFinding(q.Text)
	if errors.As(err, &d.Wrong) {
		return rows, nil
	}
	return find(ctx, a, f, q.Days, rows)
}

// Refs names the cards that were looked for, in whatever state.
func (d *Desk) Refs() []CardRef {
	refs := make([]CardRef, len(d.judged))
	for i, r := range d.judged {
		refs[i] = CardRef{r.Employment, r.Date}
	}
	return refs
}

// take makes the desk of judged rows.
func (d *Desk) take(actor app.Actor, place *app.Company, rows []DayRow) {
	q := d.Query
	d.judged = slices.Clone(rows)
	d.offer(actor, place, rows)
	d.Counts = count(rows, d.Now, place.Limits)
	if q.Show != "" {
		rows = pickRows(rows, func(r *DayRow) bool { return r.Class == q.Show })
	}
	if q.Days.Days() == 1 {
		slices.SortStableFunc(rows, func(a, b DayRow) int { return cmp.Compare(urgency[a.Class], urgency[b.Class]) })
	}
	sortCards(q.Sort, rows, func(r *DayRow) *DayRow { return r }, d.Now, place.Limits)
	d.all = rows
}

// pickRows copies the rows that want picks.
func pickRows(rows []DayRow, want func(*DayRow) bool) []DayRow {
	var picked []DayRow
	for i := range rows {
		if want(&rows[i]) {
			picked = append(picked, rows[i])
		}
	}
	return picked
}

// Piece gives some of the desk's rows, dressed with their stints as they are
// now, and how many come after them. It works nothing out anew.
func (d *Desk) Piece(ctx context.Context, a *app.App, offset, n int) (rows []DayRow, more int, err error) {
	rows, more = app.Piece(d.all, offset, n)
	return rows, more, fill(ctx, a, rows)
}

var urgency = map[card.Class]int{card.Flagged: 0, card.NotSigned: 1, card.Clear: 2, card.Running: 3, card.Done: 4, card.ToCome: 5}

// about names the person or job a desk is restricted to. Somebody out of the
// actor's reach is not found.
func about(ctx context.Context, a *app.App, actor app.Actor, q DeskQuery) (name string, err error) {
	switch {
	case q.Person != uuid.Nil:
		var p store.Person
		p, err = store.GetPerson(ctx, a.DB, q.Person, q.Days.From, uuid.Nil)
		name = p.Name()
		if err == nil && !actor.Reaches("timecards.see", p.ID, store.IDOrNil(p.Unit)) {
			return "", app.ErrNotFound
		}
	case q.Job != uuid.Nil:
		name, err = store.JobName(ctx, a.DB, q.Job)
	}
	if store.NotFound(err) {
		err = app.ErrNotFound
	}
	return name, err
}

// offer counts what the actor could approve or sign in one move.
func (d *Desk) offer(actor app.Actor, place *app.Company, rows []DayRow) {
	var approve, sign []CardRef
	d.OwnWaiting = false
	today, mayApprove, maySign := place.Today(d.Now), actor.May("card.approve"), actor.Scope("card.sign") >= app.Crew
	for i := range rows {
		r := &rows[i]
		if r.Date > today {
			continue
		}
		if maySign && ready(card.Sign, r.Card, r.Class, actor, d.Now) {
			sign = append(sign, CardRef{r.Employment, r.Date})
		}
		if mayApprove && ready(card.Approve, r.Card, r.Class, actor, d.Now) {
			approve = append(approve, CardRef{r.Employment, r.Date})
		}
		d.OwnWaiting = d.OwnWaiting || mayApprove && r.Person == actor.ID && r.Class == card.Clear
	}
	d.ToApprove, d.ApproveDigest = len(approve), Digest(approve)
	d.ToSign, d.SignDigest = len(sign), Digest(sign)
}

// Presence says where somebody is on Today.
type Presence string

// The presences, those that want a decision first.
const (
	MissingNow Presence = "missing"
	WorkingNow Presence = "working"
	OnBreak    Presence = "break"
	DueLater   Presence = "due"
	Gone       Presence = "gone"
	Away       Presence = "away"
)

// BoardRow is one person on Today.
type BoardRow struct {
	DayRow
	Presence Presence
	Since    time.Time // when they came to be there
	Worked   int64     // up to now
}

// Board is Today: who is on, where, on what; who is missing.
type Board struct {
	Lacking []store.LackingTag // tags that shifts to come need
	Frame   *app.Frame
	Day     when.Date
	Today   when.Date
	Rows    []BoardRow
	Count   map[Presence]int
	More    int
	Now     time.Time
	Untimed bool // nobody is expected at a time today, nor will be: nobody can be missing

	Places Places // to choose from

	all    []BoardRow
	limits card.Limits
	sort   Sorting
}

// BoardQuery says what Today shows; within each state the order holds.
type BoardQuery struct {
	Day   when.Date // zero for today
	Among Among
	Sort  Sorting
}

// TagsLookAhead is how far ahead shifts are looked at for tags that lack: time
// enough for a course or a check-up.
func TagsLookAhead(from when.Date) when.Period { return when.Period{From: from, To: from + 28} }

// ReadBoard reads who is here on a day. Those still on
// the clock since an earlier day are on today's.
func ReadBoard(ctx context.Context, a *app.App, actor app.Actor, q BoardQuery) (*Board, error) {
	if !actor.May("today.see") {
		return nil, app.ErrForbidden
	}
	if err := q.Sort.check(); err != nil {
		return nil, err
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	b := &Board{Now: a.Now(), Day: q.Day, Today: place.Today(a.Now()), sort: q.Sort, Count: map[Presence]int{}}
	if b.Day == 0 {
		b.Day = b.Today
	}
	if b.Frame, err = a.ReadFrame(ctx, actor, when.Period{From: b.Day, To: b.Day}); err != nil {
		return nil, err
	}
	if b.Day == b.Frame.Today {
		if b.Lacking, err = store.LackingTags(ctx, a.DB, TagsLookAhead(b.Day), uuid.Nil, actor.Units("today.see")); err != nil {
			return nil, err
		}
	}
	cards, err := store.Cards(ctx, a.DB,
		store.CardFilter{From: b.Day, To: b.Day, Units: actor.Units("today.see"), OrRunning: b.Day == b.Frame.Today})
	if err != nil {
		return nil, fmt.Errorf("read cards: %w", err)
	}
	if b.Day == b.Frame.Today && !slices.ContainsFunc(cards, func(c store.Card) bool { return !c.ShiftFrom.IsZero() }) {
		if b.Untimed, err = store.Untimed(ctx, a.DB, b.Day); err != nil {
			return nil, err
		}
	}
	rows := rowsOf(cards)
	if err := judge(rows, actor, place, b.Now); err != nil {
		return nil, err
	}
	if b.Places, err = readPlaces(ctx, a, actor, "today.see"); err != nil {
		return nil, err
	}
	b.take(place, b.Places.pick(rows, q.Among))
	b.Rows, b.More, err = b.Piece(ctx, a, 0, app.PageRows)
	return b, err
}

// take makes the board of judged rows.
func (b *Board) take(place *app.Company, rows []DayRow) {
	b.limits, b.all = place.Limits, make([]BoardRow, len(rows))
	for i, r := range rows {
		b.all[i] = present(r, b.Now, place.Limits)
		b.Count[b.all[i].Presence]++
	}
	sortCards(b.sort, b.all, func(r *BoardRow) *DayRow { return &r.DayRow }, b.Now, place.Limits)
	slices.SortStableFunc(b.all, func(x, y BoardRow) int { return cmp.Compare(presenceOrder[x.Presence], presenceOrder[y.Presence]) })
}

// Before gives the presence of the row before one, "" before the first.
func (b *Board) Before(row int) Presence {
	if row <= 0 || row > len(b.all) {
		return ""
	}
	return b.all[row-1].Presence
}

var presenceOrder = map[Presence]int{MissingNow: 0, WorkingNow: 1, OnBreak: 2, DueLater: 3, Gone: 4, Away: 5}

// present says where somebody is by their card.
func present(r DayRow, now time.Time, lim card.Limits) BoardRow {
	b := BoardRow{DayRow: r, Worked: r.Worked}
	switch {
	case r.Running() && r.OpenKind == clock.Work:
		b.Presence, b.Since = WorkingNow, r.OpenSince
	case r.Running():
		b.Presence, b.Since = OnBreak, r.OpenSince
	case !r.First.IsZero():
		b.Presence, b.Since = Gone, r.Last
	case r.Leave > 0:
		b.Presence = Away
	case r.MissingAt(now, lim):
		b.Presence, b.Since = MissingNow, r.ShiftFrom
	case !r.ShiftFrom.IsZero():
		b.Presence, b.Since = DueLater, r.ShiftFrom
	default:
		b.Presence = Away
	}
	return b
}

// Piece gives some of the board's rows, as [Desk.Piece] does.
func (b *Board) Piece(ctx context.Context, a *app.App, offset, n int) (rows []BoardRow, more int, err error) {
	rows, more = app.Piece(b.all, offset, n)
	days := make([]DayRow, len(rows))
	for i, r := range rows {
		days[i] = r.DayRow
	}
	if err := fill(ctx, a, days); err != nil {
		return nil, 0, err
	}
	for i := range rows {
		rows[i].DayRow, rows[i].Worked = days[i], days[i].Live(b.Now, b.limits)
	}
	return rows, more, nil
}
