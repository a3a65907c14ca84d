// Package files reads and writes the open formats that cross Manudex's edge.
package files

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
)

// longestStint bounds a stint of the reckon contract, so that a slip in a
// year doesn't become a million workdays.
const longestStint = 31 * 24 * time.Hour

// ReckonOptions says how the answers of [Reckon] come.
type ReckonOptions struct {
	// Explain puts into each answer where every line and regular rate came
	// from.
	Explain bool
	// Text, where it is not nil, takes the explanations as text.
	Text io.Writer
}

// Reckon reads one JSON object, or a stream of them, and writes the answer to
// each as a line. Objects that are wrong write their errors to errs, one line
// each, and the rest go on; ok is false when any was wrong. err is that of
// reading or writing.
func Reckon(in io.Reader, out, errs io.Writer, opts ReckonOptions) (ok bool, err error) {
	var reckoner pay.Reckoner
	return answerEach(in, out, errs, "zone and stints", func(raw json.RawMessage) (any, []pay.FieldError, error) {
		answer, wrong := reckonOne(&reckoner, raw, opts.Explain)
		if len(wrong) > 0 {
			return nil, wrong, nil
		}
		if opts.Text != nil && opts.Explain {
			return answer, nil, answer.writeText(opts.Text)
		}
		return answer, nil, nil
	})
}

// answerEach answers a stream of JSON objects, each on a line. Objects that are wrong write
// their errors, and the rest go on; ok is false when any was wrong. What an object needs is
// said where there is none at all.
func answerEach(in io.Reader, out, errs io.Writer, needs string, one func(json.RawMessage) (any, []pay.FieldError, error)) (ok bool,
	err error) {
	objects := &objectStream{from: bufio.NewReader(in)}
	enc := json.NewEncoder(out)
	enc.SetEscapeHTML(false)
	ok = true
	for n := 1; ; n++ {
		raw, wrong, ended := objects.next()
		var answer any
		switch {
		case ended == io.EOF && n == 1:
			wrong = []pay.FieldError{{Field: "input", Value: "empty", Right: "write a JSON object with " + needs}}
		case ended == io.EOF:
			return ok, nil
		case ended != nil:
			return ok, fmt.Errorf("read the input: %w", ended)
		case len(wrong) == 0:
			if answer, wrong, err = one(raw); err != nil {
				return ok, err
			}
		}
		for _, w := range wrong {
			ok = false
			if n > 1 {
				fmt.Fprintf(errs, "object %d: ", n)
			}
			fmt.Fprintln(errs, w.Error())
		}
		if ended == io.EOF {
			return ok, nil
		}
		if len(wrong) > 0 {
			continue
		}
		if err := enc.Encode(answer); err != nil {
			return ok, err
		}
	}
}

// objectStream takes JSON objects one by one. What is not JSON costs the
// object it is in: the stream goes on with the next line that begins one.
type objectStream struct {
	from *bufio.Reader
	dec  *json.Decoder
}

func (s *objectStream) next() (json.RawMessage, []pay.FieldError, error) {
	if s.dec == nil {
		s.dec = json.NewDecoder(s.from)
	}
	var raw json.RawMessage
	err := s.dec.Decode(&raw)
	var syntax *json.SyntaxError
	if !errors.As(err, &syntax) && err != io.ErrUnexpectedEOF {
		return raw, nil, err
	}
	wrong := []pay.FieldError{{Field: "input", Value: "not JSON", Right: err.Error()}}
	s.from = bufio.NewReader(io.MultiReader(s.dec.Buffered(), s.from))
	s.dec = nil
	for within := false; ; {
		begin, err := s.from.Peek(1)
		switch {
		case err == io.EOF || err == nil && within && begin[0] == '{':
			return nil, wrong, nil
		case err != nil:
			return nil, wrong, err
		}
		within = within || !bytes.ContainsAny(begin, " \t\r\n")
		if within {
			err = s.skipLine()
		} else { // what stands between objects
			_, err = s.from.ReadByte()
		}
		if err != nil && err != io.EOF {
			return nil, wrong, err
		}
	}
}

func (s *objectStream) skipLine() error {
	for {
		if _, err := s.from.ReadSlice('\n'); err != bufio.ErrBufferFull {
			return err
		}
	}
}

