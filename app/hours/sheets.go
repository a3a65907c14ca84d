package hours

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// SheetsPage is a day on paper, a page for each crew.
type SheetsPage struct {
	Around       *app.Frame
	Day          when.Date
	Now          time.Time
	SignRequired bool
	Crews        []CrewDay
}

// CrewDay is the day of a crew: its people, what they worked on, and what is left
// of that.
type CrewDay struct {
	Name, Lead string
	Rows       []SheetRow
	Jobs       []JobHours // the columns, by number
	Tasks      []TaskLeft // by job and name
	Worked     int64
}

// SheetRow is somebody's line: the seconds by job, in the order of the columns,
// and who signed it, and when.
type SheetRow struct {
	DayRow
	ByJob    []int64
	SignedBy string
	SignedAt time.Time
}

// JobHours is a column.
type JobHours struct {
	Job     uuid.UUID
	Number  string
	Seconds int64
}

// TaskLeft is a task that was worked on, with what is left of its estimate.
type TaskLeft struct {
	store.TaskUse
	Number string // of the job
	Today  int64
}

// ReadSheets reads a day on paper.
func ReadSheets(ctx context.Context, a *app.App, actor app.Actor, day when.Date) (*SheetsPage, error) {
	if !actor.May("timecards.see") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &SheetsPage{Day: day, Now: a.Now(), SignRequired: place.SignRequired}
	days := when.Period{From: day, To: day}
	if p.Around, err = a.ReadFrame(ctx, actor, days); err != nil {
		return nil, err
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: day, To: day, Units: actor.Units("timecards.see")})
	if err != nil {
		return nil, fmt.Errorf("read cards: %w", err)
	}
	rows := rowsOf(cards)
	if err := judge(rows, actor, place, p.Now); err != nil {
		return nil, err
	}
	if err := fill(ctx, a, rows); err != nil {
		return nil, err
	}
	signed, err := store.SignedOn(ctx, a.DB, day)
	if err != nil {
		return nil, err
	}
	for len(rows) > 0 {
		n := 0
		for n < len(rows) && rows[n].Unit == rows[0].Unit {
			n++
		}
		p.Crews = append(p.Crews, crewDay(rows[:n], signed))
		rows = rows[n:]
	}
	return p, p.tasks(ctx, a)
}

// crewDay adds the day of a crew up.
func crewDay(rows []DayRow, signed map[uuid.UUID]store.SignedCard) CrewDay {
	c := CrewDay{Name: rows[0].UnitName, Lead: rows[0].Leads}
	tasks := map[uuid.UUID]*TaskLeft{}
	for _, r := range rows {
		for _, s := range r.Stints {
			if s.Kind != clock.Work || s.Open() || !s.Counted {
				continue
			}
			n := s.Length(s.End)
			i := slices.IndexFunc(c.Jobs, func(j JobHours) bool { return j.Job == s.On.Job })
			if i < 0 {
				c.Jobs, i = append(c.Jobs, JobHours{Job: s.On.Job, Number: s.JobNumber}), len(c.Jobs)
			}
			c.Jobs[i].Seconds += n
			if s.On.Task != uuid.Nil {
				if tasks[s.On.Task] == nil {
					tasks[s.On.Task] = &TaskLeft{TaskUse: store.TaskUse{ID: s.On.Task, Name: s.TaskName}, Number: s.JobNumber}
				}
				tasks[s.On.Task].Today += n
			}
		}
		c.Worked += r.Worked
	}
	slices.SortFunc(c.Jobs, func(a, b JobHours) int { return strings.Compare(a.Number, b.Number) })
	for _, r := range rows {
		line := SheetRow{DayRow: r, ByJob: make([]int64, len(c.Jobs)), SignedBy: signed[r.Employment].ByName,
			SignedAt: signed[r.Employment].MadeAt}
		for _, s := range r.Stints {
			if s.Kind == clock.Work && !s.Open() && s.Counted {
				line.ByJob[slices.IndexFunc(c.Jobs, func(j JobHours) bool { return j.Job == s.On.Job })] += s.Length(s.End)
			}
		}
		c.Rows = append(c.Rows, line)
	}
	for _, t := range tasks {
		c.Tasks = append(c.Tasks, *t)
	}
	slices.SortFunc(c.Tasks, func(a, b TaskLeft) int {
		return cmp.Or(strings.Compare(a.Number, b.Number), strings.Compare(a.Name, b.Name))
	})
	return c
}

// tasks reads what is left of the tasks on the sheets.
func (p *SheetsPage) tasks(ctx context.Context, a *app.App) error {
	var ids []uuid.UUID
	for _, c := range p.Crews {
		for _, t := range c.Tasks {
			ids = append(ids, t.ID)
		}
	}
	uses, err := store.TaskUses(ctx, a.DB, ids)
	if err != nil {
		return err
	}
	for i := range p.Crews {
		for k := range p.Crews[i].Tasks {
			t := &p.Crews[i].Tasks[k]
			t.TaskUse = uses[t.ID]
		}
	}
	return nil
}
