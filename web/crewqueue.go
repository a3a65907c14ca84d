package web

import (
	"cmp"
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/people"
	"manudex/core/when"
	"manudex/web/form"
)

// crewSeenJSON is what a browser keeps of a crew's sheet, for when there is no connection.
type crewSeenJSON struct {
	Unit     string           `json:"unit"`
	Crew     string           `json:"crew"`
	Lang     string           `json:"lang"`
	Now      time.Time        `json:"now"`
	OneBreak bool             `json:"one_break"`
	MayAdd   bool             `json:"may_add"`
	People   []crewSeenPerson `json:"people"`
	Options  []crewOption     `json:"options"`
	Counts   []crewSeenCount  `json:"counts"`
}

type crewSeenPerson struct {
	ID      string `json:"id"` // of the position
	Name    string `json:"name"`
	Kind    string `json:"kind"`  // of what runs, "" while they are off
	Since   string `json:"since"` // as it is shown
	Planned string `json:"planned"`
	Job     string `json:"job"`
	Missing bool   `json:"missing"`
}

type crewSeenCount struct {
	Job  string `json:"job"`
	Task string `json:"task"`
	Name string `json:"name"`
}

// crewSeen answers with that.
func (s *Server) crewSeen(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	unit := f.ID("unit")
	if err := f.Err(); err != nil {
		return err
	}
	actor := visitOf(r).actor
	p, err := hours.ReadCrewSheet(r.Context(), s.app, actor, unit, 0, "")
	if err != nil {
		return err
	}
	all, classes, err := hours.CrewChoices(r.Context(), s.app, actor, unit, p.Day, "")
	if err != nil {
		return err
	}
	seen := crewSeenJSON{Unit: p.Crew.ID.String(), Crew: p.Crew.Name, Lang: w.Header().Get("Content-Language"), Now: p.Now.UTC(),
		OneBreak: p.OneBreak, MayAdd: p.MayAdd, Options: crewOptions(p.Choices, p.Classes)}
	known := map[string]bool{}
	for _, o := range seen.Options {
		known[o.Key] = true
	}
	for _, o := range crewOptions(all, classes) {
		if !known[o.Key] {
			seen.Options = append(seen.Options, o)
		}
	}
	for _, l := range p.Rows {
		one := crewSeenPerson{ID: l.SheetPerson.Employment.String(), Name: l.SheetPerson.Name(), Job: crewJobOf(l),
			Missing: l.NotThere != nil}
		if n := len(l.Stints); l.Running() && n > 0 {
			one.Kind, one.Since = string(l.Stints[n-1].Kind), l.Stints[n-1].Start.In(l.Loc).Format("15:04")
		}
		if len(l.Shifts) > 0 {
			one.Planned = l.Shifts[0].Start.In(l.Loc).Format("15:04")
		}
		seen.People = append(seen.People, one)
	}
	for _, q := range p.Quantities {
		c := crewSeenCount{Job: q.Job.String(), Name: q.Name + ", " + q.CountedIn}
		if q.Task != uuid.Nil {
			c.Task = q.Task.String()
		}
		seen.Counts = append(seen.Counts, c)
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	return json.NewEncoder(w).Encode(seen)
}

// queuedSheet is what was pressed on a crew's sheet and waited.
type queuedSheet struct {
	Unit   string   `json:"unit"`
	Day    string   `json:"day"`
	Act    string   `json:"act"` // of crewActs, or "missing", "there", "add" or "count"
	People []string `json:"people"`
	Choice string   `json:"choice"` // "" for what each is planned on
	At     string   `json:"at"`     // a time of day that was written, "" for when it was pressed
	Meal   string   `json:"meal"`

	From     string `json:"from"` // of a day that was written down
	MealFrom string `json:"meal_from"`
	MealTo   string `json:"meal_to"`
	To       string `json:"to"`

	Name   string `json:"name"`
	Mobile string `json:"mobile"`
	Job    string `json:"job"`
	Task   string `json:"task"`
	Amount string `json:"amount"`
}

// said gives what it says by the names of the form.
func (q *queuedSheet) said(name string) string {
	return map[string]string{"act": q.Act, "choice": q.Choice, "at": q.At, "meal": q.Meal, "from": q.From, "meal_from": q.MealFrom,
		"meal_to": q.MealTo, "to": q.To}[name]
}

// takeSheet takes it. It gives why some of it is a claim, "" where nothing is.
func (s *Server) takeSheet(ctx context.Context, actor app.Actor, q queuedJSON, sent time.Time) (claim string, err error) {
	var id, unit uuid.UUID
	if err := idsIn(map[string]*uuid.UUID{q.ID: &id, q.Sheet.Unit: &unit}); err != nil {
		return "", err
	}
	day, err := when.ParseDate(q.Sheet.Day)
	if err != nil {
		return "", app.ErrNotFound
	}
	var whose []uuid.UUID
	for _, text := range q.Sheet.People {
		var one uuid.UUID
		if err := idsIn(map[string]*uuid.UUID{text: &one}); err != nil {
			return "", err
		}
		whose = append(whose, one)
	}
	first := uuid.Nil
	if len(whose) > 0 {
		first = whose[0]
	}
	var act app.Act
	switch q.Sheet.Act {
	case "missing", "there":
		act = hours.NotThere{ID: id, Unit: unit, Day: day, Employment: first, There: q.Sheet.Act == "there"}
	case "add":
		act = people.AddNewcomer{ID: id, Employment: first, Unit: unit, Day: day, Name: q.Sheet.Name, Mobile: q.Sheet.Mobile}
	case "count":
		count := hours.CountWork{ID: id, Unit: unit, Day: day, Amount: q.Sheet.Amount}
		of := map[string]*uuid.UUID{q.Sheet.Job: &count.Job}
		if q.Sheet.Task != "" {
			of[q.Sheet.Task] = &count.Task
		}
		if err := idsIn(of); err != nil {
			return "", err
		}
		act = count
	default:
		punches := hours.CrewPunches{ID: id, Unit: unit, Day: day, People: whose, Queued: true, Tell: func(told []hours.CrewTold) {
			var why []string
			for _, t := range told {
				if t.Claim != "" {
					why = append(why, t.Name+": "+cmp.Or(claimWhy[t.Claim], t.Claim))
				}
			}
			claim = strings.Join(why, "; ")
		}}
		punches.Moment = q.moment(sent)
		if punches.Steps, err = s.crewSteps(ctx, q.Sheet.said, day); err != nil {
			return "", err
		}
		act = punches
	}
	err = s.app.Do(ctx, actor, act)
	return claim, err
}

// idsIn reads ids; one that no page of ours makes is not found.
func idsIn(of map[string]*uuid.UUID) (err error) {
	for text, into := range of {
		if *into, err = uuid.Parse(text); err != nil {
			return app.ErrNotFound
		}
	}
	return nil
}
