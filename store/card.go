package store

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
)

// Card is a stored day card: whose, what was worked out, where it stands.
type Card struct {
	card.Card
	card.Standing
	Employment, Person, Unit uuid.UUID
	Given, Family, UnitName  string
	Zone                     string
}

// Name is the person's name.
func (c Card) Name() string { return c.Given + " " + c.Family }

type cardRow struct {
	Date       when.Date
	Worked     int64
	Break      int64
	Expected   int64
	Leave      int64
	LeaveName  string     `db:"leave_name"`
	ShiftFrom  *time.Time `db:"shift_from"`
	ShiftTo    *time.Time `db:"shift_to"`
	First      *time.Time `db:"first_at"`
	Last       *time.Time `db:"last_at"`
	OpenSince  *time.Time `db:"open_since"`
	OpenKind   clock.Kind `db:"open_kind"`
	Flags      []byte
	State      string
	Signed     bool
	LateChange bool `db:"late_change"`
	Adjust     bool
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	UnitName   string    `db:"unit_name"`
	Zone       string
}

func (r *cardRow) card() (Card, error) {
	c := Card{Employment: r.Employment, Person: r.Person, Unit: r.Unit, Given: r.Given, Family: r.Family,
		UnitName: r.UnitName, Zone: r.Zone,
		Standing: card.Standing{State: card.State(r.State), Signed: r.Signed, Late: r.LateChange, Adjust: r.Adjust},
		Card: card.Card{Date: r.Date, Worked: r.Worked, Break: r.Break, OpenSince: timeOr0(r.OpenSince), OpenKind: r.OpenKind,
			First: timeOr0(r.First), Last: timeOr0(r.Last),
			Plan: card.Plan{ShiftFrom: timeOr0(r.ShiftFrom), ShiftTo: timeOr0(r.ShiftTo), Expected: r.Expected,
				Leave: r.Leave, LeaveName: r.LeaveName}}}
	if len(r.Flags) > len("[]") {
		if err := json.Unmarshal(r.Flags, &c.Flags); err != nil {
			return c, fmt.Errorf("flags of the card of %s: %w", r.Date, err)
		}
	}
	return c, nil
}

// CardColumns are the columns of [Card.Values], for bulk loading.
var CardColumns = []string{"employment_id", "date", "worked", "break", "expected", "leave",
	"leave_name", "shift_from", "shift_to", "first_at", "last_at", "open_since", "open_kind", "flags", "state",
	"signed", "late_change", "adjust"}

// Values gives the card in the order of [CardColumns].
func (c Card) Values() []any {
	flags := json.RawMessage("[]")
	if len(c.Flags) > 0 {
		b, err := json.Marshal(c.Flags)
		if err != nil {
			panic(err) // plain values always marshal
		}
		flags = b
	}
	return []any{c.Employment, c.Date.String(), c.Worked, c.Break, c.Expected, c.Leave, c.LeaveName,
		nullTime(c.ShiftFrom), nullTime(c.ShiftTo),
		nullTime(c.First), nullTime(c.Last), nullTime(c.OpenSince), string(c.OpenKind), flags, string(c.State), c.Signed, c.Late, c.Adjust}
}

// PutCards writes cards as they are now worked out and stand.
func PutCards(ctx context.Context, q Q, cards ...Card) error {
	return insertRows(ctx, q, "card", CardColumns, replacing("date, employment_id", CardColumns), len(cards), func(i int) []any {
		return cards[i].Values()
	})
}

// SetWorked writes what was worked out of cards anew; where they stand stays.
func SetWorked(ctx context.Context, q Q, cards []Card) error {
	columns := slices.DeleteFunc(slices.Clone(CardColumns), func(c string) bool {
		return c == "state" || c == "signed" || c == "late_change" || c == "adjust"
	})
	return updateRows(ctx, q, "card", 2, columns, len(cards), func(i int) []any { return cards[i].Values()[:len(columns)] })
}

// Planned is what was planned for a date, and where its card stands so far.
type Planned struct {
	EmploymentDate
	card.Plan
	card.Standing
}

