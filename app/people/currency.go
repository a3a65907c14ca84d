package people

import (
	"context"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/store"
)

// inOneCurrency lets people be put into groups of pay periods as long as each is paid in one currency for good:
// rates, bonuses and expenses of theirs are sums in it.
func inOneCurrency(put func(context.Context, *app.Turn, []field.Put) error) func(context.Context, *app.Turn, []field.Put) error {
	return func(ctx context.Context, t *app.Turn, puts []field.Put) error {
		if err := put(ctx, t, puts); err != nil {
			return err
		}
		of := make([]uuid.UUID, len(puts))
		for i, p := range puts {
			of[i] = p.Employment
		}
		names, err := store.PaidInTwo(ctx, t, of)
		if err != nil || len(names) == 0 {
			return err
		}
		return refusal.New("period_group", "These pay periods are paid in another currency than before: "+strings.Join(names[:min(3,
			len(names))], ", "),
			"Choose pay periods in the same currency, or these from the first day on before anything is paid")
	}
}
