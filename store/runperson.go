package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/when"
)

// Answers to hours that nobody has approved.
const (
	AsClocked = "as_clocked" // paid as they were clocked, and looked at later
	LeftOut   = "left_out"   // not in the run
)

// RunPerson is what is kept of somebody in a closed run: how their hours without approval were
// answered, and what their pay was worked out from.
type RunPerson struct {
	Employment uuid.UUID `db:"employment_id"`
	Answer     string    // "" where all was approved
	Reason     string
	PayBy      *when.Date `db:"pay_by"` // when law wants what was left out paid
	Waiting    int64      // seconds that nobody had approved
	Input      []byte     // JSON packed by gzip
	Crew       *string    // of what crew and site they were, and how they were paid; nil of runs closed before it was kept
	Site       *string
	Way        *string
}

func insertPersons(ctx context.Context, q Q, run uuid.UUID, people []RunPerson) error {
	if err := insertRows(ctx, q, "run_person", []string{"run_id", "employment_id", "answer", "reason", "pay_by", "waiting", "input",
		"crew", "site", "way"}, "",
		len(people), func(i int) []any {
			p := people[i]
			var by *string
			if p.PayBy != nil {
				text := p.PayBy.String()
				by = &text
			}
			return []any{run, p.Employment, p.Answer, p.Reason, by, p.Waiting, hexBytes(p.Input), p.Crew, p.Site, p.Way}
		}); err != nil {
		return fmt.Errorf("keep who was in the run: %w", err)
	}
	return nil
}

// hexBytes writes bytes as PostgreSQL reads them from text; nil is null.
func hexBytes(b []byte) *string {
	if b == nil {
		return nil
	}
	text := fmt.Sprintf(`\x%x`, b)
	return &text
}

// RunPeople reads who was in a closed run, with what their pay was worked out from.
func RunPeople(ctx context.Context, q Q, run uuid.UUID) ([]RunPerson, error) {
	var found []RunPerson
	if err := q.SelectContext(ctx, &found, `
		select employment_id, answer, reason, pay_by, waiting,
			input, crew, site, way from run_person where run_id = $1 order by employment_id`, run); err != nil {
		return nil, fmt.Errorf("read who was in a run: %w", err)
	}
	return found, nil
}

// RunInput reads what somebody's pay was worked out from in a closed run, nil for somebody who was left
// out or isn't in it.
func RunInput(ctx context.Context, q Q, run, employment uuid.UUID) (input []byte, err error) {
	err = q.GetContext(ctx, &input, `select input from run_person where run_id = $1 and employment_id = $2`, run, employment)
	if NotFound(err) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read what somebody's pay was worked out from: %w", err)
	}
	return input, nil
}

// RunAnswered reads whose hours without approval were answered in a closed run.
func RunAnswered(ctx context.Context, q Q, run uuid.UUID) ([]RunPerson, error) {
	var found []RunPerson
	if err := q.SelectContext(ctx, &found, `
		select employment_id, answer, reason, pay_by, waiting from run_person where run_id = $1 and answer <> '' order by employment_id`,
		run); err != nil {
		return nil, fmt.Errorf("read what a run left out: %w", err)
	}
	return found, nil
}

// RunBasis reads what a closed run went by besides people, nil for one closed before that was kept.
func RunBasis(ctx context.Context, q Q, run uuid.UUID) (basis []byte, err error) {
	if err := q.GetContext(ctx, &basis, `select basis from run where id = $1`, run); err != nil {
		return nil, fmt.Errorf("read what a run went by: %w", err)
	}
	return basis, nil
}

// RunAnswer is what was said of somebody's hours that nobody has approved, for the run of a period.
type RunAnswer struct {
	ID         uuid.UUID
	Group      string    `db:"period_group"`
	From       when.Date `db:"from_date"`
	Employment uuid.UUID `db:"employment_id"`
	Answer     string    // "" takes back what was said
	Reason     string
	PayBy      *when.Date `db:"pay_by"`
	By         uuid.UUID  `db:"by_person"`
	ByName     string     `db:"by_name"`
	MadeAt     time.Time  `db:"made_at"`
}

// InsertRunAnswers keeps answers.
func InsertRunAnswers(ctx context.Context, q Q, answers ...RunAnswer) error {
	if err := insertRows(ctx, q, "run_answer", []string{"id", "period_group", "from_date", "employment_id", "answer", "reason", "pay_by",
		"by_person", "made_at"}, "", len(answers), func(i int) []any {
		a := answers[i]
		var by *string
		if a.PayBy != nil {
			text := a.PayBy.String()
			by = &text
		}
		return []any{a.ID, a.Group, a.From.String(), a.Employment, a.Answer, a.Reason, by, a.By, a.MadeAt}
	}); err != nil {
		return fmt.Errorf("keep an answer: %w", err)
	}
	return nil
}

// lastTurned is when a run of a group's period was turned last: what was said before it was said of that run.
const lastTurned = `coalesce((select max(t.closed_at) from run t join run o on o.id = t.reverses
	where o.period_group = $1 and o.from_date = $2), '-infinity')`

// RunAnswers reads what is said now of people's hours for the run of a group's period.
func RunAnswers(ctx context.Context, q Q, group string, from when.Date) ([]RunAnswer, error) {
	var found []RunAnswer
	if err := q.SelectContext(ctx, &found, `
		select a.*, p.given_name || ' ' || p.family_name as by_name
		from (select distinct on (employment_id) id, period_group, from_date, employment_id, answer, reason, pay_by, by_person, made_at
		      from run_answer where period_group = $1 and from_date = $2 and made_at >= `+lastTurned+` order by employment_id, seq desc) a
		join person p on p.id = a.by_person where a.answer <> ''`, group, from.String()); err != nil {
		return nil, fmt.Errorf("read the answers: %w", err)
	}
	return found, nil
}

