package payroll

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Adjustment is what is asked for: a sum, or hours at a rate, that somebody is paid or has kept from
// them by the open run, or by every run to a day.
type Adjustment struct {
	Employment    uuid.UUID
	Does          string // "earning" or "deduction"
	What          string // what it's called
	PayCode       string
	Amount        string // a decimal; or
	Hours, Rate   string // decimals
	InRegularRate bool
	From          string // "" for the last day of the open period
	Until         string // by every run to then, "" for once
	OverFrom      string // days that it was earned over, "" for its week
	OverTo        string
}

// PutAdjustments adds adjustments to the open run of a group: one, or all rows of a file, or none.
type PutAdjustments struct {
	ID    uuid.UUID
	Group string
	Rows  []Adjustment
	File  string // its name, "" where they were typed
}

// EndAdjustment takes back an adjustment that no run has paid, or lets one of every run end with what
// was paid.
type EndAdjustment struct{ ID uuid.UUID }

// PutDifferential gives a differential to named people, for windows that begin on some days.
type PutDifferential struct {
	ID           uuid.UUID
	Group        string
	Title        string
	From, To     string // local times
	PerHour      string
	Percent      string
	First, Last  string // days; Last "" for no end
	Employments  []uuid.UUID
	EmploymentOf string // a crew, all of whom get it
}

// EndDifferential ends one with the day before the open period.
type EndDifferential struct{ ID uuid.UUID }

// Permission is the act's name in the permission table.
func (PutAdjustments) Permission() string { return "payrun.adjust" }

// Permission is the act's name in the permission table.
func (EndAdjustment) Permission() string { return "payrun.adjust" }

// Permission is the act's name in the permission table.
func (PutDifferential) Permission() string { return "payrun.adjust" }

// Permission is the act's name in the permission table.
func (EndDifferential) Permission() string { return "payrun.adjust" }

// What will be paid is changed alone.
func (PutAdjustments) Alone() {}

func (EndAdjustment) Alone() {}

func (PutDifferential) Alone() {}

func (EndDifferential) Alone() {}

// inRow says in which row of a file, from 1, something is wrong.
func inRow(row int, err error) error {
	var wrong *refusal.Refusal
	if !errors.As(err, &wrong) {
		return err
	}
	return refusal.New(wrong.Field, fmt.Sprintf("Row %d: %s", row, wrong.Wrong), wrong.Right)
}

func (p PutAdjustments) Do(ctx context.Context, t *app.Turn) error {
	period, err := openPeriod(ctx, t, t.Company, p.Group, t.Now)
	if err != nil {
		return err
	}
	if len(p.Rows) == 0 {
		return refusal.New("file", "There is nothing in it", "Write a row for each adjustment beneath the names of the columns")
	}
	place, err := t.Company.OfGroup(ctx, t, p.Group)
	if err != nil {
		return err
	}
	members, err := store.Members(ctx, t, p.Group, period.From, period.To)
	if err != nil {
		return err
	}
	var of []uuid.UUID
	for _, r := range p.Rows {
		of = append(of, r.Employment)
	}
	payees, err := store.Payees(ctx, t, of)
	if err != nil {
		return err
	}
	rows := make([]store.Adjustment, len(p.Rows))
	for i, r := range p.Rows {
		at := slices.IndexFunc(payees, func(p store.Payee) bool { return p.Employment == r.Employment })
		var wrong error
		switch {
		case at < 0:
			return app.ErrNotFound
		case payees[at].Person == t.Actor.ID:
			wrong = refusal.New("employment", "That is your own pay", "Somebody else changes it")
		case !members[r.Employment]:
			wrong = refusal.New("employment", payees[at].Name()+" is in no run of these pay periods", "Choose somebody who is")
		default:
			rows[i], wrong = r.row(period, place)
		}
		if wrong != nil && p.File != "" {
			return inRow(i+1, wrong)
		}
		if wrong != nil {
			return wrong
		}
		rows[i].ID, rows[i].By, rows[i].MadeAt = uuid.Must(uuid.NewV7()), t.Actor.ID, t.Now
		if p.File != "" {
			rows[i].Batch = &p.ID
		}
	}
	if err := store.InsertAdjustments(ctx, t, rows...); err != nil {
		return err
	}
	for i, r := range rows {
		at := slices.IndexFunc(payees, func(p store.Payee) bool { return p.Employment == r.Employment })
		detail := map[string]any{"does": r.Does, "what": r.What, "code": r.PayCode,
			"amount": rows[i].Amount.StringFixed(int32(place.CurrencyDecimals)), "from": r.From}
		if r.Until != nil {
			detail["until"] = r.Until
		}
		if p.File != "" {
			detail["file"] = p.File
		}
		t.Record(store.Event{Act: p.Permission()}, payees[at].Person, detail)
	}
	return nil
}

