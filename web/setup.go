package web

import (
	"bytes"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strconv"

	"manudex/app/company"
	"manudex/app/field"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
)

type setupView struct {
	SiteFlags []siteFlags
	frameView
	*company.SetUpPage
	Groups    []companyGroup
	Holidays  []holidayView
	Countries []field.Choice
	Year      int
	NewIDs    [3]string
	OwnKinds  []field.Choice
	Lengths   []field.Choice // of pay periods
	SitesMap  template.HTML
}

// UnitKinds says where the people of a crew or department can be.
func (setupView) UnitKinds() []field.Choice { return field.UnitKinds }

type companyGroup struct {
	Name   string
	Values []setting
}

type holidayView struct {
	Date, Words, Name, Multiplier string
	Paid                          bool
}

func (s *Server) setupPage(w http.ResponseWriter, r *http.Request) error {
	p, err := company.SetUp(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	v := setupView{SetUpPage: p, Countries: company.Countries,
		Year: p.Today.Year(), NewIDs: [3]string{newID().String(), newID().String(), newID().String()}, OwnKinds: people.OwnKinds(),
		Lengths:  payroll.PeriodKinds,
		SitesMap: sitesMap(p.Sites, p.Place.Map, visitOf(r).actor.May("setup.change"))}
	for _, value := range p.Values {
		n := len(v.Groups)
		if n == 0 || v.Groups[n-1].Name != value.Group {
			v.Groups = append(v.Groups, companyGroup{Name: value.Group})
			n++
		}
		v.Groups[n-1].Values = append(v.Groups[n-1].Values, companySetting(value))
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

func (s *Server) setCompany(w http.ResponseWriter, r *http.Request) error {
	act := company.SetCompany{Field: r.FormValue("field"), Value: r.FormValue("value")}
	actor := visitOf(r).actor
	err := s.app.Do(r.Context(), actor, act)
	return s.settingSaved(w, r, err, "/setup", act.Value, func() (setting, error) {
		value, err := company.Setting(r.Context(), s.app, actor, act.Field)
		st := companySetting(value)
		if value.Group == "Flags" {
			st.Said = "Saved: holds from tomorrow"
		}
		return st, err
	})
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
		return s.done(w, r, err, "/setup", said{})
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, company.SetMark{Image: raw})
	return s.done(w, r, err, "/setup", said{Text: "The mark is kept. It stands on what is printed."})
}

func (s *Server) setMap(w http.ResponseWriter, r *http.Request) error {
	raw, err := uploaded(r, "map", "file", "a GeoJSON file")
	if err != nil {
		return s.done(w, r, err, "/setup", said{})
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, company.SetMap{GeoJSON: raw})
	return s.done(w, r, err, "/setup#sites", said{Text: "The map is kept. It lies beneath jobs and cards."})
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
	return s.done(w, r, err, "/setup#sites", said{Text: "Saved: " + f.Text("title") + "."})
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
	return s.done(w, r, err, "/setup#flags", said{Text: "Saved. It holds at once, for days that are over too."})
}

func (s *Server) putUnit(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := company.PutUnit{ID: f.ID("id"), Kind: f.Text("kind"), Title: f.Text("title"), Account: f.Text("account"),
		Site: f.MaybeID("site")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, "/setup#units", said{Text: "Saved: " + act.Title + "."})
}

func (s *Server) putKind(w http.ResponseWriter, r *http.Request) error {
	act := company.PutJobKind{ID: newID(), Title: r.FormValue("title"), Tasks: r.FormValue("tasks"), OwnWork: r.FormValue("own") == "yes"}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, "/setup#kinds", said{Text: "Saved: " + act.Title + ". Jobs added with this kind get its tasks."})
}

func (s *Server) addSamples(w http.ResponseWriter, r *http.Request) error {
	err := s.app.Do(r.Context(), visitOf(r).actor, company.AddSamples{})
	return s.done(w, r, err, backTo(r, "/setup#samples"),
		said{Text: "Sample people are there, with a few days of hours. Look at Today and Timecards; no run and no file has them."})
}

func (s *Server) dropSamples(w http.ResponseWriter, r *http.Request) error {
	err := s.app.Do(r.Context(), visitOf(r).actor, company.DropSamples{})
	return s.done(w, r, err, "/setup#samples", said{Text: "The samples are gone, with everything recorded of them."})
}

func (s *Server) putPeriodGroup(w http.ResponseWriter, r *http.Request) error {
	act := payroll.PutPeriodGroup{Title: r.FormValue("title"), Kind: r.FormValue("kind"), Anchor: r.FormValue("anchor")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup#periods",
		said{Text: "Saved: " + act.Title + ". Who is in it is set on People; it has runs of its own."})
}

func (s *Server) dropPeriodGroup(w http.ResponseWriter, r *http.Request) error {
	act := payroll.DropPeriodGroup{Title: r.FormValue("title")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup#periods", said{Text: act.Title + " is taken out."})
}

func (s *Server) putOwnField(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	act := people.PutOwnField{ID: id, Title: f.Text("title"), Kind: f.Text("kind"), Choices: f.Text("choices")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act),
		"/setup#fields",
		said{Text: "Saved: " + act.Title + ". It stands on everybody's page, and can be a column and a filter of the list."})
}

func (s *Server) dropOwnField(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "field")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, people.DropOwnField{ID: id}), "/setup#fields",
		said{Text: "The field is taken out."})
}

func (s *Server) putHoliday(w http.ResponseWriter, r *http.Request) error {
	d, err := when.ParseDate(r.FormValue("date"))
	if err != nil {
		return s.done(w, r, nil, "/setup#holidays", said{Text: "The date of the holiday is missing. Choose a day.", Refused: true})
	}
	err = s.app.Do(r.Context(), visitOf(r).actor,
		company.PutHoliday{Date: d, Title: r.FormValue("title"), Multiplier: r.FormValue("multiplier")})
	return s.done(w, r, err, "/setup#holidays",
		said{Text: d.Format("Monday 2 January 2006") + " is a holiday: nothing is expected that day."})
}

func (s *Server) dropHoliday(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	d := f.Date("date")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, company.DropHoliday{Date: d})
	return s.done(w, r, err, "/setup#holidays", said{Text: d.Format("Monday 2 January 2006") + " is a day like others."})
}

func (s *Server) fillHolidays(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	year := f.Count("year")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, company.FillHolidays{Country: f.Text("country"), Year: year})
	return s.done(w, r, err, "/setup#holidays",
		said{Text: "The public holidays of " + strconv.Itoa(year) + " are filled in, from the first day that isn't paid yet."})
}
