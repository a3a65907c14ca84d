package demo

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/store"
)

// rulesOf is the demo world's rule set: the federal 40-hour week.
var rulesOf = map[string]any{"workweek_start": "Sun 00:00", "weekly_overtime_after": "40"}

// Load writes the world into an empty, migrated database.
func (w *World) Load(ctx context.Context, db *store.DB, log *slog.Logger) error {
	begun := time.Now()
	if err := w.loadPlaces(ctx, db); err != nil {
		return err
	}
	if err := w.loadPeople(ctx, db); err != nil {
		return err
	}
	if err := w.loadHistory(ctx, db, log); err != nil {
		return err
	}
	if err := store.PlanAsTold(ctx, db, w.Now); err != nil {
		return err
	}
	if err := w.loadDraft(ctx, db); err != nil {
		return err
	}
	if _, err := db.ExecContext(ctx, `analyze`); err != nil {
		return err
	}
	// The company comes last: a load that was broken off is not taken for a
	// world that is there.
	if err := store.PutCompany(ctx, db, w.Place.Company); err != nil {
		return fmt.Errorf("load the company: %w", err)
	}
	if err := store.SetCompany(ctx, db, "map", string(coast)); err != nil {
		return fmt.Errorf("load the coast: %w", err)
	}
	if err := w.closeRuns(ctx, db, log); err != nil {
		return err
	}
	if err := w.loadAtWork(ctx, db); err != nil {
		return err
	}
	if err := w.loadLeave(ctx, db, log); err != nil {
		return err
	}
	if err := hours.KeepJobHours(ctx, app.New(db, func() time.Time { return w.Now }, log)); err != nil {
		return err
	}
	log.Info("demo world loaded", "people", len(w.people), "from", w.from, "took", time.Since(begun).Round(time.Millisecond))
	return nil
}

// loadAtWork makes what goes with a day at work: a job for travel, and kinds of expenses.
func (w *World) loadAtWork(ctx context.Context, db *store.DB) error {
	if _, err := db.ExecContext(ctx, `
		insert into job (id, number, name, travel, billable, open_to_all) values ($1, '2254', 'Travel between sites', true, false, true)`,
		w.rng("travel").id(w.start())); err != nil {
		return fmt.Errorf("load travel: %w", err)
	}
	if _, err := db.ExecContext(ctx, `update task t set counted_in = case t.name when 'Marking' then 'm' else 'signs' end from job j
		where j.id = t.job_id and (t.name = 'Marking' or t.name = 'Erecting' and j.number in ('2243', '2247'))`); err != nil {
		return fmt.Errorf("load what is counted: %w", err)
	}
	if err := w.loadTerminal(ctx, db); err != nil {
		return err
	}
	// One at the desks writes their hours down.
	if _, err := db.ExecContext(ctx, `update employment set clock_points = clock_points || ', hours by hand' where id = (
		select e.id from employment e join unit u on u.id = e.unit_id join person p on p.id = e.person_id
		where u.name = 'Drawing office' order by p.number desc limit 1)`); err != nil {
		return fmt.Errorf("load who writes hours down: %w", err)
	}
	return store.SetCompany(ctx, db, "expense_kinds", "Fuel = FUEL, Parking = PARK, Tools = TOOLS")
}

// PIN is that of everybody at the works in the demo world.
const PIN = "2580"

// loadTerminal makes a shared terminal at the works, and lets its people clock there.
func (w *World) loadTerminal(ctx context.Context, db *store.DB) error {
	hash, err := people.HashPassword(PIN)
	if err != nil {
		return err
	}
	for _, step := range []struct {
		sql  string
		args []any
	}{
		{`update person p set pin_hash = $1 from employment e join unit u on u.id = e.unit_id
			where e.person_id = p.id and coalesce(e.site_id, u.site_id) = $2`, []any{hash, w.sites[0]}},
		{`update employment e set clock_points = clock_points || ', shared terminal, device at the site, phone line' from unit u
			where u.id = e.unit_id and coalesce(e.site_id, u.site_id) = $1 and e.clock_points <> ''`, []any{w.sites[0]}},
		{`insert into clock_point (id, name, site_id, made_at, made_by)
			select $1, 'east gate', $2, $3, p.id from person p where p.level = 'owner' order by p.number limit 1`,
			[]any{w.rng("terminal").id(w.start()), w.sites[0], w.start()}},
	} {
		if _, err := db.ExecContext(ctx, step.sql, step.args...); err != nil {
			return fmt.Errorf("load the terminal: %w", err)
		}
	}
	return w.loadReader(ctx, db)
}

