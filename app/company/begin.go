package company

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// First is what an empty company begins with. What is empty is asked for on the
// pages: the owner by the link, the rest by the short set-up.
type First struct {
	Company, Zone, Currency string
	Given, Family, Email    string // of the owner
}

// firstPattern is proposed as the working pattern of new people.
const firstPattern = "Mon–Fri 07:00–15:30 less 0:30"

// Begin makes an empty company with an owner, and gives the token of the link
// by which the owner chooses a password. Everything else is set on the page
// Setup. A database that has a company is left as it is.
func Begin(ctx context.Context, db *store.DB, now time.Time, f First) (token string, err error) {
	if f.Zone == "" {
		f.Zone = "UTC"
	}
	loc, err := time.LoadLocation(f.Zone)
	if err != nil {
		return "", fmt.Errorf("--zone %s: write an IANA zone such as America/New_York", f.Zone)
	}
	code, err := pay.ParseCurrency(f.Currency)
	if err != nil {
		return "", fmt.Errorf("--currency %s: %w", f.Currency, err)
	}
	if f.Email != "" {
		if f.Email, err = field.Email(f.Email); err != nil {
			return "", fmt.Errorf("--email: %w", err)
		}
	}
	pattern, err := field.PatternValue(firstPattern)
	if err != nil {
		return "", err
	}
	today := when.DateOf(now, loc)
	token = app.NewSignInToken()
	return token, db.Tx(ctx, func(tx *sqlx.Tx) error {
		if _, err := store.GetCompany(ctx, tx); err == nil {
			return ErrThere
		}
		// Pay periods of two weeks from the last Sunday, until Setup says else.
		c := store.Company{Name: f.Company, Zone: f.Zone, Currency: code, CurrencyDecimals: pay.CurrencyDecimals(code),
			PeriodKind:   string(when.Fortnight),
			PeriodAnchor: today - when.Date(today.Weekday()),
			CutOver:      4 * 3600, NewAttendanceAfter: 4 * 3600, LongestShift: 16 * 3600,
			LateAfter: 15 * 60, OverPlanAfter: 5400, EarlyAfter: 30 * 60, LeftEarly: 15 * 60, UnderPlan: 3600, ShortStint: 4 * 60,
			MealDueAfter: 5 * 3600, MealWaivedUpTo: 6 * 3600,
			MissingAfter: 10 * 60, SignRequired: true}
		if err := store.PutCompany(ctx, tx, c); err != nil {
			return err
		}
		for column, value := range map[string]string{"set_up": "", "new_pattern": pattern, "new_clock_points": string(clock.OwnDevice),
			"parts_away": store.AllPartsAway()} {
			if err := store.SetCompany(ctx, tx, column, value); err != nil {
				return err
			}
		}
		owner := uuid.Must(uuid.NewV7())
		if err := store.InsertOwner(ctx, tx, owner, f.Given, f.Family, f.Email, now); err != nil {
			return err
		}
		return store.InsertSignInLink(ctx, tx, app.TokenHash(token), owner, owner, now, now.Add(people.LinkLasts))
	})
}

// ErrThere says that a database holds a company.
var ErrThere = errors.New("there is a company already; it is left as it is")

// OwnersLink gives the token of a new link for the owner of a company that nobody
// can sign in to yet: the first was lost, or its week is over. It is empty where
// somebody can.
func OwnersLink(ctx context.Context, db *store.DB, now time.Time) (token string, err error) {
	token = app.NewSignInToken()
	given := false
	err = db.Tx(ctx, func(tx *sqlx.Tx) error {
		given = false
		owner, err := store.OwnerToWelcome(ctx, tx)
		if err != nil || owner == uuid.Nil {
			return err
		}
		given = true
		return store.InsertSignInLink(ctx, tx, app.TokenHash(token), owner, owner, now, now.Add(people.LinkLasts))
	})
	if err != nil || !given {
		return "", err
	}
	return token, nil
}
