package company

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// FirstStep is a step of the short set-up with which an empty company begins.
// It can be left and taken up again, and everything in it is on Setup too.
type FirstStep struct {
	Key, Name, Ask string
	fields         []string // of the company
}

// FirstSteps lists them in order.
var FirstSteps = []FirstStep{
	{"place", "The place", "What is it called, and where is it?", []string{"name", "zone", "currency", "job_word", "whom_to_ask"}},
	{"period", "Pay period", "How often do you pay?", []string{"period_kind", "period_anchor"}},
	{"rules", "Overtime rules", "By which rules do you pay overtime?", nil},
	{"clock", "How people clock", "How will people clock in, and does somebody sign the day?",
		[]string{"new_clock_points", "new_location", "sign_required"}},
}

// stepDone says whether a step of the short set-up was done.
func stepDone(p *app.Company, key string) bool {
	return slices.Contains(strings.Split(p.SetUp, ","), key)
}

// NextStep gives the first step of the short set-up that is not done, "" when
// all are.
func NextStep(p *app.Company) string {
	for _, s := range FirstSteps {
		if !stepDone(p, s.Key) {
			return s.Key
		}
	}
	return ""
}

// firstSteps are the steps of the short set-up among all that a place needs;
// overtime rules are counted there.
func firstSteps(p *app.Company) []Step {
	var found []Step
	for _, s := range FirstSteps {
		if s.Key != "rules" {
			done := stepDone(p, s.Key)
			found = append(found,
				Step{s.Name, map[bool]string{true: "chosen", false: "not chosen yet"}[done], "/setup/begin?step=" + s.Key, done})
		}
	}
	return found
}

// FirstStepPage is a page of the short set-up.
type FirstStepPage struct {
	Step   FirstStep
	Done   map[string]bool // steps by key
	Values []field.Value
	Ready  []pay.ReadySet // for the step of the rules
	Rules  string         // the name of those in force, "" for none
	Site   bool           // there is no site yet: the first is asked for
}

// ReadFirstStepPage reads a step of the short set-up.
func ReadFirstStepPage(ctx context.Context, a *app.App, actor app.Actor, key string) (*FirstStepPage, error) {
	if !actor.May("setup.change") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(FirstSteps, func(s FirstStep) bool { return s.Key == key })
	if i < 0 {
		return nil, app.ErrNotFound
	}
	p := &FirstStepPage{Step: FirstSteps[i], Done: map[string]bool{}}
	for _, s := range FirstSteps {
		p.Done[s.Key] = stepDone(place, s.Key)
	}
	today := place.Today(a.Now())
	n, err := store.CountSetUp(ctx, a.DB, today)
	if err != nil {
		return nil, err
	}
	p.Site = n.Sites == 0
	p.Values = valuesOf(place, n, func(key string) bool { return slices.Contains(p.Step.fields, key) })
	slices.SortStableFunc(p.Values, func(a, b field.Value) int {
		return slices.Index(p.Step.fields, a.Key) - slices.Index(p.Step.fields, b.Key)
	})
	if key == "rules" {
		p.Ready = pay.ReadySets()
		if set := place.RuleSetOn(today); set != nil {
			p.Rules = set.Name
		}
	}
	return p, nil
}

// TakeStep does a step of the short set-up: all of it, or nothing.
type TakeStep struct {
	Step   string
	Values map[string]string // of the company's settings, by key
	Site   string            // name of the first site
	Ready  string            // id of the ready-made rule set
	Week   string            // the day on which a workweek begins, "Sun"
}

// Permission is the act's name in the permission table.
func (TakeStep) Permission() string { return "setup.change" }

func (s TakeStep) Do(ctx context.Context, t *app.Turn) error {
	i := slices.IndexFunc(FirstSteps, func(f FirstStep) bool { return f.Key == s.Step })
	if i < 0 {
		return app.ErrNotFound
	}
	var meets []func(context.Context, *app.Turn) error // asked of all together, as they are then
	for _, f := range companyFields() {
		value, given := s.Values[f.Key]
		if !given || !slices.Contains(FirstSteps[i].fields, f.Key) || value == f.Get(t.Company) {
			continue
		}
		if _, err := (SetCompany{Field: f.Key, Value: value}).set(ctx, t); err != nil {
			return err
		}
		if f.meets != nil {
			meets = append(meets, f.meets)
		}
	}
	for _, met := range meets {
		if err := met(ctx, t); err != nil {
			return err
		}
	}
	if s.Step == "place" && strings.TrimSpace(s.Site) != "" {
		zone := strings.TrimSpace(s.Values["zone"])
		if err := (PutSite{ID: uuid.Must(uuid.NewV7()), Title: s.Site, Zone: zone}).Do(ctx, t); err != nil {
			return err
		}
	}
	if s.Step == "rules" {
		if err := s.takeRules(ctx, t); err != nil {
			return err
		}
	}
	if stepDone(t.Company, s.Step) {
		return nil
	}
	done := strings.Trim(t.Company.SetUp+","+s.Step, ",")
	t.RecordSetting(uuid.Nil, map[string]any{"field": "Short set-up", "to": FirstSteps[i].Name + " chosen"})
	return store.SetCompany(ctx, t, "set_up", done)
}

// takeRules lets a ready-made rule set hold from the workweek in which the
// present pay period begins.
func (s TakeStep) takeRules(ctx context.Context, t *app.Turn) error {
	if s.Ready == "" && len(t.Company.Rules) > 0 {
		return nil // those there stay
	}
	i := slices.IndexFunc(pay.ReadySets(), func(r pay.ReadySet) bool { return r.ID == s.Ready })
	if i < 0 {
		return refusal.New("ready", "No rules were chosen", "Choose one; they can be changed on Setup")
	}
	ready := pay.ReadySets()[i]
	today := t.Company.Today(t.Now)
	raw, ok := ready.On(today)
	if !ok {
		return app.ErrNotFound
	}
	raw, err := withWeekStart(raw, s.Week)
	if err != nil {
		return refusal.New("week", "A workweek can't begin on “"+field.Shorten(s.Week)+"”", "Choose a day")
	}
	rules, wrong := store.ParseRuleSet(raw, t.Company.Company, nil)
	if len(wrong) > 0 {
		return fmt.Errorf("ready rules %s: %w", ready.ID, wrong[0])
	}
	period, err := t.Company.Periods().Of(today)
	if err != nil {
		return err
	}
	return PutRules{ID: uuid.Must(uuid.NewV7()), Title: ready.Name, From: rules.FirstDay(period.From), Rules: raw}.Do(ctx, t)
}

// withWeekStart gives rules whose workweek begins at midnight of a weekday,
// "Mon"; an empty one leaves them as they are.
func withWeekStart(raw json.RawMessage, day string) (json.RawMessage, error) {
	if day == "" {
		return raw, nil
	}
	start := day + " 00:00"
	if _, _, err := when.ParseWeekStart(start); err != nil {
		return nil, err
	}
	rules := map[string]json.RawMessage{}
	if err := json.Unmarshal(raw, &rules); err != nil {
		return nil, err
	}
	var err error
	if rules["workweek_start"], err = json.Marshal(start); err != nil {
		return nil, err
	}
	return json.Marshal(rules)
}
