package notice

import (
	"context"
	"fmt"
	"net/url"
	"strconv"
	"time"

	"github.com/google/uuid"
	"github.com/riverqueue/river"

	"manudex/app"
	"manudex/core/card"
	"manudex/core/notice"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/store"
)

// TellWhatTimeBrings tells people what no act does: that something was left undone, or
// comes to its end. However often it is done, and on however many nodes, each is told once.
type TellWhatTimeBrings struct{}

// Permission is what the act takes: time does it, and nobody.
func (TellWhatTimeBrings) Permission() string { return "self" }

type tellJob struct{}

// Kind names the work in the queue.
func (tellJob) Kind() string { return "tell_by_time" }

type teller struct {
	river.WorkerDefaults[tellJob]
	app *app.App
}

// Work tells what time brought.
func (w *teller) Work(ctx context.Context, _ *river.Job[tellJob]) error {
	return TellByTime(ctx, w.app)
}

// TellByTime tells people what time alone brings.
func TellByTime(ctx context.Context, a *app.App) error { return a.ByTime(ctx, TellWhatTimeBrings{}) }

const (
	tagSoon  = 14 // days before a tag's last day
	jobSoon  = 80 // percent of a job's hours
	unsigned = 7  // days back, for which people are asked to sign
)

func (TellWhatTimeBrings) Do(ctx context.Context, t *app.Turn) error {
	if t.Actor.ID != uuid.Nil {
		return app.ErrForbidden
	}
	today := t.Company.Today(t.Now)
	for _, tell := range []func(context.Context, *app.Turn, when.Date) error{tellUnsigned, tellWaiting, tellRuns, tellTags, tellOvertime,
		tellJobs} {
		if err := tell(ctx, t, today); err != nil {
			return err
		}
	}
	return nil
}

// tellUnsigned asks people to sign what is overdue, and a day later tells their lead.
func tellUnsigned(ctx context.Context, t *app.Turn, today when.Date) error {
	if !t.Company.SignRequired {
		return nil
	}
	cards, err := store.UnsignedCards(ctx, t, when.Period{From: today - unsigned, To: today - 1})
	if err != nil {
		return err
	}
	late := map[uuid.UUID]int{}
	crews := map[uuid.UUID]string{}
	for _, c := range cards {
		loc, err := time.LoadLocation(c.Zone)
		if err != nil {
			return err
		}
		due := t.Company.SignatureDue(c.Date, loc)
		if t.Now.Before(due) {
			continue
		}
		t.Tell(app.Notice{Person: c.Person, Kind: notice.Unsigned, Key: c.Date.String() + c.Employment.String(),
			Words: []string{day(c.Date)}, Link: "/clock/days"})
		if !t.Now.Before(due.Add(24 * time.Hour)) {
			late[c.Unit]++
			crews[c.Unit] = c.UnitName
		}
	}
	signers, err := t.Those(ctx, "sheet.sign")
	if err != nil {
		return err
	}
	for unit, n := range late {
		for _, who := range app.LeadOf(signers, "sheet.sign", unit) {
			t.Tell(app.Notice{Person: who, Kind: notice.CrewUnsigned, Key: unit.String() + today.String(),
				Words: []string{crews[unit], strconv.Itoa(n)}, Link: "/timecards?show=open"})
		}
	}
	return nil
}

// tellWaiting tells each morning those who check how much waits for them.
func tellWaiting(ctx context.Context, t *app.Turn, today when.Date) error {
	if t.Now.Before(today.At(time.Duration(t.Company.UnsignedAt)*time.Second, t.Company.Loc)) {
		return nil
	}
	waits, err := store.WaitingByUnit(ctx, t, today-1)
	if err != nil {
		return err
	}
	for _, of := range []struct {
		kind, permission, link string
		count                  func(store.WaitingUnit) int
	}{
		{notice.Checking, "card.approve", "/timecards", func(w store.WaitingUnit) int { return w.Signed }},
		{notice.Claims, "time.edit", "/claims", func(w store.WaitingUnit) int { return w.Claims }},
	} {
		those, err := t.Those(ctx, of.permission)
		if err != nil {
			return err
		}
		for _, a := range those {
			n := 0
			for _, w := range waits {
				if a.Reaches(of.permission, uuid.Nil, w.Unit) {
					n += of.count(w)
				}
			}
			if n > 0 {
				t.Tell(app.Notice{Person: a.ID, Kind: of.kind, Key: today.String(), Words: []string{strconv.Itoa(n)}, Link: of.link})
			}
		}
	}
	return nil
}

