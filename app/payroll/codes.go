package payroll

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// DefaultPayCode is the pay code of hours for which nobody names one.
const DefaultPayCode = "REG"

// DefaultSalaryCode is that of salaries.
const DefaultSalaryCode = "SALARY"

// ReadCodes reads the pay codes as they hold from date to date.
func ReadCodes(ctx context.Context, q store.Q) ([]pay.DatedCodes, []store.PayCode, error) {
	rows, err := store.PayCodes(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	orders, err := store.CodeOrders(ctx, q)
	if err != nil {
		return nil, nil, err
	}
	named := make([]pay.NamedFrom, len(rows))
	for i, r := range rows {
		named[i] = pay.NamedFrom{CodeKey: keyOf(r), Pays: pay.Pays(r.Pays), From: r.StartsOn, Code: r.Code}
	}
	return pay.CodesFrom(named, orders), rows, nil
}

func keyOf(r store.PayCode) pay.CodeKey {
	key := pay.CodeKey{Owner: pay.Owner(r.Kind)}
	if r.Owner != nil {
		key.ID = r.Owner.String()
	}
	return key
}

// CodesOn gives the codes in force on a date.
func CodesOn(all []pay.DatedCodes, d when.Date) pay.Codes {
	if i := pay.CodesOn(all, d); i >= 0 {
		return all[i].Codes
	}
	return pay.Codes{}
}

// coder names the pay codes of one run's lines. It keeps what it found: the
// hours of a thousand people are on a few dozen jobs.
type coder struct {
	codes  []pay.DatedCodes
	kinds  map[string][]store.KindFrom // of jobs
	person bool                        // some person names a code
	found  map[codeQuestion]string
}

type codeQuestion struct {
	in                       int // index in codes
	person, job, kind, class string
	pays                     pay.Pays
}

// peopleName says whether some person names a pay code.
func peopleName(codes []pay.DatedCodes) bool {
	for _, d := range codes {
		for key := range d.Named {
			if key.Owner == pay.ByPerson {
				return true
			}
		}
	}
	return false
}

// find looks a code up. Overtime and double time for which nobody names one
// go by that of regular hours.
func (c *coder) find(person, job, class string, pays pay.Pays, on when.Date) string {
	q := codeQuestion{pay.CodesOn(c.codes, on), "", job, "", class, pays}
	if q.in < 0 {
		return DefaultPayCode
	}
	if c.person {
		q.person = person
	}
	for _, k := range c.kinds[job] {
		if k.From <= on {
			q.kind = k.Kind
		}
	}
	if code, ok := c.found[q]; ok {
		return code
	}
	who := WhoNames(q.person, job, q.kind, class)
	code, _, ok := c.codes[q.in].Find(who, pays)
	switch {
	case ok:
	case pays == pay.PaysOvertime || pays == pay.PaysDouble:
		code = c.find(person, job, class, pay.PaysRegular, on)
	case pays == pay.PaysSalary:
		code = DefaultSalaryCode
	default:
		code = DefaultPayCode
	}
	c.found[q] = code
	return code
}

// WhoNames gives those who can name a code, by owner; ids as text, "" for
// nobody.
func WhoNames(person, job, kind, class string) map[pay.Owner]string {
	who := map[pay.Owner]string{}
	for owner, id := range map[pay.Owner]string{pay.ByPerson: person, pay.ByJob: job, pay.ByJobKind: kind, pay.ByClassification: class} {
		if id != "" {
			who[owner] = id
		}
	}
	return who
}

// code gives the lines of a result that have none yet their pay codes.
func (c *coder) code(res *pay.Result, person string) {
	for _, lines := range [][]pay.Line{res.Lines, res.Plan} {
		for i := range lines {
			l := &lines[i]
			switch {
			case l.PayCode != "":
			case l.Stint >= 0:
				s := &res.Stints[l.Stint]
				l.PayCode = c.find(person, s.Job, s.WorkClass, pay.PaysFor(l.Class), l.Date)
			case l.Kind == pay.PaidNotWorked:
				l.PayCode = c.find(person, "", "", pay.PaysRegular, l.Date)
			case l.Kind == pay.LeavePay:
				l.PayCode = c.find(person, "", "", pay.PaysLeave, l.Date)
			case l.Kind == pay.SalaryPay:
				l.PayCode = c.find(person, "", "", pay.PaysSalary, l.Date)
			}
		}
	}
}

// PutPayCode makes an owner name a pay code from a date on; an empty code
// takes the name back.
type PutPayCode struct {
	Owner pay.Owner
	ID    uuid.UUID // zero for the company
	Pays  pay.Pays
	Code  string
	From  string // empty: the first day that isn't paid
}

// Permission is the act's name in the permission table: jobs and people name codes
// where they are changed, all others are set up.
func (p PutPayCode) Permission() string {
	switch p.Owner {
	case pay.ByJob:
		return "jobs.change"
	case pay.ByPerson:
		return "people.change"
	}
	return "setup.change"
}

// CodePays are what codes are for, with what they are called.
var CodePays = field.Choices(string(pay.PaysRegular), "regular hours",
	string(pay.PaysOvertime), "overtime", string(pay.PaysDouble), "double time", string(pay.PaysSalary), "salary",
	string(pay.PaysLeave), "leave")

func (p PutPayCode) Do(ctx context.Context, t *app.Turn) error {
	code := strings.TrimSpace(p.Code)
	i := slices.IndexFunc(CodePays, func(c field.Choice) bool { return c.Value == string(p.Pays) })
	switch {
	case i < 0, (p.Owner == pay.ByCompany) != (p.ID == uuid.Nil):
		return app.ErrNotFound
	case utf8.RuneCountInString(code) > 20 || strings.ContainsAny(code, " ,;\t\n\""):
		return refusal.New("code", "A pay code can't be “"+field.Shorten(p.Code)+"”",
			"Write at most 20 characters, without spaces, commas and quotes")
	}
	from, err := codesHoldFrom(ctx, t, p.From)
	if err != nil {
		return err
	}
	label, err := p.label(ctx, t)
	if err != nil {
		return err
	}
	all, _, err := ReadCodes(ctx, t)
	if err != nil {
		return err
	}
	old := CodesOn(all, from).Named[p.key()][p.Pays]
	if err := store.PutPayCode(ctx, t, p.Owner, p.ID, p.Pays, code, from); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, p.ID,
		map[string]any{"field": "Pay code for " + CodePays[i].Label + " of " + label + " from " + from.String(), "from": old, "to": code})
	return nil
}

