package app

import (
	"context"
	"fmt"
	"net/mail"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/core/clock"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// FieldKind says how a setting is entered.
type FieldKind string

// The kinds.
const (
	TextField    FieldKind = "text"
	ChoiceField  FieldKind = "choice"
	DateField    FieldKind = "date"
	NumberField  FieldKind = "number"
	PatternField FieldKind = "pattern" // seven lengths, Sunday first
	SetField     FieldKind = "set"     // some of a list, apart by commas
)

// Choice is a value that a setting can have, with what it is called.
type Choice struct{ Value, Label string }

// PersonField is one setting of a person. Its value is a text: on the page,
// in the list, in files, in the record of changes.
type PersonField struct {
	Key, Label, Group, Help string
	Kind                    FieldKind
	Choices                 []Choice
	Required                bool
	Dated                   bool   // holds from a date
	Terms                   bool   // dated, and may reach back to the person's last paid day: what was not paid is paid then
	Many                    bool   // can be changed for many people at once
	Fixed                   bool   // shown and not changed here
	Self                    bool   // may be changed of oneself
	See                     string // permission it takes to see it
	Own                     bool   // the company's own

	normal func(string) (string, error) // the value as it is kept; the error says what would be right
	put    func(ctx context.Context, t *Turn, s store.Sheet, value string, from when.Date) error
}

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

// Normal gives a value as it is kept. Its error is a refusal for the field.
func (f *PersonField) Normal(value string) (string, error) {
	value = strings.TrimSpace(value)
	if value == "" && f.Required {
		return "", clock.Refuse(f.Key, f.Label+" is missing", "Write it in")
	}
	if value == "" && f.Kind != SetField && f.Kind != ChoiceField {
		return "", nil
	}
	kept, err := f.normal(value)
	if err != nil {
		return "", clock.Refuse(f.Key, fmt.Sprintf("%s can't be “%s”", f.Label, shorten(value)), strings.ToUpper(err.Error()[:1])+err.Error()[1:])
	}
	return kept, nil
}

func shorten(s string) string {
	if r := []rune(s); len(r) > 40 {
		return string(r[:39]) + "…"
	}
	return s
}

// Show writes a value for people to read.
func (f *PersonField) Show(value string) string {
	switch f.Kind {
	case ChoiceField:
		for _, c := range f.Choices {
			if c.Value == value {
				return c.Label
			}
		}
	case PatternField:
		return patternWords(value)
	}
	return value
}

// Enter writes a value as it is entered and put into files.
func (f *PersonField) Enter(value string) string {
	if f.Kind != PatternField || value == "" {
		return value
	}
	var out []string
	for _, s := range strings.Fields(value) {
		n, _ := strconv.ParseInt(s, 10, 64)
		if n%3600 == 0 {
			out = append(out, strconv.FormatInt(n/3600, 10))
			continue
		}
		out = append(out, fmt.Sprintf("%d:%02d", n/3600, n/60%60))
	}
	return strings.Join(out, " ")
}

var yesNo = []Choice{{"yes", "yes"}, {"no", "no"}}

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
		field := &f.All[i]
		if field.See == "" {
			field.See = "people.see"
		}
		f.index[field.Key] = i
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
		field := &fields[i]
		if field.Kind == "" {
			field.Kind = TextField
		}
		if field.normal == nil {
			field.normal = field.pick
			if field.Kind == SetField {
				field.normal = field.pickSome
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

// forever is later than any date that is worked on.
var forever = when.NewDate(2200, 1, 1)

// ownDevice is the clock point of a person's own phone or browser.
const ownDevice = "own phone or browser"

// clockPoints are what a punch can come from.
var clockPoints = []Choice{{ownDevice, ownDevice}, {"shared terminal", "shared terminal"}, {"badge reader", "badge reader"},
	{"phone line", "phone line"}, {"workstation", "workstation"}, {"crew sheet", "crew sheet"}}

// locations says when where somebody is, is taken.
var locations = []Choice{{"off", "off"}, {"punch", "at each punch"}, {"along", "also along the way"}}

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

// pick takes one of the choices, whatever its case, by value or by label.
func (f PersonField) pick(v string) (string, error) {
	for _, c := range f.Choices {
		if strings.EqualFold(c.Value, v) || strings.EqualFold(c.Label, v) {
			return c.Value, nil
		}
	}
	return "", fmt.Errorf("choose %s", orList(f.Choices))
}

// pickSome takes some of the choices, in their order.
func (f PersonField) pickSome(v string) (string, error) {
	var picked []string
	for _, part := range splitList(v) {
		one, err := f.pick(part)
		if err != nil {
			return "", fmt.Errorf("“%s” is none of them; %w", shorten(part), err)
		}
		if !slices.Contains(picked, one) {
			picked = append(picked, one)
		}
	}
	slices.SortFunc(picked, func(a, b string) int { return f.place(a) - f.place(b) })
	if slices.Contains(picked, "any") {
		return "any", nil
	}
	return strings.Join(picked, ", "), nil
}

func (f PersonField) place(value string) int {
	return slices.IndexFunc(f.Choices, func(c Choice) bool { return c.Value == value })
}

// orList writes choices as "worker, crew lead or manager", the first few.
func orList(choices []Choice) string {
	var labels []string
	for _, c := range choices {
		if c.Value != "" {
			labels = append(labels, c.Label)
		}
	}
	switch n := len(labels); {
	case n == 0:
		return "nothing: there is none yet"
	case n == 1:
		return labels[0]
	case n > 8:
		return strings.Join(labels[:8], ", ") + " or another that there is"
	default:
		return strings.Join(labels[:n-1], ", ") + " or " + labels[n-1]
	}
}

func namesOf(named []store.Named) []Choice {
	choices := make([]Choice, len(named))
	for i, n := range named {
		choices[i] = Choice{n.Name, n.Name}
	}
	return choices
}

func idOf(named []store.Named, name string) uuid.UUID {
	for _, n := range named {
		if n.Name == name {
			return n.ID
		}
	}
	return uuid.Nil
}

func idsOf(named []store.Named, list string) []uuid.UUID {
	ids := []uuid.UUID{}
	for _, name := range splitList(list) {
		if id := idOf(named, name); id != uuid.Nil {
			ids = append(ids, id)
		}
	}
	return ids
}

// splitList takes what is apart by commas or semicolons.
func splitList(text string) []string {
	var parts []string
	for _, p := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ';' }) {
		if p = strings.TrimSpace(p); p != "" {
			parts = append(parts, p)
		}
	}
	return parts
}

func orNull(value string) any {
	if value == "" {
		return nil
	}
	return value
}

func email(v string) (string, error) {
	a, err := mail.ParseAddress(v)
	if err != nil || a.Address != v || !strings.Contains(v, ".") {
		return "", fmt.Errorf("write an address such as name@company.example")
	}
	return v, nil
}

var mobilePattern = regexp.MustCompile(`^\+?[0-9][0-9 ()./-]{4,22}$`)

func mobile(v string) (string, error) {
	if !mobilePattern.MatchString(v) {
		return "", fmt.Errorf("write a number such as +1 555 010 0199")
	}
	return v, nil
}

func zoneName(v string) (string, error) {
	if _, err := time.LoadLocation(v); err != nil || v == "Local" {
		return "", fmt.Errorf("write an IANA zone such as America/New_York")
	}
	return v, nil
}

func date(v string) (string, error) {
	d, err := when.ParseDate(v)
	if err != nil || d < when.NewDate(1900, 1, 1) || d > when.NewDate(2200, 1, 1) {
		return "", fmt.Errorf("write a date as YYYY-MM-DD")
	}
	return d.String(), nil
}

func rateValue(v string) (string, error) {
	r, err := pay.ParseRate(v)
	if err != nil || r < 0 {
		return "", fmt.Errorf("write a sum such as 22.50, not below zero")
	}
	return r.String(), nil
}

// patternValue reads seven lengths, as hours or h:mm, Sunday first, and keeps
// them in seconds.
func patternValue(v string) (string, error) {
	wrong := fmt.Errorf("write seven lengths from Sunday to Saturday, such as 0 8 8 8 8 8 0 or 0:00 7:30 7:30 7:30 7:30 7:30 0:00")
	parts := strings.Fields(strings.ReplaceAll(v, ",", " "))
	if len(parts) != 7 {
		return "", wrong
	}
	for i, p := range parts {
		h, m, colon := strings.Cut(p, ":")
		var seconds int64
		if colon {
			hh, err1 := strconv.Atoi(h)
			mm, err2 := strconv.Atoi(m)
			if err1 != nil || err2 != nil || hh < 0 || mm < 0 || mm > 59 || len(m) != 2 {
				return "", wrong
			}
			seconds = int64(hh*3600 + mm*60)
		} else {
			r, err := pay.ParseRate(p)
			if err != nil || r < 0 {
				return "", wrong
			}
			seconds = int64(r) * 3600 / 1_000_000
		}
		if seconds > 24*3600 {
			return "", wrong
		}
		parts[i] = strconv.FormatInt(seconds, 10)
	}
	return strings.Join(parts, " "), nil
}

// patternWords writes a pattern as "Mon–Fri 8:00".
func patternWords(seconds string) string {
	parts := strings.Fields(seconds)
	if len(parts) != 7 {
		return ""
	}
	parts = append(parts[1:], parts[0]) // Monday first
	names := []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}
	var out []string
	for i := 0; i < 7; {
		j := i
		for j < 6 && parts[j+1] == parts[i] {
			j++
		}
		if n, _ := strconv.Atoi(parts[i]); n > 0 {
			days := names[i]
			if j > i {
				days += "–" + names[j]
			}
			out = append(out, fmt.Sprintf("%s %d:%02d", days, n/3600, n/60%60))
		}
		i = j + 1
	}
	if len(out) == 0 {
		return "no days"
	}
	return strings.Join(out, ", ")
}