type plannedRow struct {
	EmploymentDate
	ShiftFrom  *time.Time `db:"shift_from"`
	ShiftTo    *time.Time `db:"shift_to"`
	Leave      int64
	LeaveName  string `db:"leave_name"`
	Pattern    []byte // that holds on the date, as JSON
	State      string
	Signed     bool
	LateChange bool `db:"late_change"`
	Adjust     bool
}

// PlansOf reads shifts, leave and the working pattern for dates of
// employments, and where the cards stand, in the order asked for.
func PlansOf(ctx context.Context, q Q, on []EmploymentDate, holiday func(when.Date) bool) ([]Planned, error) {
	if len(on) == 0 {
		return nil, nil
	}
	employments, days := make(UUIDs, len(on)), make([]when.Date, len(on))
	var each UUIDs
	seen := map[uuid.UUID]bool{}
	for i, o := range on {
		employments[i], days[i] = o.Employment, o.Date
		if !seen[o.Employment] {
			seen[o.Employment] = true
			each = append(each, o.Employment)
		}
	}
	var rows []plannedRow
	err := q.SelectContext(ctx, &rows, `
		select d.employment_id, d.date, sh.shift_from, sh.shift_to, coalesce(lv.leave, 0) as leave, coalesce(lv.name, '') as leave_name,
		       (select json_build_array(json_build_object('from', starts_on, 'seconds', seconds)) from pattern
		        where employment_id = d.employment_id and starts_on <= d.date order by starts_on desc limit 1) as pattern,
		       coalesce(c.state, 'open') as state, coalesce(c.signed, false) as signed, coalesce(c.late_change, false) as late_change,
		       coalesce(c.adjust, false) as adjust
		from unnest($1::uuid[], $2::date[]) with ordinality d(employment_id, date, n)
		left join (select employment_id, date, min(start_at) as shift_from, max(end_at) as shift_to from shift
		           where employment_id = any($3) and date between $4 and $5 group by employment_id, date) sh using (employment_id, date)
		left join (select employment_id, date, sum(seconds)::int as leave, min(name) as name from leave_day
		           where employment_id = any($3) and date between $4 and $5 group by employment_id, date) lv using (employment_id, date)
		left join card c on c.employment_id = d.employment_id and c.date = d.date
		order by d.n`, employments, dates(days), each, slices.Min(days).String(), slices.Max(days).String())
	if err != nil {
		return nil, fmt.Errorf("read what was planned: %w", err)
	}
	plans := make([]Planned, len(rows))
	for i, r := range rows {
		var pattern []card.Pattern
		if len(r.Pattern) > 0 {
			if err := json.Unmarshal(r.Pattern, &pattern); err != nil {
				return nil, fmt.Errorf("read the working pattern of %s: %w", r.Date, err)
			}
		}
		plans[i] = Planned{EmploymentDate: r.EmploymentDate,
			Plan: card.Plan{ShiftFrom: timeOr0(r.ShiftFrom), ShiftTo: timeOr0(r.ShiftTo),
				Expected: card.Expected(r.Date, pattern, holiday(r.Date)), Leave: r.Leave, LeaveName: r.LeaveName},
			Standing: card.Standing{State: card.State(r.State), Signed: r.Signed, Late: r.LateChange, Adjust: r.Adjust}}
	}
	return plans, nil
}

// PatternsOf reads all working patterns of employments.
func PatternsOf(ctx context.Context, q Q, employments []uuid.UUID) (map[uuid.UUID][]card.Pattern, error) {
	var rows []struct {
		Employment uuid.UUID `db:"employment_id"`
		Patterns   []byte
	}
	err := q.SelectContext(ctx, &rows, `
		select employment_id, json_agg(json_build_object('from', starts_on, 'seconds', seconds)) as patterns from pattern
		where employment_id = any($1) group by employment_id`, UUIDs(employments))
	if err != nil {
		return nil, fmt.Errorf("read working patterns: %w", err)
	}
	found := make(map[uuid.UUID][]card.Pattern, len(rows))
	for _, r := range rows {
		var patterns []card.Pattern
		if err := json.Unmarshal(r.Patterns, &patterns); err != nil {
			return nil, fmt.Errorf("read working patterns: %w", err)
		}
		found[r.Employment] = patterns
	}
	return found, nil
}

