package leave

import (
	"context"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/core/leave"
	"manudex/store"
)

// BookDueLeave books what is due to the accounts of some people, by time alone.
type BookDueLeave struct{ Employments []uuid.UUID }

// Permission is what the act takes; by time alone it is done, and no request reaches it.
func (BookDueLeave) Permission() string { return "leave.manage" }

func (b BookDueLeave) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.ID != uuid.Nil {
		return app.ErrForbidden
	}
	lock, err := store.LockPeople(ctx, t, b.Employments)
	if err != nil {
		return err
	}
	return bookDue(ctx, t, lock, b.Employments)
}

// bookDue books what is due up to today to the accounts of some employments, whose people are
// locked: two that book at once would both book the same.
func bookDue(ctx context.Context, t *app.Turn, _ store.Locked, employments []uuid.UUID) error {
	today := t.Company.Today(t.Now)
	all, err := accounts(ctx, t, employments, today)
	if err != nil || len(all) == 0 {
		return err
	}
	var ids []uuid.UUID
	for _, of := range all {
		for _, a := range of {
			ids = append(ids, a.ID)
		}
	}
	booked, err := entries(ctx, t, ids)
	if err != nil {
		return err
	}
	var lines []store.LeaveLine
	for _, e := range employments {
		for _, a := range all[e] {
			for _, d := range leave.Due(a.Ledger, booked[a.ID], today) {
				lines = append(lines, store.LeaveLine{Account: a.ID, Employment: e, Date: d.Date, What: string(d.Kind),
					Amount: d.Amount.Exact()})
			}
		}
	}
	return store.InsertLeaveLines(ctx, t, lines, t.Now)
}

// entries reads what is booked to some accounts.
func entries(ctx context.Context, q store.Q, accounts []uuid.UUID) (map[uuid.UUID][]leave.Entry, error) {
	lines, err := store.LeaveBooked(ctx, q, accounts)
	if err != nil {
		return nil, err
	}
	found := map[uuid.UUID][]leave.Entry{}
	for _, l := range lines {
		amount, err := leave.ParseAmount(trimmed(l.Amount))
		if err != nil {
			return nil, fmt.Errorf("a line of the ledger of leave, %s: %w", l.Amount, err)
		}
		found[l.Account] = append(found[l.Account], leave.Entry{Date: l.Date, Kind: leave.Kind(l.What), Amount: amount})
	}
	return found, nil
}

type bookJob struct{}

// Kind names the work in the queue.
func (bookJob) Kind() string { return "book_leave" }

type booker struct {
	river.WorkerDefaults[bookJob]
	app *app.App
}

// Work books.
func (b *booker) Work(ctx context.Context, _ *river.Job[bookJob]) error { return BookAll(ctx, b.app) }

// bookedAtOnce is for how many people is booked in one transaction: those who wait for one of
// them wait shortly.
const bookedAtOnce = 250

// BookAll books what is due to everybody. Where it ends halfway, the next goes on: what is
// booked isn't due.
func BookAll(ctx context.Context, a *app.App) error {
	var after uuid.UUID
	for {
		of, err := store.WithLeaveAccounts(ctx, a.DB, after, bookedAtOnce)
		if err != nil || len(of) == 0 {
			return err
		}
		if err := a.ByTime(ctx, BookDueLeave{Employments: of}); err != nil {
			return err
		}
		after = of[len(of)-1]
	}
}

// AddWorkers registers what works the jobs of this package.
func AddWorkers(workers *river.Workers, a *app.App) { river.AddWorker(workers, &booker{app: a}) }

// bookedOn is when that is done each night, on the clock.
const bookedOn = 20 * time.Minute

// Nightly puts that into the queue each night, by the company's clock.
func Nightly(a *app.App) *river.PeriodicJob {
	return river.NewPeriodicJob(app.EachNight(a, bookedOn), func() (river.JobArgs, *river.InsertOpts) {
		return bookJob{}, &river.InsertOpts{UniqueOpts: river.UniqueOpts{ByPeriod: 12 * time.Hour}}
	}, nil)
}
