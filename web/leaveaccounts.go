package web

import (
	"context"
	"html/template"
	"net/http"

	"github.com/google/uuid"

	"manudex/app/leave"
	core "manudex/core/leave"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
	"manudex/web/words"
)

// ownAccount is how one's account of a kind of leave stands, and will.
type ownAccount struct {
	Kind                   string
	Balance, Usable, Asked string
	Lapses, LapsesOn       string        // hours that are lost first, and the last day to take them
	Forecast               template.HTML // "" where nothing is to come
	Ends                   string        // the balance at the end of the forecast
	ByHours                bool          // hours that aren't worked yet will earn more
	Lines                  []accountLine
}

type accountLine struct{ On, What, Amount, Balance string }

// lineWords are what happens to an account, as sentences of the catalogue.
var lineWords = map[core.Kind]string{core.Opening: "at the begin", core.Earned: "earned", core.LostToCap: "not earned: the most is reached",
	core.Taken: "taken", core.Granted: "granted", core.Adjusted: "put right", core.Given: "given", core.Received: "received",
	core.LostAtReset: "lost at the begin of the year", core.Expired: "lapsed"}

// linesShown is how many lines of an account stand on the page, the last ones.
const linesShown = 12

func ownAccountOf(a leave.Account, today when.Date) ownAccount {
	v := ownAccount{Kind: a.KindName, Balance: a.Now.Balance.String(), Usable: a.Now.Usable.String(),
		ByHours: a.Input.Policy.Earn.Every == core.HoursWorked}
	var asked core.Amount
	for _, e := range a.Asked {
		asked += e.Amount
	}
	if asked > 0 {
		v.Asked = asked.String()
	}
	for _, l := range a.Now.Lots {
		if l.LastDay != 0 {
			v.Lapses, v.LapsesOn = l.Left.String(), l.LastDay.Format("Mon 2 Jan 2006")
			break
		}
	}
	f := draw.Forecast{From: today, To: a.Until, Now: hoursFloat(a.Now.Balance)}
	for _, l := range a.Ledger {
		if l.Date > today {
			f.Steps = append(f.Steps, draw.Step{On: l.Date, Hours: hoursFloat(l.Balance)})
			continue
		}
		v.Lines = append(v.Lines, accountLine{On: l.Date.Format("Mon 2 Jan 2006"), What: lineWords[l.Kind], Amount: l.Amount.String(),
			Balance: l.Balance.String()})
	}
	v.Lines = v.Lines[max(0, len(v.Lines)-linesShown):]
	v.Ends = a.Ledger[len(a.Ledger)-1].Balance.String()
	if len(f.Steps) > 0 {
		v.Forecast = template.HTML(draw.Balance(nil, f, v.Kind))
	}
	return v
}

func hoursFloat(a core.Amount) float64 { return float64(a) / 1e6 }

type leavePolicyRow struct {
	ID, Name, Kind, JSON, People string
	Year                         string // what a year of it comes to, for somebody new who works eight hours on five days
}

// leavePolicyRows lists the policies, each tried on somebody who begins today.
func (s *Server) leavePolicyRows(ctx context.Context, today when.Date) ([]leavePolicyRow, error) {
	all, err := store.LeavePolicies(ctx, s.app.DB)
	if err != nil {
		return nil, err
	}
	var rows []leavePolicyRow
	for _, p := range all {
		year, err := leave.TryPolicy(p.Policy, today)
		if err != nil {
			return nil, err
		}
		rows = append(rows, leavePolicyRow{ID: p.ID.String(), Name: p.Name, Kind: p.KindName, JSON: string(p.Policy),
			People: words.Plural(p.People, "person has it", "people have it"), Year: year.String()})
	}
	return rows, nil
}

// putLeavePolicy adds a policy of a kind: a ready-made one, or what is written.
func (s *Server) putLeavePolicy(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.PutLeavePolicy{ID: f.ID("id"), Kind: f.ID("kind"), Name: f.Text("name"), Policy: []byte(f.Text("policy"))}
	if err := f.Err(); err != nil {
		return err
	}
	if len(act.Policy) == 0 {
		for _, p := range core.Ready() {
			if p.Name == f.Text("ready") {
				act.Policy = p.Policy
			}
		}
	}
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/on/leave", said{Text: "Added: " + act.Name + "."})
}

// giveLeavePolicy gives a policy to those who work in a crew, or to everybody.
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
	return s.done(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), "/setup/on/leave", said{Text: "Given."})
}

// adjustLeave grants somebody hours, or puts their balance right.
func (s *Server) adjustLeave(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := leave.AdjustLeave{ID: f.ID("id"), Kind: f.ID("kind"), Date: f.Date("date"), Amount: f.Text("amount"), Why: f.Text("why")}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if act.Employment, err = leave.Named(r.Context(), s.app, visitOf(r).actor, f.Text("who")); err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.done(w, r, err, "/leave/asked", said{Text: "Entered."})
}
