package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"manudex/app"
	"manudex/app/company"
	"manudex/app/field"
	"manudex/core/card"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/web/form"
	"manudex/web/words"
)

// ruleInput is one parameter of a rule set on the form. A name with a point
// is a field of an object, which is there when its first field is.
type ruleInput struct {
	Name, Label, Help string
	Choices           []field.Choice
	Number            bool // a JSON number, not a text
	Value             string
}

type ruleGroup struct {
	Name   string
	Inputs []ruleInput
}

// ruleForm lists the parameters of docs/rules.md as the form asks for them.
func ruleForm() []ruleGroup {
	choice := func(values ...string) []field.Choice {
		var c []field.Choice
		for i := 0; i < len(values); i += 2 {
			c = append(c, field.Choice{Value: values[i], Label: values[i+1]})
		}
		return c
	}
	return []ruleGroup{
		{"Days and weeks", []ruleInput{
			{Name: "workweek_start", Label: "The workweek begins", Help: "weekday and time, such as Sun 00:00"},
			{Name: "workday_start", Label: "A workday begins at", Help: "such as 00:00"},
			{Name: "split_at_boundary", Label: "A shift over midnight",
				Choices: choice("", "is split between the two workdays", "false", "stays with the day it began on")},
			{Name: "new_attendance_after", Label: "A new attendance after a gap of, hours", Help: "4 when empty"},
		}},
		{"Overtime, hours", []ruleInput{
			{Name: "weekly_overtime_after", Label: "Overtime beyond, a week"},
			{Name: "daily_overtime_after", Label: "Overtime beyond, a day"},
			{Name: "daily_double_after", Label: "Double time beyond, a day"},
			{Name: "weekly_double_after", Label: "Double time beyond, a week"},
			{Name: "consecutive_overtime_after", Label: "Overtime beyond, in a row", Help: "without a gap other than meals"},
			{Name: "seventh_day.overtime_hours", Label: "Seventh day in a row", Help: "hours of overtime before double time"},
			{Name: "combine", Label: "Daily and weekly",
				Choices: choice("", "daily first, weekly on what is left", "greater_of", "the larger of the two")},
			{Name: "overtime_period.days", Label: "Instead of the week, days", Number: true, Help: "such as 14 for 8 and 80"},
			{Name: "overtime_period.start", Label: "a period begins on", Help: "YYYY-MM-DD"},
			{Name: "overtime_period.after", Label: "overtime beyond, a period"},
		}},
		{"Money", []ruleInput{
			{Name: "overtime_rate", Label: "Premium on",
				Choices: choice("", "the regular rate of the week", "rate_in_effect", "the rate in effect")},
			{Name: "overtime_multiplier", Label: "Overtime pays", Help: "1.5 when empty"},
			{Name: "double_multiplier", Label: "Double time pays", Help: "2 when empty"},
			{Name: "flat_sum_over", Label: "A flat sum is spread over",
				Choices: choice("", "all hours", "regular_hours", "the regular hours")},
			{Name: "premium_job", Label: "The premium of a week falls on",
				Choices: choice("", "the job of the overtime's hours", "week_hours", "all its jobs, by hours")},
			{Name: "minimum_callout_hours", Label: "A call-out pays at least, hours"},
			{Name: "bank_overtime.overtime", Label: "Overtime may be banked; an hour is credited as",
				Help: "such as 1.5, of those whose overtime is banked; lawful for public agencies alone in the US"},
			{Name: "bank_overtime.double", Label: "and one of double time as"},
			{Name: "meal_premium.first_before_hours", Label: "An hour's pay for a meal not begun before"},
			{Name: "meal_premium.first_waived_up_to_hours", Label: "waived up to"},
			{Name: "meal_premium.minutes", Label: "a meal lasts at least, minutes", Number: true, Help: "30 when empty"},
			{Name: "meal_premium.second_before_hours", Label: "second meal before"},
			{Name: "meal_premium.second_waived_up_to_hours", Label: "waived up to"},
		}},
		{"Planned shifts", []ruleInput{
			{Name: "show_up.part", Label: "Who came and worked less of a shift than a part", Help: "is paid up to it; such as 0.5"},
			{Name: "show_up.least_hours", Label: "but at least, hours"},
			{Name: "show_up.most_hours", Label: "and at most, hours"},
			{Name: "short_notice.days", Label: "A plan told anew is paid for within, days", Number: true,
				Help: "such as 14, before it begins"},
			{Name: "short_notice.over_minutes", Label: "where it changed by more than, minutes", Number: true},
			{Name: "short_notice.changed_hours", Label: "without hours lost, hours", Help: "a new shift as well"},
			{Name: "short_notice.lost_part", Label: "and of those lost, a part", Help: "such as 0.5"},
		}},
		{"Breaks and rounding", []ruleInput{
			{Name: "paid_rest_up_to_minutes", Label: "A rest is paid up to, minutes", Number: true, Help: "20 when empty"},
			{Name: "rest_beyond", Label: "and of a longer one is unpaid", Choices: choice("", "–", "whole", "the whole", "excess",
				"what is beyond")},
			{Name: "unpaid_meal_from_minutes", Label: "A meal is unpaid from, minutes", Number: true, Help: "30 when empty"},
			{Name: "rounding.minutes", Label: "Rounded to, minutes", Number: true, Help: "5, 6 or 15; empty: to the second"},
			{Name: "rounding.apply", Label: "rounding applies to",
				Choices: choice("", "–", "edge", "each clocking", "day", "the whole day")},
			{Name: "automatic_meal.after_hours", Label: "A meal comes out by itself after, hours"},
			{Name: "automatic_meal.minutes", Label: "and takes, minutes", Number: true},
		}},
		{"A differential", []ruleInput{
			{Name: "differentials.name", Label: "Called"},
			{Name: "differentials.from", Label: "from", Help: "such as 20:00"},
			{Name: "differentials.to", Label: "to"},
			{Name: "differentials.per_hour", Label: "pays an hour"},
			{Name: "differentials.percent", Label: "or percent of the rate"},
		}},
	}
}

