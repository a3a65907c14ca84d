package e2e

import (
	"fmt"
	"net/http/httptest"
	"testing"
	"time"

	"manudex/demo"
	"manudex/standin"
)

// Somebody without a smartphone calls: number, PIN, an act, a job, a note. The desk sees it,
// and the log says for whom it was and what was refused.
func TestThePhoneLine(t *testing.T) {
	s := open(t)
	s.moveTo(time.Date(2026, 11, 16, 19, 20, 0, 0, time.UTC))
	var who struct{ Number, Name string }
	if err := s.DB.Get(&who, `select p.number, p.given_name || ' ' || p.family_name as name from person p
		join employment e on e.person_id = p.id join unit u on u.id = e.unit_id
		where u.name = 'Lamp bench, late' and p.level = 'worker' order by p.number limit 1`); err != nil {
		t.Fatal(err)
	}
	line := httptest.NewServer((&standin.Phone{Reader: standin.Reader{To: s.url, Key: demo.ReaderKey}}).Handler())
	defer line.Close()
	desk := s.device(1280, 800)
	desk.signIn("Mira Castellane")
	desk.open("/today")
	desk.live()
	phone := s.device(390, 844)
	phone.expectTrouble() // the stand-in has no icon
	keys := func(of ...string) {
		t.Helper()
		for _, k := range of {
			said := len(phone.MustElements("li"))
			phone.MustElement("input[name=typed]").MustInput(k)
			phone.press("^Press$")
			phone.waits(fmt.Sprintf(`() => document.readyState === "complete" && document.querySelectorAll("li").length > %d`, said))
		}
	}
	phone.MustNavigate(line.URL).MustWaitLoad()
	phone.press("^Call$")
	phone.sees("li", "Type your personnel number")
	keys(who.Number+"#", demo.PIN+"#", "1", "#")
	phone.sees("li", "It is done")
	desk.sees("tr.r", who.Name+"[\\s\\S]*since 14:20")
	keys("9", "The hoist at the bench is stuck")
	phone.sees("ol", "It is done[\\s\\S]*It is done")
	phone.press("^Hang up$")
	phone.sees("label", "Your phone’s number")
	phone.press("^Call$")
	phone.sees("li", "Type your personnel number")
	keys(who.Number+"#", "1111#", "2")
	phone.sees("li", "It could not be done")
	desk.open("/setup/on/points")
	desk.sees("tr", who.Name+"[\\s\\S]*The hoist at the bench is stuck")
	desk.sees("tr", "refused[\\s\\S]*not the PIN")
	s.shot(desk, "calls")
	desk.fits("clock points with calls")
	desk.accessible("clock points with calls", "all")
}
