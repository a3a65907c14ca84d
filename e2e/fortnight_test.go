package e2e

import (
	"math"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/app/jobs"
	"manudex/core/card"
	"manudex/core/clock"
	"manudex/core/when"
	"manudex/dbtest"
)

// A fortnight of night shifts over midnight with overtime, on public works at their wages and fringe, over a holiday that
// pays half as much again, with a differential by night and leave: the run names each apart, everybody's page says why, and
// the sheet of the run comes to the same.
func TestAFortnightOfEveryKind(t *testing.T) {
	s := open(t)
	sefa := *s.Person(t, "Sefa Mendoza").Employment // of the night lane crew
	s.moveTo(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	manager, clerk := s.device(1280, 800), s.device(1280, 800)
	manager.signIn("Mira Castellane")
	clerk.signIn("Sana Verity")
	day := func(d int) time.Time { return time.Date(2026, 11, d, 0, 0, 0, 0, time.UTC) }

	// The office names the holiday, and what public works add to each hour.
	manager.open("/setup/on/holidays")
	manager.MustElement(`form[action="/setup/holidays"] [name=date]`).MustInputTime(day(11))
	manager.MustElement(`form[action="/setup/holidays"] [name=title]`).MustInput("Founders' day")
	manager.MustElement(`form[action="/setup/holidays"] [name=multiplier]`).MustInput("1.5")
	manager.press("^Add the holiday$")
	manager.sees("#holidays", "Founders' day")
	fringeOnPublicWorks(t, s, "2.25")
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 21))

	// The clerk gives the night crew a differential by night.
	clerk.open("/payruns/adjustments")
	clerk.MustElement("#a-title").MustInput("NIGHT")
	clerk.MustElement("#d-unit").MustSelect("Night lane crew")
	clerk.MustElement("#a-from_time").MustInput("22:00")
	clerk.MustElement("#a-to_time").MustInput("06:00")
	clerk.MustElement("#a-per_hour").MustInput("1.50")
	clerk.MustElement("#a-first").MustInputTime(day(8))
	clerk.press("^Give it$")
	clerk.sees("tr.r", "NIGHT[^]*22:00[^]*1.50")
	clerk.press("^Back to the run$")
	clerk.MustElement(`select[name=crew]`).MustSelect("Night lane crew")
	clerk.sees(".findbar", "6 people; the sums are of the whole run")
	for _, name := range []string{"Holiday", "Differentials", "Fringe"} {
		clerk.sees("th", name)
	}
	clerk.sees("tr.r", "Dario Lusk[^]*8:00") // of leave
	row := clerk.sees("tr.r", "Sefa Mendoza").MustText()

	// Why, line by line, and what comes of the punches themselves.
	clerk.sees("tr.r", "Sefa Mendoza").MustElement("td.who a").MustClick()
	clerk.sees("h1", "Sefa Mendoza")
	for _, why := range []string{"differential[^]*22:00", "overtime premium[^]*crossed at Fri", "holiday premium[^]*29 CFR 778.203",
		"Fringe of 2.25"} {
		clerk.sees(".payweek", why)
	}
	clerk.fits("why somebody is paid")
	clerk.accessible("why somebody is paid", "all")
	night, worked := nightAndAll(t, s, sefa)
	if got, want := clerk.sumOf("NIGHT"), 1.5*float64(night)/3600; math.Abs(got-want) > 0.05 { // each day is rounded
		t.Errorf("%s by night at 1.50 are paid %.2f", card.HoursMinutes(night), got)
	}
	if over := worked - 40*3600; over < 3600 || !strings.Contains(row, card.HoursMinutes(over)) {
		t.Errorf("of %s hours %s are overtime; the run says %q", card.HoursMinutes(worked), card.HoursMinutes(over), row)
	}
	s.shot(clerk, "every-kind")
	clerk.press("^The run$")

	// On paper.
	total := figures(clerk.MustElement("tfoot").MustText())
	clerk.press("^On paper$")
	clerk.sees(".runsheet", "Sefa Mendoza")
	clerk.fits("a run on paper")
	clerk.accessible("a run on paper", "all")
	if sheet := figures(clerk.MustElement(".runsheet tfoot").MustText()); sheet != total {
		t.Errorf("the sheet comes to %q, the run to %q", sheet, total)
	}
	clerk.press("^Back to the run$")

	// Closed it pays the same.
	clerk.leaveOut("nobody could be reached")
	clerk.closeRun()
	clerk.sees(".steps .on", "Closed")
	if closed := clerk.sees("tr.r", "Sefa Mendoza").MustText(); figures(closed) != figures(row) {
		t.Errorf("closed it pays %q, open it paid %q", closed, row)
	}

	// A correction of a paid day takes money back from the next run: the clerk says how, and sees where it comes from.
	wrong := dbtest.Get[uuid.UUID](t, s.World, `select id from stint where employment_id = $1 and date = '2026-11-10' and kind = 'work'
		order by start_at desc limit 1`, sefa)
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), hours.Amend{Batch: apptest.NewID(), Why: "not there",
		Changes: []hours.Change{{ID: apptest.NewID(), Employment: sefa, Does: clock.Remove, Of: wrong}}}))
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Orla Ebbwater"), hours.Approve{Why: "looked at",
		Card: hours.CardRef{Employment: sefa, Date: when.NewDate(2026, 11, 10)}}))
	clerk.open("/payruns")
	clerk.sees(".standing", "A correction takes [0-9.]+ back from Sefa Mendoza[^]*It isn't taken before somebody says how")
	clerk.sees("tr.r", "Sefa Mendoza[^]*with pay of earlier days").MustElement("td.who a").MustClick()
	clerk.sees(".payweek", "less what earlier runs paid of this week")
	clerk.sees(".payweek a", "Mon 9 Nov").MustClick() // to the ribbon of a line's day
	clerk.sees("h1", "Sefa Mendoza")
	clerk.open("/payruns")
	clerk.press("^over so many$")
	clerk.sees(".standing", "back from Sefa Mendoza: over 3 runs")
	clerk.sees("tr.r", "Sefa Mendoza[^]*0.00")
}

