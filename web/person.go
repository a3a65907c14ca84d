package web

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/clock"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

type personView struct {
	frameView
	*people.PersonPage
	ID     string
	Name   string
	Second string
	SignIn string // whether they were given one, where they have no password
	Posts  []post
	Grants []grantView
	Log    []changeWords
	Codes  []setting // pay codes the person names
	NewIDs [3]string
	Beside neighbours
	Days   *personDays // the pay period, for whoever sees the timecards

	Reports    bool          // they report hours by hand, and the reader may for them
	Incomplete bool          // they were added on the spot, and the reader can complete them
	MayBe      []store.Sheet // or may be one of these
}

// personDays are somebody's days of the pay period, and what they come to.
type personDays struct {
	Period                          when.Period
	Worked, Expected, Leave         int64 // of the days up to today; what runs is worked till now
	Rows                            []timecardRow
	Hours                           template.HTML
	Flagged, NotSigned, NotApproved int
	Year                            store.YearSum
	YearOf                          int
}

// personDaysOf reads the days of the pay period, nil for whoever may not see them.
func (s *Server) personDaysOf(r *http.Request, p *people.PersonPage, person uuid.UUID) (*personDays, error) {
	actor := visitOf(r).actor
	place, err := s.app.Company(r.Context())
	if err != nil {
		return nil, err
	}
	d := &personDays{}
	if d.Period, err = place.Periods().Of(p.Today); err != nil {
		return nil, err
	}
	if !actor.May("timecards.see") || p.Sheets[0].Employment == uuid.Nil {
		return nil, nil
	}
	desk, err := hours.ReadDesk(r.Context(), s.app, actor, hours.DeskQuery{Days: d.Period, Person: person})
	if errors.Is(err, app.ErrNotFound) {
		return nil, nil
	} else if err != nil {
		return nil, err
	}
	d.Hours = template.HTML(draw.Hours(nil, axisOf(d.Period.From, place.Loc), place.Loc))
	for _, row := range desk.Rows {
		if row.Date > p.Today || row.Empty() && row.Due() == 0 {
			continue
		}
		t := timecardRowOf(actor, "", row, desk)
		d.Worked, d.Expected, d.Leave = d.Worked+t.WorkedNow, d.Expected+row.Due(), d.Leave+row.Leave
		d.Rows = append(d.Rows, t)
	}
	d.YearOf = p.Today.Year()
	if d.Year, err = hours.ReadYear(r.Context(), s.app, actor, p.Sheets[0].Employment); err != nil {
		return nil, err
	}
	d.Flagged, d.NotSigned, d.NotApproved = desk.Counts.Flagged, desk.Counts.NotSigned, desk.Counts.Cards-desk.Counts.Done
	return d, nil
}

// post is one employment with its settings.
type post struct {
	store.Sheet
	Title  string
	Groups []settingGroup
}

type settingGroup struct {
	Name     string
	Settings []setting
}

// signInWords says whether somebody who has no password was given a link.
func signInWords(p *people.PersonPage) string {
	switch {
	case p.Link == nil:
		return "Not given yet."
	case p.Link.UsedAt != nil:
		return "Taken away."
	case p.Link.Expires.After(p.Now):
		return "A link was given " + words.At(p.Link.MadeAt, p.Loc).By() + ", and has not been used. It holds until " +
			words.At(p.Link.Expires, p.Loc).By() + "."
	}
	return "A link was given " + words.At(p.Link.MadeAt, p.Loc).By() + ", and was not used in its week."
}

type grantView struct {
	store.GrantRow
	Words string
}

type changeWords struct {
	When, Who, What, Undo string
}

