package hours_test

import (
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// Who forgot to clock out is put right by somebody else, who then doesn't
// approve the card; a small change by hand keeps nobody from approving.
func TestEndingWhatSomebodyForgot(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, piet, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Piet Donoghue"), w.Person(t, "Dao Pham")
	e := *dao.Employment
	began := dbtest.Get[time.Time](t, w, `select start_at from stint where employment_id = $1 and end_at is null`, e)
	w.Set(time.Date(2026, 11, 14, 15, 0, 0, 0, time.UTC)) // the day after
	left := time.Date(2026, 11, 13, 21, 0, 0, 0, time.UTC)
	end := func(who app.Actor, at time.Time, why string) error {
		return w.Do(ctx, who, hours.EndStint{ID: apptest.NewID(), Employment: e, At: at, Why: why})
	}
	for name, err := range map[string]error{"before they began": end(mira, began, "x"),
		"still to come": end(mira, w.At().Add(time.Minute), "x"), "without a reason": end(mira, left, " ")} {
		if r := apptest.Refusal(t, err); r.Field != "at" && r.Field != "why" {
			t.Errorf("%s: %v", name, r)
		}
	}
	if err := end(dao, left, "x"); !errors.Is(err, app.ErrForbidden) {
		t.Errorf("by themselves: %v", err)
	}
	apptest.Must(t, end(mira, left, "The gate closed at four"))
	apptest.Consistent(t, w)
	if got := dbtest.Get[time.Time](t, w, `select max(end_at) from stint where employment_id = $1 and date = '2026-11-13'`,
		e); !got.Equal(left) {
		t.Errorf("the stint ends at %s", got)
	}
	if r := apptest.Refusal(t, end(mira, left, "again")); !strings.Contains(r.Wrong, "not on the clock") {
		t.Errorf("ended twice: %v", r)
	}
	ref := hours.CardRef{Employment: e, Date: when.NewDate(2026, 11, 13)}
	if page, err := hours.ReadCardPage(ctx, w.App, mira, ref); err != nil || len(page.Amended) == 0 ||
		page.Amended[len(page.Amended)-1].Why != "The gate closed at four" {
		t.Errorf("the reason isn't on the card: %v", err)
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Dao Pham"), hours.Sign{Card: ref}))
	if r := apptest.Refusal(t, w.Do(ctx, mira, hours.Approve{Card: ref})); !strings.Contains(r.Wrong, "You changed the card") {
		t.Errorf("approved by who changed it: %v", r)
	}
	apptest.Must(t, w.Do(ctx, piet, hours.Approve{Card: ref}))
}

// A change by hand of a few minutes keeps nobody from approving.
func TestASmallChangeByHand(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira, dao := w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, mira,
		hours.EndStint{ID: apptest.NewID(), Employment: *dao.Employment, At: w.At().Add(-10 * time.Minute), Why: "He told me"}))
	ref := hours.CardRef{Employment: *dao.Employment, Date: when.NewDate(2026, 11, 13)}
	apptest.Must(t, w.Do(ctx, dao, hours.Sign{Card: ref}))
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: ref}))
}

// Nobody ends their own day by hand, whatever their level.
func TestNobodyEndsTheirOwnDay(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	orla, dao := w.Person(t, "Orla Ebbwater"), w.Person(t, "Dao Pham")
	apptest.Must(t, w.Do(ctx, orla, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "level", Value: "manager"}))
	dao = w.Person(t, "Dao Pham")
	if r := apptest.Refusal(t,
		w.Do(ctx, dao, hours.EndStint{ID: apptest.NewID(), Employment: *dao.Employment, At: w.At().Add(-time.Minute),
			Why: "x"})); !strings.Contains(r.Wrong, "your own hours") {
		t.Errorf("refused: %v", r)
	}
}

