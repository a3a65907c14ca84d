package company

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/store"
)

// First is what an empty company begins with.
type First struct {
	Company, Zone, Currency string
	Given, Family, Email    string // of the owner
}

// Begin makes an empty company with an owner, and gives the token of the link
// by which the owner chooses a password. Everything else is set on the page
// Setup. A database that has a company is left as it is.
func Begin(ctx context.Context, db *store.DB, now time.Time, f First) (token string, err error) {
	for _, need := range []struct{ name, text string }{{"--company", f.Company}, {"--zone", f.Zone}, {"--given-name", f.Given},
		{"--family-name", f.Family}} {
		if strings.TrimSpace(need.text) == "" {
			return "", fmt.Errorf("%s is missing", need.name)
		}
	}
	loc, err := time.LoadLocation(f.Zone)
	if err != nil {
		return "", fmt.Errorf("--zone %s: write an IANA zone such as America/New_York", f.Zone)
	}
	code, err := currency(f.Currency)
	if err != nil {
		return "", fmt.Errorf("--currency %s: %w", f.Currency, err)
	}
	if f.Email != "" {
		if f.Email, err = field.Email(f.Email); err != nil {
			return "", fmt.Errorf("--email: %w", err)
		}
	}
	today := when.DateOf(now, loc)
	token = app.NewSignInToken()
	return token, db.Tx(ctx, func(tx *sqlx.Tx) error {
		if _, err := store.GetCompany(ctx, tx); err == nil {
			return fmt.Errorf("there is a company already; it is left as it is")
		}
		// Pay periods of two weeks from the last Sunday, until Setup says else.
		c := store.Company{Name: f.Company, Zone: f.Zone, Currency: code, CurrencyDecimals: 2, PeriodKind: string(when.Fortnight),
			PeriodAnchor: today - when.Date(today.Weekday()),
			CutOver:      4 * 3600, NewAttendanceAfter: 4 * 3600, LongestShift: 16 * 3600,
			LateAfter: 15 * 60, OverPlanAfter: 5400, EarlyAfter: 30 * 60, LeftEarly: 15 * 60, UnderPlan: 3600, ShortStint: 4 * 60,
			MealDueAfter: 5 * 3600, MealWaivedUpTo: 6 * 3600,
			MissingAfter: 10 * 60, SignRequired: true}
		if err := store.PutCompany(ctx, tx, c); err != nil {
			return err
		}
		if err := store.SetCompany(ctx, tx, "set_up", ""); err != nil {
			return err
		}
		owner := uuid.Must(uuid.NewV7())
		if err := store.InsertOwner(ctx, tx, owner, f.Given, f.Family, f.Email, now); err != nil {
			return err
		}
		return store.InsertSignInLink(ctx, tx, app.TokenHash(token), owner, owner, now, now.Add(people.LinkLasts))
	})
}
