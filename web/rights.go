package web

import (
	"net/http"
	"time"

	"manudex/app"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
)

type rightsView struct {
	frameView
	*people.RightsPage
	Rows  []rightRow
	NewID string
	Last  when.Date // proposed, for an auditor
}

type rightRow struct {
	store.RightRow
	Words, Reach, Given, Used string
}

// rightsPage lists who may what, as it stood on a day.
func (s *Server) rightsPage(w http.ResponseWriter, r *http.Request) error {
	var on when.Date
	if text := r.URL.Query().Get("on"); text != "" {
		var err error
		if on, err = when.ParseDate(text); err != nil {
			return app.ErrNotFound
		}
	}
	p, err := people.Rights(r.Context(), s.app, visitOf(r).actor, on)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := rightsView{RightsPage: p, NewID: newID().String(), Last: p.Today + 30}
	for _, row := range p.Rows {
		v.Rows = append(v.Rows, rightRowOf(row, place.Loc))
	}
	if v.frameView, err = s.stillFrame(r, "Who may what", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "rights", v)
	return nil
}

func rightRowOf(row store.RightRow, loc *time.Location) rightRow {
	v := rightRow{RightRow: row, Words: "by level", Reach: "everyone"}
	for _, right := range app.Rights {
		if right.What == row.What {
			v.Words = right.Name
		}
	}
	switch {
	case row.Unit != nil:
		v.Reach = *row.Unit
	case row.Site != nil:
		v.Reach = "everyone at " + *row.Site
	case row.What == "" && row.Level == "lead":
		v.Reach = "their crews"
	}
	if row.GivenAt != nil {
		v.Given = row.GivenAt.In(loc).Format("2 Jan 2006")
		if row.GivenBy != nil {
			v.Given += ", " + *row.GivenBy
		}
	}
	if row.UsedAt != nil {
		v.Used = row.UsedAt.In(loc).Format("2 Jan 2006, 15:04")
	} else if row.What != "" {
		v.Used = "not yet"
	}
	return v
}

func (s *Server) addAuditor(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id := f.ID("id")
	if err := f.Err(); err != nil {
		return err
	}
	last, err := when.ParseDate(f.Text("last"))
	if err != nil {
		return s.done(w, r, nil, "/setup/rights", said{Text: "The last day is missing. Write it as YYYY-MM-DD.", Refused: true})
	}
	actor, err := s.proved(r)
	if err == nil {
		err = s.app.Do(r.Context(), actor,
			people.AddAuditor{ID: id, Given: f.Text("given_name"), Family: f.Text("family_name"),
				Email: f.Text("email"), Last: last})
	}
	if err != nil {
		return s.done(w, r, err, "/setup/rights", said{})
	}
	return s.done(w, r, nil, "/people/"+id.String(),
		said{Text: "The auditor is added, until " + last.Format("2 January 2006") + ". Give them a sign-in here."})
}
