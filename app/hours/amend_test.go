package hours_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/apptest"
	"manudex/app/company"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
	"manudex/store"
)

// day writes somebody's stints of a date: "06:54-11:30 work", with an h at an
// edge by hand.
func day(t *testing.T, w *dbtest.World, ref hours.CardRef) string {
	t.Helper()
	stints, err := store.StintsOn(context.Background(), w.DB, []uuid.UUID{ref.Employment}, []when.Date{ref.Date})
	apptest.Must(t, err)
	zone := loc(t, "America/New_York")
	var out []string
	for _, s := range stints {
		end := "…"
		if !s.Open() {
			end = s.End.In(zone).Format("15:04")
		}
		text := s.Start.In(zone).Format("15:04")
		if s.StartBy == clock.ByHand {
			text = "h" + text
		}
		if text += "-" + end; s.EndBy == clock.ByHand {
			text += "h"
		}
		out = append(out, text+" "+string(s.Kind))
	}
	return strings.Join(out, ", ")
}

func loc(t *testing.T, name string) *time.Location {
	t.Helper()
	l, err := time.LoadLocation(name)
	apptest.Must(t, err)
	return l
}

// rowsOf writes what is derived of somebody, but for where it is looked from.
func rowsOf(t *testing.T, w *dbtest.World, employment uuid.UUID) string {
	t.Helper()
	return dbtest.Get[string](t, w, `select (select string_agg((to_jsonb(s) - 'base_at')::text, E'\n' order by start_at) from stint s
		where employment_id = $1) || (select string_agg(worked::text || break || flags,
			E'\n' order by date) from card where employment_id = $1)
		|| (select string_agg(to_jsonb(h)::text, E'\n' order by h::text) from hours h where employment_id = $1)`, employment)
}

// tomasz is the card of a disputed day: 06:54-11:30, meal, 12:00-17:45 by hand.
func tomasz(t *testing.T, w *dbtest.World) (ref hours.CardRef, stints []store.Stint, at func(string) time.Time) {
	t.Helper()
	ref = apptest.Ref(t, w, "Tomasz Brandt", apptest.Thursday)
	stints, err := store.StintsOn(context.Background(), w.DB, []uuid.UUID{ref.Employment}, []when.Date{ref.Date})
	apptest.Must(t, err)
	zone := loc(t, "America/New_York")
	return ref, stints, func(text string) time.Time {
		of, err := when.ParseTimeOfDay(text)
		apptest.Must(t, err)
		return ref.Date.At(of, zone)
	}
}