// row reads an adjustment, or says what is wrong with it.
func (a Adjustment) row(period when.Period, place *app.Company) (store.Adjustment, error) {
	r := store.Adjustment{Employment: a.Employment, Does: a.Does, What: strings.TrimSpace(a.What), PayCode: strings.TrimSpace(a.PayCode),
		InRegularRate: a.InRegularRate && a.Does == "earning", From: period.To}
	switch {
	case r.Does != "earning" && r.Does != "deduction":
		return r, refusal.New("does", "It is neither an earning nor a deduction", "Say which")
	case r.What == "" || utf8.RuneCountInString(r.What) > 60:
		return r, refusal.New("what", "It isn't said what it is", "Call it something, in at most 60 characters")
	case r.PayCode == "" || utf8.RuneCountInString(r.PayCode) > 20:
		return r, refusal.New("code", "It has no pay code", "Write one of at most 20 characters")
	}
	if wrong := a.sum(&r, place.CurrencyDecimals); wrong != nil {
		return r, wrong
	}
	date := func(key, text string, into *when.Date) error {
		d, err := when.ParseDate(strings.TrimSpace(text))
		if err != nil {
			return refusal.New(key, "The day can't be “"+field.Shorten(text)+"”", "Write a date as YYYY-MM-DD")
		}
		*into = d
		return nil
	}
	if strings.TrimSpace(a.Until) != "" {
		r.From = period.From
	}
	if a.From != "" {
		if wrong := date("from", a.From, &r.From); wrong != nil {
			return r, wrong
		}
	}
	if a.Until != "" {
		r.Until = new(when.Date)
		if wrong := date("until", a.Until, r.Until); wrong != nil {
			return r, wrong
		}
	}
	switch {
	case r.From < period.From:
		return r, refusal.New("from", "Runs are closed up to "+(period.From-1).Format("2 January 2006"), "Take a day from then on")
	case r.Until == nil && r.From > period.To+366:
		return r, refusal.New("from", "That is more than a year ahead", "Take a day nearer to the open run")
	case r.Until != nil && *r.Until < r.From:
		return r, refusal.New("until", "It would end before it begins", "Take a later day, or none for once")
	}
	if strings.TrimSpace(a.OverFrom) == "" && strings.TrimSpace(a.OverTo) == "" {
		return r, nil
	}
	r.OverFrom, r.OverTo = new(when.Date), new(when.Date)
	if wrong := date("over_from", a.OverFrom, r.OverFrom); wrong != nil {
		return r, wrong
	}
	if wrong := date("over_to", a.OverTo, r.OverTo); wrong != nil {
		return r, wrong
	}
	switch {
	case !r.InRegularRate:
		return r, refusal.New("over_from", "A sum out of the regular rate isn't earned over a span",
			"Put it in the regular rate, or take the days out")
	case r.Until != nil:
		return r, refusal.New("until", "A sum that was earned over a span is paid once", "Take the day out to which every run pays it")
	case *r.OverTo < *r.OverFrom || *r.OverTo-*r.OverFrom > 366:
		return r, refusal.New("over_to", "The span ends before it begins, or is longer than a year", "Take other days")
	case *r.OverTo > r.From:
		return r, refusal.New("over_to", "It would be paid before it was earned", "Take days up to "+r.From.Format("2 January 2006"))
	}
	return r, nil
}