// rulesJSON makes the rules object of what the form says. What is empty is
// left out; differentials beyond the one on the form are kept as they were.
func rulesJSON(form url.Values) (json.RawMessage, error) {
	rules := map[string]any{}
	for _, g := range ruleForm() {
		for _, in := range g.Inputs {
			text := strings.TrimSpace(form.Get(in.Name))
			if text == "" {
				continue
			}
			var value any = text
			switch {
			case in.Number:
				value = json.Number(text)
				if !json.Valid([]byte(text)) {
					value = text // the parser says what is wrong with it
				}
			case text == "false":
				value = false
			}
			outer, inner, nested := strings.Cut(in.Name, ".")
			if !nested {
				rules[outer] = value
				continue
			}
			object, _ := rules[outer].(map[string]any)
			if object == nil {
				object = map[string]any{}
				rules[outer] = object
			}
			object[inner] = value
		}
	}
	if one, there := rules["differentials"]; there {
		list := []any{one}
		var more []any
		if text := form.Get("more_differentials"); text != "" {
			if err := json.Unmarshal([]byte(text), &more); err != nil {
				return nil, app.ErrNotFound
			}
		}
		rules["differentials"] = append(list, more...)
	}
	return json.Marshal(rules)
}

// filled gives the form with the values of a rules object, and the
// differentials after the first.
func filled(raw json.RawMessage) (groups []ruleGroup, more string) {
	groups = ruleForm()
	var rules map[string]json.RawMessage
	if json.Unmarshal(raw, &rules) != nil {
		return groups, ""
	}
	if list := rules["differentials"]; list != nil {
		var all []json.RawMessage
		if json.Unmarshal(list, &all) == nil && len(all) > 0 {
			rules["differentials"] = all[0]
			if len(all) > 1 {
				rest, _ := json.Marshal(all[1:]) // raw messages always marshal
				more = string(rest)
			}
		}
	}
	for g := range groups {
		for i := range groups[g].Inputs {
			in := &groups[g].Inputs[i]
			outer, inner, nested := strings.Cut(in.Name, ".")
			value := rules[outer]
			if nested {
				var object map[string]json.RawMessage
				if json.Unmarshal(value, &object) != nil {
					continue
				}
				value = object[inner]
			}
			in.Value = plainValue(value)
			if in.Name == "split_at_boundary" && in.Value == "true" || len(in.Choices) > 0 && in.Value == defaultChoice[in.Name] {
				in.Value = ""
			}
		}
	}
	return groups, more
}

var defaultChoice = map[string]string{"combine": "no_pyramiding", "overtime_rate": "regular_rate", "flat_sum_over": "all_hours"}

func plainValue(raw json.RawMessage) string {
	var text string
	if json.Unmarshal(raw, &text) == nil {
		return text
	}
	if string(raw) == "null" {
		return ""
	}
	return string(raw)
}

type rulesView struct {
	frameView
	*company.RulesPage
	Ready  []pay.ReadySet
	Picked string // ready-made set the form is filled from
	Title  string
	From   string
	Groups []ruleGroup
	More   string
	Sets   []ruleSetView
	Trial  *company.Trial
	Days   []trialDay
	Wrong  string
	ID     string
}

type ruleSetView struct {
	Name, From, Words string
	InForce, MayDrop  bool
}

// trialDay is a day of the sample week by both rule sets.
type trialDay struct{ Day, Now, Then string }