// Each amendment does what it says, leaves everything else as it was, and can be
// taken back.
func TestAmend(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	ref, stints, at := tomasz(t, w)
	other := apptest.Work(t, w, "2226", "Priming")
	const was = "06:54-11:30 work, 11:30-12:00 meal, 12:00-17:45h work"
	if got := day(t, w, ref); got != was {
		t.Fatalf("the day is %s", got)
	}
	before := rowsOf(t, w, ref.Employment)
	second := apptest.NewID()
	for _, c := range []struct {
		name, want string
		changes    []hours.Change
	}{
		{"an end", "06:54-11:30 work, 11:30-12:00 meal, 12:00-15:31h work",
			[]hours.Change{{Does: clock.MoveEnd, Of: stints[2].ID, At: at("15:31")}}},
		{"a begin", "h06:30-11:30 work, 11:30-12:00 meal, 12:00-17:45h work",
			[]hours.Change{{Does: clock.MoveStart, Of: stints[0].ID, At: at("06:30")}}},
		{"where two meet", "06:54-11:15h work, h11:15-12:00 meal, 12:00-17:45h work",
			[]hours.Change{{Does: clock.MoveEnd, Of: stints[0].ID, At: at("11:15")}}},
		{"a split, and the rest of that", "06:54-08:00h work, h08:00-09:00h meal, h09:00-11:30 work, 11:30-12:00 meal, 12:00-17:45h work",
			[]hours.Change{{ID: second, Does: clock.Split, Of: stints[0].ID, At: at("08:00"), Kind: clock.Meal, On: stints[0].On},
				{Does: clock.Split, Of: second, At: at("09:00"), Kind: clock.Work, On: other}}},
		{"two joined", "06:54-12:00 work, 12:00-17:45h work", []hours.Change{{Does: clock.Join, Of: stints[0].ID}}},
		{"another job", was, []hours.Change{{Does: clock.Reassign, Of: stints[0].ID, Kind: clock.Work, On: other}}},
		{"a meal that was worked", "06:54-11:30 work, 11:30-12:00 work, 12:00-17:45h work",
			[]hours.Change{{Does: clock.Reassign, Of: stints[1].ID, Kind: clock.Work, On: stints[0].On}}},
		{"removed", "06:54-11:30 work, 12:00-17:45h work", []hours.Change{{Does: clock.Remove, Of: stints[1].ID}}},
		{"added", "h05:00-06:00h work, 06:54-11:30 work, 11:30-12:00 meal, 12:00-17:45h work",
			[]hours.Change{{Does: clock.AddStint, At: at("05:00"), Until: at("06:00"), Kind: clock.Work, On: other}}},
		{"the whole day", "", []hours.Change{{Does: clock.Remove, Of: stints[0].ID}, {Does: clock.Remove, Of: stints[1].ID},
			{Does: clock.Remove, Of: stints[2].ID}}},
	} {
		for i := range c.changes {
			c.changes[i].Employment = ref.Employment
		}
		batch := apptest.NewID()
		var told []hours.Amended
		act := hours.Amend{Batch: batch, Changes: c.changes, Why: "The lead says so", Tell: func(a []hours.Amended) { told = a }}
		preview, err := hours.PreviewAmend(ctx, w.App, mira, act)
		apptest.Must(t, err)
		apptest.Must(t, w.Do(ctx, mira, act))
		apptest.Must(t, w.Do(ctx, mira, act)) // sent twice
		if got := day(t, w, ref); got != c.want {
			t.Errorf("%s:\n got %s\nwant %s", c.name, got, c.want)
		}
		if len(told) != 1 || len(preview) != 1 || len(preview[0].Is) != len(told[0].Is) || preview[0].Who.Name() != "Tomasz Brandt" {
			t.Errorf("%s: the preview says %+v, the act %+v", c.name, preview, told)
		}
		if n := dbtest.Get[int](t, w, `select count(*) from amendment where batch_id = $1`, batch); n != len(c.changes) {
			t.Errorf("%s: %d amendments, want %d", c.name, n, len(c.changes))
		}
		apptest.Consistent(t, w)
		apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: batch}))
		if got := rowsOf(t, w, ref.Employment); got != before {
			t.Errorf("%s taken back:\n%s\nwas\n%s", c.name, got, before)
		}
		if r := apptest.Refusal(t, w.Do(ctx, mira, app.Undo{Batch: batch})); !strings.Contains(r.Wrong, "taken back already") {
			t.Errorf("%s taken back twice: %v", c.name, r)
		}
	}
	apptest.Consistent(t, w)
	p, err := hours.ReadCardPage(ctx, w.App, mira, ref)
	apptest.Must(t, err)
	if n := len(p.Amended); n != 26 { // each change and its taking back
		t.Errorf("%d lines of what was changed", n)
	}
	for _, l := range p.Amended {
		if l.ByName != "Mira Castellane" || l.Does != clock.TakeBack && (l.Why != "The lead says so" || !l.Back) ||
			len(l.Was)+len(l.Is) == 0 {
			t.Errorf("a line: %+v", l)
		}
	}
	if p.Row.State != card.Open || !has(flagsOf(t, w, ref), card.Reopened) {
		t.Errorf("the signed card is %s, %v", p.Row.State, p.Row.Flags)
	}
}

func refsOf(rows []hours.DayRow) (refs []hours.CardRef) {
	for _, r := range rows {
		refs = append(refs, hours.CardRef{Employment: r.Employment, Date: r.Date})
	}
	return refs
}

