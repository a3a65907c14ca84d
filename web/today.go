package web

import (
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"time"

	"manudex/app"
	"manudex/app/hours"
	"manudex/core/when"
	"manudex/store"
	"manudex/web/draw"
	"manudex/web/words"
)

type todayView struct {
	frameView
	L        listQuery
	Places   placeChoice
	Day      string
	Sentence []countWord
	Hours    template.HTML
	Rows     []todayRow
	Lacking  []store.LackingTag
	MoreHref string
	Decide   *decisionsView // on the day that is today
	Untimed  bool
}

// countWord is "31 on the clock".
type countWord struct {
	N    int
	Word string
}

type todayRow struct {
	hours.BoardRow
	Group               *todayGroup // that begins with the row
	Href, State, OnWhat string
	WorkedNow           int64
	Ribbon              template.HTML
	FlagWords           []string
}

// todayGroup is the line above those who are in one state.
type todayGroup struct {
	ID    string
	Words string
}

// offsetOf reads which piece of a list is asked for.
func offsetOf(r *http.Request) (int, error) { return parseCount(r.URL.Query().Get("offset")) }

// parseCount reads a whole number that is not below zero, 0 for none.
func parseCount(text string) (int, error) {
	if text == "" {
		return 0, nil
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 0 {
		return 0, app.ErrNotFound
	}
	return n, nil
}

// moreHref is the address of the next piece, "" when there is none.
func moreHref(r *http.Request, offset, more int) string {
	if more == 0 {
		return ""
	}
	q := r.URL.Query()
	q.Set("offset", strconv.Itoa(offset+app.PageRows))
	return r.URL.Path + "?" + q.Encode()
}

func (s *Server) todayPage(w http.ResponseWriter, r *http.Request) error {
	begun := time.Now()
	days, err := s.daysOf(r)
	if err != nil {
		return err
	}
	list := listQueryOf(r)
	q := hours.BoardQuery{Day: days.To, Sort: list.sorting()}
	if q.Among, err = list.among(); err != nil {
		return err
	}
	b, p, err := listOf(s, w, r, func() (*hours.Board, error) {
		return hours.ReadBoard(r.Context(), s.app, visitOf(r).actor, q)
	})
	if err != nil {
		return err
	}
	rows, more := b.Rows, b.More
	if !p.first {
		if rows, more, err = b.Piece(r.Context(), s.app, p.offset, p.rows); err != nil {
			return err
		}
	}
	place, err := s.app.Company(r.Context())
	if err != nil {
		return err
	}
	v := todayView{L: list, Places: placesOf(list, b.Places), Day: words.DayFrom(b.Day, b.Today), Lacking: b.Lacking,
		MoreHref: p.next(r, more), Sentence: todaySentence(b), Untimed: b.Untimed}
	axis := axisOf(b.Day, place.Loc)
	v.Hours = template.HTML(draw.Hours(nil, axis, place.Loc))
	last := b.Before(p.offset)
	for _, row := range rows {
		t := todayRowOf(row, b.Day, b.Now, axis)
		if row.Presence != last {
			t.Group = groupOf(b, row.Presence)
			last = row.Presence
		}
		v.Rows = append(v.Rows, t)
	}
	if !p.first {
		s.pages.writePart(w, s.log, http.StatusOK, "today", "todayrows", v)
		return nil
	}
	if b.Day == b.Frame.Today {
		if v.Decide, err = s.decisions(r); err != nil {
			return err
		}
	}
	v.frameView = s.frame(r, "Today", "today", b.Frame)
	if q.Among.None() && q.Sort.By == "" {
		v.follow(r, begun)
	}
	s.pages.write(w, s.log, http.StatusOK, "today", v)
	return nil
}

// todaySentence is how many are where.
func todaySentence(b *hours.Board) []countWord {
	var sentence []countWord
	for _, w := range words.Presences {
		if n := b.Count[w.Of]; n > 0 {
			sentence = append(sentence, countWord{n, w.Word})
		}
	}
	if len(sentence) == 0 {
		sentence = []countWord{{0, "planned"}}
	}
	return sentence
}

func groupOf(b *hours.Board, p hours.Presence) *todayGroup {
	name := string(p)
	for _, w := range words.Presences {
		if w.Of == p {
			name = w.Group
		}
	}
	return &todayGroup{groupID(p), fmt.Sprintf("%s, %d", name, b.Count[p])}
}

func groupID(p hours.Presence) string { return "group-" + string(p) }

// todayRowOf says where somebody is on the board of a day.
func todayRowOf(row hours.BoardRow, day when.Date, now time.Time, axis draw.Axis) todayRow {
	t := todayRow{BoardRow: row, Href: cardHref(row.DayRow), WorkedNow: row.Worked, Ribbon: ribbon(axis, row.DayRow, now),
		FlagWords: words.Flags(row.Flags, row.Loc)}
	since := row.Since.In(row.Loc).Format("15:04")
	if row.Date != day {
		since = row.Since.In(row.Loc).Format("Mon 15:04")
	}
	switch row.Presence {
	case hours.MissingNow:
		t.State, t.FlagWords = "planned "+since, nil
		if len(row.Shifts) > 0 && row.Shifts[0].JobNumber != "" {
			t.OnWhat = row.Shifts[0].JobNumber + " " + row.Shifts[0].JobName
		}
	case hours.WorkingNow:
		t.State = "since " + since
		if n := len(row.Stints); n > 0 {
			t.OnWhat = words.What(row.Stints[n-1])
		}
	case hours.OnBreak:
		t.State = "since " + since
		if n := len(row.Stints); n > 0 {
			t.OnWhat = words.What(row.Stints[n-1]) + ", left " + row.Stints[n-1].JobNumber
		}
	case hours.DueLater:
		t.State = "from " + since
		if len(row.Shifts) > 0 {
			t.OnWhat = row.Shifts[0].JobNumber + " " + row.Shifts[0].JobName
		}
	case hours.Gone:
		t.State = "out " + since
	case hours.Away:
		t.State = row.LeaveName
		if t.State == "" {
			t.State = "no shift planned"
		}
	}
	if row.NotBy != "" && row.First.IsZero() {
		t.State = "not there, says " + row.NotBy + "; " + t.State
	}
	return t
}