func badges(v string) (string, error) {
	codes := splitList(v)
	slices.Sort(codes)
	for _, c := range codes {
		if len(c) > 64 {
			return "", fmt.Errorf("write card numbers of at most 64 characters, apart by commas")
		}
	}
	return strings.Join(slices.Compact(codes), ", "), nil
}

func tags(v string) (string, error) {
	found := parseTags(v)
	for i, t := range found {
		if t.Tag == "" || len(t.Tag) > 60 || strings.Contains(t.Tag, " until ") || strings.HasSuffix(t.Tag, " until") || i > 0 && found[i-1].Tag == t.Tag {
			return "", fmt.Errorf("write each tag once, with a date or without: First aid until 2027-03-31, Work at height")
		}
	}
	return tagsText(found), nil
}

func tagsText(tags []store.Tag) string {
	parts := make([]string, len(tags))
	for i, t := range tags {
		parts[i] = t.Tag
		if t.Expires != nil {
			parts[i] += " until " + t.Expires.String()
		}
	}
	return strings.Join(parts, ", ")
}

// parseTags reads tags, in order of their names. One whose date doesn't read
// keeps it in its name, which tags refuses.
func parseTags(v string) []store.Tag {
	var found []store.Tag
	for _, part := range splitList(v) {
		t := store.Tag{Tag: part}
		if name, until, ok := strings.Cut(part, " until "); ok {
			if d, err := when.ParseDate(strings.TrimSpace(until)); err == nil {
				t.Tag, t.Expires = strings.TrimSpace(name), &d
			}
		}
		found = append(found, t)
	}
	slices.SortFunc(found, func(a, b store.Tag) int { return strings.Compare(a.Tag, b.Tag) })
	return found
}
