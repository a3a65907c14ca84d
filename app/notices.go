package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/core/notice"
	"manudex/store"
)

// Notice is something that an act tells somebody of. What the act changes and what it tells
// are written in one transaction; see package notice for how it is sent.
type Notice struct {
	Person uuid.UUID
	Kind   string    // of core/notice
	Key    string    // what it is about: told again, it is the same notice. "" for one of its own
	Words  []string  // in the places of the kind's sentence
	Link   string    // a path of ours
	About  time.Time // when what it tells of happens, if that is soon
}

// NoticeID is the id of the notice by which somebody is told of something by its key.
func NoticeID(person uuid.UUID, kind, key string) uuid.UUID {
	return uuid.NewSHA1(person, []byte(kind+" "+key))
}

// Tell tells people at the end of the turn; nobody of what they did themselves.
func (t *Turn) Tell(notices ...Notice) {
	for _, n := range notices {
		if n.Person != t.Actor.ID || t.Actor.ID == uuid.Nil {
			t.told = append(t.told, n)
		}
	}
}

// TellOneself tells the actor something that keeps their own sign-in safe.
func (t *Turn) TellOneself(n Notice) {
	n.Person = t.Actor.ID
	t.told = append(t.told, n)
}

// GatherJob is the work of putting what people are told of into messages.
type GatherJob struct{}

// Kind names the work in the queue.
func (GatherJob) Kind() string { return "gather_notices" }

// writeNotices keeps what the turn tells, and has it sent.
func (t *Turn) writeNotices(ctx context.Context, out []string) error {
	if len(t.told) == 0 {
		return nil
	}
	notices := make([]store.Notice, 0, len(t.told))
	seen := map[uuid.UUID]bool{}
	for _, n := range t.told {
		kind, known := notice.Of(n.Kind)
		if !known || len(n.Words) != kind.Words() {
			return fmt.Errorf("a notice of kind %q with %d words", n.Kind, len(n.Words))
		}
		words, err := json.Marshal(n.Words)
		if err != nil {
			return err
		}
		row := store.Notice{ID: uuid.Must(uuid.NewV7()), Person: n.Person, Kind: n.Kind, Words: words, Link: n.Link, MadeAt: t.Now,
			Ways: string(kind.Ways)}
		if n.Key != "" {
			row.ID = NoticeID(n.Person, n.Kind, n.Key)
		}
		if !n.About.IsZero() {
			row.About = &n.About
		}
		if !seen[row.ID] {
			seen[row.ID] = true
			notices = append(notices, row)
			t.events = append(t.events, store.Event{Person: n.Person, Act: "notice"})
		}
	}
	if err := store.InsertNotices(ctx, t.Together(), notices, out); err != nil {
		return err
	}
	if len(out) == 0 {
		return nil
	}
	return t.Later(ctx, GatherJob{})
}

// waysOut are the ways that leave the house from here.
func (a *App) waysOut() []string {
	out := []string{}
	if a.Post.Ready() {
		out = append(out, string(notice.Mail))
	}
	if a.Texts.Ready() {
		out = append(out, string(notice.Text))
	}
	return out
}

// Those are the people whom a permission reaches beyond themselves: all who may, of whom
// one then asks whom they may it to.
func (t *Turn) Those(ctx context.Context, permission string) ([]Actor, error) {
	people, err := store.OfficePeople(ctx, t, t.Company.Today(t.Now))
	if err != nil {
		return nil, err
	}
	var found []Actor
	for _, p := range people {
		if a := actorOf(t.Company, p); a.Scope(permission) >= Crew {
			found = append(found, a)
		}
	}
	return found, nil
}

// LeadOf picks those who lead a crew, or where nobody does, those whom the permission
// reaches it by.
func LeadOf(among []Actor, permission string, unit uuid.UUID) []uuid.UUID {
	var leads, others []uuid.UUID
	for _, a := range among {
		switch {
		case slices.Contains(a.LeadsUnits, unit):
			leads = append(leads, a.ID)
		case a.Level != "auditor" && a.Reaches(permission, uuid.Nil, unit):
			others = append(others, a.ID)
		}
	}
	if len(leads) > 0 {
		return leads
	}
	return others
}
