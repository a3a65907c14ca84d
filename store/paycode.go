package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"manudex/core/pay"
	"manudex/core/when"
)

// PayCode is a pay code that an owner names from a date on. Owner holds the
// id of a classification, job, kind or person, zero for the company; Label is
// what that is called.
type PayCode struct {
	ID       uuid.UUID
	Kind     string
	Owner    *uuid.UUID
	Label    string
	Pays     string
	Code     string
	StartsOn when.Date `db:"starts_on"`
}

// codeColumns are the columns of pay_code by owner; the company has none.
var codeColumns = map[pay.Owner]string{pay.ByClassification: "class_id", pay.ByJob: "job_id", pay.ByJobKind: "kind_id",
	pay.ByPerson: "person_id", pay.ByCompany: ""}

// PayCodes reads all pay codes that were ever named, the oldest first.
func PayCodes(ctx context.Context, q Q) ([]PayCode, error) {
	var found []PayCode
	err := q.SelectContext(ctx, &found, `
		select c.id, case when class_id is not null then 'classification' when job_id is not null then 'job' when c.kind_id is not null
		then 'job_kind' when person_id is not null then 'person' else 'company' end as kind,
		       coalesce(class_id, job_id, c.kind_id, person_id) as owner,
		       coalesce(cl.name, j.number || ' ' || j.name, k.name, p.given_name || ' ' || p.family_name, '') as label, c.pays, c.code,
		       c.starts_on
		from pay_code c left join classification cl on cl.id = c.class_id left join job j on j.id = c.job_id
		left join job_kind k on k.id = c.kind_id left join person p on p.id = c.person_id
		order by c.starts_on, 4, c.pays`)
	if err != nil {
		return nil, fmt.Errorf("read pay codes: %w", err)
	}
	return found, nil
}

// PutPayCode makes an owner name a code from a date on, or none.
func PutPayCode(ctx context.Context, q Q, key pay.Owner, owner uuid.UUID, pays pay.Pays, code string, from when.Date) error {
	named := map[string]*uuid.UUID{}
	if column := codeColumns[key]; column != "" {
		named[column] = &owner
	}
	_, err := q.ExecContext(ctx, `insert into pay_code (id, class_id, job_id, kind_id, person_id, pays, code, starts_on)
		values ($1, $2, $3, $4, $5, $6, $7, $8)
		on conflict (class_id, job_id, kind_id, person_id, pays, starts_on) do update set code = excluded.code`,
		uuid.Must(uuid.NewV7()), named["class_id"], named["job_id"], named["kind_id"], named["person_id"],
		string(pays), code, from.String())
	return err
}

// CodeOrders reads the orders of looking pay codes up, the oldest first.
func CodeOrders(ctx context.Context, q Q) ([]pay.OrderFrom, error) {
	var rows []struct {
		From   when.Date `db:"starts_on"`
		Owners string
	}
	if err := q.SelectContext(ctx, &rows, `select starts_on, owners from code_order order by starts_on`); err != nil {
		return nil, fmt.Errorf("read the order of pay codes: %w", err)
	}
	var found []pay.OrderFrom
	for _, r := range rows {
		o := pay.OrderFrom{From: r.From}
		for _, owner := range strings.Split(r.Owners, ",") {
			o.Order = append(o.Order, pay.Owner(owner))
		}
		found = append(found, o)
	}
	return found, nil
}

// PutCodeOrder sets the order from a date on.
func PutCodeOrder(ctx context.Context, q Q, o pay.OrderFrom) error {
	owners := make([]string, len(o.Order))
	for i, owner := range o.Order {
		owners[i] = string(owner)
	}
	_, err := q.ExecContext(ctx, `insert into code_order (starts_on, owners) values ($1, $2) on conflict (starts_on) do update
		set owners = excluded.owners`, o.From.String(), strings.Join(owners, ","))
	return err
}

func textPairs(ctx context.Context, q Q, query string) (map[string]string, error) {
	rows, err := q.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	found := map[string]string{}
	for rows.Next() {
		var key, value string
		if err := rows.Scan(&key, &value); err != nil {
			return nil, err
		}
		found[key] = value
	}
	return found, rows.Err()
}
