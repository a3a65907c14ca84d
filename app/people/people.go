// Package people holds persons and their employments: their settings, one and
// for many, what they may, how they sign in, and files of them.
package people

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/hours"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// PeopleQuery is what a list of people is asked for.
type PeopleQuery struct {
	store.SheetFilter
	Offset int
	View   string // of the columns, of [Views]; "" for the actor's own or the first
}

// People is a list of people as the actor may see them.
type People struct {
	Fields  *PersonFields
	Sheets  []store.Sheet
	Total   int
	Columns []string // keys, of the view
	View    string
	Own     bool   // the actor has chosen columns of their own
	Census  Census // of whom a sentence can be made
	Today   when.Date
	MayAdd  bool
	// MayChange says that settings of some of them can be changed.
	MayChange bool
}

// View is columns that are looked at together.
type View struct {
	Key, Label string
	Columns    []string
}

// ownView is of the columns that somebody chose.
const ownView = "own"

var views = []View{
	{"work", "Work", []string{"unit", "site", "title", "level", "pattern", "state"}},
	{"pay", "Pay", []string{"unit", "paid_by", "rate", "pattern", "classes", "period_group", "subcontractor", "account"}},
	{"clocking", "Clocking", []string{"unit", "clock_points", "location", "own_edits", "jobs", "tags", "last_seen"}},
	{"reach", "Reach", []string{"unit", "email", "mobile", "level", "leads", "signs_in"}},
}

// Views lists the views there are, with the actor's own where they have one.
func Views(own bool) []View {
	if own {
		return append(slices.Clone(views), View{Key: ownView, Label: "Your own"})
	}
	return views
}

// ReadPeople reads a piece of the list of people.
func ReadPeople(ctx context.Context, a *app.App, actor app.Actor, q PeopleQuery) (*People, error) {
	if !actor.May("people.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	l := &People{Today: place.Today(a.Now()), MayAdd: actor.May("people.add"), MayChange: actor.May("people.change")}
	if l.Fields, err = ReadFields(ctx, a.DB); err != nil {
		return nil, err
	}
	if q.SheetFilter, err = pick(actor, l.Fields, q.SheetFilter); err != nil {
		return nil, err
	}
	if q.Offset == 0 {
		if l.Census, err = store.Census(ctx, a.DB, l.Today, q.SheetFilter); err != nil {
			return nil, err
		}
	}
	if l.Sheets, l.Total, err = store.Sheets(ctx, a.DB, l.Today, q.SheetFilter, q.Offset, app.PageRows); err != nil {
		return nil, err
	}
	hideSheets(actor, l.Fields, l.Sheets)
	return l, l.readColumns(ctx, a, actor, q.View)
}

// readColumns reads the columns of a view, as far as the actor may see them.
func (l *People) readColumns(ctx context.Context, a *app.App, actor app.Actor, view string) error {
	chosen, err := store.ListColumns(ctx, a.DB, actor.ID, "people")
	if err != nil {
		return err
	}
	own := field.SplitList(chosen)
	l.Own = len(own) > 0
	switch {
	case view == "" && l.Own:
		view = ownView
	case view == "":
		view = views[0].Key
	}
	i := slices.IndexFunc(Views(l.Own), func(v View) bool { return v.Key == view })
	if i < 0 {
		return app.ErrNotFound
	}
	l.View, l.Columns = view, own
	if view != ownView {
		l.Columns = views[i].Columns
	}
	l.Columns = slices.DeleteFunc(slices.Clone(l.Columns), func(key string) bool {
		f := l.Fields.Get(key)
		return f == nil || f.Later || !actor.May(f.See)
	})
	return nil
}

// hideSheets takes out of sheets what the actor may not see of those people.
func hideSheets(actor app.Actor, fields *PersonFields, sheets []store.Sheet) {
	for _, s := range sheets {
		for i := range fields.All {
			if f := &fields.All[i]; f.See != "people.see" && !actor.Reaches(f.See, s.Person, s.Unit) {
				delete(s.Values, f.Key)
			}
		}
	}
}

// Exported reads everyone a filter picks, for a file of the columns of a view;
// samples are in no file.
func Exported(ctx context.Context, a *app.App, actor app.Actor, f store.SheetFilter, view string) (*People, error) {
	l, err := ReadPeople(ctx, a, actor, PeopleQuery{SheetFilter: f, View: view})
	if err != nil {
		return nil, err
	}
	if f, err = pick(actor, l.Fields, f); err != nil {
		return nil, err
	}
	f.Real = true
	l.Sheets, l.Total, err = store.Sheets(ctx, a.DB, l.Today, f, 0, -1)
	hideSheets(actor, l.Fields, l.Sheets)
	return l, err
}

// PutColumns keeps which columns somebody sees in a list.
type PutColumns struct {
	List    string
	Columns []string
}

// Permission says that this is part of seeing people.
func (PutColumns) Permission() string { return "people.see" }

func (c PutColumns) Do(ctx context.Context, t *app.Turn) error {
	return store.PutListColumns(ctx, t, t.Actor.ID, c.List, strings.Join(c.Columns, ", "))
}

// SetPerson changes one setting of one person.
type SetPerson struct {
	ID         uuid.UUID // of the change
	Person     uuid.UUID
	Employment uuid.UUID // zero: the person's first
	Field      string
	Value      string
	From       when.Date // of dated settings; zero: today
}

// Permission is the act's name in the permission table.
func (SetPerson) Permission() string { return "people.change" }

func (s SetPerson) Do(ctx context.Context, t *app.Turn) error {
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return err
	}
	sheet, err := app.LockSheet(ctx, t, s.Person, s.Employment, s.From)
	if err != nil {
		return err
	}
	_, err = change(ctx, t, fields, sheet, s.Field, s.Value, s.From, s.ID, nil)
	return err
}