// Over several people at once: those that don't fit are named, all or the
// fitting ones are changed, and one undo takes it back, in as many statements
// for many as for few.
func TestAmendSeveral(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	var rows []hours.DayRow
	desk, err := hours.ReadBoard(ctx, w.App, mira, hours.BoardQuery{})
	apptest.Must(t, err)
	for _, r := range desk.Rows {
		if r.Running() && r.Person != mira.ID {
			rows = append(rows, r.DayRow)
		}
	}
	late := rows[0].OpenSince
	for _, r := range rows {
		if r.OpenSince.After(late) {
			late = r.OpenSince
		}
	}
	rows, err = hours.ReadRows(ctx, w.App, mira, "time.edit", refsOf(rows))
	apptest.Must(t, err)
	end := late.In(loc(t, "America/New_York")).Truncate(time.Minute)
	changes, none := hours.SameChange{Does: clock.EndRunning,
		At: time.Duration(end.Hour())*time.Hour + time.Duration(end.Minute())*time.Minute}.Of(rows)
	if len(changes) != len(rows) || len(none) > 0 || len(rows) < 20 {
		t.Fatalf("%d changes for %d people", len(changes), len(rows))
	}
	act := hours.Amend{Batch: apptest.NewID(), Changes: changes, Why: "Sent home by the storm"}
	preview, err := hours.PreviewAmend(ctx, w.App, mira, act)
	apptest.Must(t, err)
	fits := 0
	for _, p := range preview {
		if p.Refused == nil {
			fits++
		}
	}
	if fits == 0 || fits == len(preview) {
		t.Fatalf("%d of %d fit", fits, len(preview))
	}
	r := apptest.Refusal(t, w.Do(ctx, mira, act))
	if !strings.Contains(r.Wrong, fmt.Sprintf("for %d of %d", len(preview)-fits, len(preview))) {
		t.Errorf("all or none: %v", r)
	}
	act.Fitting = true
	apptest.Must(t, w.Do(ctx, mira, act))
	if n := dbtest.Get[int](t, w, `select count(*) from stint where end_by = 'hand' and end_at = $1`, end); n != fits {
		t.Errorf("%d ended, %d fit", n, fits)
	}
	apptest.Consistent(t, w)
	// One of them has clocked in since: he stays, the others are taken back.
	one := preview[slices.IndexFunc(preview, func(p hours.Amended) bool { return p.Refused == nil })].Who
	w.Pass(time.Minute)
	who, err := w.Actor(ctx, one.Person)
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, who, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: apptest.Work(t, w, "2226", "Priming")}))
	var done app.Undone
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: act.Batch, Tell: func(d app.Undone) { done = d }}))
	if len(done.Left) != 1 || !strings.HasPrefix(done.Left[0], one.Name()+": They clocked in since") {
		t.Errorf("taken back: %+v", done)
	}
	if n := dbtest.Get[int](t, w, `select count(*) from stint where end_at is null`); n < fits {
		t.Errorf("%d run again", n)
	}
	apptest.Consistent(t, w)
}

