package store

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"
)

// SealedAccount is something encrypted that belongs to somebody or something.
type SealedAccount struct {
	Of     uuid.UUID
	Sealed []byte
	Shown  string // in part
}

// PutPayAccount keeps the account that somebody is paid into.
func PutPayAccount(ctx context.Context, q Q, a SealedAccount, by uuid.UUID, at time.Time) error {
	if _, err := q.ExecContext(ctx, `insert into pay_account (person_id, sealed, shown, put_by, put_at) values ($1, $2, $3, $4, $5)
		on conflict (person_id) do update set sealed = excluded.sealed, shown = excluded.shown, put_by = excluded.put_by,
			put_at = excluded.put_at`, a.Of, a.Sealed, a.Shown, by, at); err != nil {
		return fmt.Errorf("keep an account: %w", err)
	}
	return nil
}

// PayAccounts reads the accounts of people.
func PayAccounts(ctx context.Context, q Q, people []uuid.UUID) (map[uuid.UUID]SealedAccount, error) {
	var rows []SealedAccount
	if err := q.SelectContext(ctx, &rows, `select person_id as of, sealed, shown from pay_account where person_id = any($1)`,
		UUIDs(people)); err != nil {
		return nil, fmt.Errorf("read accounts: %w", err)
	}
	found := make(map[uuid.UUID]SealedAccount, len(rows))
	for _, r := range rows {
		found[r.Of] = r
	}
	return found, nil
}

// PayDebtor is an account that people are paid out of.
type PayDebtor struct {
	ID     uuid.UUID
	Name   string
	Sealed []byte
	Shown  string
}

// PutPayDebtor keeps one.
func PutPayDebtor(ctx context.Context, q Q, d PayDebtor) error {
	_, err := q.ExecContext(ctx,
		`insert into pay_debtor (id, name, sealed, shown) values ($1, $2, $3, $4) on conflict (id) do nothing`, d.ID,
		d.Name, d.Sealed, d.Shown)
	return err
}

// PayDebtors lists them by name.
func PayDebtors(ctx context.Context, q Q) ([]PayDebtor, error) {
	var found []PayDebtor
	if err := q.SelectContext(ctx, &found,
		`select id, name, sealed, shown from pay_debtor where gone_at is null order by name, id`); err != nil {
		return nil, fmt.Errorf("read the accounts that people are paid out of: %w", err)
	}
	return found, nil
}

// PaidPerson is somebody in a run, what it pays them, and what they get of it.
type PaidPerson struct {
	Person uuid.UUID `db:"person_id"`
	Number string
	Given  string `db:"given_name"`
	Family string `db:"family_name"`
	Gross  decimal.Decimal
	Net    *decimal.Decimal // nil where nobody has said
}

// PaidPeople lists whom a closed run pays, by name.
func PaidPeople(ctx context.Context, q Q, run uuid.UUID) ([]PaidPerson, error) {
	var found []PaidPerson
	if err := q.SelectContext(ctx, &found, `
		select p.id as person_id, p.number, p.given_name, p.family_name, n.amount as net,
		       coalesce(sum(l.amount) filter (where l.kind not in ('fringe_plan', 'deduction')), 0) as gross
		from pay_line l join employment e on e.id = l.employment_id join person p on p.id = e.person_id
		left join net_pay n on n.run_id = l.run_id and n.person_id = p.id
		where l.run_id = $1 group by p.id, n.amount order by p.family_name, p.given_name, p.id`, run); err != nil {
		return nil, fmt.Errorf("read whom a run pays: %w", err)
	}
	return found, nil
}

// PutNetPay keeps what people get of a run, in the place of what was said before.
func PutNetPay(ctx context.Context, q Q, run uuid.UUID, net map[uuid.UUID]decimal.Decimal, by uuid.UUID, at time.Time) error {
	people := keysOf(net)
	return insertRows(ctx, q, "net_pay", []string{"run_id", "person_id", "amount", "made_by", "made_at"},
		`on conflict (run_id, person_id) do update set amount = excluded.amount, made_by = excluded.made_by, made_at = excluded.made_at`,
		len(people), func(i int) []any { return []any{run, people[i], net[people[i]], by, at} })
}

// Encrypted is something that is encrypted, and what it was sealed for, which no two things share.
type Encrypted struct {
	Table  string
	Of     uuid.UUID // the person, the account that is paid out of, or the run
	Name   string    // of a file of the run
	Sealed []byte
	About  string
}

// SealedAfter lists some of all that is encrypted, in the order of what it was sealed for, after one.
func SealedAfter(ctx context.Context, q Q, about string, limit int) ([]Encrypted, error) {
	var found []Encrypted
	if err := q.SelectContext(ctx, &found, `
		select * from (
			select 'pay_account' as table, person_id as of, '' as name, sealed, 'account ' || person_id as about from pay_account
			union all select 'pay_debtor', id, '', sealed, 'debtor ' || id from pay_debtor
			union all select 'run_file', run_id, name, data, 'file ' || run_id || ' ' || name from run_file where sealed) x
		where about > $1 order by about limit $2`, about, limit); err != nil {
		return nil, fmt.Errorf("read what is encrypted: %w", err)
	}
	return found, nil
}

// PutResealed writes what is encrypted anew. The bytes of a kept file change, and what is in it doesn't: its
// digest is that of the file as it was made.
func PutResealed(ctx context.Context, q Q, all []Encrypted) error {
	for table, update := range map[string]string{
		"pay_account": `update pay_account a set sealed = x.sealed from rows x where a.person_id = x.of`,
		"pay_debtor":  `update pay_debtor d set sealed = x.sealed from rows x where d.id = x.of`,
		"run_file":    `update run_file f set data = x.sealed from rows x where f.run_id = x.of and f.name = x.name and f.sealed`,
	} {
		var of UUIDs
		var names, sealed []string
		for _, s := range all {
			if s.Table == table {
				of, names, sealed = append(of, s.Of), append(names, s.Name), append(sealed, *hexBytes(s.Sealed))
			}
		}
		if len(of) == 0 {
			continue
		}
		if _, err := q.ExecContext(ctx, `
			with rows as (select x.of, x.name, x.sealed::bytea as sealed
				from unnest($1::uuid[], $2::text[], $3::text[]) x(of, name, sealed))
			`+update, of, names, sealed); err != nil {
			return fmt.Errorf("write what is encrypted anew: %w", err)
		}
	}
	return nil
}
