package people

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/hours"
	"manudex/core/mark"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/store"
)

// PersonFields are the settings of people in a place, with what their values
// may name.
type PersonFields struct {
	All    []field.PersonField
	Units  []store.Named
	Sites  []store.Named
	siteOf map[uuid.UUID]uuid.UUID // of crews and departments that have one
	index  map[string]int
}

// Get gives a field by its key, or nil.
func (f *PersonFields) Get(key string) *field.PersonField {
	if i, ok := f.index[key]; ok {
		return &f.All[i]
	}
	return nil
}

// lacks gives the first setting that somebody to be added needs and isn't given,
// nil for none. Without a number the next free one is taken, without a site that
// of the crew.
func (f *PersonFields) lacks(values map[string]string) *field.PersonField {
	for i := range f.All {
		if one := &f.All[i]; one.Needed && values[one.Key] == "" {
			return one
		}
	}
	return nil
}

// ReadFields reads what values may name and makes the fields.
func ReadFields(ctx context.Context, q store.Q) (*PersonFields, error) {
	f := &PersonFields{index: map[string]int{}}
	var classes, jobs []store.Named
	var own []store.OwnField
	var groups []store.PeriodGroup
	var payWays []store.PayWay
	var country string
	var away app.Away
	for _, read := range []func() error{
		func() (err error) { f.Units, err = store.Units(ctx, q); return err },
		func() (err error) { f.Sites, err = store.Sites(ctx, q); return err },
		func() (err error) { f.siteOf, err = store.SitesOfUnits(ctx, q); return err },
		func() (err error) { classes, err = store.Classes(ctx, q); return err },
		func() (err error) { jobs, err = store.JobNumbers(ctx, q); return err },
		func() (err error) { own, err = store.OwnFields(ctx, q); return err },
		func() (err error) { groups, err = store.PeriodGroups(ctx, q); return err },
		func() (err error) { payWays, err = store.PayWays(ctx, q); return err },
		func() (err error) { country, err = store.Country(ctx, q); return err },
		func() (err error) { away, err = app.ReadAway(ctx, q); return err },
	} {
		if err := read(); err != nil {
			return nil, fmt.Errorf("read what settings may name: %w", err)
		}
	}
	f.All = builtInFields(f, classes, jobs, groups, payWays, country)
	for _, o := range own {
		f.All = append(f.All, ownField(o))
	}
	f.All = field.CompletedPerson(f.All)
	for i := range f.All {
		f.index[f.All[i].Key] = i
		f.All[i].Later = f.All[i].Later || away.Hides(f.All[i].Key)
	}
	return f, nil
}