// sum reads a sum, or hours at a rate.
func (a Adjustment) sum(r *store.Adjustment, decimals int) error {
	number := func(key, text string) (decimal.Decimal, error) {
		v, err := pay.ParseRate(strings.TrimSpace(text))
		if err != nil || v <= 0 {
			return decimal.Zero, refusal.New(key, "“"+field.Shorten(text)+"” is no sum", "Write a decimal above zero, such as 46.00")
		}
		return decimal.New(int64(v), -6), nil
	}
	typed := func(s string) bool { return strings.TrimSpace(s) != "" }
	var wrong error
	if typed(a.Amount) == (typed(a.Hours) || typed(a.Rate)) {
		return refusal.New("amount", "There has to be a sum, or hours and a rate", "Write one of the two")
	}
	if typed(a.Amount) {
		if r.Amount, wrong = number("amount", a.Amount); wrong == nil && !r.Amount.Equal(r.Amount.Round(int32(decimals))) {
			wrong = refusal.New("amount", "The currency has no such part", fmt.Sprintf("Write at most %d decimals", decimals))
		}
		return wrong
	}
	hours, wrong := number("hours", a.Hours)
	if wrong != nil {
		return wrong
	}
	rate, wrong := number("rate", a.Rate)
	if wrong != nil {
		return wrong
	}
	seconds := hours.Mul(decimal.NewFromInt(3600)).Round(0).IntPart()
	r.Seconds, r.Rate = &seconds, &rate
	r.Amount = decimal.NewFromInt(seconds).Mul(rate).Div(decimal.NewFromInt(3600)).Round(int32(decimals))
	if !r.Amount.IsPositive() {
		return refusal.New("hours", "That comes to nothing", "Write more hours, or a higher rate")
	}
	return nil
}

func (e EndAdjustment) Do(ctx context.Context, t *app.Turn) error {
	a, err := store.GetAdjustment(ctx, t, e.ID)
	if store.NotFound(err) {
		return app.ErrNotFound
	}
	if err != nil {
		return fmt.Errorf("read an adjustment: %w", err)
	}
	if a.Person == t.Actor.ID {
		return refusal.New("employment", "That is your own pay", "Somebody else changes it")
	}
	last, paid, err := store.LastPaidOf(ctx, t, a.Employment)
	if err != nil {
		return err
	}
	detail := map[string]any{"what": a.What, "taken back": true}
	switch {
	case !paid || a.From > last:
		err = store.DropAdjustment(ctx, t, e.ID, t.Now)
	case a.Until == nil:
		return refusal.New("adjustment", "A run has paid it", "Add one that puts it right")
	default:
		detail = map[string]any{"what": a.What, "until": last}
		err = store.EndAdjustment(ctx, t, e.ID, last)
	}
	if err != nil {
		return fmt.Errorf("end an adjustment: %w", err)
	}
	t.Record(store.Event{Act: e.Permission()}, a.Person, detail)
	return nil
}

