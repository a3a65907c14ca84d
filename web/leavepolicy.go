package web

import (
	"encoding/json"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/leave"
	core "manudex/core/leave"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
)

// policyFields are the fields of a policy as they are typed, "" for what isn't in force.
type policyFields struct {
	Every, Amount, Day, Start, Per, Percent, LastOfYear string
	RoundTo, RoundHow                                   string
	WaitingUntil, Cap, EarnLimit, UseLimit              string
	Steps                                               string // "36: 6, 180: 8"
	ResetOn, Carry, ExpiresAfter, Floor                 string
	PaidOut                                             bool
}

// policyJSON is a policy as manudex accrue reads it.
type policyJSON struct {
	Earn         *earnJSON  `json:"earn,omitempty"`
	Round        *roundJSON `json:"round,omitempty"`
	WaitingUntil string     `json:"waiting_until,omitempty"`
	Cap          string     `json:"cap,omitempty"`
	EarnLimit    string     `json:"earn_limit,omitempty"`
	UseLimit     string     `json:"use_limit,omitempty"`
	Steps        []stepJSON `json:"steps,omitempty"`
	Reset        *resetJSON `json:"reset,omitempty"`
	ExpiresAfter int        `json:"expires_after_months,omitempty"`
	Floor        string     `json:"floor,omitempty"`
	PaidOut      bool       `json:"paid_out,omitempty"`
}

type earnJSON struct {
	Every      string `json:"every"`
	Amount     string `json:"amount,omitempty"`
	Day        int    `json:"day,omitempty"`
	Start      string `json:"start,omitempty"`
	Per        string `json:"per,omitempty"`
	Percent    string `json:"percent,omitempty"`
	LastOfYear string `json:"last_of_year,omitempty"`
}

type roundJSON struct {
	To  string `json:"to"`
	How string `json:"how"`
}

type stepJSON struct {
	After  int    `json:"after_months"`
	Amount string `json:"amount"`
}

type resetJSON struct {
	On    string `json:"on"`
	Carry string `json:"carry_over"`
}

// policyFieldsOf reads what is typed.
func policyFieldsOf(f *form.Form) policyFields {
	return policyFields{Every: f.Text("every"), Amount: f.Text("amount"), Day: f.Text("day"), Start: f.Text("start"), Per: f.Text("per"),
		Percent: f.Text("percent"), LastOfYear: f.Text("last_of_year"), RoundTo: f.Text("round_to"), RoundHow: f.Text("round_how"),
		WaitingUntil: f.Text("waiting_until"), Cap: f.Text("cap"), EarnLimit: f.Text("earn_limit"), UseLimit: f.Text("use_limit"),
		Steps: f.Text("steps"), ResetOn: f.Text("reset_on"), Carry: f.Text("carry"), ExpiresAfter: f.Text("expires_after"),
		Floor: f.Text("floor"), PaidOut: f.Yes("paid_out")}
}

// policyFieldsIn reads a policy that is there.
func policyFieldsIn(raw []byte) (v policyFields, err error) {
	var p policyJSON
	if err := json.Unmarshal(raw, &p); err != nil {
		return v, err
	}
	v = policyFields{WaitingUntil: p.WaitingUntil, Cap: p.Cap, EarnLimit: p.EarnLimit, UseLimit: p.UseLimit, Floor: p.Floor,
		ExpiresAfter: numberOr(p.ExpiresAfter), PaidOut: p.PaidOut}
	if e := p.Earn; e != nil {
		v.Every, v.Amount, v.Day, v.Start, v.Per, v.Percent, v.LastOfYear = e.Every, e.Amount, numberOr(e.Day), e.Start, e.Per, e.Percent,
			e.LastOfYear
	}
	if p.Round != nil {
		v.RoundTo, v.RoundHow = p.Round.To, p.Round.How
	}
	if p.Reset != nil {
		v.ResetOn, v.Carry = p.Reset.On, p.Reset.Carry
	}
	var steps []string
	for _, s := range p.Steps {
		steps = append(steps, strconv.Itoa(s.After)+": "+s.Amount)
	}
	v.Steps = strings.Join(steps, ", ")
	return v, nil
}

