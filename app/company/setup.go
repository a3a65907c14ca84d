// Package company holds the rules of the place: settings, sites, crews,
// holidays, overtime rules, the short set-up, samples, and the list of what was
// done.
package company

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	_ "image/jpeg" // marks come as PNG or JPEG
	"image/png"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"github.com/nyaruka/phonenumbers"
	"golang.org/x/image/draw"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/keep"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
)

// companyField is one setting of the place.
type companyField struct {
	field.Of[*app.Company]
	fixed bool // once hours are recorded it stays as it is

	// meets refuses what doesn't meet what was paid, asked once everything that is
	// set together is; nil where nothing can be wrong.
	meets func(ctx context.Context, t *app.Turn) error
}

// companyFields are the settings of a place, in the order of the page.
func companyFields() []companyField {
	type put = func(context.Context, *app.Turn, uuid.UUID, string) error
	column := func(name string) put {
		return func(ctx context.Context, t *app.Turn, _ uuid.UUID, value string) error {
			return store.SetCompany(ctx, t, name, value)
		}
	}
	flag := func(name string) put {
		return func(ctx context.Context, t *app.Turn, _ uuid.UUID, value string) error {
			return store.SetCompany(ctx, t, name, value == "yes")
		}
	}
	minutes := func(key, label, group string, least, most int, kept func(*app.Company) int) companyField {
		f := companyField{}
		f.Field = field.Field{Key: key, Label: label, Group: group, Unit: "minutes", Required: true,
			Check: field.Whole("minutes", least, most, 60)}
		f.Get, f.Put = func(p *app.Company) string { return strconv.Itoa(kept(p) / 60) }, column(key)
		return f
	}
	// A figure holds from the next worked day on; the days before keep theirs.
	figure := func(key, label string, least, most int, in func(*store.Figures) *int) companyField {
		f := minutes(key, label, "Flags", least, most, func(p *app.Company) int {
			newest := p.NewestFigures()
			return *in(&newest)
		})
		f.Put = func(ctx context.Context, t *app.Turn, _ uuid.UUID, value string) error {
			seconds, err := strconv.Atoi(value)
			if err != nil {
				return err
			}
			figures := t.Company.NewestFigures()
			figures.StartsOn = t.Company.Today(t.Now) + 1
			*in(&figures) = seconds
			return store.PutFigures(ctx, t, figures)
		}
		return f
	}
	offable := func(key, label string, in func(*store.Figures) *int) companyField {
		f := figure(key, label, 0, 1440, in)
		f.Help = "0 doesn’t flag it"
		return f
	}
	of := func(f field.Field, put put, get func(*app.Company) string) companyField {
		return companyField{Of: field.Of[*app.Company]{Field: f, Get: get, Put: put}}
	}
	fixed := func(f companyField) companyField { f.fixed = true; return f }
	period := func(f companyField) companyField {
		f.meets = func(ctx context.Context, t *app.Turn) error {
			return payroll.MeetsPaid(ctx, t, f.Key, "", t.Company.Periods())
		}
		return f
	}
	paysFrom := func(f companyField) companyField {
		f.meets = func(ctx context.Context, t *app.Turn) error {
			last, closed, err := store.LastPaidDay(ctx, t)
			if closed && err == nil {
				err = refusal.New("pays_from", "Pay runs are closed up to "+last.Format("2 January 2006"),
					"What they paid was paid here; this stays as it is")
			}
			return err
		}
		return f
	}
	interval := minutes("location_interval", "Locations along the way, every", "Clock", 1, 240,
		func(p *app.Company) int { return p.LocationInterval })
	mostAWeek := minutes("most_a_week", "More in one week than", "Flags", 0, 10080, func(p *app.Company) int { return p.MostAWeek })
	mostAWeek.Help = "0 doesn’t flag it"
	interval.Help = "Only for those whose location is taken along the way"
	fields := []companyField{
		of(field.Field{Key: "name", Label: "Company name", Group: "The place", Required: true, Check: field.Text(80)},
			column("name"), func(p *app.Company) string { return p.Name }),
		of(field.Field{Key: "whom_to_ask", Label: "Whom to ask", Group: "The place", Help: "One line at the foot of every page",
			Check: field.Text(160)}, column("whom_to_ask"), func(p *app.Company) string { return p.WhomToAsk }),
		of(field.Field{Key: "job_word", Label: "Your word for a job", Group: "The place", Help: "Such as job, works order or docket",
			Required: true, Check: field.Text(20)}, column("job_word"), func(p *app.Company) string { return p.JobWord }),
		fixed(of(field.Field{Key: "zone", Label: "Zone", Group: "The place", Help: "An IANA zone such as America/New_York",
			Required: true, Check: field.ZoneName}, column("zone"), func(p *app.Company) string { return p.Zone })),
		of(field.Field{Key: "country", Label: "Country", Group: "The place", Kind: field.ChoiceField, Choices: regions,
			Help: "Telephone numbers without a country are of it"},
			column("country"), func(p *app.Company) string { return p.Country }),
		fixed(of(field.Field{Key: "currency", Label: "Currency", Group: "The place", Help: "Three letters, ISO 4217",
			Required: true, Check: pay.ParseCurrency}, currencyColumn, func(p *app.Company) string { return p.Currency })),
		period(of(field.Field{Key: "period_kind", Label: "Pay period", Group: "Pay", Kind: field.ChoiceField, Choices: payroll.PeriodKinds},
			column("period_kind"), func(p *app.Company) string { return p.PeriodKind })),
		period(of(field.Field{Key: "period_anchor", Label: "A day on which one begins", Group: "Pay", Kind: field.DateField,
			Help: "For weeks and two weeks", Required: true, Check: field.Date},
			column("period_anchor"), func(p *app.Company) string { return p.PeriodAnchor.String() })),
		paysFrom(of(field.Field{Key: "pays_from", Label: "The first day paid here", Group: "Moving in", Kind: field.DateField,
			Check: field.Date,
			Help:  "Hours before it count towards the week’s overtime, and were paid elsewhere. Empty: all are paid here"},
			paysFromColumn, func(p *app.Company) string {
				if p.PaysFrom == nil {
					return ""
				}
				return p.PaysFrom.String()
			})),
		of(field.Field{Key: "sign_required", Label: "Cards are signed", Group: "Pay", Kind: field.ChoiceField,
			Choices: field.Choices("yes", "before they are approved", "no", "not needed")},
			flag("sign_required"), func(p *app.Company) string { return field.Yes(p.SignRequired) }),
		of(field.Field{Key: "codes_required", Label: "Who sees pay signs in with a one-time code", Group: "Pay", Kind: field.ChoiceField,
			Choices: field.Choices("yes", "always", "no", "if they like"), Help: "Owners, and who may see pay rates or run payroll"},
			flag("codes_required"), func(p *app.Company) string { return field.Yes(p.CodesRequired) }),
		minutes("hand_change", "Whoever changes a card by hand doesn't approve it, beyond", "Pay", 0, 1440,
			func(p *app.Company) int { return p.HandChange }),
		of(field.Field{Key: "unsigned_at", Label: "Cards that nobody signed stand out at", Group: "Pay", Required: true,
			Help: "Of the next working day", Check: timeOfDay}, column("unsigned_at"), func(p *app.Company) string {
			return when.TimeOfDay(time.Duration(p.UnsignedAt) * time.Second)
		}),
		of(field.Field{Key: "expense_kinds", Label: "Expenses", Group: "Pay", Check: app.ExpenseKindsValue,
			Help: "Kinds that people may put on their days, each with its pay code: Fuel = FUEL, Parking = PARK. Empty: nobody is asked"},
			column("expense_kinds"), func(p *app.Company) string { return p.ExpenseKinds }),
		of(field.Field{Key: "account_words", Label: "Words for accounts", Group: "Pay", Check: app.AccountWordsValue,
			Help: "A short word for a whole account, where hours are written by hand: paint = 4711-220, lamps = 4720"},
			column("account_words"), func(p *app.Company) string { return p.AccountWords }),
		of(field.Field{Key: "no_account", Label: "Hours without an account", Group: "Pay", Kind: field.ChoiceField,
			Choices: field.Choices("crew", "take that of the crew", "stop", "can’t be signed where one is required")},
			column("no_account"), func(p *app.Company) string { return p.NoAccount }),
		of(field.Field{Key: "second_check", Label: "A pay run is checked by a second person", Group: "Pay", Kind: field.ChoiceField,
			Choices: field.Choices("yes", "before it is closed", "no", "not needed")},
			flag("second_check"), func(p *app.Company) string { return field.Yes(p.SecondCheck) }),
		of(field.Field{Key: "own_pay", Label: "People see what closed runs paid them", Group: "Pay", Kind: field.ChoiceField,
			Choices: field.Choices("yes", "line by line, with why", "no", "no")},
			flag("own_pay"), func(p *app.Company) string { return field.Yes(p.OwnPay) }),
		of(field.Field{Key: "least_wages", Label: "The least an hour is paid", Group: "Pay", Check: payroll.LeastWagesValue,
			Help: "15.00; or of a site, and from a day: 15.00; Harbour yard = 17.25; 15.50 from 2027-01-01. A run says who is paid less"},
			column("least_wages"), func(p *app.Company) string { return p.LeastWages }),
		of(field.Field{Key: "deduct_under", Label: "A deduction that goes below it", Group: "Pay", Kind: field.ChoiceField,
			Choices: field.Choices("refuse", "keeps a run from closing", "warn", "is only said")},
			column("deduct_under"), func(p *app.Company) string { return p.DeductUnder }),
		of(field.Field{Key: "least_salary", Label: "The least an exempt salary is a week", Group: "Pay", Kind: field.NumberField,
			Check: field.RateValue, Help: "684.00 by 29 CFR 541.600; 0 for none"},
			column("least_salary"), func(p *app.Company) string { return p.LeastSalary }),
		of(field.Field{Key: "change_days", Label: "Hours change only by an owner after", Group: "Pay", Unit: "days", Required: true,
			Help: "0 for no limit", Check: field.Whole("days", 0, 3660, 1)},
			column("change_days"), func(p *app.Company) string { return strconv.Itoa(p.ChangeDays) }),
		fixed(of(field.Field{Key: "cut_over", Label: "A worked day ends at", Group: "Pay",
			Help: "Who begins before then works on the day before", Required: true, Check: cutOver},
			column("cut_over"), func(p *app.Company) string { return when.TimeOfDay(time.Duration(p.CutOver) * time.Second) })),
		figure("late_after", "Late after", 0, 240, func(f *store.Figures) *int { return &f.LateAfter }),
		offable("early_after", "Came before the shift by", func(f *store.Figures) *int { return &f.EarlyAfter }),
		offable("left_early", "Left before its end by", func(f *store.Figures) *int { return &f.LeftEarly }),
		offable("left_late", "Left after its end by", func(f *store.Figures) *int { return &f.LeftLate }),
		figure("missing_after", "Missing after", 0, 480, func(f *store.Figures) *int { return &f.MissingAfter }),
		figure("over_plan_after", "Over plan after", 0, 720, func(f *store.Figures) *int { return &f.OverPlanAfter }),
		offable("under_plan", "Under plan after", func(f *store.Figures) *int { return &f.UnderPlan }),
		offable("most_a_day", "More in one day than", func(f *store.Figures) *int { return &f.MostADay }),
		mostAWeek,
		offable("short_stint", "A stint shorter than", func(f *store.Figures) *int { return &f.ShortStint }),
		figure("meal_due_after", "A meal is due after", 60, 720, func(f *store.Figures) *int { return &f.MealDueAfter }),
		figure("meal_waived_up_to", "and not when no more was worked than", 0, 720,
			func(f *store.Figures) *int { return &f.MealWaivedUpTo }),
		figure("longest_shift", "Longest shift", 60, 2880, func(f *store.Figures) *int { return &f.LongestShift }),
		of(field.Field{Key: "new_clock_points", Label: "New people clock at", Group: "Clock", Kind: field.SetField,
			Choices: field.ClockPoints, Help: "Apart by commas; each can be given others"},
			column("new_clock_points"), func(p *app.Company) string { return p.NewClockPoints }),
		of(field.Field{Key: "new_location", Label: "Where new people are is taken", Group: "Clock", Kind: field.ChoiceField,
			Choices: field.Locations}, column("new_location"), func(p *app.Company) string { return p.NewLocation }),
		of(field.Field{Key: "new_pattern", Label: "New people work", Group: "Clock", Kind: field.PatternField, Check: field.PatternValue,
			Help: "Such as Mon–Fri 07:00–15:30 less 0:30. With times, Today says who is missing; empty: nobody is"},
			column("new_pattern"), func(p *app.Company) string { return p.NewPattern }),
		of(field.Field{Key: "lead_times", Label: "Crew leads say times of their crew", Group: "Clock", Kind: field.ChoiceField,
			Choices: field.Choices("no", "no", "yes", "yes"),
			Help:    "When somebody left who forgot to clock out, and days on the crew’s sheet; never of themselves"},
			flag("lead_times"), func(p *app.Company) string { return field.Yes(p.LeadTimes) }),
		of(field.Field{Key: "handover_free", Label: "A shift that is handed over", Group: "Planning", Kind: field.ChoiceField,
			Choices: field.Choices("no", "is the colleague’s once their lead says so", "yes", "is the colleague’s once they agree"),
			Help:    "Until then it is whose it was, and they are missing if nobody comes"},
			flag("handover_free"), func(p *app.Company) string { return field.Yes(p.HandoverFree) }),
		of(field.Field{Key: "plan_seen", Label: "People see the shifts of others", Group: "Planning", Kind: field.ChoiceField,
			Choices: field.Choices("no", "no, their own alone", "yes", "those of their crew", "all", "those of everybody"),
			Help:    "As they were told: the crew a week ahead, everybody day by day"},
			column("plan_seen"), func(p *app.Company) string { return p.PlanSeen }),
		of(field.Field{Key: "notices_off", Label: "People may do without notices of a kind", Group: "Notices", Kind: field.ChoiceField,
			Choices: field.Choices("no", "no", "yes", "yes"),
			Help:    "By which ways each is told, everybody chooses on their own page of notices"},
			flag("notices_off"), func(p *app.Company) string { return field.Yes(p.NoticesOff) }),
		of(field.Field{Key: "queue_limit", Label: "A punch that a phone sends later is a claim after", Group: "Clock", Unit: "hours",
			Required: true, Check: field.Whole("hours", 1, 720, 3600)},
			column("queue_limit"), func(p *app.Company) string { return strconv.Itoa(p.QueueLimit / 3600) }),
		of(field.Field{Key: "swipe_guard", Label: "A card that is swiped again changes nothing for", Group: "Clock", Unit: "seconds",
			Required: true, Check: field.Whole("seconds", 2, 600, 1)},
			column("swipe_guard"), func(p *app.Company) string { return strconv.Itoa(p.SwipeGuard) }),
		of(field.Field{Key: "own_cards", Label: "Numbers of your own cards begin with", Group: "Clock", Check: ownCards,
			Help: "Only where they are taken for payment cards, which are refused; apart by commas"},
			column("own_cards"), func(p *app.Company) string { return p.OwnCards }),
		interval,
		of(field.Field{Key: "location_moved", Label: "and only after moving", Group: "Clock", Unit: "metres", Required: true,
			Check: field.Whole("metres", 0, 100_000, 1)},
			column("location_moved"), func(p *app.Company) string { return strconv.Itoa(p.LocationMoved) }),
		of(field.Field{Key: "keep_years", Label: "Who left is erased after", Group: "Keeping", Unit: "years",
			Help:  "From their last day on. Empty: as long as the law asks; never shorter",
			Check: field.Whole("years", 1, keep.MostYears, 1)},
			keepYears, func(p *app.Company) string { return strconv.Itoa(p.KeptFor()) }),
		of(field.Field{Key: "keep_places", Label: "Where people were is erased after", Group: "Keeping", Unit: "days",
			Help: "From the closing of the run that pays the day", Required: true, Check: field.Whole("days", 1, 365, 1)},
			column("keep_places"), func(p *app.Company) string { return strconv.Itoa(p.KeepPlaces) }),
	}
	for i := range fields {
		fields[i].Of = field.Completed([]field.Of[*app.Company]{fields[i].Of})[0]
	}
	return fields
}