func builtInFields(f *PersonFields, classes, jobs []store.Named, groups []store.PeriodGroup, payWays []store.PayWay,
	country string) []field.PersonField {
	periods := field.Choices("", "the company's")
	for _, g := range groups {
		periods = append(periods, field.Choice{Value: g.Name, Label: g.Name})
	}
	ways := field.Choices("", "not said")
	for _, w := range payWays {
		ways = append(ways, field.Choice{Value: w.Name, Label: w.Name})
	}
	type put = func(context.Context, *app.Turn, []field.Put) error
	person := func(column string) put {
		return func(ctx context.Context, t *app.Turn, puts []field.Put) error {
			return store.SetPersons(ctx, t, column, valuesOf(puts, false, field.OrNull)...)
		}
	}
	employment := func(column string, kept func(string) any) put {
		return func(ctx context.Context, t *app.Turn, puts []field.Put) error {
			return store.SetEmployments(ctx, t, column, valuesOf(puts, true, kept)...)
		}
	}
	term := func(column string, kept func(string) any) put {
		return func(ctx context.Context, t *app.Turn, puts []field.Put) error {
			from, values := make([]store.EmploymentDate, len(puts)), make([]any, len(puts))
			for i, p := range puts {
				from[i], values[i] = store.EmploymentDate{Employment: p.Employment, Date: p.From}, kept(p.Value)
			}
			return store.PutTerms(ctx, t, column, from, values)
		}
	}
	// members are put by the ids that their names stand for.
	members := func(table, owner, member string, ofPosition bool, ids func(string) []uuid.UUID) put {
		return func(ctx context.Context, t *app.Turn, puts []field.Put) error {
			sets := make([]store.SetOf, len(puts))
			for i, p := range puts {
				sets[i] = store.SetOf{Of: p.Person, Are: ids(p.Value)}
				if ofPosition {
					sets[i].Of = p.Employment
				}
			}
			return store.PutSets(ctx, t, table, owner, member, sets...)
		}
	}
	yes := func(v string) any { return v == "yes" }
	asIs := func(v string) any { return v }
	fields := []field.PersonField{
		{Field: field.Field{Key: "number", Label: "Number", Group: "Person", Required: true, Check: field.Text(20)},
			ByAdding: true, Identity: true, Put: person("number")},
		{Field: field.Field{Key: "given_name", Label: "Given name", Group: "Person", Required: true, Check: field.Text(80)},
			Needed: true, ByAdding: true, Self: true, Put: person("given_name")},
		{Field: field.Field{Key: "family_name", Label: "Family name", Group: "Person", Required: true, Check: field.Text(80)},
			Needed: true, ByAdding: true, Self: true, Put: person("family_name")},
		{Field: field.Field{Key: "email", Label: "E-mail", Group: "Person", Help: "May be missing: a mobile or the number signs in too",
			Check: field.Email},
			ByLead: true, Identity: true, Self: true, Put: person("email")},
		{Field: field.Field{Key: "mobile", Label: "Mobile", Group: "Person", Check: field.MobileIn(country)},
			ByLead: true, Identity: true, Self: true, Put: person("mobile")},
		{Field: field.Field{Key: "level", Label: "Level", Group: "Person", Kind: field.ChoiceField,
			Choices: field.Choices("worker", "worker", "lead", "crew lead", "manager", "manager", "owner", "owner")},
			May: levelUpTo, Identity: true, Selfish: "their own level", Many: true, Put: person("level")},
		{Field: field.Field{Key: "language", Label: "Language", Group: "Person",
			Help: "Of the pages for workers; the others are in English",
			Kind: field.ChoiceField, Choices: field.Choices("en", "English", "es", "Spanish", "fr", "French")},
			Self: true, Many: true, Put: person("language")},
		{Field: field.Field{Key: "zone", Label: "Zone", Group: "Person",
			Help:  "Empty: that of the site. Where it is another, a card shows both",
			Check: field.ZoneName},
			Self: true, Many: true, Put: person("zone")},
		{Field: field.Field{Key: "young_until", Label: "Young until", Group: "Person", Kind: field.DateField, Check: field.Date,
			Help: "The last day for which the hours set for the young hold"},
			Many: true, Put: person("young_until")},
		{Field: field.Field{Key: "week_opt_out", Label: "Opted out of the weekly average on", Group: "Person", Kind: field.DateField,
			Check: field.Date, Help: "From then on the average of hours a week doesn’t speak against their shifts"},
			Many: true, Put: person("week_opt_out")},
		{Field: field.Field{Key: "unit", Label: "Crew or department", Group: "Work", Kind: field.ChoiceField,
			Choices: field.NamesOf(f.Units)},
			Needed: true, ByAdding: true, May: f.unitWithin, Many: true,
			Put: employment("unit_id", func(v string) any { return field.IdOf(f.Units, v) })},
		{Field: field.Field{Key: "site", Label: "Site", Group: "Work", Kind: field.ChoiceField, Choices: field.NamesOf(f.Sites)},
			ByAdding: true, Many: true, Put: func(ctx context.Context, t *app.Turn,
				puts []field.Put) error {
				return putSites(ctx, t, f.Sites, puts)
			}},
		{Field: field.Field{Key: "leads", Label: "Leads", Group: "Work", Kind: field.SetField, Choices: field.NamesOf(f.Units),
			Help: "Crews and departments, apart by commas"},
			May: f.unitsWithin, OfPerson: true, Put: members("unit_lead", "person_id", "unit_id", false,
				func(v string) []uuid.UUID { return field.IdsOf(f.Units, v) })},
		{Field: field.Field{Key: "title", Label: "Title", Group: "Work", Check: field.Text(80)},
			ByLead: true, Self: true, Many: true, Put: employment("title", asIs)},
		{Field: field.Field{Key: "classes", Label: "Classifications", Group: "Work", Kind: field.SetField, Choices: field.NamesOf(classes)},
			Many: true, Put: members("employment_class", "employment_id", "class_id", true, func(v string) []uuid.UUID {
				return field.IdsOf(classes, v)
			})},
		{Field: field.Field{Key: "jobs", Label: "Jobs", Group: "Work", Kind: field.SetField,
			Choices: append(field.Choices("any", "any job"), field.NamesOf(jobs)...), Help: "Numbers apart by commas, or any"},
			Many: true, Put: func(ctx context.Context, t *app.Turn, puts []field.Put) error {
				if err := employment("every_job", func(v string) any { return v == "any" })(ctx, t, puts); err != nil {
					return err
				}
				ids := func(v string) []uuid.UUID { return field.IdsOf(jobs, v) }
				return members("employment_job", "employment_id", "job_id", true, ids)(ctx, t, puts)
			}},
		{Field: field.Field{Key: "starts_on", Label: "Hired", Group: "Work", Kind: field.DateField, Required: true, Check: field.Date},
			Needed: true, ByAdding: true, Put: putHired},
		{Field: field.Field{Key: "ends_on", Label: "Last day", Group: "Work", Kind: field.DateField, Check: field.Date},
			Fixed: true},
		{Field: field.Field{Key: "subcontractor", Label: "Subcontractor", Group: "Pay", Kind: field.ChoiceField, Choices: field.YesNo,
			Help: "Clocks and is costed to jobs, and is in no pay run"},
			Many: true, Dated: true, Terms: true, Put: term(store.TermSubcontractor, yes)},
		{Field: field.Field{Key: "paid_by", Label: "Paid by", Group: "Pay", Kind: field.ChoiceField,
			Choices: field.Choices("hour", "the hour", "salary", "salary")},
			Many: true, Dated: true, Terms: true, Put: term(store.TermHourly, func(v string) any {
				return v == "hour"
			})},
		{Field: field.Field{Key: "salary", Label: "Salary", Group: "Pay", Check: salaryValue,
			Help: "What runs pay who is paid by salary: 52000 a year, exempt (executive); 1040 a month for 40 h a week; 600 a week " +
				"for all hours. Empty: it is paid elsewhere"},
			Selfish: "their own pay", Dated: true, Terms: true, See: "rates.see", Put: term(store.TermSalary, asIs)},
		{Field: field.Field{Key: "rate", Label: "Rate an hour", Group: "Pay", Kind: field.NumberField, Check: field.RateValue},
			Selfish: "their own pay", Dated: true, Many: true, See: "rates.see",
			Put: func(ctx context.Context, t *app.Turn, puts []field.Put) error {
				return store.PutRates(ctx, t, datedOf(puts)...)
			}},
		{Field: field.Field{Key: "pattern", Label: "Working pattern", Group: "Pay", Kind: field.PatternField,
			Help: "Mon–Fri 07:00–15:30 less 0:30; with times, who isn’t here is missed. Mon–Fri 8 without", Check: field.PatternValue},
			Dated: true, Many: true, Put: putPatterns},
		{Field: field.Field{Key: "period_group", Label: "Pay periods", Group: "Pay", Kind: field.ChoiceField, Choices: periods},
			Many: true, Dated: true, Terms: true, Put: inOneCurrency(term(store.TermPeriodGroup, asIs))},
		{Field: field.Field{Key: "overtime_is", Label: "Overtime is", Group: "Pay", Kind: field.ChoiceField,
			Help: "Banked where the rules let it: it comes as time off in the place of pay", Choices: field.Choices("paid", "paid",
				"banked",
				"banked as time off")},
			Many: true, Dated: true, Terms: true, Put: term(store.TermBanks, func(v string) any { return v == "banked" })},
		{Field: field.Field{Key: "pay_way", Label: "Way of being paid", Group: "Pay", Kind: field.ChoiceField, Choices: ways,
			Help: "Ways and the files they go into are set on Pay runs, under Layouts"},
			Many: true, Put: employment("pay_way", asIs)},
		{Field: field.Field{Key: "coding", Label: "An account is", Group: "Pay", Kind: field.ChoiceField,
			Choices: field.Choices("required", "required", "optional", "optional", "absent", "absent")},
			Many: true, Put: employment("coding", asIs)},
		{Field: field.Field{Key: "account", Label: "Account", Group: "Pay",
			Help: "To which payroll books the hours; of a new person that of the crew", Check: field.Text(60)},
			See: "people.change", Many: true, Put: employment("account", asIs)},
		{Field: field.Field{Key: "leave_policy", Label: "Leave policy", Group: "Pay",
			Check: field.Text(60)},
			Many: true, Later: true, Put: employment("leave_policy", asIs)},
		{Field: field.Field{Key: "reporting", Label: "Hours", Group: "Clock",
			Help: "By the pattern: a day on which nothing is clocked is not asked about",
			Kind: field.ChoiceField, Choices: field.Choices("every_hour",
				"every hour is reported", "pattern", "the pattern is paid unless something else is reported")},
			Many: true, Put: employment("reporting", asIs)},
		{Field: field.Field{Key: "own_edits", Label: "Changes own hours", Group: "Clock",
			Help: "When they left is asked of everybody who forgot to clock out",
			Kind: field.ChoiceField, Choices: field.Choices("request", "as a request", "at_once", "at once, until signed", "lead",
				"only through the lead")},
			Many: true, Put: employment("own_edits", asIs)},
		{Field: field.Field{Key: "clock_points", Label: "Clock points", Group: "Clock", Kind: field.SetField, Choices: field.ClockPoints},
			Many: true, Put: employment("clock_points", asIs)},
		{Field: field.Field{Key: "location", Label: "Location", Group: "Clock", Kind: field.ChoiceField, Choices: field.Locations},
			Many: true, Put: employment("location", asIs)},
		{Field: field.Field{Key: "location_required", Label: "A punch needs a location", Group: "Clock", Kind: field.ChoiceField,
			Choices: field.YesNo},
			Many: true, Put: employment("location_required", yes)},
		{Field: field.Field{Key: "pin", Label: "PIN", Group: "Clock", Kind: field.ChoiceField,
			Choices: field.Choices("yes", "set", "no", "not set")},
			Fixed: true},
		{Field: field.Field{Key: "badges", Label: "Badges", Group: "Clock", Check: field.Text(80)},
			Fixed: true, See: "people.change"},
		{Field: field.Field{Key: "mark", Label: "Mark", Group: "Company", Check: mark.Parse, Help: "Two letters and " +
			"plain, bars, lines, slant, dots or checks, such as KP dots: shown where a list or the roster is asked for marks"},
			ByLead: true, Many: true, Put: person("mark")},
		{Field: field.Field{Key: "tags", Label: "Tags", Group: "Company", Help: "Such as: First aid until 2027-03-31, Work at height",
			Check: field.Tags},
			Many: true, Put: func(ctx context.Context, t *app.Turn, puts []field.Put) error {
				return store.PutTags(ctx, t, byPerson(puts, field.ParseTags))
			}},
		{Field: field.Field{Key: "in_reports", Label: "Counted in reports", Group: "Company",
			Kind: field.ChoiceField, Choices: field.YesNo},
			Many: true, Later: true, Put: employment("in_reports", yes)},
		{Field: field.Field{Key: "signs_in", Label: "Signs in", Group: "Company", Kind: field.ChoiceField,
			Choices: field.Choices("yes", "yes", "given", "link given, not used yet", "no", "no")},
			Fixed: true},
		{Field: field.Field{Key: "state", Label: "State", Group: "Company", Kind: field.ChoiceField,
			Choices: field.Choices("here", "works here", "coming", "still to come", "leaving", "is leaving", "ended", "left")},
			Fixed: true},
		{Field: field.Field{Key: "added", Label: "Added", Group: "Company", Kind: field.DateField},
			Fixed: true},
		{Field: field.Field{Key: "last_seen", Label: "Last seen", Group: "Company", Kind: field.DateField},
			Fixed: true},
	}
	return fields
}

