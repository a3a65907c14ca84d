package hours

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/notice"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Change is one amendment as it is asked for.
type Change struct {
	ID         uuid.UUID // of the amendment, where a later change speaks of what it makes
	Employment uuid.UUID
	Does       clock.AmendAct
	Of         uuid.UUID // the stint
	At, Until  time.Time
	Kind       clock.Kind
	On         clock.Assignment
	Marks      clock.Marks // for clock.Mark
}

// Amend changes the hours of others, of one person or of several at once: all
// of it, or where Fitting is set what fits. It is taken back as one.
type Amend struct {
	Batch   uuid.UUID
	Changes []Change
	Why     string
	Fitting bool
	Tell    func([]Amended) // where it isn't nil, is told what became of each person
}

// Permission is the act's name in the permission table.
func (Amend) Permission() string { return "time.edit" }

// mostChanges is how many changes one act makes.
const mostChanges = 2000

// Amended is what becomes of one person's hours, or why it can't.
type Amended struct {
	Who     store.Employment
	Was, Is []clock.Stint // of the days that change
	Refused *refusal.Refusal

	rebuilt rebuilt
}

func (a Amend) Do(ctx context.Context, t *app.Turn) error {
	why, err := reason("why", a.Why, "Say in a few words why the hours change")
	if err != nil {
		return err
	}
	if again, err := sentBefore(ctx, t, a.Batch); again || err != nil {
		return err
	}
	whose, err := store.LockEmployments(ctx, t, employmentsIn(a.Changes))
	if err != nil {
		return err
	}
	s := scene{Actor: t.Actor, act: t.Act, place: t.Company, now: t.Now, batch: a.Batch, why: why}
	amended, err := s.amend(ctx, t, whose, a.Changes)
	if err != nil {
		return err
	}
	fit := slices.DeleteFunc(slices.Clone(amended), func(p Amended) bool { return p.Refused != nil })
	if len(fit) == 0 || len(fit) < len(amended) && !a.Fitting {
		return refusedOf(amended)
	}
	if err := writeAmended(ctx, t, fit); err != nil {
		return err
	}
	if a.Tell != nil {
		a.Tell(amended)
	}
	return nil
}

// sentBefore says whether a batch is there already: sent twice it is answered
// as before, to whoever sent it.
func sentBefore(ctx context.Context, t *app.Turn, batch uuid.UUID) (bool, error) {
	before, err := store.AmendmentsIn(ctx, t, batch)
	if err != nil || len(before) == 0 {
		return false, err
	}
	if before[0].By != t.Actor.ID {
		return false, app.ErrConflict
	}
	return true, nil
}

// reason reads why somebody does something.
func reason(field, why, right string) (string, error) {
	why = strings.TrimSpace(why)
	if why == "" || utf8.RuneCountInString(why) > longestNote {
		return "", refusal.New(field, "There is no reason", right+", in at most 1,000 characters")
	}
	return why, nil
}

