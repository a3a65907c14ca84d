package web

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"manudex/app"
	"manudex/app/jobs"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
)

type customerView struct {
	frameView
	*jobs.CustomerPage
	NewID  string
	Used   int64 // seconds worked on all jobs
	Shared []shareView
}

// shareView is a link that somebody outside has.
type shareView struct {
	store.CustomerLink
	Words string
}

func shareWords(l store.CustomerLink, today when.Date, loc *time.Location) string {
	words := "until taken back"
	switch {
	case l.LastDay != nil && *l.LastDay < today:
		words = "over since " + l.LastDay.Format("2 Jan 2006")
	case l.LastDay != nil:
		words = "up to " + l.LastDay.Format("2 Jan 2006")
	}
	if l.WithNames {
		words = "with names, " + words
	}
	words += " · given by " + l.ByName
	if l.LastSeenAt == nil {
		return words + " · not looked yet"
	}
	return words + " · last looked " + l.LastSeenAt.In(loc).Format("2 Jan 2006")
}

func (s *Server) customerPage(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "customer")
	if err != nil {
		return err
	}
	p, err := jobs.ReadCustomerPage(r.Context(), s.app, visitOf(r).actor, id)
	if err != nil {
		return err
	}
	v := customerView{CustomerPage: p, NewID: newID().String()}
	for _, j := range p.Jobs {
		v.Used += j.Used
	}
	for _, l := range p.Links {
		v.Shared = append(v.Shared, shareView{l, shareWords(l, p.Today, p.Loc)})
	}
	if v.frameView, err = s.stillFrame(r, p.Name, "jobs"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "customer", v)
	return nil
}

func (s *Server) renameCustomer(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "customer")
	if err != nil {
		return err
	}
	act := jobs.RenameCustomer{ID: id, Title: r.FormValue("title")}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/customers/"+id.String(),
		said{Text: "The customer is called " + act.Title + " now, on all their jobs."})
}

func (s *Server) shareHours(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := jobs.ShareHours{ID: f.ID("id"), Customer: f.PathID("customer"), To: f.Text("to"), LastDay: f.Text("last_day"),
		WithNames: f.Yes("names"), Token: app.NewSignInToken()}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, "/customers/"+act.Customer.String(),
		said{Text: "Give " + act.To + " this link: " + s.origin(r) + "/hours/" + act.Token + " – it is shown only now."})
}

func (s *Server) takeShare(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id, link := f.PathID("customer"), f.PathID("link")
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, jobs.TakeShare{Customer: id, ID: link})
	return s.done(w, r, err, "/customers/"+id.String(), said{Text: "The link is taken back: it shows nothing any more."})
}

type sharedView struct {
	*jobs.SharedHours
	Title, Token  string
	Before, After string // months, "" where there is none
}

// readShared reads what a link shows. Guessing is slowed down.
func (s *Server) readShared(w http.ResponseWriter, r *http.Request) (*jobs.SharedHours, error) {
	var month when.Date
	if text := r.URL.Query().Get("month"); text != "" {
		var err error
		if month, err = when.ParseDate(text + "-01"); err != nil {
			return nil, app.ErrNotFound
		}
	}
	w.Header().Set("Referrer-Policy", "no-referrer")
	p, err := jobs.ReadSharedHours(r.Context(), s.app, chi.URLParam(r, "token"), month)
	if errors.Is(err, app.ErrNotFound) && s.guessed(r, "hours") {
		return nil, errTooOften
	}
	return p, err
}

// sharedHours is the page that somebody outside reads.
func (s *Server) sharedHours(w http.ResponseWriter, r *http.Request) error {
	p, err := s.readShared(w, r)
	if err != nil {
		return err
	}
	v := sharedView{SharedHours: p, Title: "Hours for " + p.Customer, Token: chi.URLParam(r, "token"),
		Before: (p.Span.From - 1).Format("2006-01")}
	if p.Span.To < p.Today {
		v.After = (p.Span.To + 1).Format("2006-01")
	}
	s.pages.write(w, s.log, http.StatusOK, "shared", v)
	return nil
}

func (s *Server) sharedHoursCSV(w http.ResponseWriter, r *http.Request) error {
	p, err := s.readShared(w, r)
	if err != nil {
		return err
	}
	head := []string{"Job", "Name", "Date", "Task", "Billable", "Checked", "People", "Seconds", "Hours"}
	if p.WithNames {
		head = append(head, "Names")
	}
	var rows [][]string
	for _, j := range p.Jobs {
		for _, h := range j.Rows {
			row := []string{h.Number, h.Name, h.Date.String(), h.Task,
				yesOrNo(h.Billable), yesOrNo(h.Checked), fmt.Sprint(h.People), fmt.Sprint(h.Seconds),
				fmt.Sprintf("%.4f", float64(h.Seconds)/3600)}
			if p.WithNames {
				row = append(row, h.Names)
			}
			rows = append(rows, row)
		}
	}
	return writeCSV(w, "hours-"+p.Span.From.Format("2006-01")+".csv", head, rows)
}

func yesOrNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
