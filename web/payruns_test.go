package web_test

import (
	"html"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/shopspring/decimal"

	"manudex/app/apptest"
	"manudex/app/payroll"
	"manudex/core/when"
	"manudex/store"
	spoken "manudex/web/words"
)

// What is not approved is found where the page leads, also when it belongs to
// a period that was closed.
func TestTheRunLeadsToWhatWaits(t *testing.T) {
	s := open(t)
	late := apptest.Ref(t, s.World, "Tomasz Brandt", when.NewDate(2026, 11, 12))
	s.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 21), late)
	apptest.CloseOpenRun(t, s.World)
	c := s.signIn(t, "Sana Verity")
	_, body, _ := c.get("/payruns")
	m := regexp.MustCompile(`href="(/timecards\?[^"]*)">Look at them`).FindStringSubmatch(body)
	if m == nil {
		t.Fatal("the page leads nowhere")
	}
	if _, desk, _ := c.get(html.UnescapeString(m[1])); !strings.Contains(desk, "Tomasz Brandt") || !strings.Contains(desk, "Thu 12 Nov") {
		t.Errorf("%s doesn't show the card that waits", m[1])
	}
}

// A run on paper has all of its people at once, in the order and of the crews that it was looked at, and
// says how far it is: a draft, checked as it stands or not any more, closed.
func TestARunOnPaper(t *testing.T) {
	s := open(t)
	s.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 21))
	c := s.signIn(t, "Sana Verity")
	step := func(body string) string {
		t.Helper()
		m := regexp.MustCompile(`(?s)aria-current="step"><b>(\w+)</b> <span>([^<]*)</span>.*</ol>`).FindStringSubmatch(body)
		if m == nil {
			t.Fatal("the page doesn't say how far the run is")
		}
		return m[1]
	}
	names := func(body string) []string {
		var of []string
		for _, m := range regexp.MustCompile(`<td><b>([^<]+)</b><small>`).FindAllStringSubmatch(body, -1) {
			of = append(of, html.UnescapeString(m[1]))
		}
		return of
	}
	_, page, _ := c.get("/payruns?sort=-gross")
	href := regexp.MustCompile(`href="(/payruns/open/sheet[^"]*)"`).FindStringSubmatch(page)
	if href == nil || step(page) != "Draft" {
		t.Fatalf("no way to paper, or not a draft: %v", href)
	}
	_, sheet, _ := c.get(html.UnescapeString(href[1]))
	run, err := payroll.PayRun(t.Context(), s.App, s.Person(t, "Sana Verity"), uuid.Nil)
	apptest.Must(t, err)
	rows := slices.Clone(run.Rows)
	slices.SortStableFunc(rows, func(a, b payroll.PayRow) int {
		return decimal.RequireFromString(b.Gross).Cmp(decimal.RequireFromString(a.Gross))
	})
	got := names(sheet)
	if len(got) != len(rows) {
		t.Fatalf("%d people on paper, of %d", len(got), len(rows))
	}
	for i, r := range rows {
		if got[i] != r.Name() {
			t.Errorf("line %d is %s, not %s", i, got[i], r.Name())
		}
	}
	if !strings.Contains(sheet, spoken.Grouped(run.Total.Gross)) {
		t.Error("the sheet doesn't say what the run pays")
	}
	_, of, _ := c.get("/payruns/open/sheet?crew=" + url.QueryEscape(rows[0].UnitName))
	if some := names(of); len(some) == 0 || len(some) >= len(rows) || !strings.Contains(of, "The sums") {
		t.Errorf("of one crew: %v", some)
	}
	seen := run.Period.From.String() + " " + run.Total.Gross
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), payroll.CheckRun{ID: apptest.NewID(), Seen: seen}))
	if _, page, _ = c.get("/payruns"); step(page) != "Checked" || !strings.Contains(page, "by Mira Castellane") {
		t.Errorf("checked it is %s", step(page))
	}
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Sana Verity"), payroll.PutAdjustments{ID: apptest.NewID(), Rows: []payroll.Adjustment{
		{Employment: rows[0].Employment, Does: "earning", What: "Bonus", PayCode: "BONUS", Amount: "75"}}}))
	if _, page, _ = c.get("/payruns"); step(page) != "Draft" || !strings.Contains(page, "not any more: it changed") {
		t.Errorf("changed since it was checked it is %s", step(page))
	}
	if run, err = payroll.PayRun(t.Context(), s.App, s.Person(t, "Sana Verity"), uuid.Nil); err != nil {
		t.Fatal(err)
	}
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), payroll.CheckRun{ID: apptest.NewID(),
		Seen: run.Period.From.String() + " " + run.Total.Gross}))
	apptest.AnswerAll(t, s.World, store.LeftOut)
	_, page, _ = c.get("/payruns?sort=-extras")
	if first := regexp.MustCompile(`<a href="[^"]*"><b>([^<]+)</b></a>`).FindStringSubmatch(page[strings.Index(page,
		"<tbody>"):]); first == nil ||
		html.UnescapeString(first[1]) != rows[0].Name() {
		t.Errorf("by extras the first is %v, not %s", first, rows[0].Name())
	}
	closed, _ := apptest.CloseOpenRun(t, s.World)
	if _, sheet, _ = c.get("/payruns/" + closed.String() + "/sheet"); step(sheet) != "Closed" || len(names(sheet)) != len(rows) ||
		!strings.Contains(sheet, "by Mira Castellane, ") {
		t.Errorf("closed it is %s with %d people", step(sheet), len(names(sheet)))
	}
}

// The rail says on which days a group's pay period ends and its run can be closed, to those who see runs.
func TestThePayCalendarIsOnTheRail(t *testing.T) {
	s := open(t)
	at := "/timecards?day=2026-11-08"
	for _, who := range []string{"Sana Verity", "Wren Halloran"} {
		c := s.signIn(t, who)
		if _, body, _ := c.get(at); strings.Contains(body, "payend") || strings.Contains(body, "payfrom") {
			t.Error("where all are paid by one calendar the rail's end says it")
		}
	}
	apptest.Must(t, s.Do(t.Context(), s.Person(t, "Mira Castellane"), payroll.PutPeriodGroup{Title: "Weekly", Kind: "weekly",
		Anchor: "2026-11-08"}))
	for _, who := range []struct {
		name string
		says []string
	}{{"Sana Verity", []string{"last day of Weekly, 8–14 Nov", "Weekly can be closed from 04:00", "last day of Weekly, 15–21 Nov",
		"last day of Ebbwater"}}, {"Wren Halloran", nil}} {
		c := s.signIn(t, who.name)
		_, body, _ := c.get(at)
		body = html.UnescapeString(body)
		for _, want := range who.says {
			if !strings.Contains(body, want) {
				t.Errorf("the rail of %s doesn't say %q", who.name, want)
			}
		}
		if got := strings.Count(body, "payend"); (got > 0) != (len(who.says) > 0) || got > 2 {
			t.Errorf("%s sees %d marks of ends", who.name, got)
		}
	}
}
