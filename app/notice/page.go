package notice

import (
	"cmp"
	"context"
	"strings"
	"time"

	"manudex/app"
	"manudex/core/notice"
	"manudex/store"
)

// Read is one's own page of notices, with how one is told.
type Read struct {
	At      time.Time // when it was read
	Loc     *time.Location
	Notices []store.Notice
	Reach   store.Reachable
	Kinds   []KindChosen
	Mail    bool // mail is sent from here
	Text    bool // text messages are
	MayNone bool // a kind may be done without
	Unseen  int
}

// KindChosen is a kind with the ways by which somebody is told of it.
type KindChosen struct {
	notice.Kind
	By notice.Ways
}

// shown is how many notices the page lists.
const shown = 100

// ReadNotices reads that page of the actor.
func ReadNotices(ctx context.Context, a *app.App, actor app.Actor) (*Read, error) {
	if !actor.May("self") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &Read{At: a.Now(), Loc: place.Loc, Mail: a.Post.Ready(), Text: a.Texts.Ready(), MayNone: place.NoticesOff}
	if actor.Zone != nil {
		if p.Loc, err = time.LoadLocation(*actor.Zone); err != nil {
			return nil, err
		}
	}
	if p.Notices, err = store.Notices(ctx, a.DB, actor.ID, shown); err != nil {
		return nil, err
	}
	for _, n := range p.Notices {
		if n.SeenAt == nil {
			p.Unseen++
		}
	}
	if p.Reach, err = store.GetReachable(ctx, a.DB, actor.ID); err != nil {
		return nil, err
	}
	chosen, err := store.NoticeChoices(ctx, a.DB, actor.ID)
	if err != nil {
		return nil, err
	}
	for _, k := range notice.Kinds {
		if concerns(actor, k) {
			by, is := chosen[k.Key]
			if !is {
				by = string(k.Ways)
			}
			p.Kinds = append(p.Kinds, KindChosen{k, notice.Ways(by)})
		}
	}
	return p, nil
}

// Sent is the page of what leaves the house.
type Sent struct {
	Loc           *time.Location
	Undelivered   []store.Message
	Sent, Waiting int // of the last day; and what isn't sent yet
	Mail, Text    bool
}

// ReadSent reads that page.
func ReadSent(ctx context.Context, a *app.App, actor app.Actor) (*Sent, error) {
	if !actor.May("setup.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &Sent{Loc: place.Loc, Mail: a.Post.Ready(), Text: a.Texts.Ready()}
	if p.Undelivered, err = store.Undelivered(ctx, a.DB, shown); err != nil {
		return nil, err
	}
	p.Sent, p.Waiting, err = store.CountMessages(ctx, a.DB, a.Now().Add(-24*time.Hour))
	return p, err
}

// Names says of what kinds a message tells.
func Names(kinds string) string {
	var names []string
	for key := range strings.SplitSeq(kinds, ",") {
		if k, known := notice.Of(key); known {
			names = append(names, k.Name)
		}
	}
	return cmp.Or(strings.Join(names, "; "), "—")
}