// PreviewAmend says what an act would do, person by person, and changes
// nothing.
func PreviewAmend(ctx context.Context, a *app.App, actor app.Actor, act Amend) ([]Amended, error) {
	if !actor.May(act.Permission()) {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	whose, err := store.Employments(ctx, a.DB, employmentsIn(act.Changes))
	if err != nil {
		return nil, err
	}
	s := scene{Actor: actor, act: act.Permission(), place: place, now: a.Now(), batch: uuid.Must(uuid.NewV7())}
	return s.amend(ctx, a.DB, whose, act.Changes)
}

func employmentsIn(changes []Change) []uuid.UUID {
	var ids []uuid.UUID
	for _, c := range changes {
		if !slices.Contains(ids, c.Employment) {
			ids = append(ids, c.Employment)
		}
	}
	return ids
}

// refusedOf is the refusal of an act of which something doesn't fit: that of
// the one person, or who all it is.
func refusedOf(amended []Amended) error {
	var first *refusal.Refusal
	var names []string
	for _, p := range amended {
		if p.Refused != nil {
			names = append(names, p.Who.Name()+": "+p.Refused.Wrong)
			if first == nil {
				first = p.Refused
			}
		}
	}
	switch {
	case first == nil:
		return refusal.New("changes", "Nothing was chosen", "Choose what to change")
	case len(amended) == 1:
		return first
	}
	return refusal.New("changes", fmt.Sprintf("It doesn't fit for %d of %d: %s", len(names), len(amended), strings.Join(names, "; ")),
		"Leave them out, or change them by themselves")
}

// scene is by whom, when and under which settings hours are amended.
type scene struct {
	app.Actor
	act   string // what it takes
	own   bool   // their own hours are theirs to change
	asks  bool   // it is only asked for: neither its age nor who looks at the card is in the way
	place *app.Company
	now   time.Time
	batch uuid.UUID
	why   string
}

// mayAmend refuses whose hours are not the actor's to change.
func (s scene) mayAmend(who store.Employment) error {
	switch {
	case !s.Reaches(s.act, who.Person, who.Unit):
		return app.ErrNotFound
	case who.Person == s.ID && !s.own:
		return refusal.New("employment", "These are your own hours", "Ask for the change, and somebody else makes it")
	}
	return nil
}

// amend works out what changes make of people's hours. What can't be done to one
// of them is in their part; its error is about all.
func (s scene) amend(ctx context.Context, q store.Q, whose []store.Employment, changes []Change) ([]Amended, error) {
	if len(changes) > mostChanges {
		return nil, refusal.New("changes", "That is too much at once", fmt.Sprintf("Choose at most %d", mostChanges))
	}
	for _, who := range whose {
		if err := s.mayAmend(who); err != nil {
			return nil, err
		}
	}
	if len(whose) < len(employmentsIn(changes)) {
		return nil, app.ErrNotFound
	}
	books, others, err := s.read(ctx, q, whose, changes)
	if err != nil {
		return nil, err
	}
	works, err := s.works(ctx, q, changes)
	if err != nil {
		return nil, err
	}
	amended := make([]Amended, len(whose))
	var cards []store.EmploymentDate
	for i, who := range whose {
		mine := slices.DeleteFunc(slices.Clone(changes), func(c Change) bool { return c.Employment != who.ID })
		amended[i], err = s.one(books[who.ID], mine, works, others[who.Person])
		if err != nil {
			return nil, err
		}
		for _, d := range amended[i].rebuilt.Dates {
			cards = append(cards, store.EmploymentDate{Employment: who.ID, Date: d})
		}
	}
	return amended, s.held(ctx, q, amended, cards)
}

// read reads the books of those whose hours change, and what they have in other
// positions.
func (s scene) read(ctx context.Context, q store.Q, whose []store.Employment, changes []Change) (map[uuid.UUID]*dayBook,
	map[uuid.UUID][]clock.Stint, error) {
	ats, err := s.earliest(ctx, q, changes)
	if err != nil {
		return nil, nil, err
	}
	punches, _, err := store.PunchesAroundAll(ctx, q, ats, uuid.Nil)
	if err != nil {
		return nil, nil, err
	}
	amendments, err := store.AmendmentsAroundAll(ctx, q, ats)
	if err != nil {
		return nil, nil, err
	}
	books, err := booksOf(s.place, whose, punches, amendments)
	if err != nil {
		return nil, nil, err
	}
	from := s.now
	for _, b := range books {
		for _, n := range b.stints {
			from = minTime(from, n.Start)
		}
	}
	for _, a := range ats {
		from = minTime(from, a.At)
	}
	elsewhere, err := store.OtherStints(ctx, q, employmentsIn(changes), from)
	others := map[uuid.UUID][]clock.Stint{}
	for _, o := range elsewhere {
		others[o.Person] = append(others[o.Person], o.Stint)
	}
	return books, others, err
}

// earliest gives the earliest instant of each employment that changes touch.
func (s scene) earliest(ctx context.Context, q store.Q, changes []Change) ([]store.At, error) {
	var of []uuid.UUID
	for _, c := range changes {
		if c.Of != uuid.Nil {
			of = append(of, c.Of)
		}
	}
	stints, err := store.StintsByID(ctx, q, of)
	if err != nil {
		return nil, err
	}
	at := map[uuid.UUID]time.Time{}
	touch := func(employment uuid.UUID, t time.Time) {
		if was, ok := at[employment]; !t.IsZero() && (!ok || t.Before(was)) {
			at[employment] = t
		}
	}
	for _, c := range changes {
		touch(c.Employment, s.now)
		touch(c.Employment, c.At)
	}
	for _, n := range stints {
		if _, asked := at[n.Employment]; asked {
			touch(n.Employment, n.Start)
		}
	}
	ats := make([]store.At, 0, len(at))
	for employment, t := range at {
		ats = append(ats, store.At{Employment: employment, At: t})
	}
	return ats, nil
}

// works reads what changes put hours on.
func (s scene) works(ctx context.Context, q store.Q, changes []Change) (map[clock.Assignment]store.Clockable, error) {
	works := map[clock.Assignment]store.Clockable{}
	for _, c := range changes {
		if _, read := works[c.On]; read || c.On.Job == uuid.Nil {
			continue
		}
		on := s.place.Today(s.now)
		if !c.At.IsZero() {
			on = s.place.Today(c.At)
		}
		j, err := store.GetClockable(ctx, q, c.On.Job, c.On.Task, c.On.Class, c.Employment, on)
		if store.NotFound(err) {
			return nil, refusal.New("job", "There is no such "+s.place.JobWord, "Choose one from the list")
		}
		if err != nil {
			return nil, err
		}
		works[c.On] = j
	}
	return works, nil
}

// bookable refuses work that hours can't be put on. The desk may put them on a
// job that is closed, or was not open to the person: that is flagged.
func (s scene) bookable(c Change, works map[clock.Assignment]store.Clockable) (odd card.Code, err error) {
	if !c.Does.Adds() && c.Does != clock.Split && c.Does != clock.Reassign || c.Kind != clock.Work {
		return "", nil
	}
	if c.On.Job == uuid.Nil && c.Does.Untimed() {
		return "", nil // such hours may be on no job
	}
	if c.On.Job == uuid.Nil {
		return "", refusal.New("job", "No "+s.place.JobWord+" was chosen", "Choose what the hours were worked on")
	}
	j := works[c.On]
	switch {
	case j.State != "open":
		odd = card.ClosedJob
	case !j.Open:
		odd = card.NotTheirs
	}
	j.State, j.Open = "open", true
	if j.TaskState != nil {
		open := "open"
		j.TaskState = &open
	}
	if c.Does == clock.Bring { // what was recorded elsewhere may lack what is asked for here
		j.HasTasks, j.PublicWork, odd = false, j.PublicWork && c.On.Class != uuid.Nil, ""
	}
	return odd, clockable(s.place.JobWord, j, c.On)
}

// one works out what changes make of one person's hours.
func (s scene) one(book *dayBook, changes []Change, works map[clock.Assignment]store.Clockable, others []clock.Stint) (Amended, error) {
	a := Amended{Who: book.who}
	was := book.stints
	err := func() error {
		amendments, err := s.lay(book, changes, works)
		if err != nil {
			return err
		}
		a.rebuilt = book.amend(amendments, s.why, s.now)
		if err := clock.Overlap(a.rebuilt.Put, others, book.rules.Loc); err != nil {
			return err
		}
		return s.oldest(a.rebuilt.Dates)
	}()
	if errors.As(err, &a.Refused) {
		a.rebuilt = rebuilt{}
		return a, nil
	}
	changed := func(n clock.Stint) bool { return !slices.Contains(a.rebuilt.Dates, n.Date) }
	a.Was = slices.DeleteFunc(slices.Clone(was), changed)
	a.Is = slices.DeleteFunc(slices.Clone(book.stints), changed)
	return a, err
}

// lay makes amendments of changes, each checked on what those before it make,
// and leaves the book as it is.
func (s scene) lay(book *dayBook, changes []Change, works map[clock.Assignment]store.Clockable) (made []store.Amendment, err error) {
	loc := book.rules.Loc
	punches, before := book.bare()
	_, stints, _ := clock.Lay(punches, before)
	book.rules.Place(nil, stints, nil)
	for _, c := range changes {
		odd, err := s.bookable(c, works)
		if err != nil {
			return nil, err
		}
		if c.ID == uuid.Nil {
			c.ID = uuid.Must(uuid.NewV7())
		}
		a := store.Amendment{Employment: c.Employment, Batch: s.batch, Odd: odd, Amendment: clock.Amendment{ID: c.ID, Does: c.Does,
			Of: c.Of, At: c.At.Truncate(time.Second), Until: c.Until.Truncate(time.Second), Kind: c.Kind, On: c.On, Marks: c.Marks,
			Made: s.now, By: s.ID,
			Why: s.why}}
		if err := clock.CheckAmendment(stints, a.Amendment, s.now, loc); err != nil {
			return nil, err
		}
		if err := clock.CheckLaid(punches, append(before, bareAmendments(made)...), []clock.Amendment{a.Amendment}); err != nil {
			return nil, err
		}
		was := stints
		made = append(made, a)
		_, stints, _ = clock.Lay(punches, append(slices.Clone(before), bareAmendments(made)...))
		book.rules.Place(nil, stints, nil)
		made[len(made)-1].Date = dateFor(a, was, stints)
	}
	return made, nil
}

// dateFor is the card on which an amendment is made: that of its stint as it
// was, or of the one that it adds.
func dateFor(a store.Amendment, was, is []clock.Stint) when.Date {
	for _, s := range was {
		if s.ID == a.Of {
			return s.Date
		}
	}
	for _, s := range is {
		if s.ID == a.ID {
			return s.Date
		}
	}
	return 0
}

// oldest refuses to change what only an owner changes any more.
func (s scene) oldest(dates []when.Date) error {
	if s.asks || s.place.ChangeDays == 0 || s.Level == "owner" {
		return nil
	}
	for _, d := range dates {
		if d < s.place.Today(s.now)-when.Date(s.place.ChangeDays) {
			return refusal.New("at", fmt.Sprintf("%s is more than %d days ago", d.Format("2 January 2006"), s.place.ChangeDays),
				"An owner changes what is older")
		}
	}
	return nil
}

// held refuses to change cards that somebody else is looking at.
func (s scene) held(ctx context.Context, q store.Q, amended []Amended, cards []store.EmploymentDate) error {
	if s.asks {
		return nil
	}
	holds, err := store.Holds(ctx, q, cards, s.now)
	if err != nil {
		return err
	}
	for _, h := range holds {
		i := slices.IndexFunc(amended, func(a Amended) bool { return a.Who.ID == h.Employment })
		if h.By != s.ID && amended[i].Refused == nil {
			errors.As(heldBy(h, amended[i].rebuilt.book.rules.Loc), &amended[i].Refused)
		}
	}
	return nil
}

func heldBy(h store.Hold, loc *time.Location) error {
	return refusal.New("card", fmt.Sprintf("%s is looking at the card of %s since %s", h.ByName, h.Date.Format("2 January"),
		h.Since.In(loc).Format("15:04")), "Wait until it is released, or ask them")
}

// tellChanged tells somebody, once an act, that others changed their hours, and why.
func tellChanged(t *app.Turn, a Amended) {
	if len(a.rebuilt.amendments) == 0 {
		return
	}
	first := a.rebuilt.amendments[0]
	var dates []when.Date
	for _, m := range a.rebuilt.amendments {
		if !slices.Contains(dates, m.Date) {
			dates = append(dates, m.Date)
		}
	}
	days := dayWords(first.Date)
	if n := len(dates) - 1; n > 0 {
		days = fmt.Sprintf("%s and %d more", days, n)
	}
	t.Tell(app.Notice{Person: a.Who.Person, Kind: notice.CardChanged, Words: []string{t.Actor.Name(), days, first.Why},
		Link: cardLink(a.Who.ID, first.Date)})
}

// dayWords writes a date as sentences of the catalogue read it.
func dayWords(d when.Date) string { return d.Format("Monday 2 January") }

// cardLink is where a card is.
func cardLink(employment uuid.UUID, d when.Date) string {
	return "/cards/" + employment.String() + "/" + d.String()
}

// writeAmended stores what was worked out for people who are locked, and tells each of them.
func writeAmended(ctx context.Context, t *app.Turn, amended []Amended) error {
	for _, a := range amended {
		tellChanged(t, a)
	}
	return keepAmended(ctx, t, amended)
}

// keepAmended stores it and tells nobody.
func keepAmended(ctx context.Context, t *app.Turn, amended []Amended) error {
	changes := make([]rebuilt, len(amended))
	for i, a := range amended {
		changes[i] = a.rebuilt
		for _, m := range a.rebuilt.amendments {
			t.Record(store.Event{Person: a.Who.Person, Unit: a.Who.Unit, Act: t.Act}, a.Who.ID, amendmentDetail(m))
		}
	}
	return write(ctx, t, changes...)
}

func amendmentDetail(m store.Amendment) map[string]any {
	detail := map[string]any{"date": m.Date, "amend": m.Does, "amendment": m.ID}
	for name, at := range map[string]time.Time{"at": m.At, "until": m.Until} {
		if !at.IsZero() {
			detail[name] = at
		}
	}
	if m.Why != "" {
		detail["why"] = m.Why
	}
	return detail
}

func init() { app.Undoes("time.say", undoAmendments) }

// undoAmendments takes back what one act amended, but for what was amended
// since in a way that rests on it.
func undoAmendments(ctx context.Context, t *app.Turn, batch uuid.UUID) (done app.Undone, found bool, err error) {
	made, err := store.AmendmentsIn(ctx, t, batch)
	if err != nil || len(made) == 0 {
		return done, false, err
	}
	file := made[0].Does == clock.Bring
	if file {
		if _, err := bringin.ToUndo(ctx, t, bringin.HoursFile, batch); err != nil {
			return done, false, err
		}
	}
	var ids []uuid.UUID
	for _, m := range made {
		ids = append(ids, m.Employment)
	}
	whose, err := store.LockEmployments(ctx, t, ids)
	if err != nil {
		return done, false, err
	}
	s := scene{Actor: t.Actor, act: t.Act, place: t.Company, now: t.Now, batch: uuid.Must(uuid.NewV7()), why: "taken back"}
	for _, who := range whose {
		own := made[0].By == t.Actor.ID
		if !t.Actor.Reaches("time.edit", who.Person, who.Unit) && !(own && maySay(t.Actor, t.Company, who.Person, who.Unit)) {
			return done, false, app.ErrNotFound
		}
	}
	back, err := s.takeBack(ctx, t, whose, made)
	if err != nil {
		return done, false, err
	}
	var fit []Amended
	for _, b := range back {
		if b.Refused != nil {
			done.Left = append(done.Left, b.Who.Name()+": "+b.Refused.Wrong)
			continue
		}
		fit = append(fit, b)
	}
	if len(fit) == 0 {
		return done, false, refusedOf(back)
	}
	done.Words = "the change of " + fit[0].Who.Name() + "’s hours"
	if len(fit) > 1 {
		done.Words = fmt.Sprintf("the change of %d people’s hours", len(fit))
	}
	if file && len(done.Left) == 0 {
		if err := store.ImportUndone(ctx, t, batch, t.Now); err != nil {
			return done, false, err
		}
	}
	return done, true, writeAmended(ctx, t, fit)
}

// takeBack works out what becomes of people's hours without what one act
// amended.
func (s scene) takeBack(ctx context.Context, q store.Q, whose []store.Employment, made []store.Amendment) ([]Amended, error) {
	changes := make([]Change, len(made))
	for i, m := range made {
		changes[i] = Change{Employment: m.Employment, At: m.From}
	}
	books, others, err := s.read(ctx, q, whose, changes)
	if err != nil {
		return nil, err
	}
	back := make([]Amended, len(whose))
	var cards []store.EmploymentDate
	for i, who := range whose {
		if back[i], err = s.without(books[who.ID], made, others[who.Person]); err != nil {
			return nil, err
		}
		for _, d := range back[i].rebuilt.Dates {
			cards = append(cards, store.EmploymentDate{Employment: who.ID, Date: d})
		}
	}
	return back, s.held(ctx, q, back, cards)
}

// without works out what becomes of one person's hours without some amendments.
func (s scene) without(book *dayBook, made []store.Amendment, others []clock.Stint) (Amended, error) {
	a := Amended{Who: book.who}
	err := s.mayAmend(book.who)
	if err == nil {
		err = s.undo(&a, book, made, others)
	}
	if errors.As(err, &a.Refused) {
		a.rebuilt = rebuilt{}
		return a, nil
	}
	return a, err
}

func (s scene) undo(a *Amended, book *dayBook, made []store.Amendment, others []clock.Stint) error {
	punches, before := book.bare()
	force := clock.InForce(before)
	var back []store.Amendment
	for _, m := range slices.Backward(made) {
		if m.Employment == book.who.ID && slices.ContainsFunc(force, func(f clock.Amendment) bool { return f.ID == m.ID }) {
			back = append(back, store.Amendment{Employment: m.Employment, Date: m.Date, Batch: s.batch, Amendment: clock.Amendment{
				ID: uuid.Must(uuid.NewV7()), Does: clock.TakeBack, Of: m.ID, Made: s.now, By: s.ID, Why: s.why}})
		}
	}
	if len(back) == 0 {
		return refusal.New("batch", "This was taken back already", "Look at the card again")
	}
	if err := clock.CheckLaid(punches, before, bareAmendments(back)); err != nil {
		return err
	}
	for _, m := range made {
		if last := book.last(); m.Does == clock.EndRunning && last != nil && !last.Start.Before(m.At) { // it would run into that
			return refusal.New("batch", "They clocked in since, at "+last.Start.In(book.rules.Loc).Format("15:04"), "Move the end instead")
		}
	}
	a.rebuilt = book.amend(back, s.why, s.now)
	if err := clock.Overlap(a.rebuilt.Put, others, book.rules.Loc); err != nil {
		return err
	}
	return s.oldest(a.rebuilt.Dates)
}

// Worked gives the seconds worked before and after, on the days that change.
func (a Amended) Worked(lim card.Limits, now time.Time) (was, is int64) {
	sum := func(stints []clock.Stint) (n int64) {
		for _, s := range stints {
			if lim.Counted(s, now) {
				n += lim.Breaks.Counted(s.Kind, s.Length(now))
			}
		}
		return n
	}
	return sum(a.Was), sum(a.Is)
}

// MoveHours makes the hours of one employment those of another: it takes its stints out and
// adds the same there, by amendments. What runs is clocked out first. Both are locked here.
func MoveHours(ctx context.Context, t *app.Turn, from, to, batch uuid.UUID, why string) error {
	whose, err := store.LockEmployments(ctx, t, []uuid.UUID{from, to})
	if err != nil {
		return err
	}
	stints, err := store.StintsOf(ctx, t, from)
	if err != nil || len(stints) == 0 {
		return err
	}
	var changes []Change
	for _, s := range stints {
		if s.Open() {
			return refusal.New("person", "They are on the clock", "Clock them out first")
		}
		changes = append(changes, Change{Employment: from, Does: clock.Remove, Of: s.ID},
			Change{Employment: to, Does: clock.AddStint, At: s.Start, Until: s.End, Kind: s.Kind, On: s.On})
	}
	s := scene{Actor: t.Actor, act: "time.edit", place: t.Company, now: t.Now, batch: batch, why: why}
	amended, err := s.amend(ctx, t, whose, changes)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(amended, func(a Amended) bool { return a.Refused != nil }) {
		return refusedOf(amended)
	}
	return keepAmended(ctx, t, amended)
}
