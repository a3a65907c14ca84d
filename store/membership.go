package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"

	"manudex/core/when"
)

// Who is in a run is answered here and nowhere else: by the terms that hold on
// the worked date of a card (the view membership) and by where the card
// stands.

// memberOf picks the cards c of days on which their people are in a group of
// pay periods, a parameter.
func memberOf(group string) string {
	return `exists (select 1 from membership m where m.employment_id = c.employment_id
		    and c.date between m.starts_on and m.ends_on and m.period_group = ` + group + `)`
}

// pending says that a card c changed after it was paid, and that nobody has
// approved the change.
const pending = `(c.adjust and c.late_change)`

// counts picks the cards c whose hours a run of a group looks at: what it
// would pay, and what any run has paid; of some, a parameter, also what nobody has approved.
func counts(group, asClocked string) string {
	return `(c.state = 'paid' or (c.state = 'approved' or ` + clockedOf(asClocked) + `) and ` + memberOf(group) + `)`
}

// clockedOf picks the cards c of some employments, a parameter, that nobody has approved and nobody is
// on the clock on.
func clockedOf(employments string) string {
	return `(c.state in ('open', 'signed') and c.open_since is null and c.employment_id = any(` + employments + `::uuid[]))`
}

// payable picks the cards c that a run of a group would pay: approved ones,
// and paid ones whose change is approved. The first condition is the index's.
func payable(group string) string {
	return `(c.state <> 'paid' or c.adjust) and (c.state = 'approved' or c.adjust and not c.late_change) and ` + memberOf(group)
}

// EmploymentDate names a card.
type EmploymentDate struct {
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
}

// PayableCards lists the cards up to a date that closing a run would pay.
func PayableCards(ctx context.Context, q Q, group string, to when.Date) ([]EmploymentDate, error) {
	var found []EmploymentDate
	err := q.SelectContext(ctx, &found, `
		select c.employment_id, c.date from card c where c.date <= $2 and `+payable("$1")+`
		order by c.date, c.employment_id`, group, to.String())
	if err != nil {
		return nil, fmt.Errorf("read what a run would pay: %w", err)
	}
	return found, nil
}

// ClockedCards lists the cards of some employments up to a date that closing a run of a group pays
// without anybody's having approved them.
func ClockedCards(ctx context.Context, q Q, group string, to when.Date, of []uuid.UUID) ([]EmploymentDate, error) {
	var found []EmploymentDate
	if len(of) == 0 {
		return nil, nil
	}
	if err := q.SelectContext(ctx, &found, `
		select c.employment_id, c.date from card c where c.date <= $2 and c.date >= coalesce((select pays_from from company), '-infinity')
		  and `+clockedOf("$3")+` and not `+emptied+` and `+memberOf("$1")+`
		order by c.date, c.employment_id`, group, to.String(), UUIDs(of)); err != nil {
		return nil, fmt.Errorf("read what is paid as clocked: %w", err)
	}
	return found, nil
}

// Waiting counts the cards of an employment that are not approved up to a
// date, and the hours on them.
type Waiting struct {
	Employment uuid.UUID `db:"employment_id"`
	Cards      int
	Worked     int64
	First      when.Date
	Asked      bool // there are hours or leave on them, or a change of what was paid: somebody says what becomes of them
}

// emptied says of a card c, as [card.Card.Empty] does, that nothing is left of it:
// what was on it was taken away, and nobody has to decide on it.
const emptied = `(c.first_at is null and c.shift_from is null and c.expected = 0 and c.leave = 0)`

// NotApproved lists who has cards up to a date that a run doesn't pay yet:
// neither approved nor paid, or changed after they were.
func NotApproved(ctx context.Context, q Q, group string, to when.Date) ([]Waiting, error) {
	var found []Waiting
	err := q.SelectContext(ctx, &found, `
		select c.employment_id, count(*) as cards, sum(c.worked) as worked, min(c.date) as first,
		       bool_or(c.worked > 0 or c.leave > 0 or c.open_since is not null or `+pending+`) as asked from card c
		where c.date <= $2 and (c.state <> 'paid' or c.adjust) and (c.state in ('open', 'signed') and not `+emptied+` or `+pending+`)
		  and `+memberOf("$1")+`
		group by c.employment_id`, group, to.String())
	if err != nil {
		return nil, fmt.Errorf("read what is not approved: %w", err)
	}
	return found, nil
}

// Members gives the employments that are in the runs of a group on some day
// of a span.
func Members(ctx context.Context, q Q, group string, from, to when.Date) (map[uuid.UUID]bool, error) {
	var ids []uuid.UUID
	err := q.SelectContext(ctx, &ids, `
		select distinct employment_id from membership where period_group = $1 and starts_on <= $3
		and ends_on >= $2`, group, from.String(), to.String())
	if err != nil {
		return nil, fmt.Errorf("read who is in the run: %w", err)
	}
	found := make(map[uuid.UUID]bool, len(ids))
	for _, id := range ids {
		found[id] = true
	}
	return found, nil
}

// Payee is who a run pays.
type Payee struct {
	Employment uuid.UUID `db:"id"`
	Person     uuid.UUID `db:"person_id"`
	Account    string    // to which payroll books their hours
	OfCrew     string    `db:"crew_account"`
	Coding     string    // "required", "optional" or "absent"
	Number     string
	Given      string `db:"given_name"`
	Family     string `db:"family_name"`
	UnitName   string `db:"unit_name"`
	SiteName   string `db:"site_name"`
	Way        string `db:"pay_way"` // of being paid
	Incomplete bool   // only their name is known
	Salaried   bool   // a salary pays their hours
}