// Whatever is punched, amended and taken back, by whomever, what is stored is
// what was recorded, nobody is at two places at once, and every amendment that
// is taken back at once leaves everything as it was.
func TestAmendAtRandom(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	r := rand.New(rand.NewPCG(11, 12))
	works := []clock.Assignment{apptest.Work(t, w, "2226", "Priming"), apptest.Work(t, w, "2226", "Coating")}
	names := []string{"Dao Pham", "Tomasz Brandt", "Ruth Adeyemi"}
	tried := map[string]int{}
	for range 150 {
		who := w.Person(t, names[r.IntN(len(names))])
		w.Pass(time.Duration(1+r.IntN(40)) * time.Minute)
		if r.IntN(3) == 0 {
			punch := hours.Punch{ID: apptest.NewID(), Act: []clock.Act{clock.In, clock.Out, clock.Switch, clock.BreakStart,
				clock.BreakEnd}[r.IntN(5)],
				On: works[r.IntN(2)]}
			if punch.Act == clock.BreakStart {
				punch.Break = clock.Meal
			}
			if err := w.Do(ctx, who, punch); err == nil {
				tried[string(punch.Act)]++
			}
			continue
		}
		stints, err := store.StintsFrom(ctx, w.DB, []uuid.UUID{*who.Employment}, apptest.Thursday-3)
		apptest.Must(t, err)
		c := hours.Change{Employment: *who.Employment, Kind: clock.Work, On: works[r.IntN(2)],
			Does: []clock.AmendAct{clock.MoveStart, clock.MoveEnd, clock.EndRunning, clock.Reassign, clock.AddStint, clock.Split,
				clock.Join,
				clock.Remove}[r.IntN(8)]}
		if len(stints) > 0 {
			s := stints[r.IntN(len(stints))]
			if c.Does == clock.EndRunning {
				s = stints[len(stints)-1]
			}
			c.Of, c.At = s.ID, s.Start.Add(time.Duration(r.IntN(6*60)-60)*time.Minute)
		} else {
			c.At = w.At().Add(-time.Duration(r.IntN(600)) * time.Minute)
		}
		c.Until = c.At.Add(time.Duration(1+r.IntN(200)) * time.Minute)
		before := rowsOf(t, w, *who.Employment)
		act := hours.Amend{Batch: apptest.NewID(), Changes: []hours.Change{c}, Why: "x"}
		if err := w.Do(ctx, mira, act); err != nil {
			apptest.Refusal(t, err)
			continue
		}
		tried[string(c.Does)]++
		if r.IntN(2) == 0 {
			if err := w.Do(ctx, mira, app.Undo{Batch: act.Batch}); err != nil {
				t.Fatalf("%s of %s is not taken back: %v", c.Does, who.Name(), err)
			}
			if after := rowsOf(t, w, *who.Employment); after != before {
				t.Fatalf("%s of %s taken back:\n%s\nwas\n%s", c.Does, who.Name(), after, before)
			}
		}
	}
	for _, act := range []string{"in", "out", "move_start", "move_end", "reassign", "add", "split", "remove"} {
		if tried[act] == 0 {
			t.Errorf("%s was never done: %v", act, tried)
		}
	}
	apptest.Consistent(t, w)
	apptest.Must(t, w.Do(ctx, w.Person(t, "Orla Ebbwater"), company.SetCompany{Field: "longest_shift", Value: "300"}))
	apptest.Consistent(t, w) // by other limits too
}

// A change of a paid day waits until somebody other than who made it has
// approved it, and lands in the next run.
func TestAmendWhatWasPaid(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	w.Set(apptest.AfterPeriod)
	ref := apptest.Ref(t, w, "Dao Pham", when.NewDate(2026, 11, 5))
	stints, err := store.StintsOn(ctx, w.DB, []uuid.UUID{ref.Employment}, []when.Date{ref.Date})
	apptest.Must(t, err)
	last := stints[len(stints)-1]
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "Stayed to lock up", Changes: []hours.Change{
		{Employment: ref.Employment, Does: clock.MoveEnd, Of: last.ID, At: last.End.Add(time.Hour)}}}))
	paid, _ := apptest.Share(t, w, ref.Employment)
	if r := apptest.Refusal(t, w.Do(ctx, mira, hours.Approve{Card: ref})); !strings.Contains(r.Wrong, "You changed the card") {
		t.Errorf("approved by who changed it: %v", r)
	}
	apptest.Must(t, w.Do(ctx, w.Person(t, "Piet Donoghue"), hours.Approve{Card: ref}))
	if now, _ := apptest.Share(t, w, ref.Employment); now != paid+3600 {
		t.Errorf("the run pays %d s, without the change %d", now, paid)
	}
	apptest.Consistent(t, w)
}

