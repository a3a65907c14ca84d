// Package jobs holds jobs and their tasks, wage determinations and customers,
// and files of them.
package jobs

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/payroll"
	"manudex/core/geo"
	"manudex/core/mark"
	"manudex/core/pay"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
)

// Jobs is a list of jobs.
type Jobs struct {
	Jobs      []store.Job
	Total     int
	Counts    []store.JobCount // by state and site; of the first piece
	Sites     []store.Named
	MayChange bool
	Kinds     []store.Named
}

// ReadJobs reads a piece of the list of jobs.
func ReadJobs(ctx context.Context, a *app.App, actor app.Actor, f store.JobFilter, offset int) (*Jobs, error) {
	if !actor.May("jobs.see") {
		return nil, app.ErrForbidden
	}
	if f.Sort != "" && !slices.Contains(store.JobSorts(), f.Sort) {
		return nil, app.ErrNotFound
	}
	l := &Jobs{MayChange: actor.May("jobs.change")}
	var err error
	if offset == 0 {
		if l.Counts, err = store.CountJobs(ctx, a.DB, f); err != nil {
			return nil, err
		}
	}
	if l.Sites, err = store.Sites(ctx, a.DB); err != nil {
		return nil, err
	}
	if l.Kinds, err = store.JobKinds(ctx, a.DB); err != nil {
		return nil, err
	}
	l.Jobs, l.Total, err = store.Jobs(ctx, a.DB, f, offset, app.PageRows)
	return l, err
}

// Beside gives which jobs stand before and after one in a list, the zero id for
// none.
func Beside(ctx context.Context, a *app.App, actor app.Actor, f store.JobFilter, job uuid.UUID) (before, after uuid.UUID, err error) {
	switch {
	case !actor.May("jobs.see"):
		return before, after, app.ErrForbidden
	case f.Sort != "" && !slices.Contains(store.JobSorts(), f.Sort):
		return before, after, app.ErrNotFound
	}
	return store.BesideJob(ctx, a.DB, f, job)
}

// JobPage is a job's own page.
type JobPage struct {
	store.Job
	Tasks    []TaskRow
	OpenTo   []store.OpenTo
	CanClock int // people

	Unclassed store.Unclassed // of public work: hours that are approved and not at its rates
	Wages     []store.Wage
	Today     when.Date

	MaySeeWages bool // and change them
	Fields      []field.Value
	Units       []store.Named
	Sites       []store.Named
	Classes     []store.Named // by code
	ClassNames  []store.Named
	Codes       []payroll.CodeUse   // pay codes: what will be used and why
	OwnCodes    []payroll.CodeValue // those that the job names
	CodesFrom   when.Date           // the first day from which it may name another
	CostCodes   []store.CostCode
	Weeks       []store.JobWeek // the last ones, the present one at the end; those without hours between them too
	Now         []store.OnJob   // on it now, as far as the actor may see
	Loc         *time.Location
	Where       *store.Fence // its own place or that of its site, nil for none
	SitePlaces  []store.Site
	Map         []geo.Shape // drawn beneath
	MayChange   bool
	Away        app.Away // parts that are put away
	Outputs     []Output // what was counted on it
}

