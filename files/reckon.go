// Package files reads and writes the open formats that cross Manudex's edge.
package files

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"slices"
	"time"

	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
)

// longestStint bounds a stint of the reckon contract, so that a slip in a
// year doesn't become a million workdays.
const longestStint = 31 * 24 * time.Hour

// Reckon reads one JSON object, or a stream of them, and writes the answer to
// each as a line. Objects that are wrong write their errors to errs, one line
// each, and the rest go on; ok is false when any was wrong. err is that of
// reading or writing.
func Reckon(in io.Reader, out, errs io.Writer) (ok bool, err error) {
	dec := json.NewDecoder(in)
	enc := json.NewEncoder(out)
	enc.SetEscapeHTML(false)
	ok = true
	for n := 1; ; n++ {
		var raw json.RawMessage
		err := dec.Decode(&raw)
		if err == io.EOF {
			if n == 1 {
				fmt.Fprintln(errs, "input: empty: write a JSON object with zone and stints")
				return false, nil
			}
			return ok, nil
		}
		if err != nil {
			fmt.Fprintf(errs, "input: object %d is not JSON: %v\n", n, err)
			return false, nil
		}
		answer, wrong := reckonOne(raw)
		if len(wrong) > 0 {
			ok = false
			for _, w := range wrong {
				if n > 1 {
					fmt.Fprintf(errs, "object %d: ", n)
				}
				fmt.Fprintln(errs, w.Error())
			}
			continue
		}
		if err := enc.Encode(answer); err != nil {
			return ok, err
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
}

func reckonOne(raw json.RawMessage) (*reckonAnswer, []pay.FieldError) {
	p := &reckonParser{}
	input := p.input(raw)
	if len(p.errs) > 0 {
		return nil, p.errs
	}
	res, err := pay.Reckon(input)
	if err != nil {
		return nil, []pay.FieldError{{Field: "stints", Value: err.Error(), Right: "stints must end after they start and not overlap"}}
	}
	return answerOf(res, input.Rules.CurrencyDecimals), nil
}

func answerOf(res pay.Result, decimals int) *reckonAnswer {
	a := &reckonAnswer{Lines: []lineOut{}, Days: []dayOut{}, Weeks: []weekOut{}, Gross: res.Gross.Decimal(decimals), PlanContributions: pay.Amount(0).Decimal(decimals), Worked: res.Worked}
	for _, l := range res.Lines {
		o := lineOut{Date: l.Date, PayCode: l.PayCode, Kind: l.Kind, Amount: l.Amount.Decimal(decimals)}
		if l.Stint >= 0 {
			s := res.Stints[l.Stint]
			o.Stint, o.Job, o.Task, o.Classification = s.ID, s.Job, s.Task, s.WorkClass
		}
		switch l.Kind {
		case pay.Straight:
			o.Seconds, o.Class, o.Rate = l.Seconds, l.Class.String(), l.Rate.String()
		case pay.OvertimePremium:
			o.OnSeconds, o.Class, o.Rate = l.Seconds, l.Class.String(), l.Rate.Decimals(4)
		case pay.ExtraPay:
		default:
			o.OnSeconds, o.Rate = l.Seconds, l.Rate.String()
		}
		a.Lines = append(a.Lines, o)
	}
	for _, d := range res.Days {
		a.Days = append(a.Days, dayOut{Date: d.Date, Worked: d.Worked, Regular: d.Regular, Overtime: d.Overtime})
	}
	for _, w := range res.Weeks {
		o := weekOut{Start: w.Start, Worked: w.Worked, Regular: w.Regular, Overtime: w.Overtime, Gross: w.Gross.Decimal(decimals)}
		if w.Worked > 0 {
			r := w.RegularRate.Decimals(4)
			o.RegularRate = &r
		}
		a.Weeks = append(a.Weeks, o)
	}
	return a
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

func (p *reckonParser) input(raw json.RawMessage) pay.Input {
	fields := p.object("", raw, []string{"rules", "leave", "extras"}, []string{"zone", "stints"})
	if fields == nil {
		return pay.Input{}
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
	return in
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
		r.p.fail(r.at+"."+name, raw, "write a text of at most 200 characters")
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
		r.p.fail(r.at+"."+name, raw, right)
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
		r.p.fail(r.at+"."+name, r.fields[name], "a rate is not below zero")
	}
	return v
}

func (r reader) instant(name string) time.Time {
	return parsed(r, name, "write an instant with offset and whole seconds such as 2026-03-02T07:00:00-05:00", func(s string) (time.Time, error) {
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
		r.p.fail(r.at+"."+name, raw, "write true or false")
	}
	return b
}

// unsupported refuses a field whose value asks for a rule not yet in force.
func (r reader) unsupported(name string, asks bool) {
	if asks {
		r.p.fail(r.at+"."+name, r.fields[name], "not supported yet; leave it out")
	}
}

func (p *reckonParser) stint(at string, raw json.RawMessage) pay.Stint {
	fields := p.object(at, raw,
		[]string{"pay_code", "job", "task", "classification", "premium_per_hour", "fringe_cash", "fringe_plan", "paid", "callout"},
		[]string{"id", "start", "end", "kind", "rate"})
	if fields == nil {
		return pay.Stint{}
	}
	r := reader{p, at, fields}
	s := pay.Stint{ID: r.text("id"), Start: r.instant("start"), End: r.instant("end"), Rate: r.notNegative("rate"),
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
	for _, name := range []string{"premium_per_hour", "fringe_cash", "fringe_plan"} {
		r.unsupported(name, r.notNegative(name) > 0)
	}
	r.unsupported("callout", r.flag("callout"))
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
	fields := p.object(at, raw, []string{"pay_code"}, []string{"date", "seconds", "rate"})
	if fields == nil {
		return pay.Leave{}
	}
	r := reader{p, at, fields}
	l := pay.Leave{Date: r.date("date"), Rate: r.notNegative("rate"), PayCode: r.text("pay_code")}
	if raw, ok := fields["seconds"]; ok && (json.Unmarshal(raw, &l.Seconds) != nil || string(raw) == "null" || l.Seconds < 0 || l.Seconds > 86400) {
		p.fail(at+".seconds", raw, "write whole seconds, 0 to 86400")
	}
	return l
}

func (p *reckonParser) extra(at string, raw json.RawMessage) pay.Extra {
	fields := p.object(at, raw, []string{"pay_code", "in_regular_rate", "flat_sum"}, []string{"week_of", "amount"})
	if fields == nil {
		return pay.Extra{}
	}
	r := reader{p, at, fields}
	e := pay.Extra{WeekOf: r.date("week_of"), Amount: r.rate("amount"), PayCode: r.text("pay_code"), InRegularRate: r.flag("in_regular_rate")}
	r.flag("flat_sum") // over all hours, the only way so far, it is as any extra
	return e
}
