// Package demo makes the demo world: an invented works with its people, jobs
// and a believable history, and larger worlds of the same kind for measuring.
//
// A world is determined by a seed and a "now". Its history is made of punches
// and moves; stints, cards and pay come out of core as they would have day by
// day. Nothing that is worked out is made up.
package demo

import (
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// Size says how large a world is.
type Size struct {
	People int  // who clock; 0 for the demo's own number
	Weeks  int  // of history; 0 for 16
	AtOnce bool // it is loaded as a world of many people is
}

// Password is that of everybody in the demo world.
const Password = "beacon and gantry"

// MailDomain is that of everybody in the demo world.
const MailDomain = "ebbwater.example"

type employee struct {
	who    store.Employment
	loc    *time.Location
	unit   int
	number string
	level  string
	hired  when.Date
	cents  int
	lead   bool
}

// World is a world before it is loaded: who and what there is. The history is
// made employee by employee while loading.
type World struct {
	Now     time.Time
	Place   *app.Company
	seed    uint64
	from    when.Date // first day of the history
	open    when.Period
	sites   []uuid.UUID
	units   []uuid.UUID
	unitOf  []int // spec of each unit
	classes map[string]uuid.UUID
	jobs    map[string]jobRef
	office  []officer
	people  []*employee
	leads   map[int]*employee // by unit
	atOnce  bool              // see large.go
	past    *past             // of one that is loaded so
}

type jobRef struct {
	id     uuid.UUID
	tasks  []uuid.UUID
	codes  []string // of the tasks
	public bool
	fence  bool
}

type officer struct {
	id            uuid.UUID
	given, family string
	level, number string
}

// rng is a source of chance for one thing, independent of all others.
type rng struct{ *rand.Rand }

func (w *World) rng(about string) rng {
	var h uint64 = 14695981039346656037
	for _, c := range []byte(about) {
		h = (h ^ uint64(c)) * 1099511628211
	}
	return rng{rand.New(rand.NewPCG(w.seed, h))}
}

// chance is true once in n times.
func (r rng) chance(p float64) bool { return r.Float64() < p }

// between gives a number of seconds from a to b minutes, both included.
func (r rng) between(a, b int) time.Duration {
	return time.Duration(a*60+r.IntN((b-a)*60+1)) * time.Second
}

// id makes a UUIDv7 of an instant and chance, the same each time.
func (r rng) id(at time.Time) uuid.UUID {
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], uint64(at.UnixMilli())<<16)
	binary.BigEndian.PutUint16(b[6:8], uint16(r.Uint32()))
	binary.BigEndian.PutUint64(b[8:], r.Uint64())
	b[6] = b[6]&0x0f | 0x70
	b[8] = b[8]&0x3f | 0x80
	return b
}

// New makes a world.
func New(seed uint64, now time.Time, size Size) (*World, error) {
	if size.Weeks == 0 {
		size.Weeks = 16
	}
	loc, err := time.LoadLocation("America/New_York")
	if err != nil {
		return nil, err
	}
	w := &World{Now: now, seed: seed, atOnce: size.AtOnce || size.People > many, classes: map[string]uuid.UUID{},
		jobs: map[string]jobRef{}, leads: map[int]*employee{}}
	w.Place = &app.Company{Company: store.Company{Name: "Ebbwater Signs & Beacons", Zone: loc.String(), Loc: loc,
		Currency: "USD", CurrencyDecimals: 2,
		WhomToAsk: "Questions? Mira Castellane, Ebbwater works, extension 14", PeriodKind: string(when.Fortnight),
		PeriodAnchor: when.NewDate(2026, 11, 8),
		CutOver:      4 * 3600, NewAttendanceAfter: 4 * 3600, LongestShift: 16 * 3600, LateAfter: 15 * 60, OverPlanAfter: 3600,
		MealDueAfter: 5 * 3600, MealWaivedUpTo: 6 * 3600, MissingAfter: 10 * 60,
		EarlyAfter: 30 * 60, LeftEarly: 15 * 60, UnderPlan: 3600, ShortStint: 4 * 60, SignRequired: true}}
	w.Place.Limits = w.Place.Company.Figures().Limits(clock.USBreaks, clock.Meals{}, w.Place.SignRequired)
	if w.open, err = w.Place.Periods().Of(w.Place.Today(now)); err != nil {
		return nil, err
	}
	w.from = w.open.From - when.Date(7*size.Weeks)
	w.makePlaces()
	return w, w.makePeople(size)
}

func (w *World) start() time.Time { return w.from.At(0, w.Place.Loc) }

