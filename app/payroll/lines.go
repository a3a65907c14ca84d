package payroll

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/pay"
	"manudex/files"
	"manudex/store"
)

// RunLines reads the lines of a closed run for a file, and what further columns there are.
func RunLines(ctx context.Context, a *app.App, actor app.Actor, run uuid.UUID) ([]files.RunLine, []string, store.Run, error) {
	if actor.Scope("payrun.download") != app.All {
		return nil, nil, store.Run{}, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, nil, store.Run{}, err
	}
	r, err := store.GetRun(ctx, a.DB, run)
	if store.NotFound(err) {
		return nil, nil, r, app.ErrNotFound
	}
	if err != nil {
		return nil, nil, r, err
	}
	place = place.PaidIn(r.Currency)
	rows, err := store.ExportLines(ctx, a.DB, run)
	if err != nil {
		return nil, nil, r, err
	}
	said, err := store.SaidInRun(ctx, a.DB, run)
	if err != nil {
		return nil, nil, r, err
	}
	further, of := saidColumns(said)
	lines := make([]files.RunLine, len(rows))
	for i, l := range rows {
		lines[i] = files.RunLine{Run: r.Number, From: r.From, To: r.To, Number: l.Number, Family: l.Family, Given: l.Given, Date: l.Date,
			Job: l.Job, JobName: l.JobName, Task: l.Task, CostCode: l.CostCode, WorkClass: l.WorkClass, PayCode: l.PayCode,
			Kind: l.Kind, Class: l.Class,
			Seconds: l.Seconds, Rate: TrimRate(l.Rate), Amount: l.Amount.StringFixed(int32(place.CurrencyDecimals)),
			Currency: place.Currency, Account: l.Account,
			Site: l.Site, Crew: l.Crew, Way: l.Way, Said: of(l)}
	}
	return lines, further, r, nil
}

// saidColumns gives the fields that were answered, in order, and what was said of the day of a
// line and of the stretches on its job and task, several apart by semicolons.
func saidColumns(said []store.RunSaid) (fields []string, of func(store.ExportLine) []string) {
	by := map[store.EmploymentDate][]store.RunSaid{}
	for _, s := range said {
		if !slices.Contains(fields, s.Field) {
			fields = append(fields, s.Field)
		}
		by[s.EmploymentDate] = append(by[s.EmploymentDate], s)
	}
	return fields, func(l store.ExportLine) []string {
		values := make([]string, len(fields))
		for _, s := range by[store.EmploymentDate{Employment: l.Employment, Date: l.Date}] {
			i := slices.Index(fields, s.Field)
			if s.OfStint && (s.Job != l.Job || s.Task != l.Task) || slices.Contains(strings.Split(values[i], "; "), s.Value) {
				continue
			}
			if values[i] != "" {
				values[i] += "; "
			}
			values[i] += s.Value
		}
		return values
	}
}

// TrimRate writes a stored rate with no more decimals than it needs.
func TrimRate(stored string) string {
	if r, err := pay.ParseRate(stored); err == nil {
		return r.String()
	}
	return stored
}
