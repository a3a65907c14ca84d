package app

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// PersonFields are the settings of people in a place, with what their values
// may name.
type PersonFields struct {
	All    []PersonField
	Units  []store.Named
	Sites  []store.Named
	siteOf map[uuid.UUID]uuid.UUID // of crews and departments that have one
	index  map[string]int
}

// Get gives a field by its key, or nil.
func (f *PersonFields) Get(key string) *PersonField {
	if i, ok := f.index[key]; ok {
		return &f.All[i]
	}
	return nil
}

// personFields reads what values may name and makes the fields.
func personFields(ctx context.Context, q store.Q) (*PersonFields, error) {
	f := &PersonFields{index: map[string]int{}}
	var classes, jobs []store.Named
	var own []store.OwnField
	var groups []store.PeriodGroup
	for _, read := range []func() error{
		func() (err error) { f.Units, err = store.Units(ctx, q); return err },
		func() (err error) { f.Sites, err = store.Sites(ctx, q); return err },
		func() (err error) { f.siteOf, err = store.SitesOfUnits(ctx, q); return err },
		func() (err error) { classes, err = store.Classes(ctx, q); return err },
		func() (err error) { jobs, err = store.JobNumbers(ctx, q); return err },
		func() (err error) { own, err = store.OwnFields(ctx, q); return err },
		func() (err error) { groups, err = store.PeriodGroups(ctx, q); return err },
	} {
		if err := read(); err != nil {
			return nil, fmt.Errorf("read what settings may name: %w", err)
		}
	}
	f.All = builtInFields(f, classes, jobs, groups)
	for _, o := range own {
		f.All = append(f.All, ownField(o))
	}
	for i := range f.All {
		one := &f.All[i]
		if one.See == "" {
			one.See = "people.see"
		}
		f.index[one.Key] = i
	}
	return f, nil
}

