// Package notice is what people are told of: their own page of it, the messages that leave
// the house by mail and as texts, and what time alone brings to tell. The acts of the other
// rooms tell by [app.Turn.Tell].
package notice

import (
	"context"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/store"
)

// Acts lists the acts of this package, for the tests that hold the permission table and
// the routes against them.
var Acts = []app.Act{SeeNotice{}, SeeNotices{}, ChooseWays{}, ChooseQuiet{}, SendAgain{}, AskQuestion{},
	GatherMessages{}, TellWhatTimeBrings{}}

// SeeNotice notes that somebody has seen a notice of theirs.
type SeeNotice struct {
	Notice uuid.UUID
	Leads  func(link string) // where it isn't nil, is told where the notice leads
}

// SeeNotices notes that somebody has seen all that their page showed.
type SeeNotices struct{ Until time.Time } // when it was read

// ChooseWays says by which ways one is told of a kind.
type ChooseWays struct{ Kind, Ways string }

// ChooseQuiet says in which hours nothing is sent to one, in seconds of the local day;
// the same twice for none.
type ChooseQuiet struct{ From, To int }

// SendAgain has a message that was given up sent again, under the same id.
type SendAgain struct{ Message uuid.UUID }

// AskQuestion asks whom the company named for a subject, from a page.
type AskQuestion struct {
	ID       uuid.UUID
	Ask      uuid.UUID // whom, by the subject
	Question string
	Page     string // a path of ours, that it is about
}

// Permission is what the act takes.
func (SeeNotice) Permission() string { return "self" }

// Permission is what the act takes.
func (SeeNotices) Permission() string { return "self" }

// Permission is what the act takes.
func (ChooseWays) Permission() string { return "self" }

// Permission is what the act takes.
func (ChooseQuiet) Permission() string { return "self" }

// Permission is what the act takes.
func (SendAgain) Permission() string { return "setup.change" }

// Permission is what the act takes.
func (AskQuestion) Permission() string { return "self" }

func (s SeeNotice) Do(ctx context.Context, t *app.Turn) error {
	link, err := store.SeeNotice(ctx, t, t.Actor.ID, s.Notice, t.Now)
	if err == nil && s.Leads != nil {
		s.Leads(link)
	}
	return err
}

func (s SeeNotices) Do(ctx context.Context, t *app.Turn) error {
	return store.SeeNotices(ctx, t, t.Actor.ID, s.Until, t.Now)
}

func (c ChooseWays) Do(ctx context.Context, t *app.Turn) error {
	kind, known := notice.Of(c.Kind)
	ways, choice := notice.Choice(c.Ways)
	switch {
	case !known || !choice || !concerns(t.Actor, kind):
		return app.ErrNotFound
	case ways == "" && kind.Never:
		return refusal.New("ways", "This can't be done without: it keeps your sign-in safe", "Choose a way")
	case ways == "" && !t.Company.NoticesOff:
		return refusal.New("ways", "Nobody does without notices here", "Choose your page alone")
	}
	if err := store.PutNoticeChoice(ctx, t, t.Actor.ID, kind.Key, string(ways)); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, t.Actor.ID, map[string]any{"notices": kind.Key, "by": ways})
	return nil
}

// concerns says whether somebody is told of a kind at all.
func concerns(who app.Actor, kind notice.Kind) bool {
	return kind.Needs == "" || who.Scope(kind.Needs) >= app.Crew
}

func (c ChooseQuiet) Do(ctx context.Context, t *app.Turn) error {
	const day = 24 * 3600
	if c.From < 0 || c.From >= day || c.To < 0 || c.To >= day {
		return refusal.New("quiet", "That is no time of day", "Write both like 21:00")
	}
	if err := store.PutQuiet(ctx, t, t.Actor.ID, c.From, c.To); err != nil {
		return err
	}
	t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, t.Actor.ID, map[string]any{"quiet": []int{c.From, c.To}})
	return nil
}

func (s SendAgain) Do(ctx context.Context, t *app.Turn) error {
	again, err := store.RetryMessage(ctx, t, s.Message)
	if err != nil {
		return err
	}
	if !again {
		return app.ErrNotFound
	}
	t.Record(store.Event{Act: t.Act}, s.Message, map[string]any{"message": "sent again"})
	return t.Later(ctx, deliver{s.Message})
}

// longestQuestion is how many characters a question has at most.
const longestQuestion = 500

func (q AskQuestion) Do(ctx context.Context, t *app.Turn) error {
	text := strings.TrimSpace(q.Question)
	switch {
	case text == "" || utf8.RuneCountInString(text) > longestQuestion:
		return refusal.New("question", "The question is missing or too long", "Write at most 500 characters")
	case !strings.HasPrefix(q.Page, "/") || strings.HasPrefix(q.Page, "//"):
		return app.ErrNotFound
	}
	ask, err := store.GetAsk(ctx, t, q.Ask)
	if err != nil {
		return err
	}
	if ask.Person == t.Actor.ID {
		return refusal.New("question", "You are whom one asks about that", "Ask about something else, or write a note")
	}
	t.Tell(app.Notice{Person: ask.Person, Kind: notice.Question, Key: q.ID.String(), Words: []string{t.Actor.Name(), text}, Link: q.Page})
	t.Record(store.Event{Person: t.Actor.ID, Act: t.Act}, q.ID, map[string]any{"asked": ask.Subject, "whom": ask.Person})
	return nil
}
