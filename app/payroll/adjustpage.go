package payroll

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// AdjustPage is what people are paid, or have kept from them, besides their hours.
type AdjustPage struct {
	Group         string
	Period        when.Period
	Rows          []store.Adjustment
	Differentials []store.NamedDifferential
	Units         []string
	Currency      string
	Decimals      int
}

// ReadAdjustPage reads that of a group's open run.
func ReadAdjustPage(ctx context.Context, a *app.App, actor app.Actor, group string) (*AdjustPage, error) {
	if actor.Scope("payrun.adjust") != app.All {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	if place, err = place.OfGroup(ctx, a.DB, group); err != nil {
		return nil, err
	}
	p := &AdjustPage{Group: group, Currency: place.Currency, Decimals: place.CurrencyDecimals}
	if p.Period, err = openPeriod(ctx, a.DB, place, group, a.Now()); err != nil {
		return nil, err
	}
	if p.Rows, err = store.Adjustments(ctx, a.DB, group, p.Period.From); err != nil {
		return nil, err
	}
	if p.Differentials, err = store.NamedDifferentials(ctx, a.DB, p.Period.From); err != nil {
		return nil, err
	}
	units, err := store.Units(ctx, a.DB)
	for _, u := range units {
		p.Units = append(p.Units, u.Name)
	}
	return p, err
}

// Called finds somebody in a group's open run by number or name.
func Called(ctx context.Context, a *app.App, actor app.Actor, group string, texts ...string) ([]uuid.UUID, error) {
	if actor.Scope("payrun.adjust") != app.All {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	period, err := openPeriod(ctx, a.DB, place, group, a.Now())
	if err != nil {
		return nil, err
	}
	for i := range texts {
		texts[i] = strings.Join(strings.Fields(texts[i]), " ")
	}
	members, err := store.MembersCalled(ctx, a.DB, group, period.From, period.To, texts)
	if err != nil {
		return nil, err
	}
	row := func(i int, err error) error {
		if len(texts) == 1 {
			return err
		}
		return inRow(i+1, err)
	}
	found := make([]uuid.UUID, len(texts))
	for i, text := range texts {
		for _, m := range members {
			if m.Number != text && !strings.EqualFold(m.Given+" "+m.Family, text) {
				continue
			}
			if found[i] != uuid.Nil {
				return nil, row(i, refusal.New("who", "There are several called “"+field.Shorten(text)+"”", "Write the number"))
			}
			found[i] = m.Employment
		}
		if found[i] == uuid.Nil {
			return nil, row(i, refusal.New("who", "Nobody in the run is called “"+field.Shorten(text)+"”",
				"Write a number, or a whole name"))
		}
	}
	return found, nil
}

// AdjustColumns are those of a file of adjustments: who is a number or a name.
var AdjustColumns = []string{"who", "does", "what", "pay_code", "amount", "hours", "rate", "in_regular_rate", "from", "until", "over_from",
	"over_to"}

// AdjustmentsOf reads the rows of a file of adjustments.
func AdjustmentsOf(ctx context.Context, a *app.App, actor app.Actor, group string, table files.Table) ([]Adjustment, error) {
	if len(table.Rows) == 0 {
		return nil, refusal.New("file", "The file is empty", "The first line names the columns: "+strings.Join(AdjustColumns, ", "))
	}
	at := map[string]int{}
	for i, name := range table.Rows[0] {
		name = strings.ToLower(strings.TrimSpace(name))
		if name != "" && !slices.Contains(AdjustColumns, name) {
			return nil, refusal.New("file", "There is no column “"+field.Shorten(name)+"”",
				"The columns are "+strings.Join(AdjustColumns, ", "))
		}
		at[name] = i
	}
	for _, needed := range []string{"who", "does", "what", "pay_code"} {
		if _, is := at[needed]; !is {
			return nil, refusal.New("file", "The column “"+needed+"” is missing", "Name it in the first line")
		}
	}
	var rows []Adjustment
	var who []string
	for _, cells := range table.Rows[1:] {
		cell := func(name string) string {
			if i, is := at[name]; is {
				return strings.TrimSpace(cells[i])
			}
			return ""
		}
		who = append(who, cell("who"))
		rows = append(rows, Adjustment{Does: strings.ToLower(cell("does")), What: cell("what"), PayCode: cell("pay_code"),
			Amount: cell("amount"),
			Hours:  cell("hours"), Rate: cell("rate"), InRegularRate: slices.Contains([]string{"yes", "true", "1"},
				strings.ToLower(cell("in_regular_rate"))),
			From: cell("from"), Until: cell("until"), OverFrom: cell("over_from"), OverTo: cell("over_to")})
	}
	found, err := Called(ctx, a, actor, group, who...)
	for i := range found {
		rows[i].Employment = found[i]
	}
	return rows, err
}
