package roster

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
)

// Tell tells people what of the plan differs from what they were told: one message each,
// with their own changes. Their cards then expect it of them.
type Tell struct {
	ID   uuid.UUID
	Days when.Period
	Whom []Whom
}

// Whom is somebody who is told, with the digest of the changes of theirs that were shown.
type Whom struct {
	Employment uuid.UUID
	Seen       string
	Asked      bool // they asked for it themselves, as the planner says; it counts once they agree
}

// Permission is what the act takes.
func (Tell) Permission() string { return "roster.plan" }

// untold reads what of the plan of some employments isn't told, of days from today on.
func untold(ctx context.Context, q store.Q, employments []uuid.UUID, days when.Period) ([]roster.Change, map[uuid.UUID]store.PlannedShift,
	error) {
	draft, err := store.PlannedIn(ctx, q, store.Draft, employments, days)
	if err != nil {
		return nil, nil, err
	}
	told, err := store.PlannedIn(ctx, q, store.Told, employments, days)
	if err != nil {
		return nil, nil, err
	}
	return differ(ctx, q, draft, told)
}

// differ gives what a plan and what was told of it differ by. A shift that is in the one alone
// may have gone to a day outside of what was read: then it is read there.
func differ(ctx context.Context, q store.Q, draft, told []store.PlannedShift) ([]roster.Change, map[uuid.UUID]store.PlannedShift, error) {
	more, err := store.PlannedNamed(ctx, q, store.Told, lacking(draft, told))
	if err != nil {
		return nil, nil, err
	}
	gone, err := store.PlannedNamed(ctx, q, store.Draft, lacking(told, draft))
	if err != nil {
		return nil, nil, err
	}
	names := map[uuid.UUID]store.PlannedShift{}
	var was, is []roster.Shift
	for _, s := range append(slices.Clone(told), more...) {
		was, names[s.ID] = append(was, s.Rule()), s
	}
	for _, s := range append(slices.Clone(draft), gone...) {
		is, names[s.ID] = append(is, s.Rule()), s
	}
	return roster.Differ(was, is), names, nil
}

// lacking are the ids of some shifts that others don't have.
func lacking(some, others []store.PlannedShift) []uuid.UUID {
	there := map[uuid.UUID]bool{}
	for _, s := range others {
		there[s.ID] = true
	}
	var ids []uuid.UUID
	for _, s := range some {
		if !there[s.ID] {
			ids = append(ids, s.ID)
		}
	}
	return ids
}

// Digest stands for changes on a form: the same changes, the same text.
func Digest(changes []roster.Change) string {
	h := sha256.New()
	for _, c := range changes {
		for _, s := range []*roster.Shift{c.Was, c.Is} {
			if s == nil {
				fmt.Fprint(h, "-;")
				continue
			}
			fmt.Fprint(h, s.ID, s.Employment, s.Date, s.Start.Unix(), s.End.Unix(), s.Job, s.Task, s.Less, s.Note, ";")
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:12])
}

