package web

import (
	"net/http"
	"net/url"

	"github.com/go-chi/chi/v5"
	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/payroll"
	"manudex/core/card"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

type payPersonView struct {
	frameView
	*payroll.PersonPay
	Back  string // the run
	Cards string // the timecards of the period
	Weeks []payWeekView
}

type payWeekView struct {
	payroll.PersonWeek
	Lines []payLineView
}

type payLineView struct {
	payroll.PersonLine
	What  string
	Hours string // "" for a sum
	Plain bool   // hours at a rate: there is nothing to explain
	Card  string // where the hours are drawn, "" for a sum of no day's hours
}

// payKinds are what lines pay, in words.
var payKinds = map[pay.LineKind]string{pay.Straight: "straight pay", pay.PaidNotWorked: "paid, not worked",
	pay.OvertimePremium: "overtime premium", pay.DoublePremium: "double time premium", pay.DifferentialPay: "differential",
	pay.HolidayPremium: "holiday premium", pay.Fringe: "fringe", pay.FringePlan: "fringe, into a plan", pay.CalloutPay: "call-out",
	pay.MealPay: "missed meal", pay.LeavePay: "leave", pay.ExtraPay: "extra", pay.Banked: "banked as time off",
	pay.BonusPremium: "overtime on a bonus", pay.SalaryPay: "salary", pay.Deducted: "deduction"}

// payPersonHref is where a run says what it pays somebody.
func payPersonHref(page *payroll.RunPage, employment uuid.UUID) string {
	if page.Closed != nil {
		return "/payruns/" + page.Closed.ID.String() + "/" + employment.String()
	}
	href := "/payruns/open/" + employment.String()
	if page.Group != "" {
		href += "?group=" + url.QueryEscape(page.Group)
	}
	return href
}

// payPersonPage says what a run pays somebody, line by line, with why; it can be printed and
// handed over.
func (s *Server) payPersonPage(w http.ResponseWriter, r *http.Request) error {
	employment, err := uuid.Parse(chi.URLParam(r, "employment"))
	if err != nil {
		return app.ErrNotFound
	}
	run, err := runOf(r)
	if err != nil {
		return err
	}
	p, err := payroll.ReadPersonPay(r.Context(), s.app, visitOf(r).actor, r.URL.Query().Get("group"), run, employment)
	if err != nil {
		return err
	}
	back := "/payruns"
	if p.Closed != nil {
		back = "/payruns/" + run.String()
	} else if p.Group != "" {
		back += "?group=" + url.QueryEscape(p.Group)
	}
	return s.showPersonPay(w, r, p, back, "payruns")
}

func (s *Server) showPersonPay(w http.ResponseWriter, r *http.Request, p *payroll.PersonPay, back, here string) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := payPersonView{PersonPay: p, Back: back}
	if here == "payruns" {
		v.Cards = "/timecards?person=" + p.Person.String() + "&from=" + p.Period.From.String() + "&to=" + p.Period.To.String()
	}
	for _, w := range p.Weeks {
		week := payWeekView{PersonWeek: w}
		for _, l := range w.Lines {
			line := payLineViewOf(l)
			if line.Hours != "" && l.Kind != pay.BonusPremium && l.Date <= place.Today(s.app.Now()) {
				line.Card = "/cards/" + p.Employment.String() + "/" + l.Date.String()
			}
			week.Lines = append(week.Lines, line)
		}
		v.Weeks = append(v.Weeks, week)
	}
	if v.frameView, err = s.stillFrame(r, p.Name()+", pay", here); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "payrun-person", v)
	return nil
}

type ownPayView struct {
	frameView
	Rows []ownPayRow
}

type ownPayRow struct {
	store.OwnRunSum
	Period, Gross, Deducted string
}

// ownPayPage lists what closed runs paid whoever looks at it.
func (s *Server) ownPayPage(w http.ResponseWriter, r *http.Request) error {
	own, err := payroll.ReadOwnPay(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	var v ownPayView
	for _, o := range own.Runs {
		decimals := int32(pay.CurrencyDecimals(o.Currency))
		row := ownPayRow{OwnRunSum: o, Period: words.SpanFrom(when.Period{From: o.From, To: o.To}, 0),
			Gross: words.Grouped(o.Gross.StringFixed(decimals))}
		if !o.Deducted.IsZero() {
			row.Deducted = words.Grouped(o.Deducted.StringFixed(decimals))
		}
		v.Rows = append(v.Rows, row)
	}
	if v.frameView, err = s.stillFrame(r, "My pay", "me"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "own-pay", v)
	return nil
}

// ownRunPage says what a closed run paid whoever looks at it, line by line, with why.
func (s *Server) ownRunPage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	run, employment := f.PathID("run"), f.PathID("employment")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := payroll.ReadOwnRun(r.Context(), s.app, visitOf(r).actor, run, employment)
	if err != nil {
		return err
	}
	return s.showPersonPay(w, r, p, "/me/pay", "me")
}

func payLineViewOf(l payroll.PersonLine) payLineView {
	v := payLineView{PersonLine: l, What: payKinds[l.Kind], Plain: l.Kind == pay.Straight && l.Class == pay.Regular}
	if l.Kind == pay.Straight && l.Class != pay.Regular {
		v.What += ", " + words.Pays[l.Class.String()]
	}
	if l.Kind != pay.ExtraPay && l.Kind != pay.SalaryPay && l.Kind != pay.Deducted {
		v.Hours = card.HoursMinutes(l.Seconds)
	}
	return v
}
