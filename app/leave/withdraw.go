package leave

import (
	"context"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// WithdrawLeave takes one's own request back, until it begins; afterwards it is asked for.
type WithdrawLeave struct {
	Request uuid.UUID
	Why     string // where it has begun
}

// Permission is what the act takes: it is one's own.
func (WithdrawLeave) Permission() string { return "leave.ask" }

func (w WithdrawLeave) Do(ctx context.Context, t *app.Turn) error {
	found, err := store.LeaveByID(ctx, t, []uuid.UUID{w.Request})
	if err != nil {
		return err
	}
	if len(found) == 0 || found[0].Person != t.Actor.ID {
		return app.ErrNotFound
	}
	lock, err := lockPeople(ctx, t, []uuid.UUID{found[0].Employment})
	if err != nil {
		return err
	}
	if found, err = store.LeaveByID(ctx, t, []uuid.UUID{w.Request}); err != nil { // as it is now that nobody decides
		return err
	}
	r := found[0]
	if r.Does == withdraw || r.Does == askBack {
		return nil
	}
	if why := strings.TrimSpace(w.Why); r.Booked() && r.First <= t.Company.Today(t.Now) && why != "" {
		if utf8.RuneCountInString(why) > longestNote {
			return refusal.New("why", "The reason is too long", "Write at most 500 characters")
		}
		if err := lay(ctx, t, lock, askBack, why, found); err != nil {
			return err
		}
		return tellDeciders(ctx, t, r, r.Name, askBack)
	}
	if err := mayGoBack(r, t.Company.Today(t.Now)); err != nil {
		return err
	}
	return lay(ctx, t, lock, withdraw, "", found)
}

// mayGoBack refuses to take a request back by oneself.
func mayGoBack(r store.LeaveRequest, today when.Date) error {
	switch {
	case !r.Open() && !r.Booked():
		return refusal.New("request", "This was declined", "There is nothing to take back")
	case r.Booked() && r.First <= today:
		return refusal.New("why", "This leave has begun", "Say why, and whoever decides takes it back")
	}
	return nil
}
