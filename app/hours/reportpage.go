package hours

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/store"
)

// ReportPage is a pay period of somebody who reports hours by hand: a block for each of their
// positions, lines by what was worked on and days across.
type ReportPage struct {
	Around   *app.Frame
	Today    when.Date
	Period   when.Period
	Picked   when.Date // the day that a narrow screen shows
	Person   uuid.UUID
	Name     string
	Own      bool
	Blocks   []ReportBlock
	Words    []app.AccountWord // for accounts
	Accounts bool              // accounts are used here
	Signs    bool              // cards are signed here
}

// ReportBlock is one position.
type ReportBlock struct {
	store.OwnReporting
	Writes  bool // hours are written in it; else they are by plan alone
	Days    []ReportDay
	Lines   []ReportLine
	Choices []store.ClockOption
	Classes map[uuid.UUID][]store.ClassOf
	Before  int // lines of the period before, to begin with
	ToSign  []CardRef
	Sum     int64
	Planned int64
	Asked   []AskedRow // of its days, beside the hours
}

// AskedRow is what the place asks of each day, with what was said.
type AskedRow struct {
	store.DayField
	Values []string
}

// ReportDay is a column: what its lines come to, and what stands on the card once it is over.
type ReportDay struct {
	Date     when.Date
	Over     bool
	Sum      int64 // of the lines
	Worked   int64 // on the card
	Expected int64 // by the plan, leave taken off
	State    card.State
	ByPlan   bool // the card holds the plan
}

// ReportLine is something that was worked on, with the seconds of each day; below zero where
// nothing was written.
type ReportLine struct {
	store.Reported
	Cells []int64
	Sum   int64
}

// ReadReportPage reads the pay period around a day of the actor, or of somebody else whose
// hours they report.
func ReadReportPage(ctx context.Context, a *app.App, actor app.Actor, person uuid.UUID, day when.Date) (*ReportPage, error) {
	if !actor.May("hours.report") {
		return nil, app.ErrForbidden
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, err
	}
	p := &ReportPage{Today: place.Today(a.Now()), Picked: day, Person: person, Signs: place.SignRequired, Words: place.Accounts(),
		Around: &app.Frame{Company: place.Name, AskWhom: place.WhomToAsk, Word: app.JobWord(place.JobWord), Today: place.Today(a.Now())}}
	if person == uuid.Nil {
		p.Person = actor.ID
	}
	if p.Picked == 0 {
		p.Picked = p.Today
	}
	p.Own = p.Person == actor.ID
	if p.Period, err = place.Periods().Of(p.Picked); err != nil {
		return nil, err
	}
	away, err := app.ReadAway(ctx, a.DB)
	if err != nil {
		return nil, err
	}
	p.Accounts = !away.Hides("account")
	positions, err := store.Reportings(ctx, a.DB, p.Person, min(p.Today, p.Period.To), !p.Own)
	if err != nil {
		return nil, err
	}
	for _, of := range positions {
		if !actor.Reaches("hours.report", of.Person, of.Unit) {
			continue
		}
		p.Name = of.Given + " " + of.Family
		b, err := readReportBlock(ctx, a, place, p, of)
		if err != nil {
			return nil, err
		}
		p.Blocks = append(p.Blocks, *b)
	}
	if len(p.Blocks) == 0 && !p.Own {
		return nil, app.ErrNotFound
	}
	return p, nil
}

func readReportBlock(ctx context.Context, a *app.App, place *app.Company, p *ReportPage, of store.OwnReporting) (*ReportBlock, error) {
	b := &ReportBlock{OwnReporting: of, Writes: of.Reports || !p.Own}
	ids := []uuid.UUID{of.ID}
	days := p.Period.To - p.Period.From + 1
	said, err := store.ReportedIn(ctx, a.DB, ids, when.Period{From: p.Period.From - days, To: p.Period.To})
	if err != nil {
		return nil, err
	}
	if err := b.days(ctx, a, place, p); err != nil {
		return nil, err
	}
	before := map[clock.Assignment]bool{}
	for _, r := range said {
		if r.Date < p.Period.From {
			if r.Seconds > 0 {
				before[r.On] = true
			}
			continue
		}
		b.put(r, p.Period)
	}
	for _, l := range b.Lines {
		delete(before, l.On)
	}
	b.Before = len(before)
	if err := b.asked(ctx, a, p.Period); err != nil {
		return nil, err
	}
	if !b.Writes {
		return b, nil
	}
	if b.Choices, err = store.OwnOptions(ctx, a.DB, of.ID, min(p.Today, p.Period.To), ownChoices); err != nil {
		return nil, err
	}
	more, err := store.SearchOptions(ctx, a.DB, "", of.ID, min(p.Today, p.Period.To), fewChoices)
	if err != nil {
		return nil, err
	}
	for _, o := range more {
		if !slices.ContainsFunc(b.Choices, func(c store.ClockOption) bool { return sameChoice(c, o) }) {
			b.Choices = append(b.Choices, o)
		}
	}
	b.Classes, err = classes(ctx, a, b.Choices, min(p.Today, p.Period.To))
	return b, err
}