func (p PutDifferential) Do(ctx context.Context, t *app.Turn) error {
	period, err := openPeriod(ctx, t, t.Company, p.Group, t.Now)
	if err != nil {
		return err
	}
	d, wrong := p.row(period)
	if wrong != nil {
		return wrong
	}
	if p.EmploymentOf != "" {
		if d.Of, err = store.EmploymentsOfUnit(ctx, t, p.EmploymentOf, d.StartsOn); err != nil {
			return err
		}
		members, err := store.Members(ctx, t, p.Group, period.From, period.To)
		if err != nil {
			return err
		}
		d.Of = slices.DeleteFunc(d.Of, func(e uuid.UUID) bool { return !members[e] }) // others have runs of their own
	}
	if len(d.Of) == 0 {
		return refusal.New("employment", "Nobody would get it", "Choose people, or a crew")
	}
	payees, err := payeesIn(ctx, t, p.Group, period, d.Of...)
	if err != nil {
		return err
	}
	last, paid, err := store.LastPaidOf(ctx, t, d.Of...)
	if err != nil {
		return err
	}
	if paid && d.StartsOn <= last {
		return refusal.New("first", "Some of them were paid up to "+last.Format("2 January 2006"), "Take a day from then on")
	}
	for _, of := range payees {
		if of.Person == t.Actor.ID {
			return refusal.New("employment", "You would be among those who get it", "Somebody else changes your pay")
		}
	}
	d.MadeAt = t.Now
	if err := store.InsertDifferential(ctx, t, d); err != nil {
		return err
	}
	for _, of := range payees {
		t.Record(store.Event{Act: p.Permission()}, of.Person, map[string]any{"differential": d.Name, "from": d.StartsOn,
			"per_hour": d.PerHour.String(), "percent": decimal.New(d.Percent, -2).String()})
	}
	return nil
}

func (p PutDifferential) row(period when.Period) (store.NamedDifferential, error) {
	d := store.NamedDifferential{ID: p.ID, Name: strings.TrimSpace(p.Title), Of: p.Employments}
	if d.Name == "" || utf8.RuneCountInString(d.Name) > 40 {
		return d, refusal.New("title", "It has no name", "Write one of at most 40 characters: it's the pay code of its lines")
	}
	from, err := when.ParseTimeOfDay(strings.TrimSpace(p.From))
	if err != nil {
		return d, refusal.New("from", "“"+field.Shorten(p.From)+"” is no time", "Write one such as 20:00")
	}
	to, err := when.ParseTimeOfDay(strings.TrimSpace(p.To))
	if err != nil {
		return d, refusal.New("to", "“"+field.Shorten(p.To)+"” is no time", "Write one such as 04:00")
	}
	d.FromTime, d.ToTime = int64(from/time.Second), int64(to/time.Second)
	hour, percent := strings.TrimSpace(p.PerHour), strings.TrimSpace(p.Percent)
	if (hour == "") == (percent == "") {
		return d, refusal.New("per_hour", "There has to be a sum an hour, or a percentage", "Write one of the two")
	}
	v, err := pay.ParseRate(hour + percent)
	if err != nil || v <= 0 || percent != "" && (v%10_000 != 0 || v > 1000_000_000) {
		return d, refusal.New("per_hour", "“"+field.Shorten(hour+percent)+"” can't be paid", "Write a decimal above zero, such as 1.50")
	}
	if hour != "" {
		d.PerHour = decimal.New(int64(v), -6)
	} else {
		d.Percent = int64(v) / 10_000
	}
	if d.StartsOn = period.From; strings.TrimSpace(p.First) != "" {
		if d.StartsOn, err = when.ParseDate(strings.TrimSpace(p.First)); err != nil {
			return d, refusal.New("first", "The day can't be “"+field.Shorten(p.First)+"”", "Write a date as YYYY-MM-DD")
		}
	}
	if strings.TrimSpace(p.Last) != "" {
		last, err := when.ParseDate(strings.TrimSpace(p.Last))
		if err != nil || last < d.StartsOn {
			return d, refusal.New("last", "The day can't be “"+field.Shorten(p.Last)+"”",
				"Write a date as YYYY-MM-DD, not before it begins")
		}
		d.EndsOn = &last
	}
	if d.StartsOn < period.From {
		return d, refusal.New("first", "Runs are closed up to "+(period.From-1).Format("2 January 2006"), "Take a day from then on")
	}
	return d, nil
}

