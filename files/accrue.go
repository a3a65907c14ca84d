package files

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"manudex/core/leave"
	"manudex/core/pay"
	"manudex/core/when"
)

// longestAccount bounds an account, so that a slip in a year doesn't become a million days.
const longestAccount = 100 * 366

// Accrue works leave out from JSON objects, as [Reckon] works out pay (docs/leave.md).
func Accrue(in io.Reader, out, errs io.Writer) (ok bool, err error) {
	return answerEach(in, out, errs, "unit, policy and from", func(raw json.RawMessage) (any, []pay.FieldError, error) {
		p := &accrueParser{}
		q := p.question(raw)
		if len(p.errs) > 0 {
			return nil, p.errs, nil
		}
		return q.answer(), nil, nil
	})
}

// ParseLeavePolicy reads a policy as the contract has it. Every field that is wrong gives an
// error.
func ParseLeavePolicy(raw json.RawMessage) (leave.Policy, []pay.FieldError) {
	p := &accrueParser{}
	return p.policy(raw), p.errs
}

type accrual struct {
	leave.Input
	asOf    []when.Date
	until   when.Date
	horizon when.Date
	request *leaveRequest
}

type leaveRequest struct {
	date   when.Date
	amount leave.Amount
}

type accrueAnswer struct {
	Balances []balanceOut `json:"balances"`
	Ledger   []entryOut   `json:"ledger"`
	Request  *requestOut  `json:"request,omitempty"`
}

type balanceOut struct {
	AsOf    when.Date `json:"as_of"`
	Balance string    `json:"balance"`
	Usable  string    `json:"usable"`
	Lots    []lotOut  `json:"lots"`
}

type lotOut struct {
	Lot     string     `json:"lot"`
	Earned  when.Date  `json:"earned"`
	Left    string     `json:"left"`
	LastDay *when.Date `json:"last_day"`
}

type entryOut struct {
	Date    when.Date  `json:"date"`
	Kind    leave.Kind `json:"kind"`
	Amount  string     `json:"amount"`
	Balance string     `json:"balance"`
}

type requestOut struct {
	Accepted     bool      `json:"accepted"`
	BalanceAfter string    `json:"balance_after"`
	Lowest       lowestOut `json:"lowest"`
	Why          string    `json:"why"`
}

type lowestOut struct {
	Date    when.Date `json:"date"`
	Balance string    `json:"balance"`
}

func (q accrual) answer() *accrueAnswer {
	account := leave.Work(q.Input, q.until, q.asOf...)
	a := &accrueAnswer{Balances: []balanceOut{}, Ledger: []entryOut{}}
	for _, s := range account.States {
		b := balanceOut{AsOf: s.Date, Balance: s.Balance.String(), Usable: s.Usable.String(), Lots: []lotOut{}}
		for _, l := range s.Lots {
			lot := lotOut{Lot: l.Name, Earned: l.Earned, Left: l.Left.String()}
			if l.LastDay != 0 {
				lot.LastDay = &l.LastDay
			}
			b.Lots = append(b.Lots, lot)
		}
		a.Balances = append(a.Balances, b)
	}
	for _, l := range account.Ledger {
		a.Ledger = append(a.Ledger, entryOut{l.Date, l.Kind, l.Amount.String(), l.Balance.String()})
	}
	if r := q.request; r != nil {
		asked := leave.Ask(q.Input, r.date, r.amount, q.horizon)
		a.Request = &requestOut{asked.Accepted, asked.After.String(), lowestOut{asked.Lowest.Date, asked.Lowest.Balance.String()},
			asked.Why}
	}
	return a
}

// accrueParser reads the contract field by field, as that of pay is read.
type accrueParser struct{ reckonParser }

func (p *accrueParser) question(raw json.RawMessage) (q accrual) {
	fields := p.object("", raw, []string{"hired", "opening", "events", "as_of", "request", "horizon", "ends"}, []string{"unit",
		"policy", "from"})
	if fields == nil {
		return q
	}
	r := reader{&p.reckonParser, "", fields}
	if unit := r.text("unit"); fields["unit"] != nil && unit != "hours" && unit != "days" {
		p.fail("unit", fields["unit"], `write "hours" or "days"`)
	}
	if raw, is := fields["policy"]; is {
		q.Policy = p.policy(raw)
	}
	q.From, q.Hired, q.Opening, q.horizon = r.date("from"), r.date("hired"), r.amount("opening"), r.date("horizon")
	q.Ends = r.date("ends")
	p.within("ends", fields["ends"], q.Ends, q.From)
	for i, item := range p.list("events", fields["events"]) {
		q.Events = append(q.Events, p.event(fmt.Sprintf("events[%d]", i), item, q))
	}
	for i, item := range p.list("as_of", fields["as_of"]) {
		at := fmt.Sprintf("as_of[%d]", i)
		d := reader{&p.reckonParser, "", map[string]json.RawMessage{at: item}}.date(at)
		p.within(at, item, d, q.From)
		q.asOf = append(q.asOf, d)
	}
	q.until = q.horizon
	for _, d := range q.asOf {
		q.until = max(q.until, d)
	}
	if raw, is := fields["request"]; is && string(raw) != "null" {
		fields := p.object("request", raw, nil, []string{"date", "amount"})
		r := reader{&p.reckonParser, "request", fields}
		q.request = &leaveRequest{r.date("date"), r.positive("amount")}
		p.within("request.date", fields["date"], q.request.date, q.From)
		q.horizon = max(q.horizon, q.request.date)
	}
	if q.until == 0 {
		for _, e := range q.Events {
			q.until = max(q.until, e.Date)
		}
	}
	q.until = max(q.until, q.From)
	p.within("horizon", fields["horizon"], q.horizon, q.From)
	return q
}