type reckonAnswer struct {
	Lines             []lineOut `json:"lines"`
	Days              []dayOut  `json:"days"`
	Weeks             []weekOut `json:"weeks"`
	Gross             string    `json:"gross"`
	PlanContributions string    `json:"plan_contributions"`
	Worked            int64     `json:"worked"`
	PlanLines         []lineOut `json:"plan_lines,omitempty"`
	Deductions        []lineOut `json:"deductions,omitempty"` // kept from the pay, after gross
	Meals             []mealOut `json:"automatic_meals,omitempty"`
}

// writeText writes the explanations as text, a line each.
func (a *reckonAnswer) writeText(w io.Writer) error {
	b := bufio.NewWriter(w)
	for _, l := range slices.Concat(a.Lines, a.PlanLines, a.Deductions) {
		fmt.Fprintf(b, "%s %s %s %s: %s\n", l.Date, l.Kind, l.PayCode, l.Amount, l.Why.Text)
	}
	return b.Flush()
}

type mealOut struct {
	Stint   string    `json:"stint"`
	At      time.Time `json:"at"`
	Seconds int64     `json:"seconds"`
}

type whyOut struct {
	Text    string     `json:"text"`
	Because []causeOut `json:"because,omitempty"`
}

type causeOut struct {
	Rule    string       `json:"rule"`
	After   int64        `json:"after_seconds"`
	Source  string       `json:"source"`
	Class   string       `json:"class"`
	Seconds int64        `json:"seconds"`
	Crossed time.Time    `json:"crossed"`
	Counted []countedOut `json:"counted"`
}

type countedOut struct {
	Date    when.Date `json:"date"`
	Stint   string    `json:"stint,omitempty"`
	Seconds int64     `json:"seconds"`
}

type rateOut struct {
	Text  string    `json:"text"`
	Terms []termOut `json:"terms"`
}

type termOut struct {
	What    string `json:"what"`
	Seconds int64  `json:"seconds,omitempty"`
	Rate    string `json:"rate,omitempty"`
	Amount  string `json:"amount"`
	Over    int64  `json:"over_seconds"`
}

type lineOut struct {
	Date           when.Date    `json:"date"`
	Stint          string       `json:"stint,omitempty"`
	Job            string       `json:"job,omitempty"`
	Task           string       `json:"task,omitempty"`
	Classification string       `json:"classification,omitempty"`
	PayCode        string       `json:"pay_code"`
	Kind           pay.LineKind `json:"kind"`
	Class          string       `json:"class,omitempty"`
	Seconds        int64        `json:"seconds,omitempty"`
	OnSeconds      int64        `json:"on_seconds,omitempty"`
	Rate           string       `json:"rate,omitempty"`
	Amount         string       `json:"amount"`
	Why            *whyOut      `json:"why,omitempty"`
}

type dayOut struct {
	Date     when.Date `json:"date"`
	Worked   int64     `json:"worked"`
	Regular  int64     `json:"regular"`
	Overtime int64     `json:"overtime"`
	Double   int64     `json:"double"`
}

type weekOut struct {
	Start       when.Date `json:"start"`
	Worked      int64     `json:"worked"`
	Regular     int64     `json:"regular"`
	Overtime    int64     `json:"overtime"`
	Double      int64     `json:"double"`
	RegularRate *string   `json:"regular_rate"` // null in a week without work
	Gross       string    `json:"gross"`
	Why         *rateOut  `json:"why,omitempty"`
}

func reckonOne(reckoner *pay.Reckoner, raw json.RawMessage, explain bool) (*reckonAnswer, []pay.FieldError) {
	p := &reckonParser{}
	input, sets := p.input(raw)
	if len(p.errs) > 0 {
		return nil, p.errs
	}
	var e pay.Explained
	var err error
	if explain {
		e, err = reckoner.ExplainDated(input, sets)
	} else {
		e.Result, err = reckoner.ReckonDated(input, sets)
	}
	if err != nil {
		return nil, []pay.FieldError{{Field: "stints", Value: err.Error(), Right: "stints must end after they start and not overlap"}}
	}
	return answerOf(e, input.Rules), nil
}