// valuesOf gives what a column of people, or of their positions, is to hold.
func valuesOf(puts []field.Put, ofPosition bool, kept func(string) any) []store.Value {
	values := make([]store.Value, len(puts))
	for i, p := range puts {
		values[i] = store.Value{Of: p.Person, To: kept(p.Value)}
		if ofPosition {
			values[i].Of = p.Employment
		}
	}
	return values
}

// datedOf gives the values of dated settings.
func datedOf(puts []field.Put) []store.Dated {
	dated := make([]store.Dated, len(puts))
	for i, p := range puts {
		dated[i] = store.Dated{Employment: p.Employment, From: p.From, Value: p.Value}
	}
	return dated
}

// byPerson reads values that are lists.
func byPerson[T any](puts []field.Put, read func(string) T) map[uuid.UUID]T {
	of := make(map[uuid.UUID]T, len(puts))
	for _, p := range puts {
		of[p.Person] = read(p.Value)
	}
	return of
}

// putPatterns sets working patterns, and works the cards out anew of which
// they say what is expected.
func putPatterns(ctx context.Context, t *app.Turn, puts []field.Put) error {
	if err := store.PutPatterns(ctx, t, datedOf(puts)...); err != nil {
		return err
	}
	cards := store.CardFilter{From: puts[0].From, To: field.Forever, Among: []uuid.UUID{}}
	for _, p := range puts {
		cards.From = min(cards.From, p.From)
		cards.Among = append(cards.Among, p.Employment)
	}
	return hours.Rework(ctx, t, puts[0].Lock(), cards)
}

