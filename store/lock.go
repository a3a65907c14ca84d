package store

import (
	"context"
	"fmt"

	"github.com/google/uuid"
)

// Locks are taken in one order, whatever the act:
//
//  1. the gate, shared by most acts and had alone by those that change the
//     settings or close a run ([Enter]);
//  2. a file on its way in ([LockImport]), a job ([LockJob]), or an open place ([LockOpening]);
//  3. people, in the order of their ids, all that the act writes at once
//     ([LockPersons], [LockPeople], [LockEmployments]);
//  4. the next free personnel number ([NextNumber]).
//
// What writes hours, or what they follow from, needs the [Locked] that step 3
// gives.

// gate is the advisory lock that every act passes.
const gate = 0x6d616e75

// numbers is the advisory lock of who takes the next personnel number.
const numbers = 0x6d616e76

// Enter is the first statement of an act, to be sent before what it reads. Alone,
// it waits until no other act is being done, and keeps others out until the
// transaction ends. It gives the version of the company's settings, which from
// now on nobody changes but who is alone; 0 where there is no company yet.
func Enter(alone bool, version *int64) Ask {
	return Ask{`select enter_act($1, $2) as version`, []any{gate, alone}, one(func(v struct{ Version *int64 }) {
		if v.Version != nil {
			*version = *v.Version
		}
	})}
}

// SettingsChanged counts the version of the settings up.
func SettingsChanged(ctx context.Context, q Q) error {
	if _, err := q.ExecContext(ctx, `update company set version = version + 1`); err != nil {
		return fmt.Errorf("count the version of the settings up: %w", err)
	}
	return nil
}

// SettingsVersion gives the version of the settings.
func SettingsVersion(ctx context.Context, q Q) (version int64, err error) {
	err = q.GetContext(ctx, &version, `select version from company`)
	return version, err
}

// Locked are people whom a transaction has locked. Only locking gives one.
type Locked struct{ people map[uuid.UUID]struct{} }

func lockedPeople(ids []uuid.UUID) Locked {
	l := Locked{make(map[uuid.UUID]struct{}, len(ids))}
	for _, id := range ids {
		l.people[id] = struct{}{}
	}
	return l
}

// Holds is nil where a person is locked. Its error is a mistake in the
// program: something was about to be written that others write too.
func (l Locked) Holds(person uuid.UUID) error {
	if _, ok := l.people[person]; !ok {
		return fmt.Errorf("person %s is written and was not locked", person)
	}
	return nil
}

// LockPersons locks people, in the order of their ids, until the transaction
// ends: what is worked out from a person's punches has one writer at a time.
func LockPersons(ctx context.Context, q Q, people []uuid.UUID) (Locked, error) {
	var ids []uuid.UUID
	err := q.SelectContext(ctx, &ids, `select id from person where id = any($1) order by id for no key update`, UUIDs(people))
	if err != nil {
		return Locked{}, fmt.Errorf("lock people: %w", err)
	}
	return lockedPeople(ids), nil
}

// LockPeople locks the people of employments, as [LockPersons] does.
func LockPeople(ctx context.Context, q Q, employments []uuid.UUID) (Locked, error) {
	var ids []uuid.UUID
	err := q.SelectContext(ctx, &ids, `
		select id from person where id in (select person_id from employment where id = any($1))
		order by id for no key update`, UUIDs(employments))
	if err != nil {
		return Locked{}, fmt.Errorf("lock people: %w", err)
	}
	return lockedPeople(ids), nil
}

// LockEmployments reads some employments, by id, with their people locked as
// [LockPersons] does.
func LockEmployments(ctx context.Context, q Q, ids []uuid.UUID) ([]Employment, error) {
	lock, err := LockPeople(ctx, q, ids)
	if err != nil {
		return nil, err
	}
	found, err := Employments(ctx, q, ids)
	for i := range found {
		found[i].lock = lock
	}
	return found, err
}

// LockEmployment reads an employment and locks its person, as [LockPersons]
// does.
func LockEmployment(ctx context.Context, q Q, id uuid.UUID) (Employment, error) {
	var e Employment
	err := q.GetContext(ctx, &e, lockEmployment, id)
	e.lock = lockedPeople([]uuid.UUID{e.Person})
	return e, err
}

const lockEmployment = `select ` + employmentColumns + ` where e.id = $1 for no key update of p`

// AskEmployment is [LockEmployment], to be sent with other statements; nothing
// is put where there is no such employment.
func AskEmployment(id uuid.UUID, into *Employment) Ask {
	return Ask{lockEmployment, []any{id}, one(func(e Employment) {
		e.lock = lockedPeople([]uuid.UUID{e.Person})
		*into = e
	})}
}

// Lock is what locking the employment gave; nobody is locked in it where the
// employment was only read.
func (e Employment) Lock() Locked { return e.lock }

// Lock is what locking the person gave, see [Sheet.Under].
func (s Sheet) Lock() Locked { return s.lock }

// Under is a sheet that was read while its person was locked.
func (s Sheet) Under(l Locked) Sheet {
	s.lock = l
	return s
}

// LockNew is what inserting people gives: nobody else sees them yet.
func LockNew(people []NewPerson) Locked {
	ids := make([]uuid.UUID, len(people))
	for i, p := range people {
		ids[i] = p.ID
	}
	return lockedPeople(ids)
}

// LockJob locks a job until the transaction ends.
func LockJob(ctx context.Context, q Q, id uuid.UUID) error {
	var found uuid.UUID
	return q.GetContext(ctx, &found, `select id from job where id = $1 for no key update`, id)
}

// LockImport locks a file on its way in.
func LockImport(ctx context.Context, q Q, id uuid.UUID) error {
	var found uuid.UUID
	return q.GetContext(ctx, &found, `select id from import where id = $1 for no key update`, id)
}

// NextNumber gives the first whole number above all in use. Whoever asks next
// waits until the transaction ends, so that nobody is given it twice.
func NextNumber(ctx context.Context, q Q) (string, error) {
	if _, err := q.ExecContext(ctx, `select pg_advisory_xact_lock($1)`, numbers); err != nil {
		return "", fmt.Errorf("lock the next number: %w", err)
	}
	var n string
	err := q.GetContext(ctx, &n, `select (coalesce(max(number::bigint), 1000) + 1)::text from person where number ~ '^[0-9]{1,9}$'`)
	return n, err
}