// RunCheck is that somebody looked the run of a period over.
type RunCheck struct {
	ID     uuid.UUID
	Group  string    `db:"period_group"`
	From   when.Date `db:"from_date"`
	By     uuid.UUID `db:"by_person"`
	ByName string    `db:"by_name"`
	MadeAt time.Time `db:"made_at"`
	Gross  decimal.Decimal
	Digest []byte
}

// CheckedPerson is somebody's part of a run as it was looked over.
type CheckedPerson struct {
	Employment uuid.UUID `db:"employment_id"`
	Gross      decimal.Decimal
	Digest     []byte
}

// InsertRunCheck keeps a check.
func InsertRunCheck(ctx context.Context, q Q, c RunCheck, people []CheckedPerson) error {
	if _, err := q.ExecContext(ctx, `insert into run_check (id, period_group, from_date, by_person, made_at, gross, digest)
		values ($1, $2, $3, $4, $5, $6, $7)`, c.ID, c.Group, c.From.String(), c.By, c.MadeAt, c.Gross, c.Digest); err != nil {
		return fmt.Errorf("keep a check: %w", err)
	}
	if err := insertRows(ctx, q, "run_check_person", []string{"check_id", "employment_id", "gross", "digest"}, "", len(people),
		func(i int) []any {
			return []any{c.ID, people[i].Employment, people[i].Gross, hexBytes(people[i].Digest)}
		}); err != nil {
		return fmt.Errorf("keep what was checked: %w", err)
	}
	return nil
}

// GetRunCheck reads a check.
func GetRunCheck(ctx context.Context, q Q, id uuid.UUID) (c RunCheck, err error) {
	if err := q.GetContext(ctx, &c, runChecks+`where c.id = $1`, id); err != nil {
		return c, fmt.Errorf("read the check of a run: %w", err)
	}
	return c, nil
}

const runChecks = `
	select c.id, c.period_group, c.from_date, c.by_person, p.given_name || ' ' || p.family_name as by_name, c.made_at, c.gross, c.digest
	from run_check c join person p on p.id = c.by_person `

// LastRunCheck reads the last check of the run of a group's period; found is false for none.
func LastRunCheck(ctx context.Context, q Q, group string, from when.Date) (c RunCheck, found bool, err error) {
	err = q.GetContext(ctx, &c, runChecks+`where c.period_group = $1 and c.from_date = $2
		and c.made_at >= `+lastTurned+` order by c.seq desc limit 1`,
		group, from.String())
	if NotFound(err) {
		return c, false, nil
	}
	if err != nil {
		return c, false, fmt.Errorf("read the check of a run: %w", err)
	}
	return c, true, nil
}

// CheckedPeople reads what a check saw of each person.
func CheckedPeople(ctx context.Context, q Q, check uuid.UUID) (map[uuid.UUID]CheckedPerson, error) {
	var rows []CheckedPerson
	if err := q.SelectContext(ctx, &rows, `select employment_id, gross, digest from run_check_person where check_id = $1`,
		check); err != nil {
		return nil, fmt.Errorf("read what was checked: %w", err)
	}
	found := make(map[uuid.UUID]CheckedPerson, len(rows))
	for _, r := range rows {
		found[r.Employment] = r
	}
	return found, nil
}

// RunTask is something that the clerk of a group does on the last day, and whether it is done for the
// run of a period.
type RunTask struct {
	ID     uuid.UUID
	Words  string
	DoneBy *string    `db:"done_by"`
	DoneAt *time.Time `db:"done_at"`
}

// RunTasks reads the list of a group as it stands for the run of a period.
func RunTasks(ctx context.Context, q Q, group string, from when.Date) ([]RunTask, error) {
	var found []RunTask
	if err := q.SelectContext(ctx, &found, `
		select t.id, t.words, p.given_name || ' ' || p.family_name as done_by, k.made_at as done_at
		from run_task t left join run_tick k on k.task_id = t.id and k.from_date = $2 left join person p on p.id = k.by_person
		where t.period_group = $1 and t.gone_at is null order by t.position`, group, from.String()); err != nil {
		return nil, fmt.Errorf("read the list of the last day: %w", err)
	}
	return found, nil
}

// AddRunTask puts something at the end of a group's list.
func AddRunTask(ctx context.Context, q Q, id uuid.UUID, group, words string) error {
	_, err := q.ExecContext(ctx, `insert into run_task (id, period_group, position, words)
		select $1, $2, coalesce(max(position), 0) + 1,
			$3 from run_task where period_group = $2 on conflict (id) do nothing`, id, group, words)
	return err
}

// DropRunTask takes something off the list; false where it isn't on it.
func DropRunTask(ctx context.Context, q Q, id uuid.UUID, at time.Time) (bool, error) {
	return did(q.ExecContext(ctx, `update run_task set gone_at = $2 where id = $1 and gone_at is null`, id, at))
}

// TickRunTask says that something on the list is done for the run of a period, or not.
func TickRunTask(ctx context.Context, q Q, id uuid.UUID, from when.Date, by uuid.UUID, at time.Time, done bool) (bool, error) {
	if !done {
		return did(q.ExecContext(ctx, `delete from run_tick where task_id = $1 and from_date = $2`, id, from.String()))
	}
	return did(q.ExecContext(ctx, `insert into run_tick (task_id, from_date, by_person, made_at)
		select id, $2, $3, $4 from run_task where id = $1 and gone_at is null on conflict do nothing`, id, from.String(), by, at))
}