// asked reads what is asked of the days beside the hours.
func (b *ReportBlock) asked(ctx context.Context, a *app.App, period when.Period) error {
	fields, said, err := readAsked(ctx, a, b.ID, period)
	for _, f := range fields {
		if f.OfStint || f.Closed || f.Unit != nil && *f.Unit != b.Unit {
			continue
		}
		row := AskedRow{f, make([]string, len(b.Days))}
		for _, s := range said {
			if s.Field == f.ID {
				row.Values[s.Date-period.From] = s.Value
			}
		}
		b.Asked = append(b.Asked, row)
	}
	return err
}

// put puts what was reported of a day on its line.
func (b *ReportBlock) put(r store.Reported, period when.Period) {
	i := slices.IndexFunc(b.Lines, func(l ReportLine) bool { return l.On == r.On })
	if i < 0 {
		i = len(b.Lines)
		l := ReportLine{Reported: r, Cells: make([]int64, len(b.Days))}
		for n := range l.Cells {
			l.Cells[n] = -1
		}
		b.Lines = append(b.Lines, l)
	}
	n := int(r.Date - period.From)
	if r.Seconds > 0 {
		b.Lines[i].Cells[n] = r.Seconds
	}
	b.Lines[i].Sum += r.Seconds
	b.Days[n].Sum += r.Seconds
	b.Sum += r.Seconds
}

// days reads the columns.
func (b *ReportBlock) days(ctx context.Context, a *app.App, place *app.Company, p *ReportPage) error {
	var on []store.EmploymentDate
	for d := p.Period.From; d <= p.Period.To; d++ {
		on = append(on, store.EmploymentDate{Employment: b.ID, Date: d})
	}
	plans, err := store.PlansOf(ctx, a.DB, on, place.Holiday)
	if err != nil {
		return err
	}
	cards, err := store.Cards(ctx, a.DB, store.CardFilter{From: p.Period.From, To: p.Period.To, Employment: b.ID})
	if err != nil {
		return err
	}
	dates := make([]when.Date, 0, len(on))
	for _, plan := range plans {
		day := ReportDay{Date: plan.Date, Over: plan.Date < p.Today, Expected: max(0, plan.Expected-plan.Leave), State: plan.State}
		b.Planned += day.Expected
		b.Days, dates = append(b.Days, day), append(dates, plan.Date)
	}
	for _, c := range cards {
		b.Days[c.Date-p.Period.From].Worked = c.Worked
		if toSignReported(c, p.Today) {
			b.ToSign = append(b.ToSign, CardRef{c.Employment, c.Date})
		}
	}
	stints, err := store.StintsOn(ctx, a.DB, []uuid.UUID{b.ID}, dates)
	for _, s := range stints {
		b.Days[s.Date-p.Period.From].ByPlan = b.Days[s.Date-p.Period.From].ByPlan || s.StartBy == clock.ByPlan
	}
	return err
}

// ReportChoices finds jobs and tasks that hours of a position can be written on, with their
// classifications.
func ReportChoices(ctx context.Context, a *app.App, actor app.Actor, employment uuid.UUID, text string) ([]store.ClockOption,
	map[uuid.UUID][]store.ClassOf, error) {
	who, err := store.GetEmployment(ctx, a.DB, employment)
	if store.NotFound(err) || err == nil && !actor.Reaches("hours.report", who.Person, who.Unit) {
		return nil, nil, app.ErrNotFound
	}
	if err != nil {
		return nil, nil, err
	}
	place, err := a.Company(ctx)
	if err != nil {
		return nil, nil, err
	}
	today := place.Today(a.Now())
	found, err := store.SearchOptions(ctx, a.DB, text, employment, today, crewChoices)
	if err != nil {
		return nil, nil, err
	}
	byJob, err := classes(ctx, a, found, today)
	return found, byJob, err
}
