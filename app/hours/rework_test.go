package hours_test

import (
	"context"
	"slices"
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/dbtest"
)

// Whatever makes cards be worked out anew leaves them as their punches, plans
// and moves make them: each day by its own evidence.
func TestCardsWorkedOutAnew(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	var who []uuid.UUID // with punches off site, or by a clock that was off
	apptest.Must(t, w.DB.Select(&who, `select distinct e.person_id from punch p join employment e on e.id = p.employment_id
		where p.claimed_at > '2026-11-08' and (p.off_site > 0 or abs(extract(epoch from p.device_at - p.received_at)) > 60)`))
	if len(who) == 0 {
		t.Fatal("nobody has evidence to be mixed up")
	}
	for _, id := range who {
		apptest.Must(t, w.Do(ctx,
			mira, people.SetPerson{ID: apptest.NewID(), Person: id, Field: "pattern", Value: "0 7 7 7 7 7 0",
				From: when.NewDate(2026, 11, 8)}))
	}
	apptest.AllConsistent(t, w)

	apptest.Must(t, w.Do(ctx, mira, company.FillHolidays{Country: "us", Year: 2026}))
	apptest.AllConsistent(t, w)
	if n := dbtest.Get[int](t, w, `select count(*) from card where date = '2026-11-26' and expected > 0 and shift_from is null`); n != 0 {
		t.Errorf("something is expected on Thanksgiving of %d people who are not planned", n)
	}
}

// On one day the most urgent comes first; a card that waits for a signature
// says for whose.
func TestTheDeskByUrgency(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	d, err := hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(when.NewDate(2026, 11, 13)))
	apptest.Must(t, err)
	order := []card.Class{card.Flagged, card.NotSigned, card.Clear, card.Running, card.Done}
	var classes []int
	kinds := map[card.Class]bool{}
	for _, r := range d.Rows {
		classes = append(classes, slices.Index(order, r.Class))
		kinds[r.Class] = true
	}
	if !slices.IsSorted(classes) || len(kinds) < 3 {
		t.Errorf("the desk is in the order %v", classes)
	}
	var unsigned hours.CardRef
	apptest.Must(t, w.DB.QueryRow(`select employment_id, date from card where state = 'open' and worked > 0 and open_since is null
		and date < '2026-11-13' limit 1`).
		Scan(&unsigned.Employment, &unsigned.Date))
	p, err := hours.ReadCardPage(ctx, w.App, mira, unsigned)
	apptest.Must(t, err)
	if p.May.Approve || !p.May.Unsigned {
		t.Errorf("a card that nobody signed: %+v", p.May)
	}
}

// What is gone from the stored rows is found, be it the first there was.
func TestVerifyFindsWhatIsGone(t *testing.T) {
	w := dbtest.Open(t)
	e := *w.Person(t, "Dao Pham").Employment
	for _, gone := range []string{
		`delete from stint where id = (select id from stint where employment_id = $1 order by start_at limit 1)`,
		`delete from card where employment_id = $1
			and date = (select max(date) from stint where employment_id = $1 and end_at is not null)`,
		`delete from hours where employment_id = $1 and date = (select min(date) + 7 from hours where employment_id = $1)`,
	} {
		_, _, before, err := hours.Verify(t.Context(), w.App, hours.ToVerify{})
		apptest.Must(t, err)
		if n := dbtest.Get[int](t, w, `with gone as (`+gone+` returning 1) select count(*) from gone`, e); n == 0 {
			t.Fatalf("nothing to take out: %s", gone)
		}
		_, _, after, err := hours.Verify(t.Context(), w.App, hours.ToVerify{})
		apptest.Must(t, err)
		if len(after) <= len(before) || after[len(after)-1].Employment != e {
			t.Errorf("%s: %d differences, %d before", gone, len(after), len(before))
		}
	}
}