// ReaderKey is that of the badge reader of the demo world. A key of somebody's own is made
// by chance.
const ReaderKey = "mx_the-reader-of-the-demo-world"

// loadReader gives the reader at the works a key, and its people cards.
func (w *World) loadReader(ctx context.Context, db *store.DB) error {
	hash := sha256.Sum256([]byte(ReaderKey))
	if _, err := db.ExecContext(ctx, `insert into point_key (id, point_id, name, secret_hash, punches, made_at, made_by)
		select $1, c.id, 'Badge reader', $2, true, c.made_at, c.made_by from clock_point c`, w.rng("reader").id(w.start()),
		hash[:]); err != nil {
		return fmt.Errorf("load the reader: %w", err)
	}
	var people []struct {
		ID     uuid.UUID
		Number string
	}
	if err := db.SelectContext(ctx, &people, `select distinct p.id, p.number from person p join employment e on e.person_id = p.id
		join unit u on u.id = e.unit_id where coalesce(e.site_id, u.site_id) = $1`, w.sites[0]); err != nil {
		return fmt.Errorf("load cards: %w", err)
	}
	for _, p := range people {
		hash, err := store.BadgeHash(ctx, db, "EMP"+p.Number)
		if err != nil {
			return err
		}
		if err := store.LearnBadge(ctx, db, p.ID, hash, p.ID, w.start()); err != nil {
			return err
		}
	}
	return nil
}

// table gathers rows for a COPY.
type table struct {
	name    string
	columns []string
	rows    [][]any
}

func (t *table) add(values ...any) { t.rows = append(t.rows, values) }

func copyIn(ctx context.Context, db *store.DB, tables ...*table) error {
	for _, t := range tables {
		if err := db.Copy(ctx, t.name, t.columns, t.rows); err != nil {
			return err
		}
		t.rows = t.rows[:0]
	}
	return nil
}

func (w *World) loadPlaces(ctx context.Context, db *store.DB) error {
	rules, err := json.Marshal(rulesOf)
	if err != nil {
		return err
	}
	r := w.rng("setup")
	sets := &table{name: "rule_set", columns: []string{"id", "name", "starts_on", "rules"}}
	sets.add(r.id(w.start()), "Federal 40-hour week", w.from.String(), string(rules))
	sites := &table{name: "site", columns: []string{"id", "name", "zone", "lat", "lon", "fence_metres"}}
	for i, s := range siteSpecs {
		sites.add(w.sites[i], s.name, w.Place.Zone, s.at.Lat, s.at.Lon, s.fence)
	}
	classes := &table{name: "classification", columns: []string{"id", "code", "name"}}
	for _, c := range classSpecs {
		classes.add(w.classes[c.code], c.code, c.name)
	}
	customers := &table{name: "customer", columns: []string{"id", "name"}}
	jobs := &table{name: "job", columns: []string{"id", "number", "name", "customer_id", "site_id", "public_work", "state", "kind_id",
		"budget_seconds"}}
	tasks := &table{name: "task", columns: []string{"id", "job_id", "name", "cost_code", "position"}}
	wages := &table{name: "job_wage", columns: []string{"job_id", "class_id", "starts_on", "base_rate"}}
	kinds := &table{name: "job_kind", columns: []string{"id", "name", "tasks", "own_work"}}
	kindOf := map[string]*uuid.UUID{}
	for _, k := range kindSpecs {
		id := r.id(w.start())
		kinds.add(id, k.name, k.tasks, k.own)
		for _, number := range k.jobs {
			kindOf[number] = &id
		}
	}
	codes := &table{name: "pay_code", columns: []string{"id", "job_id", "pays", "code", "starts_on"}}
	for _, c := range codeSpecs {
		var job *uuid.UUID
		if c.job != "" {
			id := w.jobs[c.job].id
			job = &id
		}
		codes.add(r.id(w.start()), job, c.pays, c.code, w.from.String())
	}
	needed := &table{name: "job_tag", columns: []string{"job_id", "tag"}}
	for number, tag := range jobTags {
		needed.add(w.jobs[number].id, tag)
	}
	costs := &table{name: "cost_code", columns: []string{"code", "name"}}
	named := map[string]bool{}
	known := map[string]uuid.UUID{}
	for _, j := range jobSpecs {
		ref := w.jobs[j.number]
		var customer, site *uuid.UUID
		if j.customer != "" {
			id, ok := known[j.customer]
			if !ok {
				id = r.id(w.start())
				known[j.customer] = id
				customers.add(id, j.customer)
			}
			customer = &id
		}
		if j.site >= 0 {
			site = &w.sites[j.site]
		}
		state := "open"
		if j.closed {
			state = "closed"
		}
		var budget *int64
		if h := jobHours[j.number]; h > 0 {
			seconds := h * 3600
			budget = &seconds
		}
		jobs.add(ref.id, j.number, j.name, customer, site, j.public, state, kindOf[j.number], budget)
		for i, t := range j.tasks {
			tasks.add(ref.tasks[i], ref.id, t[4:], t[:3], i+1)
			if !named[t[:3]] {
				named[t[:3]] = true
				costs.add(t[:3], t[4:])
			}
		}
		if j.public {
			for code, cents := range wage {
				wages.add(ref.id, w.classes[code], "2020-01-01", dollars(cents))
			}
		}
	}
	return copyIn(ctx, db, sets, sites, classes, customers, kinds, jobs, tasks, wages, codes, costs, needed)
}

