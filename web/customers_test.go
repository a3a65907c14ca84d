package web_test

import (
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/dbtest"
)

// A customer's page gives links, and what a link shows to a stranger: their
// hours and nobody's pay.
func TestCustomerPages(t *testing.T) {
	s := open(t)
	mira := s.signIn(t, "Mira Castellane")
	customer := "/customers/" + dbtest.Get[uuid.UUID](t, s.World, `select id from customer where name = 'County of Hollin'`).String()
	links := map[string]string{}
	for who, form := range map[string]url.Values{"Auditor": {"names": {"yes"}, "last_day": {"2026-12-31"}}, "Clerk of works": {}} {
		form.Set("id", uuid.NewString())
		form.Set("to", who)
		if status, _, _ := mira.post(customer+"/share", form); status != http.StatusSeeOther {
			t.Fatalf("giving a link: %d", status)
		}
		_, body, _ := mira.get(customer)
		links[who] = regexp.MustCompile(`/hours/[a-z0-9-]+`).FindString(body)
		if links[who] == "" || !strings.Contains(body, "not looked yet") {
			t.Fatalf("the page after giving a link: %s", body)
		}
	}
	somebody := dbtest.Get[string](t, s.World, `select p.given_name || ' ' || p.family_name from stint x
		join person p on p.id = x.person_id join job j on j.id = x.job_id where j.number = '2231' and x.date = '2026-11-10' limit 1`)
	stranger := s.stranger(t)
	for who, link := range links {
		status, body, h := stranger.get(link)
		if status != http.StatusOK || !strings.Contains(body, "Hours for County of Hollin, November 2026") ||
			!strings.Contains(body, "2231 Gantry, Route 9") || h.Get("Referrer-Policy") != "no-referrer" {
			t.Errorf("%s sees %d: %s", who, status, body)
		}
		if named := strings.Contains(body, somebody); named != (who == "Auditor") {
			t.Errorf("%s sees names: %v", who, named)
		}
		for _, rate := range []string{"34.85", "28.90", "27.40", "Rate", "rate"} {
			if strings.Contains(body, rate) {
				t.Errorf("%s sees %s", who, rate)
			}
		}
		if status, body, _ := stranger.get(link + "?month=2026-10"); status != http.StatusOK || !strings.Contains(body, "October 2026") ||
			!strings.Contains(body, "The month after") {
			t.Errorf("October: %d", status)
		}
		if status, csv, _ := stranger.get(link + "/hours.csv?month=2026-10"); status != http.StatusOK ||
			strings.Count(csv, "\n") < 20 || !strings.HasPrefix(csv, "Job,Name,Date,Task") ||
			strings.Contains(csv, "Names") != (who == "Auditor") {
			t.Errorf("the file: %d %.200s", status, csv)
		}
		if status, _, _ := stranger.get(link + "?month=never"); status != http.StatusNotFound {
			t.Errorf("a month that isn't: %d", status)
		}
	}
	if _, body, _ := mira.get(customer); !strings.Contains(body,
		"with names, up to 31 Dec 2026 · given by Mira Castellane · last looked 13 Nov 2026") {
		t.Errorf("the page after they looked: %s", body)
	}
	// Who guesses is slowed down, and shuts nobody out who has a link.
	status := 0
	for range 120 {
		if status, _, _ = stranger.get("/hours/" + uuid.NewString()); status != http.StatusNotFound {
			break
		}
	}
	if status != http.StatusTooManyRequests {
		t.Errorf("after 120 guesses: %d", status)
	}
	if status, _, _ := stranger.get(links["Auditor"]); status != http.StatusOK {
		t.Errorf("a right link after many wrong ones: %d", status)
	}
}
