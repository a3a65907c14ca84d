package hours

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// DayFieldKinds are what a field of days can hold.
var DayFieldKinds = field.Choices(string(field.TextField), "text", string(field.NumberField), "number", string(field.DateField), "date",
	string(field.ChoiceField), "one of a list")

// PutDayField asks something of days, or of stints, beside the hours: of everybody or of one
// crew. What it holds and of what it is asked stay as they were made.
type PutDayField struct {
	ID          uuid.UUID
	Title, Kind string
	Choices     string // one a line, for one of a list
	OfStint     bool
	Unit        uuid.UUID // zero for everybody
}

// CloseDayField has it asked no more; what was said stays, and it can be put again.
type CloseDayField struct{ ID uuid.UUID }

// SayOfDay keeps what somebody says of a day or a stint of theirs, or who leads them or may
// change their time.
type SayOfDay struct {
	ID    uuid.UUID
	Card  CardRef
	Stint uuid.UUID // zero for the day
	Field uuid.UUID
	Value string // empty takes it out
}

// Permission is what the act takes.
func (PutDayField) Permission() string { return "setup.change" }

// Permission is what the act takes.
func (CloseDayField) Permission() string { return "setup.change" }

// Permission is what the act takes.
func (SayOfDay) Permission() string { return "day.say" }

func (p PutDayField) Do(ctx context.Context, t *app.Turn) error {
	f := store.DayField{ID: p.ID, Name: strings.TrimSpace(p.Title), Kind: p.Kind, OfStint: p.OfStint, Unit: idOrNone(p.Unit)}
	all, err := store.DayFields(ctx, t, true)
	if err != nil {
		return err
	}
	for _, o := range all {
		if o.ID == f.ID {
			f.Kind, f.OfStint = o.Kind, o.OfStint
		} else if !o.Closed && strings.EqualFold(o.Name, f.Name) {
			return refusal.New("title", "“"+f.Name+"” is asked already", "Choose another name")
		}
	}
	switch {
	case f.Name == "" || len([]rune(f.Name)) > 40:
		return refusal.New("title", "The field has no name", "Write one of at most 40 characters")
	case !slices.ContainsFunc(DayFieldKinds, func(c field.Choice) bool { return c.Value == f.Kind }):
		return app.ErrNotFound
	}
	if f.Kind == string(field.ChoiceField) {
		if f.Choices, err = field.ChoiceLines(p.Choices); err != nil {
			return err
		}
	}
	if err := store.PutDayField(ctx, t, f); err != nil {
		if store.Violates(err, "day_field_unit_id_fkey") {
			return app.ErrNotFound
		}
		return err
	}
	t.Record(store.Event{Act: t.Act}, p.ID, map[string]any{"field": "Field of days", "to": f.Name})
	return nil
}

func (c CloseDayField) Do(ctx context.Context, t *app.Turn) error {
	closed, err := store.CloseDayField(ctx, t, c.ID, t.Now)
	if err != nil || !closed {
		return err
	}
	t.Record(store.Event{Act: t.Act}, c.ID, map[string]any{"field": "Field of days", "to": "asked no more"})
	return nil
}

func (s SayOfDay) Do(ctx context.Context, t *app.Turn) error {
	who, err := store.LockEmployment(ctx, t, s.Card.Employment)
	if store.NotFound(err) || err == nil && !t.Actor.Reaches(t.Act, who.Person, who.Unit) {
		return app.ErrNotFound
	}
	if err != nil {
		return err
	}
	value, err := s.asked(ctx, t, who)
	if err != nil {
		return err
	}
	cards, err := store.Cards(ctx, t, store.CardFilter{From: s.Card.Date, To: s.Card.Date, Employment: who.ID})
	if err != nil {
		return err
	}
	if len(cards) > 0 && who.Person == t.Actor.ID && (cards[0].State == card.Approved || cards[0].State == card.Paid) {
		return refusal.New("date", "That day is approved", "Ask the office to change it")
	}
	said := store.DaySaid{EmploymentDate: store.EmploymentDate{Employment: who.ID, Date: s.Card.Date}, Stint: idOrNone(s.Stint),
		Field: s.Field,
		Value: value, By: t.Actor.ID, MadeAt: t.Now}
	if fresh, err := store.InsertSaid(ctx, t, s.ID, said); err != nil || !fresh {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID, map[string]any{"date": s.Card.Date, "field": s.Field})
	return nil
}

// asked gives the value as it is kept of what is asked of the person, on a day or a stint that
// is there.
func (s SayOfDay) asked(ctx context.Context, t *app.Turn, who store.Employment) (string, error) {
	fields, err := store.DayFields(ctx, t, false)
	if err != nil {
		return "", err
	}
	i := slices.IndexFunc(fields, func(f store.DayField) bool { return f.ID == s.Field })
	if i < 0 || fields[i].OfStint != (s.Stint != uuid.Nil) || fields[i].Unit != nil && *fields[i].Unit != who.Unit {
		return "", app.ErrNotFound
	}
	if s.Card.Date > t.Company.Today(t.Now)+reportAhead {
		return "", refusal.New("date", "That is too far ahead", "Wait until it is nearer")
	}
	if s.Stint != uuid.Nil {
		stints, err := store.StintsByID(ctx, t, []uuid.UUID{s.Stint})
		if err != nil {
			return "", err
		}
		if len(stints) == 0 || stints[0].Employment != who.ID || stints[0].Date != s.Card.Date {
			return "", app.ErrNotFound
		}
	}
	f := field.Own(fields[i].ID.String(), fields[i].Name, fields[i].Kind, fields[i].Choices)
	if strings.TrimSpace(s.Value) == "" {
		return "", nil
	}
	return f.Normal(s.Value)
}

// AskedOf is a field with what was said of a day, or of a stint of it.
type AskedOf struct {
	store.DayField
	Stint uuid.UUID
	Value string
}

// askedOf lists what is asked of somebody of a unit, with what was said of a day: of the day
// itself and of each stint of work. What was said of a field that is asked no more is among it.
func askedOf(fields []store.DayField, said []store.DaySaid, unit uuid.UUID, d when.Date, stints []store.Stint) (found []AskedOf) {
	value := func(field, stint uuid.UUID) string {
		for _, s := range said {
			if s.Date == d && s.Field == field && store.IDOrNil(s.Stint) == stint {
				return s.Value
			}
		}
		return ""
	}
	for _, f := range fields {
		of := []uuid.UUID{uuid.Nil}
		if f.OfStint {
			of = nil
			for _, s := range stints {
				if s.Kind == "work" {
					of = append(of, s.ID)
				}
			}
		}
		for _, stint := range of {
			a := AskedOf{f, stint, value(f.ID, stint)}
			if a.Value != "" || !f.Closed && (f.Unit == nil || *f.Unit == unit) {
				found = append(found, a)
			}
		}
	}
	return found
}

// readAsked reads what is asked of somebody of some days, and what was said.
func readAsked(ctx context.Context, a *app.App, employment uuid.UUID, days when.Period) ([]store.DayField, []store.DaySaid, error) {
	fields, err := store.DayFields(ctx, a.DB, true)
	if err != nil || len(fields) == 0 {
		return nil, nil, err
	}
	said, err := store.SaidOf(ctx, a.DB, []uuid.UUID{employment}, days)
	return fields, said, err
}