func (s *Server) rulesPage(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	actor := visitOf(r).actor
	p, err := company.ReadRulesPage(r.Context(), s.app, actor)
	if err != nil {
		return err
	}
	v := rulesView{RulesPage: p, Ready: pay.ReadySets(), Picked: q.Get("ready"), ID: newID().String(),
		Title: q.Get("title"), From: q.Get("from")}
	if v.From == "" {
		v.From = p.First.String()
	}
	from, err := when.ParseDate(v.From)
	if err != nil {
		return app.ErrNotFound
	}
	v.sets(p)
	rules := json.RawMessage("{}")
	switch {
	case q.Has("weekly_overtime_after"): // the form was changed
		if rules, err = rulesJSON(q); err != nil {
			return err
		}
	case v.Picked != "":
		for _, set := range v.Ready {
			if set.ID == v.Picked {
				if found, ok := set.On(from); ok {
					rules, v.Title = found, set.Name
				}
			}
		}
	case len(p.Sets) > 0:
		last := p.Sets[len(p.Sets)-1]
		rules, v.Title = last.JSON, last.Name
	}
	v.Groups, v.More = filled(rules)
	if v.Trial, err = company.TryRules(r.Context(), s.app, actor, v.Title, from, rules); err != nil {
		return err
	}
	v.tried()
	if v.frameView, err = s.stillFrame(r, "Overtime rules", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "rules", v)
	return nil
}

func (v *rulesView) sets(p *company.RulesPage) {
	inForce := -1
	for i, set := range p.Sets {
		if set.From <= p.Today {
			inForce = i
		}
	}
	for i, set := range p.Sets {
		v.Sets = append(v.Sets,
			ruleSetView{Name: set.Name, From: set.From.String(), Words: "from " + set.From.Format("Mon 2 Jan 2006"), InForce: i == inForce,
				MayDrop: set.From > p.Paid})
	}
}

// tried puts the trial into words.
func (v *rulesView) tried() {
	if len(v.Trial.Wrong) > 0 {
		var wrong []string
		for _, e := range v.Trial.Wrong {
			wrong = append(wrong, fmt.Sprintf("%s: %s", strings.ReplaceAll(strings.TrimPrefix(e.Field, "rules."), "_", " "), e.Right))
		}
		v.Wrong = strings.Join(wrong, "; ") + "."
		return
	}
	layout := "Monday"
	if n := len(v.Trial.Then.Result.Days); n > 7 {
		layout = "Mon 2 Jan"
	}
	days := map[when.Date]*trialDay{}
	var order []when.Date
	for n, side := range []company.TrialSide{v.Trial.Now, v.Trial.Then} {
		for _, d := range side.Result.Days {
			if days[d.Date] == nil {
				days[d.Date] = &trialDay{Day: d.Date.Format(layout)}
				order = append(order, d.Date)
			}
			words := classWords(d.Regular, d.Overtime, d.Double)
			if n == 0 {
				days[d.Date].Now = words
			} else {
				days[d.Date].Then = words
			}
		}
	}
	for _, d := range order {
		v.Days = append(v.Days, *days[d])
	}
}

// Gross writes the gross of a side of the trial.
func (v rulesView) Gross(side company.TrialSide) string {
	return words.Grouped(side.Result.Gross.Decimal(v.Place.CurrencyDecimals))
}

func classWords(regular, overtime, double int64) string {
	words := card.HoursMinutes(regular)
	if overtime > 0 {
		words += " + " + card.HoursMinutes(overtime) + " overtime"
	}
	if double > 0 {
		words += " + " + card.HoursMinutes(double) + " double"
	}
	return words
}

func (s *Server) putRules(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	rules, err := rulesJSON(r.Form)
	if err != nil {
		return err
	}
	form := r.Form
	form.Del("id")
	again := "/setup/rules?" + form.Encode()
	from, err := when.ParseDate(f.Text("from"))
	if err != nil {
		return s.done(w, r, nil, again,
			said{Text: "The day from which the rules hold is missing. Choose the first day of a workweek.", Refused: true})
	}
	err = s.app.Do(r.Context(), visitOf(r).actor,
		company.PutRules{ID: id, Title: strings.TrimSpace(f.Text("title")), From: from, Rules: rules})
	if err != nil {
		return s.done(w, r, err, again, said{})
	}
	return s.done(w, r, nil, "/setup/rules",
		said{Text: "“" + f.Text("title") + "” holds from " + from.Format("Monday 2 January 2006") +
			". Hours before stay with the rules of their time."})
}

func (s *Server) dropRules(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	from := f.Date("from")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, company.DropRules{From: from})
	return s.done(w, r, err, "/setup/rules", said{Text: "The rule set is taken out; the one before goes on."})
}
