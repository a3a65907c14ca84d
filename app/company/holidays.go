package company

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"github.com/rickar/cal/v2"
	"github.com/rickar/cal/v2/au"
	"github.com/rickar/cal/v2/ca"
	"github.com/rickar/cal/v2/de"
	"github.com/rickar/cal/v2/fr"
	"github.com/rickar/cal/v2/gb"
	"github.com/rickar/cal/v2/ie"
	"github.com/rickar/cal/v2/nl"
	"github.com/rickar/cal/v2/nz"
	"github.com/rickar/cal/v2/pl"
	"github.com/rickar/cal/v2/us"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/hours"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Countries whose public holidays can be filled in, by ISO 3166 code.
var Countries = field.Choices("us", "United States, federal", "ca", "Canada", "gb",
	"United Kingdom", "ie", "Ireland", "au", "Australia", "nz", "New Zealand", "de", "Germany", "fr", "France", "nl",
	"Netherlands", "pl", "Poland")

var holidaysOf = map[string][]*cal.Holiday{"us": us.Holidays, "ca": ca.Holidays, "gb": gb.Holidays, "ie": ie.Holidays,
	"au": au.HolidaysNSW, "nz": nz.Holidays,
	"de": de.Holidays, "fr": fr.Holidays, "nl": nl.Holidays, "pl": pl.Holidays}

// PutHoliday makes a date a holiday. Multiplier is "" where working on it
// pays no premium.
type PutHoliday struct {
	Date              when.Date
	Title, Multiplier string
}

// DropHoliday makes a date a day like others.
type DropHoliday struct{ Date when.Date }

// FillHolidays puts a country's public holidays of a year in; those that are
// there already stay as they are.
type FillHolidays struct {
	Country string
	Year    int
}

// Permission is the act's name in the permission table.
func (PutHoliday) Permission() string { return "setup.change" }

// Permission is the act's name in the permission table.
func (DropHoliday) Permission() string { return "setup.change" }

// Permission is the act's name in the permission table.
func (FillHolidays) Permission() string { return "setup.change" }

func (h PutHoliday) Do(ctx context.Context, t *app.Turn) error {
	row, err := holidayOf(h.Date, h.Title, h.Multiplier)
	if err != nil {
		return err
	}
	if err := notPaid(ctx, t, h.Date); err != nil {
		return err
	}
	if err := store.PutHolidays(ctx, t, []store.Holiday{row}); err != nil {
		return err
	}
	t.RecordSetting(uuid.Nil, map[string]any{"field": "Holiday " + h.Date.String(), "to": strings.TrimSpace(row.Name + " " + h.Multiplier)})
	return reworkDays(ctx, t, h.Date)
}

// holidayOf makes a holiday of what was written; its error says all that is wrong with
// that.
func holidayOf(d when.Date, title, multiplier string) (store.Holiday, error) {
	var faults []error
	row := store.Holiday{Date: d, Name: strings.TrimSpace(title)}
	if row.Name == "" || utf8.RuneCountInString(row.Name) > 80 {
		faults = append(faults, refusal.New("title", "The holiday has no name", "Write one of at most 80 characters"))
	}
	if multiplier != "" {
		m, err := pay.ParseRate(multiplier)
		if err != nil || m < 1_000_000 || m > 10_000_000 || m%100 != 0 {
			faults = append(faults, refusal.New("multiplier", fmt.Sprintf("The multiplier can't be “%s”", field.Shorten(multiplier)),
				"Write one such as 1.5, from 1 to 10, or leave it empty"))
		} else {
			plain := decimal(m)
			row.Multiplier = &plain
		}
	}
	return row, errors.Join(faults...)
}

// decimal writes a rate without zeros at its end, as it is read back.
func decimal(r pay.Rate) string {
	text := r.String()
	if strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
	}
	return text
}

func (h DropHoliday) Do(ctx context.Context, t *app.Turn) error {
	if err := notPaid(ctx, t, h.Date); err != nil {
		return err
	}
	dropped, err := store.DropHoliday(ctx, t, h.Date)
	if err != nil {
		return err
	}
	if !dropped {
		return app.ErrNotFound
	}
	t.RecordSetting(uuid.Nil, map[string]any{"field": "Holiday " + h.Date.String(), "to": "a day like others"})
	return reworkDays(ctx, t, h.Date)
}

func (f FillHolidays) Do(ctx context.Context, t *app.Turn) error {
	list, known := holidaysOf[f.Country]
	if !known || f.Year < 2000 || f.Year > 2100 {
		return app.ErrNotFound
	}
	open, err := app.FirstOpenDay(ctx, t, t.Company, t.Company.Today(t.Now))
	if err != nil {
		return err
	}
	var added []when.Date
	var put []store.Holiday
	for _, h := range list {
		actual, observed := h.Calc(f.Year)
		for _, at := range []time.Time{actual, observed} {
			d := when.DateOf(at, time.UTC)
			if at.IsZero() || d < open || t.Company.Holiday(d) || slices.Contains(added, d) ||
				h.Type != cal.ObservancePublic && h.Type != cal.ObservanceBank {
				continue
			}
			if at.Equal(actual) && !observed.IsZero() && !actual.Equal(observed) {
				continue // the day it is observed on counts
			}
			put, added = append(put, store.Holiday{Date: d, Name: h.Name}), append(added, d)
		}
	}
	slices.Sort(added)
	if err := store.PutHolidays(ctx, t, put); err != nil {
		return err
	}
	if err := reworkDays(ctx, t, added...); err != nil {
		return err
	}
	if err := store.SetCompany(ctx, t, "holiday_country", f.Country); err != nil {
		return err
	}
	t.RecordSetting(uuid.Nil,
		map[string]any{"field": fmt.Sprintf("Holidays of %s %d", strings.ToUpper(f.Country), f.Year),
			"to": fmt.Sprintf("%d filled in", len(added))})
	return nil
}

// notPaid refuses a date that pay runs are closed over.
func notPaid(ctx context.Context, t *app.Turn, d when.Date) error {
	open, err := app.FirstOpenDay(ctx, t, t.Company, t.Company.Today(t.Now))
	if err != nil {
		return err
	}
	if d < open {
		return refusal.New("date", "That was paid already: pay runs are closed up to "+(open-1).Format("2 January 2006"),
			"Choose a later day")
	}
	return nil
}

// reworkDays works the cards of some dates out anew, by the holidays as they
// are now.
func reworkDays(ctx context.Context, t *app.Turn, on ...when.Date) error {
	if len(on) == 0 {
		return nil
	}
	if err := t.Refresh(ctx); err != nil {
		return err
	}
	return hours.ReworkAll(ctx, t, store.CardFilter{From: slices.Min(on), To: slices.Max(on), On: on})
}