// within refuses a date before the opening balance, or a lifetime after it.
func (p *accrueParser) within(at string, raw json.RawMessage, d, from when.Date) {
	switch {
	case d == 0 || from == 0: // absent, or told already
	case d < from:
		p.fail(at, raw, "write a date on or after from")
	case d > from+longestAccount:
		p.fail(at, raw, "write a date at most a hundred years after from")
	}
}

// amount reads an amount of leave.
func (r reader) amount(name string) leave.Amount {
	return parsed(r, name, `write a decimal in quotes such as "8.00", with at most six decimals and at most a million`, leave.ParseAmount)
}

// positive reads one above zero.
func (r reader) positive(name string) leave.Amount {
	a := r.amount(name)
	if raw, is := r.fields[name]; is && a <= 0 {
		r.p.fail(r.path(name), raw, "write an amount above zero")
	}
	return a
}

// notBelow reads one that isn't below zero; nil where it is absent or null.
func (r reader) notBelow(name string) *leave.Amount {
	raw, is := r.fields[name]
	if !is || string(raw) == "null" {
		return nil
	}
	a := r.amount(name)
	if a < 0 {
		r.p.fail(r.path(name), raw, "write an amount that is not below zero")
	}
	return &a
}

func (r reader) path(name string) string {
	if r.at == "" {
		return name
	}
	return r.at + "." + name
}

// whole reads a whole number of a span; 0 where it is absent or null.
func (r reader) whole(name string, least, most int) (n int) {
	raw, is := r.fields[name]
	if !is || string(raw) == "null" {
		return 0
	}
	if json.Unmarshal(raw, &n) != nil || n < least || n > most {
		r.p.fail(r.path(name), raw, fmt.Sprintf("write a whole number from %d to %d", least, most))
	}
	return n
}

var leaveEvents = []leave.Kind{leave.Taken, leave.Granted, leave.Adjusted, leave.Given, leave.Received, leave.Worked, leave.WorkedOvertime}

func (p *accrueParser) event(at string, raw json.RawMessage, q accrual) leave.Event {
	fields := p.object(at, raw, []string{"lot", "last_day"}, []string{"date", "kind", "amount"})
	if fields == nil {
		return leave.Event{}
	}
	r := reader{&p.reckonParser, at, fields}
	e := leave.Event{Date: r.date("date"), Kind: leave.Kind(r.text("kind")), Amount: r.amount("amount"), Lot: r.text("lot"),
		LastDay: r.date("last_day")}
	p.within(at+".date", fields["date"], e.Date, q.From)
	if fields["kind"] != nil && !slices.Contains(leaveEvents, e.Kind) {
		names := make([]string, len(leaveEvents))
		for i, k := range leaveEvents {
			names[i] = string(k)
		}
		p.fail(at+".kind", fields["kind"], "write one of "+strings.Join(names, ", "))
	}
	if e.Kind != leave.Adjusted && e.Amount <= 0 && fields["amount"] != nil {
		p.fail(at+".amount", fields["amount"], "write an amount above zero; only adjust may be below")
	}
	if (e.Lot != "" || e.LastDay != 0) && e.Kind != leave.Granted && e.Kind != leave.Received {
		p.fail(at+".lot", raw, "only grant and receive make a lot")
	}
	if e.LastDay != 0 && e.LastDay < e.Date {
		p.fail(at+".last_day", fields["last_day"], "write a day on or after date")
	}
	return e
}

