package store

import (
	"context"

	"github.com/google/uuid"
)

// OwnField is a field that the company added itself.
type OwnField struct {
	ID         uuid.UUID
	Name, Kind string
	Choices    string // one a line
	Position   int
}

// OwnFields lists them in order.
func OwnFields(ctx context.Context, q Q) ([]OwnField, error) {
	var found []OwnField
	err := q.SelectContext(ctx, &found, `select id, name, kind, choices, position from own_field order by position, name`)
	return found, err
}

// PutOwnField adds a field or changes its name and choices.
func PutOwnField(ctx context.Context, q Q, f OwnField) error {
	_, err := q.ExecContext(ctx, `insert into own_field (id, name, kind, choices, position)
		values ($1, $2, $3, $4, (select coalesce(max(position), 0) + 1 from own_field))
		on conflict (id) do update set name = excluded.name, choices = excluded.choices`, f.ID, f.Name, f.Kind, f.Choices)
	return err
}

// OwnFieldUsed says how many people have a value in a field.
func OwnFieldUsed(ctx context.Context, q Q, id uuid.UUID) (int, error) {
	var n int
	err := q.GetContext(ctx, &n, `select count(*) from own_value where field_id = $1 and value <> ''`, id)
	return n, err
}

// Counted is a value with how many have it.
type Counted struct {
	Name string
	N    int
}

// OwnValues lists the values that people have in a field.
func OwnValues(ctx context.Context, q Q, id uuid.UUID) ([]Counted, error) {
	var found []Counted
	err := q.SelectContext(ctx, &found, `select value as name, count(*) as n from own_value where field_id = $1 and value <> ''
		group by value order by value`, id)
	return found, err
}

// DropOwnField takes a field out that nobody has a value in; it gives its
// name.
func DropOwnField(ctx context.Context, q Q, id uuid.UUID) (string, error) {
	if _, err := q.ExecContext(ctx, `delete from own_value where field_id = $1 and value = ''`, id); err != nil {
		return "", err
	}
	var name string
	err := q.GetContext(ctx, &name, `delete from own_field where id = $1 returning name`, id)
	return name, err
}

// PutOwnValues sets people's values of a company's own field; an empty one is
// taken out.
func PutOwnValues(ctx context.Context, q Q, field uuid.UUID, values map[uuid.UUID]string) error {
	_, err := q.ExecContext(ctx, `delete from own_value where person_id = any($1) and field_id = $2`, keysOf(values), field)
	if err != nil {
		return err
	}
	var rows [][]any
	for person, value := range values {
		if value != "" {
			rows = append(rows, []any{person, field, value})
		}
	}
	columns := []string{"person_id", "field_id", "value"}
	return insertRows(ctx, q, "own_value", columns, "", len(rows), func(i int) []any { return rows[i] })
}
