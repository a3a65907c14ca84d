package web

import (
	"fmt"
	"net/http"
	"time"

	"manudex/app/hours"
	"manudex/app/points"
	"manudex/core/card"
	"manudex/web/words"
)

// decisionsView is what wants a decision, beside what is coming.
type decisionsView struct {
	List    []decisionRow
	More    int
	Coming  []comingRow
	DeskAll string
}

// decisionRow is one thing that waits, with the act that settles it.
type decisionRow struct {
	Who, What, Waits, Href, Do string
	Acts                       []actForm // that settle it in place
}

// actForm is an act that one press does, with what its form holds.
type actForm struct {
	Action, Label string
	Fields        []formField
}

type formField struct{ Name, Value string }

// onToday makes the form of an act that goes back to Today.
func onToday(label, action string, fields ...formField) actForm {
	return actForm{action, label, append(fields, formField{"id", newID().String()}, formField{"back", "/today"})}
}

type comingRow struct{ Who, What, Href string }

// decisionsPart is the piece of Today that says what wants a decision.
func (s *Server) decisionsPart(w http.ResponseWriter, r *http.Request) error {
	v, err := s.decisions(r)
	if err != nil {
		return err
	}
	s.pages.writePart(w, s.log, http.StatusOK, "today", "decisions", v)
	return nil
}

func (s *Server) decisions(r *http.Request) (*decisionsView, error) {
	d, err := hours.ReadDecisions(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return nil, err
	}
	v := &decisionsView{More: d.More}
	troubles, err := points.PINTroubles(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return nil, err
	}
	for _, p := range troubles {
		what := "wrong PINs, too many at once, at " + p.PointName
		if p.Asks {
			what = "asks for a new PIN at " + p.PointName
		}
		href := "/people/" + p.Person.String()
		v.List = append(v.List, decisionRow{Who: p.Given + " " + p.Family, What: what, Waits: words.At(p.At, d.Loc).Clock(), Href: href,
			Acts: []actForm{{"Give a new PIN", href + "/pin/new", nil}}})
	}
	for _, o := range d.List {
		v.List = append(v.List, decisionRowOf(o, d.Now))
	}
	for _, o := range d.Overtime {
		row := comingRow{Who: o.Name,
			What: "overtime from " + o.At.In(o.Working).Format("Mon 15:04") + " on, " + card.HoursMinutes(o.Beyond) + " this week"}
		if o.Passed {
			row.What = "on overtime since " + o.At.In(o.Working).Format("Mon 15:04") + ", " + card.HoursMinutes(o.Beyond) + " this week"
		}
		row.Href = "/timecards?person=" + o.Person.String() + "&from=" + d.Week.From.String() + "&to=" + d.Today.String()
		v.Coming = append(v.Coming, row)
	}
	for _, e := range d.Endings {
		row := comingRow{Who: e.Number + " " + e.Name, Href: "/jobs/" + e.ID.String(),
			What: "its " + card.HoursMinutes(e.Budget) + " run out on " + e.On.Format("Mon 2 Jan") + " at this pace"}
		if e.Over > 0 {
			row.What = card.HoursMinutes(e.Over) + " over its " + card.HoursMinutes(e.Budget)
		}
		v.Coming = append(v.Coming, row)
	}
	return v, nil
}

// decisionRowOf says a thing that waits, how long it has, and what settles it.
func decisionRowOf(d hours.Decision, now time.Time) decisionRow {
	row := decisionRow{Who: d.Name, Waits: waited(now.Sub(d.Since)),
		Href: "/cards/" + d.Card.Employment.String() + "/" + d.Card.Date.String()}
	day := d.Card.Date.Format("Mon 2 Jan")
	if d.Name == "" {
		row.Href = "/timecards?day=" + d.Card.Date.String()
	}
	switch d.Matter {
	case hours.NotCounted:
		row.What, row.Do = "on since "+d.Since.In(d.Loc).Format("Mon 15:04")+", and not counted", "Say when they left"
		for i, end := range d.Ends {
			v := proposalOf(end, d.Loc, i == 0)
			row.Acts = append(row.Acts, onToday(v.Words, row.Href+"/amend", formField{"does", v.Does}, formField{"of", v.Of},
				formField{"end", v.End}, formField{"why", v.Why}))
		}
	case hours.NotHere:
		row.What, row.Do = "planned at "+d.Since.In(d.Loc).Format("15:04")+", and not here", "Look"
	case hours.Disputed:
		row.What, row.Do = "objects to a change of "+day, "Answer"
	case hours.Wanted:
		q := requestRowOf(*d.Request, d.Loc, "/today")
		row.What, row.Acts = "asks: "+q.What+", "+day, []actForm{onToday("Make it", "/requests/"+q.ID.String()+"/take")}
	case hours.Claimed:
		row.What, row.Href, row.Do = "claims "+claimedAct(*d.Claim)+" at "+d.Claim.Claimed.In(d.Loc).Format("15:04, Mon 2 Jan"),
			"/claims", "Look, or decline"
		row.Acts = []actForm{onToday("Take it", "/claims/"+d.Claim.ID.String()+"/take")}
	case hours.AfterPaid:
		row.What, row.Do = "changed after "+day+" was paid", "Look, and approve"
	case hours.Unsigned:
		row.Who, row.What, row.Do = words.Plural(d.Cards, "card", "cards")+" of "+day, "not signed", "Look at them"
		row.Href += "&show=not_signed"
		row.Acts = []actForm{onToday("Ask them to sign", "/timecards/remind", formField{"day", d.Card.Date.String()})}
	case hours.Looks:
		row.Who, row.What, row.Do = words.Plural(d.Cards, "card", "cards")+" of "+day, "flagged", "Look at them"
		row.Href += "&show=flagged"
	case hours.Ready:
		row.Who, row.What, row.Do = words.Plural(d.Cards, "card", "cards")+" of "+day, "clear", "Look at them"
		row.Href += "&show=clear"
		row.Acts = []actForm{onToday("Approve them", "/timecards/approve", formField{"from", d.Card.Date.String()},
			formField{"to", d.Card.Date.String()}, formField{"seen", d.Seen})}
	}
	return row
}

// waited says how long something has waited.
func waited(d time.Duration) string {
	switch {
	case d < 2*time.Minute:
		return "now"
	case d < time.Hour:
		return fmt.Sprintf("%d min", d/time.Minute)
	case d < 24*time.Hour:
		return fmt.Sprintf("%d h", d/time.Hour)
	}
	return words.Plural(int(d/(24*time.Hour)), "day", "days")
}
