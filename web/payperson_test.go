package web_test

import (
	"regexp"
	"strings"
	"testing"

	"manudex/dbtest"
)

// Why a line is paid is said in words, to the clerk by whom a run is closed.
func TestWhyALineIsPaid(t *testing.T) {
	s := open(t)
	clerk := s.signIn(t, "Sana Verity")
	of := dbtest.Get[string](t, s.World, `select run_id || '/' || employment_id from pay_line where kind = 'straight' and class = 'overtime'
		order by run_id desc limit 1`)
	status, body, _ := clerk.get("/payruns/" + of)
	why := regexp.MustCompile(`(?s)<small class="why" lang="en">(.*?)</small>`).FindAllStringSubmatch(body, -1)
	if status != 200 || len(why) == 0 {
		t.Fatalf("%d, and no line with a reason", status)
	}
	if !strings.Contains(body, "Overtime by weekly_overtime_after 40:00") {
		t.Error("the rule behind an hour of overtime isn't named")
	}
	// From a line one comes to the ribbon of its day.
	card := regexp.MustCompile(`<td><a href="(/cards/[^"]+)">`).FindStringSubmatch(body)
	if card == nil {
		t.Fatal("no line leads to its day")
	}
	if status, day, _ := clerk.get(card[1]); status != 200 || !strings.Contains(day, "<svg") {
		t.Errorf("%s: %d, without a ribbon", card[1], status)
	}
	for _, w := range why {
		if strings.ContainsAny(w[1], "{}[]") {
			t.Errorf("a reason reads %s", w[1])
		}
	}
}