func dollars(cents int) string { return decimal.New(int64(cents), -2).StringFixed(2) }

func (w *World) loadPeople(ctx context.Context, db *store.DB) error {
	hash, err := people.HashPassword(Password)
	if err != nil {
		return err
	}
	units := &table{name: "unit", columns: []string{"id", "kind", "name", "site_id"}}
	for i, id := range w.units {
		spec := unitSpecs[w.unitOf[i]]
		units.add(id, spec.kind, w.unitName(i), w.sites[spec.site])
	}
	people := &table{name: "person", columns: []string{"id", "number", "given_name", "family_name", "email", "level", "password_hash",
		"mobile"}}
	jobs := &table{name: "employment", columns: []string{"id", "person_id", "unit_id", "site_id", "title", "starts_on"}}
	rates := &table{name: "rate", columns: []string{"employment_id", "starts_on", "amount"}}
	patterns := &table{name: "pattern", columns: []string{"employment_id", "starts_on", "seconds"}}
	leads := &table{name: "unit_lead", columns: []string{"unit_id", "person_id"}}
	for _, o := range w.office {
		people.add(o.id, o.number, o.given, o.family, email(o.given, o.family), o.level, hash, "")
	}
	raise := w.open.From - 28
	for _, e := range w.people {
		spec := w.spec(e)
		people.add(e.who.Person, e.number, e.who.Given, e.who.Family, email(e.who.Given, e.who.Family), e.level, hash, mobile(e.number))
		jobs.add(e.who.ID, e.who.Person, e.who.Unit, w.sites[spec.site], spec.title, e.hired.String())
		rates.add(e.who.ID, e.hired.String(), dollars(e.cents))
		if e.cents%100 < 50 {
			rates.add(e.who.ID, raise.String(), dollars(e.cents*103/100))
		}
		p := w.patternOf(e)
		patterns.add(e.who.ID, e.hired.String(), p[:])
		if e.lead {
			leads.add(e.who.Unit, e.who.Person)
		}
	}
	grants := &table{name: "grant_given", columns: []string{"id", "person_id", "what", "given_at"}}
	r := w.rng("grants")
	for _, o := range w.office {
		for _, what := range officeGrants[o.given+" "+o.family] {
			grants.add(r.id(w.start()), o.id, what, w.start())
		}
	}
	return copyIn(ctx, db, units, people, jobs, rates, patterns, leads, grants, w.tags())
}

// tags gives those who set up in the field the tags that their jobs need; a
// few run out soon, and one never had it.
func (w *World) tags() *table {
	tags := &table{name: "person_tag", columns: []string{"person_id", "tag", "expires_on"}}
	for i, e := range w.people {
		spec := w.spec(e)
		if !spec.field || i%11 == 7 {
			continue
		}
		until := w.Place.Today(w.Now) + when.Date(90+17*(i%13))
		if i%9 == 4 {
			until = w.Place.Today(w.Now) + 3
		}
		for _, tag := range []string{"Work at height", "First aid"} {
			if tag == "First aid" && !e.lead {
				continue
			}
			tags.add(e.who.Person, tag, until.String())
		}
	}
	return tags
}

// piece is how many people's histories are held in memory at once.
const piece = 50