func answerOf(e pay.Explained, rules pay.Rules) *reckonAnswer {
	decimals := rules.CurrencyDecimals
	a := &reckonAnswer{Lines: linesOf(e.Result, e.Lines, e.Why, decimals), Days: []dayOut{}, Weeks: []weekOut{}, Worked: e.Worked,
		Gross: e.Gross.Decimal(decimals), PlanContributions: e.PlanContributions.Decimal(decimals),
		PlanLines:  linesOf(e.Result, e.Plan, e.WhyPlan, decimals),
		Deductions: linesOf(e.Result, e.Kept, e.WhyKept, decimals)}
	for _, m := range e.Meals {
		a.Meals = append(a.Meals, mealOut{e.Stints[m.Stint].ID, m.At.In(rules.Week.Loc), m.Seconds})
	}
	for _, d := range e.Days {
		a.Days = append(a.Days, dayOut(d))
	}
	for i, w := range e.Weeks {
		o := weekOut{Start: w.Start, Worked: w.Worked, Regular: w.Regular, Overtime: w.Overtime, Double: w.Double,
			Gross: w.Gross.Decimal(decimals)}
		if w.Worked > 0 {
			r := w.RegularRate.Decimals(4)
			o.RegularRate = &r
			if len(e.Rates) > 0 {
				o.Why = rateOriginOf(e.Rates[i])
			}
		}
		a.Weeks = append(a.Weeks, o)
	}
	return a
}

// linesOf writes lines; why is empty or explains each.
func linesOf(res pay.Result, lines []pay.Line, why []pay.Explanation, decimals int) []lineOut {
	out := make([]lineOut, 0, len(lines))
	for i, l := range lines {
		o := lineOut{Date: l.Date, PayCode: l.PayCode, Kind: l.Kind, Amount: l.Amount.Decimal(decimals)}
		if l.Stint >= 0 {
			s := res.Stints[l.Stint]
			o.Stint, o.Job, o.Task, o.Classification = s.ID, s.Job, s.Task, s.WorkClass
		}
		switch l.Kind {
		case pay.Straight:
			o.Seconds, o.Class, o.Rate = l.Seconds, l.Class.String(), l.Rate.String()
		case pay.OvertimePremium, pay.DoublePremium, pay.BonusPremium:
			o.OnSeconds, o.Class, o.Rate = l.Seconds, l.Class.String(), l.Rate.Decimals(4)
		case pay.MealPay:
			o.OnSeconds, o.Rate = l.Seconds, l.Rate.Decimals(4)
		case pay.ExtraPay, pay.SalaryPay, pay.Deducted:
		default:
			o.OnSeconds, o.Rate = l.Seconds, l.Rate.String()
		}
		if len(why) > 0 {
			o.Why = whyOf(why[i])
		}
		out = append(out, o)
	}
	return out
}

func whyOf(e pay.Explanation) *whyOut {
	w := &whyOut{Text: e.Text}
	for _, c := range e.Because {
		o := causeOut{Rule: c.Rule, After: c.After, Source: c.Source, Class: c.Class.String(), Seconds: c.Seconds,
			Crossed: c.Crossed, Counted: []countedOut{}}
		for _, n := range c.Counted {
			o.Counted = append(o.Counted, countedOut(n))
		}
		w.Because = append(w.Because, o)
	}
	return w
}

func rateOriginOf(r pay.RateOrigin) *rateOut {
	o := &rateOut{Text: r.Text, Terms: []termOut{}}
	for _, t := range r.Terms {
		term := termOut{What: t.What, Seconds: t.Seconds, Amount: t.Amount, Over: t.Over}
		if t.Seconds > 0 {
			term.Rate = t.Rate.String()
		}
		o.Terms = append(o.Terms, term)
	}
	return o
}

// reckonParser reads the contract field by field, so that every error names
// its field and all of them are told at once.
type reckonParser struct{ errs []pay.FieldError }

func (p *reckonParser) fail(field string, raw []byte, right string) {
	p.errs = append(p.errs, pay.FieldError{Field: field, Value: pay.Brief(raw), Right: right})
}

