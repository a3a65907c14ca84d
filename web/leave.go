package web

import (
	"html/template"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app/leave"
	"manudex/core/card"
	core "manudex/core/leave"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/files"
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
	Instead     string
	NewID       string
	GiftID      string
	Rows        []ownLeaveRow
	Clocks      bool
	Balances    []ownAccount
	GivesTo     []store.LeaveKind // kinds that can be given to others, of which there is a balance
	Photos      bool              // some kinds need a picture
	Asks        *weighedView      // what is asked about
	Gives       []giftRow
}

type ownLeaveRow struct {
	ID, Words, Kind, Length, State, Why string
	From, To                            when.Date
	KindID                              string
	MayWithdraw                         bool
	MayAskBack                          bool // it has begun
}

type giftRow struct {
	ID, From, To, Kind, Amount, Note, State, Why string
	Open, Own                                    bool
}

// weighedView is what becomes of what is asked about.
type weighedView struct {
	leave.Weighed
	InDays       bool
	After        string // "" where there is no balance
	Lowest       string
	LowestOn     when.Date
	Total        string
	Refused      bool
	Go           []string // the days that would go, where something bars these
	Leaves       string   // whom of the crew it leaves: "3 to 5"
	Least        int
	Dated, Wider []againstRow // what bars it, and what is only to be thought of
}

// againstRow is what speaks against leave on days that follow each other.
type againstRow struct {
	When, Text string
	Refuses    bool
	from, to   when.Date
}

// addAgainst adds what speaks against a day: the same of the day after belongs to it.
func addAgainst(rows []againstRow, a leave.Against) []againstRow {
	for i := range rows {
		if r := &rows[i]; r.Text == a.Text && r.to+3 >= a.Date {
			r.to = a.Date
			r.When = shortDays(r.from, r.to)
			return rows
		}
	}
	return append(rows, againstRow{a.Date.Format("Mon 2 Jan"), a.Text, a.Refuses, a.Date, a.Date})
}

func weighedViewOf(w leave.Weighed, inDays bool) *weighedView {
	v := &weighedView{Weighed: w, InDays: inDays, Total: card.HoursMinutes(w.Seconds)}
	if inDays {
		v.Total = w.Amount.String()
	}
	if w.Account != nil && w.Seconds > 0 {
		v.After, v.Lowest, v.LowestOn = w.After.String(), w.Lowest.Balance.String(), w.Lowest.Date
	}
	for _, a := range w.Against {
		v.Refused = v.Refused || a.Refuses
		if a.Bars {
			v.Dated = addAgainst(v.Dated, a)
		} else {
			v.Wider = addAgainst(v.Wider, a)
		}
	}
	for _, p := range []when.Period{w.Fewer, w.Later} {
		if p.To != 0 {
			v.Go = append(v.Go, shortDays(p.From, p.To))
		}
	}
	low, high := 0, 0
	for i, l := range w.Left {
		if i == 0 {
			low, high, v.Least = l.Left, l.Left, l.Least
		}
		low, high = min(low, l.Left), max(high, l.Left)
	}
	if len(w.Left) > 0 {
		v.Leaves = strconv.Itoa(low)
		if high > low {
			v.Leaves += " – " + strconv.Itoa(high)
		}
	}
	return v
}

// leavePage is one's own leave, with what some days would come to where they are asked about.
func (s *Server) leavePage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	v := ownLeaveView{Kind: f.Text("kind"), From: f.MaybeDate("from"), To: f.MaybeDate("to"), Hours: f.Text("hours"), Note: f.Text("note"),
		Instead: f.Text("instead"), NewID: newID().String(), GiftID: newID().String(), Clocks: visitOf(r).actor.Employment != nil}
	on := f.MaybeDate("on")
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
	asks := leave.Question{Days: when.Period{From: v.From, To: v.To}, Seconds: each}
	asks.Kind, _ = uuid.Parse(v.Kind) // none is the first
	asks.Instead, _ = uuid.Parse(v.Instead)
	if v.Own, err = leave.ReadOwn(r.Context(), s.app, visitOf(r).actor, asks); err != nil {
		return err
	}
	if v.From == 0 {
		v.From, v.To = v.Today+1, v.Today+1
	}
	if on == 0 {
		on = v.Today
	}
	v.fill(on)
	if v.frameView, err = s.stillFrame(r, "My leave", "shifts"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "leave", v)
	return nil
}