func (s *Server) personPage(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "person")
	if err != nil {
		return err
	}
	actor := visitOf(r).actor
	p, err := people.ReadPersonPage(r.Context(), s.app, actor, id)
	if err != nil {
		return err
	}
	first := p.Sheets[0]
	v := personView{PersonPage: p, ID: id.String(), Name: first.Name(),
		NewIDs: [3]string{newID().String(), newID().String(), newID().String()}}
	number := "no number yet"
	if n := first.Values["number"]; n != "" {
		number = "number " + n
	}
	v.Second = fmt.Sprintf("%s · %s · %s", number, first.Values["unit"],
		p.Fields.Get("state").Show(first.Values["state"]))
	list := cameFrom(r, "/people")
	if v.Beside, err = neighboursOf(list, func() (before, after uuid.UUID, err error) {
		f, err := sheetFilter(list)
		if err != nil {
			return before, after, err
		}
		return people.Beside(r.Context(), s.app, actor, f, id)
	}); err != nil {
		return err
	}
	if v.Days, err = s.personDaysOf(r, p, id); err != nil {
		return err
	}
	v.SignIn = signInWords(p)
	if first.Values["unit"] == "" {
		v.Second = fmt.Sprintf("number %s · runs the place, doesn't clock", first.Values["number"])
	}
	for n, sheet := range p.Sheets {
		post := post{Sheet: sheet, Title: sheet.Values["title"]}
		groups := groupsOf(p.Fields.All, func(f field.PersonField) bool {
			_, seen := sheet.Values[f.Key]
			ofEmployment := f.Group != "Person" && f.Group != "Company"
			return !f.Later && (seen || f.Own) && (n == 0 || ofEmployment) &&
				(sheet.Employment != uuid.Nil || !ofEmployment || f.Key == "leads")
		})
		for _, g := range groups {
			sg := settingGroup{Name: g.Name}
			for _, f := range g.Fields {
				sg.Settings = append(sg.Settings,
					personSetting(f, sheet, p.Today, p.MayChange && actor.Reaches("people.change", sheet.Person, sheet.Unit)))
			}
			post.Groups = append(post.Groups, sg)
		}
		v.Posts = append(v.Posts, post)
	}
	for _, sheet := range p.Sheets {
		v.Reports = v.Reports || actor.Reaches("hours.report", sheet.Person, sheet.Unit) && (sheet.Values["reporting"] == "pattern" ||
			slices.Contains(field.SplitList(sheet.Values["clock_points"]), string(clock.Reporting)))
	}
	if first.Values["incomplete"] == "yes" && p.MayChange {
		if v.MayBe, err = people.MayBe(r.Context(), s.app, actor, id, cmp.Or(r.URL.Query().Get("who"),
			first.Values["family_name"])); err != nil {
			return err
		}
		v.Incomplete = true
	}
	v.Codes = codeSettings(p.OwnCodes, "/people/"+id.String()+"/codes", p.FirstPeriod, p.MayChange)
	v.words(s)
	if v.frameView, err = s.stillFrame(r, v.Name, "people"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "person", v)
	return nil
}

// personSetting is a setting of a person, from a day on where it is dated.
func personSetting(f field.PersonField, sheet store.Sheet, today when.Date, edit bool) setting {
	value, employment := sheet.Values[f.Key], ""
	if sheet.Employment != uuid.Nil {
		employment = sheet.Employment.String()
	}
	st := setting{Field: f.Field, Action: "/people/" + sheet.Person.String() + "/set", ID: "f-" + employment + "-" + f.Key, Name: "value",
		Value: f.Enter(value), Text: f.Show(value), Edit: edit && !f.Fixed,
		Sent: []sent{{"id", newID().String()}, {"field", f.Key}, {"employment", employment}}}
	if f.Dated {
		st.From = today.String()
	}
	return st
}

// words says what was granted and changed.
func (v *personView) words(s *Server) {
	for _, g := range v.PersonPage.Grants {
		gv := grantView{GrantRow: g, Words: g.What}
		for _, r := range app.Rights {
			if r.What == g.What {
				gv.Words = r.Name
			}
		}
		switch {
		case g.Unit != nil:
			gv.Words += ", for " + *g.Unit
		case g.Site != nil:
			gv.Words += ", for everyone at " + *g.Site
		default:
			gv.Words += ", for everyone"
		}
		v.Grants = append(v.Grants, gv)
	}
	for _, c := range v.Changes {
		f := v.Fields.Get(c.Field)
		if f == nil {
			continue
		}
		w := changeWords{When: c.MadeAt.In(v.Loc).Format("2 Jan 2006 15:04"), Who: c.ByName,
			What: fmt.Sprintf("%s: %s → %s", f.Label, orDash(f.Show(c.Old)), orDash(f.Show(c.New)))}
		if c.StartsOn != nil {
			w.What += ", from " + c.StartsOn.Format("2 Jan 2006")
		}
		if c.Undoes != nil {
			w.What += " (taken back)"
		}
		v.Log = append(v.Log, w)
	}
}

func orDash(s string) string {
	if s == "" {
		return "–"
	}
	return s
}

// setPerson changes one setting of a person, on their page or in the list.
func (s *Server) setPerson(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := people.SetPerson{ID: f.ID("id"), Person: f.PathID("person"), Employment: f.MaybeID("employment"), From: f.MaybeDate("from"),
		Field: f.Text("field"), Value: f.Text("value")}
	if err := f.Err(); err != nil {
		return err
	}
	actor := visitOf(r).actor
	err := s.sureOfWays(r, actor, act, f.Yes(sureField))
	if err == nil {
		err = s.app.Do(r.Context(), actor, act)
	}
	return s.settingSaved(w, r, err, "/people/"+act.Person.String(), act.Value, func() (setting, error) {
		p, err := people.ReadSetting(r.Context(), s.app, actor, act)
		if err != nil {
			return setting{}, err
		}
		st := personSetting(*p.Field, p.Sheet, p.Today, true)
		st.Batch = act.ID.String()
		if act.From != 0 {
			st.From = act.From.String()
			if act.From > p.Today {
				st.Said = "Saved, from " + act.From.Format("2 Jan 2006")
			}
		}
		return st, nil
	})
}

// sureOfWays says what somebody gains and lacks before a way of clocking is taken from
// them, on a page that can ask.
func (s *Server) sureOfWays(r *http.Request, actor app.Actor, act people.SetPerson, sure bool) error {
	if act.Field != "clock_points" || sure || r.Header.Get("HX-Request") == "" || r.Header.Get("X-Cell") != "" {
		return nil
	}
	p, err := people.ReadSetting(r.Context(), s.app, actor, act)
	if err != nil {
		return err
	}
	wrong, right := words.WaysTaken(p.Sheet.Values["given_name"], field.SplitList(p.Sheet.Values["clock_points"]),
		field.SplitList(act.Value))
	if wrong == "" {
		return nil
	}
	return refusal.New(sureField, wrong, right)
}