// planned checks one change of one setting: it gives the value as it is kept,
// or why it can't be.
func planned(actor app.Actor, fields *PersonFields, s store.Sheet, key, value string, from, paidUpTo when.Date) (string, error) {
	f := fields.Get(key)
	switch {
	case f == nil || f.Fixed || !actor.Reaches("people.see", s.Person, s.Unit):
		return "", app.ErrNotFound
	case !actor.Reaches("people.change", s.Person, s.Unit) || !actor.Reaches(f.See, s.Person, s.Unit):
		return "", app.ErrForbidden
	case !app.Outranks(actor, s):
		return "", refusal.New(key, s.Name()+" is of a higher level than you", "Ask an owner")
	case s.Person == actor.ID && !f.Self:
		return "", ofOneself(f)
	case f.Identity && s.Person != actor.ID && !app.Above(actor, s):
		return "", app.NotAbove(key, s)
	case s.Employment == uuid.Nil && !f.OfPerson:
		return "", refusal.New(key, s.Name()+" doesn't clock in", "This setting is for those who do")
	}
	kept, err := f.Normal(value)
	if err != nil {
		return "", err
	}
	if err := f.Gives(actor, "people.change", s, kept); err != nil {
		return "", err
	}
	if err := notPaidYet(f, s, from, paidUpTo); err != nil {
		return "", err
	}
	return kept, nil
}

// notPaidYet refuses a date over what was paid. By which terms somebody is paid
// may reach further back, to the last day on which they themselves were: a
// mistaken mark is taken back from the day it began, and the next run pays.
func notPaidYet(f *field.PersonField, s store.Sheet, from, paidUpTo when.Date) error {
	switch {
	case !f.Dated:
		return nil
	case f.Terms:
		if to := s.Values["paid_to"]; to != "" && from.String() <= to {
			return refusal.New(f.Key, s.Name()+" was paid up to "+to, "Let it hold from a later day")
		}
		return nil
	case from <= paidUpTo:
		return refusal.New(f.Key, "That was paid already: pay runs are closed up to "+paidUpTo.Format("2 January 2006"),
			"Let it hold from a later day")
	}
	return nil
}

// change changes one setting of a locked person and records it. It says
// whether anything changed.
func change(ctx context.Context, t *app.Turn, fields *PersonFields, s store.Sheet, key, value string, from when.Date, id uuid.UUID,
	batch *uuid.UUID) (bool, error) {
	today := t.Company.Today(t.Now)
	if from == 0 {
		from = today
	}
	first, err := app.FirstOpenDay(ctx, t, t.Company, today)
	if err != nil {
		return false, err
	}
	kept, err := planned(t.Actor, fields, s, key, value, from, first-1)
	if err != nil {
		return false, err
	}
	if kept == s.Values[key] {
		return false, nil
	}
	c := store.Change{ID: id, Batch: id, Old: s.Values[key], New: kept}
	if batch != nil {
		c.Batch = *batch
	}
	return true, put(ctx, t, fields.Get(key), []field.Put{{Sheet: s, Value: kept, From: from}}, []store.Change{c})
}

