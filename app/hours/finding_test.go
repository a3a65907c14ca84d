package hours_test

import (
	"context"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/dbtest"
	"manudex/store"
)

// What is typed picks cards as one says it; each is held against the database.
func TestFinding(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	const from = ` from card c join employment e on e.id = c.employment_id join person p on p.id = e.person_id
		join unit u on u.id = e.unit_id where c.date = '2026-11-12' and `
	stints := func(cond string) string {
		return `exists (select 1 from stint s where s.employment_id = c.employment_id and s.date = c.date and ` + cond + `)`
	}
	ny := func(clock string) string {
		return `(timestamp '2026-11-12 ` + clock + `' at time zone 'America/New_York')`
	}
	for text, where := range map[string]string{
		"in after 07:15":          `first_at > ` + ny("07:15"),
		"in before 6:00":          `first_at < ` + ny("06:00"),
		"out before 14:45":        `last_at < ` + ny("14:45") + ` and open_since is null`,
		"meal begun after 11:40":  stints(`s.kind = 'meal' and s.start_at > ` + ny("11:40")),
		"no meal":                 `not ` + stints(`s.kind = 'meal'`),
		"worked over 8:05":        `worked > 8*3600+300`,
		"worked less than 7:00":   `worked < 7*3600`,
		"break over 0:31":         `break > 31*60`,
		"between 21:00 and 23:00": stints(`s.kind = 'work' and s.start_at < ` + ny("23:00") + ` and s.end_at > ` + ny("21:00")),
		"Gantry crew B":           `u.name = 'Gantry crew B'`,
		"wren halloran":           `u.name = 'Gantry crew B'`, // the lead of it
		"2226":                    stints(`s.job_id = (select id from job where number = '2226')`),
		"by hand":                 `flags::text like '%by_hand%'`,
		"no meal by":              `flags::text like '%meal_due%'`,
		"no meal, between 06:00 and 07:00": `not ` + stints(`s.kind = 'meal'`) + ` and ` +
			stints(`s.start_at < `+ny("07:00")+` and s.end_at > `+ny("06:00")),
		"plate shop, in before 06:00,":               `u.name = 'Plate shop' and first_at < ` + ny("06:00"),
		"nobody is called like that, in after 01:00": `false`,
	} {
		d, err := hours.ReadDesk(ctx, w.App, mira, hours.DeskQuery{Days: apptest.OneDay(apptest.Thursday).Days, Text: text})
		apptest.Must(t, err)
		want := dbtest.Get[int](t, w, `select count(*)`+from+where)
		if d.Counts.Cards != want || d.ToApprove != d.Counts.Clear {
			t.Errorf("%q: %d cards, want %d (offers %d)", text, d.Counts.Cards, want, d.ToApprove)
		}
	}
	d, err := hours.ReadDesk(ctx, w.App, mira, hours.DeskQuery{Days: apptest.OneDay(apptest.Thursday).Days, Text: "in after 27:15"})
	apptest.Must(t, err)
	if d.Wrong == nil || !strings.Contains(d.Wrong.Wrong, "27:15") {
		t.Errorf("a time that there isn't: %v", d.Wrong)
	}
}

// What changed since one last looked, and what one looks for often, is one's own;
// what is shared is everybody's, and stays whose it is.
func TestWhatOneLooksFor(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira, piet := context.Background(), w.Person(t, "Mira Castellane"), w.Person(t, "Piet Donoghue")
	days := apptest.OneDay(apptest.Thursday).Days
	changed := func() int {
		t.Helper()
		d, err := hours.ReadDesk(ctx, w.App, mira, hours.DeskQuery{Days: days, Changed: true})
		apptest.Must(t, err)
		return d.Counts.Cards
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Looked{}))
	w.Pass(60e9)
	if n := changed(); n != 0 {
		t.Errorf("%d changed, nothing did", n)
	}
	ref, stints, _ := tomasz(t, w)
	apptest.Must(t, w.Do(ctx, piet, hours.Approve{Card: apptest.Ref(t, w, "Hugo Yilmaz", apptest.Thursday)}))
	apptest.Must(t, w.Do(ctx, piet, hours.Amend{Batch: apptest.NewID(), Why: "x", Changes: []hours.Change{
		{Employment: ref.Employment, Does: "move_start", Of: stints[0].ID, At: stints[0].Start.Add(60e9)}}}))
	if n := changed(); n != 2 {
		t.Errorf("%d changed, two did", n)
	}
	own, shared := apptest.NewID(), apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, hours.KeepFinding{ID: own, Title: "Late ones", Text: "q=in+after+07%3A15"}))
	apptest.Must(t, w.Do(ctx, mira, hours.KeepFinding{ID: shared, Title: "No meal", Text: "q=no+meal", Shared: true}))
	of := func(who uuid.UUID) string {
		found, err := store.Findings(ctx, w.DB, who)
		apptest.Must(t, err)
		var names []string
		for _, f := range found {
			names = append(names, f.Name)
		}
		return strings.Join(names, ", ")
	}
	if of(mira.ID) != "Late ones, No meal" || of(piet.ID) != "No meal" {
		t.Errorf("hers %q, his %q", of(mira.ID), of(piet.ID))
	}
	if err := w.Do(ctx, piet, hours.DropFinding{ID: shared}); err == nil || of(mira.ID) != "Late ones, No meal" {
		t.Errorf("another's was taken out: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.DropFinding{ID: own}))
	if r := apptest.Refusal(t, w.Do(ctx, mira, hours.KeepFinding{ID: apptest.NewID(), Title: " "})); r.Field != "name" {
		t.Errorf("without a name: %v", r)
	}
}

// What is approved with one key is what one looks at: of a crew, the crew's.
func TestApprovingWhatWasLookedFor(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	unit := dbtest.Get[uuid.UUID](t, w, `select e.unit_id from card c join employment e on e.id = c.employment_id
		where c.date = '2026-11-12' and c.state = 'signed' and c.flags = '[]' group by 1 order by count(*) desc limit 1`)
	all, err := hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	q := apptest.OneDay(apptest.Thursday)
	q.Among.Units = []uuid.UUID{unit}
	crew, err := hours.ReadDesk(ctx, w.App, mira, q)
	apptest.Must(t, err)
	if crew.ToApprove == 0 || crew.ToApprove >= all.ToApprove || crew.ToApprove != crew.Counts.Clear {
		t.Fatalf("%d of the crew's %d cards, of %d of all", crew.ToApprove, len(crew.Refs()), all.ToApprove)
	}
	act := hours.ApproveClear{ID: apptest.NewID(), Days: q.Days, Seen: crew.ApproveDigest}
	if r := apptest.Refusal(t, w.Do(ctx, mira, act)); r.Wrong != "The list changed while you were looking" {
		t.Errorf("all, having seen the crew's: %v", r)
	}
	act.Only = crew.Refs()
	apptest.Must(t, w.Do(ctx, mira, act))
	after, err := hours.ReadDesk(ctx, w.App, mira, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	if after.ToApprove != all.ToApprove-crew.ToApprove {
		t.Errorf("%d are left to approve, want %d", after.ToApprove, all.ToApprove-crew.ToApprove)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from card_act a join employment e on e.id = a.employment_id
		where a.batch_id = $1 and e.unit_id = $2`, act.ID, unit); n != crew.ToApprove {
		t.Errorf("%d of the crew were approved, want %d", n, crew.ToApprove)
	}
}
