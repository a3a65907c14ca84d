package web

import (
	"net/http"
	"net/url"

	"github.com/google/uuid"

	"manudex/app/payroll"
	"manudex/web/words"
)

// runSheetView is a run on paper: all of its people at once, in the order and of the crews that the page was
// looked at.
type runSheetView struct {
	payRunView
	Rows     []payroll.PayRow
	BackHref string
	Crews    []string // that it was narrowed to
	Made     words.Local
}

// sheetHref is where a run is to be had on paper.
func sheetHref(p *payroll.RunPage, r *http.Request) string {
	q := url.Values{}
	for key, values := range r.URL.Query() {
		switch key {
		case "crew", "sort", "group":
			q[key] = values
		}
	}
	path := "/payruns/open/sheet"
	if p.Closed != nil {
		path = "/payruns/" + p.Closed.ID.String() + "/sheet"
	}
	if len(q) == 0 {
		return path
	}
	return path + "?" + q.Encode()
}

// runSheet shows a run on paper.
func (s *Server) runSheet(w http.ResponseWriter, r *http.Request) error {
	run, err := runOf(r)
	if err != nil {
		return err
	}
	page, err := payroll.PayRunOf(r.Context(), s.app, visitOf(r).actor, r.URL.Query().Get("group"), run)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	list := listQueryOf(r)
	v := runSheetView{payRunView: payRunView{RunPage: page, L: list, AllRows: page.Rows},
		Crews: list.Q["crew"], Made: words.At(s.app.Now(), place.Loc)}
	if v.Rows, err = sortedPay(list, page.Rows); err != nil {
		return err
	}
	v.words()
	v.payRunView.Steps = v.steps()
	if v.frameView, err = s.stillFrame(r, "Pay run on paper", "payruns"); err != nil {
		return err
	}
	v.BackHref = "/payruns?group=" + url.QueryEscape(page.Group)
	if run != uuid.Nil {
		v.BackHref = "/payruns/" + run.String()
	}
	s.pages.write(w, s.log, http.StatusOK, "payrun-sheet", v)
	return nil
}