// loadHistory makes and loads the history, people by people.
func (w *World) loadHistory(ctx context.Context, db *store.DB, log *slog.Logger) error {
	if w.atOnce {
		return w.loadMany(ctx, db, log)
	}
	for some := range slices.Chunk(w.people, piece) {
		rows := map[string][][]any{}
		for _, e := range some {
			for table, of := range w.happened(e).rowsOf(e) {
				rows[table] = append(rows[table], of...)
			}
		}
		for _, table := range []string{"shift", "leave_day", "punch", "note", "stint", "card", "card_act"} {
			if err := db.Copy(ctx, table, historyTables[table], rows[table]); err != nil {
				return err
			}
		}
	}
	return store.KeepAllHours(ctx, db)
}

// closeRuns closes the run of every period before the open one, each at ten
// on the Monday after, by the very act a manager does. In each, one card
// misses its run and is approved a few days later.
func (w *World) closeRuns(ctx context.Context, db *store.DB, log *slog.Logger) error {
	now := w.Now
	a := app.New(db, func() time.Time { return now }, log)
	clerk, err := a.Actor(ctx, w.office[3].id)
	if err != nil {
		return err
	}
	clerk.Proved = true // as if she had typed her password
	manager, err := a.Actor(ctx, w.office[1].id)
	if err != nil {
		return err
	}
	for n := w.past.closed(); ; n++ {
		page, err := payroll.PayRun(ctx, a, clerk, uuid.Nil)
		if err != nil {
			return err
		}
		if page.Period.From >= w.open.From {
			return nil
		}
		now = (page.Period.To + 2).At(10*time.Hour, w.Place.Loc)
		if now.After(w.Now) {
			now = w.Now
		}
		late, err := w.missed(ctx, a, manager, page, n)
		if err != nil {
			return err
		}
		if page, err = payroll.PayRun(ctx, a, clerk, uuid.Nil); err != nil {
			return err
		}
		for _, r := range page.Rows {
			if !r.Asked {
				continue
			}
			if err := a.Do(ctx, clerk, payroll.AnswerHours{ID: w.rng(fmt.Sprint("answer", n, r.Number)).id(now), Employment: r.Employment,
				Answer: store.LeftOut, Reason: "Not signed, nobody could be reached", PayBy: (page.Period.To + 14).String()}); err != nil {
				return fmt.Errorf("answer hours: %w", err)
			}
		}
		err = a.Do(ctx, clerk,
			payroll.CloseRun{ID: w.rng(fmt.Sprint("run", n)).id(now), Seen: page.Period.From.String() + " " + page.Total.Gross})
		if err != nil {
			return fmt.Errorf("close the run of %s: %w", page.Period.From, err)
		}
		log.Debug("run closed", "from", page.Period.From)
		if late != nil {
			now = minTime(now.Add(48*time.Hour), w.Now)
			if err := a.Do(ctx, manager, hours.Approve{Card: *late}); err != nil {
				return fmt.Errorf("approve late: %w", err)
			}
		}
	}
}

// missed takes the approval of one card of the period back before it closes.
func (w *World) missed(ctx context.Context, a *app.App, manager app.Actor, page *payroll.RunPage, n int) (*hours.CardRef, error) {
	e := w.people[(n*7+3)%len(w.people)]
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: page.Period.From, To: page.Period.To, Employment: e.who.ID})
	if err != nil {
		return nil, err
	}
	for _, c := range cards {
		if c.State == card.Approved && c.Worked > 0 {
			ref := hours.CardRef{Employment: c.Employment, Date: c.Date}
			return &ref, a.Do(ctx, manager, hours.TakeBack{Card: ref})
		}
	}
	return nil, nil
}

// Span is the history's first day and the open pay period.
func (w *World) Span() (when.Date, when.Period) { return w.from, w.open }

// Fingerprint stands for everybody's history: the same world, the same text.
func (w *World) Fingerprint() string {
	sum := sha256.New()
	for _, e := range w.people {
		h := w.happened(e)
		for _, p := range h.punches {
			fmt.Fprintln(sum, p.ID, p.Act, p.Break, p.On, p.Point, p.By, p.Claimed.UTC(), p.Device.UTC(), p.Received.UTC(), p.OffSite)
		}
		for _, s := range h.stints {
			fmt.Fprintln(sum, s.ID, s.Kind, s.On, s.Start.UTC(), s.End.UTC(), s.Date)
		}
		for _, a := range h.acts {
			fmt.Fprintln(sum, a.ID, a.Move, a.Date, a.MadeAt.UTC())
		}
	}
	return hex.EncodeToString(sum.Sum(nil))
}