// put writes a setting of some people, a change for each, and their audit
// rows. All of them are locked by one locking.
func put(ctx context.Context, t *app.Turn, f *field.PersonField, puts []field.Put, changes []store.Change) error {
	for _, p := range puts {
		if err := puts[0].Lock().Holds(p.Person); err != nil {
			return err
		}
	}
	if err := f.Put(ctx, t, puts); err != nil {
		return taken(err, f, puts[0].Value)
	}
	for i, p := range puts {
		c := &changes[i]
		c.Person, c.Field, c.MadeAt, c.By = p.Person, f.Key, t.Now, t.Actor.ID
		if p.Employment != uuid.Nil {
			c.Employment = &p.Employment
		}
		if f.Dated {
			c.StartsOn = &p.From
		}
		// The values stand in the change alone, where erasing finds them.
		t.Record(store.Event{Person: p.Person, Unit: p.Unit, Act: t.Act}, p.Person, map[string]any{"field": f.Key, "change": c.ID})
	}
	if err := store.InsertChanges(ctx, t, changes...); err != nil {
		if store.Violates(err, "change_pkey") {
			return app.ErrConflict
		}
		return fmt.Errorf("record changes of %s: %w", f.Key, err)
	}
	return nil
}

// taken says in words that a value belongs to somebody else already.
func taken(err error, f *field.PersonField, value string) error {
	for _, constraint := range []string{"person_number_key", "person_email"} {
		if store.Violates(err, constraint) {
			return refusal.New(f.Key, fmt.Sprintf("%s “%s” belongs to somebody else already", f.Label, field.Shorten(value)),
				"Choose another, or change theirs first")
		}
	}
	return fmt.Errorf("set %s: %w", f.Key, err)
}

// AddPerson adds a person with the settings given. What a crew lead adds is
// to be completed by the office.
type AddPerson struct {
	ID     uuid.UUID
	Values map[string]string // by key
}

// Permission is the act's name in the permission table.
func (AddPerson) Permission() string { return "people.add" }

func (p AddPerson) Do(ctx context.Context, t *app.Turn) error {
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return err
	}
	values, err := normalValues(fields, p.Values)
	if err != nil {
		return err
	}
	lead := !t.Actor.May("people.change")
	n, err := newPerson(ctx, t, fields, values, p.ID, lead)
	if err != nil {
		return err
	}
	if !t.Actor.Reaches(t.Act, uuid.Nil, n.Unit) {
		return refusal.New("unit", "This is not one of your crews", "Choose the crew you lead")
	}
	if err := store.InsertPeople(ctx, t, []store.NewPerson{n}); err != nil {
		if store.Violates(err, "person_pkey") {
			return app.ErrConflict
		}
		return taken(err, fields.Get("number"), n.Number)
	}
	t.Record(store.Event{Person: n.ID, Unit: n.Unit, Act: t.Act}, n.ID, map[string]any{"number": n.Number})
	return p.rest(ctx, t, fields, n, values, lead)
}

// rest sets what else was given of a new person.
func (p AddPerson) rest(ctx context.Context, t *app.Turn, fields *PersonFields, n store.NewPerson,
	values map[string]string, lead bool) error {
	sheet := store.Sheet{Person: n.ID, Employment: n.Employment, Unit: n.Unit, Site: n.Site, Values: map[string]string{
		"given_name": n.Given, "family_name": n.Family, "number": n.Number, "level": "worker",
		"starts_on": n.StartsOn.String()}}.Under(store.LockNew([]store.NewPerson{n}))
	for i := range fields.All {
		f := &fields.All[i]
		value, given := values[f.Key]
		if !given || value == "" || f.Fixed || f.ByAdding || lead && !f.ByLead {
			continue
		}
		p := field.Put{Sheet: sheet, Value: value, From: n.StartsOn}
		if err := mayBegin(t, f, p); err != nil {
			return err
		}
		if err := begin(ctx, t, f, p); err != nil {
			return err
		}
	}
	return nil
}

// mayBegin refuses a value that whoever adds somebody may not give them.
func mayBegin(t *app.Turn, f *field.PersonField, p field.Put) error {
	if err := f.Gives(t.Actor, t.Act, p.Sheet, p.Value); err != nil {
		return err
	}
	if !t.Actor.Reaches(f.See, p.Person, p.Unit) {
		return refusal.New(f.Key, f.Label+" is not yours to set", "Leave it empty")
	}
	return nil
}