func (a Tell) Do(ctx context.Context, t *app.Turn) error {
	d := draft{batch: a.ID}
	if len(a.Whom) == 0 || len(a.Whom) > mostShifts {
		return refusal.New("tell", "Nobody is chosen, or too many are", "Choose whom to tell")
	}
	whom := make([]uuid.UUID, len(a.Whom))
	for i, w := range a.Whom {
		whom[i] = w.Employment
	}
	if err := d.lock(ctx, t, whom); err != nil {
		return err
	}
	notices := make([]uuid.UUID, len(whom))
	for i, of := range whom {
		notices[i] = d.noticeID(of)
	}
	if again, err := store.ToldBy(ctx, t, notices); again || err != nil { // sent twice it is answered as before
		return err
	}
	a.Days.From = max(a.Days.From, t.Company.Today(t.Now))
	changes, names, err := untold(ctx, t, whom, a.Days)
	if err != nil {
		return err
	}
	if len(changes) == 0 {
		return refusal.New("tell", "Everybody knows already", "Look at the plan again")
	}
	each := map[uuid.UUID][]roster.Change{}
	for _, c := range changes {
		each[c.Of()] = append(each[c.Of()], c)
	}
	asked := map[uuid.UUID]uuid.UUID{}
	for _, w := range a.Whom {
		if w.Asked {
			asked[w.Employment] = d.people[w.Employment].Person
		}
		if Digest(each[w.Employment]) != w.Seen {
			return refusal.New("tell", "The plan changed while you were looking", "Look at it again and press once more")
		}
	}
	tellings := make([]store.Telling, len(changes))
	on := map[store.EmploymentDate]bool{}
	for i, c := range changes {
		of := c.Of()
		tellings[i] = store.Telling{Change: c, Notice: d.noticeID(of), Asked: asked[of]}
		for _, s := range []*roster.Shift{c.Was, c.Is} {
			if s != nil {
				on[store.EmploymentDate{Employment: s.Employment, Date: s.Date}] = true
			}
		}
	}
	if err := store.TellShifts(ctx, t, t.Actor.ID, t.Now, tellings); err != nil {
		return err
	}
	lock, err := store.LockPeople(ctx, t, whom)
	if err != nil {
		return err
	}
	days := make([]store.EmploymentDate, 0, len(on))
	for o := range on {
		days = append(days, o)
	}
	if err := hours.PlanTold(ctx, t, lock, days); err != nil {
		return err
	}
	d.tell(t, each, names)
	return nil
}

// noticeID is the notice by which somebody is told.
func (d *draft) noticeID(employment uuid.UUID) uuid.UUID {
	return app.NoticeID(d.people[employment].Person, notice.ShiftTold, d.batch.String()+employment.String())
}

// tell tells each of their changes.
func (d *draft) tell(t *app.Turn, each map[uuid.UUID][]roster.Change, names map[uuid.UUID]store.PlannedShift) {
	for of, changes := range each {
		who := d.people[of]
		slices.SortFunc(changes, func(a, b roster.Change) int { return a.Begins().Compare(b.Begins()) })
		n := app.Notice{Person: who.Person, Kind: notice.ShiftTold, Key: d.batch.String() + of.String(), Link: "/shifts",
			Words: []string{Words(changes, names, d.zone(of))}, About: changes[0].Begins()}
		t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: "roster.plan"}, of, map[string]any{"told": len(changes)})
		t.Tell(n)
	}
}

// mostWords is how many changes a message says one by one.
const mostWords = 8

// Words says what changes for somebody, as sentences of the catalogue.
func Words(changes []roster.Change, names map[uuid.UUID]store.PlannedShift, loc *time.Location) string {
	var said []string
	for i, c := range changes {
		if i == mostWords {
			said = append(said, fmt.Sprintf("And %d more", len(changes)-i))
			break
		}
		said = append(said, changeWords(c, names, loc))
	}
	return strings.Join(said, ". ")
}

// changeWords says one change.
func changeWords(c roster.Change, names map[uuid.UUID]store.PlannedShift, loc *time.Location) string {
	switch {
	case c.Was == nil:
		return "New: " + spanWords(*c.Is, loc) + onWords(*c.Is, names)
	case c.Is == nil:
		return "Not any more: " + spanWords(*c.Was, loc)
	case c.Was.Start.Equal(c.Is.Start) && c.Was.End.Equal(c.Is.End):
		return spanWords(*c.Is, loc) + " is now" + onWords(*c.Is, names)
	}
	return spanWords(*c.Was, loc) + " is now " + spanWords(*c.Is, loc) + onWords(*c.Is, names)
}

// spanWords says when a shift is: "Mon 16 Nov 07:00–15:30".
func spanWords(s roster.Shift, loc *time.Location) string {
	return s.Date.Format("Mon 2 Jan") + " " + s.Start.In(loc).Format("15:04") + "–" + s.End.In(loc).Format("15:04")
}

// onWords says on what it is: ", 2231", "" for nothing.
func onWords(s roster.Shift, names map[uuid.UUID]store.PlannedShift) string {
	if n := names[s.ID]; n.JobNumber != "" && store.IDOrNil(n.Job) == s.Job {
		return ", " + n.JobNumber
	}
	return ""
}
