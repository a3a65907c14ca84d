package hours_test

import (
	"context"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/dbtest"
)

// A flag that is off at a site is off for the cards of those who work there, at
// once, and a card that has no other is clear.
func TestFlagsOffAtASite(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	late := apptest.Ref(t, w, "Carys Reyes", apptest.Thursday)
	if !has(flagsOf(t, w, late), card.Late) {
		t.Fatal("Carys Reyes wasn't late")
	}
	site := dbtest.Get[uuid.UUID](t, w, `select site_id from employment where id = $1`, late.Employment)
	apptest.Must(t, w.Do(ctx, mira, company.PutFlagsOff{Site: site, Off: []string{"late"}}))
	if has(flagsOf(t, w, late), card.Late) {
		t.Error("it is still flagged")
	}
	d, err := hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	for _, r := range d.Rows {
		if r.Employment == late.Employment && r.Class != card.Clear {
			t.Errorf("the card is %s: %v", r.Class, r.Flags)
		}
	}
	apptest.Must(t, w.Do(ctx, mira, company.PutFlagsOff{Site: site}))
	if !has(flagsOf(t, w, late), card.Late) {
		t.Error("it isn't flagged again")
	}
	apptest.AllConsistent(t, w)
}

// Hours on public work without a classification are flagged and keep the card
// from being approved; hours on a closed job, or one not open to the person, are
// flagged.
func TestFlagsOfJobs(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	ref, stints, _ := tomasz(t, w)
	w.Pass(time.Minute)
	other := apptest.Work(t, w, "2226", "Priming")
	put := func(on clock.Assignment) {
		t.Helper()
		w.Pass(time.Minute)
		apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "x", Changes: []hours.Change{
			{Employment: ref.Employment, Does: clock.Reassign, Of: stints[0].ID, Kind: clock.Work, On: on}}}))
	}
	set := func(what string) {
		t.Helper()
		_, err := w.DB.Exec(`update job set `+what+` where id = $1`, other.Job)
		apptest.Must(t, err)
	}
	set(`state = 'closed'`)
	put(other)
	if codes := flagsOf(t, w, ref); !has(codes, card.ClosedJob) {
		t.Errorf("on a closed job: %v", codes)
	}
	put(stints[0].On)
	set(`state = 'open', open_to_all = false`)
	put(other)
	if codes := flagsOf(t, w, ref); !has(codes, card.NotTheirs) {
		t.Errorf("on a job not open to them: %v", codes)
	}
	set(`open_to_all = true, public_work = true`)
	if codes := flagsOf(t, w, ref); !has(codes, card.NoClass) {
		t.Errorf("public work without a classification: %v", codes)
	}
	if r := apptest.Refusal(t, w.Do(ctx, w.Person(t, "Piet Donoghue"), hours.Approve{Card: ref, Why: "x"})); r.Wrong !=
		"Hours on public work have no classification" {
		t.Errorf("approved: %v", r)
	}
	apptest.Consistent(t, w)
}
