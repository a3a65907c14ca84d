package web

import (
	"net/http"
	"strings"

	"github.com/google/uuid"

	"manudex/app/leave"
	"manudex/core/card"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

type ownLeaveView struct {
	frameView
	*leave.Own
	Kind        string
	From, To    when.Date
	Hours, Note string
	NewID       string
	Rows        []ownLeaveRow
	Clocks      bool
	Previewed   bool
	Balances    []ownAccount
}

type ownLeaveRow struct {
	ID, Words, Kind, Length, State, Why string
	MayWithdraw                         bool
}

// leavePage is one's own leave, with what some days would cost where they are asked about.
func (s *Server) leavePage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	v := ownLeaveView{Kind: f.Text("kind"), From: f.MaybeDate("from"), To: f.MaybeDate("to"), Hours: f.Text("hours"), Note: f.Text("note"),
		NewID: newID().String(), Clocks: visitOf(r).actor.Employment != nil}
	each, err := hoursOfDay(v.Hours)
	if ferr := f.Err(); ferr != nil {
		return ferr
	}
	if err != nil {
		return err
	}
	if v.To == 0 {
		v.To = v.From
	}
	if v.Own, err = leave.ReadOwn(r.Context(), s.app, visitOf(r).actor, when.Period{From: v.From, To: v.To}, each); err != nil {
		return err
	}
	v.Previewed = len(v.Costs) > 0
	if v.From == 0 {
		v.From, v.To = v.Today+1, v.Today+1
	}
	for _, q := range v.Requests {
		v.Rows = append(v.Rows, ownLeaveRowOf(q, v.Today))
	}
	for _, a := range v.Accounts {
		v.Balances = append(v.Balances, ownAccountOf(a, v.Today))
	}
	if v.frameView, err = s.stillFrame(r, "My leave", "shifts"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "leave", v)
	return nil
}

func ownLeaveRowOf(q store.LeaveRequest, today when.Date) ownLeaveRow {
	row := ownLeaveRow{ID: q.ID.String(), Words: leaveDays(q), Kind: q.KindName, Length: card.HoursMinutes(q.Seconds),
		State: leaveStates[q.Does], Why: q.Why, MayWithdraw: q.Open() || q.Booked() && q.First > today}
	return row
}

// leaveStates are how requests stand, as sentences of the catalogue.
var leaveStates = map[string]string{"": "asked for", "take_back": "asked for", "approve": "approved", "decline": "declined",
	"withdraw": "withdrawn"}

func leaveDays(q store.LeaveRequest) string {
	if q.First == q.Last {
		return q.First.Format("Mon 2 Jan")
	}
	return q.First.Format("Mon 2 Jan") + " – " + q.Last.Format("Mon 2 Jan")
}

// hoursOfDay reads the hours of each day, 0 for all that is expected.
func hoursOfDay(text string) (int64, error) {
	if strings.TrimSpace(text) == "" {
		return 0, nil
	}
	d, err := when.ParseTimeOfDay(padded(strings.TrimSpace(text)))
	if err != nil || d == 0 {
		return 0, refusal.New("hours", "That is no number of hours of a day", "Write it like 4:00, or nothing for whole days")
	}
	return int64(d.Seconds()), nil
}

// padded is hours and minutes as a time of day is written.
func padded(text string) string {
	if !strings.Contains(text, ":") {
		text += ":00"
	}
	if strings.Index(text, ":") == 1 {
		text = "0" + text
	}
	return text
}

// askLeave asks for leave, for oneself or where one may for somebody else.
func (s *Server) askLeave(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.AskLeave{ID: f.ID("id"), Kind: f.ID("kind"),
		Days: when.Period{From: f.Date("from"), To: f.MaybeDate("to")}, Note: f.Text("note")}
	if err := f.Err(); err != nil {
		return err
	}
	if act.Days.To == 0 {
		act.Days.To = act.Days.From
	}
	back, text := "/leave", "Asked for. Whoever decides is told."
	var err error
	if who := f.Text("who"); who != "" || r.Form.Has("who") {
		back, text = "/leave/asked", "Entered, and they are told."
		if act.Employment, err = leave.Named(r.Context(), s.app, visitOf(r).actor, who); err != nil {
			return s.done(w, r, err, back, said{})
		}
	}
	if act.Seconds, err = hoursOfDay(f.Text("hours")); err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.done(w, r, err, back, said{Text: text})
}

// withdrawLeave takes one's own request back.
func (s *Server) withdrawLeave(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "request")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, leave.WithdrawLeave{Request: id}), "/leave", said{Text: "Taken back."})
}

type askedLeaveView struct {
	frameView
	*leave.Asked
	Rows     []askedLeaveRow
	NewID    string
	AdjustID string
	Today    when.Date
	Tomorrow when.Date
}

type askedLeaveRow struct {
	ID, Name, Unit, Words, Kind, Length, Note, AskedWhen, Away string
	Own                                                        bool
}

// askedLeavePage lists what waits to be decided.
func (s *Server) askedLeavePage(w http.ResponseWriter, r *http.Request) error {
	p, err := leave.ReadAsked(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	v := askedLeaveView{Asked: p, NewID: newID().String(), AdjustID: newID().String()}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v.Today = place.Today(p.Now)
	v.Tomorrow = v.Today + 1
	for _, q := range p.List {
		row := askedLeaveRow{ID: q.ID.String(), Name: q.Name, Unit: q.UnitName, Words: leaveDays(q.LeaveRequest), Kind: q.KindName,
			Length: words.Plural(q.Days, "day", "days") + ", " + card.HoursMinutes(q.Seconds), Note: q.Note, Own: q.Own,
			AskedWhen: words.At(q.AskedAt, place.Loc).Moment(), Away: "nobody of the crew is away then"}
		if q.Away > 0 {
			row.Away = "up to " + words.Plural(q.Away, "other of the crew is", "others of the crew are") + " away"
		}
		v.Rows = append(v.Rows, row)
	}
	if v.frameView, err = s.stillFrame(r, "Leave asked for", "roster"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "leave-asked", v)
	return nil
}

// decideLeave approves what is ticked, or declines it.
func (s *Server) decideLeave(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.DecideLeave{Approve: f.Text("does") == "approve", Why: f.Text("why")}
	for _, text := range f.Texts("request") {
		id, err := uuid.Parse(text)
		if err != nil {
			return err
		}
		act.Requests = append(act.Requests, id)
	}
	text := "Declined, and they are told why."
	if act.Approve {
		text = "Approved, and they are told."
	}
	ids := strings.Join(f.Texts("request"), " ")
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/leave/asked", said{Text: text, Undo: "/leave/reopen",
		UndoLabel: "Take it back", Batch: ids})
}

// reopenLeave takes a decision back.
func (s *Server) reopenLeave(w http.ResponseWriter, r *http.Request) error {
	var act leave.ReopenLeave
	for _, text := range strings.Fields(r.FormValue("batch")) {
		id, err := uuid.Parse(text)
		if err != nil {
			return err
		}
		act.Requests = append(act.Requests, id)
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/leave/asked", said{Text: "Taken back: it is asked for as before."})
}

// putLeaveKind adds a kind of leave, or changes it.
func (s *Server) putLeaveKind(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.PutLeaveKind{ID: f.ID("id"), Name: f.Text("name"), Paid: f.Yes("paid"), PayCode: f.Text("pay_code"),
		NoteNeeded: f.Yes("note_needed"), Closed: f.Yes("closed")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/on/leave", said{Text: "Saved: " + act.Name + "."})
}
