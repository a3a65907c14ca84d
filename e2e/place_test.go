package e2e

import (
	"math"
	"testing"

	"manudex/dbtest"
)

// A phone punches with where it is; one that may not see it and needs to is
// told what to change, and loses nothing.
func TestPunchWithPlace(t *testing.T) {
	s := open(t)
	name := dbtest.Get[string](t, s.World, `select p.given_name || ' ' || p.family_name from person p
		join employment e on e.person_id = p.id join unit u on u.id = e.unit_id
		where u.name = 'Harbour crew' and not exists (select 1 from stint where person_id = p.id and end_at is null)
		and not exists (select 1 from card where employment_id = e.id and date = '2026-11-13' and first_at is not null)
		union all select 'Ruth Adeyemi' limit 1`)
	if _, err := s.DB.Exec(`update employment set location_required = true`); err != nil {
		t.Fatal(err)
	}
	phone := s.device(390, 844)
	phone.signIn(name)
	phone.expectTrouble() // the refusal is a 422
	phone.press("^Clock in$")
	phone.sees(".wrong", "need a location")
	phone.isAt(40.2065, -50.1480)
	phone.open("/clock")
	phone.press("^Clock in$")
	phone.sees(".now-line", "On the clock since")
	lat := dbtest.Get[float64](t, s.World, `select coalesce(p.lat, 0) from punch p join employment e on e.id = p.employment_id
		join person x on x.id = e.person_id where x.given_name || ' ' || x.family_name = $1 order by p.received_at desc limit 1`, name)
	if math.Abs(lat-40.2065) > 1e-6 {
		t.Errorf("the punch was made at latitude %v", lat)
	}
}