func (p *accrueParser) policy(raw json.RawMessage) (policy leave.Policy) {
	fields := p.object("policy", raw, []string{"earn", "round", "waiting_until", "cap", "earn_limit", "use_limit", "steps", "reset",
		"expires_after_months", "floor", "paid_out"}, nil)
	if fields == nil {
		return policy
	}
	r := reader{&p.reckonParser, "policy", fields}
	given := func(name string) bool { raw, is := fields[name]; return is && string(raw) != "null" }
	if given("earn") {
		policy.Earn = p.earn(fields["earn"])
	}
	if given("round") {
		policy.Round = p.round(fields["round"])
	}
	if given("waiting_until") {
		policy.WaitingUntil = r.date("waiting_until")
	}
	policy.Cap, policy.EarnLimit, policy.UseLimit = r.notBelow("cap"), r.notBelow("earn_limit"), r.notBelow("use_limit")
	policy.ExpiresAfter = r.whole("expires_after_months", 1, 1200)
	if given("floor") {
		policy.Floor = r.amount("floor")
	}
	if given("paid_out") && json.Unmarshal(fields["paid_out"], &policy.PaidOut) != nil {
		p.fail("policy.paid_out", fields["paid_out"], "write true or false")
	}
	if given("steps") {
		policy.Steps = p.steps(fields["steps"])
	}
	if given("reset") {
		policy.Reset = p.reset(fields["reset"])
	}
	return policy
}

func (p *accrueParser) earn(raw json.RawMessage) (e leave.Earn) {
	const at = "policy.earn"
	fields := p.object(at, raw, []string{"amount", "day", "start", "per", "percent", "last_of_year"}, []string{"every"})
	if fields == nil {
		return e
	}
	r := reader{&p.reckonParser, at, fields}
	e.Every = leave.Every(r.text("every"))
	byHours := e.Every == leave.HoursWorked || e.Every == leave.Overtime
	if !byHours && !slices.Contains(leave.Periods, e.Every) && fields["every"] != nil {
		p.fail(at+".every", fields["every"], "write one of week, two_weeks, half_month, month, year, hours_worked, overtime_hours, "+
			"start_of_month")
	}
	for _, name := range []string{"start", "per", "percent", "last_of_year"} { // null is as absent
		if string(fields[name]) == "null" {
			delete(fields, name)
		}
	}
	e.Day, e.Start, e.LastOfYear = r.whole("day", 1, 31), r.date("start"), r.notBelow("last_of_year")
	if a := r.notBelow("amount"); a != nil {
		e.Amount = *a
	}
	if fields["per"] != nil {
		e.Per = r.positive("per")
	}
	if fields["percent"] != nil {
		e.Percent = r.positive("percent")
	}
	switch {
	case byHours && (e.Percent == 0) == (e.Per == 0):
		p.fail(at+".per", raw, "give either per, the hours for one amount, or percent")
	case !byHours && (e.Percent != 0 || e.Per != 0):
		p.fail(at+".per", raw, "only what is earned by hours has per or percent")
	case (e.Every == leave.Week || e.Every == leave.TwoWeeks) && e.Start == 0:
		p.fail(at+".start", []byte("missing"), "give a date on which a period ends")
	case e.Percent == 0 && fields["amount"] == nil:
		p.fail(at+".amount", []byte("missing"), "this field is required")
	}
	return e
}

func (p *accrueParser) round(raw json.RawMessage) (round leave.Round) {
	fields := p.object("policy.round", raw, nil, []string{"to", "how"})
	if fields == nil {
		return round
	}
	r := reader{&p.reckonParser, "policy.round", fields}
	round.To = r.positive("to")
	switch how := r.text("how"); {
	case how == "up":
		round.Up = true
	case how != "nearest" && fields["how"] != nil:
		p.fail("policy.round.how", fields["how"], `write "up" or "nearest"`)
	}
	return round
}

func (p *accrueParser) steps(raw json.RawMessage) (steps []leave.Step) {
	for i, item := range p.list("policy.steps", raw) {
		at := fmt.Sprintf("policy.steps[%d]", i)
		fields := p.object(at, item, nil, []string{"after_months", "amount"})
		if fields == nil {
			continue
		}
		r := reader{&p.reckonParser, at, fields}
		s := leave.Step{AfterMonths: r.whole("after_months", 0, 1200)}
		if a := r.notBelow("amount"); a != nil {
			s.Amount = *a
		}
		steps = append(steps, s)
	}
	slices.SortStableFunc(steps, func(a, b leave.Step) int { return a.AfterMonths - b.AfterMonths })
	return steps
}

func (p *accrueParser) reset(raw json.RawMessage) *leave.Reset {
	fields := p.object("policy.reset", raw, nil, []string{"on", "carry_over"})
	if fields == nil {
		return nil
	}
	r := reader{&p.reckonParser, "policy.reset", fields}
	reset := &leave.Reset{}
	on := parsed(r, "on", "write a month and day such as 01-01", func(s string) (time.Time, error) {
		return time.Parse("2006-01-02", "2024-"+s) // 29 February is one
	})
	reset.Month, reset.Day = on.Month(), on.Day()
	switch carry := r.text("carry_over"); carry {
	case "none":
	case "all":
		reset.All = true
	default:
		if a := r.notBelow("carry_over"); a != nil {
			reset.Carry = *a
		}
	}
	return reset
}
