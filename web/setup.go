package web

import (
	"bytes"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strconv"

	"github.com/go-chi/chi/v5"

	"manudex/app"
	"manudex/app/bringin"
	"manudex/app/company"
	"manudex/app/field"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/app/roster"
	"manudex/core/card"
	rules "manudex/core/roster"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

type setupView struct {
	SiteFlags []siteFlags
	frameView
	*company.SetUpPage
	Subjects  []setupSubject
	Subject   *setupSubject // that the page is about; nil on the first
	On        string        // its key
	Values    []setting
	Asks      []store.AskWhom
	Keeping   *company.Keeping
	Erased    []string
	MovedIn   store.MovedIn
	Habits    []store.SiteHabits
	Points    []pointView
	Calls     []callView
	NewKey    string // of a device, shown once
	MayBring  bool
	Holidays  []holidayView
	Countries []field.Choice
	Year      int
	NewIDs    [3]string
	OwnKinds  []field.Choice
	Lengths   []field.Choice // of pay periods
	SitesMap  template.HTML
	PlanRules []rules.Rule // of the page on planning
}

// Yesterday is the last day that is over.
func (v setupView) Yesterday() when.Date { return v.Today - 1 }

// UnitKinds says where the people of a crew or department can be.
func (setupView) UnitKinds() []field.Choice { return field.UnitKinds }

// setupSubject is one of the short pages of Setup.
type setupSubject struct {
	Key, Label, Says string
	Group            string // of the company's settings, "" for none
	Path             string // of a page of its own
	Needs            string // beyond seeing Setup
}

// Href is its address.
func (s setupSubject) Href() string {
	if s.Path != "" {
		return s.Path
	}
	return "/setup/on/" + s.Key
}

var setupSubjects = []setupSubject{
	{Key: "place", Label: "The place", Group: "The place", Says: "Its name, zone, country, currency and mark, and whom to ask"},
	{Key: "asks", Label: "Whom to ask", Says: "Subjects, with a person for each site: everybody finds them at the foot of every page"},
	{Key: "sites", Label: "Sites", Says: "Where people work, how far around one may punch, and the map"},
	{Key: "crews", Label: "Crews and departments", Says: "Who belongs together, where they work and to which account"},
	{Key: "people", Label: "Fields of your own", Says: "What else you keep of people and of days"},
	{Key: "jobs", Label: "Kinds of job", Says: "What jobs of a kind begin with"},
	{Key: "clocking", Label: "Clocking", Group: "Clock", Says: "What holds for new people, and where a punch is a claim"},
	{Key: "points", Label: "Clock points", Says: "Devices of yours at which people clock, and the keys that they act by"},
	{Key: "planning", Label: "Planning", Group: "Planning", Says: "What speaks against a shift while it is planned, and what is refused"},
	{Key: "leave", Label: "Leave", Path: "/setup/leave", Says: "The kinds of leave that people ask for, and how each is earned"},
	{Key: "flags", Label: "Flags", Group: "Flags", Says: "What wants a look on a card, and at which site not"},
	{Key: "pay", Label: "Pay periods", Group: "Pay", Says: "The period, when a day and a week begin, and who is paid by another period"},
	{Key: "rules", Label: "Overtime rules", Path: "/setup/rules", Says: "When overtime and double time begin, and the premiums"},
	{Key: "codes", Label: "Codes", Path: "/setup/codes", Says: "Pay codes, cost codes and work classifications"},
	{Key: "holidays", Label: "Holidays", Says: "Days that are paid or multiplied"},
	{Key: "moving", Label: "Moving in", Group: "Moving in",
		Says: "What was worked before you came here: the days of the open pay period, and sums of the year"},
	{Key: "keeping", Label: "Keeping and erasing", Group: "Keeping", Says: "How long what is known of people is kept, and what was erased"},
	{Key: "samples", Label: "Samples", Says: "People and jobs to try things with"},
	{Key: "rights", Label: "Who may what", Path: "/setup/rights", Needs: "audit.see", Says: "Levels, rights beyond them and auditors"},
	{Key: "audit", Label: "What was done", Path: "/setup/audit", Needs: "audit.see", Says: "Every act, by whom and when"},
	{Key: "notices", Label: "Notices", Group: "Notices", Says: "What people are told of, and whether they may do without"},
	{Key: "messages", Label: "Messages", Path: "/setup/messages", Says: "Mail and text messages that couldn't be delivered"},
	{Key: "work", Label: "Work that runs later", Path: "/setup/work", Says: "Such as files that are brought in, and the nightly check"},
}

type holidayView struct {
	Date, Words, Name, Multiplier string
	Paid                          bool
}

func (s *Server) setupPage(w http.ResponseWriter, r *http.Request) error {
	return s.writeSetup(w, r, chi.URLParam(r, "subject"), "")
}

// writeSetup shows the page of a subject; of clock points, with a key that was just made.
func (s *Server) writeSetup(w http.ResponseWriter, r *http.Request, on, newKey string) error {
	p, err := company.SetUp(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	v := setupView{SetUpPage: p, On: on, NewKey: newKey, Countries: company.Countries,
		Year: p.Today.Year(), NewIDs: [3]string{newID().String(), newID().String(), newID().String()}, OwnKinds: people.OwnKinds(),
		Lengths:  payroll.PeriodKinds,
		SitesMap: sitesMap(p.Sites, p.Place.Map, visitOf(r).actor.May("setup.change"))}
	for _, subject := range setupSubjects {
		if subject.Needs != "" && !visitOf(r).actor.May(subject.Needs) {
			continue
		}
		v.Subjects = append(v.Subjects, subject)
		if subject.Key == v.On && subject.Path == "" {
			v.Subject = &subject
		}
	}
	if v.On != "" && v.Subject == nil {
		return app.ErrNotFound
	}
	for _, value := range p.Values {
		if v.Subject != nil && value.Group == v.Subject.Group {
			v.Values = append(v.Values, companySetting(value))
		}
	}
	if v.On == "planning" {
		if v.PlanRules, err = roster.RulesOf(r.Context(), s.app.DB); err != nil {
			return err
		}
	}
	if v.On == "asks" {
		if v.Asks, err = store.Asks(r.Context(), s.app.DB); err != nil {
			return err
		}
	}
	if v.On == "points" {
		if v.Calls, err = s.callViews(r); err != nil {
			return err
		}
		if v.Points, err = s.pointViews(r); err != nil {
			return err
		}
	}
	if v.On == "clocking" {
		if v.Habits, err = company.ReadHabits(r.Context(), s.app, visitOf(r).actor); err != nil {
			return err
		}
	}
	if v.On == "moving" {
		v.MayBring = visitOf(r).actor.May(bringin.TakeFile{Kind: bringin.HoursFile}.Permission())
		if v.MovedIn, err = store.GetMovedIn(r.Context(), s.app.DB); err != nil {
			return err
		}
	}
	if v.On == "keeping" {
		if err := v.keeping(r, s); err != nil {
			return err
		}
	}
	for _, h := range p.Place.Holidays {
		hv := holidayView{Date: h.Date.String(), Words: h.Date.Format("Mon 2 Jan 2006"), Name: h.Name, Paid: h.Date <= p.Paid}
		if h.Multiplier != nil {
			hv.Multiplier = *h.Multiplier
		}
		v.Holidays = append(v.Holidays, hv)
	}
	v.SiteFlags = flagsOf(p.Sites)
	if v.frameView, err = s.stillFrame(r, "Setup", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "setup", v)
	return nil
}

// keeping reads how long what is kept, and says what was erased.
func (v *setupView) keeping(r *http.Request, s *Server) (err error) {
	if v.Keeping, err = company.ReadKeeping(r.Context(), s.app, visitOf(r).actor); err != nil {
		return err
	}
	for _, e := range v.Keeping.Erasures {
		what := map[string][2]string{"people": {"person who left", "people who left"}, "places": {"place of somebody", "places of people"},
			"files": {"file that was brought in", "files that were brought in"}, "links": {"link to sign in", "links to sign in"}}[e.Kind]
		v.Erased = append(v.Erased, words.At(e.MadeAt, v.Place.Loc).Whole()+": "+words.Plural(e.N, what[0], what[1])+", of before "+
			e.Upto.Format("2 Jan 2006"))
	}
	return nil
}

func (s *Server) setCompany(w http.ResponseWriter, r *http.Request) error {
	act := company.SetCompany{Field: r.FormValue("field"), Value: r.FormValue("value")}
	actor := visitOf(r).actor
	err := s.app.Do(r.Context(), actor, act)
	return s.settingSaved(w, r, err, "/setup/on/"+subjectOf(act.Field), act.Value, func() (setting, error) {
		value, err := company.Setting(r.Context(), s.app, actor, act.Field)
		st := companySetting(value)
		if value.Group == "Flags" {
			st.Said = "Saved: holds from tomorrow"
		}
		return st, err
	})
}

// subjectOf is the page on which a setting of the company stands, "place" where none
// does.
func subjectOf(key string) string {
	group := company.GroupOf(key)
	for _, subject := range setupSubjects {
		if subject.Group != "" && subject.Group == group {
			return subject.Key
		}
	}
	return "place"
}

func companySetting(v field.Value) setting { return settingOf(v, "/setup/set", "c-", true) }

// uploaded reads the whole of a file that a form sent; see [upload].
func uploaded(r *http.Request, name, what, choose string) ([]byte, error) {
	file, _, err := upload(r, name, what, choose)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	return io.ReadAll(file)
}

func (s *Server) setMark(w http.ResponseWriter, r *http.Request) error {
	raw, err := uploaded(r, "mark", "picture", "a PNG or JPEG")
	if err != nil {
		return s.done(w, r, err, "/setup/on/place", said{})
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, company.SetMark{Image: raw})
	return s.done(w, r, err, "/setup/on/place", said{Text: "The mark is kept. It stands on what is printed."})
}

func (s *Server) setMap(w http.ResponseWriter, r *http.Request) error {
	raw, err := uploaded(r, "map", "file", "a GeoJSON file")
	if err != nil {
		return s.done(w, r, err, "/setup/on/sites", said{})
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, company.SetMap{GeoJSON: raw})
	return s.done(w, r, err, "/setup/on/sites", said{Text: "The map is kept. It lies beneath jobs and cards."})
}

// mark is the company's mark.
func (s *Server) mark(w http.ResponseWriter, r *http.Request) error {
	png, err := company.Mark(r.Context(), s.app)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "no-cache")
	_, err = io.Copy(w, bytes.NewReader(png))
	return err
}

func (s *Server) putSite(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor,
		company.PutSite{ID: id, Title: f.Text("title"), Zone: f.Text("zone"), Lat: f.Text("lat"), Lon: f.Text("lon"),
			FenceMetres: f.Text("fence")})
	return s.done(w, r, err, "/setup/on/sites", said{Text: "Saved: " + f.Text("title") + "."})
}

