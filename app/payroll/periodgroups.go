package payroll

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// PutPeriodGroup adds a group of people who are paid by pay periods of their
// own, or changes these: never over what was paid.
type PutPeriodGroup struct {
	Title, Kind string
	Anchor      string // a date on which one begins, for weeks and two weeks
	Currency    string // in which its people are paid, by ISO 4217; "" for the company's
}

// DropPeriodGroup takes out a group that nobody is in.
type DropPeriodGroup struct{ Title string }

// Permission is the act's name in the permission table.
func (PutPeriodGroup) Permission() string { return "setup.change" }

// Permission is the act's name in the permission table.
func (DropPeriodGroup) Permission() string { return "setup.change" }

func (p PutPeriodGroup) Do(ctx context.Context, t *app.Turn) error {
	g := store.PeriodGroup{Name: strings.TrimSpace(p.Title), Kind: p.Kind}
	switch {
	case g.Name == "" || len([]rune(g.Name)) > 40 || strings.ContainsAny(g.Name, ",;"):
		return refusal.New("title", "The group has no name", "Write one of at most 40 characters, without commas")
	case !slices.ContainsFunc(PeriodKinds, func(c field.Choice) bool { return c.Value == g.Kind }):
		return app.ErrNotFound
	}
	if g.Anchor = t.Company.PeriodAnchor; strings.TrimSpace(p.Anchor) != "" {
		var err error
		if g.Anchor, err = when.ParseDate(strings.TrimSpace(p.Anchor)); err != nil {
			return refusal.New("anchor", "The day can't be “"+field.Shorten(p.Anchor)+"”", "Write a date as YYYY-MM-DD")
		}
	}
	if err := p.currency(ctx, t, &g); err != nil {
		return err
	}
	if err := MeetsPaid(ctx, t, "kind", g.Name, g.Periods()); err != nil {
		return err
	}
	if err := store.PutPeriodGroup(ctx, t, g); err != nil {
		return err
	}
	t.RecordSetting(uuid.Nil,
		map[string]any{"field": "Group of pay periods " + g.Name,
			"to": strings.TrimSuffix(fmt.Sprintf("%s, from %s, %s", field.Field{Choices: PeriodKinds, Kind: field.ChoiceField}.Show(g.Kind),
				g.Anchor, g.Currency), ", ")})
	return nil
}

// currency reads in what a group is paid: it doesn't change once somebody is in it, or was paid by it.
func (p PutPeriodGroup) currency(ctx context.Context, t *app.Turn, g *store.PeriodGroup) (err error) {
	if text := strings.TrimSpace(p.Currency); text != "" {
		if g.Currency, err = pay.ParseCurrency(text); err != nil {
			return refusal.New("currency", "“"+field.Shorten(text)+"” is no currency",
				"Write three letters by ISO 4217, such as CAD, or none")
		}
	}
	if g.Currency == t.Company.Currency {
		g.Currency = ""
	}
	groups, err := store.PeriodGroups(ctx, t)
	if err != nil {
		return err
	}
	for _, was := range groups {
		if was.Name == g.Name && was.Currency != g.Currency && (was.People > 0 || was.Paid) {
			return refusal.New("currency", "Somebody is in “"+g.Name+"” already, or was paid by it, in "+cmp.Or(was.Currency,
				t.Company.Currency),
				"Add another group for people who are paid in "+cmp.Or(g.Currency, t.Company.Currency))
		}
	}
	return nil
}

func (d DropPeriodGroup) Do(ctx context.Context, t *app.Turn) error {
	dropped, err := store.DropPeriodGroup(ctx, t, d.Title)
	if err != nil {
		return err
	}
	if !dropped {
		return refusal.New("group", "Somebody is in “"+field.Shorten(d.Title)+"”, or was, or there is no such group",
			"Put its people into another first; People can change that for many at once")
	}
	t.RecordSetting(uuid.Nil, map[string]any{"field": "Group of pay periods " + d.Title, "to": "taken out"})
	return nil
}

// PeriodKinds are the lengths of pay periods.
var PeriodKinds = field.Choices("weekly", "a week", "fortnight", "two weeks", "twice_a_month", "twice a month", "monthly", "a month")

// MeetsPaid refuses pay periods of a group of which none begins on the day
// after the last that is closed.
func MeetsPaid(ctx context.Context, t *app.Turn, key, group string, periods when.PayPeriods) error {
	last, found, err := store.LastPaidDayOf(ctx, t, group)
	if err != nil || !found {
		return err
	}
	next, err := periods.Of(last + 1)
	if err != nil {
		return err
	}
	if next.From != last+1 {
		return refusal.New(key, "That would cut into what was paid: runs are closed up to "+last.Format("2 January 2006"),
			"Choose periods of which one begins on "+(last+1).Format("2 January 2006"))
	}
	return nil
}