// Name is the person's name.
func (p Payee) Name() string { return p.Given + " " + p.Family }

// Payees reads who employments are of, by family name.
func Payees(ctx context.Context, q Q, employments []uuid.UUID) ([]Payee, error) {
	var found []Payee
	err := q.SelectContext(ctx, &found, `
		select e.id, e.person_id, case when e.coding = 'absent' then '' else e.account end as account, e.coding,
		       case when e.coding = 'absent' then '' else u.account end as crew_account,
		       p.number, p.given_name, p.family_name, u.name as unit_name, coalesce(s.name, '') as site_name, e.pay_way, p.incomplete,
		       exists (select 1 from terms t where t.employment_id = e.id and not t.hourly and t.salary <> '') as salaried
		from employment e join person p on p.id = e.person_id join unit u on u.id = e.unit_id
		left join site s on s.id = e.site_id
		where e.id = any($1) order by p.family_name, p.given_name, e.id`, UUIDs(employments))
	if err != nil {
		return nil, fmt.Errorf("read who is paid: %w", err)
	}
	return found, nil
}

// SettleStints keeps the stints of paid cards as they were paid, before a
// change that waits for somebody's approval reaches them. Cards that changed
// before have theirs kept already.
func SettleStints(ctx context.Context, q Q, cards []EmploymentDate) error {
	employments, on := cardArrays(cards)
	_, err := q.ExecContext(ctx, `
		insert into settled_stint (id, employment_id, date, kind, job_id, task_id, class_id, start_at, end_at, brought_in,
			marks, account)
		select s.id, s.employment_id, s.date, s.kind, s.job_id, s.task_id, s.class_id, s.start_at, s.end_at,
		       `+hoursOnly+`, s.marks, s.account
		from `+ofCards+` join card c on c.employment_id = w.employment_id and c.date = w.date
		join stint s on s.employment_id = c.employment_id and s.date = c.date and s.end_at is not null and s.counted
		where c.state = 'paid' and not c.adjust`, employments, on)
	if err != nil {
		return fmt.Errorf("keep what was paid: %w", err)
	}
	if _, err := q.ExecContext(ctx, `
		insert into settled_expense (id, employment_id, date)
		select x.id, x.employment_id, x.date
		from `+ofCards+` join card c on c.employment_id = w.employment_id and c.date = w.date
		join expense x on x.employment_id = c.employment_id and x.date = c.date
		where c.state = 'paid' and not c.adjust and not exists (select 1 from expense_back b where b.expense_id = x.id)`,
		employments, on); err != nil {
		return fmt.Errorf("keep which expenses were paid: %w", err)
	}
	return nil
}

// ofCards picks employments and dates, as two arrays, $1 and $2.
const ofCards = `unnest($1::uuid[], $2::date[]) as w(employment_id, date)`

func cardArrays(cards []EmploymentDate) (employments UUIDs, on []time.Time) {
	days := make([]when.Date, len(cards))
	for i, c := range cards {
		employments = append(employments, c.Employment)
		days[i] = c.Date
	}
	return employments, dates(days)
}

// Unsettled lists days that wait for the approval of a change and whose
// accepted hours lie over the stints of some cards, of other days.
func Unsettled(ctx context.Context, q Q, cards []EmploymentDate) ([]when.Date, error) {
	employments, on := cardArrays(cards)
	var found []when.Date
	err := q.SelectContext(ctx, &found, `
		select distinct c.date from `+ofCards+`
		join settled_stint s on s.employment_id = w.employment_id and s.date <> w.date
		join card c on c.employment_id = s.employment_id and c.date = s.date and `+pending+`
		join stint n on n.employment_id = w.employment_id and n.date = w.date
		    and tstzrange(n.start_at, n.end_at) && tstzrange(s.start_at, s.end_at)
		order by c.date`, employments, on)
	if err != nil {
		return nil, fmt.Errorf("read what waits: %w", err)
	}
	return found, nil
}

// HandChange is a card that somebody changed by hand, and by how much.
type HandChange struct {
	Date    when.Date
	Seconds int64
}

// HandChanges lists which of some cards a person changed by hand, most first:
// by how much their amendments that still count changed the time worked, and
// by how long after it they said the time of a punch.
func HandChanges(ctx context.Context, q Q, cards []EmploymentDate, by uuid.UUID) ([]HandChange, error) {
	employments, on := cardArrays(cards)
	var found []HandChange
	err := q.SelectContext(ctx, &found, `
		select date, sum(seconds)::bigint as seconds from (
			select w.employment_id, w.date, max(extract(epoch from p.received_at - p.claimed_at)) as seconds from `+ofCards+`
			join punch p on p.employment_id = w.employment_id and p.by_person = $3 and p.point in ('hand', 'sheet')
			where exists (select 1 from stint s where s.employment_id = w.employment_id and s.date = w.date
			              and p.claimed_at between s.start_at and coalesce(s.end_at, 'infinity'))
			group by w.employment_id, w.date
			union all
			select w.employment_id, w.date, sum(abs(a.seconds)) from `+ofCards+`
			join amendment a on a.employment_id = w.employment_id and a.date = w.date and a.by_person = $3
			where not exists (select 1 from amendment b where b.of_id = a.id and b.does = 'take_back')
			group by w.employment_id, w.date
		) changes group by employment_id, date order by 2 desc`, employments, on, by)
	if err != nil {
		return nil, fmt.Errorf("read what was changed by hand: %w", err)
	}
	return found, nil
}