// What nobody ended counts nowhere once it is longer than the longest shift,
// whether it runs or was only ended by what began next, and everywhere again once
// somebody has said when it ended.
func TestNotCountedAnywhere(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira, dao := context.Background(), w.Person(t, "Mira Castellane"), w.Person(t, "Dao Pham")
	ref := hours.CardRef{Employment: *dao.Employment, Date: when.NewDate(2026, 11, 13)}
	running, err := store.LastStint(ctx, w.DB, ref.Employment)
	apptest.Must(t, err)
	job := running.On.Job
	sums := func() string {
		t.Helper()
		place, err := w.Company(ctx)
		apptest.Must(t, err)
		days := when.Period{From: ref.Date, To: ref.Date}
		d, err := hours.ReadDesk(ctx, w.App, mira, hours.DeskQuery{Days: days, Person: dao.ID})
		apptest.Must(t, err)
		onJob, err := hours.ReadDesk(ctx, w.App, mira, hours.DeskQuery{Days: days, Job: job})
		apptest.Must(t, err)
		others := dbtest.Get[int64](t, w, `select coalesce(sum(extract(epoch from least(coalesce(end_at, $3), $3) - start_at)), 0)::bigint
			from stint where job_id = $1 and kind = 'work' and date = $2 and employment_id <> $4
			and (end_at is not null or $3 - start_at <= interval '16 hours')`, job, ref.Date.String(), w.At(), ref.Employment)
		kept := dbtest.Get[int64](t, w, `select coalesce(sum(seconds), 0)::bigint from hours where employment_id = $1 and date = $2
			and kind = 'work'`, ref.Employment, ref.Date.String())
		paying, err := store.PayStints(ctx, w.DB, store.PayScope{Group: "", From: ref.Date, To: ref.Date})
		apptest.Must(t, err)
		var pays int64
		for _, s := range paying {
			if s.Employment == ref.Employment && s.Date == ref.Date && s.Kind == clock.Work {
				pays += int64(s.End.Sub(s.Start) / time.Second)
			}
		}
		return fmt.Sprint(d.Rows[0].Worked, " ", d.Rows[0].Live(w.At(), place.Limits), " ", kept, " ", onJob.Counts.Worked-others, " ",
			pays)
	}
	w.Set(running.Start.Add(16 * time.Hour))
	morning := dbtest.Get[int64](t, w, `select worked from card where employment_id = $1 and date = $2`, ref.Employment, ref.Date.String())
	onJob := dbtest.Get[int64](t, w,
		`select coalesce(sum(seconds), 0)::bigint from hours where employment_id = $1 and date = $2 and job_id = $3
		and kind = 'work'`, ref.Employment, ref.Date.String(), job)
	work := dbtest.Get[int64](t, w, `select coalesce(sum(seconds), 0)::bigint from hours where employment_id = $1 and date = $2
		and kind = 'work'`, ref.Employment, ref.Date.String())
	want := func(more, live int64) string {
		return fmt.Sprint(morning+more, " ", morning+live, " ", work+more, " ", onJob+live, " ", 0)
	}
	if got := sums(); got != want(0, 16*3600) {
		t.Errorf("as long as the longest shift: %s, want %s", got, want(0, 16*3600))
	}
	w.Pass(time.Second)
	if got := sums(); got != want(0, 0) {
		t.Errorf("a second longer: %s, want %s", got, want(0, 0))
	}
	if codes := flagsOf(t, w, ref); !has(codes, card.LongOpen) {
		t.Errorf("flags %v", codes)
	}
	// He clocks in the next morning: that ends nothing that counts.
	w.Set(running.Start.Add(23 * time.Hour))
	apptest.Must(t, w.Do(ctx, dao, hours.Punch{ID: apptest.NewID(), Act: clock.In, On: apptest.Work(t, w, "2226", "Coating")}))
	if got := sums(); got != want(0, 0) {
		t.Errorf("the next day: %s, want %s", got, want(0, 0))
	}
	if codes := flagsOf(t, w, ref); !has(codes, card.LongOpen) {
		t.Errorf("flags of the day that nobody ended: %v", codes)
	}
	apptest.Consistent(t, w)
	// Asked when he left, he says so, and somebody else takes it, in part.
	left := running.Start.Add(8 * time.Hour)
	ask := hours.AskChange{ID: apptest.NewID(), Why: "Forgot", Change: hours.Change{Employment: ref.Employment, Does: clock.EndRunning,
		Of: running.ID, At: left}}
	apptest.Must(t, w.Do(ctx, dao, ask))
	apptest.Must(t, w.Do(ctx, dao, ask)) // sent twice
	if got := sums(); got != want(0, 0) || !has(flagsOf(t, w, ref), card.Asked) {
		t.Errorf("asked for: %s, %v", got, flagsOf(t, w, ref))
	}
	apptest.Must(t, w.Do(ctx, mira, hours.TakeRequest{Request: ask.ID, Batch: apptest.NewID(), At: left.Add(-time.Hour)}))
	if got := sums(); got != want(7*3600, 7*3600) {
		t.Errorf("taken in part: %s, want %s", got, want(7*3600, 7*3600))
	}
	if codes := flagsOf(t, w, ref); has(codes, card.Asked) || has(codes, card.LongOpen) || !has(codes, card.HandEdge) {
		t.Errorf("flags after it was taken: %v", codes)
	}
	apptest.Must(t, w.Do(ctx, dao, hours.Sign{Card: ref}))
	if r := apptest.Refusal(t, w.Do(ctx, mira, hours.Approve{Card: ref})); !strings.Contains(r.Wrong, "You changed the card") {
		t.Errorf("approved by who took it: %v", r)
	}
	apptest.Consistent(t, w)
}