// object splits an object into its fields, refusing those that are unknown
// and reporting those that are required and absent.
func (p *reckonParser) object(field string, raw json.RawMessage, known, required []string) map[string]json.RawMessage {
	prefix := field
	if prefix != "" {
		prefix += "."
	}
	var fields map[string]json.RawMessage
	if err := json.Unmarshal(raw, &fields); err != nil || fields == nil {
		if field == "" {
			prefix = "input"
		}
		p.fail(prefix, raw, "write an object")
		return nil
	}
	for _, name := range slices.Sorted(maps.Keys(fields)) {
		if !slices.Contains(known, name) && !slices.Contains(required, name) {
			p.fail(prefix+name, fields[name], "this field is unknown; take it out")
		}
	}
	for _, name := range required {
		if _, there := fields[name]; !there {
			p.fail(prefix+name, []byte("missing"), "this field is required")
		}
	}
	return fields
}

func (p *reckonParser) list(field string, raw json.RawMessage) []json.RawMessage {
	if len(raw) == 0 {
		return nil
	}
	var items []json.RawMessage
	if err := json.Unmarshal(raw, &items); err != nil || items == nil {
		p.fail(field, raw, "write a list")
	}
	return items
}

// input reads what is to be worked out, and the rules it's worked out by, each with the day from which
// they hold.
func (p *reckonParser) input(raw json.RawMessage) (pay.Input, []pay.DatedRules) {
	fields := p.object("", raw, []string{"rules", "later_rules", "leave", "extras", "changes", "banks", "salaries", "deductions"},
		[]string{"zone", "stints"})
	if fields == nil {
		return pay.Input{}, nil
	}
	loc := time.UTC
	if zone, ok := fields["zone"]; ok {
		loc = p.zone(zone)
	}
	rules, wrong := pay.ParseRules(fields["rules"], loc)
	p.errs = append(p.errs, wrong...)
	in := pay.Input{Rules: rules}
	for i, item := range p.list("stints", fields["stints"]) {
		in.Stints = append(in.Stints, p.stint(fmt.Sprintf("stints[%d]", i), item))
	}
	for i, item := range p.list("leave", fields["leave"]) {
		in.Leave = append(in.Leave, p.leave(fmt.Sprintf("leave[%d]", i), item))
	}
	for i, item := range p.list("extras", fields["extras"]) {
		in.Extras = append(in.Extras, p.extra(fmt.Sprintf("extras[%d]", i), item))
	}
	for i, item := range p.list("changes", fields["changes"]) {
		in.Changes = append(in.Changes, p.change(fmt.Sprintf("changes[%d]", i), item))
	}
	for i, item := range p.list("banks", fields["banks"]) {
		at := fmt.Sprintf("banks[%d]", i)
		r := reader{p, at, p.object(at, item, nil, []string{"from", "to"})}
		in.Banks = append(in.Banks, when.Period{From: r.date("from"), To: r.date("to")})
	}
	for i, item := range p.list("salaries", fields["salaries"]) {
		in.Salaries = append(in.Salaries, p.salary(fmt.Sprintf("salaries[%d]", i), item))
	}
	for i, item := range p.list("deductions", fields["deductions"]) {
		at := fmt.Sprintf("deductions[%d]", i)
		r := reader{p, at, p.object(at, item, []string{"pay_code"}, []string{"date", "amount"})}
		in.Deductions = append(in.Deductions, pay.Deduction{Date: r.date("date"), Amount: r.notNegative("amount"),
			PayCode: r.text("pay_code")})
	}
	return in, p.rules(rules, loc, fields["later_rules"])
}

// rules reads the rules that hold from days on, after those that hold from the start.
func (p *reckonParser) rules(first pay.Rules, loc *time.Location, later json.RawMessage) []pay.DatedRules {
	sets := []pay.DatedRules{{From: -1 << 30, Rules: first}}
	for i, item := range p.list("later_rules", later) {
		at := fmt.Sprintf("later_rules[%d]", i)
		r := reader{p, at, p.object(at, item, nil, []string{"from", "rules"})}
		set := pay.DatedRules{From: r.date("from")}
		var wrong []pay.FieldError
		set.Rules, wrong = pay.ParseRules(r.fields["rules"], loc)
		for _, w := range wrong {
			w.Field = at + "." + w.Field
			p.errs = append(p.errs, w)
		}
		switch {
		case len(wrong) > 0:
		case set.From <= sets[len(sets)-1].From:
			p.fail(at+".from", r.fields["from"], "write a day after that of the rules before")
		case set.Rules.FirstDay(set.From) != set.From:
			p.fail(at+".from", r.fields["from"], "write a day on which a workweek by these rules begins, such as "+
				(set.Rules.FirstDay(set.From)+set.Rules.WeekDays()).String())
		}
		sets = append(sets, set)
	}
	return sets
}