// Days to come are no cards that wait: they count apart, and the total of a
// job's cards is what was worked on the job.
func TestTheDeskCountsWhatIsOver(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	span := when.Period{From: when.NewDate(2026, 11, 8), To: when.NewDate(2026, 11, 21)}
	d, err := hours.ReadDesk(ctx, w.App, mira, hours.DeskQuery{Days: span})
	apptest.Must(t, err)
	if n := dbtest.Get[int](t, w, `select count(*) from card where date > '2026-11-13' and date <= '2026-11-21'`); d.Counts.ToCome != n ||
		n == 0 {
		t.Errorf("%d cards to come, want %d", d.Counts.ToCome, n)
	}
	if c := d.Counts; c.Cards != c.Clear+c.Flagged+c.NotSigned+c.Running+c.Done || c.Cards != dbtest.Get[int](t, w, `select count(*)
		from card where date between '2026-11-08' and '2026-11-13'`) {
		t.Errorf("the counts: %+v", c)
	}
	job := dbtest.Get[uuid.UUID](t, w, `select job_id from stint where date between '2026-11-08' and '2026-11-13' and kind = 'work'
		group by job_id order by count(distinct employment_id) desc limit 1`)
	d, err = hours.ReadDesk(ctx, w.App, mira, hours.DeskQuery{Days: span, Job: job})
	apptest.Must(t, err)
	worked := dbtest.Get[int64](t, w, `select sum(extract(epoch from coalesce(end_at, $2::timestamptz) - start_at))::bigint from stint
		where job_id = $1 and kind = 'work' and date between '2026-11-08' and '2026-11-21'`, job, w.At())
	if d.Counts.Worked != worked || worked == 0 {
		t.Errorf("worked %d s on the job, want %d", d.Counts.Worked, worked)
	}
	lead := w.Person(t, "Wren Halloran")
	d, err = hours.ReadDesk(ctx, w.App, lead, hours.DeskQuery{Days: span, Job: job})
	apptest.Must(t, err)
	if own := dbtest.Get[int64](t, w, `select coalesce(sum(extract(epoch from coalesce(s.end_at, $2::timestamptz) - s.start_at)),
		0)::bigint from stint s join employment e on e.id = s.employment_id where s.job_id = $1 and s.kind = 'work'
		and s.date between '2026-11-08' and '2026-11-21' and e.unit_id = $3`, job, w.At(), *lead.Unit); d.Counts.Worked != own {
		t.Errorf("a lead is shown %d s, of their crew are %d", d.Counts.Worked, own)
	}
	cards, err := store.Cards(ctx, w.DB, store.CardFilter{From: span.To, To: span.To})
	apptest.Must(t, err)
	if len(cards) > 0 && cards[0].State != card.Open {
		t.Errorf("a day to come is %s", cards[0].State)
	}
}

// A crew lead says when people of their crew left where the company lets leads:
// of nobody else, and never of themselves.
func TestALeadSaysTimes(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	wren := w.Person(t, "Wren Halloran")
	of := func(where string, args ...any) uuid.UUID {
		return dbtest.Get[uuid.UUID](t, w, `select e.id from employment e join stint s on s.employment_id = e.id and s.end_at is null
			and s.start_at < $2
			where `+where+` order by e.id limit 1`, append([]any{*wren.Unit, w.At().Add(-time.Hour)}, args...)...)
	}
	crew, elsewhere := of(`e.unit_id = $1 and e.person_id <> $3`, wren.ID), of(`e.unit_id <> $1`)
	say := func(employment uuid.UUID) error {
		return w.Do(ctx, wren,
			hours.EndStint{ID: apptest.NewID(), Employment: employment, At: w.At().Add(-10 * time.Minute), Why: "I saw them go"})
	}
	if r := apptest.Refusal(t, say(crew)); !strings.Contains(r.Wrong, "don't say times here") {
		t.Errorf("refused: %+v", r)
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Mira Castellane"), company.SetCompany{Field: "lead_times", Value: "yes"}))
	if err := say(elsewhere); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("of another crew: %v", err)
	}
	if r := apptest.Refusal(t, say(*wren.Employment)); !strings.Contains(r.Wrong, "your own hours") {
		t.Errorf("of themselves: %+v", r)
	}
	apptest.Must(t, say(crew))
	if state := dbtest.Get[string](t, w, `select state from card where employment_id = $1 and date = '2026-11-13'`, crew); state != "open" {
		t.Errorf("the card is %s", state)
	}
	apptest.Consistent(t, w)
}
