package bench

import (
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"runtime"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"manudex/app"
	"manudex/app/payroll"
	"manudex/store"
)

// unpaid takes the runs of a world out again, so that its first pay period is open with all its cards approved.
var unpaid = []string{
	`alter table pay_line disable trigger user`, `alter table run_person disable trigger user`, `alter table run disable trigger user`,
	`alter table card_act disable trigger user`, `alter table run_answer disable trigger user`,
	`truncate pay_line, run_person, run_answer cascade`, `delete from card_act where run_id is not null`, `delete from run`,
	`update stint set end_at = start_at + interval '1 hour' where end_at is null`,
	`update card set state = 'approved', open_since = null, adjust = false, late_change = false`,
	`alter table pay_line enable trigger user`, `alter table run_person enable trigger user`, `alter table run enable trigger user`,
	`alter table card_act enable trigger user`, `alter table run_answer enable trigger user`, `analyze`,
}

// TestClosing measures a run of two weeks of five thousand people from the database to closed, against its
// SQL alone on a copy of the same world, and what memory it takes.
func TestClosing(t *testing.T) {
	ctx := context.Background()
	many := dsn(t, "MANUDEX_BENCH_MANY")
	var whole, alone []time.Duration
	var most uint64
	var lines, stints int
	for range 3 {
		first, second := unpaidCopy(t, many, "closing_first"), unpaidCopy(t, many, "closing_second")
		tr := &tracer{}
		db, err := store.OpenWith(ctx, first, store.Opening{Tracer: tr})
		if err != nil {
			t.Fatal(err)
		}
		a := app.New(db, fixed, slog.New(slog.DiscardHandler))
		var clerk uuid.UUID
		if err := db.Get(&clerk, `select id from person where email = $1`, clerkMail); err != nil {
			t.Fatal(err)
		}
		actor, err := a.Actor(ctx, clerk)
		if err != nil {
			t.Fatal(err)
		}
		actor.Proved = true
		page, err := payroll.PayRun(ctx, a, actor, uuid.Nil)
		if err != nil || !page.CanClose {
			t.Fatalf("can't be closed: %v, %+v", err, page.WhyNot)
		}
		tr.seen = nil
		runtime.GC()
		peak := watchMemory()
		begun := time.Now()
		if err := a.Do(ctx, actor, payroll.CloseRun{ID: uuid.New(), Seen: page.Period.From.String() + " " + page.Total.Gross}); err != nil {
			t.Fatal(err)
		}
		whole = append(whole, time.Since(begun))
		most = max(most, peak())
		if err := db.QueryRow(`select (select count(*) from pay_line), (select count(*) from stint where date between $1 and $2)`,
			page.Period.From.String(), page.Period.To.String()).Scan(&lines, &stints); err != nil {
			t.Fatal(err)
		}
		db.Close()
		conn, err := pgx.Connect(ctx, second)
		if err != nil {
			t.Fatal(err)
		}
		alone = append(alone, replay(t, conn, tr.seen))
		conn.Close(ctx)
	}
	fmt.Printf("Closing a run: %d stints, %d lines in %v, its SQL alone %v, ratio %.2f; %d MB at most\n", stints, lines,
		median(whole).Round(time.Millisecond), median(alone).Round(time.Millisecond),
		float64(median(whole))/float64(median(alone)), most>>20)
	if lines == 0 {
		t.Error("nothing was paid")
	}
}

const clerkMail = "sana.verity@ebbwater.example"

// watchMemory looks at the heap until it's asked for the most it saw.
func watchMemory() (most func() uint64) {
	stop, found := make(chan struct{}), make(chan uint64)
	go func() {
		var peak uint64
		tick := time.NewTicker(20 * time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-stop:
				found <- peak
				return
			case <-tick.C:
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				peak = max(peak, m.HeapInuse+m.StackInuse)
			}
		}
	}()
	return func() uint64 { close(stop); return <-found }
}

// unpaidCopy makes a copy of a world in which nothing was paid yet.
func unpaidCopy(t *testing.T, dsn, name string) string {
	t.Helper()
	ctx := context.Background()
	at, err := url.Parse(dsn)
	if err != nil {
		t.Fatal(err)
	}
	template := at.Path[1:]
	run := func(path string, statements ...string) {
		at.Path = path
		conn, err := pgx.Connect(ctx, at.String())
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close(ctx)
		for _, sql := range statements {
			if _, err := conn.Exec(ctx, sql); err != nil {
				t.Fatalf("%s: %v", sql, err)
			}
		}
	}
	run("/postgres", `drop database if exists `+name+` with (force)`, `create database `+name+` template `+template)
	run("/"+name, unpaid...)
	return at.String()
}