func numberOr(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// raw is the policy as JSON.
func (v policyFields) raw() ([]byte, error) {
	p := policyJSON{WaitingUntil: v.WaitingUntil, Cap: v.Cap, EarnLimit: v.EarnLimit, UseLimit: v.UseLimit, Floor: v.Floor,
		PaidOut: v.PaidOut}
	var err error
	number := func(field, text string) (n int) {
		if text == "" {
			return 0
		}
		if n, err = strconv.Atoi(text); err != nil {
			err = refusal.New(field, "“"+text+"” is no whole number", "Write it like 12")
		}
		return n
	}
	if v.Every != "" {
		p.Earn = &earnJSON{Every: v.Every, Amount: v.Amount, LastOfYear: v.LastOfYear}
		switch core.Every(v.Every) { // what the others don't have isn't taken along
		case core.HoursWorked, core.Overtime:
			p.Earn.Per, p.Earn.Percent = v.Per, v.Percent
			if v.Percent != "" {
				p.Earn.Amount = ""
			}
		case core.Week, core.TwoWeeks, core.Year:
			p.Earn.Start = v.Start
		case core.Month, core.HalfMonth:
			p.Earn.Day = number("day", v.Day)
		}
	}
	if err != nil {
		return nil, err
	}
	if v.RoundTo != "" {
		p.Round = &roundJSON{v.RoundTo, v.RoundHow}
	}
	if v.ResetOn != "" {
		p.Reset = &resetJSON{v.ResetOn, v.Carry}
	}
	if p.ExpiresAfter = number("expires_after", v.ExpiresAfter); err != nil {
		return nil, err
	}
	if p.Steps, err = stepsIn(v.Steps); err != nil {
		return nil, err
	}
	return json.Marshal(p)
}

// stepsIn reads steps by service: months, a colon and the amount.
func stepsIn(text string) (steps []stepJSON, err error) {
	for part := range strings.SplitSeq(text, ",") {
		if part = strings.TrimSpace(part); part == "" {
			continue
		}
		months, amount, found := strings.Cut(part, ":")
		n, err := strconv.Atoi(strings.TrimSpace(months))
		if !found || err != nil {
			return nil, refusal.New("steps", "“"+part+"” is no step", "Write months of service and the amount, such as 36: 6, 180: 8")
		}
		steps = append(steps, stepJSON{n, strings.TrimSpace(amount)})
	}
	return steps, nil
}

type policyView struct {
	frameView
	policyFields
	ID, Name, Kind string // of a policy that is there; else what is typed
	KindName       string
	Kinds          []store.LeaveKind
	Units          []store.Named
	People         int
	Ready          []core.ReadyPolicy
	ReadyName      string
	JSON           string
	NewID, GiveID  string
	Example        trialFields
	Wrong          *refusal.Refusal
	Picture        template.HTML
	Sums           []accountSum
	Lines          []trialLine
	Until          when.Date
	Ends           string // the balance then
	Forfeits       bool   // what is earned can be taken away
	Today          when.Date
	Yesterday      when.Date
}

// trialFields are whom a policy is tried on.
type trialFields struct {
	Hired                  when.Date
	Opening, Weekly, Takes string
}

type trialLine struct {
	On                    when.Date
	What, Amount, Balance string
}

// policyPage shows a policy, or makes one: its fields, and what two years of it come to.
func (s *Server) policyPage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	v := policyView{policyFields: policyFieldsOf(f), Name: f.Text("name"), Kind: f.Text("kind"), NewID: newID().String(),
		GiveID: newID().String(), Ready: core.Ready(), ReadyName: f.Text("ready"),
		Example: trialFields{Hired: f.MaybeDate("hired"), Opening: f.Text("begins_with"), Weekly: f.Text("weekly"), Takes: f.Text("takes")}}
	if err := f.Err(); err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v.Today = place.Today(s.app.Now())
	v.Yesterday = v.Today - 1
	if v.Kinds, err = store.LeaveKinds(r.Context(), s.app.DB); err != nil {
		return err
	}
	if v.Units, err = store.Units(r.Context(), s.app.DB); err != nil {
		return err
	}
	if err := s.fillPolicy(r, &v); err != nil {
		return err
	}
	v.try()
	if v.frameView, err = s.stillFrame(r, "A policy of leave", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "leave-policy", v)
	return nil
}

// fillPolicy fills in the policy of the address, or a ready-made one.
func (s *Server) fillPolicy(r *http.Request, v *policyView) error {
	raw := []byte(nil)
	if id, err := uuid.Parse(r.URL.Query().Get("of")); err == nil {
		p, err := store.GetLeavePolicy(r.Context(), s.app.DB, id)
		if store.NotFound(err) {
			return app.ErrNotFound
		}
		if err != nil {
			return err
		}
		all, err := store.LeavePolicies(r.Context(), s.app.DB)
		if err != nil {
			return err
		}
		for _, o := range all {
			if o.ID == id {
				v.People = o.People
			}
		}
		raw, v.ID, v.Name, v.Kind, v.KindName = p.Policy, p.ID.String(), p.Name, p.Kind.String(), p.KindName
	}
	for _, p := range v.Ready {
		if v.ID == "" && p.Name == v.ReadyName {
			raw = p.Policy
			if v.Name == "" {
				v.Name = p.Name
			}
		}
	}
	if raw == nil {
		return nil
	}
	var err error
	v.policyFields, err = policyFieldsIn(raw)
	return err
}

