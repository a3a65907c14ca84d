package web_test

import (
	"context"
	"testing"
	"time"

	"manudex/dbtest"
)

// However many read all there is at once, whoever clocks isn't kept waiting.
func TestHeavyReadingKeepsNobodyFromTheClock(t *testing.T) {
	s := open(t)
	mira, dao := s.signIn(t, "Mira Castellane"), s.signIn(t, "Dao Pham")
	// While this table is locked no export ends, and each keeps its connection.
	tx, err := s.DB.Beginx()
	if err != nil {
		t.Fatal(err)
	}
	defer tx.Rollback()
	if _, err := tx.Exec(`lock table own_value in access exclusive mode`); err != nil {
		t.Fatal(err)
	}
	const exports = 30
	answered := make(chan int, exports)
	for range exports {
		go func() {
			status, _, _ := mira.get("/people/export.csv")
			answered <- status
		}()
	}
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	for dbtest.Get[int](t, s.World, `select count(*) from pg_stat_activity where datname = current_database()
		and wait_event_type = 'Lock'`) < 2 {
		if ctx.Err() != nil {
			t.Fatal("no export has begun")
		}
	}
	clocked := make(chan int)
	go func() {
		for range exports {
			status, _, _ := dao.get("/clock")
			clocked <- status
		}
	}()
	for range exports {
		select {
		case status := <-clocked:
			if status != 200 {
				t.Fatalf("the clock answers %d", status)
			}
		case <-ctx.Done():
			t.Fatal("whoever clocks waits for the exports")
		}
	}
	if err := tx.Rollback(); err != nil {
		t.Fatal(err)
	}
	for range exports {
		if status := <-answered; status != 200 {
			t.Errorf("an export, when it could be read: %d", status)
		}
	}
}