// Two checkers at once: the second is told who is looking, and until when; the
// hold never keeps a punch, and lapses by itself.
func TestTwoCheckersAtOnce(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira, piet := context.Background(), w.Person(t, "Mira Castellane"), w.Person(t, "Piet Donoghue")
	ref, stints, at := tomasz(t, w)
	apptest.Must(t, w.Do(ctx, mira, hours.Hold{Card: ref}))
	change := hours.Amend{Batch: apptest.NewID(), Why: "x", Changes: []hours.Change{{Employment: ref.Employment, Does: clock.MoveEnd,
		Of: stints[2].ID, At: at("15:30")}}}
	for name, act := range map[string]app.Act{"held": hours.Hold{Card: ref}, "approved": hours.Approve{Card: ref},
		"sent back": hours.SendBack{Card: ref, Why: "x"}, "changed": change, "released": hours.Release{Card: ref}} {
		if r := apptest.Refusal(t, w.Do(ctx, piet, act)); !strings.Contains(r.Wrong, "Mira Castellane is looking at the card") {
			t.Errorf("%s by another: %v", name, r)
		}
	}
	p, err := hours.ReadCardPage(ctx, w.App, piet, ref)
	apptest.Must(t, err)
	if p.May.Approve || p.May.Amend || p.May.Hold || !strings.HasPrefix(p.WhyNot, "Mira Castellane is looking at it since") {
		t.Errorf("another is offered %+v, %q", p.May, p.WhyNot)
	}
	// All clear ones are approved without those that she holds.
	clear := dbtest.Get[uuid.UUID](t, w, `select c.employment_id from card c where c.date = '2026-11-12' and state = 'signed'
		and flags = '[]' order by 1 limit 1`)
	apptest.Must(t, w.Do(ctx, mira, hours.Hold{Card: hours.CardRef{Employment: clear, Date: apptest.Thursday}}))
	desk, err := hours.ReadDesk(ctx, w.App, piet, apptest.OneDay(apptest.Thursday))
	apptest.Must(t, err)
	apptest.Must(t, w.Do(ctx, piet, hours.ApproveClear{Days: desk.Query.Days, Seen: desk.ApproveDigest, ID: apptest.NewID()}))
	if state := dbtest.Get[string](t, w, `select state from card where employment_id = $1 and date = '2026-11-12'`,
		clear); state != "signed" {
		t.Errorf("a held card was %s with the clear ones", state)
	}
	w.Pass(store.HoldLasts + time.Second)
	apptest.Must(t, w.Do(ctx, piet, change))
	apptest.Must(t, w.Do(ctx, w.Person(t, "Tomasz Brandt"), hours.Sign{Card: ref}))
	apptest.Must(t, w.Do(ctx, mira, hours.Hold{Card: ref}))
	apptest.Must(t, w.Do(ctx, mira, hours.Release{Card: ref}))
	apptest.Must(t, w.Do(ctx, mira, hours.Approve{Card: ref, Why: "He called in"}))
}

