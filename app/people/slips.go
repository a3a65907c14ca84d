package people

import (
	"context"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/store"
)

// MostSlips is how many people are given a sign-in at once.
const MostSlips = 200

// Slip is a link that was given, with whom it is for.
type Slip struct {
	Link
	Name, Number, Unit, Email string
}

// WithoutSignIn lists whom a filter picks who have no password, nor a link that still
// holds, at most MostSlips, by name: a slip that was handed over stays good.
func WithoutSignIn(ctx context.Context, a *app.App, actor app.Actor, f store.SheetFilter) ([]uuid.UUID, error) {
	if !actor.May("people.change") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	fields, err := ReadFields(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	if f, err = pick(actor, fields, f); err != nil {
		return nil, err
	}
	f.Units, f.Without, f.Real = actor.Units("people.change"), "sign-in", true
	sheets, _, err := store.Sheets(ctx, a.DB, place.Today(a.Now()), f, 0, MostSlips)
	if err != nil {
		return nil, err
	}
	var ids []uuid.UUID
	seen := map[uuid.UUID]bool{}
	for _, s := range sheets {
		if !seen[s.Person] && s.Values["signs_in"] != "given" {
			seen[s.Person] = true
			ids = append(ids, s.Person)
		}
	}
	return ids, nil
}

// Slips says of links which were given, and for whom; and who was left out. Whoever
// has a token may know whom it is for.
func Slips(ctx context.Context, a *app.App, links []Link) (given []Slip, left []string, err error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, nil, err
	}
	ids, hashes := make([]uuid.UUID, len(links)), make([][]byte, len(links))
	for i, l := range links {
		ids[i], hashes[i] = l.Person, app.TokenHash(l.Token)
	}
	holds, err := store.LinksThatHold(ctx, a.DB, hashes, a.Now())
	if err != nil {
		return nil, nil, err
	}
	sheets, _, err := store.Sheets(ctx, a.DB, place.Today(a.Now()), store.SheetFilter{Persons: ids, State: "any"}, 0, -1)
	if err != nil {
		return nil, nil, err
	}
	tokens := map[uuid.UUID]string{}
	for _, l := range links {
		tokens[l.Person] = l.Token
	}
	for _, s := range sheets {
		token, first := tokens[s.Person]
		if !first {
			continue // another position of theirs
		}
		delete(tokens, s.Person)
		if !holds[s.Person] {
			left = append(left, s.Name())
			continue
		}
		given = append(given, Slip{Link: Link{s.Person, token}, Name: s.Name(), Number: s.Values["number"], Unit: s.Values["unit"],
			Email: s.Values["email"]})
	}
	return given, left, nil
}