// begin sets a setting of people just added. It is part of adding, so no change
// is recorded.
func begin(ctx context.Context, t *app.Turn, f *field.PersonField, puts ...field.Put) error {
	if err := f.Put(ctx, t, puts); err != nil {
		return taken(err, f, puts[0].Value)
	}
	return nil
}

// normalValues gives values as they are kept, the first error in the order of
// the fields.
func normalValues(fields *PersonFields, given map[string]string) (map[string]string, error) {
	values, wrong := allValues(fields, given)
	if len(wrong) > 0 {
		return nil, wrong[0]
	}
	return values, nil
}

// allValues gives the values that can be, as they are kept, and what is wrong with
// the others.
func allValues(fields *PersonFields, given map[string]string) (values map[string]string, wrong []error) {
	values = map[string]string{}
	for i := range fields.All {
		f := &fields.All[i]
		text, there := given[f.Key]
		if !there || f.Fixed || strings.TrimSpace(text) == "" {
			continue
		}
		kept, err := f.Normal(text)
		if err != nil {
			wrong = append(wrong, err)
			continue
		}
		values[f.Key] = kept
	}
	return values, wrong
}

// newPerson makes the row of somebody to be added.
func newPerson(ctx context.Context, t *app.Turn, fields *PersonFields, values map[string]string, id uuid.UUID,
	incomplete bool) (store.NewPerson, error) {
	if f := fields.lacks(values); f != nil {
		return store.NewPerson{}, refusal.New(f.Key, f.Label+" is missing", "Write it in")
	}
	starts, err := when.ParseDate(values["starts_on"])
	if err != nil {
		return store.NewPerson{}, err
	}
	n := store.NewPerson{ID: id, Employment: uuid.Must(uuid.NewV7()), Number: values["number"], Given: values["given_name"],
		Family: values["family_name"], Level: "worker",
		Unit: field.IdOf(fields.Units, values["unit"]), Site: field.IdOf(fields.Sites, values["site"]), StartsOn: starts, AddedAt: t.Now,
		AddedBy: t.Actor.ID, Incomplete: incomplete}
	if values["pattern"] == "" && values["paid_by"] != "salary" {
		n.Pattern = t.Company.NewPattern
	}
	if n.Site == uuid.Nil { // that of the crew
		if n.Site = fields.siteOf[n.Unit]; n.Site == uuid.Nil {
			return n, refusal.New("site", "Site is missing, and "+values["unit"]+" has none of its own", "Choose one")
		}
	}
	if n.Number == "" {
		n.Number, err = store.NextNumber(ctx, t)
	}
	return n, err
}

// AddPosition gives a person a second employment: with its own rate, pattern,
// crew and cards.
type AddPosition struct {
	ID         uuid.UUID // of the employment
	Person     uuid.UUID
	Unit, Site string // names; an empty site is that of the crew
	Title      string
	StartsOn   string
}

// Permission is the act's name in the permission table.
func (AddPosition) Permission() string { return "people.change" }

func (p AddPosition) Do(ctx context.Context, t *app.Turn) error {
	sheet, err := app.LockTheirs(ctx, t, p.Person, "unit")
	if err != nil {
		return err
	}
	fields, err := ReadFields(ctx, t)
	if err != nil {
		return err
	}
	given := map[string]string{"unit": p.Unit, "site": p.Site, "title": p.Title, "starts_on": p.StartsOn, "given_name": "x",
		"family_name": "x", "number": "x"}
	values, err := normalValues(fields, given)
	if err != nil {
		return err
	}
	if values["title"] == "" {
		return refusal.New("title", "Title is missing", "Write what tells the positions apart")
	}
	n, err := newPerson(ctx, t, fields, values, p.Person, false)
	if err != nil {
		return err
	}
	if err := beyond(t.Actor, t.Act, "unit", fields.Units, []string{values["unit"]}); err != nil {
		return err
	}
	if err := store.InsertEmployment(ctx, t, p.ID, p.Person, n.Unit, n.Site, values["title"], n.StartsOn); err != nil {
		if store.Violates(err, "employment_pkey") {
			return app.ErrConflict
		}
		return err
	}
	t.Record(store.Event{Person: sheet.Person, Unit: n.Unit, Act: t.Act}, sheet.Person,
		map[string]any{"position": values["title"], "starts_on": n.StartsOn})
	return nil
}

// EndPerson sets a person's last day. They must be off the clock, or their
// clocking out is part of it.
type EndPerson struct {
	ID     uuid.UUID
	Person uuid.UUID
	On     when.Date
	Out    time.Time // when a stint that is running ended; zero lets them clock out themselves
}