// ReadJobPage reads a job.
func ReadJobPage(ctx context.Context, a *app.App, actor app.Actor, id uuid.UUID) (*JobPage, error) {
	if !actor.May("jobs.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &JobPage{MayChange: actor.May("jobs.change"), Today: place.Today(a.Now())}
	if p.Job, err = store.GetJob(ctx, a.DB, id); store.NotFound(err) {
		return nil, app.ErrNotFound
	} else if err != nil {
		return nil, err
	}
	if err := p.readWeeks(ctx, a, place); err != nil {
		return nil, err
	}
	tasks, err := store.Tasks(ctx, a.DB, id)
	if err != nil {
		return nil, err
	}
	p.Tasks = underOne(tasks)
	if p.OpenTo, err = store.OpenTos(ctx, a.DB, id); err != nil {
		return nil, err
	}
	if p.PublicWork {
		if p.Unclassed, err = store.GetUnclassed(ctx, a.DB, id); err != nil {
			return nil, err
		}
	}
	if p.CanClock, err = store.CountOpenTo(ctx, a.DB, id, place.Today(a.Now())); err != nil {
		return nil, err
	}
	if p.MaySeeWages = actor.Scope("rates.see") == app.All; !p.MaySeeWages {
		// A determination is pay.
	} else if p.Wages, err = store.Wages(ctx, a.DB, id); err != nil {
		return nil, err
	}
	for _, list := range []struct {
		into *[]store.Named
		read func(context.Context, store.Q) ([]store.Named, error)
	}{{&p.Units, store.Units}, {&p.Sites, store.Sites}, {&p.Classes, store.Classes}, {&p.ClassNames, store.ClassNames}} {
		if *list.into, err = list.read(ctx, a.DB); err != nil {
			return nil, err
		}
	}
	if err := jobCodes(ctx, a, actor, place, p); err != nil {
		return nil, err
	}
	p.Loc = place.Loc
	if p.Running > 0 {
		if p.Now, err = store.RunningOn(ctx, a.DB, id); err != nil {
			return nil, err
		}
		p.Now = slices.DeleteFunc(p.Now, func(o store.OnJob) bool { return !actor.Reaches("today.see", o.Person, o.Unit) })
	}
	where, err := store.Fences(ctx, a.DB, []uuid.UUID{id})
	if err != nil {
		return nil, err
	}
	if len(where) > 0 {
		p.Where = &where[0]
	}
	if p.SitePlaces, err = store.AllSites(ctx, a.DB); err != nil {
		return nil, err
	}
	p.Map = place.Map
	if err := p.outputs(ctx, a.DB); err != nil {
		return nil, err
	}
	fields, err := jobFields(ctx, a.DB)
	if p.Away, err = app.ReadAway(ctx, a.DB); err != nil {
		return nil, err
	}
	fields = slices.DeleteFunc(fields, func(f jobField) bool { return p.Away.Hides(f.Key) })
	p.Fields = field.ValuesIn(fields, p.Job)
	return p, err
}

// weeksShown is how many weeks the picture of a job has at most.
const weeksShown = 12

// Output is what was counted on a job or one of its tasks, beside the hours of those who
// counted.
type Output struct {
	Name string // of the task, "" for the job
	store.Output
}

// Each gives the hours that one of what is counted took, in seconds; 0 where nothing was done.
func (o Output) Each() int64 {
	if !o.Amount.IsPositive() {
		return 0
	}
	return decimal.NewFromInt(o.Seconds).Div(o.Amount).Round(0).IntPart()
}

func (p *JobPage) outputs(ctx context.Context, q store.Q) error {
	found, err := store.OutputOf(ctx, q, p.Job.ID)
	for _, o := range found {
		out := Output{Output: o}
		for _, t := range p.Tasks {
			if o.Task != nil && t.ID == *o.Task {
				out.Name = t.Name
			}
		}
		p.Outputs = append(p.Outputs, out)
	}
	return err
}

// readWeeks reads the job's last weeks, from the first in which somebody worked.
func (p *JobPage) readWeeks(ctx context.Context, a *app.App, place *app.Company) error {
	last := place.WeekOf(p.Today)
	worked, err := store.JobWeeks(ctx, a.DB, p.Job.ID, last-7*(weeksShown-1))
	if err != nil || len(worked) == 0 {
		return err
	}
	for from := worked[0].From; from <= last; from += 7 {
		week := store.JobWeek{From: from}
		if worked[0].From == from {
			week = worked[0]
			worked = append(worked[1:], store.JobWeek{})
		}
		p.Weeks = append(p.Weeks, week)
	}
	return nil
}

// jobCodes reads which pay codes the hours of a job get, and which cost codes
// its tasks may have.
func jobCodes(ctx context.Context, a *app.App, actor app.Actor, place *app.Company, p *JobPage) error {
	today := place.Today(a.Now())
	all, rows, err := payroll.ReadCodes(ctx, a.DB)
	if err != nil {
		return err
	}
	kinds, err := store.JobKinds(ctx, a.DB)
	if err != nil {
		return err
	}
	job, kind := p.Job.ID.String(), ""
	if p.Kind != "" {
		kind = field.IdOf(kinds, p.Kind).String()
	}
	now := payroll.CodesOn(all, today)
	p.Codes = payroll.CodeUses(now, rows, payroll.WhoNames("", job, kind, ""), actor.Scope("people.see") == app.All)
	p.OwnCodes = payroll.ValuesOf(now, pay.CodeKey{Owner: pay.ByJob, ID: job}, 3)
	if p.CodesFrom, err = app.FirstOpenDay(ctx, a.DB, place, today); err != nil {
		return err
	}
	p.CostCodes, err = store.CostCodes(ctx, a.DB)
	return err
}

// ReadSetting reads one setting of a job.
func ReadSetting(ctx context.Context, a *app.App, actor app.Actor, job uuid.UUID, key string) (v field.Value, err error) {
	if !actor.May("jobs.see") {
		return v, app.ErrForbidden
	}
	j, err := store.GetJob(ctx, a.DB, job)
	if store.NotFound(err) {
		return v, app.ErrNotFound
	} else if err != nil {
		return v, err
	}
	fields, err := jobFields(ctx, a.DB)
	if err != nil {
		return v, err
	}
	f, err := field.Find(fields, key)
	if err != nil {
		return v, err
	}
	return f.In(j), nil
}

// CanClock counts who can clock to a job today.
func CanClock(ctx context.Context, a *app.App, actor app.Actor, job uuid.UUID) (int, error) {
	if !actor.May("jobs.see") {
		return 0, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return 0, err
	}
	return store.CountOpenTo(ctx, a.DB, job, place.Today(a.Now()))
}

// jobField is one setting of a job.
type jobField = field.Of[store.Job]

// jobFields are the settings of jobs, with what their values may name.
func jobFields(ctx context.Context, q store.Q) ([]jobField, error) {
	sites, err := store.Sites(ctx, q)
	if err != nil {
		return nil, err
	}
	kinds, err := store.JobKinds(ctx, q)
	if err != nil {
		return nil, err
	}
	customers, err := store.Customers(ctx, q)
	if err != nil {
		return nil, err
	}
	tagNames, err := store.TagNames(ctx, q)
	if err != nil {
		return nil, err
	}
	var proposals []string
	for _, c := range customers {
		proposals = append(proposals, c.Name)
	}
	column := func(name string) func(context.Context, *app.Turn, uuid.UUID, string) error {
		return func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
			return store.SetJob(ctx, t, job, name, field.OrNull(value))
		}
	}
	flag := func(name string) func(context.Context, *app.Turn, uuid.UUID, string) error {
		return func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
			return store.SetJob(ctx, t, job, name, value == "yes")
		}
	}
	none := field.Choice{Value: "", Label: "none"}
	fields := []jobField{
		{Field: field.Field{Key: "number", Label: "Number", Required: true, Check: field.Text(20)},
			Put: column("number"), Get: func(j store.Job) string { return j.Number }},
		{Field: field.Field{Key: "name", Label: "Name", Required: true, Check: field.Text(120)},
			Put: column("name"), Get: func(j store.Job) string { return j.Name }},
		{Field: field.Field{Key: "customer", Label: "Customer", Help: "Empty: the company's own work",
			List: proposals, Check: field.Text(120)},
			Get: func(j store.Job) string {
				return j.Customer
			}, Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				id, err := store.CustomerID(ctx, t, value)
				if err != nil {
					return err
				}
				return store.SetJob(ctx, t, job, "customer_id", idOrNull(id))
			}},
		{Field: field.Field{Key: "site", Label: "Site", Kind: field.ChoiceField,
			Choices: append([]field.Choice{none}, field.NamesOf(sites)...)},
			Get: func(j store.Job) string {
				return j.Site
			}, Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				return store.SetJob(ctx, t, job, "site_id", idOrNull(field.IdOf(sites, value)))
			}},
		{Field: field.Field{Key: "kind", Label: "Kind", Kind: field.ChoiceField,
			Choices: append([]field.Choice{none}, field.NamesOf(kinds)...)},
			Get: func(j store.Job) string {
				return j.Kind
			}, Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				paid, found, err := store.LastPaidDay(ctx, t)
				if err != nil {
					return err
				}
				if found { // pay codes of what is paid stay those of the kind it was
					if err := store.PutKindWas(ctx, t, job, paid+1); err != nil {
						return err
					}
				}
				return store.SetJob(ctx, t, job, "kind_id", idOrNull(field.IdOf(kinds, value)))
			}},
		{Field: field.Field{Key: "place",
			Label: "Place on the map", Help: "Latitude, longitude and fence in metres; empty: that of the site",
			Check: placeValue},
			Get: func(j store.Job) string {
				return placeText(j.Lat, j.Lon, j.Fence)
			}, Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				lat, lon, fence, _ := readPlaceText(value) // placeValue read it
				return store.PutFence(ctx, t, job, lat, lon, fence)
			}},
		{Field: field.Field{Key: "tags",
			Label: "Tags needed", Help: "Apart by commas. Shown before somebody without them has a shift on it",
			List: tagNames, Check: neededTags},
			Get: func(j store.Job) string {
				return j.Tags
			}, Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				return store.PutJobTags(ctx, t, job, field.SplitList(value))
			}},
		{Field: field.Field{Key: "state", Label: "State", Kind: field.ChoiceField,
			Choices: field.Choices("open", "open", "closed", "closed")},
			Put: closeJob, Get: func(j store.Job) string { return j.State }},
		{Field: field.Field{Key: "starts_on", Label: "From", Kind: field.DateField, Check: field.Date},
			Put: column("starts_on"), Get: func(j store.Job) string { return dateText(j.StartsOn) }},
		{Field: field.Field{Key: "ends_on", Label: "To", Kind: field.DateField, Check: field.Date},
			Put: column("ends_on"), Get: func(j store.Job) string { return dateText(j.EndsOn) }},
		{Field: field.Field{Key: "open_to_all", Label: "Who may clock to it", Kind: field.ChoiceField,
			Choices: field.Choices("yes", "everyone", "no", "only those listed")},
			Put: flag("open_to_all"), Get: func(j store.Job) string { return field.Yes(j.OpenToAll) }},
		{Field: field.Field{Key: "billable", Label: "Billable", Kind: field.ChoiceField, Choices: field.YesNo},
			Put: flag("billable"), Get: func(j store.Job) string { return field.Yes(j.Billable) }},
		{Field: field.Field{Key: "billing_asked", Label: "Whoever clocks says whether it is billed", Kind: field.ChoiceField,
			Choices: field.YesNo}, Put: flag("billing_asked"), Get: func(j store.Job) string { return field.Yes(j.BillingAsked) }},
		{Field: field.Field{Key: "bill_rate", Label: "Billed an hour", Kind: field.NumberField, Check: field.RateValue},
			Put: column("bill_rate"), Get: func(j store.Job) string { return payroll.TrimRate(j.BillRate) }},
		{Field: field.Field{Key: "budget", Label: "Budget, hours", Kind: field.NumberField, Check: hoursValue},
			Get: func(j store.Job) string {
				return hoursText(j.Budget)
			}, Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				return store.SetJob(ctx, t, job, "budget_seconds", secondsOrNull(value))
			}},
		{Field: field.Field{Key: "travel", Label: "Travel between sites", Kind: field.ChoiceField, Choices: field.YesNo,
			Help: "One press on a phone puts somebody on it"},
			Put: flag("travel"), Get: func(j store.Job) string { return field.Yes(j.Travel) }},
		{Field: field.Field{Key: "counted_in", Label: "Counted beside the hours, in", Check: field.Text(20),
			Help: "Such as signs or m: crew sheets ask how many were done on a day"},
			Get: func(j store.Job) string { return j.CountedIn },
			Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				return store.SetJob(ctx, t, job, "counted_in", value)
			}},
		{Field: field.Field{Key: "job_account", Label: "Account", Check: field.Text(60),
			Help: "To which its hours are booked, whosever they are"},
			Get: func(j store.Job) string { return j.Account },
			Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				return store.SetJob(ctx, t, job, "account", value)
			}},
		{Field: field.Field{Key: "mark", Label: "Mark", Check: mark.Parse,
			Help: "Two letters and plain, bars, lines, slant, dots or checks, such as KP dots"},
			Get: func(j store.Job) string { return j.Mark },
			Put: func(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
				return store.SetJob(ctx, t, job, "mark", value)
			}},
		{Field: field.Field{Key: "public_work", Label: "Public work", Kind: field.ChoiceField, Choices: field.YesNo,
			Help: "Prevailing wage: whoever clocks in chooses a classification"},
			Put: flag("public_work"), Get: func(j store.Job) string { return field.Yes(j.PublicWork) }},
	}
	return field.Completed(fields), nil
}