// putSites moves people to sites, unless hours of theirs were put on days by
// the zone of another.
func putSites(ctx context.Context, t *app.Turn, sites []store.Named, puts []field.Put) error {
	values := valuesOf(puts, true, func(v string) any { return field.IdOf(sites, v) })
	others, err := store.ZonesWouldChange(ctx, t, values)
	if err != nil {
		return err
	}
	for _, p := range puts {
		if slices.Contains(others, p.Employment) {
			return refusal.New("site", p.Value+" is in another zone: hours of "+p.Name()+" were put on days by that of "+p.Values["site"],
				"Add another position there, and end this one")
		}
	}
	return store.SetEmployments(ctx, t, "site_id", values...)
}

// putHired sets the day of hire, which no hours come before: whoever is on the
// clock, or was, would otherwise have worked before they were here.
func putHired(ctx context.Context, t *app.Turn, puts []field.Put) error {
	of := make([]uuid.UUID, len(puts))
	for i, p := range puts {
		of[i] = p.Employment
	}
	first, err := store.FirstWorked(ctx, t, of)
	if err != nil {
		return err
	}
	for _, p := range puts {
		if d, worked := first[p.Employment]; worked && p.Value > d.String() {
			return refusal.New("starts_on", p.Name()+" has hours from "+d.Format("2 January 2006")+" on",
				"Choose that day or an earlier one")
		}
	}
	return store.SetEmployments(ctx, t, "starts_on", valuesOf(puts, true, func(v string) any { return v })...)
}

func ownField(o store.OwnField) field.PersonField {
	f := field.PersonField{Field: field.Own(o.ID.String(), o.Name, o.Kind, o.Choices), Many: true, Own: true, Self: true}
	f.Group = "Company"
	f.Put = func(ctx context.Context, t *app.Turn, puts []field.Put) error {
		return store.PutOwnValues(ctx, t, o.ID, byPerson(puts, func(v string) string { return v }))
	}
	return f
}

// salaryValue reads a salary and writes it as it is kept.
func salaryValue(text string) (string, error) {
	if strings.TrimSpace(text) == "" {
		return "", nil
	}
	terms, err := pay.ParseSalary(text)
	return terms.String(), err
}
