package hours

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// ReportHours keeps how long somebody was at work on a day on something: what they say
// themselves, or who may change others' time. It is on their card when the day is over.
type ReportHours struct {
	ID         uuid.UUID
	Employment uuid.UUID
	Date       when.Date
	On         clock.Assignment // its account as it was written
	Hours      string           // "7.5", "7:30"; empty for none
}

// ReportLike begins the lines of a period as those of the one before: with their hours by
// the day of the week where nothing stands yet, or without.
type ReportLike struct {
	Employment uuid.UUID
	Days       when.Period // to be begun
	Hours      bool
}

// SignReported signs the days of one's own position that are over. Seen is the digest of those
// that were shown.
type SignReported struct {
	ID         uuid.UUID // of the batch
	Employment uuid.UUID
	Days       when.Period
	Seen       string
}

// LayHours puts what was reported of days, or what was planned, on their cards. It is done
// when the days are over, by time; asked for by anybody it does no more.
type LayHours struct{ On []store.EmploymentDate }

// Permission is what the act takes.
func (ReportHours) Permission() string { return "hours.report" }

// Permission is what the act takes.
func (ReportLike) Permission() string { return "hours.report" }

// Permission is what the act takes.
func (SignReported) Permission() string { return "card.sign" }

// Permission is what the act takes.
func (LayHours) Permission() string { return "hours.report" }

const (
	reportAhead = 62 // days, that hours are written ahead
	reportBack  = 62 // days, after which one asks for a change instead
)

// lockReporter locks somebody whose hours the actor reports.
func lockReporter(ctx context.Context, t *app.Turn, employment uuid.UUID) (store.Employment, error) {
	who, err := store.LockEmployment(ctx, t, employment)
	switch {
	case store.NotFound(err):
		return who, app.ErrNotFound
	case err != nil:
		return who, err
	case !t.Actor.Reaches(t.Act, who.Person, who.Unit):
		return who, app.ErrNotFound
	case who.Person == t.Actor.ID && !slices.Contains(field.SplitList(who.Points), string(clock.Reporting)):
		return who, refusal.New("employment", "You don't report hours by hand here", "Clock at: "+field.OrNothing(who.Points)+
			". The office can open this to you")
	}
	return who, nil
}

// reportable refuses a day that hours can't be reported of.
func reportable(t *app.Turn, who store.Employment, d when.Date) error {
	today := t.Company.Today(t.Now)
	switch {
	case d < who.StartsOn || who.EndsOn != nil && d > *who.EndsOn:
		return refusal.New("date", d.Format("2 January 2006")+" is before the first day or after the last", "Choose another day")
	case d > today+reportAhead:
		return refusal.New("date", "That is too far ahead", fmt.Sprintf("Write at most %d days ahead", reportAhead))
	case t.Company.ChangeDays > 0 && d < today-when.Date(t.Company.ChangeDays) && t.Actor.Level != "owner":
		return refusal.New("date", fmt.Sprintf("%s is more than %d days ago", d.Format("2 January 2006"), t.Company.ChangeDays),
			"An owner changes what is older")
	case d < today-reportBack && who.Person == t.Actor.ID:
		return refusal.New("date", "That is too long ago", "Ask for the change on the card of that day")
	}
	return nil
}

// HoursIn reads a length of time as somebody writes it, in seconds: hours as a decimal, with a
// point or a comma, or hours and minutes.
func HoursIn(text string) (int64, error) {
	wrong := refusal.New("hours", "“"+field.Shorten(text)+"” is no length of time", "Write 7.5 or 7:30")
	text = strings.Replace(strings.TrimSpace(text), ",", ".", 1)
	if text == "" {
		return 0, nil
	}
	seconds := int64(0)
	if h, m, minutes := strings.Cut(text, ":"); minutes {
		hours, err1 := strconv.ParseUint(h, 10, 8)
		past, err2 := strconv.ParseUint(m, 10, 8)
		if err1 != nil || err2 != nil || len(m) != 2 || past > 59 {
			return 0, wrong
		}
		seconds = int64(hours)*3600 + int64(past)*60
	} else {
		whole, part, _ := strings.Cut(text, ".")
		hours, err := strconv.ParseUint("0"+whole, 10, 8)
		hundredths, err2 := strconv.ParseUint((part + "00")[:2], 10, 8)
		if err != nil || err2 != nil || len(part) > 2 {
			return 0, wrong
		}
		seconds = int64(hours)*3600 + int64(hundredths)*36
	}
	if seconds > 24*3600 {
		return 0, refusal.New("hours", "That is more than a day", "Write at most 24 hours")
	}
	return seconds, nil
}

