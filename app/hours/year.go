package hours

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// yearFile is a file of what people had worked in the year up to a day, before they
// were recorded here: a row is a person. Cards from the day after are added to it.
type yearFile struct {
	years map[int]store.YearBefore // what a row gives, by its index
}

func init() {
	bringin.Register(bringin.YearFile, func(context.Context, store.Q) (bringin.RowKind, error) {
		return &yearFile{years: map[int]store.YearBefore{}}, nil
	})
	app.Undoes(bringin.TakeFile{Kind: bringin.YearFile}.Permission(), undoYearFile)
}

// YearColumns are the columns that a file of the year's sums can have.
var YearColumns = []bringin.Column{
	{Key: "number", Label: "Personnel number", Heads: personHeads},
	{Key: "until", Label: "Up to", Form: bringin.DateForm,
		Heads: []string{"asof", "through", "thru", "until", "enddate", "date", "periodend"}},
	{Key: "regular", Label: "Regular hours", Form: bringin.HoursForm,
		Heads: []string{"regular", "reg", "reghours", "reghrs", "ytdregular", "ytdreg", "hours", "straighttime", "st"}},
	{Key: "overtime", Label: "Overtime hours", Form: bringin.HoursForm,
		Heads: []string{"overtime", "ot", "othours", "othrs", "ytdovertime", "ytdot"}},
	{Key: "doubled", Label: "Double time hours", Form: bringin.HoursForm,
		Heads: []string{"doubletime", "double", "dt", "dthours", "ytddt"}},
}

// Columns are those of every file of sums.
func (*yearFile) Columns(app.Actor) []bringin.Column { return YearColumns }

// Judge says of every row what it would do.
func (k *yearFile) Judge(ctx context.Context, q store.Q, actor app.Actor, _ *app.Company, today when.Date, p *bringin.ImportPage) error {
	for _, c := range YearColumns[:3] {
		p.Need(c.Key, c.Label)
	}
	people, err := Numbered(ctx, q, actor, today)
	if err != nil {
		return err
	}
	years, err := store.YearsBefore(ctx, q, nil)
	if err != nil {
		return err
	}
	type key struct {
		of   uuid.UUID
		year int
	}
	there, seen := map[key]store.YearBefore{}, map[key]int{}
	for _, o := range years {
		there[key{o.Employment, o.Year}] = o
	}
	p.Take(func(r *bringin.ImportRow, given map[string]string) error {
		o, err := yearRow(r, given, people, actor, today)
		if err != nil {
			return err
		}
		of := key{o.Employment, o.Year}
		if before, twice := seen[of]; twice {
			return refusal.New("number", fmt.Sprintf("Their year stands in line %d already", before), "Keep one of the two")
		}
		seen[of], o.BroughtIn = r.Line, p.ID
		said := yearWords(o)
		was, had := there[of]
		switch was.BroughtIn = p.ID; {
		case had && was == o:
			r.State = bringin.RowSame
			return nil
		case had:
			r.State, r.What = bringin.RowChanged, yearWords(was)+" → "+said
		default:
			r.State, r.What = bringin.RowNew, said
		}
		k.years[r.Index] = o
		return nil
	})
	return nil
}

func yearWords(o store.YearBefore) string {
	said := card.HoursMinutes(o.Worked()) + " up to " + o.Until.Format("2 January 2006")
	if extra := o.Overtime + o.Doubled; extra > 0 {
		said += ", of it " + card.HoursMinutes(extra) + " overtime or double"
	}
	return said
}

// yearRow reads a row by itself; its error says all that is wrong with it.
func yearRow(r *bringin.ImportRow, given map[string]string, people map[string]store.Sheet, actor app.Actor,
	today when.Date) (o store.YearBefore, err error) {
	var faults []error
	fault := func(field, wrong, right string) { faults = append(faults, refusal.New(field, wrong, right)) }
	var whose error
	if o.Employment, whose = Meant(r, given["number"], people, actor); whose != nil {
		faults = append(faults, whose)
	}
	until, err := when.ParseDate(given["until"])
	switch {
	case err != nil:
		fault("until", "The day up to which they are counted is missing", "Write the last day that is in the sums")
	case until >= today:
		fault("until", until.Format("2 January 2006")+" isn't over", "Write the last day that is in the sums")
	}
	o.Until, o.Year = until, until.Year()
	for key, into := range map[string]*int64{"regular": &o.Regular, "overtime": &o.Overtime, "doubled": &o.Doubled} {
		*into, _ = strconv.ParseInt(given[key], 10, 64) // as bringin.HoursForm gives it; empty is none
	}
	const year = 366 * 24 * 3600
	switch worked := o.Worked(); {
	case worked == 0:
		fault("regular", "There are no hours", "Write hours such as 1,204.5, or leave the row out")
	case worked > year:
		fault("regular", card.HoursMinutes(worked)+" are more than a year", "Write hours, not minutes or pay")
	}
	return o, errors.Join(faults...)
}