// siteFlags are the flags that a site can do without, and which it raises.
type siteFlags struct {
	ID, Name string
	Flags    []flagChoice
	Off      int
}

type flagChoice struct {
	Code, What string
	On         bool
}

func flagsOf(sites []store.Site) []siteFlags {
	all := make([]siteFlags, len(sites))
	for i, s := range sites {
		all[i] = siteFlags{ID: s.ID.String(), Name: s.Name, Off: len(s.FlagsOff)}
		for _, k := range card.Offable {
			all[i].Flags = append(all[i].Flags, flagChoice{string(k.Code), k.What, !slices.Contains(s.FlagsOff, string(k.Code))})
		}
	}
	return all
}

// putFlags says which flags a site raises: those that were ticked.
func (s *Server) putFlags(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := company.PutFlagsOff{Site: f.ID("id")}
	if err := f.Err(); err != nil {
		return err
	}
	for _, k := range card.Offable {
		if !slices.Contains(f.Texts("flag"), string(k.Code)) {
			act.Off = append(act.Off, string(k.Code))
		}
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, "/setup/on/flags", said{Text: "Saved. It holds at once, for days that are over too."})
}

func (s *Server) putUnit(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := company.PutUnit{ID: f.ID("id"), Kind: f.Text("kind"), Title: f.Text("title"), Account: f.Text("account"),
		Mark: f.Text("mark"), Site: f.MaybeID("site")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, "/setup/on/crews", said{Text: "Saved: " + act.Title + "."})
}

