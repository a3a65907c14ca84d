package people

import (
	"context"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/store"
)

// pick readies a filter of people for an actor: what was typed as "Title: welder"
// is looked for in that setting alone, and nobody is found, left out or ordered
// by what the actor may not see of all whom they see.
func pick(actor app.Actor, fields *PersonFields, f store.SheetFilter) (store.SheetFilter, error) {
	f.Units = actor.Units("people.see")
	f.Text, f.Fields = typed(actor, fields, f.Text)
	if of := f.Sort.Key; of != "" {
		by := fields.Get(of)
		if by == nil || by.Later || !seenOfAll(actor, by.See) {
			return f, app.ErrNotFound
		}
		f.Sort.Own, f.Sort.Number = by.Own, by.Kind == field.NumberField
	}
	if f.Without != "" {
		if by := fields.Get(f.Without); by != nil && !seenOfAll(actor, by.See) {
			return f, app.ErrNotFound
		}
	}
	return f, nil
}

// Beside gives who stands before and after somebody in a list, the zero id for
// nobody.
func Beside(ctx context.Context, a *app.App, actor app.Actor, f store.SheetFilter, person uuid.UUID) (before, after uuid.UUID, err error) {
	if !actor.May("people.see") {
		return before, after, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return before, after, err
	}
	fields, err := ReadFields(ctx, a.DB)
	if err != nil {
		return before, after, err
	}
	if f, err = pick(actor, fields, f); err != nil {
		return before, after, err
	}
	return store.Beside(ctx, a.DB, place.Today(a.Now()), f, person)
}

// seenOfAll says whether what a permission lets see is seen of everybody whom the
// actor sees.
func seenOfAll(actor app.Actor, see string) bool {
	if see == "people.see" || actor.Scope(see) == app.All {
		return true
	}
	seen, units := actor.Units("people.see"), actor.Units(see)
	return seen != nil && !slices.ContainsFunc(seen, func(u uuid.UUID) bool { return !slices.Contains(units, u) }) && len(seen) > 0
}

// typed parts what was typed: "Title: welder; Locker: B 1; north" asks for a title
// and a locker, and for the rest anywhere.
func typed(actor app.Actor, fields *PersonFields, text string) (rest string, of []store.FieldFilter) {
	var left []string
	for part := range strings.SplitSeq(text, ";") {
		label, value, found := strings.Cut(part, ":")
		i := -1
		if found && strings.TrimSpace(value) != "" {
			i = slices.IndexFunc(fields.All, func(f field.PersonField) bool {
				return strings.EqualFold(f.Label, strings.TrimSpace(label)) && !f.Later &&
					f.Kind != field.PatternField && seenOfAll(actor, f.See)
			})
		}
		if i < 0 {
			left = append(left, part)
			continue
		}
		f, value := fields.All[i], strings.TrimSpace(value)
		for _, c := range f.Choices {
			if f.Kind == field.ChoiceField && strings.EqualFold(c.Label, value) {
				value = c.Value
			}
		}
		of = append(of, store.FieldFilter{Key: f.Key, Value: value, Own: f.Own, Part: f.Kind != field.ChoiceField})
	}
	return strings.TrimSpace(strings.Join(left, " ")), of
}

// Census is how many people there are of each kind, among those that texts of
// a filter pick.
type Census []store.CensusRow

// Of counts those that a filter picks, whatever the part of it that skip names:
// "kind", "unit", "site", "level", "state" or "without"; "" skips none.
func (c Census) Of(f store.SheetFilter, skip string, is func(store.CensusRow) bool) (n int) {
	for _, r := range c {
		unit, site := store.IDOrNil(r.Unit), store.IDOrNil(r.Site)
		switch {
		case skip != "kind" && len(f.Kinds) > 0 && !slices.Contains(f.Kinds, r.Kind),
			skip != "unit" && len(f.InUnits) > 0 && !slices.Contains(f.InUnits, unit),
			skip != "site" && len(f.Sites) > 0 && !slices.Contains(f.Sites, site),
			skip != "level" && len(f.Levels) > 0 && !slices.Contains(f.Levels, r.Level),
			skip != "state" && !inState(f.State, r.State),
			skip != "without" && f.Without != "" && !slices.Contains(r.Lacks, f.Without):
		case is(r):
			n += r.N
		}
	}
	return n
}

// inState says whether a state is one that a filter picks.
func inState(picked, state string) bool {
	return picked == "any" || picked == state || picked == "" && state != "ended"
}
