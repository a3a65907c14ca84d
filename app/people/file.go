package people

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/field"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// peopleFile is a file of people: each row is one, known by the number.
type peopleFile struct{ fields *PersonFields }

func init() { bringin.Register(bringin.PeopleFile, readPeopleFile) }

func readPeopleFile(ctx context.Context, q store.Q) (bringin.RowKind, error) {
	fields, err := ReadFields(ctx, q)
	return &peopleFile{fields}, err
}

func (k *peopleFile) Columns(actor app.Actor) []bringin.Column {
	var found []bringin.Column
	for _, f := range k.fields.All {
		if !f.Fixed && actor.May(f.See) {
			found = append(found, bringin.Column{Key: f.Key, Label: f.Label, Form: formOf(f.Field), Heads: usualHeads[f.Key]})
		}
	}
	return found
}

// usualHeads are what offices call the columns of a list of people, by key.
var usualHeads = map[string][]string{
	"number": {"#", "id", "no", "emp#", "empno", "empid", "employee#", "employeeid", "employeeno", "employeenumber", "personnelno",
		"payrollid",
		"payrollnumber", "clocknumber", "staffno", "staffnumber"},
	"given_name":  {"first", "firstname", "forename", "fname", "prénom", "prenom", "nombre", "vorname"},
	"family_name": {"last", "lastname", "surname", "lname", "nom", "nomdefamille", "apellido", "apellidos", "nachname"},
	"email":       {"mail", "emailaddress", "workemail"},
	"mobile": {"cell", "cellphone", "cellno", "phone", "phone#", "phoneno", "phonenumber",
		"mobilephone", "mobileno", "telephone", "tel"},
	"unit":      {"crew", "team", "department", "dept", "gang"},
	"site":      {"location", "worksite", "branch", "plant"},
	"starts_on": {"hiredate", "dateofhire", "datehired", "hiredon", "startdate", "starteddate", "dateofjoining", "joined"},
	"title":     {"jobtitle", "position", "role", "occupation", "trade"},
	"rate":      {"payrate", "hourlyrate", "hourlypay", "wage", "hourlywage", "rateofpay", "baserate", "pay"},
	"pattern":   {"schedule", "workinghours", "usualhours"},
}

// formOf says how the values of a setting are read from files.
func formOf(f field.Field) bringin.Form {
	switch {
	case f.Key == "mobile":
		return bringin.PhoneForm
	case f.Kind == field.DateField:
		return bringin.DateForm
	case f.Kind == field.NumberField:
		return bringin.NumberForm
	}
	return ""
}

func (k *peopleFile) Judge(ctx context.Context, q store.Q, actor app.Actor, place *app.Company, today when.Date,
	p *bringin.ImportPage) error {
	sheets, _, err := store.Sheets(ctx, q, today, store.SheetFilter{State: "any", Units: actor.Units("people.see")}, 0, -1)
	if err != nil {
		return err
	}
	first, err := app.FirstOpenDay(ctx, q, place, today)
	if err != nil {
		return err
	}
	j := judge{actor: actor, fields: k.fields, today: today, paidUpTo: first - 1, known: map[string]store.Sheet{},
		mails: map[string]string{}, seen: map[string]int{}, phones: map[string]string{}}
	if j.taken, err = store.AllNumbers(ctx, q); err != nil {
		return err
	}
	for _, s := range sheets {
		if _, there := j.known[s.Values["number"]]; !there { // the first employment of several
			j.known[s.Values["number"]] = s
		}
		if mail := s.Values["email"]; mail != "" {
			j.mails[strings.ToLower(mail)] = s.Values["number"]
		}
		if s.Values["mobile"] != "" {
			j.phones[nameAndPhone(s.Values)] = s.Values["number"]
		}
	}
	for _, f := range k.fields.All { // a file names who is meant by number
		if f.Needed || f.Key == "number" {
			p.Need(f.Key, f.Label)
		}
	}
	p.Take(func(r *bringin.ImportRow, given map[string]string) error {
		r.Name = strings.TrimSpace(given["given_name"] + " " + given["family_name"])
		return j.take(r, given)
	})
	return nil
}

// judge knows what stands, and what the rows before have claimed.
type judge struct {
	actor    app.Actor
	fields   *PersonFields
	today    when.Date
	paidUpTo when.Date
	known    map[string]store.Sheet // by number, those the actor may see
	taken    map[string]bool        // every number there is
	mails    map[string]string      // e-mail address → number
	seen     map[string]int         // number → line
	phones   map[string]string      // name and mobile → number
}

