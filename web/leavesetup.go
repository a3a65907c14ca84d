package web

import (
	"context"
	"net/http"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"manudex/app/field"
	"manudex/app/leave"
	core "manudex/core/leave"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

const leaveSetup = "/setup/leave"

type leaveSetupView struct {
	frameView
	Kinds     []store.LeaveKind
	Policies  []leavePolicyRow
	Windows   []store.LeaveWindow
	Units     []store.Least
	Sites     []store.Least
	Ready     []core.ReadyPolicy
	NewIDs    [5]string
	Today     when.Date
	Yesterday when.Date
	MayChange bool
}

type leavePolicyRow struct {
	ID, Name, Kind, People string
	Year                   string // what a year of it comes to, for somebody new who works eight hours on five days
}

// leaveSetupPage shows the kinds of leave, how each is earned, and when nobody takes it.
func (s *Server) leaveSetupPage(w http.ResponseWriter, r *http.Request) error {
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := leaveSetupView{Ready: core.Ready(), Today: place.Today(s.app.Now()), MayChange: visitOf(r).actor.May("setup.change")}
	v.Yesterday = v.Today - 1
	for i := range v.NewIDs {
		v.NewIDs[i] = newID().String()
	}
	if v.Kinds, err = store.LeaveKinds(r.Context(), s.app.DB); err != nil {
		return err
	}
	if v.Policies, err = s.leavePolicyRows(r.Context(), v.Today); err != nil {
		return err
	}
	if v.Windows, err = store.LeaveWindows(r.Context(), s.app.DB, when.Period{From: v.Today, To: v.Today + 1000}); err != nil {
		return err
	}
	numbers, err := store.LeastLeft(r.Context(), s.app.DB)
	if err != nil {
		return err
	}
	for _, l := range numbers {
		if l.Site {
			v.Sites = append(v.Sites, l)
		} else {
			v.Units = append(v.Units, l)
		}
	}
	if v.frameView, err = s.stillFrame(r, "Leave", "setup"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "leave-setup", v)
	return nil
}

// leavePolicyRows lists the policies, each tried on somebody who begins today.
func (s *Server) leavePolicyRows(ctx context.Context, today when.Date) ([]leavePolicyRow, error) {
	all, err := store.LeavePolicies(ctx, s.app.DB)
	if err != nil {
		return nil, err
	}
	var rows []leavePolicyRow
	for _, p := range all {
		year, err := leave.YearOf(p.Policy, today)
		if err != nil {
			return nil, err
		}
		rows = append(rows, leavePolicyRow{ID: p.ID.String(), Name: p.Name, Kind: p.KindName,
			People: words.Plural(p.People, "person has it", "people have it"), Year: year.String()})
	}
	return rows, nil
}

// putLeaveKind adds a kind of leave, or changes it.
func (s *Server) putLeaveKind(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.PutLeaveKind{ID: f.ID("id"), Name: f.Text("name"), Paid: f.Yes("paid"), PayCode: f.Text("pay_code"),
		NoteNeeded: f.Yes("note_needed"), Photo: f.Yes("photo"), MayGive: f.Yes("may_give"), InDays: f.Text("unit") == "days",
		Low: f.Text("low"), Few: f.Text("few"), Closed: f.Yes("closed"),
		RateBy: f.Text("rate_by"), Banks: f.Yes("banks"), Docks: f.Text("docks")}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if text := f.Text("rate_weeks"); text != "" {
		if act.RateWeeks, err = strconv.Atoi(text); err != nil || act.RateWeeks < 1 {
			return s.done(w, r, refusal.New("rate_weeks", "That is no number of paid weeks", "Write 1 to 104"), leaveSetup, said{})
		}
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), leaveSetup, said{Text: "Saved: " + act.Name + "."})
}

// giveLeavePolicy gives a policy to those who work in a crew, to everybody, or to one.
func (s *Server) giveLeavePolicy(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.GiveLeavePolicy{ID: f.ID("id"), Policy: f.ID("policy"), From: f.Date("from"), Opening: f.Text("opening")}
	if err := f.Err(); err != nil {
		return err
	}
	if text := f.Text("unit"); text != "" {
		unit, err := uuid.Parse(text)
		if err != nil {
			return refusal.New("unit", "That is no crew", "Choose one of the list")
		}
		act.Unit = unit
	}
	var err error
	if who := f.Text("who"); who != "" {
		act.Employment, err = leave.Named(r.Context(), s.app, visitOf(r).actor, who)
	}
	if err == nil {
		if own := strings.TrimSpace(f.Text("own")); own != "" {
			act.Own = []byte(own)
		}
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.done(w, r, err, leaveSetup, said{Text: "Given."})
}

// putWindow says when nobody takes leave.
func (s *Server) putWindow(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.PutWindow{ID: f.ID("id"), Name: f.Text("name"), Days: when.Period{From: f.Date("from"), To: f.Date("to")},
		Closed: f.Text("does") == "closed"}
	if err := f.Err(); err != nil {
		return err
	}
	act.Unit, _ = uuid.Parse(f.Text("unit")) // none is everybody
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), leaveSetup+"#windows", said{Text: "Added: " + act.Name + "."})
}

// dropWindow takes that back.
func (s *Server) dropWindow(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "window")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, leave.DropWindow{Window: id}), leaveSetup+"#windows",
		said{Text: "Taken out."})
}

// putLeast says how many have to be left.
func (s *Server) putLeast(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.PutLeast{Of: f.ID("of"), Site: f.Yes("site")}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if text := f.Text("least"); text != "" {
		if act.Least, err = strconv.Atoi(text); err != nil {
			err = refusal.New("least", "That is no number of people", "Write 1 to 1000, or nothing")
		}
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.done(w, r, err, leaveSetup+"#least", said{Text: "Saved."})
}

// dockReasons are why a salary may be lowered by whole days of unpaid leave, in words.
var dockReasons = field.Choices("personal", "for personal reasons", "sickness", "for sickness, under a plan that pays for it",
	"safety", "for a safety rule that was broken", "discipline", "as a suspension", "family_leave", "for family leave")
