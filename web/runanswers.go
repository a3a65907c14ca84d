package web

import (
	"net/http"
	"net/url"

	"github.com/google/uuid"

	"manudex/app/payroll"
	"manudex/core/refusal"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

// runAnswersView is the page on which hours that nobody has approved are answered, person by person.
type runAnswersView struct {
	frameView
	Group   string
	Period  string
	Rows    []payRowView
	Left    int // not answered yet
	PayBy   string
	Refusal *refusal.Refusal
	At      uuid.UUID // of whom it was refused
}

func (s *Server) runAnswersPage(w http.ResponseWriter, r *http.Request) error {
	return s.showAnswers(w, r, http.StatusOK, r.URL.Query().Get("group"), nil, uuid.Nil)
}

func (s *Server) showAnswers(w http.ResponseWriter, r *http.Request, status int, group string, refused *refusal.Refusal,
	at uuid.UUID) error {
	p, err := payroll.PayRunOf(r.Context(), s.app, visitOf(r).actor, group, uuid.Nil)
	if err != nil {
		return err
	}
	v := runAnswersView{Group: group, Period: words.SpanFrom(p.Period, 0), Refusal: refused, At: at,
		PayBy: (p.Period.To + 1 + p.Period.To - p.Period.From + 1).String()}
	for _, row := range p.Rows {
		if !row.Asked {
			continue
		}
		if row.Answer == nil {
			v.Left++
		}
		v.Rows = append(v.Rows, payRowView{row, payPersonHref(p, row.Employment), waitingHref(p, row)})
	}
	if v.frameView, err = s.stillFrame(r, "Hours nobody approved", "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "payrun-answers", v)
	return nil
}

// saveAnswers takes what was said of each person, as far as it changed.
func (s *Server) saveAnswers(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	people := f.IDs("employment")
	if err := f.Err(); err != nil {
		return err
	}
	group, answered := f.Text("group"), 0
	for _, e := range people {
		id := e.String()
		answer, reason, by := f.Text("answer-"+id), f.Text("reason-"+id), f.Text("by-"+id)
		if answer == f.Text("was-"+id) && (answer != store.LeftOut || reason == f.Text("why-"+id) && by == f.Text("day-"+id)) {
			continue
		}
		err := s.app.Do(r.Context(), visitOf(r).actor, payroll.AnswerHours{ID: newID(), Group: group, Employment: e, Answer: answer,
			Reason: reason,
			PayBy:  by})
		if refused := refusalIn(err); refused != nil {
			return s.showAnswers(w, r, http.StatusUnprocessableEntity, group, refused, e)
		}
		if err != nil {
			return err
		}
		answered++
	}
	return s.done(w, r, nil, "/payruns?group="+url.QueryEscape(group), said{Text: words.Plural(answered, "person",
		"people") + " answered."})
}

// checkRun says that somebody looked the open run over.
func (s *Server) checkRun(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := payroll.CheckRun{ID: f.ID("id"), Group: f.Text("group"), Seen: f.Text("seen"), Lines: f.Text("lines")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/payruns?group="+url.QueryEscape(act.Group),
		said{Text: "Checked as it stands. The check lapses when anything in it changes."})
}

// takeBack says what becomes of money that a correction takes back.
func (s *Server) takeBack(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := payroll.TakeMoneyBack{ID: f.ID("id"), Group: f.Text("group"), Employment: f.ID("employment"), Amount: f.Text("amount"),
		How:  f.Text("how"),
		Runs: f.Count("runs")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/payruns?group="+url.QueryEscape(act.Group),
		said{Text: "Said, and they are told."})
}

// addRunTask puts something on the list of the last day.
func (s *Server) addRunTask(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := payroll.AddTask{ID: f.ID("id"), Group: f.Text("group"), Words: f.Text("words")}
	if err := f.Err(); err != nil {
		return err
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/payruns?group="+url.QueryEscape(act.Group),
		said{Text: "On the list."})
}

// setRunTask ticks something on it, or takes it off.
func (s *Server) setRunTask(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	id, group := f.PathID("task"), f.Text("group")
	if err := f.Err(); err != nil {
		return err
	}
	back := "/payruns?group=" + url.QueryEscape(group)
	if f.Text("do") == "drop" {
		return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, payroll.DropTask{ID: id}), back, said{Text: "Taken off the list."})
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, payroll.TickTask{ID: id, Group: group, Done: f.Text("do") == "tick"}), back,
		said{Text: "Noted."})
}

// runTurnView asks before a closed run is turned.
type runTurnView struct {
	frameView
	Run      store.Run
	Period   string
	Gross    string
	Currency string
	ID       string
	Why      string
	Refusal  *refusal.Refusal
}

func (s *Server) runTurnPage(w http.ResponseWriter, r *http.Request) error {
	return s.showTurn(w, r, http.StatusOK, nil)
}

func (s *Server) showTurn(w http.ResponseWriter, r *http.Request, status int, refused *refusal.Refusal) error {
	f := form.Of(r)
	id := f.PathID("run")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := payroll.PayRun(r.Context(), s.app, visitOf(r).actor, id)
	if err != nil {
		return err
	}
	v := runTurnView{Run: *p.Closed, Period: words.SpanFrom(p.Period, 0), Gross: p.Total.Gross, Currency: p.Currency,
		ID:  newID().String(),
		Why: f.Text("why"), Refusal: refused}
	if v.frameView, err = s.stillFrame(r, "Turn a run", "payruns"); err != nil {
		return err
	}
	s.pages.write(w, s.log, status, "payrun-turn", v)
	return nil
}

func (s *Server) turnRun(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := payroll.TurnRun{ID: f.ID("id"), Run: f.PathID("run"), Why: f.Text("why")}
	if err := f.Err(); err != nil {
		return err
	}
	actor, err := s.proved(r)
	if err == nil {
		err = s.app.Do(r.Context(), actor, act)
	}
	if refused := refusalIn(err); refused != nil {
		return s.showTurn(w, r, http.StatusUnprocessableEntity, refused)
	}
	return s.done(w, r, err, "/payruns/"+act.ID.String(),
		said{Text: "The run is turned: its cards are approved again, and the next run pays them anew."})
}
