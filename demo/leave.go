package demo

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/leave"
	"manudex/core/when"
	"manudex/store"
)

// policies are how leave is earned in the demo world.
var policies = map[string]struct{ name, policy, opening string }{
	"Annual leave": {"10 hours a month",
		`{"earn": {"every": "month", "day": 31, "amount": "10"}, "cap": "200", "reset": {"on": "01-01", "carry_over": "80"}}`, "24"},
	"Sick leave": {"An hour for every 30 worked", `{"earn": {"every": "hours_worked", "amount": "1", "per": "30"}, "use_limit": "40",
		"cap": "80"}`, "8"},
}

// loadLeave makes the kinds of leave, how they are earned, and who has how much since the year
// began, or since they came.
func (w *World) loadLeave(ctx context.Context, db *store.DB, log *slog.Logger) error {
	r := w.rng("leave")
	today := w.Place.Today(w.Now)
	of, err := store.HereOn(ctx, db, nil, today, uuid.Nil)
	if err != nil {
		return err
	}
	since := map[uuid.UUID]when.Date{}
	for _, e := range w.people {
		since[e.who.ID] = max(when.NewDate(today.Year(), 1, 1), e.hired) - 1
	}
	var owner uuid.UUID
	if err := db.GetContext(ctx, &owner, `select id from person where level = 'owner' order by number limit 1`); err != nil {
		return fmt.Errorf("read who gives leave: %w", err)
	}
	for _, k := range []store.LeaveKind{{Name: "Annual leave", PayCode: "PTO"}, {Name: "Sick leave", PayCode: "SICK"}} {
		k.ID, k.Paid, k.Low, k.Few, k.RateWeeks = r.id(w.start()), true, "refuse", "warn", 12
		if err := store.PutLeaveKind(ctx, db, k); err != nil {
			return fmt.Errorf("load kinds of leave: %w", err)
		}
		has := policies[k.Name]
		p := store.LeavePolicy{ID: r.id(w.start()), Kind: k.ID, Name: has.name, Policy: []byte(has.policy)}
		if _, err := store.InsertLeavePolicy(ctx, db, p, owner, w.start()); err != nil {
			return fmt.Errorf("load policies of leave: %w", err)
		}
		given := make([]store.GivenPolicy, len(of))
		for i, e := range of {
			given[i] = store.GivenPolicy{Employment: e, From: since[e], Opening: has.opening}
			if since[e] == 0 || since[e] > today {
				given[i].From = today - 1
			}
		}
		if err := store.GiveLeavePolicy(ctx, db, r.id(w.start()), p, given, owner, w.start()); err != nil {
			return fmt.Errorf("load accounts of leave: %w", err)
		}
	}
	// What was taken in summer stands in the books of before.
	if _, err := db.ExecContext(ctx, `insert into leave_adjustment (id, employment_id, kind_id, date, amount, why, made_by, made_at)
		select md5('summer' || a.employment_id)::uuid, a.employment_id, a.kind_id, a.from_on + 200, -24, 'Taken in July,
			by the books of before',
		       $1, $2 from leave_account a join leave_kind k on k.id = a.kind_id
		where k.name = 'Annual leave' and a.from_on + 230 < $3 and hashtext(a.employment_id::text) % 3 <> 0`, owner, w.start(),
		today.String()); err != nil {
		return fmt.Errorf("load what was taken in summer: %w", err)
	}
	// The plate shop must not run empty, and nobody is away at stocktaking.
	if _, err := db.ExecContext(ctx, `update unit set least = 8 where name = 'Plate shop'`); err != nil {
		return fmt.Errorf("load how many have to be left: %w", err)
	}
	stock := store.LeaveWindow{ID: r.id(w.start()), Name: "Stocktaking", From: when.NewDate(today.Year(), 12, 29),
		To: when.NewDate(today.Year(), 12, 31), Closed: true}
	if _, err := store.InsertLeaveWindow(ctx, db, stock, owner, w.start()); err != nil {
		return fmt.Errorf("load days without leave: %w", err)
	}
	if err := w.loadAsked(ctx, db, r, today); err != nil {
		return err
	}
	return leave.BookAll(ctx, app.New(db, func() time.Time { return w.Now }, log))
}

// asked are who asks for leave that nobody has decided: a crew, how many days from when on, in days
// from today, and a note.
var asked = []struct {
	unit       string
	nth        int
	from, days when.Date
	note       string
}{{"Plate shop", 2, 17, 3, "moving house"}, {"Plate shop", 5, 18, 2, ""}, {"Paint line", 1, 24, 5, "a visit home"}}

// loadAsked makes leave that waits to be decided.
func (w *World) loadAsked(ctx context.Context, db *store.DB, r rng, today when.Date) error {
	kinds, err := store.LeaveKinds(ctx, db)
	if err != nil {
		return err
	}
	for _, a := range asked {
		var who struct {
			Employment uuid.UUID `db:"id"`
			Person     uuid.UUID `db:"person_id"`
		}
		err := db.GetContext(ctx, &who, `select e.id, e.person_id from employment e join unit u on u.id = e.unit_id
			where u.name = $1 and not exists (select 1 from leave_day where employment_id = e.id and date between $3 and $4)
			order by e.id offset $2 limit 1`, a.unit, a.nth, (today + a.from - 5).String(), (today + a.from + 20).String())
		if store.NotFound(err) {
			continue // a world with fewer people
		}
		if err != nil {
			return fmt.Errorf("load who asks for leave: %w", err)
		}
		req := store.LeaveRequest{ID: r.id(w.start()), Employment: who.Employment, Kind: kinds[0].ID, Note: a.note, AskedBy: who.Person,
			AskedAt: w.Now.Add(-26 * time.Hour)}
		var days []store.LeaveDay
		for d := today + a.from; len(days) < int(a.days); d++ {
			if day := d.Weekday(); day != time.Saturday && day != time.Sunday {
				days = append(days, store.LeaveDay{Request: req.ID, Date: d, Seconds: 8 * 3600, Amount: "8"})
			}
		}
		if _, err := store.InsertLeaveRequest(ctx, db, req, days); err != nil {
			return fmt.Errorf("load leave that is asked for: %w", err)
		}
	}
	return nil
}
