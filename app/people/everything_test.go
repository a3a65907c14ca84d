package people_test

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"slices"
	"strings"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/dbtest"
	"manudex/store"
)

// Everything about somebody comes out as one file: of every table that names them,
// and nothing by which one could sign in as them. It is theirs, and an owner's.
func TestEverythingAboutSomebody(t *testing.T) {
	w := dbtest.Open(t)
	ctx, dao, orla := context.Background(), w.Person(t, "Dao Pham"), w.Person(t, "Orla Ebbwater")
	mine, err := people.Everything(ctx, w.App, dao, dao.ID)
	apptest.Must(t, err)
	for table, least := range map[string]int{"person": 1, "employment": 1, "punch": 100, "card": 50, "pay_line": 50, "rate": 1} {
		var rows []map[string]any
		apptest.Must(t, json.Unmarshal(mine.Tables[table], &rows))
		if len(rows) < least {
			t.Errorf("%d rows of %s", len(rows), table)
		}
		want := dbtest.Get[int](t, w, `select count(*) from `+table+` t where to_jsonb(t)::text like '%' || $1 || '%'`,
			map[bool]any{true: dao.ID, false: *dao.Employment}[table == "person" || table == "employment"])
		if table != "punch" && len(rows) != want {
			t.Errorf("%d of %d rows of %s", len(rows), want, table)
		}
	}
	if job := dbtest.Get[string](t, w, `select j.number || ' ' || j.name from punch p join job j on j.id = p.job_id where employment_id = $1
		limit 1`, *dao.Employment); !slices.Contains(slices.Collect(maps.Values(mine.Names)), job) {
		t.Errorf("the ids aren't said: %s isn't among %d names", job, len(mine.Names))
	}
	text, err := json.Marshal(mine)
	apptest.Must(t, err)
	for _, secret := range []string{"password_hash", "pin_hash", "code_secret", "token_hash", "end_hash", "argon2"} {
		if strings.Contains(string(text), secret) {
			t.Errorf("it holds a %s", secret)
		}
	}
	if _, err := people.Everything(ctx, w.App, orla, dao.ID); err != nil {
		t.Errorf("an owner: %v", err)
	}
	for name, err := range map[string]error{
		"a manager": func() error {
			_, err := people.Everything(ctx, w.App, w.Person(t, "Mira Castellane"), dao.ID)
			return err
		}(),
		"a lead": func() error {
			_, err := people.Everything(ctx, w.App, w.Person(t, "Wren Halloran"), dao.ID)
			return err
		}(),
	} {
		if !errors.Is(err, app.ErrForbidden) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if n := dbtest.Get[int](t, w, `select count(*) from audit where act = 'people.everything' and about = $1`, dao.ID); n != 2 {
		t.Errorf("it is written down %d times that everything was given out", n)
	}
}

// A table that names somebody is in that file, or says why not.
func TestEveryTableAboutPeopleIsKnown(t *testing.T) {
	w := dbtest.Open(t)
	var tables []string
	apptest.Must(t, w.DB.Select(&tables, `
		select distinct tc.table_name from information_schema.table_constraints tc
		join information_schema.key_column_usage kcu using (constraint_name, table_schema)
		join information_schema.constraint_column_usage ccu using (constraint_name, table_schema)
		where constraint_type = 'FOREIGN KEY' and (ccu.table_name = 'employment'
		or ccu.table_name = 'person' and kcu.column_name = 'person_id')`))
	known := append(store.TablesAbout(), store.NotAboutPerson()...)
	for _, table := range tables {
		if !slices.Contains(known, table) {
			t.Errorf("%s names people and is in no file of everything about one", table)
		}
	}
	if len(tables) < 30 {
		t.Errorf("%d tables name people", len(tables))
	}
}