// fringeOnPublicWorks sets what public works add to each hour, in cash, from 8 November.
func fringeOnPublicWorks(t *testing.T, s *site, cash string) {
	t.Helper()
	var wages []struct {
		Job   uuid.UUID `db:"job_id"`
		Class uuid.UUID `db:"class_id"`
		Base  string    `db:"base_rate"`
	}
	apptest.Must(t, s.DB.Select(&wages, `select job_id, class_id, base_rate::text from job_wage`))
	for _, w := range wages {
		apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), jobs.SetWage{Job: w.Job, Class: w.Class, Base: w.Base, Cash: cash,
			From: when.NewDate(2026, 11, 8)}))
	}
}

// nightAndAll gives the seconds of somebody's counted work, with rest breaks that are paid, between 22:00 and 06:00 at the
// works, and all of them, of the week from 8 November.
func nightAndAll(t *testing.T, s *site, employment uuid.UUID) (night, all int64) {
	t.Helper()
	const counted = `s.employment_id = $1 and s.kind <> 'meal' and s.counted and s.date between '2026-11-08' and '2026-11-14'`
	night = dbtest.Get[int64](t, s.World, `select sum(extract(epoch from least(s.end_at, w + interval '8 hours') - greatest(s.start_at, w)))
		::bigint from stint s, generate_series(timestamptz '2026-11-07 22:00-05', timestamptz '2026-11-14 22:00-05', interval '1 day') w
		where s.start_at < w + interval '8 hours' and s.end_at > w and `+counted, employment)
	all = dbtest.Get[int64](t, s.World, `select sum(extract(epoch from s.end_at - s.start_at))::bigint from stint s where `+counted,
		employment)
	return night, all
}

// sumOf adds up the sums of a pay code on somebody's page.
func (d *device) sumOf(code string) float64 {
	return d.MustEval(`(code) => [...document.querySelectorAll(".payweek tbody tr")].filter(r => r.cells[2]?.innerText === code)
		.reduce((sum, r) => sum + Number(r.cells[5].innerText.replaceAll(",", "")), 0)`, code).Num()
}

// figures are the numbers of a text.
func figures(text string) string {
	return strings.Join(regexp.MustCompile(`[0-9][0-9:.,]*`).FindAllString(text, -1), " ")
}