func idOrNull(id uuid.UUID) any {
	if id == uuid.Nil {
		return nil
	}
	return id
}

// readPlaceText reads "40.118, -50.221, 150": latitude and longitude in
// degrees, and a fence in metres that may be left out.
func readPlaceText(v string) (lat, lon *float64, fence float64, err error) {
	if v == "" {
		return nil, nil, 0, nil
	}
	wrong := fmt.Errorf("write latitude, longitude and a fence in metres, such as 40.118, -50.221, 150")
	parts := strings.FieldsFunc(v, func(r rune) bool { return r == ',' || r == ' ' || r == ';' })
	if len(parts) != 2 && len(parts) != 3 {
		return nil, nil, 0, wrong
	}
	var n [3]float64
	for i, p := range parts {
		if n[i], err = strconv.ParseFloat(p, 64); err != nil {
			return nil, nil, 0, wrong
		}
	}
	if !(math.Abs(n[0]) <= 90 && math.Abs(n[1]) <= 180 && n[2] >= 0 && n[2] <= 100_000) {
		return nil, nil, 0, wrong
	}
	return &n[0], &n[1], math.Round(n[2]), nil
}

func placeValue(v string) (string, error) {
	lat, lon, fence, err := readPlaceText(v)
	return placeText(lat, lon, fence), err
}

