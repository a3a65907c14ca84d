package jobs

import (
	"context"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// CustomerPage is a customer with their jobs, and who outside may read the
// hours on them.
type CustomerPage struct {
	ID       uuid.UUID
	Name     string
	Jobs     []store.Job
	Links    []store.CustomerLink
	Today    when.Date
	Loc      *time.Location
	MayShare bool
	MayName  bool
}

// ReadCustomerPage reads a customer.
func ReadCustomerPage(ctx context.Context, a *app.App, actor app.Actor, id uuid.UUID) (*CustomerPage, error) {
	if !actor.May("jobs.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &CustomerPage{ID: id, Today: place.Today(a.Now()), Loc: place.Loc, MayShare: actor.May("customers.share"),
		MayName: actor.May("jobs.change")}
	if p.Name, err = store.GetCustomer(ctx, a.DB, id); store.NotFound(err) {
		return nil, app.ErrNotFound
	} else if err != nil {
		return nil, err
	}
	f := store.JobFilter{Customer: p.Name, State: "any", Sort: "number"}
	if p.Jobs, _, err = store.Jobs(ctx, a.DB, f, 0, -1); err != nil || !p.MayShare {
		return p, err
	}
	p.Links, err = store.CustomerLinks(ctx, a.DB, id)
	return p, err
}

// RenameCustomer changes what a customer is called.
type RenameCustomer struct {
	ID    uuid.UUID
	Title string
}

// Permission is the act's name in the permission table.
func (RenameCustomer) Permission() string { return "jobs.change" }

func (c RenameCustomer) Do(ctx context.Context, t *app.Turn) error {
	name := strings.TrimSpace(c.Title)
	if name == "" || len([]rune(name)) > 120 {
		return refusal.New("title", "The customer needs a name", "Write one of at most 120 characters")
	}
	old, err := store.GetCustomer(ctx, t, c.ID)
	if err != nil || old == name {
		return err
	}
	if err := store.RenameCustomer(ctx, t, c.ID, name); err != nil {
		if store.Violates(err, "customer_name_key") {
			return refusal.New("title", "There is a customer “"+name+"” already", "Choose another name, or give their jobs that customer")
		}
		return err
	}
	t.Record(store.Event{Act: t.Act}, c.ID, map[string]any{"field": "Customer", "from": old, "to": name})
	return nil
}

// ShareHours gives somebody outside a link to a page of the hours on a
// customer's jobs, without rates. It holds until it is taken back, or up to
// its last day.
type ShareHours struct {
	ID, Customer uuid.UUID
	To           string // who has it
	LastDay      string // empty: until it is taken back
	WithNames    bool
	Token        string // of NewSignInToken
}

// TakeShare takes such a link back.
type TakeShare struct{ Customer, ID uuid.UUID }

// Permission is the act's name in the permission table.
func (ShareHours) Permission() string { return "customers.share" }

// Permission is the act's name in the permission table.
func (TakeShare) Permission() string { return "customers.share" }

func (s ShareHours) Do(ctx context.Context, t *app.Turn) error {
	l := store.CustomerLink{ID: s.ID, Customer: s.Customer, GivenTo: strings.TrimSpace(s.To), WithNames: s.WithNames, MadeAt: t.Now}
	if l.GivenTo == "" || len([]rune(l.GivenTo)) > 120 {
		return refusal.New("to", "It is not said who gets it", "Write a name or an address of at most 120 characters")
	}
	if text := strings.TrimSpace(s.LastDay); text != "" {
		last, err := when.ParseDate(text)
		if err != nil || last < t.Company.Today(t.Now) {
			return refusal.New("last_day", "The last day can't be “"+field.Shorten(text)+"”",
				"Choose today or a later day, or leave it out")
		}
		l.LastDay = &last
	}
	if len(s.Token) < 16 {
		return app.ErrNotFound
	}
	name, err := store.GetCustomer(ctx, t, s.Customer)
	if err != nil {
		return err
	}
	if err := store.InsertCustomerLink(ctx, t, l, app.TokenHash(s.Token), t.Actor.ID); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, s.Customer, map[string]any{"field": "Hours on the jobs of " + name, "to": "shown to " + l.GivenTo})
	return nil
}

func (s TakeShare) Do(ctx context.Context, t *app.Turn) error {
	given, err := store.TakeCustomerLink(ctx, t, s.ID, s.Customer, t.Now)
	if err != nil {
		return err
	}
	name, err := store.GetCustomer(ctx, t, s.Customer)
	if err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, s.Customer,
		map[string]any{"field": "Hours on the jobs of " + name, "to": "no longer shown to " + given})
	return nil
}

// SharedHours is what somebody outside reads: the hours on their own jobs.
type SharedHours struct {
	Company, AskWhom string
	Customer         string
	Span             when.Period
	Today            when.Date
	WithNames        bool
	Jobs             []SharedJob
	Checked, Open    int64 // seconds approved, and not yet
}

// SharedJob is a job on that page.
type SharedJob struct {
	Number, Name  string
	Checked, Open int64
	Rows          []store.CustomerHours
}

// ReadSharedHours reads the hours that a link shows, in the calendar month of a
// date; zero for the present one. Who has the link may; ErrNotFound says that
// there is none, or that it was taken back.
func ReadSharedHours(ctx context.Context, a *app.App, token string, month when.Date) (*SharedHours, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	now := a.Now()
	today := place.Today(now)
	link, err := store.CustomerLinkOf(ctx, a.DB, app.TokenHash(token), today, now)
	if store.NotFound(err) {
		return nil, app.ErrNotFound
	}
	if err != nil {
		return nil, err
	}
	if month == 0 {
		month = today
	}
	p := &SharedHours{Company: place.Name, AskWhom: place.WhomToAsk, WithNames: link.WithNames, Today: today}
	if p.Span, err = (when.PayPeriods{Kind: when.Monthly}).Of(month); err != nil {
		return nil, err
	}
	if p.Customer, err = store.GetCustomer(ctx, a.DB, link.Customer); err != nil {
		return nil, err
	}
	rows, err := store.HoursForCustomer(ctx, a.DB, link.Customer, p.Span, link.WithNames)
	for _, r := range rows {
		n := len(p.Jobs)
		if n == 0 || p.Jobs[n-1].Number != r.Number {
			p.Jobs = append(p.Jobs, SharedJob{Number: r.Number, Name: r.Name})
			n++
		}
		j := &p.Jobs[n-1]
		j.Rows = append(j.Rows, r)
		if r.Checked {
			j.Checked += r.Seconds
			p.Checked += r.Seconds
		} else {
			j.Open += r.Seconds
			p.Open += r.Seconds
		}
	}
	return p, err
}
