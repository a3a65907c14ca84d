package people_test

import (
	"context"
	"errors"
	"testing"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/people"
	"manudex/dbtest"
)

func TestPIN(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	for pin, ok := range map[string]bool{"4071": true, "90210": true,
		"83920174": true, "123": false, "123456789": false, "12a4": false, "0000": false, "1234": false,
		"8765": false, "4 71": false, "": true} {
		err := w.Do(ctx, mira, people.SetPIN{Person: dao.ID, PIN: pin})
		if ok {
			apptest.Must(t, err)
		} else if r := apptest.Refusal(t, err); r.Field != "pin" {
			t.Errorf("%q: %+v", pin, r)
		}
	}
	apptest.Must(t, w.Do(ctx, mira, people.SetPIN{Person: dao.ID, PIN: "4071"}))
	if n := dbtest.Get[int](t, w, `select count(*) from person where pin_hash like '$argon2id$%' and id = $1`, dao.ID); n != 1 {
		t.Error("the PIN is not kept as a hash")
	}
	if n := dbtest.Get[int](t, w, `select count(*) from audit where detail::text like '%4071%'`); n != 0 {
		t.Error("the PIN stands in the audit list")
	}
	p, err := people.ReadPersonPage(ctx, w.App, mira, dao.ID)
	apptest.Must(t, err)
	if p.Sheets[0].Values["pin"] != "yes" {
		t.Errorf("the page says PIN %q", p.Sheets[0].Values["pin"])
	}
	// By the link of a welcome, beside the password.
	token := app.NewSignInToken()
	apptest.Must(t, w.Do(ctx, mira, people.LinkFor(dao.ID, token)))
	weak := people.Chosen{Password: "lamp and buoy", PIN: "1111"}
	if _, err := people.ChoosePassword(ctx, w.App, token, weak); apptest.Refusal(t, err).Field != "pin" {
		t.Error("a PIN that is no PIN was taken")
	}
	if _, err := people.ChoosePassword(ctx, w.App, token, people.Chosen{Password: "lamp and buoy", PIN: "5520"}); err != nil {
		t.Errorf("after a refused PIN the link is gone: %v", err)
	}
	if err := w.Do(ctx, w.Person(t, "Wren Halloran"), people.SetPIN{Person: dao.ID, PIN: "4071"}); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("a lead sets a PIN: %v", err)
	}
	if apptest.Refusal(t, w.Do(ctx, mira, people.SetPIN{Person: w.Person(t, "Orla Ebbwater").ID, PIN: "4071"})).Field != "pin" {
		t.Error("a manager sets an owner's PIN")
	}
}