// placeText writes a place to about ten centimetres.
func placeText(lat, lon *float64, fence float64) string {
	if lat == nil || lon == nil {
		return ""
	}
	degrees := func(d float64) string { return strconv.FormatFloat(math.Round(d*1e6)/1e6, 'f', -1, 64) }
	return degrees(*lat) + ", " + degrees(*lon) + ", " + strconv.FormatFloat(fence, 'f', 0, 64)
}

// neededTags reads tags, apart by commas, in order.
func neededTags(v string) (string, error) {
	needed := field.SplitList(v)
	slices.Sort(needed)
	for i, tag := range needed {
		if len([]rune(tag)) > 60 || strings.Contains(tag, " until ") || i > 0 && needed[i-1] == tag {
			return "", fmt.Errorf("write each tag once, apart by commas, without a date")
		}
	}
	return strings.Join(needed, ", "), nil
}

func dateText(d *when.Date) string {
	if d == nil {
		return ""
	}
	return d.String()
}

// hoursValue reads decimal hours that are whole seconds.
func hoursValue(v string) (string, error) {
	h, err := pay.ParseRate(v)
	if err != nil || h < 0 || h > 500_000_000_000 || int64(h)*3600%1_000_000 != 0 {
		return "", fmt.Errorf("write hours such as 120 or 7.5")
	}
	seconds := int64(h) * 3600 / 1_000_000
	return hoursText(&seconds), nil
}