// tellRuns tells those who close runs, once, that a period can be.
func tellRuns(ctx context.Context, t *app.Turn, today when.Date) error {
	groups, err := store.PeriodGroups(ctx, t)
	if err != nil {
		return err
	}
	periods := map[string]when.PayPeriods{"": t.Company.Periods()}
	for _, g := range groups {
		periods[g.Name] = g.Periods()
	}
	closers, err := t.Those(ctx, "payrun.close")
	if err != nil {
		return err
	}
	for name, each := range periods {
		last, closed, err := store.LastPaidDayOf(ctx, t, name)
		if err != nil {
			return err
		}
		if !closed {
			continue // nothing was ever paid: nobody closes runs here yet
		}
		period, err := each.Of(last + 1)
		if err != nil {
			return err
		}
		if t.Now.Before(app.ClosesFrom(t.Company, period)) {
			continue
		}
		words, link := day(period.From)+" – "+day(period.To), "/payruns"
		if name != "" {
			words, link = words+" ("+name+")", link+"?group="+url.QueryEscape(name)
		}
		for _, a := range closers {
			t.Tell(app.Notice{Person: a.ID, Kind: notice.RunDue, Key: name + period.From.String(), Words: []string{words}, Link: link})
		}
	}
	return nil
}

// tellTags tells people, and who leads them, of tags that end soon.
func tellTags(ctx context.Context, t *app.Turn, today when.Date) error {
	ending, err := store.TagsEnding(ctx, t, when.Period{From: today, To: today + tagSoon})
	if err != nil || len(ending) == 0 {
		return err
	}
	leads, err := t.Those(ctx, "people.see")
	if err != nil {
		return err
	}
	for _, e := range ending {
		for _, who := range append(app.LeadOf(leads, "people.see", e.Unit), e.Person) {
			t.Tell(app.Notice{Person: who, Kind: notice.TagEnds, Key: e.Person.String() + e.Tag + e.Expires.String(),
				Words: []string{e.Tag, e.Name, day(e.Expires)}, Link: "/notices"})
		}
	}
	return nil
}

// tellOvertime tells those who lead somebody that their week comes to overtime today.
func tellOvertime(ctx context.Context, t *app.Turn, today when.Date) error {
	set := t.Company.RuleSetOn(today)
	if set == nil || set.Rules.WeeklyOvertime == pay.NotInForce || set.Rules.WeekDays() != 7 {
		return nil
	}
	week := when.Period{From: set.Rules.FirstDay(today)}
	week.To = week.From + 6
	coming, err := store.OvertimeAhead(ctx, t, week, today, set.Rules.WeeklyOvertime, nil, mostComing)
	if err != nil || len(coming) == 0 {
		return err
	}
	leads, err := t.Those(ctx, "timecards.see")
	if err != nil {
		return err
	}
	for _, c := range coming {
		if c.Date != today {
			continue
		}
		for _, who := range app.LeadOf(leads, "timecards.see", c.Unit) {
			t.Tell(app.Notice{Person: who, Kind: notice.Overtime, Key: c.Employment.String() + week.From.String(),
				Words: []string{c.Name, card.HoursMinutes(c.Before), card.HoursMinutes(set.Rules.WeeklyOvertime)},
				Link:  fmt.Sprintf("/timecards?from=%s&to=%s", week.From, today)})
		}
	}
	return nil
}

// mostComing is of how many people it is told that they come to overtime.
const mostComing = 5000

// tellJobs tells those who answer for jobs that one's hours are nearly used up, and that
// they are.
func tellJobs(ctx context.Context, t *app.Turn, _ when.Date) error {
	jobs, err := store.JobsRunningOut(ctx, t)
	if err != nil || len(jobs) == 0 {
		return err
	}
	those, err := t.Those(ctx, "jobs.change")
	if err != nil {
		return err
	}
	for _, j := range jobs {
		passed := 0
		for _, percent := range []int{jobSoon, 100} {
			if j.Used*100 >= j.Budget*int64(percent) {
				passed = percent
			}
		}
		if passed == 0 {
			continue
		}
		for _, a := range those {
			t.Tell(app.Notice{Person: a.ID, Kind: notice.JobHours, Key: fmt.Sprint(j.ID, passed, j.Budget),
				Words: []string{j.Number + " " + j.Name, card.HoursMinutes(j.Used), card.HoursMinutes(j.Budget)},
				Link:  "/jobs/" + j.ID.String()})
		}
	}
	return nil
}

// day writes a date as sentences of the catalogue read it.
func day(d when.Date) string { return d.Format("Monday 2 January") }
