package jobs_test

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/jobs"
	"manudex/core/when"
	"manudex/dbtest"
)

// A customer's link shows every second on their jobs and on no others, with
// names only where that was said, until it is taken back or over.
func TestSharedHours(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	hollin := dbtest.Get[uuid.UUID](t, w, `select id from customer where name = 'County of Hollin'`)
	plain, named, short := app.NewSignInToken(), app.NewSignInToken(), app.NewSignInToken()
	first := apptest.NewID()
	apptest.Must(t, w.Do(ctx, mira, jobs.ShareHours{ID: first, Customer: hollin, To: "Clerk of works", Token: plain}))
	apptest.Must(t, w.Do(ctx, mira, jobs.ShareHours{ID: apptest.NewID(), Customer: hollin, To: "Auditor", WithNames: true, Token: named}))
	apptest.Must(t, w.Do(ctx, mira,
		jobs.ShareHours{ID: apptest.NewID(), Customer: hollin, To: "Visitor", LastDay: "2026-11-13", Token: short}))

	p, err := jobs.ReadSharedHours(ctx, w.App, plain, 0)
	apptest.Must(t, err)
	var shown, checked int64
	for _, j := range p.Jobs {
		for _, r := range j.Rows {
			shown += r.Seconds
			if r.Checked {
				checked += r.Seconds
			}
			if r.Names != "" || r.People == 0 {
				t.Errorf("%s on %s: names %q, %d people", r.Number, r.Date, r.Names, r.People)
			}
		}
	}
	const theirs = `from stint s join job j on j.id = s.job_id join card c on c.date = s.date and c.employment_id = s.employment_id
		where j.customer_id = $1 and s.kind = 'work' and s.end_at is not null and s.date between '2026-11-01' and '2026-11-30'`
	if want := dbtest.Get[int64](t, w, `select sum(extract(epoch from s.end_at - s.start_at))::bigint `+theirs, hollin); shown != want ||
		want == 0 || p.Checked+p.Open != want {
		t.Errorf("%d s are shown (%d + %d), %d s are on their jobs", shown, p.Checked, p.Open, want)
	}
	if want := dbtest.Get[int64](t, w,
		`select sum(extract(epoch from s.end_at - s.start_at))::bigint `+theirs+` and c.state in ('approved', 'paid')`,
		hollin); checked != want || checked != p.Checked {
		t.Errorf("%d s are shown as checked, %d s are approved", checked, want)
	}
	if p, err = jobs.ReadSharedHours(ctx, w.App, named, when.NewDate(2026, 10, 5)); err != nil || len(p.Jobs) == 0 ||
		p.Jobs[0].Rows[0].Names == "" || p.Span.From != when.NewDate(2026, 10, 1) {
		t.Errorf("with names, in October: %+v, %v", p, err)
	}
	if _, err := jobs.ReadSharedHours(ctx, w.App, short, 0); err != nil {
		t.Errorf("on its last day: %v", err)
	}
	w.Pass(24 * time.Hour)
	if _, err := jobs.ReadSharedHours(ctx, w.App, short, 0); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("after its last day: %v", err)
	}
	apptest.Must(t, w.Do(ctx, mira, jobs.TakeShare{Customer: hollin, ID: first}))
	if _, err := jobs.ReadSharedHours(ctx, w.App, plain, 0); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("taken back: %v", err)
	}
	if _, err := jobs.ReadSharedHours(ctx, w.App, "", 0); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("no token: %v", err)
	}
	if err := w.Do(ctx, mira, jobs.TakeShare{Customer: apptest.NewID(), ID: first}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("of another customer: %v", err)
	}
	wren := w.Person(t, "Wren Halloran")
	if err := w.Do(ctx,
		wren, jobs.ShareHours{ID: apptest.NewID(), Customer: hollin, To: "X", Token: app.NewSignInToken()}); !errors.Is(err,
		app.ErrForbidden) {
		t.Errorf("a lead gives a link: %v", err)
	}
	if p, err := jobs.ReadCustomerPage(ctx, w.App, wren, hollin); err != nil || len(p.Jobs) == 0 || p.MayShare || p.Links != nil {
		t.Errorf("a lead's page of the customer: %+v, %v", p, err)
	}
	for _, bad := range []jobs.ShareHours{{To: " "}, {To: "X", LastDay: "2026-01-01"}, {To: "X", LastDay: "soon"}} {
		bad.ID, bad.Customer, bad.Token = apptest.NewID(), hollin, app.NewSignInToken()
		apptest.Refusal(t, w.Do(ctx, mira, bad))
	}
}

// A customer is renamed on all their jobs, and not to the name of another.
func TestRenameCustomer(t *testing.T) {
	w := dbtest.Open(t)
	ctx := context.Background()
	mira := w.Person(t, "Mira Castellane")
	hollin := dbtest.Get[uuid.UUID](t, w, `select id from customer where name = 'County of Hollin'`)
	apptest.Must(t, w.Do(ctx, mira, jobs.RenameCustomer{ID: hollin, Title: " Hollin County "}))
	if p, err := jobs.ReadJobPage(ctx, w.App, mira, apptest.JobOf(t, w, "2231")); err != nil || p.Customer != "Hollin County" {
		t.Errorf("the job is for %q, %v", p.Customer, err)
	}
	for _, bad := range []string{"", "Fennick Roads"} {
		apptest.Refusal(t, w.Do(ctx, mira, jobs.RenameCustomer{ID: hollin, Title: bad}))
	}
	if err := w.Do(ctx, mira, jobs.RenameCustomer{ID: apptest.NewID(), Title: "X"}); !errors.Is(err, app.ErrNotFound) {
		t.Errorf("one that isn't there: %v", err)
	}
}
