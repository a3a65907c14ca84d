package web

import (
	"html/template"
	"net/http"

	"manudex/app/leave"
	"manudex/core/card"
	core "manudex/core/leave"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/form"
)

// ownAccount is how one's account of a kind of leave stands, was and will.
type ownAccount struct {
	Kind             string
	InDays           bool
	Balance, Usable  string
	Asked            string // what is asked for and not decided, "" for nothing
	Picture          template.HTML
	On               when.Date // the day that is read along the picture
	Reads, ReadAsked string
	Came, Went       []accountSum
	CameAll, WentAll string
	Next             string // what the next period earns, and when
	NextOn           when.Date
	Pending, More    string // hours that nobody has approved, and what they will earn
	Losses           []accountLoss
	Lapsing          []accountLoss // lots with a last day
	Lines            []accountLine
	Due              []accountLine
	ByHours          bool
	First, Last      when.Date
}

// accountSum is what came or went by one way, together.
type accountSum struct {
	What, Amount string
	Lines        []accountLine
}

type accountLoss struct {
	On     when.Date
	Amount string
	What   string
}

type accountLine struct {
	On, What, Amount string
	Again            bool // a day that was booked before, and came to something else
}

// lineWords are what happens to an account, as sentences of the catalogue.
var lineWords = map[core.Kind]string{core.Opening: "brought in", core.Earned: "earned", core.LostToCap: "over the highest balance",
	core.Taken: "taken", core.Granted: "granted", core.Adjusted: "put right", core.Given: "given", core.Received: "received",
	core.LostAtReset: "lost at the turn of the year", core.Expired: "expired", core.PaidOut: "owed at leaving"}

// came and went are the kinds in the order of their columns; what is put right stands on the
// side of its sign.
var (
	came = []core.Kind{core.Opening, core.Earned, core.Granted, core.Received, core.Adjusted}
	went = []core.Kind{core.Taken, core.Given, core.LostToCap, core.LostAtReset, core.Expired, core.PaidOut, core.Opening, core.Adjusted}
)

func ownAccountOf(a leave.OwnAccount, today, on when.Date) ownAccount {
	v := ownAccount{Kind: a.KindName, InDays: a.InDays, Balance: a.Now.Balance.String(), Usable: a.Now.Usable.String(),
		ByHours: a.Input.Policy.Earn.Every == core.HoursWorked, First: a.Since, Last: a.Until}
	var asked core.Amount
	for _, e := range a.Asked {
		asked += e.Amount
	}
	if asked > 0 {
		v.Asked = asked.String()
	}
	if a.Pending > 0 {
		v.Pending, v.More = card.HoursMinutes(int64(a.Pending)*9/2500), a.More.String()
	}
	for _, l := range a.Now.Lots {
		if l.LastDay != 0 && l.LastDay <= a.Until {
			v.Lapsing = append(v.Lapsing, accountLoss{On: l.LastDay, Amount: l.Left.String()})
		}
	}
	v.CameAll, v.Came = columnOf(a.Ledger, came, 1)
	v.WentAll, v.Went = columnOf(a.Ledger, went, -1)
	v.next(a, today)
	for _, d := range a.Due {
		v.Due = append(v.Due, accountLine{On: d.Date.Format("Mon 2 Jan 2006"), What: lineWords[d.Kind], Amount: d.Amount.String()})
	}
	for _, l := range a.Lines {
		v.Lines = append(v.Lines, lineOf(l))
	}
	v.draw(a, today, min(max(on, a.Since), a.Until))
	return v
}

func lineOf(l store.LeaveLine) accountLine {
	amount, _ := core.ParseAmount(l.Amount) // it is kept as one
	return accountLine{On: l.Date.Format("Mon 2 Jan 2006"), What: lineWords[core.Kind(l.What)], Amount: amount.String(), Again: l.Again}
}

// columnOf sums up what came, or with -1 what went, by way.
func columnOf(ledger []core.Line, kinds []core.Kind, sign core.Amount) (string, []accountSum) {
	var all core.Amount
	var column []accountSum
	for _, k := range kinds {
		var sum core.Amount
		s := accountSum{What: lineWords[k]}
		for i := len(ledger) - 1; i >= 0; i-- {
			if l := ledger[i]; l.Kind == k && l.Amount*sign > 0 {
				sum += l.Amount * sign
				s.Lines = append(s.Lines, accountLine{On: l.Date.Format("Mon 2 Jan 2006"), Amount: l.Amount.String()})
			}
		}
		if sum > 0 {
			s.Amount, all = sum.String(), all+sum
			column = append(column, s)
		}
	}
	return all.String(), column
}

// next says what the next period earns, and what would be lost, and when: of what passes the
// highest balance, all together from when on.
func (v *ownAccount) next(a leave.OwnAccount, today when.Date) {
	var over core.Amount
	var overFrom when.Date
	for _, l := range a.Forecast {
		switch {
		case l.Date <= today:
		case l.Kind == core.Earned && v.NextOn == 0:
			v.Next, v.NextOn = l.Amount.String(), l.Date
		case l.Kind == core.LostToCap:
			if over == 0 {
				overFrom = l.Date
			}
			over -= l.Amount
		case l.Kind == core.LostAtReset || l.Kind == core.Expired:
			if len(v.Losses) < shownLosses {
				v.Losses = append(v.Losses, accountLoss{On: l.Date, Amount: (-l.Amount).String(), What: lineWords[l.Kind]})
			}
		}
	}
	if over > 0 {
		v.Losses = append(v.Losses, accountLoss{On: overFrom, Amount: over.String(), What: "over the highest balance, from then on"})
	}
}

const shownLosses = 3

// draw draws the picture, and reads a day along it.
func (v *ownAccount) draw(a leave.OwnAccount, today, on when.Date) {
	f := draw.Forecast{From: a.Since, Today: on, To: a.Until, Unit: "h"}
	if a.InDays {
		f.Unit = "d"
	}
	f.Steps = stepsOf(a.Forecast)
	if len(a.Asked) > 0 {
		f.Asked = stepsOf(a.WithAll)
	}
	for _, l := range a.Forecast {
		if l.Date >= a.Since && (l.Kind == core.LostAtReset || l.Kind == core.Expired || l.Kind == core.LostToCap) {
			f.Lost = append(f.Lost, draw.Step{On: l.Date, Amount: amountFloat(-l.Amount)})
		}
	}
	f.Lost = apart(f.Lost)
	f.Rules = rulesOf(a.Input.Policy)
	v.Picture, v.On = template.HTML(draw.Balance(nil, f, v.Kind)), on
	read := func(lines []core.Line) string {
		var balance core.Amount
		for _, l := range lines {
			if l.Date <= on {
				balance = l.Balance
			}
		}
		return balance.String()
	}
	v.Reads, v.ReadAsked = read(a.Forecast), read(a.WithAll)
}

func stepsOf(lines []core.Line) []draw.Step {
	steps := make([]draw.Step, len(lines))
	for i, l := range lines {
		steps[i] = draw.Step{On: l.Date, Amount: amountFloat(l.Balance)}
	}
	return steps
}

// apart adds up losses that would stand on each other: those of a month, on its last.
func apart(lost []draw.Step) []draw.Step {
	var kept []draw.Step
	for _, l := range lost {
		if n := len(kept) - 1; n >= 0 && l.On-kept[n].On < 45 {
			kept[n] = draw.Step{On: l.On, Amount: kept[n].Amount + l.Amount}
			continue
		}
		kept = append(kept, l)
	}
	return kept
}

func amountFloat(a core.Amount) float64 { return float64(a) / 1e6 }

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
