package web

import (
	"net/http"

	"manudex/app/roster"
	"manudex/web/form"
)

type dayPlanView struct {
	frameView
	*roster.DayPlan
	Crews []crewLines
}

type crewLines struct {
	Name   string
	Shifts []crewShift
}

// dayPlanPage is the plan of everybody on a day.
func (s *Server) dayPlanPage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	date := f.MaybeDate("day")
	if err := f.Err(); err != nil {
		return err
	}
	p, err := roster.ReadDayPlan(r.Context(), s.app, visitOf(r).actor, date, f.Text("q"))
	if err != nil {
		return err
	}
	v := dayPlanView{DayPlan: p}
	for _, c := range p.Crews {
		lines := crewLines{Name: c.Name}
		for _, sh := range c.Shifts {
			lines.Shifts = append(lines.Shifts, crewShift{sh.Name, spanTimes(sh.PlannedShift, sh.Loc), sh.JobNumber})
		}
		v.Crews = append(v.Crews, lines)
	}
	if v.frameView, err = s.stillFrame(r, "Everybody’s shifts", "shifts"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "dayplan", v)
	return nil
}
