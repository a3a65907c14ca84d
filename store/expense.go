package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/core/when"
)

// Expense is what somebody spent at work, on the card of a day.
type Expense struct {
	ID         uuid.UUID
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	Kind       string
	PayCode    string `db:"pay_code"`
	Amount     decimal.Decimal
	Job        uuid.UUID  `db:"job_id"`
	Task       *uuid.UUID `db:"task_id"`
	Words      string
	By         uuid.UUID `db:"by_person"`
	MadeAt     time.Time `db:"made_at"`

	// What became of it, and what it is shown with.
	JobNumber string     `db:"job_number"`
	JobName   string     `db:"job_name"`
	Photo     *uuid.UUID `db:"photo_id"`
	BackBy    *string    `db:"back_by"` // who took it back
	BackWhy   *string    `db:"back_why"`
}

const expenses = `
	select x.id, x.employment_id, x.date, x.kind, x.pay_code, x.amount, x.job_id, x.task_id, x.words, x.by_person, x.made_at,
	       j.number as job_number, j.name as job_name, b.why as back_why, p.given_name || ' ' || p.family_name as back_by,
	       (select f.id from photo f where f.expense_id = x.id order by f.id limit 1) as photo_id
	from expense x join job j on j.id = x.job_id left join expense_back b on b.expense_id = x.id left join person p on p.id = b.by_person
	`

// InsertExpense keeps an expense. There is no update and no delete.
func InsertExpense(ctx context.Context, q Q, x Expense) error {
	if _, err := q.ExecContext(ctx, `
		insert into expense (id, employment_id, date, kind, pay_code, amount, job_id, task_id, words, by_person, made_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`,
		x.ID, x.Employment, x.Date.String(), x.Kind, x.PayCode, x.Amount, x.Job, x.Task, x.Words, x.By, x.MadeAt); err != nil {
		return fmt.Errorf("keep an expense: %w", err)
	}
	return nil
}

// GetExpense reads an expense.
func GetExpense(ctx context.Context, q Q, id uuid.UUID) (Expense, error) {
	var x Expense
	err := q.GetContext(ctx, &x, expenses+`where x.id = $1`, id)
	return x, err
}

// ExpensesOf lists the expenses on a card, those taken back too, in order.
func ExpensesOf(ctx context.Context, q Q, employment uuid.UUID, date when.Date) ([]Expense, error) {
	var found []Expense
	if err := q.SelectContext(ctx, &found, expenses+`where x.employment_id = $1 and x.date = $2 order by x.made_at, x.id`, employment,
		date.String()); err != nil {
		return nil, fmt.Errorf("read expenses: %w", err)
	}
	return found, nil
}

// TakeExpenseBack keeps that an expense doesn't count, with by whom and why.
func TakeExpenseBack(ctx context.Context, q Q, x Expense, by uuid.UUID, at time.Time, why string) error {
	if _, err := q.ExecContext(ctx, `insert into expense_back (expense_id, employment_id, by_person, made_at, why)
		values ($1, $2, $3, $4, $5)`, x.ID, x.Employment, by, at, why); err != nil {
		return fmt.Errorf("take an expense back: %w", err)
	}
	return nil
}

// PayExpense is an expense in scope of a run.
type PayExpense struct {
	Employment uuid.UUID `db:"employment_id"`
	Date       when.Date
	PayCode    string `db:"pay_code"`
	Amount     string
}

// PayExpenses reads the expenses in scope, added up by card and pay code: of cards whose
// change waits those that were paid.
func PayExpenses(ctx context.Context, q Q, s PayScope) ([]PayExpense, error) {
	var found []PayExpense
	if err := q.SelectContext(ctx, &found, scoped+`
		select x.employment_id, x.date, x.pay_code, sum(x.amount)::text as amount
		from scoped c join expense x on x.employment_id = c.employment_id and x.date = c.date
		where case when c.pending then exists (select 1 from settled_expense d where d.id = x.id)
		           else not exists (select 1 from expense_back b where b.expense_id = x.id) end
		group by x.employment_id, x.date, x.pay_code order by x.employment_id, x.date, x.pay_code`,
		s.args()...); err != nil {
		return nil, fmt.Errorf("read the expenses of a run: %w", err)
	}
	return found, nil
}