// take works out what a row does; its error says what is wrong with it.
func (j *judge) take(r *bringin.ImportRow, given map[string]string) error {
	var faults []error
	number := strings.TrimSpace(given["number"])
	switch before, twice := j.seen[number]; {
	case number == "":
		faults = append(faults, refusal.New("number", "The number is missing", "It says who a row is about"))
	case twice:
		faults = append(faults,
			refusal.New("number", fmt.Sprintf("Number %s stands in line %d already", number, before), "Keep one of the two"))
	default:
		j.seen[number] = r.Line
	}
	values, wrong := allValues(j.fields, given)
	r.Values, faults = values, append(faults, wrong...)
	if mail := strings.ToLower(r.Values["email"]); mail != "" {
		if owner, used := j.mails[mail]; used && owner != number {
			faults = append(faults, refusal.New("email", fmt.Sprintf("E-mail “%s” belongs to number %s already", r.Values["email"], owner),
				"Choose another"))
		} else {
			j.mails[mail] = number
		}
	}
	s, there := j.known[number]
	if !there {
		return errors.Join(append(faults, j.takeNew(r, number, wrong)...)...)
	}
	if len(faults) > 0 {
		return errors.Join(faults...)
	}
	r.Sheet, r.Name = s, s.Name()
	var changed []string
	for i := range j.fields.All {
		f := &j.fields.All[i]
		value, given := r.Values[f.Key]
		if !given || value == s.Values[f.Key] || f.Key == "mobile" && digitsOf(value) == digitsOf(s.Values[f.Key]) {
			delete(r.Values, f.Key)
			continue
		}
		if _, err := planned(j.actor, j.fields, s, f.Key, f.Enter(value), j.today, j.paidUpTo); err != nil {
			return err
		}
		changed = append(changed, fmt.Sprintf("%s: %s → %s", f.Label, field.OrNothing(f.Show(s.Values[f.Key])), f.Show(value)))
	}
	r.State, r.What = bringin.RowSame, ""
	if len(changed) > 0 {
		r.State, r.What = bringin.RowChanged, strings.Join(changed, "; ")
	}
	return nil
}

// takeNew says what is wrong with a new person besides values that can't be, and
// how those that can are read.
func (j *judge) takeNew(r *bringin.ImportRow, number string, wrong []error) (faults []error) {
	if j.taken[number] {
		faults = append(faults, refusal.New("number", "Number "+number+" belongs to somebody you can't change", "Ask the office"))
	}
	bad := map[string]bool{}
	for _, err := range wrong {
		var refused *refusal.Refusal
		if errors.As(err, &refused) {
			bad[refused.Field] = true
		}
	}
	var words []string
	for i := range j.fields.All {
		f := &j.fields.All[i]
		value := r.Values[f.Key]
		if value == "" {
			if f.Needed && !bad[f.Key] {
				faults = append(faults, refusal.New(f.Key, f.Label+" is missing", "A new person needs it"))
			}
			continue
		}
		if err := f.Gives(j.actor, "people.import", store.Sheet{}, value); err != nil {
			faults = append(faults, err)
		}
		if !slices.Contains([]string{"number", "given_name", "family_name"}, f.Key) {
			words = append(words, f.Label+": "+f.Show(value))
		}
	}
	if r.Values["mobile"] != "" {
		who := nameAndPhone(r.Values)
		if other, twice := j.phones[who]; twice && other != number {
			r.Doubt = "The same name and mobile as number " + other + ": is it the same person?"
		}
		j.phones[who] = number
	}
	r.State, r.What = bringin.RowNew, strings.Join(words, " · ")
	return faults
}

// digitsOf gives the digits of a text.
func digitsOf(text string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, text)
}

// nameAndPhone is by what somebody is likely somebody else twice.
func nameAndPhone(values map[string]string) string {
	return strings.ToLower(values["given_name"]+" "+values["family_name"]) + " " + digitsOf(values["mobile"])
}

