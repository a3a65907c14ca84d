package web

import (
	"net/http"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/field"
	"manudex/app/jobs"
	"manudex/app/payroll"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/web/form"
	"manudex/web/words"
)

type codesView struct {
	frameView
	*payroll.CodesPage
	Settings []setting // the company's
	Order    []orderRow
	Named    []namedCode
	Coming   []namedCode
	Pays     []field.Choice
	NewID    string
	Away     app.Away
}

type orderRow struct {
	Owner pay.Owner
	Words string
	Place int
}

type namedCode struct {
	Whose, Pays, Code, From, Href string
}

func (s *Server) codesPage(w http.ResponseWriter, r *http.Request) error {
	p, err := payroll.ReadCodesPage(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	v := codesView{CodesPage: p, NewID: newID().String(), Settings: codeSettings(p.Company, "/setup/codes", p.First, p.MayChange)}
	if v.Away, err = app.ReadAway(r.Context(), s.app.DB); err != nil {
		return err
	}
	for i, o := range p.Order {
		v.Order = append(v.Order, orderRow{o, words.Owners[o], i})
	}
	for _, c := range p.Named {
		n := namedCode{Whose: words.Owners[pay.Owner(c.Kind)] + " " + c.Label, Pays: words.Pays[c.Pays], Code: c.Code,
			From: c.StartsOn.Format("2 Jan 2006")}
		switch pay.Owner(c.Kind) {
		case pay.ByJob:
			n.Href = "/jobs/" + c.Owner.String()
		case pay.ByPerson:
			n.Href = "/people/" + c.Owner.String()
		}
		v.Named = append(v.Named, n)
	}
	for _, c := range p.Coming {
		v.Coming = append(v.Coming, namedCode{Pays: words.Pays[c.Pays], Code: c.Code, From: c.StartsOn.Format("2 Jan 2006")})
	}
	for _, c := range p.Company {
		v.Pays = append(v.Pays, c.Choice)
	}
	if v.frameView, err = s.stillFrame(r, "Codes", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "codes", v)
	return nil
}

func codeSettings(values []payroll.CodeValue, action string, first when.Date, edit bool) []setting {
	var settings []setting
	for _, c := range values {
		settings = append(settings, codeSetting(c.Value, c.Label, c.Code, action, first.String(), first.String(), edit))
	}
	return settings
}

// codeSetting is a pay code that an owner names, or could.
func codeSetting(pays, label, code, action, from, least string, edit bool) setting {
	return setting{Field: field.Field{Key: pays, Label: label}, Action: action, ID: "code-" + pays, Name: "code", Value: code, Text: code,
		Edit: edit, Sent: []sent{{"pays", pays}, {"min", least}}, From: from, Min: least, Patient: true, Class: "codesetting"}
}

// putCode makes an owner name a pay code. The address says who may: the
// company's and those of kinds and classifications are set up, a job and a
// person name theirs on their own pages.
func (s *Server) putCode(w http.ResponseWriter, r *http.Request) error {
	act := payroll.PutPayCode{Owner: pay.ByCompany, Pays: pay.Pays(r.FormValue("pays")),
		Code: r.FormValue("code"), From: r.FormValue("from")}
	if kind, text, ok := cutReach(r.FormValue("owner")); ok {
		var err error
		if act.ID, err = uuid.Parse(text); err != nil {
			return app.ErrNotFound
		}
		if act.Owner = pay.Owner(kind); act.Owner != pay.ByJobKind && act.Owner != pay.ByClassification {
			return app.ErrNotFound
		}
	}
	return s.putCodeOf(w, r, act, "/setup/codes", nil)
}

func (s *Server) putJobCode(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "job")
	if err != nil {
		return err
	}
	act := payroll.PutPayCode{Owner: pay.ByJob, ID: id, Pays: pay.Pays(r.FormValue("pays")),
		Code: r.FormValue("code"), From: r.FormValue("from")}
	return s.putCodeOf(w, r, act, "/jobs/"+id.String(), func() ([]payroll.CodeUse, error) {
		p, err := jobs.ReadJobPage(r.Context(), s.app, visitOf(r).actor, id)
		if err != nil {
			return nil, err
		}
		return p.Codes, nil
	})
}

func (s *Server) putPersonCode(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "person")
	if err != nil {
		return err
	}
	act := payroll.PutPayCode{Owner: pay.ByPerson, ID: id, Pays: pay.Pays(r.FormValue("pays")),
		Code: r.FormValue("code"), From: r.FormValue("from")}
	return s.putCodeOf(w, r, act, "/people/"+id.String(), nil)
}

// putCodeOf does the act and answers with the setting, and with what changes
// elsewhere on the page.
func (s *Server) putCodeOf(w http.ResponseWriter, r *http.Request, act payroll.PutPayCode, back string,
	uses func() ([]payroll.CodeUse, error)) error {
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	label := words.Pays[string(act.Pays)]
	if r.Header.Get("HX-Request") == "" || act.Owner == pay.ByJobKind || act.Owner == pay.ByClassification {
		return s.done(w, r, err, back, said{Text: "Saved: " + label + " from " + act.From + "."})
	}
	return s.settingSaved(w, r, err, back, act.Code, func() (st setting, err error) {
		st = codeSetting(string(act.Pays), label, act.Code, r.URL.Path, act.From, r.FormValue("min"), true)
		st.Said = "Saved, from " + act.From
		if uses == nil {
			return st, nil
		}
		now, err := uses()
		if err != nil {
			return st, err
		}
		st.More, err = s.pages.html("", "codesnow", now)
		return st, err
	})
}

// putCodeOrder moves one owner up in the order of looking pay codes up.
func (s *Server) putCodeOrder(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return app.ErrNotFound
	}
	act := payroll.PutCodeOrder{From: r.FormValue("from")}
	for _, o := range r.Form["order"] {
		act.Order = append(act.Order, pay.Owner(o))
	}
	if up := slices.Index(act.Order, pay.Owner(r.FormValue("up"))); up > 0 {
		act.Order[up-1], act.Order[up] = act.Order[up], act.Order[up-1]
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, "/setup/codes#order", said{Text: "The order is kept, from " + act.From + "."})
}

func (s *Server) putCostCode(w http.ResponseWriter, r *http.Request) error {
	act := payroll.PutCostCode{Code: r.FormValue("code"), Title: r.FormValue("title"), Closed: r.FormValue("closed") == "yes"}
	words := "Saved: cost code " + act.Code + " " + act.Title + "."
	if act.Closed {
		words = "Cost code " + act.Code + " is closed: tasks that have it keep it, new ones can't."
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/codes#cost", said{Text: words})
}

func (s *Server) putClass(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	act := payroll.PutClass{ID: id, Code: f.Text("code"), Title: f.Text("title")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/codes#classes",
		said{Text: "Saved: classification " + act.Title + "."})
}