// ownCards reads what the numbers of a place's own cards begin with.
func ownCards(text string) (string, error) {
	prefixes := field.SplitList(text)
	for _, p := range prefixes {
		if len(p) < 4 || len(p) > 12 || strings.Trim(p, "0123456789") != "" {
			return "", fmt.Errorf("write the first 4 to 12 digits, apart by commas")
		}
	}
	return strings.Join(prefixes, ", "), nil
}

// regions are the countries with telephone numbers, by name (ISO 3166, CLDR).
var regions = func() []field.Choice {
	var found []field.Choice
	names := display.English.Regions()
	for code := range phonenumbers.GetSupportedRegions() {
		if region, err := language.ParseRegion(code); err == nil && len(code) == 2 { // 001 is the world's
			found = append(found, field.Choice{Value: code, Label: names.Name(region)})
		}
	}
	slices.SortFunc(found, func(a, b field.Choice) int { return strings.Compare(a.Label, b.Label) })
	return found
}()

// cutOver reads when a worked day ends, and keeps it in seconds.
func cutOver(v string) (string, error) {
	d, err := when.ParseTimeOfDay(v)
	if err != nil || d > 12*time.Hour {
		return "", fmt.Errorf("write a local time from 00:00 to 12:00")
	}
	return strconv.Itoa(int(d / time.Second)), nil
}

