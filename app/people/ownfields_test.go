package people_test

import (
	"context"
	"strings"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/field"
	"manudex/app/people"
	"manudex/dbtest"
	"manudex/store"
)

// Fields of the company's own are added, filtered by, written out and taken
// out again.
func TestOwnFields(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, ines, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Ines Okonjo"), w.Person(t, "Dao Pham")
	locker, shirt := apptest.NewID(), apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, people.PutOwnField{ID: locker, Title: "Locker", Kind: "text"}))
	apptest.Must(t, w.Do(ctx, mira, people.PutOwnField{ID: shirt, Title: "Shirt", Kind: "choice", Choices: "S\nM\nL\nXL\n"}))
	set := func(who app.Actor, field, value string) error {
		return w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: who.ID, Field: field, Value: value})
	}
	apptest.Must(t, set(ines, locker.String(), "B 100%"))
	apptest.Must(t, set(dao, locker.String(), "B 1001"))
	apptest.Must(t, set(ines, shirt.String(), "L"))
	apptest.Must(t, set(dao, shirt.String(), "XL"))
	if r := apptest.Refusal(t, set(dao, shirt.String(), "XXL")); !strings.Contains(r.Wrong, "XXL") {
		t.Errorf("a choice that isn't: %+v", r)
	}
	for _, c := range []struct {
		name, typed string
		want        int
	}{
		{"a whole value of a list", "Shirt: l", 1},
		{"no part of one", "Shirt: x", 0},
		{"a part of a text", "locker: b 1", 2},
		{"a percent sign is no wildcard", "locker:100%", 1},
		{"two at once", "Shirt: L; Locker: 1001", 0},
		{"a setting and a name", "Shirt: XL; dao", 1},
		{"anywhere", "pham 1001", 1},
		{"a setting of every company", "Crew or department: paint line; Level: worker", 6},
		{"no setting is called that", "Hat: L", 0},
	} {
		p, err := people.ReadPeople(ctx, w.App, mira, people.PeopleQuery{SheetFilter: store.SheetFilter{Text: c.typed}})
		apptest.Must(t, err)
		if p.Total != c.want {
			t.Errorf("%s: %q finds %d people, want %d", c.name, c.typed, p.Total, c.want)
		}
	}
	if p, err := people.ReadPeople(ctx, w.App, w.Person(t, "Wren Halloran"), people.PeopleQuery{SheetFilter: store.SheetFilter{
		Text: "Rate an hour: 2"}}); err != nil || p.Total != 0 {
		t.Errorf("a lead finds %d people by their rates, %v", p.Total, err)
	}
	apptest.Must(t, w.Do(ctx, mira, people.PutOwnField{ID: locker, Title: "Locker number", Kind: "date"}))
	if k := dbtest.Get[string](t, w, `select kind || ' ' || name from own_field where id = $1`, locker); k != "text Locker number" {
		t.Errorf("renamed, the field is %q", k)
	}
	for _, c := range []struct {
		act  app.Act
		want string
	}{
		{people.PutOwnField{ID: apptest.NewID(), Title: "locker NUMBER", Kind: "text"}, "already"},
		{people.PutOwnField{ID: apptest.NewID(), Title: "E-mail", Kind: "text"}, "already"},
		{people.PutOwnField{ID: apptest.NewID(), Title: " ", Kind: "text"}, "no name"},
		{people.PutOwnField{ID: apptest.NewID(), Title: "Boots", Kind: "choice", Choices: "one"}, "nothing to choose"},
		{people.PutOwnField{ID: shirt, Title: "Shirt", Choices: "S\nM"}, "people have “L”"},
		{people.DropOwnField{ID: locker}, "2 people have a value"},
		{people.DropOwnField{ID: apptest.NewID()}, "no such thing"},
	} {
		if err := w.Do(ctx, mira, c.act); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%+v: %v, want %q", c.act, err, c.want)
		}
	}
	apptest.Must(t, set(ines, locker.String(), ""))
	apptest.Must(t, set(dao, locker.String(), ""))
	apptest.Must(t, w.Do(ctx, mira, people.DropOwnField{ID: locker}))
	if n := dbtest.Get[int](t, w, `select count(*) from own_field`); n != 1 {
		t.Errorf("%d fields are left", n)
	}
}

// People are ordered by, and found in, every setting that stands on a page.
func TestEverySettingOrdersAndFinds(t *testing.T) {
	w := dbtest.Open(t)
	ctx, orla := context.Background(), w.Person(t, "Orla Ebbwater")
	fields, err := people.ReadFields(ctx, w.DB)
	apptest.Must(t, err)
	for _, f := range fields.All {
		if f.Later {
			continue
		}
		sorted, err := people.ReadPeople(ctx, w.App, orla, people.PeopleQuery{SheetFilter: store.SheetFilter{
			Sort: store.SheetSort{Key: f.Key, Falling: true}}})
		if err != nil || sorted.Total != 58 {
			t.Errorf("by %s: %v", f.Label, err)
			continue
		}
		value := f.Show(sorted.Sheets[0].Values[f.Key])
		if value == "" || f.Kind == field.PatternField { // kept otherwise than it is written
			continue
		}
		found, err := people.ReadPeople(ctx, w.App, orla, people.PeopleQuery{SheetFilter: store.SheetFilter{Text: f.Label + ": " + value}})
		if err != nil || found.Total == 0 {
			t.Errorf("%s: %s finds %v, %v", f.Label, value, found, err)
		}
	}
}
