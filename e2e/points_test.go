package e2e

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/google/uuid"

	"manudex/dbtest"
)

// A device is given a key on Setup, somebody clocks in at it and stands on Today at once;
// taken back, the key opens nothing.
func TestADeviceAtTheGate(t *testing.T) {
	s := open(t)
	d := s.device(1280, 800)
	d.signIn("Mira Castellane")
	who := dbtest.Get[string](t, s.World,
		`select p.number from person p join employment e on e.person_id = p.id join site w on w.id = e.site_id
		where w.name = 'Ebbwater works' and not exists (select from stint n where n.employment_id = e.id and n.date >= '2026-11-13')
		order by p.number limit 1`)
	name := dbtest.Get[string](t, s.World, `select given_name || ' ' || family_name from person where number = $1`, who)
	if _, err := s.DB.Exec(`update employment e set clock_points = 'device at the site' from person p
		where p.id = e.person_id and p.number = $1`, who); err != nil {
		t.Fatal(err)
	}
	d.open("/setup")
	d.press("^Clock points$")
	d.MustElement("form[action='/setup/points'] input[name=title]").MustInput("Gate, north side")
	d.MustElement("form[action='/setup/points'] select[name=site]").MustSelect("Ebbwater works")
	d.press("^Add it$")
	d.sees("legend", "Gate, north side")
	d.MustElement("form[action$='/keys'] input[name=title]").MustInput("Reader")
	d.press("^Give it a key$")
	key := d.sees("#newkey", "mx_").MustText()
	punch := func(act string) (int, string) {
		body := fmt.Sprintf(`{"id": %q, "number": %q, "act": %q, "job": "2229", "task": "Coating"}`, uuid.NewString(), who, act)
		req, err := http.NewRequest("POST", s.url+"/api/v1/punches", strings.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+key)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer res.Body.Close()
		answer, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(answer)
	}
	today := s.device(1280, 800)
	today.signIn("Mira Castellane")
	today.open("/today")
	if status, answer := punch("in"); status != 200 || !strings.Contains(answer, `"recorded"`) {
		t.Fatalf("clocking in: %d %s", status, answer)
	}
	today.sees("tr", name+"[\\s\\S]*2229")
	d.open("/setup/on/points")
	d.press("^Take it back$")
	d.sees(".said", "opens nothing any more")
	if status, _ := punch("out"); status != 401 {
		t.Errorf("with a key that was taken back: %d", status)
	}
}
