package web

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"manudex/app"
	"manudex/app/roster"
	"manudex/core/refusal"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/form"
	"manudex/web/words"
)

// byDay are weekdays as rules name them, Sunday first (RFC 5545 §3.3.10).
var byDay = [7]string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}

// ruleOf makes a rule of how a form says that a shift repeats, from a day on.
func ruleOf(repeat, typed string, d when.Date) (string, error) {
	switch repeat {
	case "weekdays":
		return "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", nil
	case "weekly":
		return "FREQ=WEEKLY;BYDAY=" + byDay[d.Weekday()], nil
	case "fortnightly":
		return "FREQ=WEEKLY;INTERVAL=2;BYDAY=" + byDay[d.Weekday()], nil
	case "monthly":
		return "FREQ=MONTHLY;BYMONTHDAY=" + d.Format("2"), nil
	case "rule":
		return typed, nil
	}
	return "", app.ErrNotFound
}

// repeatWords says how a series repeats.
func repeatWords(s store.Series) string {
	said := "by " + s.Rule
	d := s.From
	switch s.Rule {
	case "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR":
		said = "Monday to Friday"
	case "FREQ=WEEKLY;BYDAY=" + byDay[d.Weekday()]:
		said = "every " + d.Format("Monday")
	case "FREQ=WEEKLY;INTERVAL=2;BYDAY=" + byDay[d.Weekday()]:
		said = "every other " + d.Format("Monday")
	case "FREQ=MONTHLY;BYMONTHDAY=" + d.Format("2"):
		said = "on day " + d.Format("2") + " of each month"
	}
	if s.Until != nil {
		said += " until " + s.Until.Format("2 January 2006")
	}
	return said
}

// planSeries plans shifts that repeat, as the form of one says.
func (s *Server) planSeries(w http.ResponseWriter, r *http.Request, first roster.PlanShift, repeat string) error {
	f := form.Of(r)
	act := roster.PlanSeries{ID: first.ID, Employment: first.Employment, When: first.When, On: first.On, Less: first.Less, Note: first.Note,
		Until: f.MaybeDate("until"), SkipHolidays: f.Yes("skip_holidays"), SkipLeave: f.Yes("skip_leave")}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if act.Rule, err = ruleOf(repeat, f.Text("rule"), act.When.Date); err != nil {
		return err
	}
	said := "Planned"
	act.Made = func(made, left int) {
		said = "Planned: " + words.Plural(made, "shift", "shifts") + " in the next 13 weeks"
		if left > 0 {
			said += fmt.Sprintf(", %s left out", words.Plural(left, "day", "days"))
		}
	}
	return s.planned(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), act.ID, said)
}

// timesOf reads from when to when the shifts of a series are.
func timesOf(f *form.Form) (at roster.When, err error) {
	for name, into := range map[string]*time.Duration{"from": &at.From, "to": &at.To} {
		if *into, err = when.ParseTimeOfDay(f.Text(name)); err != nil {
			return at, refusal.New("when", "That is no time of day", "Write both like 07:00")
		}
	}
	return at, nil
}

// changeSeries changes a series from the shift on that is picked.
func (s *Server) changeSeries(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.ChangeSeries{Batch: f.ID("batch"), Series: f.PathID("series"), From: f.Date("on"), Note: f.Text("note")}
	said := "Changed from " + act.From.Format("2 January") + " on"
	if f.Yes("all") {
		act.From, said = 0, "All that is to come is changed"
	}
	if err := f.Err(); err != nil {
		return err
	}
	var err error
	if act.When, err = timesOf(f); err == nil {
		act.Less, err = lessOf(f.Text("less"))
	}
	if choice := strings.TrimSpace(f.Text("choice")); err == nil && choice != "" {
		act.On, err = workIn(choice)
	}
	if err == nil {
		err = s.app.Do(r.Context(), visitOf(r).actor, act)
	}
	return s.planned(w, r, err, act.Batch, said)
}

// endSeries ends a series before the shift that is picked.
func (s *Server) endSeries(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	act := roster.EndSeries{Batch: f.ID("batch"), Series: f.PathID("series"), From: f.Date("on")}
	said := "Ended before " + act.From.Format("2 January")
	if f.Yes("all") {
		act.From, said = 0, "Ended today"
	}
	if err := f.Err(); err != nil {
		return err
	}
	return s.planned(w, r, s.app.Do(r.Context(), visitOf(r).actor, act), act.Batch, said)
}