// A change is objected to, and only who neither made nor approved it answers;
// until then nobody approves the card.
func TestObjections(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira, piet, dao := context.Background(), w.Person(t, "Mira Castellane"), w.Person(t, "Piet Donoghue"), w.Person(t, "Tomasz Brandt")
	ref, stints, at := tomasz(t, w)
	say := hours.Object{ID: apptest.NewID(), Card: ref, Body: "I was there until quarter to six"}
	if r := apptest.Refusal(t, w.Do(ctx, dao, say)); !strings.Contains(r.Wrong, "Nobody else has changed") {
		t.Errorf("to nothing: %v", r)
	}
	apptest.Must(t, w.Do(ctx, mira, hours.Amend{Batch: apptest.NewID(), Why: "Left with the crew", Changes: []hours.Change{
		{Employment: ref.Employment, Does: clock.MoveEnd, Of: stints[2].ID, At: at("15:30")}}}))
	apptest.Must(t, w.Do(ctx, piet, hours.Approve{Card: ref, Why: "Crew says so"})) // nobody signed since
	page, err := hours.ReadClockPage(ctx, w.App, dao)
	apptest.Must(t, err)
	if len(page.Without) != 1 || page.Without[0].Reason != "Crew says so" || len(page.Changed) != 1 ||
		page.Changed[0].Why != "Left with the crew" {
		t.Errorf("he is told %+v and %+v", page.Without, page.Changed)
	}
	apptest.Must(t, w.Do(ctx, dao, say))
	apptest.Must(t, w.Do(ctx, dao, say)) // sent twice
	if state := dbtest.Get[string](t, w, `select state from card where employment_id = $1 and date = '2026-11-12'`,
		ref.Employment); state != "open" {
		t.Errorf("the approved card is %s", state)
	}
	if !has(flagsOf(t, w, ref), card.Objected) {
		t.Error("it is not flagged")
	}
	for name, who := range map[string]app.Actor{"who changed it": mira, "who approved it": piet} {
		if r := apptest.Refusal(t, w.Do(ctx, who, hours.AnswerObjection{Objection: say.ID, Body: "No"})); !strings.Contains(r.Wrong,
			"yourself") {
			t.Errorf("answered by %s: %v", name, r)
		}
	}
	if r := apptest.Refusal(t, w.Do(ctx, piet, hours.Approve{Card: ref, Why: "x"})); !strings.Contains(r.Wrong, "objects to a change") {
		t.Errorf("approved over it: %v", r)
	}
	orla := w.Person(t, "Orla Ebbwater")
	apptest.Must(t, w.Do(ctx, orla, hours.AnswerObjection{Objection: say.ID, Body: "The gate log has him out at 15:34"}))
	if r := apptest.Refusal(t, w.Do(ctx, orla, hours.AnswerObjection{Objection: say.ID, Body: "again"})); !strings.Contains(r.Wrong,
		"answered this already") {
		t.Errorf("answered twice: %v", r)
	}
	apptest.Must(t, w.Do(ctx, orla, hours.Approve{Card: ref, Why: "Gate log"}))
	apptest.Consistent(t, w)
}

