package e2e

import (
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/google/uuid"

	"manudex/dbtest"
)

// A click on the map puts a job there; its own pay code is used from then on,
// and the page says why.
func TestAJobsPlaceAndCode(t *testing.T) {
	s := open(t)
	d := s.device(1280, 900)
	d.signIn("Mira Castellane")
	job := dbtest.Get[uuid.UUID](t, s.World, `select id from job where number = '2231'`)
	d.open("/jobs/" + job.String())
	d.press("^Where it is$")
	d.press("^Pay codes it names itself$")
	d.sees("#jobmap", "At the place of its site, 400 m around it")
	d.MustElement("#jobmap svg").MustScrollIntoView().MustClick() // its middle
	d.sees("#jobmap", "At a place of its own, 150 m around it")
	d.sees("#where", "2231")
	lat := dbtest.Get[float64](t, s.World, `select lat from job where id = $1`, job)
	if math.Abs(lat-40.089) > 0.0005 {
		t.Errorf("the middle of the map is at latitude %v", lat)
	}
	if v := d.MustElement("#j-place").MustProperty("value").Str(); v == "" {
		t.Error("the field beside the map is empty")
	}
	d.MustElement("#code-overtime").MustSelectAllText().MustInput("OT-GANTRY")
	d.MustElement("#code-overtime").MustBlur()
	d.sees(".codesetting .ok", "Saved")
	d.sees("#codeuses dd", "OT-GANTRY the job’s; the work classification names none")
	if n := dbtest.Get[int](t, s.World, `select count(*) from pay_code where job_id = $1 and code = 'OT-GANTRY'`, job); n != 1 {
		t.Errorf("%d codes are kept", n)
	}
}

// Jobs and tasks from a file, wrong rows shown and left out.
func TestAFileOfJobs(t *testing.T) {
	s := open(t)
	d := s.device(1280, 900)
	d.signIn("Mira Castellane")
	file := filepath.Join(t.TempDir(), "jobs.csv")
	text := "Number,Name,Customer,Task,Cost code,\"Estimate, hours\"\n4001,Mole lamps,Harbour " +
		"board,,,\n4001,,,Fitting,320,120\n4001,,,Polishing,999,\n2231,Gantry over Route 9,,,,\n"
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	d.open("/jobs")
	d.press("Bring in a file of jobs")
	d.sees("h1", "Jobs from a file")
	d.MustElement("#file").MustSetFiles(file)
	d.press("See what each row would do")
	d.sees(".sum", "2 new · 1 changed · 0 the same · 1 wrong")
	d.sees("tr", "4001, Polishing[\\s\\S]*not in the list")
	d.press("Bring in 3 rows, leave the 1 wrong out")
	d.sees("#progress", "The file is in: 2 new, 1 changed, 0 the same, 1 left out")
	d.press("See the jobs")
	d.sees("tr", "2231 Gantry over Route 9")
	d.sees("tr", "4001 Mole lamps").MustElement("td.who a").MustClick()
	d.sees("h1", "4001 Mole lamps")
	d.sees(".tasks tr", "Fitting.*320.*120:00")
	d.press("^Fitting$")
	d.sees("#task legend", "Fitting")
}

// A new site is put on the map of the others by a click.
func TestASiteOnTheMap(t *testing.T) {
	s := open(t)
	d := s.device(1280, 900)
	d.signIn("Mira Castellane")
	d.open("/setup/on/sites")
	form := d.sees("#sites form", "New site")
	form.MustElement("[name=title]").MustInput("Hollin yard")
	d.MustElement("#sites svg").MustScrollIntoView().MustClick() // its middle
	form.MustElement("button").MustClick()
	d.sees(".said", "Saved: Hollin yard")
	lat, lon := dbtest.Get[float64](t, s.World, `select lat from site where name = 'Hollin yard' and fence_metres = 150`),
		dbtest.Get[float64](t, s.World, `select lon from site where name = 'Hollin yard'`)
	// The middle of the four sites: from Carrow Point to North Staithe, from Route 9 to Carrow Point.
	if math.Abs(lat-(40.2065+40.0410)/2) > 0.002 || math.Abs(lon-(-50.3120-50.0905)/2) > 0.002 {
		t.Errorf("the site is at %v, %v", lat, lon)
	}
}