// CardFilter picks cards. A nil Units means all units; zero ids and false
// mean no restriction.
type CardFilter struct {
	From, To   when.Date
	Units      []uuid.UUID
	Persons    []uuid.UUID // nil means all
	Employment uuid.UUID
	Among      []uuid.UUID // employments; nil means all
	On         []when.Date // dates; nil means all of the span
	Job        uuid.UUID
	OrRunning  bool // and those with somebody on the clock, whatever their date
}

// where gives the conditions of the filter. Each is there only when it is
// needed, so that the planner sees what is really asked.
func (f CardFilter) where() (string, []any) {
	args := []any{f.From.String(), f.To.String()}
	span := "c.date between $1 and $2"
	if f.OrRunning {
		span = "(" + span + " or c.open_since is not null)"
	}
	conds := []string{span}
	add := func(cond string, arg any) {
		args = append(args, arg)
		conds = append(conds, fmt.Sprintf(cond, len(args)))
	}
	if f.Units != nil {
		add("e.unit_id = any($%d)", UUIDs(f.Units))
	}
	if f.Persons != nil {
		add("e.person_id = any($%d)", UUIDs(f.Persons))
	}
	if f.Employment != uuid.Nil {
		add("e.id = $%d", f.Employment)
	}
	if f.Among != nil {
		add("e.id = any($%d)", UUIDs(f.Among))
	}
	if f.On != nil {
		add("c.date = any($%d)", dates(f.On))
	}
	if f.Job != uuid.Nil {
		add("exists (select 1 from stint x where x.date = c.date and x.employment_id = c.employment_id and x.job_id = $%d)", f.Job)
	}
	return strings.Join(conds, " and "), args
}

// Before says whether a card stands before another where they are read: by
// date, unit and name, letter by letter.
func (c Card) Before(d Card) int {
	return cmp.Or(cmp.Compare(c.Date, d.Date), strings.Compare(c.UnitName, d.UnitName), strings.Compare(c.Family, d.Family),
		strings.Compare(c.Given, d.Given), bytes.Compare(c.Employment[:], d.Employment[:]))
}

// Cards reads the cards that a filter picks, in the order of [Card.Before].
func Cards(ctx context.Context, q Q, f CardFilter) ([]Card, error) {
	where, args := f.where()
	var rows []cardRow
	err := q.SelectContext(ctx, &rows, `
		select c.date, c.worked, c.break, c.expected, c.leave, c.leave_name, c.shift_from, c.shift_to, c.first_at, c.last_at, c.open_since,
		c.open_kind, c.flags,
		       c.state, c.signed, c.late_change, c.adjust, c.employment_id, e.person_id, e.unit_id, p.given_name, p.family_name,
		       u.name as unit_name, s.zone
		from card c join employment e on e.id = c.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id
		join site s on s.id = e.site_id
		where `+where+`
		order by c.date, u.name collate "C", p.family_name collate "C", p.given_name collate "C", e.id`, args...)
	if err != nil {
		return nil, err
	}
	cards := make([]Card, len(rows))
	for i := range rows {
		if cards[i], err = rows[i].card(); err != nil {
			return nil, err
		}
	}
	return cards, nil
}

// RailDay is one day of the rail: hours worked, as far as approved, and how
// many cards are still open.
type RailDay struct {
	Date     when.Date
	Worked   int64
	Approved int64
	Open     int
	Cards    int
}

// Rail adds up the days of a period. A nil units means all.
func Rail(ctx context.Context, q Q, p when.Period, units []uuid.UUID) ([]RailDay, error) {
	var days []RailDay
	const sums = `select c.date, sum(c.worked) as worked, coalesce(sum(c.worked) filter (where c.state in ('approved', 'paid')),
		0) as approved,
		       count(*) filter (where c.state in ('open', 'signed')) as open, count(*) as cards from card c `
	var err error
	if units == nil {
		err = q.SelectContext(ctx, &days, sums+`where c.date between $1 and $2 group by c.date order by c.date`,
			p.From.String(), p.To.String())
	} else {
		err = q.SelectContext(ctx, &days, sums+`join employment e on e.id = c.employment_id
		where c.date between $1 and $2 and e.unit_id = any($3) group by c.date order by c.date`, p.From.String(),
			p.To.String(), UUIDs(units))
	}
	return days, err
}