func (p PutPayCode) key() pay.CodeKey {
	if p.ID == uuid.Nil {
		return pay.CodeKey{Owner: p.Owner}
	}
	return pay.CodeKey{Owner: p.Owner, ID: p.ID.String()}
}

// label checks that the owner is there and may be changed, and says what it is
// called.
func (p PutPayCode) label(ctx context.Context, t *app.Turn) (string, error) {
	named := func(read func(context.Context, store.Q) ([]store.Named, error)) (string, error) {
		list, err := read(ctx, t)
		if i := slices.IndexFunc(list, func(n store.Named) bool { return n.ID == p.ID }); err == nil && i >= 0 {
			return list[i].Name, nil
		}
		if err == nil {
			err = app.ErrNotFound
		}
		return "", err
	}
	switch p.Owner {
	case pay.ByCompany:
		return "the company", nil
	case pay.ByClassification:
		return named(store.ClassNames)
	case pay.ByJobKind:
		return named(store.JobKinds)
	case pay.ByJob:
		j, err := store.GetJob(ctx, t, p.ID)
		return j.Number, err
	case pay.ByPerson:
		s, err := app.LockTheirs(ctx, t, p.ID, "code")
		return s.Name(), err
	}
	return "", app.ErrNotFound
}

// codesHoldFrom reads a date from which codes may hold: none that is paid.
func codesHoldFrom(ctx context.Context, t *app.Turn, text string) (when.Date, error) {
	first, err := app.FirstOpenDay(ctx, t, t.Company, t.Company.Today(t.Now))
	if err != nil || text == "" {
		return first, err
	}
	from, err := when.ParseDate(text)
	if err != nil {
		return 0, refusal.New("from", "From can't be “"+field.Shorten(text)+"”", "Write a date as YYYY-MM-DD")
	}
	if from < first {
		return 0, refusal.New("from", "Hours before "+first.Format("2 January 2006")+" are paid, and keep their codes",
			"Choose that day or a later one")
	}
	return from, nil
}

