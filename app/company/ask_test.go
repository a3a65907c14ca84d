package company_test

import (
	"context"
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/dbtest"
)

// Everybody is told whom to ask at their own site, and who there is for all sites
// where that has nobody.
func TestWhomToAsk(t *testing.T) {
	w := dbtest.Open(t)
	ctx, orla := context.Background(), w.Person(t, "Orla Ebbwater")
	site := dbtest.Get[uuid.UUID](t, w, `select id from site where name = 'Route 9'`)
	pay := apptest.NewID()
	for _, act := range []company.PutAsk{{ID: pay, Subject: "Pay", Named: "Sana Verity", Reach: "extension 20"},
		{ID: apptest.NewID(), Subject: "Safety", Named: "Mira Castellane"},
		{ID: apptest.NewID(), Subject: "safety", Named: "Wren Halloran", Site: site}} {
		apptest.Must(t, w.Do(ctx, orla, act))
	}
	asks := func(name string) (said string) {
		found, err := company.AsksOf(ctx, w.App, w.Person(t, name))
		apptest.Must(t, err)
		for _, a := range found {
			said += a.Subject + ": " + a.Name + " " + a.Reach + "; "
		}
		return said
	}
	for name, want := range map[string]string{
		"Tomasz Brandt": "Pay: Sana Verity extension 20; safety: Wren Halloran ; ",
		"Dao Pham":      "Pay: Sana Verity extension 20; Safety: Mira Castellane ; ",
		"Piet Donoghue": "Pay: Sana Verity extension 20; Safety: Mira Castellane ; ",
	} {
		if got := asks(name); got != want {
			t.Errorf("%s asks %q, want %q", name, got, want)
		}
	}
	apptest.Must(t, w.Do(ctx, orla, company.PutAsk{ID: pay, Subject: "Pay", Named: "Piet Donoghue"}))
	if got := asks("Piet Donoghue"); got != "Pay: Piet Donoghue ; Safety: Mira Castellane ; " {
		t.Errorf("changed: %q", got)
	}
	apptest.Must(t, w.Do(ctx, orla, company.DropAsk{ID: pay}))
	if got := asks("Dao Pham"); got != "Safety: Mira Castellane ; " {
		t.Errorf("taken out: %q", got)
	}
}
