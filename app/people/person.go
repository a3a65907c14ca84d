package people

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// PersonPage is a person's own page.
type PersonPage struct {
	Fields      *PersonFields
	Sheets      []store.Sheet // one for each employment
	Changes     []store.Change
	Grants      []store.GrantRow
	Today       when.Date
	Now         time.Time
	FirstPeriod when.Date // from here on dated settings may change
	MayChange   bool
	MayGrant    bool
	Loc         *time.Location   // of the place, for instants
	Link        *store.GivenLink // the sign-in link they were given last
	HasCode     bool             // they sign in with a one-time code
	MayErase    bool
	MayEnd      bool
	Self        bool
	Rights      []app.Right // that the actor could grant
	OnClock     bool
	Shifts      []store.Shift       // planned after today
	OwnCodes    []payroll.CodeValue // pay codes that the person names
	Lacking     []store.LackingTag
}

// Setting is one setting of a person in one position.
type Setting struct {
	Field *field.PersonField
	Sheet store.Sheet
	Today when.Date
}

// ReadSetting reads the setting that an act changed, or would have.
func ReadSetting(ctx context.Context, a *app.App, actor app.Actor, act SetPerson) (s Setting, err error) {
	place, err := a.Company(ctx)
	if err != nil {
		return s, err
	}
	fields, err := ReadFields(ctx, a.DB)
	if err != nil {
		return s, err
	}
	s.Field, s.Today = fields.Get(act.Field), place.Today(a.Now())
	sheets, _, err := store.Sheets(ctx, a.DB, s.Today, store.SheetFilter{Person: act.Person, State: "any"}, 0, -1)
	if err != nil {
		return s, err
	}
	if s.Field == nil || !mayOnAny(actor, "people.see", sheets) {
		return s, app.ErrNotFound
	}
	hideSheets(actor, fields, sheets)
	s.Sheet = sheets[0]
	for _, other := range sheets {
		if other.Employment == act.Employment {
			s.Sheet = other
		}
	}
	return s, nil
}

// ReadPersonPage reads a person the actor may see.
func ReadPersonPage(ctx context.Context, a *app.App, actor app.Actor, id uuid.UUID) (*PersonPage, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &PersonPage{Loc: place.Loc, Today: place.Today(a.Now()), Now: a.Now(), Self: id == actor.ID}
	if p.Fields, err = ReadFields(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.Sheets, _, err = store.Sheets(ctx, a.DB, p.Today, store.SheetFilter{Person: id, State: "any"}, 0, -1); err != nil {
		return nil, err
	}
	if !mayOnAny(actor, "people.see", p.Sheets) {
		return nil, app.ErrNotFound
	}
	hideSheets(actor, p.Fields, p.Sheets)
	if p.FirstPeriod, err = app.FirstOpenDay(ctx, a.DB, place, p.Today); err != nil {
		return nil, err
	}
	p.MayChange = mayOnAny(actor, "people.change", p.Sheets) && app.Outranks(actor, p.Sheets[0])
	p.MayEnd = p.MayChange && !p.Self
	p.MayErase = actor.May("people.erase") && !p.Self
	p.MayGrant = actor.May("people.grant") && !p.Self && app.Outranks(actor, p.Sheets[0])
	if p.Changes, err = store.ChangesOf(ctx, a.DB, id, 30); err != nil {
		return nil, err
	}
	p.Changes = slices.DeleteFunc(p.Changes, func(c store.Change) bool {
		f := p.Fields.Get(c.Field)
		return f != nil && !actor.Reaches(f.See, id, p.Sheets[0].Unit)
	})
	if p.Link, err = store.LastLink(ctx, a.DB, id); err != nil {
		return nil, err
	}
	if p.HasCode, err = store.HasOneTimeCode(ctx, a.DB, id); err != nil {
		return nil, err
	}
	if p.Grants, err = store.GrantsOf(ctx, a.DB, id); err != nil {
		return nil, err
	}
	codes, _, err := payroll.ReadCodes(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	p.OwnCodes = payroll.ValuesOf(payroll.CodesOn(codes, p.Today), pay.CodeKey{Owner: pay.ByPerson, ID: id.String()}, len(payroll.CodePays))
	for _, r := range app.Rights {
		if mayGrant(actor, r) {
			p.Rights = append(p.Rights, r)
		}
	}
	if p.Lacking, err = store.LackingTags(ctx, a.DB, hours.TagsLookAhead(p.Today), id, nil); err != nil {
		return nil, err
	}
	for _, s := range p.Sheets {
		if s.Employment == uuid.Nil {
			continue
		}
		open, err := store.OpenStint(ctx, a.DB, s.Person)
		if err != nil {
			return nil, err
		}
		p.OnClock = open
		after, err := store.ShiftsAfter(ctx, a.DB, s.Employment, p.Today)
		if err != nil {
			return nil, err
		}
		p.Shifts = append(p.Shifts, after...)
	}
	return p, nil
}

// mayOnAny says whether a permission reaches a person in any employment; one
// without any is reached by All alone.
func mayOnAny(actor app.Actor, name string, sheets []store.Sheet) bool {
	return slices.ContainsFunc(sheets, func(s store.Sheet) bool { return actor.Reaches(name, s.Person, s.Unit) })
}
