package hours_test

import (
	"testing"

	"manudex/app/apptest"
	"manudex/app/hours"
	"manudex/dbtest"
)

// A sheet for each crew: its people once each, their hours by job adding up to
// what they worked, who signed, and what is left of the tasks.
func TestSheets(t *testing.T) {
	w := dbtest.Open(t)
	p, err := hours.ReadSheets(t.Context(), w.App, w.Person(t, "Mira Castellane"), apptest.Thursday)
	apptest.Must(t, err)
	people, tasks, signed := 0, 0, 0
	for _, c := range p.Crews {
		var worked int64
		for i, r := range c.Rows {
			if r.UnitName != c.Name || i > 0 && r.Employment == c.Rows[i-1].Employment {
				t.Errorf("%s stands on the sheet of %s", r.Name(), c.Name)
			}
			var sum int64
			for _, n := range r.ByJob {
				sum += n
			}
			short := dbtest.Get[int64](t, w, `select coalesce(sum(extract(epoch from end_at - start_at)), 0)::bigint from stint where
				employment_id = $1 and date = '2026-11-12' and kind <> 'work' and end_at - start_at <= interval '20 minutes'`, r.Employment)
			if sum+short != r.Worked {
				t.Errorf("%s: %d s by job and %d s of short rests, worked %d", r.Name(), sum, short, r.Worked)
			}
			worked += r.Worked
			if r.SignedBy != "" {
				signed++
			}
			people++
		}
		if worked != c.Worked {
			t.Errorf("%s: %d s, its people worked %d", c.Name, c.Worked, worked)
		}
		for _, k := range c.Tasks {
			used := dbtest.Get[int64](t, w, `select coalesce(sum(seconds), 0) from hours where task_id = $1 and kind = 'work'`, k.ID)
			if k.Used != used || k.Today == 0 || k.Name == "" {
				t.Errorf("%s: %+v, used %d", c.Name, k, used)
			}
			tasks++
		}
	}
	all := dbtest.Get[int](t, w, `select count(*) from card where date = '2026-11-12'`)
	if n := dbtest.Get[int](t, w, `select count(*) from card where date = '2026-11-12' and signed`); people != all || tasks == 0 ||
		signed != n {
		t.Errorf("%d people on the sheets of %d, %d signed of %d, %d tasks", people, all, signed, n, tasks)
	}
	lead, err := hours.ReadSheets(t.Context(), w.App, w.Person(t, "Wren Halloran"), apptest.Thursday)
	apptest.Must(t, err)
	if len(lead.Crews) != 1 || lead.Crews[0].Name != "Gantry crew B" || lead.Crews[0].Lead != "Wren Halloran" {
		t.Errorf("a lead's sheets: %+v", lead.Crews)
	}
}