// fill words what was read.
func (v *ownLeaveView) fill(on when.Date) {
	for _, q := range v.Requests {
		v.Rows = append(v.Rows, ownLeaveRowOf(q, v.Today))
	}
	for _, a := range v.Accounts {
		v.Balances = append(v.Balances, ownAccountOf(a, v.Today, on))
		for _, k := range v.Kinds {
			if k.ID == a.LeaveAccount.Kind && k.MayGive {
				v.GivesTo = append(v.GivesTo, k)
			}
		}
	}
	for _, k := range v.Kinds {
		v.Photos = v.Photos || k.Photo
		if v.Weighed != nil && (k.ID.String() == v.Kind || v.Asks == nil) {
			v.Asks = weighedViewOf(*v.Weighed, k.InDays)
		}
	}
	for _, g := range v.Gifts {
		v.Gives = append(v.Gives, giftRowOf(g, uuid.Nil))
	}
}

func giftRowOf(g store.LeaveGift, actor uuid.UUID) giftRow {
	return giftRow{ID: g.ID.String(), From: g.FromName, To: g.ToName, Kind: g.KindName, Amount: amountIn(g.Amount, g.InDays), Note: g.Note,
		State: leaveStates[g.Does], Why: g.Why, Open: g.Does == "", Own: g.FromPerson == actor || g.ToPerson == actor}
}

// amountIn says an amount as it is kept, in its unit.
func amountIn(text string, inDays bool) string {
	a, _ := core.ParseAmount(text) // it is kept as one
	if inDays {
		return a.String() + " d"
	}
	return a.String() + " h"
}

func ownLeaveRowOf(q store.LeaveRequest, today when.Date) ownLeaveRow {
	row := ownLeaveRow{ID: q.ID.String(), Words: leaveDays(q), Kind: q.KindName, Length: card.HoursMinutes(q.Seconds),
		KindID: q.Kind.String(),
		State:  leaveStates[q.Does], Why: q.Why, MayWithdraw: q.Open() || q.Does == "approve" && q.First > today,
		MayAskBack: q.Does == "approve" && q.First <= today, From: q.First, To: q.Last}
	if q.InDays {
		row.Length = amountIn(q.Amount, true)
	}
	return row
}

// leaveStates are how requests stand, as sentences of the catalogue.
var leaveStates = map[string]string{"": "asked for", "take_back": "asked for", "approve": "approved", "decline": "declined",
	"withdraw": "withdrawn", "ask_back": "asked to be taken back"}

func leaveDays(q store.LeaveRequest) string { return shortDays(q.First, q.Last) }

// shortDays says from when to when: "Mon 16 Nov", or "Mon 16 Nov – Fri 20 Nov".
func shortDays(from, to when.Date) string {
	if from == to {
		return from.Format("Mon 2 Jan")
	}
	return from.Format("Mon 2 Jan") + " – " + to.Format("Mon 2 Jan")
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
	back, text := "/leave", "Asked for. Whoever decides is told."
	var photo *files.Photo
	var err error
	if strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/") {
		if photo, err = photoIn(r); err != nil {
			return s.done(w, r, err, back, said{})
		}
	}
	f := form.Of(r)
	act := leave.AskLeave{ID: f.ID("id"), Kind: f.ID("kind"),
		Days: when.Period{From: f.Date("from"), To: f.MaybeDate("to")}, Note: f.Text("note")}
	if err := f.Err(); err != nil {
		return err
	}
	if act.Days.To == 0 {
		act.Days.To = act.Days.From
	}
	act.Instead, _ = uuid.Parse(f.Text("instead")) // none is empty
	if photo != nil {
		act.Photo = *photo
	}
	if who := f.Text("who"); who != "" || r.Form.Has("who") {
		back, text = "/leave/asked", "Entered, and they are told."
		if act.Employment, err = leave.Named(r.Context(), s.app, visitOf(r).actor, who); err != nil {
			return s.done(w, r, err, back, said{})
		}
	}
	if act.Seconds, err = hoursOfDay(f.Text("hours")); err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	if err != nil && act.Employment == uuid.Nil { // what was asked for stays, with what it would come to
		again := url.Values{}
		for _, name := range []string{"kind", "from", "to", "hours", "note", "instead"} {
			again.Set(name, f.Text(name))
		}
		back += "?" + again.Encode() + "#ask"
	}
	return s.done(w, r, err, back, said{Text: text})
}

