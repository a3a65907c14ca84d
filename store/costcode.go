package store

import (
	"context"
	"fmt"
)

// CostCode is a cost code that tasks may have.
type CostCode struct {
	Code, Name string
	Closed     bool
	Tasks      int // open ones that have it
}

// CostCodes lists the cost codes.
func CostCodes(ctx context.Context, q Q) ([]CostCode, error) {
	var found []CostCode
	err := q.SelectContext(ctx, &found, `select c.code, c.name, c.closed,
		(select count(*) from task t where t.cost_code = c.code and t.state = 'open') as tasks from cost_code c order by c.code`)
	if err != nil {
		return nil, fmt.Errorf("read cost codes: %w", err)
	}
	return found, nil
}

// PutCostCode adds a cost code or changes what it is called.
func PutCostCode(ctx context.Context, q Q, c CostCode) error {
	_, err := q.ExecContext(ctx, `insert into cost_code (code, name, closed) values ($1, $2, $3) on conflict (code) do update
		set name = excluded.name, closed = excluded.closed`, c.Code, c.Name, c.Closed)
	return err
}
