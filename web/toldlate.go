package web

import (
	"cmp"
	"net/http"
	"time"

	"manudex/app/roster"
	"manudex/core/card"
	"manudex/core/when"
	"manudex/web/form"
	"manudex/web/words"
)

type lateView struct {
	frameView
	*roster.Late
	Lines []lateLine
}

type lateLine struct{ Name, Unit, What, Told, By, Asked, Agreed, Ahead string }

// latePage lists changes of shifts that people were told of with little notice.
func (s *Server) latePage(w http.ResponseWriter, r *http.Request) error {
	f := form.Of(r)
	days, notice := when.Period{From: f.MaybeDate("from"), To: f.MaybeDate("to")}, f.Count("notice")
	if err := f.Err(); err != nil {
		return err
	}
	if days.From == 0 || days.To == 0 {
		days = when.Period{}
	}
	if notice == 0 {
		notice = 7
	}
	p, err := roster.ReadLate(r.Context(), s.app, visitOf(r).actor, days, notice)
	if err != nil {
		return err
	}
	v := lateView{Late: p}
	for _, l := range p.List {
		line := lateLine{l.Name, l.Unit, l.Words, words.At(l.Told, l.Loc).Moment(), l.By, cmp.Or(l.AskedBy, l.By), "", noticeWords(l.Ahead)}
		if l.AskedBy != "" && l.AgreedAt == nil {
			line.Asked += ", which they haven’t confirmed"
		}
		if l.AgreedAt != nil {
			line.Agreed = l.AgreedBy + ", " + words.At(*l.AgreedAt, l.Loc).Moment()
		}
		v.Lines = append(v.Lines, line)
	}
	if v.frameView, err = s.stillFrame(r, "Changed at short notice", "roster"); err != nil {
		return err
	}
	s.pages.write(w, s.log, http.StatusOK, "roster-late", v)
	return nil
}

// noticeWords says how long before a shift somebody was told.
func noticeWords(seconds int64) string {
	switch d := time.Duration(seconds) * time.Second; {
	case seconds < 0:
		return "after it began"
	case d >= 48*time.Hour:
		return words.Plural(int(d/(24*time.Hour)), "day", "days")
	}
	return card.HoursMinutes(seconds) + " h"
}
