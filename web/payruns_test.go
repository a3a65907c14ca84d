package web_test

import (
	"html"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"manudex/app/apptest"
	"manudex/app/payroll"
	"manudex/core/when"
)

// What is not approved is found where the page leads, also when it belongs to
// a period that was closed.
func TestTheRunLeadsToWhatWaits(t *testing.T) {
	s := open(t)
	late := apptest.Ref(t, s.World, "Tomasz Brandt", when.NewDate(2026, 11, 12))
	s.Set(time.Date(2026, 11, 23, 15, 0, 0, 0, time.UTC))
	apptest.ApproveAll(t, s.World, when.NewDate(2026, 11, 21), late)
	sana := s.Person(t, "Sana Verity")
	page, err := payroll.PayRun(t.Context(), s.App, sana, uuid.Nil)
	apptest.Must(t, err)
	apptest.Must(t, s.Do(t.Context(), sana,
		payroll.CloseRun{ID: apptest.NewID(), Seen: page.Period.From.String() + " " + page.Total.Gross}))
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