// timeOfDay reads a local time of day, and keeps it in seconds.
func timeOfDay(v string) (string, error) {
	d, err := when.ParseTimeOfDay(v)
	if err != nil {
		return "", fmt.Errorf("write a local time such as 10:00")
	}
	return strconv.Itoa(int(d / time.Second)), nil
}

// valuesOf gives settings of the place with their values.
func valuesOf(place *app.Company, n store.SetUp, want func(key string) bool) []field.Value {
	var values []field.Value
	for _, f := range companyFields() {
		if want(f.Key) {
			v := f.In(place)
			v.Stays = f.fixed && n.Punches
			values = append(values, v)
		}
	}
	return values
}

// Setting reads one setting of the place.
func Setting(ctx context.Context, a *app.App, actor app.Actor, key string) (v field.Value, err error) {
	if !actor.May("setup.see") {
		return v, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return v, err
	}
	n, err := store.CountSetUp(ctx, a.DB, place.Today(a.Now()))
	if err != nil {
		return v, err
	}
	values := valuesOf(place, n, func(k string) bool { return k == key })
	if len(values) == 0 {
		return v, app.ErrNotFound
	}
	return values[0], nil
}

// Step is one thing that a place needs, in the order in which they depend on
// each other.
type Step struct {
	Name, What, Href string
	Done             bool
}