// PutCodeOrder sets in which order owners are asked for a pay code.
type PutCodeOrder struct {
	Order []pay.Owner
	From  string
}

// Permission is the act's name in the permission table.
func (PutCodeOrder) Permission() string { return "setup.change" }

func (p PutCodeOrder) Do(ctx context.Context, t *app.Turn) error {
	if !pay.ValidOrder(p.Order) {
		return refusal.New("order", "The order leaves somebody out, or names somebody twice", "Name each once")
	}
	from, err := codesHoldFrom(ctx, t, p.From)
	if err != nil {
		return err
	}
	if err := store.PutCodeOrder(ctx, t, pay.OrderFrom{From: from, Order: p.Order}); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, uuid.Nil,
		map[string]any{"field": "Order of pay codes from " + from.String(), "to": fmt.Sprint(p.Order)})
	return nil
}

// PutCostCode adds a cost code to the list, changes what it is called, or
// closes it: tasks that have it keep it.
type PutCostCode struct {
	Code, Title string
	Closed      bool
}

// Permission is the act's name in the permission table.
func (PutCostCode) Permission() string { return "setup.change" }

func (p PutCostCode) Do(ctx context.Context, t *app.Turn) error {
	c := store.CostCode{Code: strings.TrimSpace(p.Code), Name: strings.TrimSpace(p.Title), Closed: p.Closed}
	switch {
	case c.Code == "" || utf8.RuneCountInString(c.Code) > 20 || strings.ContainsAny(c.Code, " ,;\t\n\""):
		return refusal.New("code", "A cost code can't be “"+field.Shorten(p.Code)+"”",
			"Write 1 to 20 characters, without spaces, commas and quotes")
	case c.Name == "" || len([]rune(c.Name)) > 80:
		return refusal.New("title", "The cost code needs a name", "Write one of at most 80 characters")
	}
	if err := store.PutCostCode(ctx, t, c); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, uuid.Nil,
		map[string]any{"field": "Cost code " + c.Code, "to": c.Name + map[bool]string{true: ", closed"}[c.Closed]})
	return nil
}

// PutClass adds a work classification or changes what it is called.
type PutClass struct {
	ID          uuid.UUID
	Code, Title string
}

// Permission is the act's name in the permission table.
func (PutClass) Permission() string { return "setup.change" }

func (p PutClass) Do(ctx context.Context, t *app.Turn) error {
	code, name := strings.TrimSpace(p.Code), strings.TrimSpace(p.Title)
	switch {
	case code == "" || utf8.RuneCountInString(code) > 20 || strings.ContainsAny(code, " ,;"):
		return refusal.New("code", "The classification's short name can't be “"+field.Shorten(p.Code)+"”",
			"Write 1 to 20 characters, without spaces and commas")
	case name == "" || len([]rune(name)) > 80:
		return refusal.New("title", "The classification needs a name", "Write one of at most 80 characters")
	}
	if err := store.PutClass(ctx, t, p.ID, code, name); err != nil {
		if store.Violates(err, "classification_code_key") {
			return refusal.New("code", "There is a classification "+code+" already", "Choose another short name")
		}
		return err
	}
	t.Record(store.Event{Act: t.Act}, p.ID, map[string]any{"field": "Classification", "to": code + " " + name})
	return nil
}

// KnownCostCode refuses a cost code that isn't in the list, or is closed.
// Where there is no list, any code will do.
func KnownCostCode(list []store.CostCode, code string) error {
	if code == "" || len(list) == 0 {
		return nil
	}
	i := slices.IndexFunc(list, func(c store.CostCode) bool { return c.Code == code })
	switch {
	case i < 0:
		return refusal.New("code", "The cost code “"+field.Shorten(code)+"” is not in the list",
			"Choose one that is, or add it on Setup, under Codes")
	case list[i].Closed:
		return refusal.New("code", "The cost code “"+code+"” is closed", "Choose another, or open it again on Setup, under Codes")
	}
	return nil
}

