package leave

import (
	"context"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
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
}

// WithdrawLeave takes one's own request back, until it begins.
type WithdrawLeave struct{ Request uuid.UUID }

// Permission is what the act takes: for others it is asked again.
func (AskLeave) Permission() string { return "leave.ask" }

// Permission is what the act takes: it is one's own.
func (WithdrawLeave) Permission() string { return "leave.ask" }

const (
	mostDays    = 366 // of one request
	ahead       = 500 // days
	longestNote = 500
)

// Cost is what a day of a span costs: what is expected on it and isn't leave yet.
type Cost struct {
	Date    when.Date
	Seconds int64
	Why     string // why it costs nothing, "" where it does
}

// costs gives what each day of a span costs somebody.
func costs(ctx context.Context, q store.Q, place *app.Company, employment uuid.UUID, days when.Period, each int64) ([]Cost, error) {
	on := make([]store.EmploymentDate, 0, days.Days())
	for _, d := range days.Dates() {
		on = append(on, store.EmploymentDate{Employment: employment, Date: d})
	}
	plans, err := store.PlansOf(ctx, q, on, place.Holiday)
	if err != nil {
		return nil, err
	}
	asked, err := store.LeaveAskedIn(ctx, q, []uuid.UUID{employment}, days)
	if err != nil {
		return nil, err
	}
	found := make([]Cost, len(plans))
	for i, p := range plans {
		c := Cost{Date: p.Date}
		left := p.Plan.Expected - p.Plan.Leave
		switch {
		case slices.ContainsFunc(asked, func(a store.LeaveOn) bool { return a.Date == p.Date }):
			c.Why = "asked for already"
		case p.Plan.Leave > 0 && left <= 0:
			c.Why = "leave already"
		case p.Plan.Expected == 0 && p.Plan.Holiday:
			c.Why = "a holiday"
		case p.Plan.Expected == 0 && each > 0 && days.Days() == 1: // nothing says how long it is: they do
			c.Seconds = each
		case p.Plan.Expected == 0:
			c.Why = "no working day"
		case each > 0:
			c.Seconds = min(each, left)
		default:
			c.Seconds = left
		}
		found[i] = c
	}
	return found, nil
}

func (a AskLeave) Do(ctx context.Context, t *app.Turn) error {
	of := a.Employment
	if of == uuid.Nil {
		if t.Actor.Employment == nil {
			return app.ErrNotFound
		}
		of = *t.Actor.Employment
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
	each, err := costs(ctx, t, t.Company, of, a.Days, a.Seconds)
	if err != nil {
		return err
	}
	r := store.LeaveRequest{ID: a.ID, Employment: of, Person: who.Person, Unit: who.Unit, Kind: kind.ID, Note: note, AskedBy: t.Actor.ID,
		AskedAt: t.Now}
	var days []store.LeaveDay
	for _, c := range each {
		if c.Seconds > 0 {
			days = append(days, store.LeaveDay{Request: a.ID, Date: c.Date, Seconds: c.Seconds})
		}
	}
	if len(days) == 0 {
		return refusal.New("days", "None of these days costs leave: "+each[0].Date.Format("Mon 2 Jan")+" is "+orElse(each[0].Why),
			"Choose days on which work is expected")
	}
	if err := notPaid(ctx, t, of, days); err != nil {
		return err
	}
	if own {
		if err := enough(ctx, t, of, kind, days); err != nil {
			return err
		}
	}
	if _, err := store.InsertLeaveRequest(ctx, t, r, days); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, a.ID, map[string]any{"leave": len(days)})
	r.First, r.Last = days[0].Date, days[len(days)-1].Date
	if own {
		return tellDeciders(ctx, t, r, who.Name())
	}
	return lay(ctx, t, who.Lock(), approve, "", []store.LeaveRequest{r})
}

// tellDeciders tells those who decide leave of a crew that somebody asks for some.
func tellDeciders(ctx context.Context, t *app.Turn, r store.LeaveRequest, name string) error {
	all, err := t.Those(ctx, "leave.manage")
	if err != nil {
		return err
	}
	for _, who := range app.LeadOf(all, "leave.manage", r.Unit) {
		t.Tell(app.Notice{Person: who, Kind: notice.LeaveAsked, Key: r.ID.String(), Words: []string{name, spanWords(r.First, r.Last)},
			Link: "/leave/asked"})
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