// salary reads what somebody is paid for a pay period whatever the hours.
func (p *reckonParser) salary(at string, raw json.RawMessage) pay.Salary {
	fields := p.object(at, raw, []string{"hours", "pay_code", "workdays", "docked"}, []string{"from", "to", "amount", "per",
		"pays_per", "by"})
	if fields == nil {
		return pay.Salary{}
	}
	r := reader{p, at, fields}
	const lengths = `write "week", "two_weeks", "half_month", "month" or "year"`
	s := pay.Salary{Days: when.Period{From: r.date("from"), To: r.date("to")}, Amount: r.notNegative("amount"),
		Per: parsed(r, "per", lengths, pay.ParsePer), Of: parsed(r, "pays_per", lengths, pay.ParsePer), PayCode: r.text("pay_code"),
		Workdays: 1}
	s.By = parsed(r, "by", `write "exempt", "hours" or "all_hours"`, func(v string) (pay.SalaryBy, error) {
		if by := pay.SalaryBy(v); by == pay.Exempt || by == pay.ForHours || by == pay.AllHours {
			return by, nil
		}
		return "", fmt.Errorf("unknown")
	})
	if s.Days.To < s.Days.From {
		p.fail(at+".to", fields["to"], "write a day not before from")
	}
	if s.By == pay.ForHours {
		s.Hours = int64(parsed(r, "hours", `write the hours of a week that it's meant for, such as "40"`, func(v string) (pay.Rate, error) {
			hours, err := pay.ParseRate(v)
			if err == nil && (hours <= 0 || hours > 168_000_000) {
				err = fmt.Errorf("out of range")
			}
			return hours, err
		})) * 3600 / 1_000_000
		if s.Hours == 0 && fields["hours"] == nil {
			p.fail(at+".hours", []byte("missing"), `write the hours of a week that it's meant for, such as "40"`)
		}
	}
	if fields["workdays"] != nil {
		s.Workdays = r.whole("workdays", 1, 366)
	}
	for i, item := range p.list(at+".docked", fields["docked"]) {
		at := fmt.Sprintf("%s.docked[%d]", at, i)
		r := reader{p, at, p.object(at, item, nil, []string{"date", "reason"})}
		d := pay.Docked{Date: r.date("date"), Reason: r.text("reason")}
		if pay.DockReasons[d.Reason] == "" {
			p.fail(at+".reason", r.fields["reason"], "write one of "+strings.Join(slices.Sorted(maps.Keys(pay.DockReasons)), ", "))
		}
		s.Docked = append(s.Docked, d)
	}
	if len(s.Docked) > 0 && fields["workdays"] == nil {
		p.fail(at+".workdays", []byte("missing"),
			"write how many working days the period has: a day's part of the salary is taken from them")
	}
	return s
}

func (p *reckonParser) zone(raw json.RawMessage) *time.Location {
	var name string
	err := json.Unmarshal(raw, &name)
	if err == nil && name != "" && name != "Local" {
		if loc, err := time.LoadLocation(name); err == nil {
			return loc
		}
	}
	p.fail("zone", raw, `write an IANA zone such as "America/New_York"`)
	return time.UTC
}

// reader takes the fields of one object.
type reader struct {
	p      *reckonParser
	at     string
	fields map[string]json.RawMessage
}

func (r reader) text(name string) string {
	raw, ok := r.fields[name]
	if !ok {
		return ""
	}
	var s string
	if json.Unmarshal(raw, &s) != nil || string(raw) == "null" || len(s) > 200 {
		r.p.fail(r.path(name), raw, "write a text of at most 200 characters")
	}
	return s
}