// CodesPage is the page of pay codes and cost codes.
type CodesPage struct {
	Today     when.Date
	First     when.Date // the first day from which a code may hold
	Order     []pay.Owner
	Company   []CodeValue
	Named     []store.PayCode // in force or to come, of others than the company
	Coming    []store.PayCode // the company's, to come
	Kinds     []store.Named
	Classes   []store.Class
	CostCodes []store.CostCode
	MayChange bool
}

// CodeValue is what an owner names for one thing paid.
type CodeValue struct {
	field.Choice        // what it pays
	Code         string // "" for none
}

// ReadCodesPage reads the page of codes.
func ReadCodesPage(ctx context.Context, a *app.App, actor app.Actor) (*CodesPage, error) {
	if !actor.May("setup.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &CodesPage{Today: place.Today(a.Now()), MayChange: actor.May("setup.change")}
	if p.First, err = app.FirstOpenDay(ctx, a.DB, place, p.Today); err != nil {
		return nil, err
	}
	all, rows, err := ReadCodes(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	now := CodesOn(all, p.Today)
	if p.Order = now.Order; len(p.Order) == 0 {
		p.Order = pay.FirstOrder
	}
	p.Company = ValuesOf(now, pay.CodeKey{Owner: pay.ByCompany}, len(CodePays))
	for _, r := range rows {
		coming := r.StartsOn > p.Today
		switch {
		case r.Kind == string(pay.ByCompany) && coming:
			p.Coming = append(p.Coming, r)
		case r.Kind != string(pay.ByCompany) && (coming || r.Code != "" && now.Named[keyOf(r)][pay.Pays(r.Pays)] == r.Code):
			p.Named = append(p.Named, r)
		}
	}
	if p.Kinds, err = store.JobKinds(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.Classes, err = store.AllClasses(ctx, a.DB); err != nil {
		return nil, err
	}
	p.CostCodes, err = store.CostCodes(ctx, a.DB)
	return p, err
}

// ValuesOf gives what an owner names for the first things paid.
func ValuesOf(codes pay.Codes, key pay.CodeKey, most int) []CodeValue {
	var values []CodeValue
	for _, c := range CodePays[:most] {
		values = append(values, CodeValue{c, codes.Named[key][pay.Pays(c.Value)]})
	}
	return values
}

// CodeUse says which pay code hours will get, and why.
type CodeUse struct {
	Pays    string // "regular hours"
	Code    string
	Asked   []pay.Named     // the owners asked, in order, up to the one that names it
	Default bool            // nobody names one
	As      string          // overtime that goes by the code of "regular hours"
	But     []CodeException // where somebody asked before names another
}

// CodeException is a code that hours get instead where a classification or a
// person names one first.
type CodeException struct {
	Label, Code string
	Owner       pay.Owner
}

// CodeUses says which pay codes hours of a class get when who can name one;
// others, of the owners that who leaves out, may name one first. People among
// them are named only where people says so.
func CodeUses(codes pay.Codes, rows []store.PayCode, who map[pay.Owner]string, people bool) []CodeUse {
	var uses []CodeUse
	for _, c := range CodePays[:3] {
		u := CodeUse{Pays: c.Label, Asked: codes.Trace(who, pay.Pays(c.Value))}
		if n := len(u.Asked); n > 0 && u.Asked[n-1].Used {
			u.Code = u.Asked[n-1].Code
		} else if len(uses) > 0 {
			u.Code, u.As = uses[0].Code, CodePays[0].Label
		} else {
			u.Code, u.Default = DefaultPayCode, true
		}
		seen := map[pay.CodeKey]bool{}
		for _, r := range rows {
			key := keyOf(r)
			if key.Owner == pay.ByPerson && !people {
				continue
			}
			code := codes.Named[key][pay.Pays(c.Value)]
			before := slices.ContainsFunc(u.Asked, func(n pay.Named) bool { return n.Owner == key.Owner && !n.Used })
			if _, asked := who[key.Owner]; !asked && before && code != "" && r.Pays == c.Value && !seen[key] && key.Owner != pay.ByCompany {
				seen[key] = true
				u.But = append(u.But, CodeException{r.Label, code, key.Owner})
			}
		}
		uses = append(uses, u)
	}
	return uses
}