func (r ReportHours) Do(ctx context.Context, t *app.Turn) error {
	who, err := lockReporter(ctx, t, r.Employment)
	if err != nil {
		return err
	}
	said := store.Reported{EmploymentDate: store.EmploymentDate{Employment: who.ID, Date: r.Date}, On: r.On, By: t.Actor.ID, MadeAt: t.Now}
	if said.Seconds, err = HoursIn(r.Hours); err != nil {
		return err
	}
	if before, err := store.ReportedBy(ctx, t, r.ID); err != nil || before != nil {
		if err == nil && (before.EmploymentDate != said.EmploymentDate || before.Seconds != said.Seconds || before.By != said.By) {
			err = app.ErrConflict
		}
		return err // sent again
	}
	if err := reportable(t, who, r.Date); err != nil {
		return err
	}
	if said.On, err = reportedOn(ctx, t, who, r); err != nil {
		return err
	}
	if err := fitsDay(ctx, t, said); err != nil {
		return err
	}
	if _, err := store.InsertReported(ctx, t, r.ID, said); err != nil {
		return err
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID, map[string]any{"date": r.Date, "seconds": said.Seconds})
	if r.Date >= t.Company.Today(t.Now) {
		return nil
	}
	return layDays(ctx, t, []store.Employment{who}, []store.EmploymentDate{said.EmploymentDate}, true)
}

// reportedOn reads what the hours are on: something that can be clocked to, and an account
// that is known. Nothing is asked of hours that are taken out.
func reportedOn(ctx context.Context, t *app.Turn, who store.Employment, r ReportHours) (clock.Assignment, error) {
	on := r.On
	known, err := store.KnownAccounts(ctx, t)
	if err != nil {
		return on, err
	}
	if on.Account, err = t.Company.AccountNamed(on.Account, known); err != nil || on.Job == uuid.Nil {
		if err == nil && on != (clock.Assignment{Account: on.Account}) {
			err = app.ErrNotFound
		}
		return on, err
	}
	j, err := store.GetClockable(ctx, t, on.Job, on.Task, on.Class, who.ID, r.Date)
	switch {
	case store.NotFound(err):
		return on, refusal.New("job", "There is no such "+t.Company.JobWord, "Choose one from the list")
	case err != nil:
		return on, err
	}
	if seconds, _ := HoursIn(r.Hours); seconds == 0 {
		return on, nil
	}
	return on, clockable(t.Company.JobWord, j, on)
}

// fitsDay refuses more than a day has, and a day that somebody has approved.
func fitsDay(ctx context.Context, t *app.Turn, said store.Reported) error {
	day := when.Period{From: said.Date, To: said.Date}
	there, err := store.ReportedIn(ctx, t, []uuid.UUID{said.Employment}, day)
	if err != nil {
		return err
	}
	sum := said.Seconds
	for _, o := range there {
		if o.On != said.On {
			sum += o.Seconds
		}
	}
	if sum > 24*3600 {
		return refusal.New("hours", "That makes "+card.HoursMinutes(sum)+" on one day", "Write at most 24 hours")
	}
	cards, err := store.Cards(ctx, t, store.CardFilter{From: said.Date, To: said.Date, Employment: said.Employment})
	if err != nil {
		return err
	}
	if len(cards) > 0 && cards[0].Person == t.Actor.ID && (cards[0].State == card.Approved || cards[0].State == card.Paid) {
		return refusal.New("date", "That day is approved", "Ask for the change on its card")
	}
	return nil
}