// Numbered gives those whose hours the actor changes, by number: the first position of
// several.
func Numbered(ctx context.Context, q store.Q, actor app.Actor, today when.Date) (map[string]store.Sheet, error) {
	units := actor.Units(bringin.TakeFile{Kind: bringin.HoursFile}.Permission())
	sheets, _, err := store.Sheets(ctx, q, today, store.SheetFilter{State: "any", Units: units}, 0, -1)
	if err != nil {
		return nil, err
	}
	people := map[string]store.Sheet{}
	for _, s := range sheets {
		if _, there := people[s.Values["number"]]; !there && s.Employment != uuid.Nil {
			people[s.Values["number"]] = s
		}
	}
	return people, nil
}

// Meant finds whose hours a row tells of, and names the row by them. One's own somebody
// else brings in.
func Meant(r *bringin.ImportRow, number string, people map[string]store.Sheet, actor app.Actor) (uuid.UUID, error) {
	number = strings.TrimSpace(number)
	r.Name = number
	switch who, there := people[number]; {
	case number == "":
		return uuid.Nil, refusal.New("number", "The personnel number is missing", "It says whose hours they are")
	case !there:
		return uuid.Nil, refusal.New("number", "There is nobody with number "+number, "Bring the people in first, or correct the number")
	case who.Person == actor.ID:
		return uuid.Nil, refusal.New("number", "These are your own hours", "Somebody else brings them in")
	default:
		r.Name = who.Name()
		return who.Employment, nil
	}
}

// BringIn writes the sums of some rows.
func (k *yearFile) BringIn(ctx context.Context, t *app.Turn, _ *bringin.ImportPage, rows []bringin.ImportRow) error {
	var ids []uuid.UUID
	for _, o := range k.years {
		ids = append(ids, o.Employment)
	}
	whose, err := store.LockEmployments(ctx, t, ids) // all of the file at once, whatever comes piece by piece
	if err != nil {
		return err
	}
	var years []store.YearBefore
	for _, r := range rows {
		o, does := k.years[r.Index]
		if !does || !r.Does() {
			continue
		}
		years = append(years, o)
		i := slices.IndexFunc(whose, func(e store.Employment) bool { return e.ID == o.Employment })
		t.Record(store.Event{Person: whose[i].Person, Unit: whose[i].Unit, Act: t.Act}, o.Employment,
			map[string]any{"field": fmt.Sprintf("Hours of %d", o.Year), "to": yearWords(o)})
	}
	return store.PutYearsBefore(ctx, t, years)
}

// undoYearFile takes a file of sums back, but for those that a later file replaced.
func undoYearFile(ctx context.Context, t *app.Turn, file uuid.UUID) (done app.Undone, found bool, err error) {
	if found, err = bringin.ToUndo(ctx, t, bringin.YearFile, file); err != nil || !found {
		return done, found, err
	}
	ids, err := store.YearsBeforeOf(ctx, t, file)
	if err != nil {
		return done, false, err
	}
	if _, err := store.LockEmployments(ctx, t, ids); err != nil {
		return done, false, err
	}
	n, err := store.DropYearsBefore(ctx, t, file)
	switch {
	case err != nil:
		return done, false, err
	case n == 0:
		return done, false, refusal.New("batch", "Another file has replaced all of it since", "Take that one back")
	}
	done.Words = "the sums of " + app.Several(n, "person", "people")
	t.Record(store.Event{Act: t.Act}, file, map[string]any{"people": n, "to": "taken back"})
	return done, true, store.ImportUndone(ctx, t, file, t.Now)
}

// ReadYear adds up what somebody in the actor's reach worked in the year so far.
func ReadYear(ctx context.Context, a *app.App, actor app.Actor, employment uuid.UUID) (store.YearSum, error) {
	who, err := store.GetEmployment(ctx, a.DB, employment)
	if store.NotFound(err) || err == nil && !actor.Reaches("timecards.see", who.Person, who.Unit) {
		return store.YearSum{}, app.ErrNotFound
	}
	if err != nil {
		return store.YearSum{}, err
	}
	place, err := a.Company(ctx)
	if err != nil {
		return store.YearSum{}, err
	}
	return store.SumYear(ctx, a.DB, who.ID, place.Today(a.Now()))
}
