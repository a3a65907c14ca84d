package payroll

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/pay"
	"manudex/files"
	"manudex/store"
)

// RunLines reads the lines of a closed run for a file.
func RunLines(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID) ([]files.RunLine, store.Run, error) {
	if actor.Scope("payrun.download") != app.All {
		return nil, store.Run{}, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, store.Run{}, err
	}
	r, err := store.GetRun(ctx, a.DB, run)
	if store.NotFound(err) {
		return nil, r, app.ErrNotFound
	}
	if err != nil {
		return nil, r, err
	}
	rows, err := store.ExportLines(ctx, a.DB, run)
	lines := make([]files.RunLine, len(rows))
	for i, l := range rows {
		lines[i] = files.RunLine{Run: r.Number, From: r.From, To: r.To, Number: l.Number, Family: l.Family, Given: l.Given, Date: l.Date,
			Job: l.Job, JobName: l.JobName, Task: l.Task, CostCode: l.CostCode, WorkClass: l.WorkClass, PayCode: l.PayCode,
			Kind: l.Kind, Class: l.Class,
			Seconds: l.Seconds, Rate: TrimRate(l.Rate), Amount: l.Amount.StringFixed(int32(place.CurrencyDecimals)), Account: l.Account}
	}
	return lines, r, err
}

// TrimRate writes a stored rate with no more decimals than it needs.
func TrimRate(stored string) string {
	if r, err := pay.ParseRate(stored); err == nil {
		return r.String()
	}
	return stored
}