func (l ReportLike) Do(ctx context.Context, t *app.Turn) error {
	who, err := lockReporter(ctx, t, l.Employment)
	if err != nil {
		return err
	}
	days := l.Days.To - l.Days.From + 1
	if days < 1 || days > reportAhead {
		return app.ErrNotFound
	}
	before, err := store.ReportedIn(ctx, t, []uuid.UUID{who.ID}, when.Period{From: l.Days.From - days, To: l.Days.From - 1})
	if err != nil {
		return err
	}
	there, err := store.ReportedIn(ctx, t, []uuid.UUID{who.ID}, l.Days)
	if err != nil {
		return err
	}
	rows, over := likeBefore(before, there, days, t, l.Hours)
	if len(rows) == 0 {
		return refusal.New("days", "There is nothing to begin with", "Add the first line")
	}
	for i := range rows {
		if err := reportable(t, who, rows[i].Date); err != nil {
			return err
		}
	}
	if err := store.InsertManyReported(ctx, t, rows); err != nil {
		return fmt.Errorf("begin with what was reported before: %w", err)
	}
	t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID, map[string]any{"from": l.Days.From, "lines": len(rows)})
	return layDays(ctx, t, []store.Employment{who}, over, true)
}

// likeBefore makes the rows of a period like those of the one before, and lists its days that
// are over. On days that have hours already nothing is added.
func likeBefore(before, there []store.Reported, days when.Date, t *app.Turn, withHours bool) (rows []store.Reported,
	over []store.EmploymentDate) {
	has := map[when.Date]bool{}
	lines := map[clock.Assignment]bool{}
	for _, r := range there {
		has[r.Date] = has[r.Date] || r.Seconds > 0
		lines[r.On] = true
	}
	for _, r := range before {
		r.Date, r.By, r.MadeAt = r.Date+days, t.Actor.ID, t.Now
		switch {
		case r.Seconds == 0 || lines[r.On] && !withHours:
			continue
		case !withHours:
			r.Seconds, lines[r.On] = 0, true
		case has[r.Date]:
			continue
		}
		rows = append(rows, r)
		if r.Seconds > 0 && r.Date < t.Company.Today(t.Now) && !slices.Contains(over, r.EmploymentDate) {
			over = append(over, r.EmploymentDate)
		}
	}
	return rows, over
}

func (s SignReported) Do(ctx context.Context, t *app.Turn) error {
	cards, err := store.Cards(ctx, t, store.CardFilter{From: s.Days.From, To: s.Days.To, Employment: s.Employment})
	if err != nil {
		return err
	}
	if len(cards) > 0 && cards[0].Person != t.Actor.ID {
		return app.ErrNotFound
	}
	ready := func(cards []store.Card) []store.Card {
		return pickCards(cards, func(c store.Card) bool { return toSignReported(c, t.Company.Today(t.Now)) })
	}
	refs := refsOf(ready(cards))
	if len(refs) == 0 {
		return refusal.New("cards", "No card is ready any more", "Look at the list again")
	}
	if cards, err = lockCards(ctx, t, refs); err != nil {
		return err
	}
	cards = ready(cards)
	if Digest(refsOf(cards)) != s.Seen {
		return refusal.New("cards", "The list changed while you were looking", "Look at it again and press once more")
	}
	if cards, err = notHeld(ctx, t, cards); err != nil {
		return err
	}
	return move(ctx, t, cards, card.Sign, s.ID, "")
}

// toSignReported says whether a card waits for the signature of whoever reported it: its day
// is over.
func toSignReported(c store.Card, today when.Date) bool {
	return c.State == card.Open && !c.Running() && c.Worked > 0 && c.Date < today
}

func (l LayHours) Do(ctx context.Context, t *app.Turn) error {
	if len(l.On) > mostChanges {
		return refusal.New("days", "That is too much at once", fmt.Sprintf("Ask for at most %d", mostChanges))
	}
	var ids []uuid.UUID
	for _, o := range l.On {
		if !slices.Contains(ids, o.Employment) {
			ids = append(ids, o.Employment)
		}
	}
	whose, err := store.LockEmployments(ctx, t, ids)
	if err != nil {
		return err
	}
	if t.Actor.ID != uuid.Nil { // by time, otherwise
		for _, who := range whose {
			if !t.Actor.Reaches(t.Act, who.Person, who.Unit) {
				return app.ErrNotFound
			}
		}
	}
	return layDays(ctx, t, whose, l.On, false)
}