func (e EndDifferential) Do(ctx context.Context, t *app.Turn) error {
	employments, whose, err := store.DifferentialPersons(ctx, t, e.ID)
	if err != nil {
		return err
	}
	if slices.Contains(whose, t.Actor.ID) {
		return refusal.New("employment", "You are among those who get it", "Somebody else changes your pay")
	}
	last, paid, err := store.LastPaidOf(ctx, t, employments...) // what was paid stays paid
	if err != nil {
		return err
	}
	ended, err := store.EndDifferential(ctx, t, e.ID, last, t.Now)
	if err != nil {
		return fmt.Errorf("end a differential: %w", err)
	}
	if !ended {
		return app.ErrNotFound
	}
	detail := map[string]any{"differential ended": last}
	if !paid {
		detail["differential ended"] = true
	}
	for _, of := range whose {
		t.Record(store.Event{Act: e.Permission()}, of, detail)
	}
	return nil
}

// readAdjustments reads what people are paid or have kept from them besides their hours, and their own
// differentials.
func (p *Payroll) readAdjustments(ctx context.Context, q store.Q, scope store.PayScope) error {
	all, err := store.PayAdjustments(ctx, q, scope, p.whole)
	if err != nil {
		return err
	}
	p.adjusted = map[uuid.UUID][]store.Adjustment{}
	for _, a := range all {
		p.adjusted[a.Employment] = append(p.adjusted[a.Employment], a)
	}
	from := scope.From
	for _, w := range scope.Earlier {
		from = min(from, w.Week)
	}
	named, err := store.NamedDifferentials(ctx, q, from-1)
	if err != nil {
		return err
	}
	p.named = map[uuid.UUID][]pay.Differential{}
	for _, n := range named {
		d := pay.Differential{Name: n.Name, From: time.Duration(n.FromTime) * time.Second, To: time.Duration(n.ToTime) * time.Second,
			PerHour: pay.Rate(n.PerHour.Shift(6).IntPart()), Percent: n.Percent, Days: when.Period{From: n.StartsOn, To: field.Forever}}
		if n.EndsOn != nil {
			d.Days.To = *n.EndsOn
		}
		for _, e := range n.Of {
			p.named[e] = append(p.named[e], d)
		}
	}
	return nil
}

// readSpans lets the run look at all weeks over which a sum was earned that it pays, or that was
// earned over weeks it looks at.
func (p *Payroll) readSpans(ctx context.Context, q store.Q) error {
	of := map[uuid.UUID]bool{}
	for _, w := range p.Earlier {
		of[w.Employment] = true
	}
	ids := make([]uuid.UUID, 0, len(of))
	for id := range of {
		ids = append(ids, id)
	}
	spans, err := store.BonusSpans(ctx, q, p.first, p.Period.To, ids)
	if err != nil {
		return err
	}
	for more := true; more; { // one may lead to weeks over which another was earned
		before := len(p.Earlier)
		for _, s := range spans {
			if s.Date < p.first && s.To < p.first && !p.looksAt(s) {
				continue
			}
			for d := s.From; d <= min(s.To, p.first-1); d++ {
				p.alsoAt(s.Employment, d)
			}
		}
		more = len(p.Earlier) > before
	}
	return nil
}

// looksAt says whether the run looks at an earlier week over which a sum was earned.
func (p *Payroll) looksAt(s store.BonusSpan) bool {
	return slices.ContainsFunc(p.Earlier, func(w store.EmploymentWeek) bool {
		return w.Employment == s.Employment && w.Week <= s.To && w.Last >= s.From
	})
}

// adjust puts somebody's adjustments into what core is given.
func (p *Payroll) adjust(employment uuid.UUID, in *pay.Input) {
	in.Differentials = p.named[employment]
	for _, a := range p.adjusted[employment] {
		amount := pay.Rate(a.Amount.Shift(6).IntPart())
		if a.Does == "deduction" {
			in.Deductions = append(in.Deductions, pay.Deduction{Date: a.PayDate, Amount: amount, PayCode: a.PayCode})
			continue
		}
		x := pay.Extra{WeekOf: a.PayDate, Amount: amount, PayCode: a.PayCode, InRegularRate: a.InRegularRate, FlatSum: a.FlatSum}
		if a.OverFrom != nil {
			x.Over = when.Period{From: *a.OverFrom, To: *a.OverTo}
		}
		in.Extras = append(in.Extras, x)
	}
}
