package web

import (
	"net/http"
	"time"

	"github.com/google/uuid"

	"manudex/app/hours"
	"manudex/core/clock"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

type claimsView struct {
	frameView
	Open, Answered []claimRow
	Asked          []requestRow
	AskedBefore    []requestRow
}

type claimRow struct {
	store.Claim
	Day, What, Claimed, Received, WhyWords, Outcome string
	CardHref, PunchID                               string
}

// claimWhy says why a punch is a claim.
var claimWhy = map[string]string{"late": "waited too long on their device", "before": "before their first day",
	"after":   "after their last day",
	"refused": "was refused when it arrived"}

func claimRowOf(c store.Claim) (claimRow, error) {
	loc, err := time.LoadLocation(c.Zone)
	if err != nil {
		return claimRow{}, err
	}
	r := claimRow{Claim: c, Day: c.Date.Format("Mon 2 Jan 2006"), Claimed: c.Claimed.In(loc).Format("15:04"),
		Received: c.Received.In(loc).Format("Mon 2 Jan, 15:04"),
		WhyWords: claimWhy[c.Why], CardHref: "/cards/" + c.Employment.String() + "/" + c.Date.String(), PunchID: newID().String()}
	r.What = claimedAct(c)
	if c.Answered() {
		r.Outcome = "taken by " + *c.AnsweredBy
		if c.Punch == nil {
			r.Outcome = "declined by " + *c.AnsweredBy + ": " + *c.Reason
		}
	}
	return r, nil
}

func claimedAct(c store.Claim) string {
	kind := clock.Kind("")
	if c.Break != nil {
		kind = *c.Break
	}
	words := shortAct(c.Act, kind)
	if c.JobName != "" {
		words += ", " + c.JobName
	}
	return words
}

// ownClaimWords says to whoever claimed what became of it.
func ownClaimWords(c store.Claim, loc *time.Location) string {
	words := claimedAct(c) + " at " + c.Claimed.In(loc).Format("15:04 on Mon 2 Jan")
	switch {
	case !c.Answered():
		return words + ": waits for somebody to take it"
	case c.Punch == nil:
		return words + ": declined, " + *c.Reason
	}
	return words + ": taken"
}

// requestRow is a change that somebody asks for.
type requestRow struct {
	store.Request
	What, Day, Made, Outcome string
	CardHref, BatchID, Back  string
	At, Until                string // that can be taken in part
}

func requestRowOf(q store.Request, loc *time.Location, back string) requestRow {
	r := requestRow{Request: q, What: words.Asked(q, loc), Day: q.Date.Format("Mon 2 Jan 2006"),
		Made:     q.MadeAt.In(loc).Format("Mon 2 Jan, 15:04"),
		CardHref: "/cards/" + q.Employment.String() + "/" + q.Date.String(), BatchID: newID().String(), Back: back}
	if q.At != nil {
		r.At = q.At.In(loc).Format("15:04")
	}
	if q.Until != nil {
		r.Until = q.Until.In(loc).Format("15:04")
	}
	if q.Answered() {
		r.Outcome = "made by " + *q.AnsweredBy
		if q.Batch == nil {
			r.Outcome = "declined by " + *q.AnsweredBy + ": " + *q.Reason
		}
	}
	return r
}

// takeRequest makes a change that somebody asked for, at the times given.
func (s *Server) takeRequest(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.TakeRequest{Request: f.PathID("request"), Batch: f.ID("id")}
	if err := f.Err(); err != nil {
		return err
	}
	back := backTo(r, "/claims")
	q, loc, err := hours.ReadRequest(r.Context(), s.app, visitOf(r).actor, act.Request)
	if err != nil {
		return err
	}
	for _, t := range []struct {
		name string
		was  *time.Time
		into *time.Time
	}{{"at", q.At, &act.At}, {"until", q.Until, &act.Until}} {
		if text := f.Text(t.name); text != "" && t.was != nil && text != t.was.In(loc).Format("15:04") {
			if *t.into, err = timeIn(text, q.Date, *t.was, loc); err != nil {
				return s.done(w, r, err, back, said{})
			}
		}
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, back, said{Text: "Made: the hours of " + q.Name() + " are changed.", Undo: "/undo", UndoLabel: "Take it back",
		Batch: act.Batch.String()})
}

func (s *Server) declineRequest(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := hours.DeclineRequest{Request: f.PathID("request"), Why: f.Text("why")}
	if err := f.Err(); err != nil {
		return err
	}
	err := s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, backTo(r, "/claims"), said{Text: "Declined. It stays on the card, and the hours stay as they are."})
}

// ownRequestWords says to whoever asked for a change what became of it.
func ownRequestWords(q store.Request, loc *time.Location) string {
	words := words.Asked(q, loc) + ", " + q.Date.Format("Mon 2 Jan")
	switch {
	case !q.Answered():
		return words + ": waits for somebody to take it"
	case q.Batch == nil:
		return words + ": declined, " + *q.Reason
	}
	return words + ": made"
}

// claimsPage lists what counts only once somebody has taken it.
func (s *Server) claimsPage(w http.ResponseWriter, r *http.Request) error {
	p, err := hours.Claims(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	var v claimsView
	for _, list := range []struct {
		from []store.Claim
		into *[]claimRow
	}{{p.Open, &v.Open}, {p.Answered, &v.Answered}} {
		for _, c := range list.from {
			row, err := claimRowOf(c)
			if err != nil {
				return err
			}
			*list.into = append(*list.into, row)
		}
	}
	for _, list := range []struct {
		from []store.Request
		into *[]requestRow
	}{{p.Asked, &v.Asked}, {p.AskedBefore, &v.AskedBefore}} {
		for _, q := range list.from {
			loc, err := time.LoadLocation(q.Zone)
			if err != nil {
				return err
			}
			*list.into = append(*list.into, requestRowOf(q, loc, "/claims"))
		}
	}
	if v.frameView, err = s.stillFrame(r, "Claims", "timecards"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "claims", v)
	return nil
}

func (s *Server) takeClaim(w http.ResponseWriter, r *http.Request) error {
	claim, err := pathID(r, "claim")
	if err != nil {
		return err
	}
	id, err := uuid.Parse(r.FormValue("id"))
	if err != nil {
		return err
	}
	act := hours.TakeClaim{ID: id, Claim: claim}
	if text := r.FormValue("at"); text != "" {
		c, loc, err := hours.ReadClaim(r.Context(), s.app, visitOf(r).actor, claim)
		if err != nil {
			return err
		}
		if text != c.Claimed.In(loc).Format("15:04") {
			if act.At, err = timeIn(text, c.Date, c.Claimed, loc); err != nil {
				return s.done(w, r, err, backTo(r, "/claims"), said{})
			}
		}
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, act)
	return s.done(w, r, err, backTo(r, "/claims"), said{Text: "Taken: it counts on the card, as a time by hand."})
}

func (s *Server) declineClaim(w http.ResponseWriter, r *http.Request) error {
	claim, err := pathID(r, "claim")
	if err != nil {
		return err
	}
	err = s.app.Do(r.Context(), visitOf(r).actor, hours.DeclineClaim{Claim: claim, Why: r.FormValue("why")})
	return s.done(w, r, err, "/claims", said{Text: "Declined. It stays on the list, and does not count."})
}
