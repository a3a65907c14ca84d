package store_test

import (
	"context"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"manudex/dbtest"
	"manudex/store"
)

// Two transactions that lock in opposite orders: one is run again, and both
// end well.
func TestADeadlockIsRunAgain(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	var ids []uuid.UUID
	must(t, db.Select(&ids, `select id from person order by id limit 2`))
	var runs atomic.Int32
	both := make(chan struct{})
	var first atomic.Int32
	lock := func(order []uuid.UUID) error {
		return db.Tx(ctx, func(tx *sqlx.Tx) error {
			runs.Add(1)
			if _, err := tx.Exec(`select 1 from person where id = $1 for update`, order[0]); err != nil {
				return err
			}
			if first.Add(1) == 2 {
				close(both)
			}
			<-both // each has its first
			_, err := tx.Exec(`select 1 from person where id = $1 for update`, order[1])
			return err
		})
	}
	errs := make(chan error, 2)
	go func() { errs <- lock(ids) }()
	go func() { errs <- lock([]uuid.UUID{ids[1], ids[0]}) }()
	for range 2 {
		must(t, <-errs)
	}
	if n := runs.Load(); n < 3 { // or more: what is run again may meet the other once more
		t.Errorf("the transactions were run %d times in all, want 3 or more", n)
	}
}

// Only locking gives what writing needs.
func TestLocked(t *testing.T) {
	db := dbtest.DB(t)
	ctx := context.Background()
	e := employmentOf(t, db, "Viggo Bexley")
	read, err := store.GetEmployment(ctx, db, e)
	must(t, err)
	if read.Lock().Holds(read.Person) == nil {
		t.Error("who was only read counts as locked")
	}
	must(t, db.Tx(ctx, func(tx *sqlx.Tx) error {
		locked, err := store.LockEmployment(ctx, tx, e)
		must(t, err)
		must(t, locked.Lock().Holds(locked.Person))
		if locked.Lock().Holds(uuid.New()) == nil {
			t.Error("somebody else counts as locked")
		}
		return nil
	}))
}

// A statement that takes too long is given up, and is no fault of who asked.
func TestLongStatementsAreGivenUp(t *testing.T) {
	db := dbtest.DB(t)
	limited, err := store.OpenWith(t.Context(), db.Pool.Config().ConnString(), store.Opening{Statement: 20 * time.Millisecond})
	must(t, err)
	t.Cleanup(limited.Close)
	if _, err := limited.Exec(`select pg_sleep(60)`); !store.Away(err) {
		t.Errorf("a minute's statement: %v", err)
	}
	if _, err := db.Exec(`select pg_sleep(0.05)`); err != nil {
		t.Errorf("without a limit: %v", err)
	}
}