func (s *Server) putKind(w http.ResponseWriter, r *http.Request) error {
	act := company.PutJobKind{ID: newID(), Title: r.FormValue("title"), Tasks: r.FormValue("tasks"), OwnWork: r.FormValue("own") == "yes"}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, "/setup/on/jobs", said{Text: "Saved: " + act.Title + ". Jobs added with this kind get its tasks."})
}

func (s *Server) addSamples(w http.ResponseWriter, r *http.Request) error {
	err := s.app.Do(r.Context(), visitOf(r).actor, company.AddSamples{})
	return s.done(w, r, err, backTo(r, "/setup/on/samples"),
		said{Text: "Sample people are there, with a few days of hours. Look at Today and Timecards; no run and no file has them."})
}

func (s *Server) dropSamples(w http.ResponseWriter, r *http.Request) error {
	err := s.app.Do(r.Context(), visitOf(r).actor, company.DropSamples{})
	return s.done(w, r, err, "/setup/on/samples", said{Text: "The samples are gone, with everything recorded of them."})
}

func (s *Server) putPeriodGroup(w http.ResponseWriter, r *http.Request) error {
	act := payroll.PutPeriodGroup{Title: r.FormValue("title"), Kind: r.FormValue("kind"), Anchor: r.FormValue("anchor"),
		Currency: r.FormValue("currency")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/on/pay",
		said{Text: "Saved: " + act.Title + ". Who is in it is set on People; it has runs of its own."})
}