func builtInFields(f *PersonFields, classes, jobs []store.Named, groups []store.PeriodGroup) []PersonField {
	periods := []Choice{{"", "the company's"}}
	for _, g := range groups {
		periods = append(periods, Choice{g.Name, g.Name})
	}
	person := func(column string) func(context.Context, *Turn, store.Sheet, string, when.Date) error {
		return func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			return store.SetPerson(ctx, t, s.Person, column, orNull(value))
		}
	}
	employment := func(column string) func(context.Context, *Turn, store.Sheet, string, when.Date) error {
		return func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			return store.SetEmployment(ctx, t, s.Employment, column, value)
		}
	}
	flag := func(column string) func(context.Context, *Turn, store.Sheet, string, when.Date) error {
		return func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			return store.SetEmployment(ctx, t, s.Employment, column, value == "yes")
		}
	}
	term := func(column string, kept func(string) any) func(context.Context, *Turn, store.Sheet, string, when.Date) error {
		return func(ctx context.Context, t *Turn, s store.Sheet, value string, from when.Date) error {
			return store.PutTerm(ctx, t, s.Employment, column, from, kept(value))
		}
	}
	text := func(most int) func(string) (string, error) {
		return func(v string) (string, error) {
			if len([]rune(v)) > most {
				return "", fmt.Errorf("write at most %d characters", most)
			}
			return v, nil
		}
	}
	fields := []PersonField{
		{Key: "number", Label: "Number", Group: "Person", Required: true, normal: text(20), put: person("number")},
		{Key: "given_name", Self: true, Label: "Given name", Group: "Person", Required: true, normal: text(80), put: person("given_name")},
		{Key: "family_name", Self: true, Label: "Family name", Group: "Person", Required: true, normal: text(80), put: person("family_name")},
		{Key: "email", Self: true, Label: "E-mail", Group: "Person", Help: "May be missing: a PIN or a badge is enough for a terminal", normal: email, put: person("email")},
		{Key: "mobile", Self: true, Label: "Mobile", Group: "Person", normal: mobile, put: person("mobile")},
		{Key: "level", Label: "Level", Group: "Person", Kind: ChoiceField, Many: true, Choices: []Choice{{"worker", "worker"}, {"lead", "crew lead"}, {"manager", "manager"}, {"owner", "owner"}}, put: person("level")},
		{Key: "language", Self: true, Label: "Language", Group: "Person", Help: "Kept; nothing goes by it yet", Kind: ChoiceField, Many: true, Choices: []Choice{{"en", "English"}, {"es", "Spanish"}, {"fr", "French"}, {"pl", "Polish"}, {"pt", "Portuguese"}, {"vi", "Vietnamese"}}, put: person("language")},
		{Key: "zone", Self: true, Label: "Zone", Group: "Person", Many: true, Help: "Empty: that of the site. Kept; nothing goes by it yet", normal: zoneName, put: person("zone")},
		{Key: "unit", Label: "Crew or department", Group: "Work", Kind: ChoiceField, Many: true, Choices: namesOf(f.Units), put: func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			return store.SetEmployment(ctx, t, s.Employment, "unit_id", idOf(f.Units, value))
		}},
		{Key: "site", Label: "Site", Group: "Work", Kind: ChoiceField, Many: true, Choices: namesOf(f.Sites), put: func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			other, err := store.ZoneWouldChange(ctx, t, s.Employment, idOf(f.Sites, value))
			if err != nil {
				return err
			}
			if other {
				return clock.Refuse("site", value+" is in another zone: hours were put on days by that of "+s.Values["site"], "Add another position there, and end this one")
			}
			return store.SetEmployment(ctx, t, s.Employment, "site_id", idOf(f.Sites, value))
		}},
		{Key: "leads", Label: "Leads", Group: "Work", Kind: SetField, Choices: namesOf(f.Units), Help: "Crews and departments, apart by commas", put: func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			return store.PutSet(ctx, t, "unit_lead", "person_id", "unit_id", s.Person, idsOf(f.Units, value))
		}},
		{Key: "title", Self: true, Label: "Title", Group: "Work", Many: true, normal: text(80), put: employment("title")},
		{Key: "classes", Label: "Classifications", Group: "Work", Kind: SetField, Many: true, Choices: namesOf(classes), put: func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			return store.PutSet(ctx, t, "employment_class", "employment_id", "class_id", s.Employment, idsOf(classes, value))
		}},
		{Key: "jobs", Label: "Jobs", Group: "Work", Kind: SetField, Many: true, Choices: append([]Choice{{"any", "any job"}}, namesOf(jobs)...), Help: "Numbers apart by commas, or any", put: func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			if err := store.SetEmployment(ctx, t, s.Employment, "every_job", value == "any"); err != nil {
				return err
			}
			return store.PutSet(ctx, t, "employment_job", "employment_id", "job_id", s.Employment, idsOf(jobs, value))
		}},
		{Key: "starts_on", Label: "Hired", Group: "Work", Kind: DateField, Required: true, normal: date, put: putHired},
		{Key: "ends_on", Label: "Last day", Group: "Work", Kind: DateField, Fixed: true, normal: date},
		{Key: "subcontractor", Label: "Subcontractor", Group: "Pay", Kind: ChoiceField, Choices: yesNo, Many: true, Dated: true, Terms: true,
			Help: "Clocks and is costed to jobs, and is in no pay run", put: term(store.TermSubcontractor, func(v string) any { return v == "yes" })},
		{Key: "paid_by", Label: "Paid by", Group: "Pay", Kind: ChoiceField, Many: true, Dated: true, Terms: true,
			Choices: []Choice{{"hour", "the hour"}, {"salary", "salary"}}, put: term(store.TermHourly, func(v string) any { return v == "hour" })},
		{Key: "rate", Label: "Rate an hour", Group: "Pay", Kind: NumberField, Dated: true, Many: true, See: "rates.see", normal: rateValue, put: func(ctx context.Context, t *Turn, s store.Sheet, value string, from when.Date) error {
			return store.PutRate(ctx, t, s.Employment, from, value)
		}},
		{Key: "pattern", Label: "Working pattern", Group: "Pay", Kind: PatternField, Dated: true, Many: true, Help: "Hours from Sunday to Saturday, such as 0 8 8 8 8 8 0", normal: patternValue, put: func(ctx context.Context, t *Turn, s store.Sheet, value string, from when.Date) error {
			if err := store.PutPattern(ctx, t, s.Employment, from, value); err != nil {
				return err
			}
			return rework(ctx, t, s.Employment, from, forever)
		}},
		{Key: "period_group", Label: "Pay periods", Group: "Pay", Kind: ChoiceField, Many: true, Dated: true, Terms: true, Choices: periods,
			put: term(store.TermPeriodGroup, func(v string) any { return v })},
		{Key: "coding", Label: "An account is", Group: "Pay", Kind: ChoiceField, Many: true, Choices: []Choice{{"required", "required"}, {"optional", "optional"}, {"absent", "absent"}}, put: employment("coding")},
		{Key: "account", Label: "Account", Group: "Pay", Many: true, Help: "To which payroll books the hours; of a new person that of the crew", normal: text(60), put: employment("account")},
		{Key: "leave_policy", Label: "Leave policy", Group: "Pay", Help: "Kept; nothing goes by it yet", Many: true, normal: text(60), put: employment("leave_policy")},
		{Key: "reporting", Label: "Hours", Group: "Clock", Help: "Kept; nothing goes by it yet", Kind: ChoiceField, Many: true, Choices: []Choice{{"every_hour", "every hour is reported"}, {"pattern", "the pattern is paid unless something else is reported"}}, put: employment("reporting")},
		{Key: "own_edits", Label: "Changes own hours", Group: "Clock", Help: "Kept; nothing goes by it yet", Kind: ChoiceField, Many: true, Choices: []Choice{{"at_once", "at once, until signed"}, {"request", "as a request"}, {"lead", "only through the lead"}}, put: employment("own_edits")},
		{Key: "clock_points", Label: "Clock points", Group: "Clock", Kind: SetField, Many: true, Choices: clockPoints, put: employment("clock_points")},
		{Key: "location", Label: "Location", Group: "Clock", Kind: ChoiceField, Many: true, Choices: locations, put: employment("location")},
		{Key: "location_required", Label: "A punch needs a location", Group: "Clock", Kind: ChoiceField, Choices: yesNo, Many: true, put: flag("location_required")},
		{Key: "pin", Label: "PIN", Group: "Clock", Kind: ChoiceField, Choices: []Choice{{"yes", "set"}, {"no", "not set"}}, Fixed: true},
		{Key: "badges", Label: "Badges", Group: "Clock", Help: "Card numbers, apart by commas", normal: badges, put: func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			return store.PutBadges(ctx, t, s.Person, splitList(value))
		}},
		{Key: "tags", Label: "Tags", Group: "Company", Many: true, Help: "Such as: First aid until 2027-03-31, Work at height", normal: tags, put: func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
			return store.PutTags(ctx, t, s.Person, parseTags(value))
		}},
		{Key: "in_reports", Label: "In reports", Group: "Company", Help: "Kept; nothing goes by it yet", Kind: ChoiceField, Choices: yesNo, Many: true, put: flag("in_reports")},
		{Key: "signs_in", Label: "Signs in", Group: "Company", Kind: ChoiceField, Choices: yesNo, Fixed: true},
		{Key: "state", Label: "State", Group: "Company", Kind: ChoiceField, Fixed: true, Choices: []Choice{{"here", "works here"}, {"coming", "still to come"}, {"leaving", "is leaving"}, {"ended", "left"}}},
		{Key: "added", Label: "Added", Group: "Company", Kind: DateField, Fixed: true},
		{Key: "last_seen", Label: "Last seen", Group: "Company", Kind: DateField, Fixed: true},
	}
	for i := range fields {
		one := &fields[i]
		if one.Kind == "" {
			one.Kind = TextField
		}
		if one.normal == nil {
			one.normal = one.pick
			if one.Kind == SetField {
				one.normal = one.pickSome
			}
		}
	}
	return fields
}