func parsed[T any](r reader, name, right string, parse func(string) (T, error)) (v T) {
	raw, ok := r.fields[name]
	if !ok {
		return v
	}
	var s string
	err := json.Unmarshal(raw, &s)
	if err == nil {
		v, err = parse(s)
	}
	if err != nil {
		r.p.fail(r.path(name), raw, right)
	}
	return v
}

func (r reader) rate(name string) pay.Rate {
	return parsed(r, name, `write a decimal in quotes such as "22.00", with at most six decimals and at most a million`, pay.ParseRate)
}

// notNegative refuses what pay.ParseRate takes for sums that may be deducted.
func (r reader) notNegative(name string) pay.Rate {
	v := r.rate(name)
	if v < 0 {
		r.p.fail(r.path(name), r.fields[name], "a rate is not below zero")
	}
	return v
}

func (r reader) instant(name string) time.Time {
	return parsed(r, name, "write an instant with offset and whole seconds such as 2026-03-02T07:00:00-05:00",
		func(s string) (time.Time, error) {
			t, err := time.Parse(time.RFC3339, s)
			if err == nil && (t.Nanosecond() != 0 || t.Year() < 1900 || t.Year() > 2200) {
				err = fmt.Errorf("out of range")
			}
			return t, err
		})
}

func (r reader) date(name string) when.Date {
	return parsed(r, name, "write a date as YYYY-MM-DD", when.ParseDate)
}

func (r reader) flag(name string) bool {
	raw, ok := r.fields[name]
	if !ok {
		return false
	}
	var b bool
	if json.Unmarshal(raw, &b) != nil || string(raw) == "null" {
		r.p.fail(r.path(name), raw, "write true or false")
	}
	return b
}

func (p *reckonParser) stint(at string, raw json.RawMessage) pay.Stint {
	fields := p.object(at, raw,
		[]string{"pay_code", "job", "task", "classification", "premium_per_hour", "fringe_cash", "fringe_plan", "paid", "callout",
			"planned_seconds"},
		[]string{"id", "start", "end", "kind", "rate"})
	if fields == nil {
		return pay.Stint{}
	}
	r := reader{p, at, fields}
	s := pay.Stint{ID: r.text("id"), Start: r.instant("start"), End: r.instant("end"), Rate: r.notNegative("rate"),
		PremiumPerHour: r.notNegative("premium_per_hour"), FringeCash: r.notNegative("fringe_cash"),
		FringePlan: r.notNegative("fringe_plan"), Callout: r.flag("callout"), Planned: r.daySeconds("planned_seconds"),
		PayCode: r.text("pay_code"), Job: r.text("job"), Task: r.text("task"), WorkClass: r.text("classification")}
	s.Kind = parsed(r, "kind", `write "work", "meal" or "rest"`, func(k string) (clock.Kind, error) {
		if kind := clock.Kind(k); kind == clock.Work || kind == clock.Meal || kind == clock.Rest {
			return kind, nil
		}
		return "", fmt.Errorf("unknown")
	})
	if paid := fields["paid"]; paid != nil && string(paid) != "null" {
		s.Paid = parsed(r, "paid", `write "as_work", "not_as_work" or null`, func(v string) (pay.Override, error) {
			switch v {
			case "as_work":
				return pay.AsWork, nil
			case "not_as_work":
				return pay.NotAsWork, nil
			}
			return 0, fmt.Errorf("unknown")
		})
	}
	switch {
	case s.Start.IsZero() || s.End.IsZero():
	case !s.End.After(s.Start):
		p.fail(at+".end", fields["end"], "write an instant after start")
	case s.End.Sub(s.Start) > longestStint:
		p.fail(at+".end", fields["end"], "write an instant at most 31 days after start")
	}
	return s
}