func (k *peopleFile) BringIn(ctx context.Context, t *app.Turn, p *bringin.ImportPage, rows []bringin.ImportRow) error {
	var people []store.NewPerson
	var fresh []*bringin.ImportRow
	for i := range rows {
		r := &rows[i]
		if r.State != bringin.RowNew {
			continue
		}
		n, err := newPerson(ctx, t, k.fields, r.Values, uuid.Must(uuid.NewV7()), false)
		if err != nil {
			return bringin.RowError(r, err)
		}
		n.BroughtIn = p.ID
		r.Sheet = store.Sheet{Person: n.ID, Employment: n.Employment, Unit: n.Unit, Site: n.Site,
			Values: map[string]string{"level": "worker"}}
		people, fresh = append(people, n), append(fresh, r)
	}
	if err := store.InsertPeople(ctx, t, people); err != nil {
		return taken(err, k.fields.Get("number"), "a number of this file")
	}
	if err := fillNew(ctx, t, k.fields, people, fresh); err != nil {
		return err
	}
	return k.changeKnown(ctx, t, p, rows)
}

// changeKnown changes the settings of people who are there. They are locked,
// all at once, and read again: what changed since the rows were judged is
// refused.
func (k *peopleFile) changeKnown(ctx context.Context, t *app.Turn, p *bringin.ImportPage, rows []bringin.ImportRow) error {
	var ids []uuid.UUID
	for _, r := range rows {
		if r.State == bringin.RowChanged {
			ids = append(ids, r.Sheet.Person)
		}
	}
	lock, err := store.LockPersons(ctx, t, ids)
	if err != nil || len(ids) == 0 {
		return err
	}
	today := t.Company.Today(t.Now)
	sheets, _, err := store.Sheets(ctx, t, today, store.SheetFilter{State: "any", Persons: ids}, 0, -1)
	if err != nil {
		return err
	}
	now := map[uuid.UUID]store.Sheet{}
	for _, s := range sheets {
		now[s.Employment] = s.Under(lock)
	}
	for n := range k.fields.All {
		if err := k.changeOne(ctx, t, &k.fields.All[n], now, p.ID, today, rows); err != nil {
			return err
		}
	}
	return nil
}

// alone are the settings of which a row may be refused while the others are
// taken: each of these is put by itself, so that the row is named.
var alone = []string{"number", "email", "site", "starts_on"}

// changeOne changes one setting of all those of whom the file gives it.
func (k *peopleFile) changeOne(ctx context.Context, t *app.Turn, f *field.PersonField, now map[uuid.UUID]store.Sheet, batch uuid.UUID,
	today when.Date, rows []bringin.ImportRow) error {
	var puts []field.Put
	var changes []store.Change
	for i := range rows {
		r := &rows[i]
		value, there := r.Values[f.Key]
		if r.State != bringin.RowChanged || !there {
			continue
		}
		sheet := now[r.Sheet.Employment]
		if sheet.Values[f.Key] != r.Sheet.Values[f.Key] {
			return bringin.RowError(r,
				refusal.New(f.Key, f.Label+" of "+sheet.Name()+" was changed meanwhile", "Look at the rows again"))
		}
		puts = append(puts, field.Put{Sheet: sheet, Value: value, From: today})
		changes = append(changes, store.Change{ID: uuid.Must(uuid.NewV7()), Batch: batch, Old: sheet.Values[f.Key], New: value})
		if slices.Contains(alone, f.Key) {
			if err := put(ctx, t, f, puts, changes); err != nil {
				return bringin.RowError(r, err)
			}
			puts, changes = nil, nil
		}
	}
	if len(puts) == 0 {
		return nil
	}
	return put(ctx, t, f, puts, changes)
}

// fillNew sets what else the file says of new people, each setting for all of
// them.
func fillNew(ctx context.Context, t *app.Turn, fields *PersonFields, people []store.NewPerson, rows []*bringin.ImportRow) error {
	lock := store.LockNew(people)
	for i := range fields.All {
		f := &fields.All[i]
		if f.Fixed || f.ByAdding {
			continue
		}
		var puts []field.Put
		for n, r := range rows {
			value := r.Values[f.Key]
			if value == "" {
				continue
			}
			p := field.Put{Sheet: r.Sheet.Under(lock), Value: value, From: people[n].StartsOn}
			if err := mayBegin(t, f, p); err != nil {
				return bringin.RowError(r, err)
			}
			puts = append(puts, p)
		}
		if len(puts) == 0 {
			continue
		}
		if err := begin(ctx, t, f, puts...); err != nil {
			return err
		}
	}
	return nil
}
