package web_test

import (
	"html"
	"regexp"
	"strings"
	"testing"
	"time"

	"manudex/app/apptest"
	"manudex/core/when"
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