func (w *World) makePlaces() {
	r := w.rng("places")
	for range siteSpecs {
		w.sites = append(w.sites, r.id(w.start()))
	}
	for _, c := range classSpecs {
		w.classes[c.code] = r.id(w.start())
	}
	for _, j := range jobSpecs {
		ref := jobRef{id: r.id(w.start()), public: j.public, fence: j.site >= 0}
		for _, t := range j.tasks {
			ref.tasks = append(ref.tasks, r.id(w.start()))
			ref.codes = append(ref.codes, t[:3])
		}
		w.jobs[j.number] = ref
	}
	for i, o := range officeSpecs {
		given, family, _ := strings.Cut(o.name, " ")
		w.office = append(w.office,
			officer{id: r.id(w.start()), given: given, family: family, level: o.level, number: fmt.Sprintf("%04d", 1001+i)})
	}
}

// makePeople fills the units: once over for the demo, as often as it takes
// for a larger world.
func (w *World) makePeople(size Size) error {
	r := w.rng("people")
	used := map[string]bool{}
	for n := 0; ; n++ {
		for spec, u := range unitSpecs {
			w.units = append(w.units, r.id(w.start()))
			w.unitOf = append(w.unitOf, spec)
			for i := range u.people {
				if size.People > 0 && len(w.people) == size.People {
					return nil
				}
				e := &employee{unit: len(w.units) - 1, number: fmt.Sprintf("%04d", 2001+len(w.people)), loc: w.Place.Loc, level: "worker",
					hired: w.from - when.Date(30+r.IntN(2500)), cents: u.rate + 25*r.IntN(16)}
				given, family := w.name(r, used, u.name, n, i)
				e.who = store.Employment{ID: r.id(w.start()), Person: r.id(w.start()), Unit: w.units[e.unit], Given: given, Family: family,
					UnitName: w.unitName(e.unit), Zone: w.Place.Zone}
				if i == 0 {
					e.lead, e.level, e.cents = true, "lead", e.cents+300
					w.leads[e.unit] = e
				}
				w.people = append(w.people, e)
			}
		}
		if size.People == 0 {
			return nil
		}
	}
}

func (w *World) unitName(unit int) string {
	name := unitSpecs[w.unitOf[unit]].name
	if n := unit / len(unitSpecs); n > 0 {
		return fmt.Sprintf("%s %d", name, n+1)
	}
	return name
}

// name gives the cast their names and everybody else one not yet used.
func (w *World) name(r rng, used map[string]bool, unit string, round, i int) (given, family string) {
	if round == 0 && i < len(cast[unit]) {
		given, family, _ = strings.Cut(cast[unit][i], " ")
		used[given+" "+family] = true
		return given, family
	}
	for {
		given, family = givenNames[r.IntN(len(givenNames))], familyNames[r.IntN(len(familyNames))]
		if round > 0 {
			family += " " + string(rune('A'+r.IntN(26))) + string(rune('a'+r.IntN(26)))
		}
		if !used[given+" "+family] {
			used[given+" "+family] = true
			return given, family
		}
	}
}

// email makes an address of a name, in plain ASCII.
func email(given, family string) string {
	plain := strings.NewReplacer("ş", "s", "ö", "o", "ü", "u", " ", "").Replace(given + "." + family)
	return strings.ToLower(plain) + "@" + MailDomain
}

// mobile gives somebody a number of those kept for made-up people (555-01xx), of which
// there are a hundred, but for one in seven, who has none.
func mobile(number string) string {
	n, err := strconv.Atoi(number)
	if err != nil || n%7 == 0 || n < 2000 || n >= 2100 {
		return ""
	}
	return fmt.Sprintf("+1 617-555-01%02d", n%100)
}

// SignIn is somebody to sign in as.
type SignIn struct{ Name, Email, Level, Does string }

// SignIns lists one person of each level, for whoever starts the demo.
func (w *World) SignIns() []SignIn {
	ins := []SignIn{{w.office[1].given + " " + w.office[1].family, email(w.office[1].given, w.office[1].family), "manager",
		"Today, timecards, pay runs"},
		{w.office[0].given + " " + w.office[0].family, email(w.office[0].given, w.office[0].family), "owner", "everything a manager does"}}
	for _, e := range w.people {
		if e.who.Name() == "Wren Halloran" {
			ins = append(ins,
				SignIn{e.who.Name(), email(e.who.Given, e.who.Family), "crew lead", "Gantry crew B: Today, timecards, signing; own clock"})
		}
		if e.who.Name() == "Ines Okonjo" {
			ins = append(ins, SignIn{e.who.Name(), email(e.who.Given, e.who.Family), "crew lead", "Plate shop"})
		}
		if e.who.Name() == "Dao Pham" {
			ins = append(ins, SignIn{e.who.Name(), email(e.who.Given, e.who.Family), "worker", "the clock, on a phone"})
		}
	}
	return ins
}