// Permission is the act's name in the permission table.
func (EndPerson) Permission() string { return "people.change" }

func (e EndPerson) Do(ctx context.Context, t *app.Turn) error {
	sheet, err := app.LockTheirs(ctx, t, e.Person, "on")
	if err != nil {
		return err
	}
	if starts := sheet.Values["starts_on"]; starts != "" && e.On.String() < starts {
		return refusal.New("on", "That is before the day of hire, "+starts, "Choose a later day")
	}
	open, err := store.OpenStint(ctx, t, e.Person)
	if err != nil {
		return err
	}
	switch {
	case open && !e.Out.IsZero():
		if err := e.clockOut(ctx, t); err != nil {
			return err
		}
	case open && e.On < t.Company.Today(t.Now):
		return refusal.New("on", sheet.Name()+" is on the clock", "Say when they clocked out, or choose today or a later day")
	}
	return e.end(ctx, t, sheet, e.On.String())
}

// clockOut ends what is running, by hand.
func (e EndPerson) clockOut(ctx context.Context, t *app.Turn) error {
	employment, since, err := store.RunningStint(ctx, t, e.Person)
	if err != nil {
		return err
	}
	if !e.Out.After(since) || e.Out.After(t.Now) {
		return refusal.New("out",
			"They can't have clocked out then: the stint began at "+since.In(t.Company.Loc).Format("15:04 on 2 January"),
			"Choose a time after that, and not after now")
	}
	who, err := store.LockEmployment(ctx, t, employment)
	if err != nil {
		return err
	}
	return hours.EndRunning(ctx, t, who, uuid.Must(uuid.NewV7()), e.Out, "last day")
}

// end writes the last day, "" to bring somebody back.
func (e EndPerson) end(ctx context.Context, t *app.Turn, s store.Sheet, on string) error {
	if s.Values["ends_on"] == on {
		return nil
	}
	if err := store.SetLastDay(ctx, t, s.Person, field.OrNull(on)); err != nil {
		return err
	}
	c := store.Change{ID: e.ID, Batch: e.ID, Person: s.Person, Field: "ends_on", Old: s.Values["ends_on"], New: on,
		MadeAt: t.Now, By: t.Actor.ID}
	if err := store.InsertChanges(ctx, t, c); err != nil {
		return err
	}
	t.Record(store.Event{Person: s.Person, Unit: s.Unit, Act: t.Act}, s.Person, map[string]any{"field": "ends_on", "change": c.ID})
	return nil
}

// BringBack takes a last day away.
type BringBack struct {
	ID     uuid.UUID
	Person uuid.UUID
}

// Permission is the act's name in the permission table.
func (BringBack) Permission() string { return "people.change" }

func (b BringBack) Do(ctx context.Context, t *app.Turn) error {
	sheet, err := app.LockTheirs(ctx, t, b.Person, "on")
	if err != nil {
		return err
	}
	if err := store.EndSessions(ctx, t, b.Person); err != nil {
		return err // whoever holds a session from before they left is not let in by it
	}
	return EndPerson{ID: b.ID, Person: b.Person}.end(ctx, t, sheet, "")
}

// ErasePerson takes a person's data away for good. Hours and pay stay, under
// the number alone.
type ErasePerson struct {
	Person uuid.UUID
	Number string // typed once more, so that it is meant
}

// Permission is the act's name in the permission table.
func (ErasePerson) Permission() string { return "people.erase" }

func (e ErasePerson) Do(ctx context.Context, t *app.Turn) error {
	sheet, err := app.LockSheet(ctx, t, e.Person, uuid.Nil, 0)
	mean := cmp.Or(sheet.Values["number"], sheet.Name())
	switch {
	case err != nil:
		return err
	case e.Person == t.Actor.ID:
		return refusal.New("number", "Nobody erases themselves", "Ask another owner")
	case sheet.Values["state"] != "ended":
		return refusal.New("number", sheet.Name()+" still works here", "Set a last day first; erasing is for those who left")
	case e.Number != mean:
		return refusal.New("number", "The number doesn't belong to "+sheet.Name(),
			"Type "+mean+" to say that you mean it")
	}
	if err := store.ErasePerson(ctx, t, e.Person, t.Now); err != nil {
		return err
	}
	t.Record(store.Event{Person: sheet.Person, Unit: sheet.Unit, Act: t.Act}, sheet.Person, map[string]any{"number": e.Number})
	return nil
}
