package company

import (
	"context"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/jobs"
	"manudex/core/refusal"
	"manudex/store"
)

// PutAsk says whom to ask about a subject, or changes it.
type PutAsk struct {
	ID      uuid.UUID
	Subject string
	Site    uuid.UUID // zero: at every site that has nobody of its own
	Named   string    // number or name of the person
	Reach   string    // such as "extension 14"
}

// DropAsk takes it out.
type DropAsk struct{ ID uuid.UUID }

// Permission is the act's name in the permission table.
func (PutAsk) Permission() string { return "setup.change" }

// Permission is the act's name in the permission table.
func (DropAsk) Permission() string { return "setup.change" }

func (p PutAsk) Do(ctx context.Context, t *app.Turn) error {
	ask := store.AskWhom{ID: p.ID, Subject: strings.TrimSpace(p.Subject), Reach: strings.TrimSpace(p.Reach)}
	switch {
	case ask.Subject == "" || utf8.RuneCountInString(ask.Subject) > 60:
		return refusal.New("subject", "The subject is missing or too long", "Write at most 60 characters, such as Pay or Safety")
	case utf8.RuneCountInString(ask.Reach) > 80:
		return refusal.New("reach", "How they are reached can't be “"+field.Shorten(ask.Reach)+"”", "Write at most 80 characters")
	}
	if p.Site != uuid.Nil {
		sites, err := store.Sites(ctx, t)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(sites, func(s store.Named) bool { return s.ID == p.Site }) {
			return app.ErrNotFound
		}
		ask.Site = &p.Site
	}
	var err error
	if ask.Person, err = jobs.PersonNamed(ctx, t, p.Named); err != nil {
		return err
	}
	if err := store.PutAsk(ctx, t, ask); store.Violates(err, "ask_subject_site_id_key") {
		return refusal.New("subject", "Somebody is asked about “"+ask.Subject+"” there already", "Change that row, or choose another site")
	} else if err != nil {
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Whom to ask", "to": ask.Subject})
	return nil
}

func (d DropAsk) Do(ctx context.Context, t *app.Turn) error {
	subject, err := store.DropAsk(ctx, t, d.ID)
	if err != nil {
		return err
	}
	if subject == "" {
		return app.ErrNotFound
	}
	t.RecordSetting(d.ID, map[string]any{"field": "Whom to ask", "from": subject})
	return nil
}

// AsksOf gives whom an actor asks about what: for each subject the person of their
// site, else the one for all sites. Everybody may know.
func AsksOf(ctx context.Context, a *app.App, actor app.Actor) ([]store.AskWhom, error) {
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	all, err := store.Asks(ctx, a.DB)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	sheets, _, err := store.Sheets(ctx, a.DB, place.Today(a.Now()), store.SheetFilter{Person: actor.ID, State: "any"}, 0, 1)
	if err != nil {
		return nil, err
	}
	var site uuid.UUID
	if len(sheets) > 0 {
		site = sheets[0].Site
	}
	var mine []store.AskWhom
	for _, ask := range all { // by subject, that for all sites first
		n := len(mine)
		switch {
		case ask.Site != nil && *ask.Site != site:
		case n > 0 && strings.EqualFold(mine[n-1].Subject, ask.Subject):
			mine[n-1] = ask
		default:
			mine = append(mine, ask)
		}
	}
	return mine, nil
}
