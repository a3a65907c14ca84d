package leave

import (
	"context"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// AskLeave asks for leave on the days of a span. Of others it is entered, by whom the company lets,
// and holds at once.
type AskLeave struct {
	ID         uuid.UUID
	Employment uuid.UUID // zero for one's own
	Kind       uuid.UUID
	Days       when.Period
	Seconds    int64 // of each day, 0 for all that is expected on it
	Note       string
	Photo      files.Photo // of a paper, empty for none
	Instead    uuid.UUID   // one's own request whose place this takes, zero for none
}

// Permission is what the act takes: for others it is asked again.
func (AskLeave) Permission() string { return "leave.ask" }

const (
	mostDays    = 366 // of one request
	ahead       = 500 // days
	longestNote = 500
)

func (a AskLeave) Do(ctx context.Context, t *app.Turn) error {
	of := a.Employment
	if of == uuid.Nil {
		if t.Actor.Employment == nil {
			return app.ErrNotFound
		}
		of = *t.Actor.Employment
	}
	if a.Instead != uuid.Nil {
		if err := store.LockOpeningsFrom(ctx, t, []uuid.UUID{of}); err != nil {
			return err
		}
	}
	who, err := store.LockEmployment(ctx, t, of)
	if err != nil {
		return err
	}
	own := who.Person == t.Actor.ID
	if !own && !t.Actor.Reaches("leave.manage", who.Person, who.Unit) {
		return app.ErrNotFound
	}
	if before, err := store.LeaveByID(ctx, t, []uuid.UUID{a.ID}); len(before) > 0 || err != nil {
		if err == nil && (before[0].AskedBy != t.Actor.ID || before[0].Employment != of) {
			return app.ErrConflict
		}
		return err
	}
	kind, err := store.GetLeaveKind(ctx, t, a.Kind)
	if err != nil {
		return err
	}
	note, today := strings.TrimSpace(a.Note), t.Company.Today(t.Now)
	switch {
	case kind.Closed:
		return refusal.New("kind", kind.Name+" can’t be asked for any more", "Choose another kind")
	case a.Days.To < a.Days.From || a.Days.Days() > mostDays:
		return refusal.New("days", "That is no span of days", "Choose at most a year, the last day not before the first")
	case a.Days.To > today+ahead:
		return refusal.New("days", "That is too far ahead", "Ask for it nearer to the time")
	case a.Seconds < 0 || a.Seconds > 24*3600:
		return refusal.New("hours", "That is no number of hours of a day", "Write it like 4:00, or nothing for whole days")
	case kind.NoteNeeded && note == "":
		return refusal.New("note", kind.Name+" needs a note", "Say in a few words why")
	case utf8.RuneCountInString(note) > longestNote:
		return refusal.New("note", "The note is too long", "Write at most 500 characters")
	}
	if kind.Photo && own && len(a.Photo.JPEG) == 0 {
		return refusal.New("photo", kind.Name+" needs a picture of a paper", "Take one, or choose one")
	}
	if a.Instead != uuid.Nil {
		if err := a.replace(ctx, t, who); err != nil {
			return err
		}
	}
	asks := asking{asker{who, kind, a.Days}, a.Days, a.Seconds, uuid.Nil}
	w, err := asks.weighed(ctx, t, t.Company, today)
	if err != nil {
		return err
	}
	r := store.LeaveRequest{ID: a.ID, Employment: of, Person: who.Person, Unit: who.Unit, Kind: kind.ID, Note: note, AskedBy: t.Actor.ID,
		AskedAt: t.Now, Instead: a.Instead}
	days := w.days(a.ID)
	if len(days) == 0 {
		return refusal.New("days", "None of these days costs leave: "+w.Costs[0].Date.Format("Mon 2 Jan")+" is "+orElse(w.Costs[0].Why),
			"Choose days on which work is expected")
	}
	if err := notPaid(ctx, t, of, days); err != nil {
		return err
	}
	if no := w.refused(); own && no != nil {
		return refusal.New("days", "Not possible on "+no.Date.Format("Mon 2 Jan 2006")+": "+no.Text, w.nearest())
	}
	if _, err := store.InsertLeaveRequest(ctx, t, r, days); err != nil {
		return err
	}
	if len(a.Photo.JPEG) > 0 {
		if err := store.InsertLeavePhoto(ctx, t, a.ID, of, a.Photo.Width, a.Photo.Height, a.Photo.JPEG, t.Now); err != nil {
			return err
		}
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, a.ID, map[string]any{"leave": len(days)})
	r.First, r.Last = days[0].Date, days[len(days)-1].Date
	if own {
		return tellDeciders(ctx, t, r, who.Name(), "")
	}
	return lay(ctx, t, who.Lock(), approve, "", []store.LeaveRequest{r})
}

// replace takes back the request whose place this takes.
func (a AskLeave) replace(ctx context.Context, t *app.Turn, who store.Employment) error {
	found, err := store.LeaveByID(ctx, t, []uuid.UUID{a.Instead})
	switch {
	case err != nil:
		return err
	case len(found) == 0 || found[0].Employment != who.ID || who.Person != t.Actor.ID:
		return app.ErrNotFound
	}
	if err := mayGoBack(found[0], t.Company.Today(t.Now)); err != nil {
		return err
	}
	return lay(ctx, t, who.Lock(), withdraw, "", found)
}

// days are those that cost something.
func (w Weighed) days(request uuid.UUID) []store.LeaveDay {
	var days []store.LeaveDay
	for _, c := range w.Costs {
		if c.Seconds > 0 {
			days = append(days, store.LeaveDay{Request: request, Date: c.Date, Seconds: c.Seconds, Amount: c.Amount.Exact()})
		}
	}
	return days
}

// tellDeciders tells those who decide leave of a crew that somebody asks for some, or for something
// else of it: once of each.
func tellDeciders(ctx context.Context, t *app.Turn, r store.LeaveRequest, name, what string) error {
	return tellThose(ctx, t, r.Unit, app.Notice{Kind: notice.LeaveAsked, Key: r.ID.String() + what, Words: []string{name,
		spanWords(r.First, r.Last)}})
}

func tellThose(ctx context.Context, t *app.Turn, unit uuid.UUID, n app.Notice) error {
	all, err := t.Those(ctx, "leave.manage")
	if err != nil {
		return err
	}
	for _, who := range app.LeadOf(all, "leave.manage", unit) {
		n.Person, n.Link = who, "/leave/asked"
		t.Tell(n)
	}
	return nil
}

func orElse(why string) string {
	if why == "" {
		return "no day of work"
	}
	return why
}

// notPaid refuses days that a run paid.
func notPaid(ctx context.Context, t *app.Turn, employment uuid.UUID, days []store.LeaveDay) error {
	on := make([]store.EmploymentDate, len(days))
	for i, d := range days {
		on[i] = store.EmploymentDate{Employment: employment, Date: d.Date}
	}
	paid, err := store.PaidDays(ctx, t, on)
	if err == nil && len(paid) > 0 {
		err = isPaid(paid[0].Date)
	}
	return err
}

// spanWords says from when to when: "Mon 16 Nov", or "Mon 16 Nov – Fri 20 Nov".
func spanWords(from, to when.Date) string {
	if from == to {
		return from.Format("Mon 2 Jan")
	}
	return from.Format("Mon 2 Jan") + " – " + to.Format("Mon 2 Jan")
}
