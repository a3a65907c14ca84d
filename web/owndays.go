package web

import (
	"net/http"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/when"
	"manudex/web/words"
)

type ownDaysView struct {
	frameView
	*hours.OwnDays
	Weeks []ownWeek
}

type ownWeek struct {
	Words  string
	Worked int64
	Days   []ownDay
}

// ownDay is one of the person's own days, as a line.
type ownDay struct {
	hours.DayRow
	Href, State string
	Hours       int64
	Span        string // "06:58–15:31"
	Flags       []string
}

// ownDays shows somebody their own days of a pay period.
func (s *Server) ownDays(w http.ResponseWriter, r *http.Request) error {
	var on when.Date
	if text := r.URL.Query().Get("on"); text != "" {
		var err error
		if on, err = when.ParseDate(text); err != nil {
			return app.ErrNotFound
		}
	}
	d, err := hours.ReadOwnDays(r.Context(), s.app, visitOf(r).actor, on)
	if err != nil {
		return err
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := ownDaysView{OwnDays: d}
	now := s.app.Now()
	for _, week := range d.Weeks {
		ow := ownWeek{Words: "Week of " + week.From.Format("2 January"), Worked: week.Worked}
		for _, row := range week.Days {
			day := ownDay{DayRow: row, Href: "/cards/" + row.Employment.String() + "/" + row.Date.String(),
				State: words.State(row, d.Signed), Hours: row.Live(now, place.Limits),
				Flags: words.Flags(row.FlagsAt(now, place.Limits), row.Loc)}
			if !row.First.IsZero() {
				day.Span = words.At(row.First, row.Loc).Clock() + "–"
				if !row.Running() {
					day.Span += words.At(row.Last, row.Loc).Clock()
				}
			}
			ow.Days = append(ow.Days, day)
		}
		v.Weeks = append(v.Weeks, ow)
	}
	if v.frameView, err = s.stillFrame(r, "My days", "days"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "own-days", v)
	return nil
}

// keptPage says what is kept of the reader, why, and how long.
func (s *Server) keptPage(w http.ResponseWriter, r *http.Request) error {
	kept, err := hours.ReadKept(r.Context(), s.app, visitOf(r).actor)
	if err != nil {
		return err
	}
	v := struct {
		frameView
		*hours.KeptPage
		Employment string
	}{KeptPage: kept, Employment: visitOf(r).actor.Employment.String()}
	if v.frameView, err = s.stillFrame(r, "What is kept", "clock"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "kept", v)
	return nil
}
