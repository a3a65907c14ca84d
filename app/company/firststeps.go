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
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/app/people"
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
	{"place", "The place", "What is it called, and where is it?", []string{"name", "zone", "country", "currency"}},
	{"period", "Pay period", "How often do you pay?", []string{"period_kind", "period_anchor"}},
	{"rules", "Overtime rules", "By which rules do you pay overtime?", nil},
	{"clock", "Working and clocking", "When do people work, and who looks at their days?",
		[]string{"new_pattern", "new_location", "sign_required"}},
	{"people", "The first person", "Who clocks in first, and what on?", nil},
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
func firstSteps(p *app.Company, n store.SetUp) []Step {
	var found []Step
	for _, s := range FirstSteps {
		if s.Key != "rules" {
			done := stepDone(p, s.Key) || s.Key == "people" && n.People > 0
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
	Ready  []pay.ReadySet      // for the step of the rules
	Rules  string              // the name of those in force, "" for none
	Site   bool                // there is no site yet: the first is asked for
	Week   string              // the day on which the pay period begins, "Mon", where the workweek begins with it; else ""
	Unit   string              // the crew that is there, for the step of the first person
	People int                 // who are there already
	Codes  map[pay.Pays]string // the company's pay codes, for the step of the rules
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
	p.Site, p.People, p.Week = n.Sites == 0, n.People, weekOfPeriod(place)
	if key == "people" && n.Units > 0 {
		units, err := store.AllUnits(ctx, a.DB, today)
		if err != nil {
			return nil, err
		}
		p.Unit = units[0].Name
	}
	p.Values = valuesOf(place, n, func(key string) bool { return slices.Contains(p.Step.fields, key) })
	slices.SortStableFunc(p.Values, func(a, b field.Value) int {
		return slices.Index(p.Step.fields, a.Key) - slices.Index(p.Step.fields, b.Key)
	})
	if key == "rules" {
		if p.Codes, err = companyCodes(ctx, a.DB, today); err != nil {
			return nil, err
		}
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
	Week   string            // the day on which a workweek begins, "Sun"; empty: with the pay period
	Codes  map[pay.Pays]string
	First  FirstPerson
	Skip   bool // the step of the first person: they come by a file, or later
}

// FirstPerson is the first who clocks in, with the crew and the job.
type FirstPerson struct {
	ID                       uuid.UUID
	Given, Family, Crew, Job string
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
	var err error
	switch {
	case s.Step == "rules":
		err = s.takeRules(ctx, t)
	case s.Step == "people" && !s.Skip:
		err = s.First.add(ctx, t)
	}
	if err != nil {
		return err
	}
	if stepDone(t.Company, s.Step) {
		return nil
	}
	done := strings.Trim(t.Company.SetUp+","+s.Step, ",")
	t.RecordSetting(uuid.Nil, map[string]any{"field": "Short set-up", "to": FirstSteps[i].Name + " chosen"})
	return store.SetCompany(ctx, t, "set_up", done)
}

// add adds the first person, the crew unless it is there, and the job.
func (f FirstPerson) add(ctx context.Context, t *app.Turn) error {
	for _, need := range []struct{ field, value, wrong string }{{"given_name", f.Given, "The given name is missing"},
		{"family_name", f.Family, "The family name is missing"}, {"crew", f.Crew, "The crew is missing"},
		{"job", f.Job, "The job is missing"}} {
		if strings.TrimSpace(need.value) == "" {
			return refusal.New(need.field, need.wrong, "Write it in; it can be changed later")
		}
	}
	sites, err := store.AllSites(ctx, t)
	if err != nil {
		return err
	}
	if len(sites) == 0 {
		return refusal.New("crew", "There is no site where the crew could work", "Name the first site on the page “The place”")
	}
	today := t.Company.Today(t.Now)
	units, err := store.AllUnits(ctx, t, today)
	if err != nil {
		return err
	}
	crew := strings.TrimSpace(f.Crew)
	i := slices.IndexFunc(units, func(u store.Unit) bool { return strings.EqualFold(u.Name, crew) })
	if i >= 0 {
		crew = units[i].Name
	} else if err := (PutUnit{ID: uuid.Must(uuid.NewV7()), Kind: "crew", Title: crew, Site: sites[0].ID}).Do(ctx, t); err != nil {
		return err
	}
	if err := (people.AddPerson{ID: f.ID, Values: map[string]string{"given_name": f.Given, "family_name": f.Family, "unit": crew,
		"site": sites[0].Name, "starts_on": today.String()}}).Do(ctx, t); err != nil {
		return err
	}
	number, err := store.NextJobNumber(ctx, t)
	if err != nil {
		return err
	}
	return jobs.AddJob{ID: uuid.Must(uuid.NewV7()), Number: number, Title: f.Job}.Do(ctx, t)
}

// weekOfPeriod gives the weekday on which pay periods begin, "Mon": where they are
// of whole weeks, a workweek begins with them. Otherwise it is empty.
func weekOfPeriod(p *app.Company) string {
	switch when.PeriodKind(p.PeriodKind) {
	case when.Weekly, when.Fortnight:
		return p.PeriodAnchor.Weekday().String()[:3]
	}
	return ""
}

// companyCodes are the pay codes that the company names on a date.
func companyCodes(ctx context.Context, q store.Q, on when.Date) (map[pay.Pays]string, error) {
	all, _, err := payroll.ReadCodes(ctx, q)
	return payroll.CodesOn(all, on).Named[pay.CodeKey{Owner: pay.ByCompany}], err
}

// takeRules lets a ready-made rule set hold from the workweek in which the
// present pay period begins, and the company name the codes its hours are paid by.
func (s TakeStep) takeRules(ctx context.Context, t *app.Turn) error {
	named, err := companyCodes(ctx, t, t.Company.Today(t.Now))
	if err != nil {
		return err
	}
	for _, pays := range []pay.Pays{pay.PaysRegular, pay.PaysOvertime, pay.PaysDouble} {
		if code, given := s.Codes[pays]; given && code != named[pays] {
			if err := (payroll.PutPayCode{Owner: pay.ByCompany, Pays: pays, Code: code}).Do(ctx, t); err != nil {
				return err
			}
		}
	}
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
	week := s.Week
	if week == "" {
		week = weekOfPeriod(t.Company)
	}
	raw, err = withWeekStart(raw, week)
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