// layDays puts on cards of days that are over what was reported of them, or where nothing was
// and the plan is paid, what was planned: as hours whose times nobody knows, placed one after
// the other from when the day usually begins. What doesn't fit is refused where it was just
// asked for, and left for later else.
func layDays(ctx context.Context, t *app.Turn, whose []store.Employment, on []store.EmploymentDate, asked bool) error {
	today := t.Company.Today(t.Now)
	on = slices.DeleteFunc(slices.Clone(on), func(o store.EmploymentDate) bool { return o.Date >= today })
	if len(on) == 0 {
		return nil
	}
	l, err := readLaying(ctx, t, whose, on)
	if err != nil {
		return err
	}
	var changes []rebuilt
	for _, who := range whose {
		book := l.books[who.ID]
		var made []store.Amendment
		for _, o := range on {
			if o.Employment != who.ID {
				continue
			}
			more, err := l.day(t, book, made, o)
			var refused *refusal.Refusal
			if errors.As(err, &refused) && !asked {
				continue
			}
			if err != nil {
				return err
			}
			made = append(made, more...)
		}
		if len(made) == 0 {
			continue
		}
		changes = append(changes, book.amend(made, "hours were reported", t.Now))
		for _, m := range made {
			t.Record(store.Event{Person: who.Person, Unit: who.Unit, Act: t.Act}, who.ID, amendmentDetail(m))
		}
	}
	if len(changes) == 0 {
		return nil
	}
	return write(ctx, t, changes...)
}

// laying is what days are laid by, read for all of them at once.
type laying struct {
	books    map[uuid.UUID]*dayBook
	others   map[uuid.UUID][]clock.Stint
	plans    map[store.EmploymentDate]store.Planned
	shifts   map[store.EmploymentDate][]store.Shift
	reported map[store.EmploymentDate][]store.Reported
	byPlan   map[uuid.UUID]bool
	batch    uuid.UUID
}

func readLaying(ctx context.Context, t *app.Turn, whose []store.Employment, on []store.EmploymentDate) (*laying, error) {
	l := &laying{plans: map[store.EmploymentDate]store.Planned{}, shifts: map[store.EmploymentDate][]store.Shift{},
		reported: map[store.EmploymentDate][]store.Reported{}, batch: uuid.Must(uuid.NewV7())}
	var ids []uuid.UUID
	var dates []when.Date
	changes := make([]Change, 0, len(on))
	days := when.Period{From: on[0].Date, To: on[0].Date}
	for _, o := range on {
		days.From, days.To = min(days.From, o.Date), max(days.To, o.Date)
		ids, dates = append(ids, o.Employment), append(dates, o.Date)
		changes = append(changes, Change{Employment: o.Employment, At: o.Date.At(0, t.Company.Loc)})
	}
	look := scene{Actor: t.Actor, place: t.Company, now: t.Now}
	var err error
	if l.books, l.others, err = look.read(ctx, t, whose, changes); err != nil {
		return nil, err
	}
	plans, err := store.PlansOf(ctx, t, on, t.Company.Holiday)
	if err != nil {
		return nil, err
	}
	for _, p := range plans {
		l.plans[p.EmploymentDate] = p
	}
	shifts, err := store.ShiftsOn(ctx, t, ids, dates)
	if err != nil {
		return nil, err
	}
	for _, s := range shifts {
		of := store.EmploymentDate{Employment: s.Employment, Date: s.Date}
		l.shifts[of] = append(l.shifts[of], s)
	}
	said, err := store.ReportedIn(ctx, t, ids, days)
	if err != nil {
		return nil, err
	}
	for _, r := range said {
		l.reported[r.EmploymentDate] = append(l.reported[r.EmploymentDate], r)
	}
	l.byPlan, err = store.ByPlan(ctx, t, ids)
	return l, err
}

// untimed is a stretch that a day is to hold.
type untimed struct {
	does    clock.AmendAct
	on      clock.Assignment
	seconds int64
	by      uuid.UUID
}