// trialYears is for how many years a policy is tried.
const trialYears = 2

// try tries it on somebody made up.
func (v *policyView) try() {
	if v.Every == "" && v.ID == "" {
		return
	}
	raw, err := v.raw()
	if v.refused(err) {
		return
	}
	v.JSON = string(raw)
	if v.Example.Hired == 0 {
		v.Example.Hired = when.NewDate(v.Today.Year(), 1, 1)
	}
	t := leave.Trial{Policy: raw, Hired: v.Example.Hired, From: max(v.Example.Hired, when.NewDate(v.Today.Year(), 1, 1)) - 1}
	t.Until = t.From.AddYears(trialYears)
	for _, a := range []struct {
		text         *string
		usual, field string
		into         *core.Amount
	}{{&v.Example.Opening, "0", "begins_with", &t.Opening}, {&v.Example.Weekly, "40", "weekly", &t.Weekly},
		{&v.Example.Takes, "0", "takes", &t.Takes}} {
		if *a.text == "" {
			*a.text = a.usual
		}
		if *a.into, err = core.ParseAmount(*a.text); err != nil {
			v.refused(refusal.New(a.field, "“"+*a.text+"” is no amount", "Write it like 40 or 7.5"))
			return
		}
	}
	tried, err := t.Try()
	if !v.refused(err) {
		v.show(t, tried)
	}
}

// refused keeps why something isn't right.
func (v *policyView) refused(err error) bool {
	if err != nil && !errors.As(err, &v.Wrong) {
		v.Wrong = &refusal.Refusal{Field: "policy", Wrong: err.Error(), Right: "Look at its fields"}
	}
	return err != nil
}

// show draws what became of it.
func (v *policyView) show(t leave.Trial, tried leave.Tried) {
	f := draw.Forecast{From: t.From, Today: t.Until, To: t.Until, Unit: "h", Width: 780, Steps: stepsOf(tried.Ledger)}
	v.Until, v.Ends = t.Until, tried.Ledger[len(tried.Ledger)-1].Balance.String()
	sums := map[string]core.Amount{}
	var order []string
	add := func(what string, amount core.Amount) {
		if _, is := sums[what]; !is {
			order = append(order, what)
		}
		sums[what] += amount
	}
	for _, l := range tried.Ledger {
		add(lineWords[l.Kind], l.Amount)
		if l.Kind == core.LostAtReset || l.Kind == core.Expired || l.Kind == core.LostToCap {
			f.Lost = append(f.Lost, draw.Step{On: l.Date, Amount: amountFloat(-l.Amount)})
		}
		v.Lines = append(v.Lines, trialLine{l.Date, lineWords[l.Kind], l.Amount.String(), l.Balance.String()})
	}
	for _, l := range tried.Limited {
		add("not earned: the year’s limit is reached", l.Amount)
	}
	for _, what := range order {
		if sums[what] != 0 {
			v.Sums = append(v.Sums, accountSum{What: what, Amount: sums[what].String()})
		}
	}
	f.Lost = apart(f.Lost)
	f.Rules = rulesOf(tried.Policy)
	v.Picture = template.HTML(draw.Balance(nil, f, "two years of "+v.Name))
	p := tried.Policy
	v.Forfeits = p.Reset != nil && !p.Reset.All || p.ExpiresAfter > 0
}

// rulesOf are the limits that lie across the picture of a balance.
func rulesOf(p core.Policy) (rules []draw.Rule) {
	if p.Cap != nil {
		rules = append(rules, draw.Rule{Amount: amountFloat(*p.Cap), Label: "most " + p.Cap.String()})
	}
	if p.Reset != nil && !p.Reset.All && p.Reset.Carry > 0 {
		rules = append(rules, draw.Rule{Amount: amountFloat(p.Reset.Carry), Label: "carried over " + p.Reset.Carry.String()})
	}
	if p.UseLimit != nil {
		rules = append(rules, draw.Rule{Amount: amountFloat(*p.UseLimit), Label: "taken in a year " + p.UseLimit.String()})
	}
	return rules
}

// putLeavePolicy adds a policy of a kind, from its fields.
func (s *Server) putLeavePolicy(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.PutLeavePolicy{ID: f.ID("id"), Kind: f.ID("kind"), Name: f.Text("name")}
	if err := f.Err(); err != nil {
		return err
	}
	back := leaveSetup + "/policy?of=" + url.QueryEscape(act.ID.String())
	var err error
	if act.Policy, err = policyFieldsOf(f).raw(); err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	if err != nil {
		back = leaveSetup + "/policy?" + r.PostForm.Encode()
	}
	return s.done(w, r, err, back, said{Text: "Added: " + act.Name + ". Now give it to people."})
}