// A worker changes their own hours as the place lets them: at once until signed,
// as a request, or only by their lead; when they left is asked of everybody.
func TestOwnHours(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	dao := w.Person(t, "Dao Pham")
	running, err := store.LastStint(ctx, w.DB, *dao.Employment)
	apptest.Must(t, err)
	ref := hours.CardRef{Employment: *dao.Employment, Date: running.Date}
	lets := func(edits string) {
		t.Helper()
		apptest.Must(t, w.Do(ctx, mira, people.SetPerson{ID: apptest.NewID(), Person: dao.ID, Field: "own_edits", Value: edits}))
	}
	made := false
	ask := func(does clock.AmendAct, at time.Time) hours.AskChange {
		return hours.AskChange{ID: apptest.NewID(), Why: "x", Tell: func(m bool) { made = m },
			Change: hours.Change{Employment: ref.Employment, Does: does, Of: running.ID, At: at}}
	}
	lets("lead")
	if r := apptest.Refusal(t, w.Do(ctx, dao, ask(clock.MoveStart, running.Start.Add(time.Minute)))); !strings.Contains(r.Wrong,
		"Your lead changes") {
		t.Errorf("only by the lead: %v", r)
	}
	apptest.Must(t, w.Do(ctx, dao, ask(clock.EndRunning, w.At().Add(-time.Minute))))
	lets("request")
	first := ask(clock.MoveStart, running.Start.Add(time.Minute))
	apptest.Must(t, w.Do(ctx, dao, first))
	if made || dbtest.Get[int](t, w, `select requests from card where employment_id = $1 and date = $2`, ref.Employment,
		ref.Date.String()) != 2 {
		t.Error("a request was made at once, or is not on the card")
	}
	apptest.Must(t, w.Do(ctx, mira, hours.DeclineRequest{Request: first.ID, Why: "The gate says otherwise"}))
	lets("at_once")
	now := ask(clock.MoveStart, running.Start.Add(2*time.Minute))
	apptest.Must(t, w.Do(ctx, dao, now))
	if got := dbtest.Get[time.Time](t, w, `select start_at from stint where id = $1`, running.ID); !made ||
		!got.Equal(running.Start.Add(2*time.Minute).Truncate(time.Second)) {
		t.Errorf("at once: %v, the stint begins at %s", made, got)
	}
	if !has(flagsOf(t, w, ref), card.HandEdge) {
		t.Error("it is not flagged as by hand")
	}
	// Once signed, it is asked for.
	thursday := apptest.Ref(t, w, "Dao Pham", apptest.Thursday)
	stints, err := store.StintsOn(ctx, w.DB, []uuid.UUID{thursday.Employment}, []when.Date{thursday.Date})
	apptest.Must(t, err)
	signed := ask(clock.MoveStart, stints[0].Start.Add(-time.Minute))
	signed.Change.Of = stints[0].ID
	apptest.Must(t, w.Do(ctx, dao, signed))
	if made {
		t.Error("a signed day was changed at once")
	}
	// The day that has no card gets one, and waits.
	add := ask(clock.AddStint, w.At().Add(-200*time.Hour))
	add.Change.Of, add.Change.Until, add.Change.Kind, add.Change.On = uuid.Nil, add.Change.At.Add(time.Hour), clock.Work, running.On
	lets("request")
	if err := w.Do(ctx, dao, add); err != nil && !errors.Is(err, app.ErrNotFound) {
		apptest.Refusal(t, err)
	}
	apptest.Consistent(t, w)
}

// A card from which everything was taken away, and of which nobody expected
// anything, waits for nobody: neither on the desk nor for the run. What was done
// stands on it.
func TestNothingLeftOnACard(t *testing.T) {
	w := dbtest.Open(t)
	ctx, mira := context.Background(), w.Person(t, "Mira Castellane")
	ref, _, _ := tomasz(t, w)
	sunday := when.NewDate(2026, 11, 8)
	at := sunday.At(9*time.Hour, loc(t, "America/New_York"))
	waits := func() (open, waiting int) {
		t.Helper()
		days, err := store.Rail(ctx, w.DB, when.Period{From: sunday, To: sunday}, nil)
		apptest.Must(t, err)
		for _, d := range days {
			open = d.Open
		}
		found, err := store.NotApproved(ctx, w.DB, "", sunday)
		apptest.Must(t, err)
		for _, f := range found {
			waiting += f.Cards
		}
		return open, waiting
	}
	open, waiting := waits()
	add := hours.Amend{Batch: apptest.NewID(), Why: "x", Changes: []hours.Change{{Employment: ref.Employment, Does: clock.AddStint, At: at,
		Until: at.Add(2 * time.Hour), Kind: clock.Work, On: apptest.Work(t, w, "2226", "Priming")}}}
	apptest.Must(t, w.Do(ctx, mira, add))
	if o, n := waits(); o != open+1 || n != waiting+1 {
		t.Errorf("added on a Sunday: %d open, %d wait; before %d, %d", o, n, open, waiting)
	}
	apptest.Must(t, w.Do(ctx, mira, app.Undo{Batch: add.Batch}))
	if o, n := waits(); o != open || n != waiting {
		t.Errorf("taken back: %d open, %d wait; before %d, %d", o, n, open, waiting)
	}
	p, err := hours.ReadCardPage(ctx, w.App, mira, hours.CardRef{Employment: ref.Employment, Date: sunday})
	apptest.Must(t, err)
	if p.Row.Class != card.Done || len(p.Amended) == 0 {
		t.Errorf("the card is %s, with %d changes on its record", p.Row.Class, len(p.Amended))
	}
	apptest.Consistent(t, w)
}
