// Package dbtest gives tests real PostgreSQL databases: each test its own,
// copied from a template that is made once and holds the demo world.
package dbtest

import (
	"context"
	"fmt"
	"hash/fnv"
	"log/slog"
	"net/url"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/alexedwards/argon2id"
	"github.com/jackc/pgx/v5"

	"manudex/app"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/demo"
	"manudex/store"
)

// Now is the fixed now of the demo world in tests: Friday 13 November 2026,
// 10:12 at the works.
var Now = time.Date(2026, 11, 13, 15, 12, 0, 0, time.UTC)

// A test's passwords cost next to nothing to check.
func init() {
	people.PasswordParams = &argon2id.Params{Memory: 64, Iterations: 1, Parallelism: 1, SaltLength: 16, KeyLength: 32}
}

// Env names the variable that holds the address of the test server.
const Env = "MANUDEX_TEST_DATABASE"

var (
	once     sync.Once
	template string
	made     error
	serial   atomic.Int64
)

// World is the demo world in a database of the test's own, and a clock that
// the test sets.
type World struct {
	*app.App
	now atomic.Pointer[time.Time]
}

// Set sets the now.
func (w *World) Set(now time.Time) { w.now.Store(&now) }

// Pass lets time pass.
func (w *World) Pass(d time.Duration) { w.Set(w.now.Load().Add(d)) }

// At is the now.
func (w *World) At() time.Time { return *w.now.Load() }

// Open gives a test the demo world.
func Open(t testing.TB) *World {
	t.Helper()
	db := DB(t)
	w := &World{}
	w.Set(Now)
	w.App = app.New(db, w.At, slog.New(slog.DiscardHandler))
	return w
}

// DB gives a test a database with the demo world in it.
func DB(t testing.TB) *store.DB {
	t.Helper()
	server := address(t)
	once.Do(func() { template, made = makeTemplate(context.Background(), server) })
	if made != nil {
		t.Fatal(made)
	}
	return create(t, server, " template "+template+" strategy file_copy") // a third faster than through the log
}

// Blank gives a test a database without a table.
func Blank(t testing.TB) *store.DB {
	t.Helper()
	return create(t, address(t), "")
}

// Empty gives a test a migrated database with nothing in it.
func Empty(t testing.TB) *store.DB {
	t.Helper()
	db := Blank(t)
	if err := db.Migrate(context.Background()); err != nil {
		t.Fatal(err)
	}
	return db
}

func address(t testing.TB) string {
	t.Helper()
	server := os.Getenv(Env)
	if server == "" {
		t.Fatalf("%s is not set: run the tests with ./test.sh, which starts a server for them", Env)
	}
	return server
}

// create makes a database that goes with the test.
func create(t testing.TB, server, like string) *store.DB {
	t.Helper()
	ctx := context.Background()
	name := fmt.Sprintf("t%d_%d", os.Getpid(), serial.Add(1))
	if err := admin(ctx, server, "create database "+name+like); err != nil {
		t.Fatal(err)
	}
	db, err := store.Open(ctx, named(server, name))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		db.Close()
		if err := admin(ctx, server, fmt.Sprintf(`drop database %s with (force)`, name)); err != nil {
			t.Error(err)
		}
	})
	return db
}

// makeTemplate makes the template once for a run of the tests: whichever
// package comes first makes it, the others wait for it. Without a run's name it
// is made for each package.
func makeTemplate(ctx context.Context, server string) (string, error) {
	run := os.Getenv("MANUDEX_TEST_RUN")
	if run == "" {
		self, err := os.Executable()
		if err != nil {
			return "", err
		}
		run = self[:strings.LastIndex(self, "/")]
	}
	sum := fnv.New32a()
	fmt.Fprint(sum, run)
	name := fmt.Sprintf("template_%08x", sum.Sum32())
	conn, err := pgx.Connect(ctx, server)
	if err != nil {
		return "", fmt.Errorf("reach the test server: %w", err)
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, `select pg_advisory_lock(1)`); err != nil {
		return "", err
	}
	var exists bool
	if err := conn.QueryRow(ctx, `select exists (select 1 from pg_database where datname = $1)`, name).Scan(&exists); err != nil || exists {
		return name, err
	}
	if _, err := conn.Exec(ctx, `create database `+name); err != nil {
		return "", err
	}
	if err := load(ctx, named(server, name)); err != nil {
		return "", fmt.Errorf("%w (and drop: %v)", err, admin(ctx, server, `drop database `+name+` with (force)`))
	}
	return name, nil
}

func load(ctx context.Context, dsn string) error {
	db, err := store.Open(ctx, dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	w, err := demo.New(1, Now, demo.Size{})
	if err != nil {
		return err
	}
	return w.Load(ctx, db, slog.New(slog.DiscardHandler))
}

func admin(ctx context.Context, server, statement string) error {
	conn, err := pgx.Connect(ctx, server)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, statement)
	return err
}

func named(server, database string) string {
	u, err := url.Parse(server)
	if err != nil {
		return server
	}
	u.Path = "/" + database
	return u.String()
}

// Person signs somebody of the demo world in, by name.
func (w *World) Person(t testing.TB, name string) app.Actor {
	t.Helper()
	var id [16]byte
	err := w.DB.Pool.QueryRow(context.Background(), `select id from person where given_name || ' ' || family_name = $1`, name).Scan(&id)
	if err != nil {
		t.Fatalf("find %s: %v", name, err)
	}
	actor, err := w.Actor(context.Background(), id)
	if err != nil {
		t.Fatalf("read %s: %v", name, err)
	}
	actor.Proved = true // as if they had just typed their password
	actor.Point = clock.OwnPhone
	return actor
}

// Get reads one value.
func Get[T any](t testing.TB, w *World, query string, args ...any) (v T) {
	t.Helper()
	if err := w.DB.Pool.QueryRow(context.Background(), query, args...).Scan(&v); err != nil {
		t.Fatalf("%s: %v", query, err)
	}
	return v
}
