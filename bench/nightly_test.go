package bench

import (
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/leave"
	"manudex/app/roster"
	"manudex/store"
)

// repeatsForAll gives everybody a shift that repeats Monday to Friday, made real but for its
// last week, and takes the cards to come away.
const repeatsForAll = `
	insert into shift_series (id, employment_id, rule, from_on, from_second, to_second, less, made_until, made_batch, made_at, made_by)
	select md5(e.id::text)::uuid, e.id, 'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR', $2::date - 28, 25200, 55800, 1800, $2::date + 84,
		gen_random_uuid(),
		now(), p.id
	from employment e cross join person p where e.ends_on is null and p.email = $1`

// TestNightly measures what each night does for five thousand people against its SQL alone, on
// two copies of one world.
func TestNightly(t *testing.T) {
	ctx := context.Background()
	many := dsn(t, "MANUDEX_BENCH_MANY")
	for _, job := range []struct {
		name string
		do   func(context.Context, *app.App) error
		made string // what counts what it made
	}{
		{"Shifts that repeat", roster.Make, `select count(*) from planned where series_id is not null`},
		{"Cards to come", func(ctx context.Context, a *app.App) error {
			_, err := hours.KeepExpected(ctx, a)
			return err
		}, `select count(*) from card where date > '2026-11-14'`},
		{"Leave booked", leave.BookAll, `select count(*) from leave_line`},
	} {
		var whole, alone []time.Duration
		statements, made := 0, 0
		for range 3 {
			first, second := copyOf(t, many, "nightly_first"), copyOf(t, many, "nightly_second")
			tr := &tracer{}
			db, err := store.OpenWith(ctx, first, store.Opening{Tracer: tr})
			if err != nil {
				t.Fatal(err)
			}
			a := app.New(db, fixed, slog.New(slog.DiscardHandler))
			begun := time.Now()
			if err := job.do(ctx, a); err != nil {
				t.Fatal(err)
			}
			whole = append(whole, time.Since(begun))
			if err := db.Get(&made, job.made); err != nil {
				t.Fatal(err)
			}
			db.Close()
			conn, err := pgx.Connect(ctx, second)
			if err != nil {
				t.Fatal(err)
			}
			alone, statements = append(alone, replay(t, conn, tr.seen)), len(tr.seen)
			conn.Close(ctx)
		}
		fmt.Printf("%s: %d made in %v, its SQL alone %v, ratio %.2f; %d statements\n", job.name, made,
			median(whole).Round(time.Millisecond), median(alone).Round(time.Millisecond),
			float64(median(whole))/float64(median(alone)), statements)
		if made == 0 {
			t.Errorf("%s: nothing was made", job.name)
		}
	}
}

// copyOf makes a copy of a world in which everybody has a shift that repeats, no card of a day to
// come, and nothing booked of leave.
func copyOf(t *testing.T, dsn, name string) string {
	t.Helper()
	ctx := context.Background()
	at, err := url.Parse(dsn)
	if err != nil {
		t.Fatal(err)
	}
	template := at.Path[1:]
	at.Path = "/postgres"
	admin, err := pgx.Connect(ctx, at.String())
	if err != nil {
		t.Fatal(err)
	}
	defer admin.Close(ctx)
	for _, sql := range []string{`drop database if exists ` + name + ` with (force)`, `create database ` + name + ` template ` + template} {
		if _, err := admin.Exec(ctx, sql); err != nil {
			t.Fatal(err)
		}
	}
	at.Path = "/" + name
	conn, err := pgx.Connect(ctx, at.String())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	today := now.Format(time.DateOnly)
	if _, err := conn.Exec(ctx, repeatsForAll, manager, today); err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(ctx, `delete from card where date > $1`, today); err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(ctx, `truncate leave_line`); err != nil {
		t.Fatal(err)
	}
	if _, err := conn.Exec(ctx, `analyze`); err != nil {
		t.Fatal(err)
	}
	return at.String()
}