// CardAct is one move on a card, with who made it.
type CardAct struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Move       card.Move
	By         uuid.UUID `db:"by_person"`
	ByName     string    `db:"by_name"`
	MadeAt     time.Time `db:"made_at"`
	Batch      uuid.UUID `db:"batch_id"`
	Reason     string
	Run        *uuid.UUID `db:"run_id"`
}

// CardActColumns are the columns of [CardAct.Values], for bulk loading.
var CardActColumns = []string{"id", "employment_id", "date", "move", "by_person", "made_at", "batch_id", "reason", "run_id"}

// Values gives the act in the order of [CardActColumns].
func (a CardAct) Values() []any {
	return []any{a.ID, a.Employment, a.Date.String(), string(a.Move), a.By, a.MadeAt, a.Batch, a.Reason, a.Run}
}

// InsertCardActs writes moves. There is no update and no delete.
func InsertCardActs(ctx context.Context, q Q, acts []CardAct) error {
	return insertRows(ctx, q, "card_act", CardActColumns, "", len(acts), func(i int) []any { return acts[i].Values() })
}

const cardActs = `select a.id, a.employment_id, a.date, a.move, a.by_person, p.given_name || ' ' || p.family_name as by_name, a.made_at,
	a.batch_id, a.reason, a.run_id
		from card_act a join person p on p.id = a.by_person`

// CardActs reads the moves on a card in order.
func CardActs(ctx context.Context, q Q, employment uuid.UUID, date when.Date) ([]CardAct, error) {
	var acts []CardAct
	err := q.SelectContext(ctx, &acts, cardActs+` where a.employment_id = $1 and a.date = $2 order by a.seq`, employment, date.String())
	return acts, err
}

// CardActsOf reads all moves on the cards of employments from a worked date on,
// in order.
func CardActsOf(ctx context.Context, q Q, employments []uuid.UUID, from when.Date) ([]CardAct, error) {
	var acts []CardAct
	err := q.SelectContext(ctx, &acts, cardActs+` where a.employment_id = any($1) and a.date >= $2 order by a.seq`, UUIDs(employments),
		from.String())
	return acts, err
}

// CardActsBatch reads the moves that were made by one act.
func CardActsBatch(ctx context.Context, q Q, batch uuid.UUID) ([]CardAct, error) {
	var acts []CardAct
	err := q.SelectContext(ctx, &acts, cardActs+` where a.batch_id = $1 order by a.seq`, batch)
	return acts, err
}

// SetStandings writes where cards stand after a move.
func SetStandings(ctx context.Context, q Q, cards []Card) error {
	columns := []string{"employment_id", "date", "state", "signed", "late_change", "adjust"}
	return updateRows(ctx, q, "card", 2, columns, len(cards), func(i int) []any {
		c := cards[i]
		return []any{c.Employment, c.Date.String(), string(c.State), c.Signed, c.Late, c.Adjust}
	})
}

// Note is a remark on a card.
type Note struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	By         uuid.UUID `db:"by_person"`
	ByName     string    `db:"by_name"`
	MadeAt     time.Time `db:"made_at"`
	Body       string
}

// InsertNote writes a remark; sent again under the same id it stays one.
func InsertNote(ctx context.Context, q Q, n Note) error {
	_, err := q.ExecContext(ctx, `insert into note (id, employment_id, date, by_person, made_at, body) values ($1, $2, $3, $4, $5, $6)
		on conflict (id) do nothing`,
		n.ID, n.Employment, n.Date.String(), n.By, n.MadeAt, n.Body)
	return err
}

// Notes reads the remarks on a card in order.
func Notes(ctx context.Context, q Q, employment uuid.UUID, date when.Date) ([]Note, error) {
	var notes []Note
	err := q.SelectContext(ctx, &notes, `
		select n.id, n.employment_id, n.date, n.by_person, p.given_name || ' ' || p.family_name as by_name, n.made_at, n.body
		from note n join person p on p.id = n.by_person where n.employment_id = $1 and n.date = $2
		order by n.made_at, n.id`, employment, date.String())
	return notes, err
}