// day gives the amendments that make a day hold what it should, none where it does; made are
// those that are made of the same person before.
func (l *laying) day(t *app.Turn, book *dayBook, made []store.Amendment, o store.EmploymentDate) ([]store.Amendment, error) {
	there, taken := l.standing(book, o)
	want := l.wanted(book, o, taken)
	if slices.Equal(there.of, want) {
		return nil, nil
	}
	amendments := make([]store.Amendment, 0, len(there.ids)+len(want))
	add := func(a clock.Amendment, by uuid.UUID) {
		a.ID, a.Made, a.By = uuid.Must(uuid.NewV7()), t.Now, by
		amendments = append(amendments, store.Amendment{Employment: o.Employment, Date: o.Date, Batch: l.batch, Amendment: a})
	}
	for _, id := range there.ids {
		add(clock.Amendment{Does: clock.TakeBack, Of: id, Why: "reported anew"}, l.by(book, want))
	}
	for _, m := range made { // of other days, which are laid in the same go
		if m.Does.Untimed() {
			taken = append(taken, clock.Stint{Start: m.At, End: m.Until})
		}
	}
	slices.SortFunc(taken, func(a, b clock.Stint) int { return a.Start.Compare(b.Start) })
	from := l.plans[o].ShiftFrom
	if from.IsZero() {
		from = o.Date.At(dayStart, book.rules.Loc)
	}
	lengths := make([]time.Duration, len(want))
	for i, w := range want {
		lengths[i] = time.Duration(w.seconds) * time.Second
	}
	spans, ok := clock.PlaceHours(from, taken, lengths)
	if end := o.Date.At(24*time.Hour+from.Sub(o.Date.At(0, book.rules.Loc)), book.rules.Loc); !ok ||
		len(spans) > 0 && spans[len(spans)-1].To.After(end) {
		return nil, refusal.New("hours", "There is no room for these hours on "+o.Date.Format("2 January")+" beside what was clocked",
			"Clock out first, or change what was clocked on the card")
	}
	for i, w := range want {
		why := "reported, without times"
		if w.does == clock.FillPlan {
			why = "by plan: nothing else was reported"
		}
		add(clock.Amendment{Does: w.does, At: spans[i].From, Until: spans[i].To, Kind: clock.Work, On: w.on, Why: why}, w.by)
	}
	return amendments, nil
}

// by says who takes back what stood: who reported anew, else whose day it is.
func (l *laying) by(book *dayBook, want []untimed) uuid.UUID {
	if len(want) > 0 {
		return want[0].by
	}
	return book.who.Person
}

// laid is what a day holds of such hours, with the amendments that put it there.
type laid struct {
	ids []uuid.UUID
	of  []untimed
}

// standing gives what a day holds of such hours, and what else is taken around it.
func (l *laying) standing(book *dayBook, o store.EmploymentDate) (there laid, taken []clock.Stint) {
	_, bare := book.bare()
	for _, a := range clock.InForce(bare) {
		i := slices.IndexFunc(book.amendments, func(m store.Amendment) bool { return m.ID == a.ID })
		if (a.Does == clock.Report || a.Does == clock.FillPlan) && book.amendments[i].Date == o.Date {
			there.ids = append(there.ids, a.ID)
			there.of = append(there.of, untimed{a.Does, a.On, int64(a.Until.Sub(a.At) / time.Second), a.By})
		}
	}
	for _, s := range append(slices.Clone(book.stints), l.others[book.who.Person]...) {
		if !slices.Contains(there.ids, s.ID) {
			taken = append(taken, s)
		}
	}
	return there, taken
}

// wanted is what the day should hold: what was reported, or the plan where that is paid and
// nothing else stands on the day.
func (l *laying) wanted(book *dayBook, o store.EmploymentDate, taken []clock.Stint) (want []untimed) {
	for _, r := range l.reported[o] {
		if r.Seconds > 0 {
			want = append(want, untimed{clock.Report, r.On, r.Seconds, r.By})
		}
	}
	if len(want) > 0 || !l.byPlan[o.Employment] ||
		slices.ContainsFunc(book.day(o.Date), func(s clock.Stint) bool { return s.StartBy != clock.ByPlan }) {
		return want
	}
	plan := l.plans[o]
	left := max(0, plan.Expected-plan.Leave)
	if len(l.shifts[o]) == 0 && left > 0 {
		return []untimed{{clock.FillPlan, clock.Assignment{}, left, book.who.Person}}
	}
	whole := int64(0)
	for _, s := range l.shifts[o] {
		whole += int64(s.End.Sub(s.Start) / time.Second)
	}
	if left == 0 && plan.Leave == 0 { // a shift on a day that the pattern has free
		left = whole
	}
	left = min(left, whole)
	for i, s := range l.shifts[o] {
		part := left * int64(s.End.Sub(s.Start)/time.Second) / max(1, whole)
		if i == len(l.shifts[o])-1 {
			part = left
			for _, w := range want {
				part -= w.seconds
			}
		}
		if part > 0 {
			want = append(want, untimed{clock.FillPlan, clock.Assignment{Job: store.IDOrNil(s.Job), Task: store.IDOrNil(s.Task)}, part,
				book.who.Person})
		}
	}
	return want
}