func (s *Server) addPosition(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	person, id := f.PathID("person"), f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor,
		people.AddPosition{ID: id, Person: person, Unit: f.Text("unit"), Site: f.Text("site"), Title: f.Text("title"),
			StartsOn: f.Text("starts_on")})
	return s.done(w, r, err, "/people/"+person.String(), said{Text: "The position is added; its rate and pattern are set on this page."})
}

func (s *Server) endPerson(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	person, id := f.PathID("person"), f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	back := "/people/" + person.String()
	on, err := when.ParseDate(f.Text("on"))
	if err != nil {
		return s.done(w, r, nil, back, said{Text: "The last day is missing. Write it as YYYY-MM-DD.", Refused: true})
	}
	act := people.EndPerson{ID: id, Person: person, On: on}
	if out := f.Text("out"); out != "" {
		place, err := s.app.Company(r.Context())
		if err != nil {
			return err
		}
		if act.Out, err = time.ParseInLocation("2006-01-02T15:04", out, place.Loc); err != nil {
			return s.done(w, r, nil, back, said{Text: "The time of clocking out can't be read. Choose a day and a time.", Refused: true})
		}
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, back,
		said{Text: "The last day is " + on.Format("2 January 2006") + ". Past hours and pay stay where they are.", Undo: back + "/back",
			UndoLabel: "Undo", Batch: newID().String()})
}

// completePerson says that nothing is missing of somebody who was added on the spot.
func (s *Server) completePerson(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := people.CompletePerson{Person: f.PathID("person")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/people/"+act.Person.String(),
		said{Text: "Nothing is missing any more."})
}

// joinPerson says that somebody who was added on the spot was there before.
func (s *Server) joinPerson(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := people.JoinPerson{ID: f.ID("id"), Person: f.PathID("person"), Into: f.ID("into")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	to := "/people/" + act.Person.String()
	if err == nil {
		to = "/people/" + act.Into.String()
	}
	return s.done(w, r, err, to, said{Text: "Their hours are those of this person now."})
}

func (s *Server) bringBack(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, people.BringBack{ID: newID(), Person: person})
	return s.done(w, r, err, "/people/"+person.String(), said{Text: "There is no last day any more: the person is back."})
}

func (s *Server) erasePerson(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, people.ErasePerson{Person: person, Number: r.FormValue("number")})
	return s.done(w, r, err, "/people/"+person.String(),
		said{Text: "The personal data is erased. Hours and pay stay, under the number alone."})
}

// everythingOf is all that is recorded of somebody, as one file.
func (s *Server) everythingOf(w http.ResponseWriter, r *http.Request) error {
	person, err := pathID(r, "person")
	if err != nil {
		return err
	}
	return s.writeEverything(w, r, person)
}

func (s *Server) everythingOfMe(w http.ResponseWriter, r *http.Request) error {
	return s.writeEverything(w, r, visitOf(r).actor.ID)
}

func (s *Server) writeEverything(w http.ResponseWriter, r *http.Request, person uuid.UUID) error {
	all, err := people.Everything(r.Context(), s.app, visitOf(r).actor, person)
	if err != nil {
		return err
	}
	h := w.Header()
	h.Set("Content-Type", "application/json")
	h.Set("Content-Disposition", `attachment; filename="everything-`+person.String()[:8]+`.json"`)
	h.Set("Cache-Control", "no-store")
	out := json.NewEncoder(w)
	out.SetIndent("", "  ")
	return out.Encode(all)
}

func (s *Server) grantRight(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := people.GrantRight{ID: f.ID("id"), Person: f.PathID("person"), What: f.Text("what")}
	if err := f.Err(); err != nil {
		return err
	}
	kind, text, _ := cutReach(f.Text("for"))
	if text != "" {
		id, err := uuid.Parse(text)
		if err != nil {
			return app.ErrNotFound
		}
		if kind == "site" {
			act.Site = id
		} else {
			act.Unit = id
		}
	}
	words := said{Text: "Granted."}
	for _, right := range app.Rights {
		if right.What == act.What {
			words.Text = "Granted: " + right.Name + ". It brings " + right.BringsWords() + "."
		}
	}
	actor, err := s.proved(r)
	if err == nil {
		err = s.app.Do(r.Context(), actor, act)
	}
	return s.done(w, r, err, "/people/"+act.Person.String(), words)
}

func (s *Server) takeRight(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	person, grant := f.PathID("person"), f.PathID("grant")
	if err := f.Err(); err != nil {
		return err
	}
	actor, err := s.proved(r)
	if err == nil {
		err = s.app.Do(r.Context(), actor, people.TakeRight{Grant: grant})
	}
	return s.done(w, r, err, "/people/"+person.String(), said{Text: "The right is taken away."})
}
