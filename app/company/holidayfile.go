package company

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// holidayFile is a file of holidays: a row is a day, known by its date.
type holidayFile struct {
	puts map[int]store.Holiday // what a row that does something puts, by its index
}

func init() {
	bringin.Register(bringin.HolidaysFile, func(context.Context, store.Q) (bringin.RowKind, error) {
		return &holidayFile{puts: map[int]store.Holiday{}}, nil
	})
	app.UndoesSettings(bringin.TakeFile{Kind: bringin.HolidaysFile}.Permission(), undoHolidays)
}

// HolidayColumns are the columns that a file of holidays can have.
var HolidayColumns = []bringin.Column{
	{Key: "date", Label: "Date", Form: bringin.DateForm, Heads: []string{"day", "observed", "on", "fecha"}},
	{Key: "title", Label: "Name", Heads: []string{"holiday", "title", "description", "holidayname", "occasion"}},
	{Key: "multiplier", Label: "Multiplier of its pay", Form: bringin.NumberForm,
		Heads: []string{"multiplier", "premium", "rate", "factor", "payfactor"}},
}

// Columns are those of every file of holidays.
func (*holidayFile) Columns(app.Actor) []bringin.Column { return HolidayColumns }

// Judge says of every row what it would do.
func (k *holidayFile) Judge(ctx context.Context, q store.Q, _ app.Actor, place *app.Company, today when.Date, p *bringin.ImportPage) error {
	for _, c := range HolidayColumns[:2] {
		p.Need(c.Key, c.Label)
	}
	open, err := app.FirstOpenDay(ctx, q, place, today)
	if err != nil {
		return err
	}
	seen := map[when.Date]int{}
	p.Take(func(r *bringin.ImportRow, given map[string]string) error {
		h, fault := k.row(r, given, open)
		if before, twice := seen[h.Date]; twice && h.Date != 0 {
			fault = errors.Join(fault, refusal.New("date",
				fmt.Sprintf("%s stands in line %d already", h.Date.Format("2 January 2006"), before), "Keep one of the two"))
		}
		seen[h.Date] = r.Line
		if fault != nil {
			return fault
		}
		was := holidayOn(place.Holidays, h.Date)
		if was != nil && given["multiplier"] == "" {
			h.Multiplier = was.Multiplier // an empty cell leaves it as it is
		}
		switch said := holidayValue(&h); {
		case was == nil:
			r.State, r.What = bringin.RowNew, h.Date.Format("Monday 2 January 2006")
		case holidayValue(was) == said:
			r.State = bringin.RowSame
			return nil
		default:
			r.State, r.What = bringin.RowChanged, strings.TrimSpace(holidayValue(was))+" → "+strings.TrimSpace(said)
		}
		k.puts[r.Index] = h
		return nil
	})
	return nil
}

// row reads a row by itself; its error says all that is wrong with it.
func (k *holidayFile) row(r *bringin.ImportRow, given map[string]string, open when.Date) (h store.Holiday, fault error) {
	var err error
	if h.Date, err = when.ParseDate(given["date"]); err != nil {
		fault = refusal.New("date", "The date is missing", "Write the day that is a holiday")
	} else if h.Date < open {
		fault = refusal.New("date", "Pay runs are closed up to "+(open-1).Format("2 January 2006"), "Leave the row out")
	}
	h, err = holidayOf(h.Date, given["title"], given["multiplier"])
	r.Name = h.Name
	return h, errors.Join(fault, err)
}

// holidayOn finds the holiday of a date, nil where it is none.
func holidayOn(holidays []store.Holiday, d when.Date) *store.Holiday {
	i, found := slices.BinarySearchFunc(holidays, d, func(h store.Holiday, d when.Date) int { return int(h.Date - d) })
	if !found {
		return nil
	}
	return &holidays[i]
}

// holidayValue is a holiday as it is kept among what a file changed: its name, and
// after a tab what it multiplies; "" for a day like others.
func holidayValue(h *store.Holiday) string {
	switch {
	case h == nil:
		return ""
	case h.Multiplier == nil:
		return h.Name + "\t"
	}
	return h.Name + "\t" + *h.Multiplier
}

// BringIn puts the holidays of some rows, and works out the cards of those days anew.
func (k *holidayFile) BringIn(ctx context.Context, t *app.Turn, p *bringin.ImportPage, rows []bringin.ImportRow) error {
	var put []store.Holiday
	var days []when.Date
	for _, r := range rows {
		h, does := k.puts[r.Index]
		if !does || !r.Does() {
			continue
		}
		put, days = append(put, h), append(days, h.Date)
		was := holidayValue(holidayOn(t.Company.Holidays, h.Date))
		p.Was = append(p.Was, store.Was{Key: h.Date.String(), Old: was, New: holidayValue(&h)})
		t.RecordSetting(uuid.Nil, map[string]any{"field": "Holiday " + h.Date.String(), "from": strings.TrimSpace(was),
			"to": strings.TrimSpace(holidayValue(&h))})
	}
	if err := store.PutHolidays(ctx, t, put); err != nil {
		return err
	}
	return reworkDays(ctx, t, days...)
}

// undoHolidays takes a file of holidays back, but for those that were changed since or
// paid.
func undoHolidays(ctx context.Context, t *app.Turn, file uuid.UUID) (done app.Undone, found bool, err error) {
	if found, err = bringin.ToUndo(ctx, t, bringin.HolidaysFile, file); err != nil || !found {
		return done, found, err
	}
	im, err := store.ImportState(ctx, t, file)
	if err != nil {
		return done, false, err
	}
	open, err := app.FirstOpenDay(ctx, t, t.Company, t.Company.Today(t.Now))
	if err != nil {
		return done, false, err
	}
	var days []when.Date
	for _, w := range im.Was {
		d, err := when.ParseDate(w.Key)
		if err != nil {
			return done, false, err
		}
		switch now := holidayValue(holidayOn(t.Company.Holidays, d)); {
		case now != w.New:
			done.Left = append(done.Left, d.Format("2 January 2006")+" was changed since")
			continue
		case d < open:
			done.Left = append(done.Left, d.Format("2 January 2006")+" was paid")
			continue
		}
		if err := putBack(ctx, t, d, w.Old); err != nil {
			return done, false, err
		}
		days = append(days, d)
	}
	if len(days) == 0 {
		return done, false, refusal.New("batch", "Nothing could be taken back: "+strings.Join(done.Left, "; "), "Change it where it stands")
	}
	done.Words = app.Several(len(days), "holiday", "holidays")
	t.RecordSetting(uuid.Nil, map[string]any{"field": "Holidays of " + im.FileName, "to": "taken back"})
	if err := reworkDays(ctx, t, days...); err != nil {
		return done, false, err
	}
	return done, true, store.ImportUndone(ctx, t, file, t.Now)
}

// putBack makes a date what it was before a file.
func putBack(ctx context.Context, t *app.Turn, d when.Date, was string) error {
	if was == "" {
		_, err := store.DropHoliday(ctx, t, d)
		return err
	}
	name, multiplier, _ := strings.Cut(was, "\t")
	h := store.Holiday{Date: d, Name: name}
	if multiplier != "" {
		h.Multiplier = &multiplier
	}
	return store.PutHolidays(ctx, t, []store.Holiday{h})
}
