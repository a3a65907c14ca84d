package payroll

import (
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// Past works out what the runs of periods long over paid, for a world that is
// loaded with its history: each line in the first run in which it was due.
type Past struct {
	Payroll
	periods []when.Period
}

// Lines gives the lines of each period for the hours and leave of one
// employment, in order of time.
func (p *Past) Lines(employment uuid.UUID, stints []store.PayStint, leaves []store.PayLeave) ([][]store.PayLine, error) {
	entries, err := p.workedOut(&pay.Reckoner{}, p.coder(), payShare{id: employment, stints: stints, leaves: leaves}, nil)
	if err != nil {
		return nil, fmt.Errorf("work out %s: %w", employment, err)
	}
	lines := make([][]store.PayLine, len(p.periods))
	for _, e := range entries {
		i := slices.IndexFunc(p.periods, func(of when.Period) bool { return e.Date <= of.To && p.rulesOn(e.Week).Due(e.Key, of.To) })
		if i >= 0 {
			lines[i] = append(lines[i], store.PayLine{Employment: employment, Entry: e})
		}
	}
	return lines, nil
}

// ReadPast reads what the hours of some periods, one after another, are paid
// by.
func ReadPast(ctx context.Context, q store.Q, place *app.Company, periods []when.Period) (*Past, error) {
	p := &Past{periods: periods}
	p.Rules, p.Zone, p.Period = place.Rules, place.Loc, when.Period{From: periods[0].From, To: periods[len(periods)-1].To}
	p.first = p.firstDay(p.Period.From)
	var err error
	if p.Codes, _, err = ReadCodes(ctx, q); err != nil {
		return nil, err
	}
	if p.kinds, err = store.KindsOfJobs(ctx, q); err != nil {
		return nil, err
	}
	p.Rates, err = store.GetRates(ctx, q)
	return p, err
}
