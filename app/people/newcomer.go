package people

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// AddNewcomer adds somebody of whom only the name and the mobile are known: they can be
// clocked at once, and have neither a sign-in nor a rate nor a number until the office
// completes them, or joins them to somebody who is there already.
type AddNewcomer struct {
	ID, Employment uuid.UUID
	Unit           uuid.UUID // on whose sheet they are
	Day            when.Date // their first
	Name           string    // given name first
	Mobile         string
}

// Permission is the act's name in the permission table.
func (AddNewcomer) Permission() string { return "people.add" }

// newcomerDays is for how many days back somebody is added.
const newcomerDays = 14

func (n AddNewcomer) Do(ctx context.Context, t *app.Turn) error {
	given, family, _ := strings.Cut(strings.Join(strings.Fields(n.Name), " "), " ")
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return err
	}
	mobile, err := fields.Get("mobile").Normal(n.Mobile)
	today := t.Company.Today(t.Now)
	switch {
	case !t.Actor.Reaches(t.Act, uuid.Nil, n.Unit):
		return app.ErrNotFound
	case given == "" || family == "" || len(n.Name) > 120:
		return refusal.New("name", "The name is missing", "Write the first and the last name")
	case err != nil:
		return err
	case mobile == "":
		return refusal.New("mobile", "The mobile is missing", "Write it, so that the office can reach them")
	case n.Day > today || n.Day < today-newcomerDays:
		return refusal.New("day", "Nobody is put on the sheet of that day", fmt.Sprintf("Choose one of the last %d days", newcomerDays))
	}
	if by, there, err := store.AddedBy(ctx, t, n.ID); err != nil || there {
		if err == nil && by != t.Actor.ID {
			err = app.ErrConflict
		}
		return err // sent again
	}
	p := store.NewPerson{ID: n.ID, Employment: n.Employment, Given: given, Family: family, Level: "worker", Unit: n.Unit,
		Site: fields.siteOf[n.Unit], StartsOn: n.Day, AddedAt: t.Now, AddedBy: t.Actor.ID, Incomplete: true, Pattern: t.Company.NewPattern}
	if p.Site == uuid.Nil && len(fields.Sites) > 0 { // the office puts them where they belong
		p.Site = fields.Sites[0].ID
	}
	if err := store.InsertPeople(ctx, t, []store.NewPerson{p}); err != nil {
		return fmt.Errorf("add a newcomer: %w", err)
	}
	if err := store.SetPerson(ctx, t, n.ID, "mobile", mobile); err != nil {
		return err
	}
	t.Record(store.Event{Person: n.ID, Unit: n.Unit, Act: t.Act}, n.ID, map[string]any{"newcomer": true})
	return nil
}