func hoursText(seconds *int64) string {
	if seconds == nil {
		return ""
	}
	return strings.TrimSuffix(strings.TrimRight(strconv.FormatFloat(float64(*seconds)/3600, 'f', 4, 64), "0"), ".")
}

func secondsOrNull(hours string) any {
	if hours == "" {
		return nil
	}
	h, _ := pay.ParseRate(hours) // hoursValue read it
	return int64(h) * 3600 / 1_000_000
}

// closeJob closes a job or opens it again. A job that somebody is on is not
// closed: what runs is shown first.
func closeJob(ctx context.Context, t *app.Turn, job uuid.UUID, value string) error {
	j, err := store.GetJob(ctx, t, job)
	if err != nil {
		return err
	}
	if value == "closed" && j.Running > 0 {
		return refusal.New("state", fmt.Sprintf("%d on the clock on it now", j.Running), "Let them switch first; Today shows who")
	}
	return store.SetJob(ctx, t, job, "state", value)
}

// SetJob changes one setting of a job.
type SetJob struct {
	Job          uuid.UUID
	Field, Value string
}

// Permission is the act's name in the permission table.
func (SetJob) Permission() string { return "jobs.change" }

func (s SetJob) Do(ctx context.Context, t *app.Turn) error {
	fields, err := jobFields(ctx, t)
	if err != nil {
		return err
	}
	if err := store.LockJob(ctx, t, s.Job); err != nil {
		return err
	}
	j, err := store.GetJob(ctx, t, s.Job)
	if err != nil {
		return err
	}
	f, value, err := field.Changed(fields, s.Field, s.Value)
	if err != nil || value == f.Get(j) {
		return err
	}
	if err := f.Put(ctx, t, s.Job, value); err != nil {
		return numberTaken(err, value)
	}
	t.Record(store.Event{Act: t.Act}, s.Job, map[string]any{"field": f.Label, "job": j.Number, "from": f.Get(j), "to": value})
	return nil
}