// leavePaper is the picture of a paper with a request.
func (s *Server) leavePaper(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "request")
	if err != nil {
		return err
	}
	jpeg, err := leave.ReadPaper(r.Context(), s.app, visitOf(r).actor, id)
	if err != nil {
		return err
	}
	return answerPhoto(w, jpeg)
}

// withdrawLeave takes one's own request back, or asks for that where it has begun.
func (s *Server) withdrawLeave(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "request")
	if err != nil {
		return err
	}
	act := leave.WithdrawLeave{Request: id, Why: r.FormValue("why")}
	text := "Taken back."
	if act.Why != "" {
		text = "Asked for. Whoever decides is told."
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/leave", said{Text: text})
}

// giveLeave offers leave of one's own to a colleague.
func (s *Server) giveLeave(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.GiveLeave{ID: f.ID("id"), Kind: f.ID("kind"), To: f.Text("to"), Amount: f.Text("amount"), Note: f.Text("note")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/leave", said{Text: "Offered. They have it once it is approved."})
}

// takeGiftBack takes that back.
func (s *Server) takeGiftBack(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "gift")
	if err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, leave.TakeGiftBack{Gift: id}), "/leave", said{Text: "Taken back."})
}

// decideGift agrees to that, or declines it.
func (s *Server) decideGift(w http.ResponseWriter, r *http.Request) error {
	id, err := pathID(r, "gift")
	if err != nil {
		return err
	}
	act := leave.DecideGift{Gift: id, Approve: r.FormValue("does") == "approve", Why: r.FormValue("why")}
	text := "Declined, and they are told why."
	if act.Approve {
		text = "Approved, and both are told."
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/leave/asked", said{Text: text})
}

type askedLeaveView struct {
	frameView
	*leave.Asked
	Rows     []askedLeaveRow
	Gives    []giftRow
	NewID    string
	AdjustID string
	Today    when.Date
	Tomorrow when.Date
	Who      string    // for whom leave is entered, where another page says so
	On       when.Date // and from when on
}

type askedLeaveRow struct {
	ID, Name, Unit, Words, Kind, Length, Note, AskedWhen string
	Own, Back, Photo                                     bool
	Why                                                  string // why they want it back
	Asks                                                 *weighedView
	Bands                                                template.HTML // who of the crew is away around it
}

// askedLeavePage lists what waits to be decided.
func (s *Server) askedLeavePage(w http.ResponseWriter, r *http.Request) error {
	actor := visitOf(r).actor
	p, err := leave.ReadAsked(r.Context(), s.app, actor)
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
	f := form.Of(r)
	if v.Who, v.On = f.Text("who"), f.MaybeDate("from"); v.On == 0 {
		v.On = v.Tomorrow
	}
	if err := f.Err(); err != nil {
		return err
	}
	for _, q := range p.List {
		v.Rows = append(v.Rows, askedLeaveRowOf(q, place.Loc))
	}
	for _, g := range p.Gifts {
		v.Gives = append(v.Gives, giftRowOf(g, actor.ID))
	}
	if v.frameView, err = s.stillFrame(r, "Leave asked for", "roster"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "leave-asked", v)
	return nil
}

func askedLeaveRowOf(q leave.AskedFor, loc *time.Location) askedLeaveRow {
	row := askedLeaveRow{ID: q.ID.String(), Name: q.Name, Unit: q.UnitName, Words: leaveDays(q.LeaveRequest), Kind: q.KindName,
		Length: words.Plural(q.Days, "day", "days") + ", " + card.HoursMinutes(q.Seconds), Note: q.Note, Own: q.Own, Back: q.Back(),
		Photo: q.Photo, AskedWhen: words.At(q.AskedAt, loc).Moment(), Asks: weighedViewOf(q.Weighed, q.InDays)}
	if row.Back {
		row.Why = q.Why
	}
	row.Bands = nearBands(q.Near)
	return row
}

// decideLeave approves what is ticked, or declines it.
func (s *Server) decideLeave(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.DecideLeave{Approve: f.Text("does") == "approve", Why: f.Text("why"), Anyway: f.Yes("anyway")}
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
