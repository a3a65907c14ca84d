package store_test

import (
	"testing"

	"github.com/pressly/goose/v3"

	"manudex/dbtest"
)

// Every migration can be taken back, and done again.
func TestMigrationsGoBothWays(t *testing.T) {
	db := dbtest.Empty(t)
	for range 2 {
		if err := goose.DownToContext(t.Context(), db.DB.DB, "migrations", 0); err != nil {
			t.Fatal(err)
		}
		var left []string
		if err := db.SelectContext(t.Context(), &left, `select relname from pg_class c join pg_namespace n on n.oid = c.relnamespace
			where n.nspname = 'public' and relkind in ('r', 'v') and relname <> 'goose_db_version'`); err != nil || len(left) > 0 {
			t.Errorf("left over: %v, %v", left, err)
		}
		if err := db.Migrate(t.Context()); err != nil {
			t.Fatal(err)
		}
	}
}