// numberTaken makes a refusal of an error that says that a number is taken.
func numberTaken(err error, number string) error {
	if store.Violates(err, "job_number_key") {
		return refusal.New("number", "There is a job "+number+" already", "Choose another number")
	}
	return err
}

// AddJob adds a job: with the tasks of its kind, or like another.
type AddJob struct {
	ID            uuid.UUID
	Number, Title string
	Customer      string
	Kind          string
	Like          uuid.UUID // copied, when it is not zero
}

// Permission is the act's name in the permission table.
func (AddJob) Permission() string { return "jobs.change" }

func (a AddJob) Do(ctx context.Context, t *app.Turn) error {
	a.Number, a.Title = strings.TrimSpace(a.Number), strings.TrimSpace(a.Title)
	switch {
	case a.Number == "" || utf8.RuneCountInString(a.Number) > 20:
		return refusal.New("number", "The number is missing", "Write one of at most 20 characters")
	case a.Title == "" || utf8.RuneCountInString(a.Title) > 120:
		return refusal.New("title", "The name is missing", "Write one of at most 120 characters")
	}
	var err error
	if a.Like != uuid.Nil {
		err = store.CopyJob(ctx, t, a.Like, a.ID, a.Number, a.Title)
	} else {
		err = store.InsertJob(ctx, t, a.ID, a.Number, a.Title)
	}
	if err != nil {
		return numberTaken(err, a.Number)
	}
	for field, value := range map[string]string{"customer": a.Customer, "kind": a.Kind} {
		if value == "" {
			continue
		}
		if err := (SetJob{Job: a.ID, Field: field, Value: value}).Do(ctx, t); err != nil {
			return err
		}
	}
	if a.Kind != "" && a.Like == uuid.Nil {
		if err := a.kindTasks(ctx, t); err != nil {
			return err
		}
	}
	t.Record(store.Event{Act: t.Act}, a.ID, map[string]any{"job": a.Number, "to": "added"})
	return nil
}

// kindTasks gives a job the tasks of its kind.
func (a AddJob) kindTasks(ctx context.Context, t *app.Turn) error {
	kinds, err := store.JobKinds(ctx, t)
	if err != nil {
		return err
	}
	tasks, err := store.KindTasks(ctx, t, field.IdOf(kinds, a.Kind))
	if err != nil {
		return err
	}
	for line := range strings.Lines(tasks) {
		code, name, ok := strings.Cut(strings.TrimSpace(line), " ")
		if !ok {
			continue
		}
		if err := store.InsertTask(ctx, t, uuid.Must(uuid.NewV7()), a.ID, strings.TrimSpace(name), code, nil); err != nil {
			return err
		}
	}
	return nil
}

// OpenJobTo opens a restricted job to a site, a unit, a classification or a
// person.
type OpenJobTo struct {
	ID, Job uuid.UUID
	Kind    string
	Who     uuid.UUID
	Named   string // of a person in place of Who: number or name
}

// CloseJobTo takes one of them out again.
type CloseJobTo struct{ Entry uuid.UUID }

// Permission is the act's name in the permission table.
func (OpenJobTo) Permission() string { return "jobs.change" }

// Permission is the act's name in the permission table.
func (CloseJobTo) Permission() string { return "jobs.change" }

func (o OpenJobTo) Do(ctx context.Context, t *app.Turn) error {
	if !slices.Contains([]string{"site", "unit", "class", "person"}, o.Kind) {
		return app.ErrNotFound
	}
	if err := store.LockJob(ctx, t, o.Job); err != nil {
		return err
	}
	if o.Kind == "person" && o.Who == uuid.Nil {
		var err error
		if o.Who, err = PersonNamed(ctx, t, o.Named); err != nil {
			return err
		}
	}
	if err := store.InsertOpenTo(ctx, t, o.ID, o.Job, o.Kind, o.Who); err != nil {
		return err
	}
	if err := store.SetJob(ctx, t, o.Job, "open_to_all", false); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, o.Job, map[string]any{"field": "Who may clock to it", "to": "opened to a " + o.Kind})
	return nil
}

