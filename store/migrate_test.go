package store_test

import (
	"testing"

	"manudex/dbtest"
)

// Every migration can be taken back, and done again.
func TestMigrationsGoBothWays(t *testing.T) {
	db := dbtest.Empty(t)
	for range 2 {
		if err := db.MigrateTo(t.Context(), 0); err != nil {
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