func (p *reckonParser) leave(at string, raw json.RawMessage) pay.Leave {
	fields := p.object(at, raw, []string{"pay_code", "by", "paid"}, []string{"date", "seconds", "rate"})
	if fields == nil {
		return pay.Leave{}
	}
	r := reader{p, at, fields}
	l := pay.Leave{Date: r.date("date"), Rate: r.notNegative("rate"), PayCode: r.text("pay_code"), Seconds: r.daySeconds("seconds")}
	if fields["by"] != nil && string(fields["by"]) != "null" {
		l.By = parsed(r, "by", `write "regular_rate", "paid_weeks" or null`, func(s string) (pay.LeaveRate, error) {
			if by := pay.LeaveRate(s); by == pay.AtRegularRate || by == pay.AtPaidWeeks {
				return by, nil
			}
			return "", fmt.Errorf("unknown")
		})
	}
	if fields["paid"] != nil && string(fields["paid"]) != "null" {
		l.Paid, l.PaidSeconds, l.PaidWeeks = p.paidWeeks(at+".paid", fields["paid"])
	}
	return l
}

// paidWeeks reads what was paid in weeks before, for how long, and how many they were.
func (p *reckonParser) paidWeeks(at string, raw json.RawMessage) (amount pay.Amount, seconds int64, weeks int) {
	fields := p.object(at, raw, nil, []string{"amount", "seconds", "weeks"})
	if fields == nil {
		return 0, 0, 0
	}
	r := reader{p, at, fields}
	const longest = 104 * 7 * 24 * 3600
	if json.Unmarshal(fields["seconds"], &seconds) != nil || seconds < 1 || seconds > longest {
		p.fail(at+".seconds", fields["seconds"], "write whole seconds, 1 to those of 104 weeks")
	}
	return r.notNegative("amount").Minor(2), seconds, r.whole("weeks", 1, 104)
}

// daySeconds reads seconds of at most a day.
func (r reader) daySeconds(name string) (n int64) {
	if raw, ok := r.fields[name]; ok && (json.Unmarshal(raw, &n) != nil || string(raw) == "null" || n < 0 || n > 86400) {
		r.p.fail(r.path(name), raw, "write whole seconds, 0 to 86400")
	}
	return n
}

// change reads a change of the plan that somebody was told of.
func (p *reckonParser) change(at string, raw json.RawMessage) pay.Change {
	fields := p.object(at, raw, []string{"was", "is", "asked", "pay_code"}, []string{"date", "told", "rate"})
	if fields == nil {
		return pay.Change{}
	}
	r := reader{p, at, fields}
	c := pay.Change{Date: r.date("date"), Told: r.instant("told"), Asked: r.flag("asked"), Rate: r.notNegative("rate"),
		PayCode: r.text("pay_code"), Was: r.planned("was"), Is: r.planned("is")}
	if c.Was == (pay.Planned{}) && c.Is == (pay.Planned{}) {
		p.fail(at, raw, "write what was planned, what is now, or both")
	}
	return c
}

// planned reads a planned shift; null is none.
func (r reader) planned(name string) pay.Planned {
	raw, ok := r.fields[name]
	if !ok || string(raw) == "null" {
		return pay.Planned{}
	}
	at := r.at + "." + name
	fields := r.p.object(at, raw, nil, []string{"start", "end", "seconds"})
	if fields == nil {
		return pay.Planned{}
	}
	within := reader{r.p, at, fields}
	s := pay.Planned{Start: within.instant("start"), End: within.instant("end"), Seconds: within.daySeconds("seconds")}
	if !s.Start.IsZero() && !s.End.After(s.Start) {
		r.p.fail(at+".end", fields["end"], "write an instant after start")
	}
	return s
}

func (p *reckonParser) extra(at string, raw json.RawMessage) pay.Extra {
	fields := p.object(at, raw, []string{"pay_code", "in_regular_rate", "flat_sum", "over"}, []string{"week_of", "amount"})
	if fields == nil {
		return pay.Extra{}
	}
	r := reader{p, at, fields}
	var over when.Period
	if fields["over"] != nil && string(fields["over"]) != "null" {
		at := at + ".over"
		r := reader{p, at, p.object(at, fields["over"], nil, []string{"from", "to"})}
		if over = (when.Period{From: r.date("from"), To: r.date("to")}); over.To < over.From {
			p.fail(at+".to", r.fields["to"], "write a day not before from")
		}
	}
	e := pay.Extra{WeekOf: r.date("week_of"), Amount: r.rate("amount"), PayCode: r.text("pay_code"),
		InRegularRate: r.flag("in_regular_rate"), FlatSum: r.flag("flat_sum"), Over: over}
	return e
}