func (s *Server) dropPeriodGroup(w http.ResponseWriter, r *http.Request) error {
	act := payroll.DropPeriodGroup{Title: r.FormValue("title")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/on/pay", said{Text: act.Title + " is taken out."})
}

func (s *Server) putOwnField(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	act := people.PutOwnField{ID: id, Title: f.Text("title"), Kind: f.Text("kind"), Choices: f.Text("choices")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act),
		"/setup/on/people",
		said{Text: "Saved: " + act.Title + ". It stands on everybody's page, and can be a column and a filter of the list."})
}

func (s *Server) dropOwnField(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "field")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, people.DropOwnField{ID: id}), "/setup/on/people",
		said{Text: "The field is taken out."})
}

func (s *Server) putHoliday(w http.ResponseWriter, r *http.Request) error {
	d, err := when.ParseDate(r.FormValue("date"))
	if err != nil {
		return s.done(w, r, nil, "/setup/on/holidays", said{Text: "The date of the holiday is missing. Choose a day.", Refused: true})
	}
	err = s.app.Do(r.Context(), visitOf(r).actor,
		company.PutHoliday{Date: d, Title: r.FormValue("title"), Multiplier: r.FormValue("multiplier")})
	return s.done(w, r, err, "/setup/on/holidays",
		said{Text: d.Format("Monday 2 January 2006") + " is a holiday: nothing is expected that day."})
}

func (s *Server) dropHoliday(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	d := f.Date("date")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, company.DropHoliday{Date: d})
	return s.done(w, r, err, "/setup/on/holidays", said{Text: d.Format("Monday 2 January 2006") + " is a day like others."})
}

func (s *Server) fillHolidays(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	year := f.Count("year")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, company.FillHolidays{Country: f.Text("country"), Year: year})
	return s.done(w, r, err, "/setup/on/holidays",
		said{Text: "The public holidays of " + strconv.Itoa(year) + " are filled in, from the first day that isn't paid yet."})
}

// putAway puts a part away, or takes it up.
func (s *Server) putAway(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := company.PutAway{Part: f.Text("part"), Away: f.Text("away") == "yes"}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	text := "It is on the pages again."
	if act.Away {
		text = "It is put away; it comes back here."
	}
	return s.done(w, r, err, "/setup", said{Text: text})
}
