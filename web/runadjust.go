package web

import (
	"net/http"
	"net/url"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app/payroll"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

type adjustView struct {
	frameView
	*payroll.AdjustPage
	Rows    []adjustRow
	Named   []differentialRow
	Typed   url.Values // what was sent and refused
	Refusal *refusal.Refusal
	ID      string
	Columns []string
}

type adjustRow struct {
	store.Adjustment
	Sum string
}

type differentialRow struct {
	store.NamedDifferential
	Pays, Window string
}

// T gives what was typed into a field before it was refused.
func (v adjustView) T(name string) string { return v.Typed.Get(name) }

// Wrong says whether a field was refused.
func (v adjustView) Wrong(name string) bool { return v.Refusal != nil && v.Refusal.Field == name }

func (s *Server) adjustPage(w http.ResponseWriter, r *http.Request) error {
	return s.showAdjust(w, r, http.StatusOK, r.URL.Query().Get("group"), nil, nil)
}

func (s *Server) showAdjust(w http.ResponseWriter, r *http.Request, status int, group string, typed url.Values,
	refused *refusal.Refusal) error {
	p, err := payroll.ReadAdjustPage(r.Context(), s.app, visitOf(r).actor, group)
	if err != nil {
		return err
	}
	v := adjustView{AdjustPage: p, Typed: typed, Refusal: refused, ID: newID().String(),
		Columns: payroll.AdjustColumns}
	for _, a := range p.Rows {
		row := adjustRow{a, words.Grouped(a.Amount.StringFixed(int32(p.Decimals)))}
		if a.Seconds != nil {
			row.Sum = card.HoursMinutes(*a.Seconds) + " × " + a.Rate.String() + " = " + row.Sum
		}
		v.Rows = append(v.Rows, row)
	}
	for _, d := range p.Differentials {
		row := differentialRow{NamedDifferential: d, Pays: d.PerHour.StringFixed(2) + " an hour"}
		if d.Percent > 0 {
			row.Pays = decimal.New(d.Percent, -2).String() + " % of the rate"
		}
		row.Window = when.TimeOfDay(time.Duration(d.FromTime)*time.Second) + "–" + when.TimeOfDay(time.Duration(d.ToTime)*time.Second)
		v.Named = append(v.Named, row)
	}
	if v.frameView, err = s.stillFrame(r, "Besides the hours", "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "payrun-adjust", v)
	return nil
}

func (s *Server) adjusted(w http.ResponseWriter, r *http.Request, group string, err error, text said) error {
	if refused := refusalIn(err); refused != nil {
		return s.showAdjust(w, r, http.StatusUnprocessableEntity, group, r.PostForm, refused)
	}
	return s.done(w, r, err, "/payruns/adjustments?group="+url.QueryEscape(group), text)
}

func (s *Server) addAdjustment(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id, group := f.ID("id"), f.Text("group")
	if err := f.Err(); err != nil {
		return err
	}
	who, err := payroll.Called(r.Context(), s.app, visitOf(r).actor, group, f.Text("who"))
	if err == nil {
		row := payroll.Adjustment{Employment: who[0], Does: f.Text("does"), What: f.Text("what"), PayCode: f.Text("pay_code"),
			Amount: f.Text("amount"), Hours: f.Text("hours"), Rate: f.Text("rate"), InRegularRate: f.Yes("in_regular_rate"),
			From:  f.Text("from"),
			Until: f.Text("until"), OverFrom: f.Text("over_from"), OverTo: f.Text("over_to")}
		err = s.app.Do(r.Context(), visitOf(r).actor, payroll.PutAdjustments{ID: id, Group: group, Rows: []payroll.Adjustment{row}})
	}
	return s.adjusted(w, r, group, err, said{Text: "In the open run."})
}

// adjustFile takes a file of adjustments: all of it or nothing.
func (s *Server) adjustFile(w http.ResponseWriter, r *http.Request) error {
	file, header, err := upload(r, "file", "file", "a CSV file or a workbook")
	if err != nil {
		return s.adjusted(w, r, r.FormValue("group"), err, said{})
	}
	defer file.Close()
	f := form.Of(r)
	id, group := f.ID("id"), f.Text("group")
	if err := f.Err(); err != nil {
		return err
	}
	table, err := files.ReadTable(file)
	if err != nil {
		return s.adjusted(w, r, group, refusal.New("file", "The file can't be read", err.Error()), said{})
	}
	rows, err := payroll.AdjustmentsOf(r.Context(), s.app, visitOf(r).actor, group, table)
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, payroll.PutAdjustments{ID: id, Group: group, Rows: rows, File: header.Filename})
	}
	return s.adjusted(w, r, group, err, said{Text: words.Plural(len(rows), "adjustment", "adjustments") + " came in."})
}

func (s *Server) endAdjustment(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id, group := f.PathID("id"), f.Text("group")
	if err := f.Err(); err != nil {
		return err
	}
	return s.adjusted(w, r, group, s.app.Do(r.Context(), visitOf(r).actor, payroll.EndAdjustment{ID: id}),
		said{Text: "No run pays it any more."})
}

func (s *Server) addDifferential(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id, group := f.ID("id"), f.Text("group")
	if err := f.Err(); err != nil {
		return err
	}
	act := payroll.PutDifferential{ID: id, Group: group, Title: f.Text("title"), From: f.Text("from_time"), To: f.Text("to_time"),
		PerHour: f.Text("per_hour"), Percent: f.Text("percent"), First: f.Text("first"), Last: f.Text("last"), EmploymentOf: f.Text("unit")}
	var err error
	if text := f.Text("whom"); text != "" && act.EmploymentOf == "" {
		var found []uuid.UUID
		if found, err = payroll.Called(r.Context(), s.app, visitOf(r).actor, group, text); err == nil {
			act.Employments = found
		}
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.adjusted(w, r, group, err, said{Text: "They get it from then on."})
}

func (s *Server) endDifferential(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id, group := f.PathID("id"), f.Text("group")
	if err := f.Err(); err != nil {
		return err
	}
	return s.adjusted(w, r, group, s.app.Do(r.Context(), visitOf(r).actor, payroll.EndDifferential{ID: id}),
		said{Text: "It ends with what was paid."})
}