// SetUpPage is the page of the place's rules.
type SetUpPage struct {
	Place        *app.Company
	Today        when.Date
	Values       []field.Value
	Steps        []Step
	Next         *Step // the first that is not done
	Paid         when.Date
	Sites        []store.Site
	Units        []store.Unit
	Kinds        []store.Kind
	Own          []store.OwnField // of people
	DayFields    []store.DayField // asked of days, and those that were
	PeriodGroups []store.PeriodGroup

	Unused []PartStanding
	Away   app.Away

	SamplePeople, SampleJobs int
}

// SetUp reads the page of the place's rules.
func SetUp(ctx context.Context, a *app.App, actor app.Actor) (*SetUpPage, error) {
	if !actor.May("setup.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &SetUpPage{Place: place, Today: place.Today(a.Now())}
	n, err := store.CountSetUp(ctx, a.DB, p.Today)
	if err != nil {
		return nil, fmt.Errorf("count what is set up: %w", err)
	}
	if p.Unused, err = unusedParts(ctx, a.DB); err != nil {
		return nil, err
	}
	p.Away = app.Away{}
	for _, part := range p.Unused {
		p.Away[part.Key] = part.Away
	}
	p.Values = valuesOf(place, n, func(key string) bool { return !p.Away.Hides(key) })
	begin, rest := firstSteps(place, n), steps(n) // overtime rules come third, as in the short set-up
	p.Steps = slices.Concat(begin[:2], rest[:1], begin[2:], rest[1:])
	for i := range p.Steps {
		if !p.Steps[i].Done && p.Next == nil {
			p.Next = &p.Steps[i]
		}
	}
	if p.Sites, err = store.AllSites(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.Units, err = store.AllUnits(ctx, a.DB, p.Today); err != nil {
		return nil, err
	}
	if p.Kinds, err = store.AllKinds(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.SamplePeople, p.SampleJobs, err = store.Samples(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.PeriodGroups, err = store.PeriodGroups(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.Own, err = store.OwnFields(ctx, a.DB); err != nil {
		return nil, err
	}
	if p.DayFields, err = store.DayFields(ctx, a.DB, true); err != nil {
		return nil, err
	}
	first, err := app.FirstOpenDay(ctx, a.DB, place, p.Today)
	p.Paid = first - 1
	return p, err
}

// steps says what a place needs before its people can clock in and be paid.
func steps(n store.SetUp) []Step {
	count := func(n int, one, many string) string {
		switch n {
		case 0:
			return "none yet"
		case 1:
			return "1 " + one
		}
		return fmt.Sprintf("%d %s", n, many)
	}
	left := func(n int, without string) string {
		if n == 0 {
			return "everyone has one"
		}
		return fmt.Sprintf("%d without %s", n, without)
	}
	crews := "/setup/on/crews"
	return []Step{
		{"Overtime rules", count(n.Rules, "rule set", "rule sets"), "/setup/rules", n.Rules > 0},
		{"Pay codes", map[bool]string{true: "overtime has its own",
			false: "overtime is paid under the code of regular hours"}[n.OvertimeCode], "/setup/codes", n.OvertimeCode},
		{"Sites", count(n.Sites, "site", "sites"), "/setup/on/sites", n.Sites > 0},
		{"Crews and departments", count(n.Units, "crew or department", "crews and departments"), crews, n.Units > 0},
		{"Who leads them", map[bool]string{true: "every crew has a lead", false: fmt.Sprintf("%d without a lead", n.Leads)}[n.Leads == 0],
			crews, n.Units > 0 && n.Leads == 0},
		{"People", count(n.People, "person", "people"), "/people", n.People > 0},
		{"Working patterns", left(n.Patterns, "a pattern"), "/people?without=pattern", n.People > 0 && n.Patterns == 0},
		{"Pay rates", left(n.Rates, "a rate"), "/people?without=rate", n.People > 0 && n.Rates == 0},
		{"Jobs", count(n.Jobs, "open job", "open jobs"), "/jobs", n.Jobs > 0},
		{"Passwords", left(n.Unwelcomed, "a password"), "/people?without=sign-in", n.People > 0 && n.Unwelcomed == 0},
		{"A second owner", map[bool]string{true: count(n.Owners, "owner", "owners"),
			false: "one alone closes no run that pays them, and nobody helps when they lose their phone"}[n.Owners > 1],
			"/people?level=owner", n.Owners > 1},
		{"The first punch", map[bool]string{true: "people clock in", false: "nobody has clocked in yet"}[n.Began], "/today", n.Began},
	}
}

// SetCompany changes one setting of the place.
type SetCompany struct{ Field, Value string }

// Permission is the act's name in the permission table.
func (SetCompany) Permission() string { return "setup.change" }

func (s SetCompany) Do(ctx context.Context, t *app.Turn) error {
	f, err := s.set(ctx, t)
	if err != nil || f.meets == nil {
		return err
	}
	return f.meets(ctx, t)
}

// set sets the setting and reads the settings anew. Whether it meets what was
// paid is asked once all that is set together is.
func (s SetCompany) set(ctx context.Context, t *app.Turn) (companyField, error) {
	fields := companyFields()
	i := slices.IndexFunc(fields, func(f companyField) bool { return f.Key == s.Field })
	if i < 0 {
		return companyField{}, app.ErrNotFound
	}
	f := fields[i]
	value, err := f.Normal(s.Value)
	if err != nil {
		return f, err
	}
	n, err := store.CountSetUp(ctx, t, t.Company.Today(t.Now))
	if err != nil {
		return f, err
	}
	if f.fixed && n.Punches {
		return f, refusal.New(f.Key, f.Label+" stays as it is: hours were recorded by it", "Ask for a new place if the company moved")
	}
	old := f.Get(t.Company)
	if err := f.Put(ctx, t, uuid.Nil, value); err != nil {
		return f, err
	}
	if shown := strings.TrimSpace(s.Value); shown != old {
		t.RecordSetting(uuid.Nil, map[string]any{"field": f.Label, "from": old, "to": shown})
	}
	return f, t.Refresh(ctx)
}

// markSize is the largest side of a mark as it is kept, in pixels.
const markSize = 256

// SetMark sets the company's mark from an uploaded PNG or JPEG.
type SetMark struct{ Image []byte }

// Permission is the act's name in the permission table.
func (SetMark) Permission() string { return "setup.change" }

func (s SetMark) Do(ctx context.Context, t *app.Turn) error {
	kept, err := shrink(s.Image)
	if err != nil {
		return refusal.New("mark", "This is not a picture that can be used", "Choose a PNG or JPEG of at most 4000 by 4000 pixels")
	}
	if err := store.SetCompany(ctx, t, "mark", kept); err != nil {
		return err
	}
	t.RecordSetting(uuid.Nil, map[string]any{"field": "mark", "to": fmt.Sprintf("%d bytes", len(kept))})
	return nil
}

// shrink reads a picture by its content, and makes a PNG of at most markSize.
func shrink(raw []byte) ([]byte, error) {
	size, _, err := image.DecodeConfig(bytes.NewReader(raw))
	if err != nil || size.Width > 4000 || size.Height > 4000 || size.Width < 1 || size.Height < 1 {
		return nil, fmt.Errorf("size %dx%d: %w", size.Width, size.Height, err)
	}
	from, _, err := image.Decode(bytes.NewReader(raw))
	if err != nil {
		return nil, err
	}
	w, h := size.Width, size.Height
	if most := max(w, h); most > markSize {
		w, h = max(1, w*markSize/most), max(1, h*markSize/most)
	}
	to := image.NewNRGBA(image.Rect(0, 0, w, h))
	draw.CatmullRom.Scale(to, to.Bounds(), from, from.Bounds(), draw.Src, nil)
	var b bytes.Buffer
	err = png.Encode(&b, to)
	return b.Bytes(), err
}

// Mark gives the company's mark, a PNG. ErrNotFound when it has none.
func Mark(ctx context.Context, a *app.App) ([]byte, error) {
	png, err := store.CompanyMark(ctx, a.DB)
	if err == nil && len(png) == 0 {
		return nil, app.ErrNotFound
	}
	return png, err
}

// SetMap sets what is drawn beneath maps: GeoJSON, see [files.ReadMap]. Empty
// data takes it out.
type SetMap struct{ GeoJSON []byte }

// Permission is the act's name in the permission table.
func (SetMap) Permission() string { return "setup.change" }

func (s SetMap) Do(ctx context.Context, t *app.Turn) error {
	var kept any
	words := "none"
	if len(s.GeoJSON) > 0 {
		shapes, err := files.ReadMap(s.GeoJSON)
		if err != nil {
			return refusal.New("map", app.Capital(err.Error()), "Send a file that a map program exports as GeoJSON")
		}
		kept, words = string(s.GeoJSON), fmt.Sprintf("%d areas and lines", len(shapes))
	}
	if err := store.SetCompany(ctx, t, "map", kept); err != nil {
		return err
	}
	t.RecordSetting(uuid.Nil, map[string]any{"field": "map", "to": words})
	return nil
}

// RulesPage is the page of the dated rule sets.
type RulesPage struct {
	Place *app.Company
	Today when.Date
	Sets  []store.RuleSet
	First when.Date // the earliest day from which a new one may hold
	Paid  when.Date
}

// ReadRulesPage reads the dated rule sets.
func ReadRulesPage(ctx context.Context, a *app.App, actor app.Actor) (*RulesPage, error) {
	if !actor.May("setup.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &RulesPage{Place: place, Today: place.Today(a.Now()), Sets: place.Rules}
	open, err := app.FirstOpenDay(ctx, a.DB, place, p.Today)
	if err != nil {
		return nil, err
	}
	p.Paid = open - 1
	p.First = app.NextWeek(place, max(open, p.Today+1))
	return p, nil
}

// Trial is what a rule set would do, held against what is in force, on a
// sample week.
type Trial struct {
	Now, Then TrialSide
	Wrong     []pay.FieldError
}

// TrialSide is the sample week by one rule set.
type TrialSide struct {
	Name   string
	Result pay.Explained
}

// TryRules works the sample week out by the rules in force on a date and by
// those given.
func TryRules(ctx context.Context, a *app.App, actor app.Actor, name string, from when.Date, rules json.RawMessage) (*Trial, error) {
	if !actor.May("setup.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	then, wrong := store.ParseRuleSet(rules, place.Company, place.Holidays)
	if len(wrong) > 0 {
		return &Trial{Wrong: wrong}, nil
	}
	now, nowName := pay.DefaultRules(place.Loc), "no rules"
	if set := place.RuleSetOn(from); set != nil {
		now, nowName = set.Rules, set.Name
	}
	t := &Trial{Now: TrialSide{Name: nowName}, Then: TrialSide{Name: name}}
	for _, side := range []struct {
		into  *TrialSide
		rules pay.Rules
	}{{&t.Now, now}, {&t.Then, then}} {
		var r pay.Reckoner
		side.rules.Name = ""
		if side.into.Result, err = r.Explain(pay.Input{Rules: side.rules,
			Stints: sampleWeek(place.Loc, then.FirstDay(from), max(now.WeekDays(), then.WeekDays()) > 7)}); err != nil {
			return nil, err
		}
	}
	return t, nil
}

// sampleWeek is a week that most rules touch: long days, a double shift, a
// night over midnight, work on all seven days. Two is followed by a plain week,
// for rules that count over a fortnight.
func sampleWeek(loc *time.Location, first when.Date, two bool) []pay.Stint {
	var stints []pay.Stint
	add := func(day int, kind clock.Kind, from, to float64) {
		at := func(h float64) time.Time {
			d := first + when.Date(day)
			for h >= 24 {
				d, h = d+1, h-24
			}
			return d.At(time.Duration(h*3600)*time.Second, loc)
		}
		stints = append(stints,
			pay.Stint{ID: fmt.Sprintf("day %d", day+1), Kind: kind, Start: at(from), End: at(to), Rate: 24_000_000,
				PayCode: payroll.DefaultPayCode})
	}
	type sampleDay struct{ from, meal, to float64 }
	days := []sampleDay{{8, 12, 12.5}, {7, 11.5, 16.5}, {7, 12, 20}, {7, 12, 16}, {7, 12, 16}, {18, 22, 28}, {8, 0, 12}}
	if two {
		plain := sampleDay{7, 11.5, 15.5}
		days = append(days, sampleDay{}, plain, plain, plain, plain, plain)
	}
	for day, d := range days {
		if d.to == 0 {
			continue // a day off
		}
		if d.meal == 0 {
			add(day, clock.Work, d.from, d.to)
			continue
		}
		add(day, clock.Work, d.from, d.meal)
		if d.to-d.meal > 1 {
			add(day, clock.Meal, d.meal, d.meal+.5)
			add(day, clock.Work, d.meal+.5, d.to)
		}
	}
	return stints
}

// PutRules makes a rule set hold from a workweek on, or changes one that has
// not begun.
type PutRules struct {
	ID    uuid.UUID
	Title string
	From  when.Date
	Rules json.RawMessage
}

// Permission is the act's name in the permission table.
func (PutRules) Permission() string { return "setup.change" }

func (p PutRules) Do(ctx context.Context, t *app.Turn) error {
	p.Title = strings.TrimSpace(p.Title)
	if p.Title == "" || utf8.RuneCountInString(p.Title) > 80 {
		return refusal.New("title", "The rule set has no name", "Write one of at most 80 characters")
	}
	rules, wrong := store.ParseRuleSet(p.Rules, t.Company.Company, nil)
	if len(wrong) > 0 {
		return refusal.New(wrong[0].Field, fmt.Sprintf("%s is %s", wrong[0].Field, wrong[0].Value),
			strings.ToUpper(wrong[0].Right[:1])+wrong[0].Right[1:])
	}
	if err := mayHoldFrom(ctx, t, p.From, rules); err != nil {
		return err
	}
	old := "no rules"
	if set := t.Company.RuleSetOn(p.From); set != nil {
		old = set.Name
	}
	if err := store.PutRuleSet(ctx, t, p.ID, p.Title, p.From, p.Rules); err != nil {
		return err
	}
	t.RecordSetting(p.ID, map[string]any{"field": "Overtime rules from " + p.From.String(), "from": old, "to": p.Title, "rules": p.Rules})
	return breaksChanged(ctx, t, p.From)
}

// breaksChanged works cards out anew where the rule sets, as they are now,
// judge breaks from a date on otherwise than before.
func breaksChanged(ctx context.Context, t *app.Turn, from when.Date) error {
	before := t.Company.LimitsOn(from)
	var err error
	if t.Company.Rules, err = store.RuleSets(ctx, t, t.Company.Company); err != nil || t.Company.LimitsOn(from) == before {
		return err
	}
	return hours.ReworkAll(ctx, t, store.CardFilter{From: from, To: field.Forever})
}

// mayHoldFrom refuses a day from which a rule set can't hold: within a workweek by the new rules, or
// within an overtime period, or over what was paid. A workweek may begin within one by the rules
// before: see [pay.Reckoner.ReckonDated].
func mayHoldFrom(ctx context.Context, t *app.Turn, from when.Date, rules pay.Rules) error {
	today := t.Company.Today(t.Now)
	open, err := app.FirstOpenDay(ctx, t, t.Company, today)
	switch {
	case err != nil:
		return err
	case from < open:
		return refusal.New("from", "That was paid already: pay runs are closed up to "+(open-1).Format("2 January 2006"),
			"Let the rules hold from a later workweek")
	case rules.FirstDay(from) != from:
		return refusal.New("from", from.Format("Monday 2 January")+" is within a workweek",
			"Let the rules hold from "+(rules.FirstDay(from)+rules.WeekDays()).Format("Monday 2 January 2006"))
	}
	set := t.Company.RuleSetOn(from - 1)
	if set != nil && set.From < from && set.Rules.FirstDay(from) != from && (set.Rules.Period.Days > 0 || rules.Period.Days > 0) {
		return refusal.New("from", from.Format("Monday 2 January")+" is within a workweek or an overtime period of the rules before",
			"Let the rules hold from "+(set.Rules.FirstDay(from)+set.Rules.WeekDays()).Format("Monday 2 January 2006"))
	}
	return nil
}

// DropRules takes a rule set out that has not been paid by.
type DropRules struct{ From when.Date }

// Permission is the act's name in the permission table.
func (DropRules) Permission() string { return "setup.change" }

func (d DropRules) Do(ctx context.Context, t *app.Turn) error {
	open, err := app.FirstOpenDay(ctx, t, t.Company, t.Company.Today(t.Now))
	switch {
	case err != nil:
		return err
	case d.From < open:
		return refusal.New("from", "Hours were paid by these rules", "Add a rule set that holds from a later workweek")
	}
	dropped, err := store.DropRuleSet(ctx, t, d.From)
	if err == nil && !dropped {
		return app.ErrNotFound
	}
	if err == nil {
		t.RecordSetting(uuid.Nil,
			map[string]any{"field": "Overtime rules from " + d.From.String(), "from": "in force from then", "to": "taken out"})
		err = breaksChanged(ctx, t, d.From)
	}
	return err
}

// currencyColumn sets the currency, and how many decimals its sums have.
func currencyColumn(ctx context.Context, t *app.Turn, _ uuid.UUID, value string) error {
	if err := store.SetCompany(ctx, t, "currency", value); err != nil {
		return err
	}
	return store.SetCompany(ctx, t, "currency_decimals", pay.CurrencyDecimals(value))
}

func paysFromColumn(ctx context.Context, t *app.Turn, _ uuid.UUID, value string) error {
	return store.SetCompany(ctx, t, "pays_from", field.OrNull(value))
}

// keepYears keeps for how many years those who left are kept, never fewer than the
// law of the country asks; nothing is as long as that.
func keepYears(ctx context.Context, t *app.Turn, _ uuid.UUID, value string) error {
	rule := keep.Of(t.Company.Country)
	if n, err := strconv.Atoi(value); value != "" && err == nil && n < rule.Years {
		return refusal.New("keep_years", fmt.Sprintf("Records are kept for %d years at least. %s", rule.Years, rule.Source),
			"Write that many years or more, or nothing")
	}
	return store.SetCompany(ctx, t, "keep_years", field.OrNull(value))
}

// GroupOf is the group of a setting of the company, "" where there is none of that
// key.
func GroupOf(key string) string {
	for _, f := range companyFields() {
		if f.Key == key {
			return f.Group
		}
	}
	return ""
}

// Keeping is how long what is known is kept here, and what was erased lately.
type Keeping struct {
	Rule     keep.Rule
	Years    int
	Due      people.Due
	Erasures []store.Erasure
}

// ReadKeeping reads that.
func ReadKeeping(ctx context.Context, a *app.App, actor app.Actor) (*Keeping, error) {
	if !actor.May("setup.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	k := &Keeping{Rule: keep.Of(place.Country), Due: people.DueAt(place, a.Now())}
	k.Years = place.KeptFor()
	k.Erasures, err = store.Erasures(ctx, a.DB, 30)
	return k, err
}
