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
	SiteName, Zone           string
	Leads                    string // who leads their crew, with commas
	WatchedBy                string // who watched where some of it was pressed without a PIN, "" for nobody
	NotBy                    string // who says that they didn't come, "" where nobody does
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
	BroughtIn  bool `db:"brought_in"`
	State      string
	Signed     bool
	LateChange bool `db:"late_change"`
	Adjust     bool
	Requests   int
	Objections int
	NoClass    bool `db:"no_class"`
	NoJob      bool `db:"no_job"`
	OutOfHours bool `db:"out_of_hours"`
	Expenses   bool
	WeekWorked int64     `db:"week_worked"`
	FlagsOff   Texts     `db:"flags_off"`
	Employment uuid.UUID `db:"employment_id"`
	Person     uuid.UUID `db:"person_id"`
	Unit       uuid.UUID `db:"unit_id"`
	Given      string    `db:"given_name"`
	Family     string    `db:"family_name"`
	UnitName   string    `db:"unit_name"`
	SiteName   string    `db:"site_name"`
	Leads      string
	NotBy      string `db:"not_by"`
	Watched    string `db:"watched_by"`
	Zone       string
}

func (r *cardRow) card() (Card, error) {
	c := Card{Employment: r.Employment, Person: r.Person, Unit: r.Unit, Given: r.Given, Family: r.Family,
		UnitName: r.UnitName, SiteName: r.SiteName, Zone: r.Zone, Leads: r.Leads, NotBy: r.NotBy, WatchedBy: r.Watched,
		Standing: card.Standing{State: card.State(r.State), Signed: r.Signed, Late: r.LateChange, Adjust: r.Adjust},
		Card: card.Card{Date: r.Date, Worked: r.Worked, Break: r.Break, OpenSince: timeOr0(r.OpenSince), OpenKind: r.OpenKind,
			First: timeOr0(r.First), Last: timeOr0(r.Last), BroughtIn: r.BroughtIn,
			Around: card.Around{NoClass: r.NoClass, NoJob: r.NoJob, OutOfHours: r.OutOfHours, Expenses: r.Expenses,
				WeekWorked: r.WeekWorked,
				Off:        codes(r.FlagsOff), Requests: r.Requests, Objections: r.Objections},
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
	"leave_name", "shift_from", "shift_to", "first_at", "last_at", "open_since", "open_kind", "flags", "brought_in",
	"state", "signed", "late_change", "adjust"}

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
		nullTime(c.First), nullTime(c.Last), nullTime(c.OpenSince), string(c.OpenKind), flags, c.BroughtIn,
		string(c.State), c.Signed, c.Late, c.Adjust}
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

type plannedRow struct {
	EmploymentDate
	ShiftFrom    *time.Time `db:"shift_from"`
	ShiftTo      *time.Time `db:"shift_to"`
	ShiftSeconds int64      `db:"shift_seconds"`
	Leave        int64
	LeaveName    string `db:"leave_name"`
	Pattern      []byte // that holds on the date, as JSON
	Zone         string // of the employment's site
	State        string
	Signed       bool
	LateChange   bool `db:"late_change"`
	Adjust       bool
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
	Undone     bool // only those that nobody has decided on: open, signed, or changed since they were paid
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
	if f.Undone {
		conds = append(conds, "(c.state in ('open', 'signed') or c.adjust and c.late_change)")
	}
	if f.Job != uuid.Nil {
		add("exists (select 1 from stint x where x.date = c.date and x.employment_id = c.employment_id and x.job_id = $%d)", f.Job)
	}
	return strings.Join(conds, " and "), args
}

func codes(texts []string) []card.Code {
	found := make([]card.Code, len(texts))
	for i, t := range texts {
		found[i] = card.Code(t)
	}
	return found
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
		with place as (
			select most_a_week > 0 as limits, exists (select 1 from punch where watched_by is not null) as watches,
			        exists (select 1 from job) as has_jobs, coalesce((
			         select (position(left(r.rules ->> 'workweek_start', 3) in 'SunMonTueWedThuFriSat') - 1) / 3
			         from rule_set r where r.starts_on <= $2::date order by r.starts_on desc limit 1), 0) as week_day
			from company)
		select c.date, c.worked, c.break, c.expected, c.leave, c.leave_name, c.shift_from, c.shift_to, c.first_at, c.last_at, c.open_since,
		c.open_kind, c.flags, c.brought_in,
		       c.state, c.signed, c.late_change, c.adjust, c.requests, c.objections, s.flags_off,
		       coalesce(on_jobs.no_class, false) as no_class, coalesce(on_jobs.no_job, false) as no_job,
		       coalesce(on_jobs.out_of_hours, false) as out_of_hours,
		       c.state in ('open', 'signed') and exists (
		           select 1 from expense x where x.employment_id = c.employment_id and x.date = c.date
		             and not exists (select 1 from expense_back b where b.expense_id = x.id)) as expenses,
		       case when (select limits from place) then (
		           select sum(w.worked) from card w where w.employment_id = c.employment_id and w.date <= c.date
		             and w.date >= c.date - (extract(dow from c.date)::int + 7 - (select week_day from place)) % 7)
		       else 0 end as week_worked,
		       c.employment_id, e.person_id, e.unit_id,
			p.given_name, p.family_name,
		       u.name as unit_name, s.name as site_name, s.zone, coalesce(ld.leads, '') as leads,
		       coalesce(case when c.first_at is null then (
		           select n.given_name || ' ' || n.family_name from not_there x join person n on n.id = x.by_person
		           where x.employment_id = c.employment_id and x.date = c.date and x.back_at is null) end, '') as not_by,
		       coalesce(case when (select watches from place) then (
		           select n.given_name || ' ' || n.family_name from punch x join person n on n.id = x.watched_by
		           where x.employment_id = c.employment_id and x.watched_by is not null
		             and x.claimed_at between c.first_at and coalesce(c.open_since, c.last_at)
		           order by x.claimed_at limit 1) end, '') as watched_by
		from card c join employment e on e.id = c.employment_id join person p on p.id = e.person_id join unit u on u.id = e.unit_id
		join site s on s.id = e.site_id
		left join lateral (
			select bool_or(j.public_work and x.class_id is null) as no_class,
			       bool_or(j.id is null and not array[x.start_by, x.end_by] && array['brought_in', 'reported', 'by_plan'])
			           and (select has_jobs from place) as no_job,
			       bool_or(j.out_on <= c.date) as out_of_hours
			from stint x left join job j on j.id = x.job_id
			where c.state in ('open', 'signed') and x.date = c.date and x.employment_id = c.employment_id
			  and x.kind = 'work') on_jobs on true
		left join (select l.unit_id, string_agg(n.given_name || ' ' || n.family_name, ', ' order by n.family_name) as leads
		           from unit_lead l join person n on n.id = l.person_id group by l.unit_id) ld on ld.unit_id = e.unit_id
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

// CountCards counts the cards of some days.
func CountCards(ctx context.Context, q Q, days when.Period) (n int, err error) {
	if err = q.GetContext(ctx, &n, `select count(*) from card where date between $1 and $2`, days.From.String(),
		days.To.String()); err != nil {
		err = fmt.Errorf("count cards: %w", err)
	}
	return n, err
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
		       count(*) filter (where c.state in ('open', 'signed') and not ` + emptied + `) as open, count(*) as cards from card c `
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

// SetStandings writes where cards stand after a move.
func SetStandings(ctx context.Context, q Q, cards []Card) error {
	columns := []string{"employment_id", "date", "state", "signed", "late_change", "adjust"}
	return updateRows(ctx, q, "card", 2, columns, len(cards), func(i int) []any {
		c := cards[i]
		return []any{c.Employment, c.Date.String(), string(c.State), c.Signed, c.Late, c.Adjust}
	})
}

// EnsureCard puts a card where there is none.
func EnsureCard(ctx context.Context, q Q, c Card) error {
	return insertRows(ctx, q, "card", CardColumns, "on conflict (date, employment_id) do nothing", 1, func(int) []any { return c.Values() })
}