// putHired sets the day of hire, which no hours come before: whoever is on the
// clock, or was, would otherwise have worked before they were here.
func putHired(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
	first, found, err := store.FirstWorked(ctx, t, s.Employment)
	if err != nil {
		return err
	}
	if found && value > first.String() {
		return clock.Refuse("starts_on", s.Name()+" has hours from "+first.Format("2 January 2006")+" on", "Choose that day or an earlier one")
	}
	return store.SetEmployment(ctx, t, s.Employment, "starts_on", value)
}

func ownField(o store.OwnField) PersonField {
	f := PersonField{Key: o.ID.String(), Label: o.Name, Group: "Company", Kind: FieldKind(o.Kind), Many: true, Own: true, Self: true}
	switch o.Kind {
	case "date":
		f.normal = date
	case "number":
		f.normal = func(v string) (string, error) {
			if _, err := pay.ParseRate(v); err != nil {
				return "", fmt.Errorf("write a number such as 12.5")
			}
			return v, nil
		}
	case "choice":
		f.Choices = []Choice{{"", "–"}}
		for c := range strings.Lines(o.Choices) {
			if c = strings.TrimSpace(c); c != "" {
				f.Choices = append(f.Choices, Choice{c, c})
			}
		}
		f.normal = f.pick
	default:
		f.normal = func(v string) (string, error) {
			if len([]rune(v)) > 200 {
				return "", fmt.Errorf("write at most 200 characters")
			}
			return v, nil
		}
	}
	f.put = func(ctx context.Context, t *Turn, s store.Sheet, value string, _ when.Date) error {
		return store.PutOwnValue(ctx, t, s.Person, o.ID, value)
	}
	return f
}