// PersonNamed finds the one person of a number or name whom the actor may see.
func PersonNamed(ctx context.Context, t *app.Turn, text string) (uuid.UUID, error) {
	text = strings.TrimSpace(text)
	found, err := store.PeopleNamed(ctx, t, text, t.Actor.Units("people.see"), t.Company.Today(t.Now))
	switch {
	case err != nil:
		return uuid.Nil, err
	case len(found) == 0:
		return uuid.Nil,
			refusal.New("person", "Nobody here has the number or name “"+field.Shorten(text)+"”",
				"Write the personnel number, or given and family name")
	case len(found) > 1:
		return uuid.Nil,
			refusal.New("person", fmt.Sprintf("%d people are called “%s”", len(found), field.Shorten(text)),
				"Write the personnel number: "+found[0].Name+" or "+found[1].Name)
	}
	return found[0].ID, nil
}

func (c CloseJobTo) Do(ctx context.Context, t *app.Turn) error {
	job, err := store.DeleteOpenTo(ctx, t, c.Entry)
	if err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, job, map[string]any{"field": "Who may clock to it", "to": "one fewer"})
	return nil
}

// SetWage sets the wage determination of a classification on public work from
// a date on; until then the one before holds.
type SetWage struct {
	Job, Class       uuid.UUID
	Base, Cash, Plan string
	From             when.Date // zero: today
}

// Permission is the act's name in the permission table.
func (SetWage) Permission() string { return "jobs.change" }

func (s SetWage) Do(ctx context.Context, t *app.Turn) error {
	for _, v := range []*string{&s.Base, &s.Cash, &s.Plan} {
		if strings.TrimSpace(*v) == "" {
			*v = "0"
		}
		kept, err := field.RateValue(strings.TrimSpace(*v))
		if err != nil {
			return refusal.New("wage", "A wage can't be “"+field.Shorten(*v)+"”", "Write a sum such as 32.40")
		}
		*v = kept
	}
	if t.Actor.Scope("rates.see") != app.All {
		return app.ErrForbidden // a determination is pay: a run pays it where it is higher
	}
	own, err := store.HasClass(ctx, t, t.Actor.ID, s.Class)
	if err != nil {
		return err
	}
	if own {
		return refusal.New("wage", "Nobody changes their own pay, and this is a classification of yours",
			"Ask another manager or an owner")
	}
	if err := store.LockJob(ctx, t, s.Job); err != nil {
		return err
	}
	today := t.Company.Today(t.Now)
	if s.From == 0 {
		s.From = today
	}
	first, err := app.FirstOpenDay(ctx, t, t.Company, today)
	if err != nil {
		return err
	}
	before, err := store.HasWage(ctx, t, s.Job, s.Class, s.From)
	switch {
	case err != nil:
		return err
	case s.From < first && before:
		return refusal.New("from", "That was paid already: pay runs are closed up to "+(first-1).Format("2 January 2006"),
			"Let the wage hold from a later day")
	}
	wage := store.Wage{Class: s.Class, Base: s.Base, Cash: s.Cash, Plan: s.Plan, StartsOn: s.From}
	if err := store.PutWage(ctx, t, s.Job, wage); err != nil {
		return err
	}
	t.Record(store.Event{Act: t.Act}, s.Job,
		map[string]any{"field": "Wage determination from " + s.From.String(),
			"to": s.Base + ", fringe " + s.Cash + " in cash and " + s.Plan + " into a plan"})
	return nil
}

// AllJobs reads every job a filter picks, for a file; samples are in none.
func AllJobs(ctx context.Context, a *app.App, actor app.Actor, f store.JobFilter) ([]store.Job, error) {
	if !actor.May("jobs.see") {
		return nil, app.ErrForbidden
	}
	if f.Real = true; f.Sort == "" {
		f.Sort = "number"
	}
	jobs, _, err := store.Jobs(ctx, a.DB, f, 0, -1)
	return jobs, err
}
